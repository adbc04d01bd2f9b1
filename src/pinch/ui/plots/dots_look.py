"""How points are drawn on screen."""

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QPainterPath

from pinch.charts.spec import Dots
from pinch.charts.theme import MARKERS
from pinch.ui import look

SYMBOLS = {"square": "s", "circle": "o", "diamond": "d", "triangle": "t1", "plus": "+", "cross": "x"}


class DotsLook(Struct, frozen=True):
    """How a group of dots is drawn; `fill` is None for rings. Dots that were measured can be clicked."""

    symbol: object
    size: float
    colour: str
    width: float
    fill: str | QBrush | None
    is_measured: bool


def dots_look(dots: Dots) -> DotsLook:
    """A ring for a spot, a cross for what was told, an upright stroke for a claim, a hatched diamond for what is
    predicted, else the device's marker."""
    theme = look.theme()
    if dots.spot:
        return DotsLook("o", 17, theme.accent, 2.0, None, False)
    if dots.predicted:
        colour = theme.devices[dots.slot % len(theme.devices)]
        return DotsLook("d", 15, colour, 1.6, look.hatched(colour, Qt.BrushStyle.BDiagPattern), False)
    if dots.told:
        return DotsLook("x", 22 if dots.light else 9, theme.quiet, 1.6, theme.quiet, False)
    if dots.light:
        return DotsLook(_upright(), 22, theme.quiet, 1.6, theme.quiet, False)
    marker = SYMBOLS[MARKERS[dots.slot % len(MARKERS)]]
    return DotsLook(marker, 9, theme.devices[dots.slot % len(theme.devices)], 1.6, theme.paper, True)


def _upright() -> QPainterPath:
    """A thin upright stroke: a claim, where measured points have bodies."""
    path = QPainterPath()
    path.moveTo(0.0, -0.5)
    path.lineTo(0.0, 0.5)
    return path
