"""Where the words of a plot stand: beside their point, on the side where they cover least of words and marks."""

import math

import numpy as np
import pyqtgraph as pg
from msgspec import Struct, field
from PyQt6.QtCore import QObject, QPointF, QRectF, QTimer

from pinch.core.runlog import FloatArray

AIR, AROUND = 2.0, 10.0
"""Points that words leave free above, and at either side of them."""
SETTLE_MS = 40
PIECES = 80
"""Of a line, at which it is looked whether words cover it."""
NEAR, FURTHER = 5.0, 0.8
OVER_WORDS, OVER_MARK, OVER_LINE, OUTSIDE, MISLEADS, ELSEWHERE = 5.0, 1.0, 0.25, 9.0, 4.0, 0.1
"""What covering other words, a mark, a piece of a line, leaving the plot, standing nearer to a point with
other words, and each further choice than the wanted one count for."""


class PlacedPlot(Struct):
    """A plot with its words, each with the side that is wanted for it, the places of its marks, and places along its
    lines, each (n, 2)."""

    plot: pg.PlotItem
    labels: list[tuple[pg.TextItem, tuple[float, float]]] = field(default_factory=list)
    marks: list[FloatArray] = field(default_factory=list)
    along: list[FloatArray] = field(default_factory=list)

    def has_line(self, x: FloatArray, y: FloatArray) -> None:
        """A line through (n,) points, which words had better not cover."""
        known = np.flatnonzero(np.isfinite(y))
        chosen = known[:: max(1, len(known) // PIECES)]
        self.along.append(np.column_stack([x[chosen], y[chosen]]))


class LabelPlaces(QObject):
    """Places all words anew, a little after the plots have changed their range or their size."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._plots: dict[int, PlacedPlot] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SETTLE_MS)
        self._soon.timeout.connect(self.place)

    def empty(self) -> None:
        """The same plots will hold something else."""
        for placed in self._plots.values():
            placed.labels.clear()
            placed.marks.clear()
            placed.along.clear()

    def forget(self) -> None:
        """Other plots are coming."""
        self._plots.clear()

    def of(self, plot: pg.PlotItem) -> PlacedPlot:
        """What stands in a plot."""
        if id(plot) not in self._plots:
            self._plots[id(plot)] = PlacedPlot(plot)
            plot.getViewBox().sigStateChanged.connect(self._soon.start)
            plot.getViewBox().sigResized.connect(self._soon.start)
        self._soon.start()
        return self._plots[id(plot)]

    def place(self) -> None:
        """Choose a side for all words, one after the other."""
        for placed in self._plots.values():
            if placed.labels:
                _place(placed)


def _place(placed: PlacedPlot) -> None:
    box = placed.plot.getViewBox()
    room = box.mapRectToScene(box.boundingRect())
    marks, along = (_apart(box, places) for places in (placed.marks, placed.along))
    taken: list[QRectF] = []
    own = [label.mapToScene(QPointF(0.0, 0.0)) for label, _ in placed.labels]
    for number, (label, wanted) in enumerate(placed.labels):
        sides = _sides(wanted)
        areas = [_area(label, side) for side in sides]
        costs = [
            _cost(area, room, taken)
            + _covered(area, marks, along)
            + MISLEADS * _misleads(area, own, number)
            + ELSEWHERE * n
            for n, area in enumerate(areas)
        ]
        best = costs.index(min(costs))
        label.setAnchor(sides[best])
        taken.append(areas[best])


def _apart(box: pg.ViewBox, places: list[FloatArray]) -> FloatArray:
    """Places in the scene, (n, 2), one of those that nearly meet."""
    if not places:
        return np.empty((0, 2))
    origin, right, up = (box.mapViewToScene(QPointF(*at)) for at in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
    x, y = np.concatenate(places).T
    scene = np.column_stack(
        [
            origin.x() + x * (right.x() - origin.x()) + y * (up.x() - origin.x()),
            origin.y() + x * (right.y() - origin.y()) + y * (up.y() - origin.y()),
        ]
    )
    scene = scene[np.isfinite(scene).all(axis=1)]
    _, chosen = np.unique(np.round(scene / NEAR), axis=0, return_index=True)
    return np.asarray(scene[chosen])


def _sides(wanted: tuple[float, float]) -> list[tuple[float, float]]:
    """Where words may stand, as anchors: on any side of their point, or a line further away from it."""
    x, y = wanted
    if x not in (0.0, 1.0):
        return [wanted]
    near = [(x, y), (x, 1.0 - y), (1.0 - x, y), (1.0 - x, 1.0 - y)]
    return [*near, *((a, b - FURTHER if b == 0.0 else b + FURTHER) for a, b in near)]


def _area(label: pg.TextItem, side: tuple[float, float]) -> QRectF:
    """What a label covers in the scene with its anchor at that side."""
    size, at = label.textItem.boundingRect(), label.mapToScene(QPointF(0.0, 0.0))
    corner = QPointF(at.x() - side[0] * size.width(), at.y() - side[1] * size.height())
    return QRectF(corner, size.size()).adjusted(AROUND, AIR, -AROUND, -AIR)


def _cost(area: QRectF, room: QRectF, taken: list[QRectF]) -> float:
    over_words = sum(area.intersects(other) for other in taken)
    return OVER_WORDS * over_words + OUTSIDE * (not room.contains(area))


def _covered(area: QRectF, marks: FloatArray, along: FloatArray) -> float:
    return OVER_MARK * _inside(area, marks) + OVER_LINE * _inside(area, along)


def _inside(area: QRectF, places: FloatArray) -> int:
    """How many of (n, 2) places an area covers."""
    corners = (area.left(), area.top()), (area.right(), area.bottom())
    return int(np.count_nonzero(((places >= corners[0]) & (places <= corners[1])).all(axis=1)))


def _misleads(area: QRectF, points: list[QPointF], number: int) -> bool:
    """Whether words stand no further from another point that has words than from their own."""
    away = [_distance(area, point) for point in points]
    return any(other <= away[number] for n, other in enumerate(away) if n != number)


def _distance(area: QRectF, point: QPointF) -> float:
    beside = max(area.left() - point.x(), 0.0, point.x() - area.right())
    above = max(area.top() - point.y(), 0.0, point.y() - area.bottom())
    return math.hypot(beside, above)
