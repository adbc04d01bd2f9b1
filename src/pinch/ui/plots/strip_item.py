"""The limiter strip: stretches told apart by hatch as well as by colour."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from pyqtgraph import GraphicsObject

from pinch.charts.spec import CauseStretch
from pinch.core.causes import Cause
from pinch.ui import look

STROKES = {
    ".": Qt.BrushStyle.Dense6Pattern,
    "-": Qt.BrushStyle.HorPattern,
    "/": Qt.BrushStyle.BDiagPattern,
    "|": Qt.BrushStyle.VerPattern,
    "x": Qt.BrushStyle.DiagCrossPattern,
    "+": Qt.BrushStyle.CrossPattern,
    "\\": Qt.BrushStyle.FDiagPattern,
}
"""The strokes of hatches; pictures in files take the same ones by their signs."""


class StripItem(GraphicsObject):  # type: ignore[misc]
    """Draws stretches between y 0 and 1, those that are arguable in halves; the hatch keeps its size at every zoom."""

    def __init__(self, stretches: tuple[CauseStretch, ...]) -> None:
        super().__init__()
        self._stretches = stretches

    def boundingRect(self) -> QRectF:
        if not self._stretches:
            return QRectF()
        start, end = self._stretches[0].start, self._stretches[-1].end
        return QRectF(start, 0.0, end - start, 1.0)

    def paint(self, painter: QPainter, *_: object) -> None:
        to_device = painter.transform()
        painter.save()
        painter.resetTransform()
        painter.setPen(Qt.PenStyle.NoPen)
        for s in self._stretches:
            rect = to_device.mapRect(QRectF(s.start, 0.0, s.end - s.start, 1.0))
            paint_cause(painter, rect, s.cause)
            if s.second is not None:
                paint_cause(painter, rect.adjusted(0.0, rect.height() / 2.0, 0.0, 0.0), s.second)
        painter.restore()


def paint_cause(painter: QPainter, rect: QRectF, cause: Cause) -> None:
    """Fill a rectangle with the colour and hatch of a cause."""
    fill, line = look.theme().causes[cause]
    painter.fillRect(rect, QColor(fill))
    paint_hatch(painter, rect, line, cause.hatch)


def paint_hatch(painter: QPainter, rect: QRectF, colour: str, hatch: str) -> None:
    """Lay the strokes of a hatch over a rectangle."""
    for stroke in dict.fromkeys(hatch):
        painter.fillRect(rect, look.hatched(colour, STROKES[stroke]))
