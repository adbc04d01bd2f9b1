"""The Judge page: finding, figures in a row, limiter strip and charts on one time axis."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from pinch.charts.spec import Chart, unbroken
from pinch.language import tr
from pinch.narrative.explanation import Explanation
from pinch.ui import look
from pinch.ui.judge.panes import FramesPane, HeatPane, OverlayPane
from pinch.ui.judge.pictures_pane import PicturesPane
from pinch.ui.judge.runs_pane import RunsPane
from pinch.ui.judge.state import JudgedRun, ShownFigure
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.shell.scrolled import scrolled
from pinch.ui.shell.words import hairline, label
from pinch.ui.whatif.pane import WhatIfPane

TABS = (tr("Time"), tr("Frames"), tr("Heat"), tr("What if"), tr("All runs"), tr("Overlay"), tr("Pictures"))
TIME, FRAMES, HEAT, WHAT_IF, RUNS, OVERLAY, PICTURES = range(7)
CURSOR_HINT = tr("Move over the chart for values; Ctrl+Right: next event; the wheel zooms; Ctrl+0: all of it.")


class FigureCard(QAbstractButton):
    """A figure that can be clicked."""

    def __init__(self, card: ShownFigure) -> None:
        super().__init__()
        self.card = card
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{card.caption}: {card.value} {card.unit}, {card.second}")
        self.setToolTip(tr("Show where this figure comes from"))
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
        painter.drawText(left + width + 5, 42, self._fitted(painter, card.unit, width + 5))

    def _fitted(self, painter: QPainter, text: str, after: int = 0) -> str:
        return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.width() - 14 - after)


class BudgetQuestion(QWidget):
    """Asks once, where a log cannot tell, whether processor and graphics share one budget; `told` gives the answer."""

    told = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.words = label("", "quiet", wrap=True)
        self.shared, self.separate = QPushButton(tr("They share one")), QPushButton(tr("Each has its own"))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.words, 1)
        for button, answer in ((self.shared, True), (self.separate, False)):
            button.setProperty("role", "small")
            button.clicked.connect(lambda _, answer=answer: self.told.emit(answer))
            row.addWidget(button)
        self.setVisible(False)

    def ask(self, device: str) -> None:
        """Ask about a device."""
        self.words.setText(
            tr("Do processor and graphics of {device} share one budget of power? This log cannot tell.", device=device)
        )


class JudgeView(PageView):
    """`explained` gives what the margin is to show."""

    explained = pyqtSignal(Explanation)
    chart_wanted = pyqtSignal()
    log_wanted = pyqtSignal()
    window_chosen = pyqtSignal(float, float)
    tab_turned = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart_button = QPushButton(tr("Chart …"))
        self._chart_button.setToolTip(tr("Write the chart as PNG, SVG or PDF (Ctrl+E)"))
        self._log_button = QPushButton(tr("Log …"))
        self._log_button.setToolTip(tr("Write the log as CSV with datapackage.json (Ctrl+Shift+E)"))
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        top.addWidget(self._chart_button, 0, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight)
        top.addWidget(self._log_button, 0, Qt.AlignmentFlag.AlignTop)
        self._figures = QWidget()
        self._cards = QHBoxLayout(self._figures)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(0)
        self._group = QButtonGroup(self)
        self.chart = ChartView()
        self.frames, self.heat, self.runs, self.overlay = FramesPane(), HeatPane(), RunsPane(), OverlayPane()
        self.pictures, self.what_if = PicturesPane(), WhatIfPane(with_course=True)
        self.tabs, self.below = QTabBar(), PageStack()
        self.tabs.setAccessibleName(tr("Part of the judgement"))
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setElideMode(Qt.TextElideMode.ElideNone)
        self.values = label("", "quiet")
        self.values.setAccessibleName(tr("Values at the cursor"))
        self.move_window = QPushButton(tr("Move the window"))
        self.move_window.setToolTip(tr("Drag the shaded settled window; it is kept with your reason (Ctrl+Shift+W)"))
        self.move_window.setCheckable(True)
        self.move_window.setProperty("role", "small")
        time = QWidget()
        inside = QVBoxLayout(time)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(2)
        inside.addWidget(scrolled(self.chart), 1)
        inside.addWidget(self.values)
        self._slot = 0
        frames, heat, what_if, overlay = map(scrolled, (self.frames, self.heat, self.what_if, self.overlay))
        panes = (time, frames, heat, what_if, self.runs, overlay, self.pictures)
        for name, pane in zip(TABS, panes, strict=True):
            self.tabs.addTab(name)
            self.below.addWidget(pane)
        bar = QHBoxLayout()
        bar.addWidget(self.tabs)
        bar.addStretch(1)
        bar.addWidget(self.move_window)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(8)
        column.addLayout(top)
        self.budget = BudgetQuestion()
        column.addWidget(self.budget)
        self._upper, self._lower = hairline(), hairline()
        column.addWidget(self._upper)
        column.addWidget(self._figures)
        column.addWidget(self._lower)
        column.addLayout(bar)
        column.addWidget(self.below, 1)
        self._shown: JudgedRun | None = None
        self._at: float | None = None
        self._chart_button.clicked.connect(self.chart_wanted)
        self._log_button.clicked.connect(self.log_wanted)
        self.chart.strip_clicked.connect(self._strip_clicked)
        self.chart.cursor_moved.connect(self._show_values)
        self.chart.window_dragged.connect(self.window_chosen)
        self.move_window.toggled.connect(self.chart.let_window_move)
        self.tabs.currentChanged.connect(self._turn)
        for pane in (self.frames, self.heat):
            pane.table.explained.connect(self.explained)
        self.what_if.explained.connect(self.explained)
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
        """Show a judged run; one that is shown is not drawn again."""
        if slot == self._slot and judged.is_same(self._shown):
            return
        same = self._shown is not None and self._shown.run.id == judged.run.id
        self._shown, self._slot = judged, slot
        self._at = self._at if same else None
        self.draw(keep_range=same)

    def draw(self, keep_range: bool = True) -> None:
        """Draw the run that is shown."""
        if self._shown is None:
            return
        self.headline.setText(unbroken(self._shown.headline))
        self.budget.ask(self._shown.device.name)
        self._fill_cards(self._shown.cards())
        self.move_window.setChecked(False)
        self.chart.show_chart(self._shown.chart(self._slot), keep_range=keep_range)
        self.values.setText(CURSOR_HINT)
        self._show_pane()
        self._set_there(True)

    @property
    def written(self) -> Chart | None:
        """The chart of the tab that is shown; of the list there is none."""
        predicted = self.what_if.chart.chart if self.what_if.chart is not None else None
        panes = {FRAMES: self.frames.chart, HEAT: self.heat.chart, WHAT_IF: predicted, OVERLAY: self.overlay.chart}
        return panes.get(self.tabs.currentIndex(), self.chart.chart)

    def fit(self) -> None:
        """Show all of the charts of the tab."""
        pane = self.below.currentWidget()
        for view in pane.findChildren(ChartView) if pane is not None else ():
            view.fit()

    def step_event(self, by: int) -> None:
        """Put the cursor to the next (1) or the previous (−1) event of the run, and explain it."""
        if self._shown is None:
            return
        events = self._shown.events()
        at = self._at if self._at is not None else events[0] - 1.0
        following = [t for t in events if (t > at + 1e-6 if by > 0 else t < at - 1e-6)]
        if following:
            self.tabs.setCurrentIndex(TIME)
            self.chart.put_cursor(following[0] if by > 0 else following[-1])
            self._strip_clicked(self._at or 0.0)

    def _show_values(self, t_s: float) -> None:
        self._at = t_s
        if self._shown is not None:
            self.values.setText(self._shown.values_at(t_s))

    def _turn(self, tab: int) -> None:
        self.below.setCurrentIndex(tab)
        self._set_there(self._shown is not None)
        self._show_pane()
        self.tab_turned.emit(tab)

    def _show_pane(self) -> None:
        """Frames and heat are drawn once they are looked at."""
        if self._shown is None:
            return
        if self.tabs.currentIndex() == FRAMES:
            self.frames.show_run(self._shown, self._slot)
        elif self.tabs.currentIndex() == HEAT:
            self.heat.show_run(self._shown, self._slot)

    def show_nothing(self, why: str) -> None:
        """Say why there is no judgement."""
        self._shown = None
        self.headline.setText(why)
        self._fill_cards([])
        self.chart.clear()
        self._set_there(False)

    def _set_there(self, there: bool) -> None:
        """What there is to show of a run; the list and the overlay are of many, and have the room to themselves."""
        many = self.tabs.currentIndex() in (RUNS, OVERLAY)
        self.headline.setVisible(not many)
        self.budget.setVisible(there and not many and self._shown is not None and self._shown.asks_budget)
        self._log_button.setVisible(there and not many)
        for part in (self._upper, self._figures, self._lower):
            part.setVisible(there and not many and self.tabs.currentIndex() != WHAT_IF)
        over = self.tabs.currentIndex() == OVERLAY and self.overlay.chart is not None
        self._chart_button.setVisible((there and not many and self.tabs.currentIndex() != PICTURES) or over)
        self.move_window.setVisible(there and self.tabs.currentIndex() == TIME)
        self.below.setVisible(there or many or self.tabs.currentIndex() == PICTURES)

    def _fill_cards(self, cards: list[ShownFigure]) -> None:
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
