"""Axes of plots: clock times, plain numbers, and levels named at the right edge."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from pinch.charts.placing import clock_step, round_values, spread
from pinch.charts.spec import minutes
from pinch.core.printing import ticks

BESIDE_PX, ABOVE_PX = 62.0, 14.0
"""Room of a number beside others, and above others."""
MOST_BESIDE, MOST_ABOVE = 12, 8


class ClockAxis(pg.AxisItem):  # type: ignore[misc]
    """A time axis in minutes and seconds with ticks at round times."""

    def tickValues(self, low: float, high: float, size: float) -> list[tuple[float, list[float]]]:
        step = clock_step(high - low, max(2, int(size / 70)))
        return [(step, list(np.arange(np.ceil(low / step) * step, high + 1e-6, step)))]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [minutes(v) for v in values]


class PlainAxis(pg.AxisItem):  # type: ignore[misc]
    """An axis of numbers, at round values and printed as everywhere else."""

    def boundingRect(self) -> QRectF:
        """With room for half a number beyond either end: the base class leaves out what does not fit, zero first."""
        whole: QRectF = super().boundingRect()
        return whole.adjusted(0.0, -ABOVE_PX / 2, 0.0, ABOVE_PX / 2)

    def tickValues(self, low: float, high: float, size: float) -> list[tuple[float, list[float]]]:
        upright = self.orientation in ("left", "right")
        room, most = (ABOVE_PX, MOST_ABOVE) if upright else (BESIDE_PX, MOST_BESIDE)
        apart = (high - low) * max(room / size, 1.0 / most) if size > 0 else 0.0
        return [(apart, round_values(low, high, apart))]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return ticks([v * scale for v in values])


class WordAxis(pg.AxisItem):  # type: ignore[misc]
    """The right edge of a plot: levels that matter, named by words at their height."""

    def __init__(self) -> None:
        super().__init__("right")
        self._words: list[tuple[float, str]] = []

    def name_levels(self, words: list[tuple[float, str]]) -> None:
        """Name these levels."""
        self._words = words
        self.setTicks([[]])

    def generateDrawSpecs(self, painter: QPainter) -> tuple[object, list[object], list[object]] | None:
        """The base class leaves words out by exact comparison of rounded rectangles; here all are kept."""
        specs = super().generateDrawSpecs(painter)
        if specs is None:
            return None
        box = self.mapRectFromParent(self.geometry())
        low, high = self.range
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextDontClip
        tops = []
        for at, _ in self._words:
            y = box.bottom() - (at - low) / (high - low) * box.height()
            tops.append(min(max(y - 8, box.top()), box.bottom() - 16) if low <= at <= high else y - 8)  # no word is cut
        texts: list[object] = [
            (QRectF(box.left() + 6, top, box.width() - 6, 16), flags, words)
            for top, (_, words) in zip(spread(tops, ABOVE_PX), self._words, strict=True)
        ]
        return specs[0], specs[1], texts
