"""A bar chart on screen."""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QWidget

from pinch.charts.bar_chart import Bar, BarChart, BarGroup
from pinch.charts.theme import LIGHT_FILL
from pinch.language import tr
from pinch.ui import look

HEADING, ROW, GAP = 24, 22, 8
MOST_ROW = 46
THICK, THIN = 15 / ROW, 11 / ROW
"""Of a row, the bar of the subject and of the others."""
VALUE_WIDTH, WORDS_SHARE, LABEL_SHARE = 66, 0.30, 0.27


class BarsView(QScrollArea):
    """Groups of bars below each other, scrolled where there are many."""

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._drawn = _Drawn()
        self.setWidget(self._drawn)
        self.setAccessibleName(tr("Bars"))

    @property
    def chart(self) -> BarChart | None:
        """The chart that is shown."""
        return self._drawn.chart

    def show_chart(self, chart: BarChart | None) -> None:
        """Show a chart in place of the old one."""
        self._drawn.show_chart(chart)
        self.setAccessibleDescription(chart.alternative if chart else "")


class _Drawn(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.chart: BarChart | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def show_chart(self, chart: BarChart | None) -> None:
        self.chart = chart
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        groups = self.chart.groups if self.chart else ()
        return QSize(400, sum(HEADING + ROW * len(g.bars) + GAP for g in groups))

    def _row(self) -> float:
        """How high a row is: as high as there is room for, within bounds."""
        groups = self.chart.groups if self.chart else ()
        rows = sum(len(g.bars) for g in groups) or 1
        return min(MOST_ROW, max(ROW, (self.height() - (HEADING + GAP) * len(groups)) / rows))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(look.theme().paper))
        top, row = 0.0, self._row()
        for group in self.chart.groups if self.chart else ():
            painter.setPen(QColor(look.theme().ink))
            painter.setFont(look.text_font(10, bold=True))
            painter.drawText(QPointF(0.0, top + 16.0), group.title)
            top += HEADING
            for bar in group.bars:
                self._paint_bar(painter, bar, group, top, row)
                top += row
            top += GAP

    def _paint_bar(self, painter: QPainter, bar: Bar, group: BarGroup, top: float, row: float) -> None:
        theme, width = look.theme(), self.width()
        left, words_at = LABEL_SHARE * width, (1.0 - WORDS_SHARE) * width
        room = words_at - VALUE_WIDTH - left
        painter.setFont(look.text_font(10, bold=bar.subject))
        painter.setPen(QColor(theme.ink))
        middle = Qt.AlignmentFlag.AlignVCenter
        label = painter.fontMetrics().elidedText(bar.label, Qt.TextElideMode.ElideMiddle, int(left) - 10)
        painter.drawText(QRectF(0, top, left - 8, row), middle | Qt.AlignmentFlag.AlignRight, label)
        colour = QColor(theme.devices[bar.slot % len(theme.devices)])
        colour.setAlphaF(1.0 if bar.subject else LIGHT_FILL)
        high = row * (THICK if bar.subject else THIN)
        reach = room / group.longest
        painter.fillRect(QRectF(left, top + (row - high) / 2, bar.value * reach, high), colour)
        if math.isfinite(bar.low):
            painter.setPen(QPen(QColor(theme.ink), 1.4))
            y = top + row / 2
            ends = [left + x * reach for x in (bar.low, bar.high)]
            painter.drawLine(QPointF(ends[0], y), QPointF(ends[1], y))
            for x in ends:
                painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.figure_font(9, bold=bar.subject))
        painter.drawText(
            QRectF(words_at - VALUE_WIDTH + 6, top, VALUE_WIDTH - 6, row), middle, group.printed[group.bars.index(bar)]
        )
        painter.setPen(QColor(theme.quiet))
        painter.setFont(look.text_font(9.5))
        words = painter.fontMetrics().elidedText(bar.words, Qt.TextElideMode.ElideRight, int(width - words_at) - 2)
        painter.drawText(QRectF(words_at, top, width - words_at, row), middle, words)
