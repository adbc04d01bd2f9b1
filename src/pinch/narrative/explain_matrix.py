"""What the margin says of the fields of a grid."""

import math

from pinch.analysis.comparing import CellMetric
from pinch.analysis.grid import AT_CAP, Grid, GridField, GridRow, lows_above, reached
from pinch.bench.records import workload_words
from pinch.core.extent import Extent
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import in_percent, plain
from pinch.language import tr
from pinch.narrative.explanation import Explanation


def explain_field(grid: Grid, row: GridRow, column: int) -> Explanation | None:
    """A field: its rate and its low, of how many runs, with their intervals; None where it is empty."""
    field = row.fields[column]
    if field is None:
        return None
    formula = []
    if field.main is not None:
        formula.append(tr("average {value}", value=_value(field.main, row.unit)))
    if field.low_rate is not None:
        formula.append(f"{LOW_NAMES.get(grid.low, grid.low)} {_value(field.low_rate, row.unit)}")
    if field.main is not None and field.low_rate is not None and field.average > 0:
        formula.append(tr("low ÷ average: {low}", low=in_percent(field.low / field.average)))
    over = tr("all of the scene") if field.workload.extent is Extent.SCENE else tr("the settled window")
    cautions = list(dict.fromkeys(v.told for v in (field.main, field.low_rate) if v is not None and v.told))
    if field.capped:
        cap = field.workload.frame_cap_fps or math.nan
        cautions.append(
            tr("Held by its cap of {cap:g} fps: from {at_cap} of it on.", cap=cap, at_cap=in_percent(AT_CAP))
        )
    return Explanation(
        f"{row.name}, {grid.columns[column]}",
        tr("{cell} under {workload_words}.", cell=field.cell.name, workload_words=workload_words(field.workload)),
        tuple(formula),
        tr("Over {over}.", over=over),
        _sure(field),
        "metrics",
        tuple(cautions),
    )


def explain_reach(grid: Grid, row: GridRow, share: float) -> Explanation:
    """Which columns reach each rate, by which rule; and lows above another average."""
    of_low = tr(", and its low at least {share} of it", share=in_percent(share)) if share > 0 else ""
    lines = (
        [
            tr("{target_fps:g} fps: {columns}", target_fps=r.target_fps, columns=", ".join(r.columns) or tr("nowhere"))
            for r in reached(grid, row, share)
        ]
        if row.unit == "fps"
        else []
    )
    above = [tr("the low of {a} lies above the average of {b}", a=a, b=b) for a, b in lows_above(grid, row)]
    return Explanation(
        row.name,
        tr(
            "A rate is reached where the average is at least that{of_low}. Means are compared, not their intervals.",
            of_low=of_low,
        ),
        (*lines, *above),
        ", ".join(grid.columns),
        "",
        "metrics",
    )


def _value(of: CellMetric, unit: str) -> str:
    low, high = of.score.interval()
    between = tr(" (95 %: {low} to {high})", low=plain(low, 4), high=plain(high, 4)) if math.isfinite(low) else ""
    return f"{plain(of.score.mean, 4)} {unit}".rstrip() + tr(
        " of {behind}{between}", behind=of.score.behind, between=between
    )


def _sure(field: GridField) -> str:
    known = [v for v in (field.main, field.low_rate) if v is not None and math.isfinite(v.score.log_sd)]
    if not known:
        return tr("Nothing was repeated: no interval can be claimed.")
    return tr("Scatter of repeats {log_sd}.", log_sd=in_percent(known[0].score.log_sd))
