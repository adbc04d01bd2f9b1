"""Changes of the book by many rows: made in a thread, told of while they last, taken back as one step."""

import threading
from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QObject

from pinch.bench.apart import MadeApart, change_apart
from pinch.bench.book import Book
from pinch.core.progress import CancelledError, Progress, tell
from pinch.language import tr
from pinch.ui.background import Job
from pinch.ui.page_protocol import Shell

T = TypeVar("T")


class SlowChange(QObject):
    """One at a time; closing the notice of its progress ends it. Then the work itself decides whether something of it
    is kept; of one that is closed nothing is."""

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell.dialog_parent)
        self._shell = shell
        self._unwanted, self._is_closed = threading.Event(), threading.Event()
        self.job: Job | None = None
        shell.notices.closed.connect(self._unwanted.set)

    def begin(self, doing: str, label: str, work: Callable[[Book, Progress], T], then: Callable[[T], None]) -> None:
        """Do `work` on the book, with a connection of its own; `then` hears what it came to. `doing` says it while it
        lasts, `label` names the step that takes it back.

        Raises
        ------
        PinchError : another change of this kind is under way.
        """
        session, unwanted, is_closed = self._shell.session, self._unwanted, self._is_closed
        session.change_begins(label)
        unwanted.clear()
        is_closed.clear()
        path, told = session.book.path, -1

        def apart(progress: Progress) -> MadeApart[T] | None:
            def heard(share: float) -> bool:
                nonlocal told
                tell(lambda _: not is_closed.is_set(), share)
                if int(100 * share) != told:
                    told = int(100 * share)
                    progress(share)
                return not unwanted.is_set()

            try:
                return change_apart(path, label, lambda book: work(book, heard))
            except CancelledError:
                return None

        self.job = Job(doing, apart, self)
        self.job.progressed.connect(
            lambda share: self._shell.notices.done(
                tr("{doing}, {share:.0f} %. Close this to end it.", doing=doing, share=100 * share)
            )
        )
        self.job.finished.connect(lambda made: self._shell.safely(lambda: self._done(made, then)))
        self.job.failed.connect(self._failed)
        self.job.start()

    def close(self) -> None:
        """End it, and wait until nothing of it is left."""
        self._is_closed.set()
        if self.job is not None:
            self.job.wait()

    def _done(self, made: MadeApart[T] | None, then: Callable[[T], None]) -> None:
        self.job = None
        self._shell.notices.hide()
        self._shell.session.change_ends(made.step if made is not None else None)
        if made is not None:
            then(made.result)

    def _failed(self, reason: str) -> None:
        self.job = None
        self._shell.session.change_ends(None)
        self._shell.notices.error(reason)
