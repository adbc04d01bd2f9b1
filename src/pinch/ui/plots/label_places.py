"""Where the words of a plot stand: beside their point, on the side where they cover least of words and marks."""

import math
from dataclasses import dataclass, field

import pyqtgraph as pg
from PyQt6.QtCore import QObject, QPointF, QRectF, QTimer

AIR, AROUND = 2.0, 10.0
"""Points that words leave free above, and at either side of them."""
SETTLE_MS = 40
NEAR, FURTHER = 5.0, 0.8
OVER_WORDS, OVER_MARK, OUTSIDE, MISLEADS, ELSEWHERE = 5.0, 1.0, 9.0, 4.0, 0.1
"""What covering other words, a mark, leaving the plot, standing nearer to a point with other words, and each further
choice than the wanted one count for."""


@dataclass
class PlacedPlot:
    """A plot with its words, each with the side that is wanted for it, and the places of its marks."""

    plot: pg.PlotItem
    labels: list[tuple[pg.TextItem, tuple[float, float]]] = field(default_factory=list)
    marks: list[tuple[float, float]] = field(default_factory=list)


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
    points = (box.mapViewToScene(QPointF(x, y)) for x, y in placed.marks)
    marks = list({(round(p.x() / NEAR), round(p.y() / NEAR)): p for p in points}.values())
    taken: list[QRectF] = []
    own = [label.mapToScene(QPointF(0.0, 0.0)) for label, _ in placed.labels]
    for number, (label, wanted) in enumerate(placed.labels):
        sides = _sides(wanted)
        areas = [_area(label, side) for side in sides]
        costs = [
            _cost(area, room, marks, taken) + MISLEADS * _misleads(area, own, number) + ELSEWHERE * n
            for n, area in enumerate(areas)
        ]
        best = costs.index(min(costs))
        label.setAnchor(sides[best])
        taken.append(areas[best])


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


def _cost(area: QRectF, room: QRectF, marks: list[QPointF], taken: list[QRectF]) -> float:
    over_words = sum(area.intersects(other) for other in taken)
    over_marks = sum(area.contains(mark) for mark in marks)
    return OVER_WORDS * over_words + OVER_MARK * over_marks + OUTSIDE * (not room.contains(area))


def _misleads(area: QRectF, points: list[QPointF], number: int) -> bool:
    """Whether words stand no further from another point that has words than from their own."""
    away = [_distance(area, point) for point in points]
    return any(other <= away[number] for n, other in enumerate(away) if n != number)


def _distance(area: QRectF, point: QPointF) -> float:
    beside = max(area.left() - point.x(), 0.0, point.x() - area.right())
    above = max(area.top() - point.y(), 0.0, point.y() - area.bottom())
    return math.hypot(beside, above)
