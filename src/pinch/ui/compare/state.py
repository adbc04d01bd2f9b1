"""What the Compare page shows: bars, verdicts and fairness, in words and rows. No Qt."""

import math
from collections.abc import Callable
from functools import partial

from pinch.analysis.axes import CompareAxis
from pinch.analysis.capacity import capacity_groups
from pinch.analysis.cells import names_beside
from pinch.analysis.comparing import Compared, WorkRow
from pinch.core.index import Index
from pinch.core.metrics import Better
from pinch.core.printing import in_percent, plain, told_once
from pinch.language import numeral, tr
from pinch.narrative.compare_words import ShownComparison, capacity_words, difference, row_title
from pinch.narrative.explain_verdicts import (
    apart_words,
    explain_difference,
    explain_index,
    explain_rank,
    explain_verdict,
)
from pinch.narrative.verdict_words import index_interval, percent, verdict_words, why_no_interval
from pinch.ui.table_rows import TableRow

RESULT_COLUMNS = (
    *(
        "",
        tr("Result"),
        tr("Rank"),
        tr("Runs"),
        tr("Answer"),
        tr("Difference"),
        "95 %",
        "W",
        tr("for each W"),
        tr("Wall W"),
        tr("Battery W"),
        "dB(A)",
    ),
    *(tr("Hottest °C"), tr("Minutes"), tr("of Wh"), tr("min a Wh"), tr("of its units"), ""),
)
BESIDE = 10
"""Columns beside a result: from its watts to its units."""
RESULT_WORDS = (0, 4, 17)
FAIR_COLUMNS = ("", tr("What"), tr("It"), tr("Baseline"), tr("What it does"), tr("Accepted because"))


def axis_lack(axis: CompareAxis) -> str:
    """Why a comparison along an axis has nothing to show, and what would fill it."""
    return {
        CompareAxis.DEVICE: tr("No other device has a result of this workload at one limit. Try each at its highest."),
        CompareAxis.FIELD: tr("No other device has a result of this workload."),
        CompareAxis.WATTS: tr("No other device drew watts within a tenth of these under this workload."),
        CompareAxis.SETTING: tr("This device has one setting with results of this workload."),
        CompareAxis.VARIANT: tr(
            "This workload has one variant with results here. Add variants to it on the Bench page."
        ),
        CompareAxis.SUPPLY: tr(
            "No setting of this device was run on battery. Add one with the mains box off, and run it."
        ),
        CompareAxis.GRAPHICS_PATH: tr("All settings of this device take one graphics path."),
        CompareAxis.BUILDS: tr("This setting was run under one set of builds."),
        CompareAxis.MEMORY: tr("All settings of this device have the same memory."),
        CompareAxis.DAY: tr("This setting was run on one day, and nobody else tells of it."),
    }[axis]


def result_rows(shown: ShownComparison) -> list[TableRow]:
    """A row a cell and workload, then the index over all workloads."""
    rows, names = [], names_beside(shown.result.choice.cells)
    for row in shown.result.rows:
        title = ", ".join(filter(None, (row_title(row), _row_note(row))))
        rows.append(TableRow((title,), heading=True))
        groups = capacity_groups([c.cell.device for c in row.cells], row.metric)
        for group in groups:
            if len(groups) > 1:
                rows.append(TableRow((f" {capacity_words(group)}",), heading=True, aside=True))
            own = [c for c in row.cells if c.cell.device.id in group.device_ids]
            rows += [_result_row(c, names[c.cell.key], row, shown) for c in own]
    indexes = shown.result.indexes
    shared = next(iter(indexes.values())) if indexes else None
    if shared is not None and len(shared.workloads) > 1:
        rows.append(
            TableRow((tr("Index over the {extent} that all of them share", extent=shared.extent),), heading=True)
        )
        rows += [_index_row(name, index) for name, index in indexes.items()]
    left_out = told_once(n.text for c in shown.result.choice.cells for n in c.left_out)
    rows += [TableRow((text,), heading=True, aside=True) for text in left_out]
    return rows


def fair_rows(shown: ShownComparison) -> list[TableRow]:
    """Every difference of conditions, the worst open ones first."""
    rows = []
    for u in shown.result.unfair:
        d = u.difference
        cells = (u.cell.name, d.what, d.a, d.b, d.effect, u.accepted)
        rows.append(
            TableRow(cells, partial(explain_difference, u, shown.result.baseline.name), of=u, aside=not u.is_open)
        )
    return rows


def _row_note(row: WorkRow) -> str:
    return "" if math.isnan(row.pooled.sd) else tr("scatter of repeats {sd}", sd=in_percent(row.pooled.sd))


def _result_row(c: Compared, name: str, row: WorkRow, shown: ShownComparison) -> TableRow:
    b = c.beside
    per_watt = c.score.mean / b.power_w if b.power_w and row.metric.better is Better.MORE else None
    level, hottest = b.noise.level if b.noise else None, b.hottest.touch.temp_c if b.hottest else None
    holds = c.cell.device.battery.usable_wh if b.minutes is not None else None
    each_wh = b.minutes / holds if b.minutes is not None and holds else None
    units = c.yields[0].share if c.yields else None
    values = (b.power_w, per_watt, b.wall_w, b.battery_w, level, hottest, b.minutes, holds, each_wh, units)
    tenth, whole, three = partial(numeral, form=".1f"), partial(numeral, form=".0f"), partial(plain, digits=3)
    formats: tuple[Callable[[float], str], ...]
    formats = (tenth, three, tenth, tenth, tenth, tenth, whole, whole, tenth, in_percent)
    beside = ("" if v is None else written(v) for v, written in zip(values, formats, strict=True))
    answer, apart, between = _answer(c, row, shown)
    ratio = c.verdict.ratio if c.verdict is not None else 1.0
    rank = row.rank(c)
    cells = (f"   {name}", row.printed[c.cell.name], str(rank), c.score.behind_briefly, answer, apart, between)
    keys = (c.cell.name, c.score.mean, rank, c.score.runs, answer, ratio, ratio)
    known = (math.nan if v is None else v for v in values)
    explain = partial(explain_verdict, c, row, shown) if c.verdict is not None else partial(explain_rank, c, row)
    return TableRow((*cells, *beside, c.told), explain, of=c, keys=(*keys, *known, c.told))


def _answer(c: Compared, row: WorkRow, shown: ShownComparison) -> tuple[str, str, str]:
    """The answer, the difference and its interval in words."""
    v = c.verdict
    if v is None:
        alone = len(shown.result.choice.cells) == 1
        what = "" if alone else tr("baseline") if c.cell == shown.result.baseline else tr("the baseline has none")
        return what, "", ""
    between = tr("{low} to {high}", low=percent(v.low), high=percent(v.high)) if v.has_interval else tr("none")
    return verdict_words(v) if v.has_interval else why_no_interval(v), difference(c, row, shown), between


def _index_row(name: str, index: Index) -> TableRow:
    ratio, between = percent(index.ratio), index_interval(index)
    note = apart_words(index) or tr("over {extent}", extent=index.extent)
    cells = (f"   {name}", numeral(100 * index.ratio, ".1f"), "", "", "index", ratio, between, *[""] * BESIDE, note)
    none = [math.nan] * BESIDE
    keys: tuple[float | str, ...] = (name, index.ratio, *none[:3], index.ratio, index.ratio, *none, note)
    return TableRow(cells, keys=keys, explain=partial(explain_index, name, index))
