"""The Compare page: how much of an uplift comes from watts, and each run by its day. No Qt."""

from functools import partial

import numpy as np

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import WorkRow
from pinch.analysis.curves import ScaleResult
from pinch.charts.spec import Chart, Dots, Panel
from pinch.core.errors import DataError
from pinch.core.generations import UpliftSplit, split_uplift
from pinch.core.ladder import Ladder
from pinch.language import tr
from pinch.narrative.compare_words import ShownComparison, headline
from pinch.narrative.explain_verdicts import design_interval, explain_uplift, points_words, read_at
from pinch.narrative.verdict_words import percent
from pinch.ui.table_rows import TableRow

GENERATION_COLUMNS = ("", tr("Uplift"), tr("At equal watts"), "95 %", tr("By more watts"), "")


def generation_rows(shown: ShownComparison, curves: ScaleResult | None) -> list[TableRow]:
    """How much of each uplift comes from watts, for every workload with a curve of both devices."""
    rows = []
    base = shown.result.baseline if shown.result.choice.cells else None
    for row in shown.result.rows if curves is not None and base is not None else ():
        for c in row.cells:
            if base is None or curves is None or c.verdict is None or c.cell.device.id == base.device.id:
                continue
            name = f"{c.cell.name}: {row.workload.name}"
            try:
                split = _split(curves, row, c.cell, base)
            except DataError as error:
                rows.append(TableRow((name, percent(c.verdict.ratio), "", "", "", error.reason), aside=True))
            else:
                rows.append(_split_row(name, split, c.cell, base))
    return rows


def time_chart(shown: ShownComparison) -> Chart | None:
    """Every run of the compared cells by its day, where that is known, as a share of the baseline's mean; None where
    there are none."""
    runs = [
        (c.cell, p.run.started, score / base * 100.0)
        for row in shown.result.rows
        for base in [next((x.score.mean for x in row.cells if x.cell == shown.result.baseline), None)]
        if base
        for c in row.cells
        for p in c.cell.points.get(row.workload.id, ())
        if not p.run.undated and (score := p.value_of(row.metric.key)) is not None
    ]
    if not runs:
        return None
    first = min(at for _, at, _ in runs)
    dots = []
    for cell in shown.result.choice.cells:
        own = [(at, value) for c, at, value in runs if c == cell]
        days = np.array([(at - first).total_seconds() / 86400.0 for at, _ in own])
        values = np.array([value for _, value in own])
        dots.append(Dots(days, values, tuple(cell.name for _ in own), shown.slots.get(cell.device.id, 0)))
    panel = Panel(tr("Score of each run, baseline = 100"), "%", dots=tuple(dots), from_zero=False, key="runs")
    words = tr("{runs} runs since {first:%Y-%m-%d}.", runs=len(runs), first=first)
    return Chart(
        headline(shown),
        (panel,),
        tr("Days since {first:%-d %B %Y}", first=first),
        "d",
        footnote=words,
        alternative=words,
    )


def _split(curves: ScaleResult, row: WorkRow, cell: BenchCell, base: BenchCell) -> UpliftSplit:
    def ladder_of(of: BenchCell) -> tuple[Ladder, float]:
        series = next(
            (s for s in curves.series if s.device.id == of.device.id and s.workload.id == row.workload.id), None
        )
        if series is None or series.scaling is None:
            reason = series.reason if series is not None else tr("it has no runs")
            raise DataError("uplift", tr("no curve of {device}: {reason}", device=of.device.name, reason=reason))
        mean = next((mean for mean in series.settings if mean.setting.id == of.setting.id), None)
        if mean is None:
            raise DataError("uplift", tr("no watts of {of} were measured in the room of the curves", of=of.name))
        return series.scaling.ladder, mean.power_w

    new, new_w = ladder_of(cell)
    old, old_w = ladder_of(base)
    return split_uplift(new, new_w, old, old_w)


def _split_row(name: str, split: UpliftSplit, cell: BenchCell, base: BenchCell) -> TableRow:
    total, design, watts = percent(1 + split.total), points_words(split.design), points_words(split.watts)
    cells = (name, total, design, design_interval(split), watts, read_at(split))
    return TableRow(cells, partial(explain_uplift, cell.name, base.name, split))
