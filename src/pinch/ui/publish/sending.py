"""What a page shows, as the query of a card."""

from typing import TYPE_CHECKING

from pinch.bench.cards import CardKind, ModesQuery, Query, RunsQuery, TestedQuery, UnitsQuery
from pinch.bench.records import live
from pinch.core.errors import PinchError
from pinch.narrative.cards import cell_cards, curve_cards
from pinch.ui.compare import view as compare
from pinch.ui.compare.state import View
from pinch.ui.judge import view as judge
from pinch.ui.modes import view as modes
from pinch.ui.shell.pages import BENCH, COMPARE, JUDGE, MODES, PLAN, PUBLISH, RUN, SCALE

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

Sent = tuple[CardKind, Query]


def card_of_page(window: "MainWindow") -> Sent:
    """The kind and the query of what the present page shows.

    Raises
    ------
    PinchError : it shows nothing that can be a card.
    """
    if window.page == PUBLISH:
        raise PinchError("The cards are here already. Send what another page shows.")
    by_page = {BENCH: _bench, PLAN: _plan, RUN: _run, JUDGE: _judge, SCALE: _scale, COMPARE: _compare, MODES: _modes}
    return by_page[window.page](window)


def _bench(window: "MainWindow") -> Sent:
    devices = tuple(d.id or 0 for d in live(window.session.book.devices()))
    if not devices:
        raise PinchError("There is no device to send to the deck yet.")
    return CardKind.TABLE, UnitsQuery(device_ids=devices)


def _plan(window: "MainWindow") -> Sent:
    return CardKind.TABLE, TestedQuery()


def _run(window: "MainWindow") -> Sent:
    return CardKind.TIMELINE, RunsQuery(run_ids=(_run_id(window),))


def _judge(window: "MainWindow") -> Sent:
    tab = window.judge_view.tabs.currentIndex()
    if tab == judge.RUNS:
        ids = tuple(window.judge_view.runs.chosen)
        if not ids:
            raise PinchError("Choose runs in the list first.")
        return CardKind.SHARES if len(ids) > 1 else CardKind.TIMELINE, RunsQuery(run_ids=ids)
    if tab == judge.OVERLAY:
        if not window.digesting.overlaid:
            raise PinchError("Lay runs over each other first, from the list of all runs.")
        return CardKind.TIMELINE, RunsQuery(run_ids=window.digesting.overlaid)
    kinds = {judge.FRAMES: CardKind.FRAMES, judge.HEAT: CardKind.HEAT}
    return kinds.get(tab, CardKind.TIMELINE), RunsQuery(run_ids=(_run_id(window),))


def _run_id(window: "MainWindow") -> int:
    run = window.session.run
    if run is None or run.id is None:
        raise PinchError("There is no run to send to the deck.")
    return run.id


def _scale(window: "MainWindow") -> Sent:
    view = window.scale_view
    if view.result is None or not view.result.series:
        raise PinchError("There is no curve on this page to send to the deck.")
    choice = view.result.choice
    kind = CardKind.MULTIPLES if len(choice.workload_ids) > 1 else CardKind.CURVES
    at = view.drawn().reader
    subject = window.session.subject.device_id
    return kind, curve_cards.query_of(choice, view.rule.currentData(), view.second.currentData(), at, subject)


def _compare(window: "MainWindow") -> Sent:
    shown = window.compare_view.shown
    if shown is None or len(shown.result.choice.cells) < 2:
        raise PinchError("Tick two cells or more first; the first one is the baseline.")
    kinds = {
        compare.VERDICTS: CardKind.TABLE,
        compare.FAIRNESS: CardKind.TABLE,
        compare.GENERATIONS: CardKind.SLOPE,
        compare.TIME: CardKind.DUMBBELL,
        compare.MONEY: CardKind.MONEY,
    }
    in_pairs = window.comparing.view in (View.SUPPLY, View.TIME)
    kind = kinds.get(window.compare_view.tabs.currentIndex(), CardKind.DUMBBELL if in_pairs else CardKind.BARS)
    return kind, cell_cards.query_of(shown)


def _modes(window: "MainWindow") -> Sent:
    view, subject = window.modes_view, window.session.subject
    if view.sheet is None or subject.device_id is None or subject.workload_id is None:
        raise PinchError("Choose a device and a workload above first.")
    kinds = {modes.WALL: CardKind.WALL, modes.BATTERY: CardKind.BATTERY, modes.SOUND: CardKind.SOUND}
    query = ModesQuery(
        device_id=subject.device_id,
        workload_id=subject.workload_id,
        room_c=view.room.currentData(),
        grade=view.grade.currentData(),
        share=view.share.value() / 100.0,
        package_w=view.at_w.value(),
        limit_db=view.limit.value(),
    )
    return kinds.get(view.tabs.currentIndex(), CardKind.SHEET), query
