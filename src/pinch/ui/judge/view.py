"""The Judge page: finding, figures in a row, limiter strip and charts on one time axis."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from pinch.charts.spec import unbroken
from pinch.core.explain import Explanation
from pinch.ui import look
from pinch.ui.judge.state import Card, JudgedRun
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.shell.words import hairline, label


class FigureCard(QAbstractButton):
    """A figure that can be clicked."""

    def __init__(self, card: Card) -> None:
        super().__init__()
        self.card = card
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{card.caption}: {card.value} {card.unit}, {card.second}")
        self.setToolTip("Show where this figure comes from")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(130, 70)

    def minimumSizeHint(self) -> QSize:
        return QSize(96, 70)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter, card = look.theme(), QPainter(self), self.card
        left = 10
        if self.isChecked() or self.hasFocus():
            painter.fillRect(0, self.height() - 3, self.width() - 1, 3, QColor(theme.accent))
        painter.setPen(QColor(theme.hairline))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        painter.setPen(QColor(theme.quiet))
        painter.setFont(look.text_font(8.5))
        painter.drawText(left, 18, self._fitted(painter, card.caption))
        painter.drawText(left, 60, self._fitted(painter, card.second))
        painter.setFont(look.figure_font(15))
        painter.setPen(QColor(theme.ink))
        painter.drawText(left, 42, card.value)
        width = painter.fontMetrics().horizontalAdvance(card.value)
        painter.setFont(look.figure_font(9))
        painter.setPen(QColor(theme.quiet))
        painter.drawText(left + width + 5, 42, card.unit)

    def _fitted(self, painter: QPainter, text: str) -> str:
        return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.width() - 14)


class JudgeView(QWidget):
    """`explained` gives what the margin is to show."""

    explained = pyqtSignal(Explanation)
    chart_wanted = pyqtSignal()
    log_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart_button = QPushButton("Chart …")
        self._chart_button.setToolTip("Write the chart as PNG or SVG (Ctrl+E)")
        self._log_button = QPushButton("Log …")
        self._log_button.setToolTip("Write the log as CSV with datapackage.json (Ctrl+Shift+E)")
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        top.addWidget(self._chart_button, 0, Qt.AlignmentFlag.AlignTop)
        top.addWidget(self._log_button, 0, Qt.AlignmentFlag.AlignTop)
        self._cards = QHBoxLayout()
        self._cards.setSpacing(0)
        self._group = QButtonGroup(self)
        self.chart = ChartView()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(8)
        column.addLayout(top)
        self._upper, self._lower = hairline(), hairline()
        column.addWidget(self._upper)
        column.addLayout(self._cards)
        column.addWidget(self._lower)
        column.addWidget(self.chart, 1)
        self._filler = QWidget()
        column.addWidget(self._filler, 1)
        self._shown: JudgedRun | None = None
        self._chart_button.clicked.connect(self.chart_wanted)
        self._log_button.clicked.connect(self.log_wanted)
        self.chart.strip_clicked.connect(self._strip_clicked)
        self._group.buttonClicked.connect(lambda button: self.explained.emit(button.card.explanation))

    @property
    def shown(self) -> JudgedRun | None:
        """The run on the page."""
        return self._shown

    @property
    def cards(self) -> list[FigureCard]:
        """The figures on the page."""
        return [button for button in self._group.buttons() if isinstance(button, FigureCard)]

    def show_run(self, judged: JudgedRun, slot: int) -> None:
        """Show a judged run."""
        same = self._shown is not None and self._shown.run.id == judged.run.id
        self._shown = judged
        self.headline.setText(unbroken(judged.headline))
        self._fill_cards(judged.cards())
        self.chart.show_chart(judged.chart(slot), keep_range=same)
        self._set_there(True)

    def show_nothing(self, why: str) -> None:
        """Say why there is no judgement."""
        self._shown = None
        self.headline.setText(why)
        self._fill_cards([])
        self.chart.clear()
        self._set_there(False)

    def _set_there(self, there: bool) -> None:
        for part in (self._chart_button, self._log_button, self._upper, self._lower, self.chart):
            part.setVisible(there)
        self._filler.setVisible(not there)

    def _fill_cards(self, cards: list[Card]) -> None:
        for button in self._group.buttons():
            self._group.removeButton(button)
            self._cards.removeWidget(button)
            button.hide()
            button.deleteLater()
        for card in cards:
            button = FigureCard(card)
            self._group.addButton(button)
            self._cards.addWidget(button)

    def _strip_clicked(self, t_s: float) -> None:
        found = self._shown.explain_at(t_s) if self._shown else None
        if found is not None:
            self.explained.emit(found)
