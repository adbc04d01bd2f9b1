"""The first column of a table stays in view while the others are scrolled: whose row it is has to be seen."""

from PyQt6.QtCore import QEvent, QObject, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QTableWidget, QWidget

from pinch.ui import look

INSET = 3


class FirstColumn(QWidget):
    """Lies over the left edge of a table where that is scrolled sideways, and paints its first column there."""

    def __init__(self, table: QTableWidget) -> None:
        super().__init__(table)
        self._table = table
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        across, down = table.horizontalScrollBar(), table.verticalScrollBar()
        assert across is not None and down is not None
        across.valueChanged.connect(lambda _: self.follow())
        down.valueChanged.connect(lambda _: self.update())
        table.itemSelectionChanged.connect(self.update)
        table.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Another size of the table is another height here."""
        if event is not None and event.type() == QEvent.Type.Resize:
            self.follow()
        return False

    def follow(self) -> None:
        """Be there as far as the first column is not."""
        across, view = self._table.horizontalScrollBar(), self._table.viewport()
        assert across is not None and view is not None
        self.setVisible(across.value() > 0)
        if self.isVisible():
            top = self._table.frameWidth()
            self.setGeometry(top, top, self._table.columnWidth(0), view.geometry().bottom() - top + 1)
            self.raise_()
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, table = QPainter(self), look.theme(), self._table
        view, header = table.viewport(), table.horizontalHeader()
        assert view is not None and header is not None
        painter.fillRect(self.rect(), QColor(theme.paper))
        painter.setPen(QColor(theme.quiet))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        above = view.y() - self.y()
        head, name = table.horizontalHeaderItem(0), QRect(INSET, 0, self.width() - 2 * INSET, above)
        painter.setFont(header.font())
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, head.text() if head else "")
        for row in range(max(0, table.rowAt(0)), table.rowCount()):
            top = above + table.rowViewportPosition(row)
            if top > self.height():
                break
            self._paint_row(painter, row, QRect(0, top, self.width() - 1, table.rowHeight(row)))

    def _paint_row(self, painter: QPainter, row: int, place: QRect) -> None:
        item, theme = self._table.item(row, 0), look.theme()
        if item is None:
            return
        if item.isSelected():
            painter.fillRect(place, QColor(theme.window))
        inner = place.adjusted(INSET, 0, -INSET, 0)
        painter.setFont(item.font())
        given = item.foreground()
        painter.setPen(given.color() if given.style() != Qt.BrushStyle.NoBrush else QColor(theme.ink))
        words = painter.fontMetrics().elidedText(item.text(), Qt.TextElideMode.ElideRight, inner.width())
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter, words)
