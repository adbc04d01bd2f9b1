"""Judging all runs of a device and workload in the background, for the Scale page."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pinch import compose
from pinch.bench.records import Device, Workload
from pinch.ui.background import Job
from pinch.ui.session import Session


class ScaleControl(QObject):
    """`progressed` gives the share done, `finished` a `ScaleResult`, `failed` a sentence."""

    progressed = pyqtSignal(float)
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._job: Job | None = None
        self._done_for: tuple[Path, Device, Workload, float | None] | None = None
        self.room: float | None = None

    def rooms(self, device: Device, workload: Workload) -> list[float]:
        """Room temperatures of the runs that count; the commonest becomes the chosen one where none of them is."""
        runs = [r for r in self._session.book.runs(device.id, workload.id) if not r.void]
        rooms = sorted({r.ambient_c for r in runs if r.ambient_c is not None})
        if self.room not in rooms:
            counted = {room: sum(r.ambient_c == room for r in runs) for room in rooms}
            self.room = max(rooms, key=lambda room: counted[room]) if len(rooms) > 1 else None
        return rooms

    def forget(self) -> None:
        """What was done no longer holds."""
        self._done_for = None

    def start(self, device: Device, workload: Workload) -> bool:
        """Work it out; False where that was done already."""
        wanted = (self._session.book.path, device, workload, self.room)
        if wanted == self._done_for:
            return False
        self.cancel()
        self._done_for = wanted
        path, room = self._session.book.path, self.room

        def work(progress: Callable[[float], bool]) -> compose.ScaleResult:
            return compose.scale_from_file(path, device, workload, room, progress)

        self._job = Job(work, self)
        self._job.progressed.connect(self.progressed)
        self._job.finished.connect(self.finished)
        self._job.failed.connect(self._failed)
        self._job.start()
        return True

    def cancel(self) -> None:
        """Stop what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job.wait(5.0)

    def _failed(self, reason: str) -> None:
        self.forget()
        self.failed.emit(reason)
