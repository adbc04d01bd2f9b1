"""The Plan page: the finding, the drawn timeline, and below it the run sheet or the matrix."""

from collections.abc import Sequence

from PyQt6.QtCore import QItemSelectionModel, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QTabBar,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.planning import PlannedSheet, SheetLine
from pinch.bench.plans import OrderRule, Outcome, Plan
from pinch.bench.records import Protocol
from pinch.charts.runsheet_chart import sheet_chart
from pinch.charts.spec import unbroken
from pinch.language import tr
from pinch.narrative.sheet_words import sheet_finding, sheet_totals
from pinch.ui import look
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.plan import state
from pinch.ui.plan.matrix import HINT, MatrixTable
from pinch.ui.plan.questions_pane import QuestionsPane
from pinch.ui.plan.timeline import Timeline
from pinch.ui.shell.words import captioned, label

SHEET, MATRIX, QUESTIONS = range(3)
COLUMNS = (tr("Time"), tr("Length"), tr("Step"), tr("What"), tr("State"))


class PlanView(PageView):
    """The signals ask for what their control says; `outcome_wanted` gives done, void or skipped."""

    plan_chosen = pyqtSignal(int)
    new_wanted = pyqtSignal()
    order_chosen = pyqtSignal(str)
    protocol_chosen = pyqtSignal(object)
    hours_typed = pyqtSignal(str)
    sessions_wanted = pyqtSignal()
    write_wanted = pyqtSignal()
    outcome_wanted = pyqtSignal(str)
    record_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.plan, self.order, self.protocol = QComboBox(), QComboBox(), QComboBox()
        self.hours = QLineEdit()
        self.hours.setPlaceholderText("3 h")
        self.hours.setToolTip(tr("One session from now: 3 h, or 2 h 30; empty: as long as it takes (Enter)"))
        self.new, self.sessions, self.write = (
            QPushButton(tr("New …")),
            QPushButton(tr("Sessions …")),
            QPushButton(tr("Print …")),
        )
        self.record, self.done = QPushButton(tr("Record it")), QPushButton(tr("Done"))
        self.void, self.skip = QPushButton(tr("Void …")), QPushButton(tr("Skip …"))
        self.tabs = QTabBar()
        self.timeline, self.table, self.matrix = Timeline(), QTableWidget(0, len(COLUMNS)), MatrixTable()
        self.totals = label("", "quiet")
        self.questions = QuestionsPane()
        self.below = PageStack()
        self.lines: list[SheetLine] = []
        self._there = False
        self._controls = QWidget()
        self._set_up()
        self._lay_out()
        self._connect()

    def _set_up(self) -> None:
        for order in OrderRule:
            self.order.addItem(tr(order), str(order))
        for widget, name in (
            (self.plan, tr("Plan")),
            (self.order, tr("Order")),
            (self.protocol, tr("Protocol")),
            (self.hours, tr("What fits into")),
        ):
            widget.setAccessibleName(name)
        for button, tip in (
            (self.new, tr("A new plan, from what it is to find out (Ctrl+Alt+N)")),
            (self.sessions, tr("When there is time: days, hours (Ctrl+T)")),
            (self.write, tr("Write the sheet as PDF to print, CSV or calendar (Ctrl+P)")),
            (self.record, tr("Go to the Run page with this run")),
            (self.done, tr("This run is done (Ctrl+Return)")),
            (self.void, tr("This run was done, but does not count; it is wanted again")),
            (self.skip, tr("This run will not be done")),
        ):
            button.setToolTip(tip)
            button.setProperty("role", "small")
        for box in (self.plan, self.order, self.protocol):
            box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            box.currentTextChanged.connect(box.setToolTip)
        self.tabs.setAccessibleName(tr("Part of the plan"))
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.addTab(tr("Run sheet"))
        self.tabs.addTab(tr("Matrix"))
        self.tabs.addTab(tr("Questions"))
        table = self.table
        table.setAccessibleName(tr("Run sheet"))
        table.setHorizontalHeaderLabels(COLUMNS)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setShowGrid(False)
        header, names = table.horizontalHeader(), table.verticalHeader()
        assert header is not None and names is not None
        names.hide()
        names.setDefaultSectionSize(24)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for column, width in ((0, 132), (1, 74), (2, 66), (4, 76)):
            table.setColumnWidth(column, width)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)

    def _lay_out(self) -> None:
        controls = QHBoxLayout(self._controls)
        controls.setContentsMargins(0, 0, 0, 0)
        controls.setSpacing(10)
        for caption, widget, stretch in (
            (tr("Plan"), self.plan, 3),
            (tr("Order"), self.order, 2),
            (tr("Protocol"), self.protocol, 3),
            (tr("What fits into"), self.hours, 1),
        ):
            controls.addWidget(captioned(caption, widget), stretch)
        for button in (self.sessions, self.write, self.new):
            controls.addWidget(button, 0, Qt.AlignmentFlag.AlignBottom)
        middle = QHBoxLayout()
        middle.addWidget(self.tabs)
        self.totals.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # buttons come first
        self.totals.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        middle.addSpacing(12)
        middle.addWidget(self.totals, 1)
        self._actions = QWidget()
        actions = QHBoxLayout(self._actions)
        actions.setContentsMargins(12, 0, 0, 0)
        actions.setSpacing(6)
        for button in (self.record, self.done, self.void, self.skip):
            actions.addWidget(button)
        middle.addWidget(self._actions)
        grid = QWidget()
        inner = QVBoxLayout(grid)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self.matrix, 1)
        inner.addWidget(label(HINT, "quiet", wrap=True))
        self.below.addWidget(self.table)
        self.below.addWidget(grid)
        self.below.addWidget(self.questions)
        self._middle = QWidget()
        middle.setContentsMargins(0, 0, 0, 0)
        self._middle.setLayout(middle)
        self._filler = QWidget()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(10)
        column.addWidget(self.headline)
        column.addWidget(self._controls)
        column.addWidget(self.timeline)
        column.addWidget(self._middle)
        column.addWidget(self.below, 1)
        column.addWidget(self._filler, 1)

    def _connect(self) -> None:
        self.tabs.currentChanged.connect(self._turn)
        self.plan.activated.connect(lambda _: self.plan_chosen.emit(int(self.plan.currentData())))
        self.order.activated.connect(lambda _: self.order_chosen.emit(self.order.currentData()))
        self.protocol.activated.connect(lambda _: self.protocol_chosen.emit(self.protocol.currentData()))
        self.hours.returnPressed.connect(lambda: self.hours_typed.emit(self.hours.text()))
        for button, signal in (
            (self.new, self.new_wanted),
            (self.sessions, self.sessions_wanted),
            (self.write, self.write_wanted),
            (self.record, self.record_wanted),
        ):
            button.clicked.connect(signal)
        for button, outcome in ((self.done, "done"), (self.void, "void"), (self.skip, "skipped")):
            button.clicked.connect(lambda _, o=outcome: self.outcome_wanted.emit(o))
        self.table.currentCellChanged.connect(lambda row, *_: self._row_chosen(row))
        self.timeline.line_clicked.connect(self.choose_line)

    def show_plans(self, plans: Sequence[Plan], protocols: Sequence[Protocol], chosen: Plan | None) -> None:
        """Offer the plans and protocols of the book."""
        self.plan.clear()
        for plan in plans:
            self.plan.addItem(plan.name, plan.id)
        self.protocol.clear()
        self.protocol.addItem(tr("none"), None)
        for protocol in protocols:
            self.protocol.addItem(protocol.name, protocol.id)
        self._there = chosen is not None
        self._set_there()
        for widget in (self.plan, self.order, self.protocol, self.hours, self.sessions, self.write):
            widget.setEnabled(chosen is not None)
        if chosen is None:
            self.headline.setText(tr("No plan yet. Make one from what it is to find out: New …"))
            return
        self.plan.setCurrentIndex(self.plan.findData(chosen.id))
        self.order.setCurrentIndex(self.order.findData(str(chosen.order)))
        self.protocol.setCurrentIndex(max(0, self.protocol.findData(chosen.protocol_id)))

    def show_sheet(self, planned: PlannedSheet) -> None:
        """Show a finished run sheet; the chosen line stays the same run where it is still there."""
        words = sheet_finding(planned)
        self.headline.setText(unbroken(words))
        self.totals.setText(sheet_totals(planned))
        self.totals.setToolTip(self.totals.text())
        before = self.chosen_line
        self.lines = planned.lines()
        self.timeline.show_chart(sheet_chart(planned, words))
        self._fill()
        self.choose_line(self._place_of(before))
        if (item := self.table.item(self.table.currentRow(), 0)) is not None:
            self.table.scrollToItem(item, QAbstractItemView.ScrollHint.PositionAtCenter)

    @property
    def chosen_line(self) -> SheetLine | None:
        """The chosen line of the sheet."""
        row = self.table.currentRow()
        return self.lines[row] if 0 <= row < len(self.lines) else None

    def choose_line(self, number: int) -> None:
        """Choose a line of the sheet."""
        if 0 <= number < len(self.lines):
            flags = QItemSelectionModel.SelectionFlag
            self.table.setCurrentCell(number, 0, flags.ClearAndSelect | flags.Rows)
        self._row_chosen(number)

    def _place_of(self, before: SheetLine | None) -> int:
        """Where the same run stands now, else the next run to do."""
        for number, line in enumerate(self.lines):
            same = before is not None and before.is_run and line.is_run
            if same and before is not None and _key(line) == _key(before):
                return number
        return next((n for n, line in enumerate(self.lines) if line.is_run), len(self.lines) - 1)

    def _fill(self) -> None:
        theme = look.theme()
        table = self.table
        table.blockSignals(True)
        table.setRowCount(len(self.lines))
        for row, line in enumerate(state.sheet_lines(self.lines)):
            for column, text in enumerate((line.time, line.length, line.kind, line.words, line.state)):
                item = QTableWidgetItem(text)
                if column == 3:
                    item.setToolTip(text)
                if column in (0, 1):
                    item.setFont(look.figure_font(8.5))
                elif not line.quiet:
                    font = QFont(table.font())
                    font.setBold(column == 3)
                    item.setFont(font)
                if line.quiet:
                    item.setForeground(QBrush(QColor(theme.quiet)))
                table.setItem(row, column, item)
        table.blockSignals(False)

    def _row_chosen(self, row: int) -> None:
        line = self.lines[row] if 0 <= row < len(self.lines) else None
        self.timeline.choose(row)
        for button in (self.record, self.done, self.skip):
            button.setEnabled(line is not None and line.is_run)
        self.void.setEnabled(line is not None and (line.is_run or line.outcome is Outcome.DONE))

    def _turn(self, tab: int) -> None:
        self.below.setCurrentIndex(tab)
        self._set_there()

    def _set_there(self) -> None:
        """Without a plan there are questions, which need none."""
        asks = self.tabs.currentIndex() == QUESTIONS
        self.timeline.setVisible(self._there and not asks)
        self.below.setVisible(self._there or asks)
        self._filler.setVisible(not (self._there or asks))
        self._actions.setVisible(self._there and self.tabs.currentIndex() == SHEET)


def _key(line: SheetLine) -> tuple[int, int, int]:
    return line.setting_id, line.workload_id, line.repeat
