"""What the Compare page shows: bars, verdicts and fairness, in words and rows. No Qt."""

import math
from collections.abc import Sequence
from enum import StrEnum

from pinch.analysis.comparing import OWN, BenchCell, Compared, WorkRow
from pinch.bench.records import workload_words
from pinch.core.fairness import GRADE_WORDS, FairnessGrade
from pinch.core.index import Index
from pinch.narrative.compare_words import ShownComparison, difference, less_is_better
from pinch.narrative.explain_verdicts import (
    apart_words,
    explain_difference,
    explain_index,
    explain_verdict,
    index_interval,
)
from pinch.narrative.verdict_words import percent, verdict_words
from pinch.ui.table_rows import TableRow

RESULT_COLUMNS = ("", "Score", "Runs", "Answer", "Difference", "95 %", "W", "Wall W", "dB(A)", "Hottest °C", "")
FAIR_COLUMNS = ("", "What", "It", "Baseline", "What it does", "Accepted because")


class View(StrEnum):
    """Ready-made choices of cells."""

    CHOSEN = "cells as chosen"
    SUPPLY = "mains against battery"
    MODES = "mode against mode"
    TIME = "before against after"


def view_cells(view: View, cells: Sequence[BenchCell], device_id: int | None) -> list[BenchCell]:
    """The cells of a ready-made choice for a device, the baseline first; empty where the book has none."""
    own = [c for c in cells if c.device.id == device_id]
    ready_made = {View.MODES: _modes_view, View.SUPPLY: _supply_view, View.TIME: _time_view}
    return ready_made[view](own) if view in ready_made else []


def _modes_view(own: Sequence[BenchCell]) -> list[BenchCell]:
    """All settings in the room that most were tested in."""
    rooms = [c.key.room_c for c in own if c.key.room_c is not None]
    room = max(set(rooms), key=rooms.count) if rooms else None
    return [c for c in own if c.key.room_c in (room, None)]


def _supply_view(own: Sequence[BenchCell]) -> list[BenchCell]:
    """Each setting on battery after the one on mains that is most like it."""
    mains = [c for c in own if c.setting.mains]
    battery = [c for c in own if not c.setting.mains] if mains else []
    pairs = [(min(mains, key=lambda m: _unlike(m, b)), b) for b in battery]
    return list(dict.fromkeys(c for pair in pairs for c in pair))


def _time_view(own: Sequence[BenchCell]) -> list[BenchCell]:
    """The first setting that was tested more than once, by its days."""
    settings = [c.setting.id for c in own]
    again = [c for c in own if settings.count(c.setting.id) > 1 and c.key.origin == OWN]
    return sorted((c for c in again if c.setting.id == again[0].setting.id), key=lambda c: c.days())


def view_lack(view: View) -> str:
    """Why a ready-made choice is empty, and what would fill it."""
    return {
        View.SUPPLY: "No setting of this device was run on battery. Add one with the mains box off, and run it.",
        View.MODES: "This device has no runs yet.",
        View.TIME: "No setting of this device was run under more than one build, room or source.",
    }.get(view, "Tick two cells or more; the first is the baseline.")


def _unlike(mains: BenchCell, battery: BenchCell) -> tuple[bool, float]:
    """How unlike two settings are beside their supply."""
    watts = (mains.setting.sustained_w or 0.0) - (battery.setting.sustained_w or 0.0)
    return mains.key.room_c != battery.key.room_c, abs(watts)


def result_rows(shown: ShownComparison) -> list[TableRow]:
    """A row a cell and workload, then the index over all workloads."""
    rows = []
    for row in shown.result.rows:
        title = ", ".join(filter(None, (workload_words(row.workload), _row_note(shown, row))))
        rows.append(TableRow((title,), heading=True))
        rows += [_result_row(c, row, shown) for c in row.cells]
    rows += [_index_row(name, index) for name, index in shown.result.indexes.items() if len(index.workloads) > 1]
    return rows


def fair_rows(shown: ShownComparison) -> list[TableRow]:
    """Every difference of conditions, the worst open ones first."""
    rows = []
    for u in shown.result.unfair:
        d = u.difference
        whom = {"a": "holds it back", "b": "holds the baseline back"}
        back = (
            whom.get(d.holds_back, GRADE_WORDS[d.grade])
            if d.grade is FairnessGrade.HOLDS_BACK
            else GRADE_WORDS[d.grade]
        )
        cells = (u.cell.name, d.what, d.a, d.b, back, u.accepted)
        rows.append(TableRow(cells, explain_difference(u, shown.result.baseline.name), of=u, aside=not u.is_open))
    return rows


def _row_note(shown: ShownComparison, row: WorkRow) -> str:
    scatter = "" if math.isnan(row.pooled.sd) else f"scatter of repeats {100 * row.pooled.sd:.2g} %"
    return ", ".join(filter(None, ("less is better" if less_is_better(shown, row) else "", scatter)))


def _result_row(c: Compared, row: WorkRow, shown: ShownComparison) -> TableRow:
    known = (f"   {c.cell.name}", f"{c.score.mean:.4g}", str(c.score.runs))
    b = c.beside
    values = (b.power_w, b.wall_w, b.noise.level if b.noise else None, b.hottest.touch.temp_c if b.hottest else None)
    last = (*("" if v is None else f"{v:.1f}" for v in values), c.told)
    if c.verdict is None:
        what = "baseline" if c.cell == shown.result.baseline else "the baseline has no run"
        return TableRow((*known, what, "", "", *last), of=c)
    v = c.verdict
    between = f"{percent(v.low)} to {percent(v.high)}" if v.has_interval else "none"
    cells = (*known, verdict_words(v), difference(c, shown), between, *last)
    return TableRow(cells, explain_verdict(c, row, shown), of=c)


def _index_row(name: str, index: Index) -> TableRow:
    ratio, between = percent(index.ratio), index_interval(index)
    note = apart_words(index) or f"over {len(index.workloads)} workloads"
    cells = (f"All: {name}", "", "", "index", ratio, between, "", "", "", "", note)
    return TableRow(cells, explain_index(name, index))
