"""The Modes page's work: the sheet of a device, in the background."""

from collections.abc import Callable

from pinch.analysis.modes import ModesSheet, modes_sheet
from pinch.analysis.points import BookPoints
from pinch.bench.records import Device, Workload
from pinch.core.sound import Grade
from pinch.language import tr
from pinch.ui.working import Working


class ModesControl(Working):
    """`finished` gives a `ModesSheet`."""

    doing = tr("Working out the modes")

    def start(self, points: BookPoints, device: Device, workload: Workload, room_c: float | None, grade: Grade) -> bool:
        """Work out the sheet of a device under a workload; False where that was done, and is told once more."""
        wish = (device, workload, room_c, grade)
        if self.is_done_for(points, wish):
            if self._last is not None:
                self.finished.emit(self._last)
            return False

        def work(_: Callable[[float], bool]) -> ModesSheet:
            return modes_sheet(points, device, workload, room_c, grade)

        self.begin(points, wish, work)
        return True
