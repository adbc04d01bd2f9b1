"""How every plot is dressed: axes, grid, title, in the theme's colours."""

from html import escape

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPen
from PyQt6.QtWidgets import QGraphicsItem

from pinch.ui import look

AXIS_WIDTH = 58
GRID_ALPHA = 0.55
BELOW_PX = 6
"""From a plot to the numbers below it, beside which the lowest of its left axis stands."""

pg.setConfigOptions(antialias=True)


def pen(colour: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A pen so many points wide: those of plots keep their width when zoomed, and would be in a screen's own pixels."""
    made = QPen(QColor(colour), width * look.screen_scale(), style)
    made.setCosmetic(True)
    return made


def dress(plot: pg.PlotItem, title: str = "", unit: str = "", key: tuple[tuple[str, int], ...] = ()) -> None:
    """Give a plot the look of the notebook; values on the bottom axis are shown only where asked for. `key` names
    series with their slots after the title."""
    theme = look.theme()
    plot.hideButtons()
    plot.showGrid(y=True, alpha=GRID_ALPHA)
    if title:
        quiet_unit = f"<span style='color:{theme.quiet}'>{escape(unit)}</span>"
        names = "".join(
            f" &nbsp; <span style='color:{theme.letters(slot)}'><b>{'╌╌' if slot >= len(theme.devices) else '──'} "
            f"{escape(name)}</b></span>"
            for name, slot in key
        )
        plot.setTitle(f"<b>{escape(title)}</b> {quiet_unit}{names}", color=theme.ink, size="9.5pt", justify="left")
        plot.titleLabel.setAttr("justify", "left")
    for side in ("left", "bottom", "right"):
        axis = plot.getAxis(side)
        axis.setPen(pg.mkPen(None) if side == "right" else pen(theme.hairline))
        axis.setTextPen(pg.mkPen(theme.quiet))
        axis.setTickFont(look.figure_font(8))
        axis.setStyle(tickLength=0, hideOverlappingLabels=False)
        axis.enableAutoSIPrefix(False)  # units are told as they are; and the label would be set anew at every step
        if side != "bottom":
            axis.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)  # it stays while the chart is panned
    plot.getAxis("left").setWidth(AXIS_WIDTH)
    plot.getAxis("bottom").setStyle(showValues=False, tickTextOffset=BELOW_PX)
