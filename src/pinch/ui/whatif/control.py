"""The work of What if: the twin of a device, and what it says of a change, in the background."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QObject

from pinch.analysis.foreseen import USUAL_S, Foreseen, foresee
from pinch.analysis.points import BookPoints
from pinch.analysis.twins import DeviceTwin
from pinch.bench.records import Device, Workload
from pinch.core.twin_runs import Change, TwinRefusedError
from pinch.language import tr
from pinch.runs.twinning import read_twin
from pinch.ui.session import Session
from pinch.ui.working import Working


class WhatIfAnswer(Struct, frozen=True):
    """What came of a question: a prediction, or why there is none; the twin where there is one."""

    twin: DeviceTwin | None
    found: Foreseen | None
    refused: str = ""


class WhatIfControl(Working):
    """`finished` gives a `WhatIfAnswer`."""

    doing = tr("Predicting")

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._twins: tuple[BookPoints, dict[tuple[int, int], DeviceTwin]] | None = None
        self.change, self.length_s = Change(), USUAL_S

    def ask(self, points: BookPoints, device: Device, workload: Workload) -> None:
        """Predict what is asked of a device under a workload, in the background."""
        change, length_s, path = self.change, self.length_s, self._session.book.path
        if self._twins is None or self._twins[0] is not points:
            self._twins = points, {}
        twins, key = self._twins[1], (device.id, workload.id)

        def work(progress: Callable[[float], bool]) -> WhatIfAnswer:
            try:
                twin = twins.get(key) or read_twin(path, points, device, workload, progress)
                twins[key] = twin
            except TwinRefusedError as refused:
                return WhatIfAnswer(None, None, str(refused))
            try:
                return WhatIfAnswer(twin, foresee(twin, change, length_s))
            except TwinRefusedError as refused:
                return WhatIfAnswer(twin, None, str(refused))

        wish = (key, str(change), length_s)  # as words: what is not asked is NaN, which equals nothing
        if self.is_done_for(points, wish):
            if self._last is not None:
                self.finished.emit(self._last)
            return
        self.begin(points, wish, work)
