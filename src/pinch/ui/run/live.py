"""Live values, large enough to read from two metres, their strip charts, and the limiter band as it forms."""

import time

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from pinch.core.channels import unit_of
from pinch.language import tr
from pinch.ui import look
from pinch.ui.plots.chart_view import LEAST_PANEL, STRIP_HEIGHT
from pinch.ui.plots.dress import dress, pen
from pinch.ui.plots.plot_axes import ClockAxis, PlainAxis
from pinch.ui.plots.strip_item import StripItem
from pinch.ui.plots.strip_legend import StripLegend
from pinch.ui.run.settling import SoFar
from pinch.ui.run.state import MOST_SHOWN, LiveRun, large_value
from pinch.ui.shell.scrolled import scrolled
from pinch.ui.shell.words import label

SHARE = 0.05
"""Drawing takes at most this share of the interface's time: what takes longer is drawn less often."""
LARGE, MEDIUM = 34.0, 25.0
FEW = 4
"""So many values fit beside each other in the larger size."""


class BigValue(QWidget):
    """One live value."""

    def __init__(self, caption: str, points: float) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setSpacing(5)
        self.value, self.unit = QLabel("–"), label("", "quiet")
        self.value.setFont(look.figure_font(points, bold=True))
        self.unit.setFont(look.figure_font(11))
        row.addWidget(self.value, 0, Qt.AlignmentFlag.AlignBaseline)
        row.addWidget(self.unit, 0, Qt.AlignmentFlag.AlignBaseline)
        row.addStretch(1)
        column.addWidget(label(caption, "quiet"))
        column.addLayout(row)
        self._caption = caption

    def show_value(self, channel: str, value: float | None) -> None:
        """Show a value of a channel."""
        text, unit = large_value(channel, value)
        if text != self.value.text():
            self.value.setText(text)
            self.unit.setText(unit)
            self.setAccessibleName(f"{self._caption} {text} {unit}")


class LiveView(QWidget):
    """Values and charts of the run that is being recorded."""

    def __init__(self) -> None:
        super().__init__()
        self._values_row = QHBoxLayout()
        self._graphics = pg.GraphicsLayoutWidget()
        self._graphics.ci.setLayoutDirection(Qt.LayoutDirection.LeftToRight)  # time runs on to the right everywhere
        self._graphics.setAccessibleName(tr("Live charts"))
        self._graphics.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.settling = label("", "heading")
        self._legend = StripLegend(title="")
        told = QHBoxLayout()
        told.addWidget(self.settling)
        told.addSpacing(18)
        told.addWidget(self._legend, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._values_row)
        column.addLayout(told)
        self._charts = scrolled(self._graphics)
        column.addWidget(self._charts, 1)
        self._shown: list[str] = []
        self.values: dict[str, BigValue] = {}
        self._curves: dict[str, pg.PlotDataItem] = {}
        self._plots: list[pg.PlotItem] = []
        self._band: StripItem | None = None
        self._due = 0.0
        self.draw_every_s = 0.0

    def fold(self, folded: bool) -> None:
        """Show the last values only, or the charts too."""
        self._charts.setVisible(not folded)
        self.settling.setVisible(not folded)
        self._legend.setVisible(not folded and self._band is not None)

    def clear(self) -> None:
        """Forget the last run."""
        self._build([])
        self.settling.setText("")
        self._legend.show_causes(())

    def refresh(self, live: LiveRun, slot: int) -> None:
        """Show what came since the last time; charts only as often as they can be drawn without disturbing."""
        wanted = live.shown_channels()[:MOST_SHOWN]
        if [name for name, _ in wanted] != self._shown:
            self._build(wanted, slot)
        for name in self._shown:
            self.values[name].show_value(name, live.values.get(name))
        begun = time.thread_time()
        if time.monotonic() < self._due:
            return
        for name in self._shown:
            if name in live.series and len(live.series[name].t):
                line = live.line(name)
                self._curves[name].setData(line.x, line.y, connect="finite")
        if self._plots:
            self._plots[0].setXRange(live.course.from_s, max(live.t_s, live.course.from_s + 10.0), padding=0)
        self._graphics.viewport().repaint()  # now, so that what it takes is known
        self.draw_every_s = (time.thread_time() - begun) / SHARE
        self._due = time.monotonic() + self.draw_every_s

    def show_so_far(self, found: SoFar) -> None:
        """Show what holds the run back, as far as it has come."""
        self.settling.setText(found.words)
        if not self._plots:
            return
        if self._band is not None:
            self._plots[0].removeItem(self._band)
        self._band = StripItem(found.band)
        self._plots[0].addItem(self._band)
        self._legend.show_causes(tuple(dict.fromkeys(s.cause for s in found.band)))

    def _build(self, wanted: list[tuple[str, str]], slot: int = 0) -> None:
        theme = look.theme()
        for widget in self.values.values():
            self._values_row.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        points = LARGE if len(wanted) <= FEW else MEDIUM
        self.values = {name: BigValue(caption, points) for name, caption in wanted}
        for widget in self.values.values():
            self._values_row.addWidget(widget)
        self._graphics.clear()
        self._graphics.setBackground(theme.paper)
        self._graphics.setMinimumHeight(STRIP_HEIGHT + LEAST_PANEL * len(wanted))
        self._curves.clear()
        self._plots, self._band, self._due = [], None, 0.0
        if wanted:
            self._add_band()
        for row, (name, caption) in enumerate(wanted):
            plot = self._new_plot()
            dress(plot, caption, unit_of(name))
            plot.getAxis("bottom").setStyle(showValues=row == len(wanted) - 1)
            self._curves[name] = plot.plot(pen=pen(theme.devices[slot % 6]))
        self._shown = [name for name, _ in wanted]

    def _add_band(self) -> None:
        plot = self._new_plot()
        dress(plot)
        plot.showGrid(x=False, y=False)
        plot.setYRange(0, 1, padding=0)
        plot.setFixedHeight(STRIP_HEIGHT)
        plot.getAxis("left").setTicks([])
        plot.getAxis("left").setPen(pg.mkPen(None))
        plot.hideAxis("bottom")

    def _new_plot(self) -> pg.PlotItem:
        axes = {"bottom": ClockAxis("bottom"), "left": PlainAxis("left")}
        plot = self._graphics.addPlot(row=len(self._plots), col=0, axisItems=axes, enableMenu=False)
        plot.setMouseEnabled(x=False, y=False)
        if self._plots:
            plot.setXLink(self._plots[0])
        self._plots.append(plot)
        return plot
