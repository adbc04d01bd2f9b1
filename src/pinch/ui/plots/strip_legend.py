"""What the hatches of the limiter strip mean."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from pinch.core.causes import Cause
from pinch.language import tr
from pinch.ui import look
from pinch.ui.plots.dress import AXIS_WIDTH
from pinch.ui.plots.strip_item import paint_cause
from pinch.ui.shell.words import label


class StripLegend(QWidget):
    """The causes that occur, with their hatches."""

    def __init__(self, title: str = tr("What held it")) -> None:
        super().__init__()
        self._title = title
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(AXIS_WIDTH + 4 if title else 0, 0, 0, 0)
        self._row.setSpacing(14)

    def show_causes(self, causes: tuple[Cause, ...]) -> None:
        """Name these causes; none hides the legend."""
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.setVisible(bool(causes))
        if self._title:
            self._row.addWidget(label(self._title, "heading"))
        self._row.addStretch(1)
        for cause in causes:
            self._row.addWidget(CauseSwatch(cause))
            self._row.addWidget(QLabel(cause.label))


class CauseSwatch(QWidget):
    """A small sample of a cause's colour and hatch."""

    def __init__(self, cause: Cause) -> None:
        super().__init__()
        self._cause = cause
        self.setFixedSize(16, 12)
        self.setAccessibleName(cause.label)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_cause(painter, QRectF(self.rect()), self._cause)
        painter.setPen(QColor(look.theme().hairline))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
