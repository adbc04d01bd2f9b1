"""Many runs of a book judged in brief, in processes of their own, while this one does something else."""

import os
from collections.abc import Collection
from concurrent.futures import Executor
from concurrent.futures.process import BrokenProcessPool
from contextlib import AbstractContextManager
from pathlib import Path

from pinch.analysis.judging import JudgeDesk
from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.records import Run
from pinch.bench.workers import workers_on
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.language import tr

_desk: JudgeDesk
"""Of a process that judges, from its start to its end."""


FEW = 8
"""So many runs are judged by the time another process has begun."""


class JudgedBeside(AbstractContextManager["JudgedBeside"]):
    """Judges runs of a book in brief from now on; what is not begun when it is left is not judged. A few are judged
    here, once they are asked for."""

    def __init__(self, book: Book, runs: Collection[Run]) -> None:
        self._path, self._here = book.path, JudgeDesk(book, brief=True)
        there = runs if len(runs) > FEW else ()
        self._pool = pool(book.path, max(1, (os.cpu_count() or 1) - 1))  # one is left for what goes on here
        self._begun = {run.id: self._pool.submit(_judged, run) for run in there}

    def judge(self, run: Run) -> tuple[Judgement | None, str]:
        """The judgement of a run, waited for where it is not there yet; None and the reason where it cannot be judged.

        Raises
        ------
        PinchError : the process that judges ended before.
        """
        if run.id not in self._begun:
            return _judged_by(self._here, run)
        try:
            return self._begun[run.id].result()
        except BrokenProcessPool:
            reason = tr("what judged it ended before it was through, as happens where memory is short")
            raise PinchError(
                tr("{path}, run {repeat}: {reason}.", path=self._path.name, repeat=run.repeat, reason=reason)
            ) from None

    def __exit__(self, *_: object) -> None:
        self._pool.shutdown(cancel_futures=True)


def pool(path: Path, workers: int) -> Executor:
    """Processes that judge runs of a book file."""
    return workers_on(path, take_book, workers)


def take_book(path: Path) -> None:
    """Let this process judge runs of a book."""
    global _desk
    _desk = JudgeDesk(open_book(path), brief=True)


def _judged(run: Run) -> tuple[Judgement | None, str]:
    return _judged_by(_desk, run)


def _judged_by(desk: JudgeDesk, run: Run) -> tuple[Judgement | None, str]:
    try:
        return desk.judge(run)[1], ""
    except PinchError as error:
        return None, str(error)
