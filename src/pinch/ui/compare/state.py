"""What the Compare page shows: bars, verdicts and fairness, in words and rows. No Qt."""

import math
from collections.abc import Sequence
from enum import StrEnum

from pinch.bench.records import workload_words
from pinch.compose import BenchCell, Compared, WorkRow
from pinch.compose.saying.comparing import Shown, difference, less_is_better
from pinch.compose.saying.verdicts import ANSWERS, percent, verdict_words
from pinch.core.explain import Explanation
from pinch.core.fairness import GRADE_WORDS, Grade
from pinch.core.index import Index
from pinch.core.verdict import CANNOT_TELL, TIE, with_scatter
from pinch.ui.rows import TableRow

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
    if view is View.MODES:
        rooms = [c.key.room_c for c in own if c.key.room_c is not None]
        room = max(set(rooms), key=rooms.count) if rooms else None
        return [c for c in own if c.key.room_c in (room, None)]
    if view is View.SUPPLY:
        battery = [c for c in own if not c.setting.mains]
        pairs = [
            (min((m for m in own if m.setting.mains), key=lambda m: _unlike(m, b), default=None), b) for b in battery
        ]
        return list(dict.fromkeys(c for m, b in pairs if m is not None for c in (m, b)))
    if view is View.TIME:
        settings = [c.setting.id for c in own]
        again = [c for c in own if settings.count(c.setting.id) > 1 and c.key.origin == "own test"]
        again = [c for c in again if c.setting.id == again[0].setting.id] if again else []
        return sorted(again, key=lambda c: c.days())
    return []


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


def result_rows(shown: Shown) -> list[TableRow]:
    """A row a cell and workload, then the index over all workloads."""
    rows = []
    for row in shown.result.rows:
        title = ", ".join(filter(None, (workload_words(row.workload), _row_note(shown, row))))
        rows.append(TableRow((title,), heading=True))
        rows += [_result_row(c, row, shown) for c in row.cells]
    rows += [_index_row(name, index) for name, index in shown.result.indexes.items() if len(index.workloads) > 1]
    return rows


def fair_rows(shown: Shown) -> list[TableRow]:
    """Every difference of conditions, the worst open ones first."""
    rows = []
    for u in shown.result.unfair:
        d = u.difference
        whom = {"a": "holds it back", "b": "holds the baseline back"}
        back = whom.get(d.holds_back, GRADE_WORDS[d.grade]) if d.grade is Grade.HOLDS_BACK else GRADE_WORDS[d.grade]
        cells = (u.cell.name, d.what, d.a, d.b, back, u.accepted)
        where = f"Of {', '.join(u.workloads)}."
        explained = Explanation(
            f"{d.what.capitalize()}: {GRADE_WORDS[d.grade]}",
            d.words,
            (f"{u.cell.name}: {d.a}", f"{shown.result.baseline.name}: {d.b}"),
            where,
            "",
            "fairness",
            (f"Accepted: {u.accepted}",) if u.accepted else (),
        )
        rows.append(TableRow(cells, explained, of=u, aside=not u.is_open))
    return rows


def _row_note(shown: Shown, row: WorkRow) -> str:
    scatter = "" if math.isnan(row.pooled.sd) else f"scatter of repeats {100 * row.pooled.sd:.2g} %"
    return ", ".join(filter(None, ("less is better" if less_is_better(shown, row) else "", scatter)))


def _result_row(c: Compared, row: WorkRow, shown: Shown) -> TableRow:
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


def explain_verdict(c: Compared, row: WorkRow, shown: Shown) -> Explanation:
    """A verdict with the numbers of both cells."""
    assert c.verdict is not None
    v, result = c.verdict, shown.result
    base = next(x for x in row.cells if x.cell == result.baseline)
    delta = 100 * result.choice.delta
    less = less_is_better(shown, row)
    formula = [
        f"{c.score.mean:.5g} of {c.score.runs} runs",
        f"against {base.score.mean:.5g} of {base.score.runs}",
        f"{v.ratio:.4g} × as {'fast' if less else 'much'}: {percent(v.ratio)}",
    ]
    if less:
        time = 100 * (1 - c.score.mean / base.score.mean)
        formula.append(f"takes {abs(time):.1f} % {'less' if time >= 0 else 'more'} time")
    if v.has_interval:
        formula.append(f"95 %: {percent(v.low)} to {percent(v.high)}")
    meanings = {
        TIE: f"The 90 % interval lies within ± {delta:g} %: a tie is a result.",
        CANNOT_TELL: f"The interval neither excludes 0 nor lies within ± {delta:g} %.",
    }
    sure = f"The 95 % interval excludes 0, and the difference is at least {delta:g} %."
    both = [(x.cell.name, with_scatter(x.score, row.pooled)) for x in (c, base)]
    scatter = [
        f"{name}: scatter {100 * s.log_sd:.2g} %{' (borrowed)' if s.borrowed else ''}."
        for name, s in both
        if math.isfinite(s.log_sd)
    ]
    cautions = [v.words] if v.words else []
    if v.more_runs:
        cautions.append(f"{v.more_runs} more runs of each would tell with 80 % power.")
    cautions += [u.difference.words for u in result.unfair if u.cell == c.cell and u.is_open]
    return Explanation(
        f"{c.cell.name}: {ANSWERS[v.answer]}",
        meanings.get(v.answer, sure),
        tuple(formula),
        row.workload.name,
        " ".join(scatter) or "Single runs: no interval can be claimed.",
        "verdicts",
        tuple(cautions),
    )


def _index_row(name: str, index: Index) -> TableRow:
    between = f"{percent(index.low)} to {percent(index.high)}" if math.isfinite(index.low) else ""
    count = f"over {len(index.workloads)} workloads"
    apart = f"stands apart: {', '.join(index.outliers)}" if index.outliers else ""
    explained = Explanation(
        f"{name} over all workloads",
        "The geometric mean of the ratios: it does not depend on what is the base. Every workload counts the same.",
        (f"{index.ratio:.4g}", percent(index.ratio)),
        ", ".join(index.workloads),
        f"95 %: {between}" if between else "",
        "index",
        (apart,) if apart else (),
    )
    return TableRow(
        (f"All: {name}", "", "", "index", percent(index.ratio), between, "", "", "", "", apart or count), explained
    )
