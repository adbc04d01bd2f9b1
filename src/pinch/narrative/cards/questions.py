"""The question that a new card answers: its title until somebody writes another."""

from collections.abc import Sequence

from pinch.bench.cards import Card, CardKind, CellsQuery, ModesQuery, RunsQuery
from pinch.bench.fields import LONGEST_NAME
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted, listed
from pinch.language import tr
from pinch.narrative.cards.content import Found

BENCH = {"units": tr("Which units were tested, and how did they come?"), "tested": tr("What was tested?")}


def question_of(card: Card, found: Found) -> str:
    """The question of a card, by what it asks for and how it is drawn."""
    if card.query.of in BENCH:
        return BENCH[card.query.of]
    devices = list(dict.fromkeys(p.device.name for p in found.runs))
    work = _one_of(list(dict.fromkeys(p.workload.name for p in found.runs)), "workload")
    who = _one_of(devices, "device")
    if isinstance(card.query, RunsQuery):
        words = _of_runs(card.kind, found, who, work)
    elif isinstance(card.query, ModesQuery):
        words = _OF_MODES[card.kind].format(who=who, work=work)
    elif isinstance(card.query, CellsQuery):
        words = _of_cells(card.query, card.kind, found, who, work)
    else:
        words = _OF_CURVES[card.kind].format(who=who, work=work)
    return words if len(words) <= LONGEST_NAME else f"{words[: LONGEST_NAME - 2].rstrip()}…?"


def _one_of(names: Sequence[str], what: str) -> str:
    return names[0] if len(names) == 1 else counted(len(names), what)


def _of_runs(kind: CardKind, found: Found, who: str, work: str) -> str:
    settings = list(dict.fromkeys(p.setting.name for p in found.runs))
    one = f"{who}, {settings[0]}" if len(settings) == 1 and len(found.runs) == 1 else who
    if kind is CardKind.TIMELINE and len(found.runs) > 1:
        return tr("How do {runs} of {work} go?", runs=counted(len(found.runs), "run"), work=work)
    return _OF_RUNS[kind].format(who=one, work=work)


def _of_cells(query: CellsQuery, kind: CardKind, found: Found, who: str, work: str) -> str:
    if query.grid:
        return (
            tr("Which {what} for {who}?", what=query.grid.rstrip("s"), who=who)
            if found.runs
            else tr("Which {what}?", what=query.grid.rstrip("s"))
        )
    if kind is CardKind.SHARES:
        return tr("What holds {who} in {work}?", who=who, work=work)
    if kind is CardKind.MONEY:
        return tr("What does the money buy?")
    cells = list(dict.fromkeys(c for result in found.compared for c in result.choice.cells))
    rows = [row for result in found.compared for row in result.rows]
    who = _one_of(list(dict.fromkeys(c.device.name for c in cells)), "device")
    work = _one_of(list(dict.fromkeys(row.workload.name for row in rows)), "workload")
    metrics = list(dict.fromkeys(row.metric.name for row in rows))
    lows = tr(" by {metrics}", metrics=listed(metrics)) if query.measure != AVERAGE and metrics else ""
    if _is_of_supplies(found):
        return tr("What does {who} keep on battery in {work}{lows}?", who=who, work=work, lows=lows)
    if len(cells) == 1:
        return tr("What does {cells} come to in {work}{lows}?", cells=cells[0].name, work=work, lows=lows)
    if len(cells) == 2:
        return tr(
            "How does {one} compare with {other} in {work}{lows}?",
            one=cells[1].name,
            other=cells[0].name,
            work=work,
            lows=lows,
        )
    return tr(
        "How do {cells} of {who} compare in {work}{lows}?",
        cells=counted(len(cells), "setting"),
        who=who,
        work=work,
        lows=lows,
    )


def _is_of_supplies(found: Found) -> bool:
    """Whether every pair is of mains and battery."""
    pairs = [(r.baseline.setting, c.setting) for r in found.compared for c in r.choice.cells[1:]]
    return bool(pairs) and all(base.mains and not other.mains for base, other in pairs)


_OF_RUNS = {
    CardKind.TIMELINE: tr("What held {who} in {work}?"),
    CardKind.FRAMES: tr("How even are the frames of {who} in {work}?"),
    CardKind.HEAT: tr("How hot does {who} get in {work}?"),
    CardKind.SHARES: tr("What holds {who} in {work}?"),
}
_OF_MODES = {
    CardKind.SHEET: tr("What do the modes of {who} give in {work}?"),
    CardKind.SHARES: tr("What holds each mode of {who} in {work}?"),
    CardKind.WALL: tr("What does {who} draw at the wall?"),
    CardKind.BATTERY: tr("How long does the battery of {who} last?"),
    CardKind.SOUND: tr("How loud is {who} for what it gives?"),
}
_OF_CURVES = {
    CardKind.CURVES: tr("What does each watt buy in {work}?"),
    CardKind.EFFICIENCY: tr("Which gives the most for a watt in {work}?"),
    CardKind.MULTIPLES: tr("What does each watt buy, workload by workload?"),
    CardKind.TABLE: tr("What does each setting draw and give in {work}?"),
}
