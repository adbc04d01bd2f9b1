"""Keeps a run in a book with patience: a fault that passes loses nothing.

While the book does not take anything (locked, disk full), what comes waits in memory and in a file beside the book, and
is written in order when it does. Where the file of the book is deleted or replaced, the whole book goes on in a rescue
file beside it.
"""

import logging
import time
from collections import deque
from collections.abc import Sequence
from itertools import islice
from pathlib import Path

from pinch.bench.book import Book, BookError, BookGoneError
from pinch.bench.opening import open_book
from pinch.bench.records import ExitStatus, Pass
from pinch.bench.waiting import Begin, Ended, FreshSamples, Marked, Operation, RunWriter, WaitingFile
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray, Mark
from pinch.language import tr

log = logging.getLogger(__name__)
LOCK_S = 0.3
"""Another writer is waited for so long at a time; samples come meanwhile."""
AGAIN_S = 1.0
LAST_TRY_S = 1.0
"""At the end of a run the book is tried for so long; what is left then waits beside it."""


class PatientKeeper:
    """Keeps one run. Opens its own connection at the first use, in the recorder's thread."""

    def __init__(self, path: Path, run_id: int) -> None:
        self.path = path
        self._run_id = run_id
        self._book: Book | None = None
        self._streams: dict[int, int] = {}
        self._begun: list[Begin] = []
        self._ops: deque[Operation | FreshSamples] = deque()
        self._on_disk = 0
        self._waiting = WaitingFile.beside(path, run_id)
        self._fault = ""
        self._fault_since, self._again_at = 0.0, 0.0
        self._notes: list[str] = []

    def begin(self, channels: Sequence[str]) -> int:
        begin = Begin(stream=len(self._begun), channels=tuple(channels))
        self._begun.append(begin)
        self._do(begin)
        return begin.stream

    def keep(self, stream: int, t: FloatArray, columns: list[FloatArray]) -> None:
        self._do(FreshSamples(stream, t, columns))

    def mark(self, mark: Mark) -> None:
        self._do(Marked(t_s=mark.t_s, text=mark.text))

    def notes(self) -> list[str]:
        """What happened to the keeping since the last call."""
        told, self._notes = self._notes, []
        return told

    def end(self, status: ExitStatus, reason: str, passes: tuple[Pass, ...]) -> None:
        """Write the stop.

        Raises
        ------
        BookError : the book still takes nothing; the sentence says where what is left waits.
        """
        self._again_at = 0.0
        self._do(Ended(status=status, reason=reason, passes=passes))
        until = time.monotonic() + LAST_TRY_S
        while self._ops and time.monotonic() < until:
            time.sleep(0.1)
            self._write()
        if self._book is not None:
            self._book.close()
        if self._ops:
            raise BookError(
                self.path,
                tr(
                    "the end of this run could not be written: it {fault}. {where}",
                    fault=self._fault,
                    where=self._where,
                ),
            )

    @property
    def _where(self) -> str:
        if self._on_disk == len(self._ops):
            return tr(
                "What is missing waits in {path} and is taken in when the book is opened again", path=self._waiting.path
            )
        return tr("There was no room for it elsewhere either, so it is lost when Pinch ends")

    def _do(self, operation: Operation | FreshSamples) -> None:
        self._ops.append(operation)
        if time.monotonic() >= self._again_at:
            self._write()
        else:
            self._put_by()

    def _write(self) -> None:
        """Write all that waits, all of it or nothing."""
        try:
            book = self._open()
            writer = RunWriter(book, self._run_id, self._streams)
            with book.change():
                for operation in self._ops:
                    writer.apply(operation)
        except BookGoneError:
            self._rescue()
        except PinchError as error:
            self._wait(error)
        else:
            self._streams = writer.streams
            self._ops.clear()
            self._over()

    def _open(self) -> Book:
        if self._book is None:
            self._book = open_book(self.path, LOCK_S)
            self._book.connection.execute("PRAGMA synchronous = FULL")  # what is kept outlives a power cut, too
        return self._book

    def _wait(self, error: PinchError) -> None:
        reason = error.reason if isinstance(error, BookError) else str(error)
        now = time.monotonic()
        if not self._fault:
            self._fault_since = now
            self._notes.append(
                tr(
                    "{path} cannot be written: it {reason}. Samples wait until it can.",
                    path=self.path.name,
                    reason=reason,
                )
            )
            log.warning("a book could not be written; samples wait")
        self._fault, self._again_at = reason, now + AGAIN_S
        self._put_by()

    def _put_by(self) -> None:
        """Write what waits to the disk as well; where that has no room, it waits in memory alone."""
        new = [op.operation if isinstance(op, FreshSamples) else op for op in islice(self._ops, self._on_disk, None)]
        before = () if self._on_disk else [b for b in self._begun if b not in new]  # whoever takes it in needs them
        try:
            self._waiting.add((*before, *new))
            self._on_disk += len(new)
        except OSError:
            if not self._on_disk:
                self._waiting = WaitingFile.elsewhere(self.path, self._run_id)

    def _over(self) -> None:
        if not self._fault:
            return
        took = time.monotonic() - self._fault_since
        self._fault = ""
        self._notes.append(
            tr("{path} is written again after {took:.0f} s; nothing was lost.", path=self.path.name, took=took)
        )
        self._waiting.remove()
        self._on_disk = 0

    def _rescue(self) -> None:
        """Go on in a copy of the book as it was open: it is still there for whoever holds it open."""
        assert self._book is not None
        lost, target = self._book, free_path(self.path.with_name(f"{self.path.stem} (rescued){self.path.suffix}"))
        try:
            lost.copy_to(target)
        except BookError as second:
            self._wait(second)
            return
        lost.close()
        self._notes.append(
            tr(
                "{path} was deleted or replaced by another program while this run was recorded. The run"
                " goes on in {target} beside it, with all that the book held.",
                path=self.path.name,
                target=target.name,
            )
        )
        log.warning("a book was deleted or replaced; its recording goes on in another file")
        self.path, self._book = target, None
        self._write()


def free_path(path: Path) -> Path:
    """The path, with a number where something stands there."""
    numbered = (path.with_name(f"{path.stem} {n}{path.suffix}") for n in range(2, 1000))
    return next(p for p in (path, *numbered) if not p.exists())
