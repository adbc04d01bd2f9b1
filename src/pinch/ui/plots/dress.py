"""How every plot is dressed: axes, grid, title, in the theme's colours."""

from html import escape

import pyqtgraph as pg

from pinch.ui import look

AXIS_WIDTH = 58
GRID_ALPHA = 0.55

pg.setConfigOptions(antialias=True)


def dress(plot: pg.PlotItem, title: str = "", unit: str = "") -> None:
    """Give a plot the look of the notebook; values on the bottom axis are shown only where asked for."""
    theme = look.theme()
    plot.hideButtons()
    plot.showGrid(y=True, alpha=GRID_ALPHA)
    if title:
        quiet_unit = f"<span style='color:{theme.quiet}'>{escape(unit)}</span>"
        plot.setTitle(f"<b>{escape(title)}</b> {quiet_unit}", color=theme.ink, size="9.5pt", justify="left")
        plot.titleLabel.setAttr("justify", "left")
    for side in ("left", "bottom", "right"):
        axis = plot.getAxis(side)
        axis.setPen(pg.mkPen(None if side == "right" else theme.hairline))
        axis.setTextPen(pg.mkPen(theme.quiet))
        axis.setTickFont(look.figure_font(8))
        axis.setStyle(tickLength=0, hideOverlappingLabels=False)
    plot.getAxis("left").setWidth(AXIS_WIDTH)
    plot.getAxis("bottom").setStyle(showValues=False)
