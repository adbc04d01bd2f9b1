"""The Compare page: cells set against a baseline."""

from collections.abc import Sequence

from pinch.analysis.comparing import Compared, Unfair
from pinch.bench.cards import CardKind
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.narrative.cards import cell_cards
from pinch.ui.compare.control import CompareControl, Comparison
from pinch.ui.compare.state import View
from pinch.ui.compare.view import FAIRNESS, GENERATIONS, MONEY, TIME, VERDICTS, CompareView
from pinch.ui.dialogs import ask_text
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, Sent, Shell

NOTES = [
    "Tick cells in the list; the first one ticked is the baseline. A cell is a setting of a device, in one room, with "
    "one set of builds.",
    "Faster, a tie, or can't tell: a bare percentage is no answer. Choose a row for the numbers behind it.",
    "What differs beside what is compared stands under the bars and on Fairness. An unfair pair is compared all the "
    "same.",
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

    name = "Compare"

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = CompareControl(shell.session, shell.points, shell.dialog_parent)

    def make(self) -> CompareView:
        view, shell, control = CompareView(), self.shell, self.control
        view.explained.connect(shell.margin.explain)
        view.chart_wanted.connect(shell.write_chart)
        view.cells_chosen.connect(control.choose)
        view.baseline_chosen.connect(control.set_baseline)
        view.view_chosen.connect(control.show_view)
        view.changed.connect(control.change)
        view.accept_wanted.connect(lambda unfair: shell.safely(lambda: self.accept(unfair)))
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
                "Accept the chosen difference …",
                lambda: self.view.accept_chosen(),
                "Ctrl+Shift+F",
            ),
            MenuEntry(
                MenuName.PLAN,
                160,
                "Plan the runs missing for the chosen verdict",
                lambda: self.view.plan_missing(),
                "Ctrl+Alt+P",
            ),
        )

    def forget(self) -> None:
        self.control.forget()

    def cancel(self) -> None:
        self.control.cancel()

    def show(self) -> None:
        self.shell.margin.show_notes(None)
        self.shell.margin.tell("What is compared", NOTES)
        if self.control.start():
            self.view.show_working(0.0)

    def points_ready(self) -> None:
        self.control.start()

    def chart(self) -> Drawn | None:
        return self.view.written

    def sent(self) -> Sent:
        shown = self.view.shown
        if shown is None or len(shown.result.choice.cells) < 2:
            raise PinchError("Tick two cells or more first; the first one is the baseline.")
        in_pairs = self.control.view in (View.SUPPLY, View.TIME)
        kind = KINDS.get(self.view.tabs.currentIndex(), CardKind.DUMBBELL if in_pairs else CardKind.BARS)
        return Sent(kind, cell_cards.query_of(shown))

    def draw_again(self) -> None:
        self.view.draw()

    def accept(self, unfair: Unfair) -> None:
        """Ask why a difference of conditions does not matter; nothing typed takes an acceptance back."""
        d = unfair.difference
        words = f"{d.words}\nWhy is that accepted? (empty: it is not)"
        reason = ask_text(self.shell.dialog_parent, f"Accept: {d.what}", words, unfair.accepted)
        if reason is not None:
            self.control.accept(unfair, reason)

    def _plan_more(self, compared: Compared, workload_id: int) -> None:
        self.shell.notices.done(self.control.plan_more(compared, workload_id))

    def _compared(self, comparison: Comparison) -> None:
        """The verdicts are there."""
        session, control, view = self.session, self.control, self.view
        points, chosen = self.shell.points.points, control.chosen
        if points is not None:
            there = {w for c in chosen for w in c.points}
            works = [(w.id, w.name) for w in points.workloads if w.id in there]
            view.show_choice(control.cells(), chosen, control.view, works, control.workloads)
        slots = {d.id: session.slot(d.id) for d in session.book.devices()}
        view.show_comparison(comparison, slots, session.subject.device_id)
        self.shell.count()
