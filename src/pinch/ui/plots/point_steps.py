"""Going through the points of a chart by the keyboard: a frame around the present one, its words beside it."""

from collections.abc import Callable

import pyqtgraph as pg
from msgspec import Struct
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QToolTip, QWidget

from pinch.core.runlog import FloatArray
from pinch.ui import look
from pinch.ui.plots.dress import pen

RING = 19.0


class PointLayer(Struct, frozen=True):
    """Measured points of one kind: their plot, places, what puts the n-th into words, and how many come before them
    among all of the chart."""

    plot: pg.PlotItem
    x: FloatArray
    y: FloatArray
    in_words: Callable[[int], str]
    before: int


class PointSteps:
    """Keeps to the order of x, then of y."""

    def __init__(self, view: QWidget) -> None:
        self._view = view
        self._layers: list[PointLayer] = []
        self._order: list[tuple[PointLayer, int]] = []
        self._at = -1
        self._ring: pg.ScatterPlotItem | None = None

    def forget(self) -> None:
        """Other points are coming."""
        self._layers, self._order, self._at, self._ring = [], [], -1, None

    def add(self, layer: PointLayer) -> None:
        """Further points."""
        self._layers.append(layer)
        self._order = []

    @property
    def present(self) -> int | None:
        """The number of the point that is ringed, among all of the chart."""
        if not 0 <= self._at < len(self._order):
            return None
        layer, number = self._order[self._at]
        return layer.before + number

    def step(self, by: int) -> bool:
        """Go on by so many points, round at the ends; whether there are any."""
        if not self._order:
            places = ((layer, n) for layer in self._layers for n in range(len(layer.x)))
            self._order = sorted(places, key=lambda place: (place[0].x[place[1]], place[0].y[place[1]]))
        if not self._order:
            return False
        self._at = (self._at + by) % len(self._order) if self._at >= 0 else (0 if by > 0 else len(self._order) - 1)
        self._show(*self._order[self._at])
        return True

    def _show(self, layer: PointLayer, number: int) -> None:
        for plot in {other.plot for other in self._layers}:
            plot.removeItem(self._ring)
        x, y = float(layer.x[number]), float(layer.y[number])
        self._ring = pg.ScatterPlotItem([x], [y], size=RING, symbol="s", pen=pen(look.theme().ink, 2.0))
        self._ring.setBrush(None)
        self._ring.setZValue(30)
        layer.plot.addItem(self._ring, ignoreBounds=True)
        at = layer.plot.getViewBox().mapViewToScene(QPointF(x, y)).toPoint()
        words = layer.in_words(number)
        self._view.setAccessibleDescription(words)
        QToolTip.showText(self._view.mapToGlobal(at), words, self._view)
