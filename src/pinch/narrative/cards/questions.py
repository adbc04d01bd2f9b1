"""The question that a new card answers: its title until somebody writes another."""

from collections.abc import Sequence

from pinch.bench.cards import Card, CardKind, CellsQuery, ModesQuery, RunsQuery
from pinch.bench.fields import LONGEST_NAME
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted, listed
from pinch.narrative.cards.content import Found

BENCH = {"units": "Which units were tested, and how did they come?", "tested": "What was tested?"}


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
        return f"How do {counted(len(found.runs), 'run')} of {work} go?"
    return _OF_RUNS[kind].format(who=one, work=work)


def _of_cells(query: CellsQuery, kind: CardKind, found: Found, who: str, work: str) -> str:
    if query.grid:
        return f"Which {query.grid.rstrip('s')} for {who}?" if found.runs else f"Which {query.grid.rstrip('s')}?"
    if kind is CardKind.SHARES:
        return f"What holds {who} in {work}?"
    if kind is CardKind.MONEY:
        return "What does the money buy?"
    cells = list(dict.fromkeys(c for result in found.compared for c in result.choice.cells))
    rows = [row for result in found.compared for row in result.rows]
    who = _one_of(list(dict.fromkeys(c.device.name for c in cells)), "device")
    work = _one_of(list(dict.fromkeys(row.workload.name for row in rows)), "workload")
    metrics = list(dict.fromkeys(row.metric.name for row in rows))
    lows = f" by {listed(metrics)}" if query.measure != AVERAGE and metrics else ""
    if _is_of_supplies(found):
        return f"What does {who} keep on battery in {work}{lows}?"
    if len(cells) == 1:
        return f"What does {cells[0].name} come to in {work}{lows}?"
    if len(cells) == 2:
        return f"How does {cells[1].name} compare with {cells[0].name} in {work}{lows}?"
    return f"How do {counted(len(cells), 'setting')} of {who} compare in {work}{lows}?"


def _is_of_supplies(found: Found) -> bool:
    """Whether every pair is of mains and battery."""
    pairs = [(r.baseline.setting, c.setting) for r in found.compared for c in r.choice.cells[1:]]
    return bool(pairs) and all(base.mains and not other.mains for base, other in pairs)


_OF_RUNS = {
    CardKind.TIMELINE: "What held {who} in {work}?",
    CardKind.FRAMES: "How even are the frames of {who} in {work}?",
    CardKind.HEAT: "How hot does {who} get in {work}?",
    CardKind.SHARES: "What holds {who} in {work}?",
}
_OF_MODES = {
    CardKind.SHEET: "What do the modes of {who} give in {work}?",
    CardKind.SHARES: "What holds each mode of {who} in {work}?",
    CardKind.WALL: "What does {who} draw at the wall?",
    CardKind.BATTERY: "How long does the battery of {who} last?",
    CardKind.SOUND: "How loud is {who} for what it gives?",
}
_OF_CURVES = {
    CardKind.CURVES: "What does each watt buy in {work}?",
    CardKind.EFFICIENCY: "Which gives the most for a watt in {work}?",
    CardKind.MULTIPLES: "What does each watt buy, workload by workload?",
    CardKind.TABLE: "What does each setting draw and give in {work}?",
}
