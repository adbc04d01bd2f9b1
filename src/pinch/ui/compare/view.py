"""The Compare page: cells to tick, bars and verdicts, and what is unfair about them."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QSplitter,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from pinch.analysis.axes import CompareAxis
from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import Compared, Unfair
from pinch.analysis.offers import OfferChoice
from pinch.bench.parts import PriceOf
from pinch.bench.rates import EXAMPLE, rates_words
from pinch.charts.face import Drawn
from pinch.charts.spec import unbroken
from pinch.core.figures import Note
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.language import tr
from pinch.narrative import compare_words
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.explanation import Explanation
from pinch.narrative.price_words import money_chart
from pinch.narrative.yield_words import yield_notes
from pinch.ui.chooser import Chooser
from pinch.ui.compare import price_pane, state, uplift
from pinch.ui.compare.control import Comparison
from pinch.ui.compare.matrix_pane import MatrixPane
from pinch.ui.drawn_tabs import DrawnTabs
from pinch.ui.number_box import NumberBox
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.plots.bars_view import BarsView
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.row_table import RowTable
from pinch.ui.searching import Search
from pinch.ui.shell.words import label, small_button

TABS = (tr("Bars"), tr("Results"), tr("Matrix"), tr("Fairness"), tr("Watts or design"), tr("Over time"), tr("Money"))
BARS, VERDICTS, MATRIX, FAIRNESS, GENERATIONS, TIME, MONEY = range(7)
MOST_NOTES, MOST_YIELDS = 3, 1
LIST_WIDTH = 216
GENERATIONS_HINT = tr(
    "Both curves are read at the same watts, so that an uplift over another device parts "
    "into design and watts. It takes a curve of both under the workload: three settings at "
    "least, in the room of the baseline."
)
BY_SCORE, AS_CHOSEN = tr("by score"), tr("as chosen")
PERCENT, ABSOLUTE = tr("in percent"), tr("in its unit")


class CompareView(PageView):
    """`cells_chosen` gives the ticked cells, the baseline first; `changed` other choices by name."""

    explained = pyqtSignal(Explanation)
    chart_wanted = pyqtSignal()
    cells_chosen = pyqtSignal(list)
    baseline_chosen = pyqtSignal(object)
    axis_chosen = pyqtSignal(object)
    changed = pyqtSignal(dict)
    prices_chosen = pyqtSignal()
    accept_wanted = pyqtSignal(object)
    more_wanted = pyqtSignal(object, int)
    ask_wanted = pyqtSignal(object, int)
    grid_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart_button = small_button(
            tr("Chart …"), tr("Write the chart as PNG, SVG or PDF (Ctrl+E)"), self.chart_wanted.emit
        )
        self.along, self.workloads = QComboBox(), Chooser(tr("Workloads"), tr("workloads"))
        self.measure, self.order, self.unit = QComboBox(), QComboBox(), QComboBox()
        self.delta = NumberBox(
            tr("Smallest difference that matters"), 0.1, 50.0, 3.0, unit="%", before=tr("matters from "), width=136
        )
        self.filter, self.list = QLineEdit(), QListWidget()
        self.base_button = small_button(
            tr("Make it the baseline"), tr("Set the others against the chosen cell"), self._base
        )
        self.progress = QProgressBar()
        self.bars = BarsView()
        self.notes = label("", "quiet", wrap=True)
        self.verdicts = RowTable(tr("Results"), state.RESULT_COLUMNS, state.RESULT_WORDS, hides_empty=True)
        self.matrix = MatrixPane()
        self.fairness = RowTable(tr("Differences of conditions"), state.FAIR_COLUMNS, words=range(6))
        self.generations = RowTable(tr("Uplifts taken apart"), uplift.GENERATION_COLUMNS, words=(0, 5))
        self.money = RowTable(tr("Prices beside scores"), price_pane.MONEY_COLUMNS)
        self.offers = RowTable(tr("All prices"), price_pane.OFFER_COLUMNS, words=(0, 3, 5))
        self.price, self.rates = QComboBox(), QLineEdit()
        self.time, self.money_chart = ChartView(), ChartView()
        self.accept = small_button(
            tr("Accept with a reason …"), tr("This difference does not matter here (Ctrl+Shift+F)"), self._accept
        )
        self.more = small_button(
            tr("Plan the missing runs"), tr("As many more as an answer takes (Ctrl+Alt+P)"), self._more
        )
        self.typing = small_button(
            tr("Type results …"), tr("In a grid, as many as there are (Ctrl+Alt+G)"), self.grid_wanted.emit
        )
        self.tabs, self.below = QTabBar(), PageStack()
        self.comparison: Comparison | None = None
        self.shown: ShownComparison | None = None
        self._slots: dict[int, int] = {}
        self._subject: int | None = None
        self._cells: list[BenchCell] = []
        self._ticked: list[BenchCell] = []
        self._left_out: Sequence[Note] = ()
        self._set_up()
        self._lay_out()
        draws = {GENERATIONS: self._draw_generations, TIME: self._draw_time, MONEY: self._draw_money}
        self._drawn = DrawnTabs(self.tabs, draws)
        self._connect()

    # Showing

    def show_offers(self, offers: OfferChoice) -> None:
        """Which prices are taken, and by which rates."""
        self.price.setCurrentIndex(self.price.findData(offers.which))
        self.rates.setText(rates_words(offers.rates))

    def show_working(self, share: float) -> None:
        """Show how far the work is."""
        self.progress.setVisible(share < 1.0)
        self.progress.setValue(round(100 * share))
        if share < 1.0 and self.comparison is None:
            self.headline.setText(tr("Judging all runs, {share:.0f} % …", share=100 * share))

    def show_choice(
        self,
        cells: Sequence[BenchCell],
        chosen: Sequence[BenchCell],
        along: CompareAxis | None,
        left_out: Sequence[Note],
        works: list[tuple[int, str]],
        ids: Sequence[int],
    ) -> None:
        """Offer cells and workloads, with what is compared ticked."""
        self._cells, self._ticked, self._left_out = list(cells), list(chosen), left_out
        self.along.setCurrentIndex(self.along.findData(along))
        self.workloads.offer(works, ids)
        self.list.blockSignals(True)
        at = self.list.currentRow()
        self.list.clear()
        keys = [c.key for c in chosen]
        for cell in cells:
            base = bool(keys) and cell.key == keys[0]
            item = QListWidgetItem(tr("Baseline: {cell}", cell=cell.name) if base else cell.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if cell.key in keys else Qt.CheckState.Unchecked)
            item.setToolTip(tr("{cell}: {runs} runs", cell=cell.name, runs=sum(map(len, cell.points.values()))))
            font = item.font()
            font.setBold(base)
            item.setFont(font)
            self.list.addItem(item)
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self._filter(self.filter.text())

    def offer_metrics(self, offered: Sequence[tuple[str, str]], chosen: str) -> None:
        """Offer metrics by key and name, one of them chosen."""
        if [(self.measure.itemData(n), self.measure.itemText(n)) for n in range(self.measure.count())] != list(offered):
            self.measure.clear()
            for key, name in offered:
                self.measure.addItem(name, key)
        self.measure.setCurrentIndex(max(0, self.measure.findData(chosen)))

    def show_comparison(self, comparison: Comparison, slots: dict[int, int], subject: int | None) -> None:
        """Show a finished comparison."""
        self.show_working(1.0)
        same = comparison is self.comparison and (slots, subject) == (self._slots, self._subject)
        self.comparison, self._slots, self._subject = comparison, slots, subject
        if not same:
            self.draw()

    def show_nothing(self, why: str) -> None:
        """Say what is missing."""
        self.show_working(1.0)
        self.comparison = self.shown = None
        self._drawn.forget()
        self.headline.setText(why)
        self.bars.show_chart(None)
        self.notes.setText("")
        for table in (self.verdicts, self.fairness, self.generations, self.money, self.offers):
            table.show_rows([])

    def draw(self) -> None:
        """Show what is compared, sorted and in the unit that are chosen."""
        if self.comparison is None:
            return
        shown = ShownComparison(
            self.comparison.result,
            self.order.currentText() == BY_SCORE,
            self.unit.currentText() == ABSOLUTE,
            self._subject,
            self._slots,
        )
        self.shown = shown
        axis, cells = shown.result.choice.along, shown.result.choice.cells
        chart = compare_words.bars(shown)
        lack = len(cells) < 2 and axis is not None
        words = state.axis_lack(axis) if lack and axis is not None else chart.title
        if not cells and self._left_out:
            words = tr("Nothing here can be compared: {n}", n=" ".join(n.text for n in self._left_out[:MOST_NOTES]))
        self.headline.setText(unbroken(words))
        self.bars.show_chart(chart)
        unfair, yields = compare_words.unfair_notes(shown.result), yield_notes(shown.result)
        more = (
            tr(" … and {unfair} more on Fairness.", unfair=len(unfair) - MOST_NOTES) if len(unfair) > MOST_NOTES else ""
        )
        notes = (*unfair[:MOST_NOTES], *yields[:MOST_YIELDS], compare_words.about_words(shown.result) + more)
        self.notes.setText("\n".join(map(unbroken, notes)))
        self.verdicts.show_rows(state.result_rows(shown))
        self.fairness.show_rows(state.fair_rows(shown))
        self._drawn.show(shown)
        still_open = sum(u.is_open for u in shown.result.unfair)
        self.tabs.setTabText(
            FAIRNESS, tr("Fairness ({still_open})", still_open=still_open) if still_open else tr("Fairness")
        )

    def _draw_generations(self, shown: ShownComparison) -> None:
        assert self.comparison is not None
        self.generations.show_rows(uplift.generation_rows(shown, self.comparison.curves))

    def _draw_time(self, shown: ShownComparison) -> None:
        self.time.show_if_any(uplift.time_chart(shown))

    def _draw_money(self, shown: ShownComparison) -> None:
        devices = list(dict.fromkeys(c.device for c in shown.result.choice.cells))
        self.money.show_rows(price_pane.money_rows(shown))
        self.offers.show_rows(price_pane.offer_rows(devices))
        self.money_chart.show_if_any(money_chart(shown))

    @property
    def written(self) -> Drawn | None:
        """The chart of the tab, as it is written."""
        if self.shown is None:
            return None
        charts = {TIME: self.time.chart, MONEY: self.money_chart.chart}
        return charts.get(self.tabs.currentIndex(), self.bars.chart)

    # What is asked for

    def _ticks(self, item: QListWidgetItem) -> None:
        cell = self._cells[self.list.row(item)]
        ticked = [c for c in self._ticked if c.key != cell.key]
        if item.checkState() == Qt.CheckState.Checked:
            ticked.append(cell)
        self.cells_chosen.emit(ticked)

    def _base(self) -> None:
        row = self.list.currentRow()
        if row >= 0:
            self.baseline_chosen.emit(self._cells[row])

    def _accept(self) -> None:
        chosen = self.fairness.chosen
        if chosen is not None and isinstance(chosen.of, Unfair):
            self.accept_wanted.emit(chosen.of)

    def accept_chosen(self) -> None:
        """Accept the chosen difference, on the tab where it stands."""
        self.tabs.setCurrentIndex(FAIRNESS)
        self._accept()

    def _more(self) -> None:
        chosen = self.verdicts.chosen
        if chosen is None or not isinstance(chosen.of, Compared) or self.comparison is None:
            return
        row = next(r for r in self.comparison.result.rows if chosen.of in r.cells)
        self.more_wanted.emit(chosen.of, row.workload.id)

    def ask_chosen(self) -> None:
        """Ask which of the chosen pair is faster, until it is answered."""
        self.tabs.setCurrentIndex(VERDICTS)
        chosen = self.verdicts.chosen
        if chosen is not None and isinstance(chosen.of, Compared) and self.comparison is not None:
            row = next(r for r in self.comparison.result.rows if chosen.of in r.cells)
            self.ask_wanted.emit(chosen.of, row.workload.id)

    def plan_missing(self) -> None:
        """Plan the runs that are missing for the chosen verdict."""
        self.tabs.setCurrentIndex(VERDICTS)
        self._more()

    def _filter(self, wanted: str) -> None:
        search = Search(wanted)
        for row, cell in enumerate(self._cells):
            item = self.list.item(row)
            if item is not None:
                item.setHidden(not search.keeps(cell.name))

    # Set-up

    def _set_up(self) -> None:
        for combo, name, texts in (
            (self.order, tr("Order of the bars"), (AS_CHOSEN, BY_SCORE)),
            (self.unit, tr("Differences"), (PERCENT, ABSOLUTE)),
        ):
            combo.addItems(texts)
            combo.setAccessibleName(name)
            combo.setToolTip(name)
        self.along.setAccessibleName(tr("What is compared"))
        self.along.setToolTip(tr("What the comparison runs along; all else is held as far as it can be"))
        self.along.addItem(tr("cells as chosen"), None)
        for axis in CompareAxis:
            self.along.addItem(axis.words, axis)
        self.measure.setAccessibleName(tr("By which metric"))
        self.offer_metrics([(AVERAGE, tr("average or score")), *LOW_NAMES.items()], AVERAGE)
        self.filter.setPlaceholderText(tr("Filter cells …"))
        self.filter.setAccessibleName(tr("Filter of the cells"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setAccessibleName(tr("Cells to compare; the first one ticked is the baseline"))
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 100)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setAccessibleName(tr("Part of the comparison"))

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        top.addWidget(self._chart_button, 0, Qt.AlignmentFlag.AlignTop)
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in (self.along, self.workloads, self.measure, self.order, self.unit, self.delta):
            row.addWidget(widget)
        row.addStretch(1)
        for name, page in zip(TABS, self._pages(), strict=True):
            self.tabs.addTab(name)
            self.below.addWidget(page)
        side = QWidget()
        side.setFixedWidth(LIST_WIDTH)
        cells = QVBoxLayout(side)
        cells.setContentsMargins(0, 0, 0, 0)
        cells.setSpacing(4)
        for beside in (self.filter, self.list, self.base_button):
            cells.addWidget(beside)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addWidget(self.tabs)
        right.addWidget(self.below, 1)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addWidget(side)
        middle.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(6)
        column.addLayout(top)
        column.addLayout(row)
        column.addWidget(self.progress)
        column.addLayout(middle, 1)

    def _pages(self) -> list[QWidget]:
        bars = _stacked(self.bars, self.notes)
        prices = QSplitter(Qt.Orientation.Vertical)
        for which in PriceOf:
            self.price.addItem(tr("prices: {which}", which=which), which)
        self.price.setAccessibleName(tr("Which price of each device"))
        self.price.setToolTip(tr("As tested: the newest price of the tested unit, where that is marked"))
        self.rates.setPlaceholderText(tr("rates, such as {example}", example=EXAMPLE))
        self.rates.setAccessibleName(tr("Rates of currencies"))
        self.rates.setFixedWidth(330)
        self.rates.setToolTip(tr("Prices of that currency are brought into the other; several rates are parted by ;"))
        prices.addWidget(_stacked(_in_row(self.price, self.rates), self.money, self.money_chart))
        prices.addWidget(_stacked(label(tr("Every price that was noted"), "heading"), self.offers))
        prices.setStretchFactor(0, 1)
        return [
            bars,
            _stacked(self.verdicts, _in_row(self.more, self.typing)),
            self.matrix,
            _stacked(self.fairness, self.accept),
            _stacked(label(GENERATIONS_HINT, "quiet", wrap=True), self.generations),
            _stacked(self.time),
            prices,
        ]

    def _connect(self) -> None:
        self.list.itemChanged.connect(self._ticks)
        self.filter.textChanged.connect(self._filter)
        self.along.activated.connect(lambda _: self.axis_chosen.emit(self.along.currentData()))
        self.workloads.changed.connect(lambda ids: self.changed.emit({"workload_ids": ids}))
        self.measure.activated.connect(lambda _: self.changed.emit({"measure": self.measure.currentData()}))
        self.price.activated.connect(lambda _: self.prices_chosen.emit())
        self.rates.editingFinished.connect(self.prices_chosen)
        self.delta.valueChanged.connect(lambda value: self.changed.emit({"delta": value / 100.0}))
        for combo in (self.order, self.unit):
            combo.activated.connect(lambda _: self.draw())
        self.tabs.currentChanged.connect(self.below.setCurrentIndex)
        for table in (self.verdicts, self.matrix.table, self.fairness, self.generations, self.money):
            table.explained.connect(self.explained)
        self.fairness.opened.connect(lambda _: self._accept())


def _in_row(*widgets: QWidget) -> QWidget:
    """Widgets beside each other."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(6)
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return line


def _stacked(*widgets: QWidget) -> QWidget:
    """Widgets below each other, the first one taking the room; a button keeps its width."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(4)
    for widget in widgets:
        if isinstance(widget, RowTable | ChartView | BarsView):
            column.addWidget(widget, 1)
        elif isinstance(widget, QPushButton):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignLeft)
        else:
            column.addWidget(widget)
    return page
