"""Logs that a book has already, recognised by their samples, whatever their file is called."""

import hashlib

import numpy as np

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.records import Run
from pinch.core.runlog import RunLog


class KnownLogs:
    """The logs of a book while others are taken in. Of the book's own only those are read that have as many samples as
    one that is asked about, each once."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._unread: dict[int, list[Run]] = {}
        self._read: dict[bytes, Run] = {}
        for run in book.runs():
            if run.summary is None and run.samples:
                self._unread.setdefault(run.samples, []).append(run)

    def run_of(self, log: RunLog, content: bytes) -> Run | None:
        """The run that has the very samples of a log with this content; None: none has."""
        for run in self._unread.pop(log.samples, []):
            self._read.setdefault(content_of(runlogs.read_log(self._book, run.id)), run)
        return self._read.get(content)

    def add(self, run: Run, content: bytes) -> None:
        """Know one more."""
        self._read.setdefault(content, run)


def content_of(log: RunLog) -> bytes:
    """What two logs have in common where they have the same samples."""
    found = hashlib.sha256()
    for name, series in sorted(log.series.items()):
        found.update(f"{name} {series.t.size}\n".encode())
        for numbers in (series.t, series.values):
            plain = np.asarray(numbers, np.float64) + 0.0  # one zero
            found.update(np.where(np.isnan(plain), np.nan, plain).tobytes())
    return found.digest()
