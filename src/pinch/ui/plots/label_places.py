"""Where the words of a plot stand: beside their point, on the side where they cover least of words and marks."""

import math
from itertools import permutations

import numpy as np
import pyqtgraph as pg
from msgspec import Struct, field
from PyQt6.QtCore import QObject, QPointF, QRectF, QTimer

from pinch.core.runlog import FloatArray

AIR, AROUND = 2.0, 10.0
"""Points that words leave free above, and at either side of them."""
SETTLE_MS = 40
ROUNDS = 2
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
    own = [label.mapToScene(QPointF(0.0, 0.0)) for label, _ in placed.labels]
    sides = [_sides(wanted) for _, wanted in placed.labels]
    areas = [[_area(label, side) for side in choice] for (label, _), choice in zip(placed.labels, sides, strict=True)]
    alone = [
        [
            OUTSIDE * (not room.contains(area))
            + _covered(area, marks, along)
            + MISLEADS * _misleads(area, own, number)
            + ELSEWHERE * n
            for n, area in enumerate(choice)
        ]
        for number, choice in enumerate(areas)
    ]
    for (label, _), choice, best in zip(placed.labels, sides, cheapest_places(areas, alone), strict=True):
        label.setAnchor(choice[best])


def cheapest_places(areas: list[list[QRectF]], alone: list[list[float]]) -> list[int]:
    """Of the areas of each label one, by what each costs alone and by the others that it would cover: one label after
    the other, then again two at a time where one covers another, since one makes room where another went."""
    of = np.split(np.arange(sum(map(len, areas))), np.cumsum([len(choice) for choice in areas])[:-1])
    cost, covers = np.concatenate([*alone, []]), OVER_WORDS * _meeting([area for choice in areas for area in choice])
    chosen = np.empty(0, dtype=int)
    for mine in of:
        chosen = np.append(chosen, mine[np.argmin(cost[mine] + covers[np.ix_(mine, chosen)].sum(axis=1))])
    for one, other in ROUNDS * list(permutations(range(len(of)), 2)):
        if not covers[chosen[one], np.delete(chosen, one)].any():
            continue
        rest, mine, its = np.delete(chosen, [one, other]), of[one], of[other]
        both = (
            (cost[mine] + covers[np.ix_(mine, rest)].sum(axis=1))[:, None]
            + (cost[its] + covers[np.ix_(its, rest)].sum(axis=1))[None, :]
            + covers[np.ix_(mine, its)]
        )
        first, second = np.unravel_index(np.argmin(both), both.shape)
        chosen[one], chosen[other] = mine[first], its[second]
    return [int(best - choice[0]) for best, choice in zip(chosen, of, strict=True)]


def _meeting(areas: list[QRectF]) -> FloatArray:
    """Which of (n,) areas meet, (n, n) of 0 and 1."""
    left, top, right, bottom = np.array([(a.left(), a.top(), a.right(), a.bottom()) for a in areas]).T
    beside = (left[:, None] < right[None, :]) & (left[None, :] < right[:, None])
    above = (top[:, None] < bottom[None, :]) & (top[None, :] < bottom[:, None])
    return np.asarray(beside & above, dtype=float)


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
    """Where words may stand, as anchors: at any corner of their point, beside it, or a line further away from it."""
    x, y = wanted
    if x not in (0.0, 1.0):
        return [wanted]
    near = [(x, y), (x, 1.0 - y), (1.0 - x, y), (1.0 - x, 1.0 - y)]
    beside = [(x, 0.5), (1.0 - x, 0.5)]
    return [*near, *beside, *((a, b - FURTHER if b == 0.0 else b + FURTHER) for a, b in near)]


def _area(label: pg.TextItem, side: tuple[float, float]) -> QRectF:
    """What a label covers in the scene with its anchor at that side."""
    size, at = label.textItem.boundingRect(), label.mapToScene(QPointF(0.0, 0.0))
    corner = QPointF(at.x() - side[0] * size.width(), at.y() - side[1] * size.height())
    return QRectF(corner, size.size()).adjusted(AROUND, AIR, -AROUND, -AIR)


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
