"""The spine: the pages in the order of the work, each with a live count."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui import look


class SpineEntry(QAbstractButton):
    """One page: its name, its count, and a bar of accent while it is shown."""

    def __init__(self, name: str, key: str) -> None:
        super().__init__()
        self.setText(name)
        self.setCheckable(True)
        self.setToolTip(f"{name} ({key})")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._count = ""
        self._by_keyboard = False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Remember how the focus came: a ring is for those who came by keyboard."""
        reasons = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_keyboard = event is not None and event.reason() in reasons
        super().focusInEvent(event)

    def set_count(self, count: str) -> None:
        """Show a count beside the name."""
        self._count = count
        self.setAccessibleName(f"{self.text()} {count}".strip())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(132, 34)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter = look.theme(), QPainter(self)
        if self.isChecked():
            painter.fillRect(self.rect(), QColor(theme.paper))
            painter.fillRect(0, 0, 3, self.height(), QColor(theme.accent))
        if self.hasFocus() and self._by_keyboard:
            painter.setPen(QColor(theme.accent))
            painter.drawRect(self.rect().adjusted(4, 2, -3, -3))
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.text_font(10.5, bold=self.isChecked()))
        inside = self.rect().adjusted(19, 0, -12, 0)
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.text())
        painter.setPen(QColor(theme.quiet))
        painter.setFont(look.figure_font(8.5))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self._count)


class Wordmark(QWidget):
    """The name and the two wedges that pinch."""

    def sizeHint(self) -> QSize:
        return QSize(132, 48)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter = look.theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.text_font(14, bold=True))
        painter.drawText(self.rect().adjusted(17, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, tr("Pinch"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.accent))
        box = QRectF(78, self.height() / 2 - 6, 16, 12)
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
        self.setFixedWidth(132)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 1, 0)
        column.setSpacing(0)
        column.addWidget(Wordmark())
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        self.entries = [SpineEntry(name, f"Alt+{number}") for number, name in enumerate(pages, 1)]
        for number, entry in enumerate(self.entries):
            self._group.addButton(entry, number)
            column.addWidget(entry)
        self._group.idClicked.connect(self.chosen)
        column.addStretch(1)

    def show_page(self, number: int) -> None:
        """Mark a page as the one shown."""
        self.entries[number].setChecked(True)
