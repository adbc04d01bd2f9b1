"""Samples on their way to where they are kept."""

import time
from collections.abc import Sequence
from typing import Protocol

import numpy as np

from pinch.bench.records import ExitStatus, Pass
from pinch.core.runlog import FloatArray, Mark

FLUSH_SAMPLES = 2000
FLUSH_S = 0.5
"""Samples wait for the book no longer than this, in real seconds, and no more than so many of them."""


class RunKeeper(Protocol):
    """Where samples are kept. What cannot be kept at once waits there; only the end may fail."""

    def begin(self, channels: Sequence[str]) -> int:
        """A new stream with these channels; returns its number."""

    def keep(self, stream: int, t: FloatArray, columns: list[FloatArray]) -> None:
        """Keep samples of a stream."""

    def mark(self, mark: Mark) -> None:
        """Keep a mark."""

    def notes(self) -> list[str]:
        """What happened to the keeping since the last call."""

    def end(self, status: ExitStatus, reason: str, passes: tuple[Pass, ...]) -> None:
        """Write the stop."""


class StreamBuffer:
    """Samples of one stream on their way to the keeper; a stamp that does not go forward is left out."""

    def __init__(self, keeper: RunKeeper, channels: tuple[str, ...], pace: float) -> None:
        self.channels = channels
        self._keeper, self._pace = keeper, pace
        self._number = keeper.begin(channels)
        self._rows: list[tuple[float, ...]] = []
        self._last = -np.inf
        self._oldest = 0.0

    @property
    def last_s(self) -> float:
        """Time of the last sample; before the first one it is endlessly long ago."""
        return self._last

    def add(self, t: float, values: tuple[float, ...]) -> None:
        if t <= self._last:
            return
        if not self._rows:
            self._oldest = time.monotonic()
        self._last = t
        self._rows.append((t, *values))
        if len(self._rows) >= FLUSH_SAMPLES:
            self.flush()

    def flush_in_time(self) -> None:
        """Keep what has waited long enough, by our clock or, where it came late, by its own stamps."""
        if self._rows:
            own = (self._last - self._rows[0][0]) / self._pace
            if max(time.monotonic() - self._oldest, own) >= FLUSH_S:
                self.flush()

    def flush(self) -> None:
        if self._rows:
            table = np.array(self._rows)
            self._keeper.keep(self._number, table[:, 0], list(table[:, 1:].T))
            self._rows.clear()
