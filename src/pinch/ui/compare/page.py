"""The Compare page: cells set against a baseline."""

from collections.abc import Sequence

from pinch.analysis.axes import CompareAxis
from pinch.analysis.comparing import Compared, Unfair
from pinch.analysis.offers import OfferChoice
from pinch.bench.cards import CardKind
from pinch.bench.rates import read_rates
from pinch.bench.records import Result, Workload
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.core.printing import told_once
from pinch.intake.entry_grid import Side
from pinch.language import tr
from pinch.narrative.cards import cell_cards
from pinch.ui.compare.control import CompareControl, Comparison
from pinch.ui.compare.view import FAIRNESS, GENERATIONS, MATRIX, MONEY, TIME, VERDICTS, CompareView
from pinch.ui.dialogs import ask_text
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, Sent, Shell
from pinch.ui.results.grid_dialog import GridDialog
from pinch.ui.results.one_dialog import ResultsDialog

NOTES = [
    tr(
        "Tick cells in the list; the first one ticked is the baseline. A cell is a setting of a"
        " device, in one room, with one set of builds."
    ),
    tr("Faster, a tie, or can't tell: a bare percentage is no answer. Choose a row for the numbers behind it."),
    tr(
        "What differs beside what is compared stands under the bars and on Fairness. An unfair "
        "pair is compared all the same."
    ),
]
KINDS = {
    VERDICTS: CardKind.TABLE,
    FAIRNESS: CardKind.TABLE,
    GENERATIONS: CardKind.SLOPE,
    TIME: CardKind.DUMBBELL,
    MONEY: CardKind.MONEY,
}
"""What a tab is sent as; the others as bars or pairs."""


class ComparePage(Page[CompareView]):
    """Cells set against the baseline: verdicts, fairness, generations, days and prices."""

    name = tr("Compare")

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = CompareControl(shell.session, shell.points, shell.dialog_parent)

    def make(self) -> CompareView:
        view, shell, control = CompareView(), self.shell, self.control
        view.explained.connect(shell.margin.explain)
        view.chart_wanted.connect(shell.write_chart)
        view.cells_chosen.connect(control.choose)
        view.baseline_chosen.connect(control.set_baseline)
        view.axis_chosen.connect(control.run_along)
        view.changed.connect(control.change)
        view.prices_chosen.connect(lambda: shell.safely(self.choose_prices))
        view.accept_wanted.connect(lambda unfair: shell.safely(lambda: self.accept(unfair)))
        view.grid_wanted.connect(lambda: shell.safely(self.type_grid))
        view.ask_wanted.connect(lambda *of: shell.safely(lambda: self.ask(*of)))
        view.more_wanted.connect(lambda *of: shell.safely(lambda: self._plan_more(*of)))
        control.progressed.connect(view.show_working)
        control.finished.connect(self._compared)
        control.failed.connect(view.show_nothing)
        return view

    def menu(self) -> Sequence[MenuEntry]:
        return (
            MenuEntry(
                MenuName.EDIT,
                230,
                tr("Accept the chosen difference …"),
                lambda: self.view.accept_chosen(),
                "Ctrl+Shift+F",
            ),
            MenuEntry(MenuName.ADD, 255, tr("Result without a log …"), self.add_results, "Ctrl+Alt+T"),
            MenuEntry(MenuName.ADD, 256, tr("Results in a grid …"), self.type_grid, "Ctrl+Alt+G"),
            MenuEntry(
                MenuName.PLAN,
                160,
                tr("Plan the runs missing for the chosen verdict"),
                lambda: self.view.plan_missing(),
                "Ctrl+Alt+P",
            ),
            MenuEntry(MenuName.PLAN, 165, tr("Ask which of the chosen pair is faster"), lambda: self.view.ask_chosen()),
        )

    def forget(self) -> None:
        self.control.forget()

    def cancel(self) -> None:
        self.control.cancel()

    def show(self) -> None:
        self.shell.margin.show_notes(None)
        self.shell.margin.tell(tr("What is compared"), NOTES)
        self.view.show_offers(self.control.offers)
        if self.control.start():
            self.view.show_working(0.0)

    def choose_prices(self) -> None:
        """Which price of each device stands beside its score, and by which rates."""
        offers = OfferChoice(self.view.price.currentData(), read_rates(self.view.rates.text()))
        self.control.change({"offers": offers})

    def points_ready(self) -> None:
        self.control.start()

    def chart(self) -> Drawn | None:
        return self.view.written

    def sent(self) -> Sent:
        shown = self.view.shown
        if shown is None or not shown.result.rows:
            raise PinchError(tr("Tick a cell or more first; the first one is the baseline."))
        in_pairs = self.control.along in (CompareAxis.SUPPLY, CompareAxis.DAY) and len(shown.result.choice.cells) > 1
        kind = KINDS.get(self.view.tabs.currentIndex(), CardKind.DUMBBELL if in_pairs else CardKind.BARS)
        query = cell_cards.query_of(shown)
        if self.view.tabs.currentIndex() == MATRIX:
            plain = [c.model_copy(update={"variant_id": None}) for c in query.cells[:1]]
            grid = {
                "grid": str(self.view.matrix.across.currentData()),
                "low_share": self.view.matrix.share.value() / 100,
            }
            return Sent(CardKind.TABLE, query.model_copy(update={"cells": tuple(plain), **grid}))
        return Sent(kind, query)

    def draw_again(self) -> None:
        self.view.draw()

    def add_results(self) -> None:
        """Type results of the chosen device, setting and workload, or take some away."""
        session = self.session
        device, setting, workload, book = session.device, session.setting, session.workload, session.book
        if device is None or setting is None or workload is None:
            raise PinchError(tr("Choose a device, a setting and a workload in the strip first."))
        ids = (device.id, setting.id, workload.id)

        def there() -> list[Result]:
            return [r for r in book.results() if (r.device_id, r.setting_id, r.workload_id) == ids]

        def add(result: Result) -> None:
            session.change(tr("add a result of {workload}", workload=workload.name), lambda: book.save(result))

        def remove(result: Result) -> None:
            session.change(tr("remove a result of {workload}", workload=workload.name), lambda: book.delete(result))

        ResultsDialog((device, setting, workload), there, add, remove, self.shell.dialog_parent).exec()

    def type_grid(self) -> None:
        """Type many results in a grid, which begins with what the strip names."""
        session, book = self.session, self.session.book
        work = session.workload
        root = book.get(Workload, work.root_id) if work is not None else None
        chosen = {Side.DEVICE: session.device, Side.SETTING: session.setting, Side.WORKLOAD: root}
        held = {side: record.name for side, record in chosen.items() if record is not None}
        GridDialog(book, held, session.change, self.shell.dialog_parent).exec()

    def accept(self, unfair: Unfair) -> None:
        """Ask why a difference of conditions does not matter; nothing typed takes an acceptance back."""
        d = unfair.difference
        words = tr("{words}\nWhy is that accepted? (empty: it is not)", words=d.words)
        reason = ask_text(self.shell.dialog_parent, tr("Accept: {what}", what=d.what), words, unfair.accepted)
        if reason is not None:
            self.control.accept(unfair, reason)

    def ask(self, compared: Compared, workload_id: int) -> None:
        """Which of two cells is faster becomes a question, followed until it is answered."""
        pair = compared.cell.setting.id, self.control.chosen[0].setting.id
        self.shell.changes.ask_pair(pair, workload_id, self.control.delta)
        self.shell.notices.done(tr("It is asked: Plan, Questions says where it stands."))

    def _plan_more(self, compared: Compared, workload_id: int) -> None:
        self.shell.notices.done(self.control.plan_more(compared, workload_id))

    def _compared(self, comparison: Comparison) -> None:
        """The verdicts are there."""
        session, control, view = self.session, self.control, self.view
        gathered, chosen = self.shell.points.gathered, control.chosen
        if gathered is not None:
            there = {w for c in chosen for w in c.workload_ids}
            works = [(w.id, w.name) for w in gathered.points.workloads if w.id in there]
            view.show_choice(control.cells(), chosen, control.along, control.left_out, works, control.workloads)
            view.offer_metrics(gathered.metrics, control.measure)
            view.matrix.show_of(chosen[0].device.name if chosen else "", control.matrix)
        if not chosen and control.left_out:
            self.shell.margin.tell(tr("Why nothing can be compared"), told_once(n.text for n in control.left_out))
        slots = gathered.points.slots if gathered is not None else {}
        view.show_comparison(comparison, slots, session.subject.device_id)
        self.shell.count()
