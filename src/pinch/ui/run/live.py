"""Live values, large enough to read from two metres, and their strip charts."""

import pyqtgraph as pg
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pinch.core.channels import unit_of
from pinch.ui import look
from pinch.ui.plots.chart_view import ClockAxis
from pinch.ui.plots.dress import dress
from pinch.ui.run.state import LiveRun, large_value
from pinch.ui.shell.words import label


class BigValue(QWidget):
    """One live value."""

    def __init__(self, caption: str) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        self.value, self.unit = QLabel("–"), label("", "quiet")
        self.value.setFont(look.figure_font(26))
        self.unit.setFont(look.figure_font(11))
        row.addWidget(self.value)
        row.addWidget(self.unit)
        row.addStretch(1)
        column.addWidget(label(caption, "quiet"))
        column.addLayout(row)
        self._caption = caption

    def show_value(self, channel: str, value: float | None) -> None:
        """Show a value of a channel."""
        text, unit = large_value(channel, value)
        self.value.setText(text)
        self.unit.setText(unit)
        self.setAccessibleName(f"{self._caption} {text} {unit}")


class LiveView(QWidget):
    """Values and charts of the run that is being recorded."""

    def __init__(self) -> None:
        super().__init__()
        self._values_row = QHBoxLayout()
        self._graphics = pg.GraphicsLayoutWidget()
        self._graphics.setAccessibleName("Live charts")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._values_row)
        column.addWidget(self._graphics, 1)
        self._shown: list[str] = []
        self.values: dict[str, BigValue] = {}
        self._curves: dict[str, pg.PlotDataItem] = {}

    def clear(self) -> None:
        """Forget the last run."""
        self._build([])

    def refresh(self, live: LiveRun, slot: int) -> None:
        """Draw what came since the last time."""
        wanted = live.shown_channels()
        if [name for name, _ in wanted] != self._shown:
            self._build(wanted, slot)
        for name in self._shown:
            self.values[name].show_value(name, live.values.get(name))
            if name in live.series:
                self._curves[name].setData(live.times[name], live.series[name])

    def _build(self, wanted: list[tuple[str, str]], slot: int = 0) -> None:
        theme = look.theme()
        for widget in self.values.values():
            self._values_row.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self.values = {name: BigValue(caption) for name, caption in wanted}
        for widget in self.values.values():
            self._values_row.addWidget(widget)
        self._graphics.clear()
        self._graphics.setBackground(theme.paper)
        self._curves.clear()
        first = None
        for row, (name, caption) in enumerate(wanted):
            plot = self._graphics.addPlot(row=row, col=0, axisItems={"bottom": ClockAxis("bottom")}, enableMenu=False)
            dress(plot, caption, unit_of(name))
            plot.setMouseEnabled(x=False, y=False)
            plot.getAxis("bottom").setStyle(showValues=row == len(wanted) - 1)
            if first is None:
                first = plot
            else:
                plot.setXLink(first)
            self._curves[name] = plot.plot(pen=pg.mkPen(theme.devices[slot % 6], width=1.0))
        self._shown = [name for name, _ in wanted]
