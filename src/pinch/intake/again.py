"""Logs that a book has already, recognised by their samples, whatever their file is called."""

import numpy as np

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.records import Run
from pinch.core.runlog import RunLog


class KnownLogs:
    """The logs of a book while others are taken in."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._by_samples: dict[int, list[Run]] = {}
        for run in book.runs():
            if run.summary is None and run.samples:
                self._by_samples.setdefault(run.samples, []).append(run)

    def run_of(self, log: RunLog) -> Run | None:
        """The run that has these very samples; None: none has."""
        alike = self._by_samples.get(log.samples, [])
        return next((run for run in alike if _same(runlogs.read_log(self._book, run.id), log)), None)

    def add(self, run: Run) -> None:
        """Know one more."""
        self._by_samples.setdefault(run.samples or 0, []).append(run)


def _same(a: RunLog, b: RunLog) -> bool:
    if set(a.series) != set(b.series):
        return False
    return all(
        np.array_equal(a.series[name].t, b.series[name].t)
        and np.array_equal(a.series[name].values, b.series[name].values, equal_nan=True)
        for name in a.series
    )
