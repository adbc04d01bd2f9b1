"""Going through the points of a chart by the keyboard: a frame around the present one, its words beside it."""

from collections.abc import Callable
from dataclasses import dataclass

import pyqtgraph as pg
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QToolTip, QWidget

from pinch.ui import look
from pinch.ui.plots.dress import pen

RING = 19.0


@dataclass(frozen=True)
class ChartPoint:
    """A measured point: its plot, place, what puts it into words, and its number among all of the chart."""

    plot: pg.PlotItem
    x: float
    y: float
    in_words: Callable[[], str]
    number: int


class PointSteps:
    """Keeps to the order of x, then of y."""

    def __init__(self, view: QWidget) -> None:
        self._view = view
        self._points: list[ChartPoint] = []
        self._sorted = True
        self._at = -1
        self._ring: pg.ScatterPlotItem | None = None

    def forget(self) -> None:
        """Other points are coming."""
        self._points, self._at, self._ring = [], -1, None

    def add(self, point: ChartPoint) -> None:
        """A further point."""
        self._points.append(point)
        self._sorted = False

    @property
    def present(self) -> ChartPoint | None:
        """The point that is ringed."""
        return self._points[self._at] if 0 <= self._at < len(self._points) else None

    def step(self, by: int) -> bool:
        """Go on by so many points, round at the ends; whether there are any."""
        if not self._points:
            return False
        if not self._sorted:
            self._points.sort(key=lambda p: (p.x, p.y))
            self._sorted = True
        self._at = (self._at + by) % len(self._points) if self._at >= 0 else (0 if by > 0 else len(self._points) - 1)
        self._show(self._points[self._at])
        return True

    def _show(self, point: ChartPoint) -> None:
        for plot in {p.plot for p in self._points}:
            plot.removeItem(self._ring)
        self._ring = pg.ScatterPlotItem([point.x], [point.y], size=RING, symbol="s", pen=pen(look.theme().ink, 2.0))
        self._ring.setBrush(None)
        self._ring.setZValue(30)
        point.plot.addItem(self._ring, ignoreBounds=True)
        at = point.plot.getViewBox().mapViewToScene(QPointF(point.x, point.y)).toPoint()
        words = point.in_words()
        self._view.setAccessibleDescription(words)
        QToolTip.showText(self._view.mapToGlobal(at), words, self._view)
