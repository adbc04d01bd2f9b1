"""The spine: the pages in the order of the work, each with a live count."""

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QFontMetrics, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QStyle, QVBoxLayout, QWidget

from pinch.ui import look

WIDTH, BEFORE, AFTER, LEAST_COUNT = 132, 19, 12, 40


class SpineEntry(QAbstractButton):
    """One page: its name, its count, and a bar of accent while it is shown."""

    def __init__(self, name: str, key: str) -> None:
        super().__init__()
        self.setText(name)
        self.setCheckable(True)
        self.setToolTip(f"{name} ({key})")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._key, self._count = key, ""
        self._by_keyboard = False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Remember how the focus came: a ring is for those who came by keyboard."""
        reasons = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_keyboard = event is not None and event.reason() in reasons
        super().focusInEvent(event)

    def set_count(self, count: str) -> None:
        """Show a count beside the name."""
        self._count = count
        self.setToolTip(" · ".join(filter(None, (f"{self.text()} ({self._key})", count))))
        self.setAccessibleName(f"{self.text()} {count}".strip())
        self.update()

    def sizeHint(self) -> QSize:
        name = QFontMetrics(look.text_font(10.5, bold=True)).horizontalAdvance(self.text())
        return QSize(max(WIDTH, BEFORE + name + LEAST_COUNT + AFTER), 34)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter, way = look.theme(), QPainter(self), self.layoutDirection()
        if self.isChecked():
            painter.fillRect(self.rect(), QColor(theme.paper))
            bar = QRect(0, 0, 3, self.height())
            painter.fillRect(QStyle.visualRect(way, self.rect(), bar), QColor(theme.accent))
        if self.hasFocus() and self._by_keyboard:
            painter.setPen(QColor(theme.accent))
            painter.drawRect(self.rect().adjusted(4, 2, -3, -3))
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.text_font(10.5, bold=self.isChecked()))
        inside = QStyle.visualRect(way, self.rect(), self.rect().adjusted(BEFORE, 0, -AFTER, 0))
        left, right = (
            QStyle.visualAlignment(way, side) for side in (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight)
        )
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | left, self.text())
        room = inside.width() - painter.fontMetrics().horizontalAdvance(self.text()) - 6
        painter.setPen(QColor(theme.quiet))
        painter.setFont(look.figure_font(8.5))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | right, self._that_fits(painter.fontMetrics(), room))

    def _that_fits(self, metrics: QFontMetrics, room: int) -> str:
        """The count, without its last word where it is too long."""
        shorter = self._count.rpartition(" ")[0]
        fits = metrics.horizontalAdvance(self._count) <= room or not shorter
        return metrics.elidedText(self._count if fits else shorter, Qt.TextElideMode.ElideRight, room)


class Wordmark(QWidget):
    """The name and the two wedges that pinch."""

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 48)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter = look.theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.text_font(14, bold=True))
        room = QStyle.visualRect(self.layoutDirection(), self.rect(), QRect(17, 0, 78, self.height()))
        side = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignAbsolute
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | side, "Pinch")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.accent))
        box = QRectF(room.left() + 61, self.height() / 2 - 6, 16, 12)
        middle = box.center()
        for edge in (box.left(), box.right()):
            tip = middle.x() - 0.5 if edge == box.left() else middle.x() + 0.5
            corners = (edge, box.top()), (tip, middle.y()), (edge, box.bottom())
            painter.drawPolygon(QPolygonF(QPointF(x, y) for x, y in corners))


class Spine(QWidget):
    """The list of pages. `chosen` gives the page's place."""

    chosen = pyqtSignal(int)

    def __init__(self, pages: list[str]) -> None:
        super().__init__()
        self.setObjectName("spine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 1, 0)
        column.setSpacing(0)
        column.addWidget(Wordmark())
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        self.entries = [SpineEntry(name, f"Alt+{number}") for number, name in enumerate(pages, 1)]
        self.setFixedWidth(max(entry.sizeHint().width() for entry in self.entries))
        for number, entry in enumerate(self.entries):
            self._group.addButton(entry, number)
            column.addWidget(entry)
        self._group.idClicked.connect(self.chosen)
        column.addStretch(1)

    def show_page(self, number: int) -> None:
        """Mark a page as the one shown."""
        self.entries[number].setChecked(True)
