"""The drawn run sheet: a row a day, blocks by kind along the clock."""

import math

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from pinch.charts.runsheet_chart import BLOCK_KINDS, Block, SheetChart, clock
from pinch.charts.theme import block_look
from pinch.language import tr
from pinch.ui import look
from pinch.ui.plots.strip_item import paint_hatch

ROW = 26
KEY, AXIS, LABEL = 20, 18, 74
MOST_ROWS = 7


class Timeline(QWidget):
    """`line_clicked` gives the number of the sheet's line that a block belongs to."""

    line_clicked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.chart: SheetChart | None = None
        self._chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)

    def show_chart(self, chart: SheetChart) -> None:
        """Draw a run sheet."""
        self.chart = chart
        self.setAccessibleName(chart.alternative)
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def choose(self, line: int) -> None:
        """Point out the block of a line."""
        self._chosen = line
        self.update()

    def sizeHint(self) -> QSize:
        rows = min(MOST_ROWS, len(self.chart.rows)) if self.chart else 0
        return QSize(600, KEY + AXIS + ROW * rows)

    def block_at(self, place: QPointF) -> Block | None:
        """The block below a point."""
        if self.chart is None:
            return None
        for number, row in enumerate(self.chart.rows[:MOST_ROWS]):
            for block in row.blocks:
                if self._box(number, block).contains(place):
                    return block
        return None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.chart is None or not self.chart.rows:
            return
        painter, theme = QPainter(self), look.theme()
        self._draw_key(painter)
        bottom = KEY + ROW * min(MOST_ROWS, len(self.chart.rows))
        span = self.chart.last_h - self.chart.first_h
        most = max(4, self.width() // 70)
        step = next(
            (s for s in (0.5, 1, 2, 3, 4, 6, 8, 12, 24) if span / s <= most), 24.0 * math.ceil(span / 24.0 / most)
        )
        painter.setFont(look.figure_font(7.5))
        hour = self.chart.first_h
        while hour <= self.chart.last_h + 1e-9:
            x = self._x(hour)
            painter.setPen(QColor(theme.hairline))
            painter.drawLine(QPointF(x, KEY), QPointF(x, bottom))
            painter.setPen(QColor(theme.quiet))
            box = QRectF(min(x - 30, self.width() - 60), bottom, 60, AXIS)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, clock(hour))
            hour += step
        for number, row in enumerate(self.chart.rows[:MOST_ROWS]):
            painter.setPen(QColor(theme.quiet))
            painter.setFont(look.text_font(8.5))
            box = QRectF(0, KEY + ROW * number, LABEL - 8, ROW)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, row.label)
            for block in row.blocks:
                self._draw_block(painter, self._box(number, block), block.kind, block.slot, block.line == self._chosen)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (block := self.block_at(event.position())) is not None:
            self.line_clicked.emit(block.line)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            block = self.block_at(QPointF(event.pos()))
            words = (
                tr(
                    "{begin} to {end}: {block}",
                    begin=clock(block.start_h),
                    end=clock(block.end_h),
                    block=block.words,
                )
                if block
                else ""
            )
            QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)

    def _x(self, hour: float) -> float:
        assert self.chart is not None
        share = (hour - self.chart.first_h) / (self.chart.last_h - self.chart.first_h)
        return LABEL + share * (self.width() - LABEL - 24)

    def _box(self, row: int, block: Block) -> QRectF:
        left, right = self._x(block.start_h), self._x(block.end_h)
        return QRectF(left, KEY + ROW * row + 4, max(1.5, right - left), ROW - 8)

    def _draw_block(self, painter: QPainter, box: QRectF, kind: str, slot: int, chosen: bool) -> None:
        theme = look.theme()
        fill, line, hatch = block_look(kind, slot, theme)
        painter.fillRect(box, QColor(fill))
        paint_hatch(painter, box, line, hatch)
        if kind in ("done", "void", "run"):
            painter.setPen(QPen(QColor(theme.paper if kind == "run" else line), 1.0))
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
        if chosen:
            painter.setPen(QPen(QColor(theme.accent), 2.0))
            painter.drawRect(box.adjusted(-1, -2, 1, 2))

    def _draw_key(self, painter: QPainter) -> None:
        assert self.chart is not None
        painter.setFont(look.text_font(8.5))
        x = 0.0
        for kind in self.chart.kinds:
            self._draw_block(painter, QRectF(x, 4, 14, 11), kind, self.chart.slot, False)
            words = BLOCK_KINDS[kind]
            width = painter.fontMetrics().horizontalAdvance(words) + 8
            painter.setPen(QColor(look.theme().quiet))
            painter.drawText(QRectF(x + 19, 0, width, KEY), Qt.AlignmentFlag.AlignVCenter, words)
            x += 19 + width + 12
