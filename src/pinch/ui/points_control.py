"""All runs of the open book as points, judged in the background, for the pages that look at many runs."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.analysis.gathered import Gathered, gather
from pinch.analysis.points import BookPoints
from pinch.core.lasting import lasting
from pinch.language import tr
from pinch.runs.whole_book import read_points
from pinch.ui.background import Job
from pinch.ui.session import Session


class PointsControl(QObject):
    """`ready` says that the points are there, `progressed` how far it is, `failed` gives a sentence."""

    ready = pyqtSignal()
    progressed = pyqtSignal(float)
    failed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._job: Job | None = None
        self._path: Path | None = None
        self.gathered: Gathered | None = None

    def forget(self) -> None:
        """The records have changed, or another book is open."""
        self.cancel()
        self.gathered = None

    def cancel(self) -> None:
        """Let go of what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job = None

    @property
    def points(self) -> BookPoints | None:
        """The points, None where they are not there yet."""
        return self.gathered.points if self.gathered is not None else None

    def wanted(self) -> BookPoints | None:
        """The points; where they are not there yet None, and `ready` comes later."""
        if self.gathered is None and self._job is None:
            path = self._session.book.path

            def work(progress: Callable[[float], bool]) -> Gathered:
                with lasting():
                    return gather(read_points(path, progress))

            self._job = Job(tr("Judging all runs"), work, self)
            self._job.progressed.connect(self.progressed)
            self._job.finished.connect(self._finished)
            self._job.failed.connect(self._failed)
            self._job.start()
        return self.points

    def _finished(self, gathered: Gathered) -> None:
        self._job, self.gathered = None, gathered
        self.ready.emit()

    def _failed(self, reason: str) -> None:
        self._job = None
        self.failed.emit(reason)
