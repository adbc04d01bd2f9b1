"""Judging for the page: short logs at once, long ones in the background."""

import sys
from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.analysis.judging import JudgeDesk, judge_from_file
from pinch.bench import runlogs
from pinch.bench.records import Run
from pinch.core.judge import Judgement
from pinch.core.runlog import RunLog
from pinch.language import tr
from pinch.ui.background import Job
from pinch.ui.session import Session

AT_ONCE_ROWS = 4000
"""A log of this many rows is read and judged within a tenth of a second."""


class JudgeControl(QObject):
    """`finished` gives the id of a run whose judgement is there now, `failed` a sentence."""

    finished = pyqtSignal(int)
    failed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._job: Job | None = None

    def judgement_of(self, run: Run) -> tuple[RunLog, Judgement] | None:
        """The log and the judgement of a run; None where it is being worked out, `finished` then says when.

        Raises
        ------
        PinchError : the log is damaged, empty, or cannot be judged.
        """
        desk = self._session.desk
        _, rows = runlogs.log_size(self._session.book, run.id)
        ready = "scipy.optimize" in sys.modules  # which takes longer to load than a run to judge
        if desk.knows(run) or (rows <= AT_ONCE_ROWS and ready):
            return desk.judge(run)
        self.cancel()
        path = self._session.book.path

        def work(_: Callable[[float], bool]) -> JudgeDesk:
            return judge_from_file(path, run)

        self._job = Job(tr("Judging this run"), work, self)
        self._job.finished.connect(lambda judged: self._judged(run, judged))
        self._job.failed.connect(self.failed)
        self._job.start()
        return None

    def cancel(self) -> None:
        """Let go of what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _judged(self, run: Run, judged: JudgeDesk) -> None:
        self._session.desk.take_over(judged)
        self.finished.emit(run.id)
