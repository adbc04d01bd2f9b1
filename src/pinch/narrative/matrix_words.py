"""A grid of one device as a table: in each field the average with its low, and what a row reaches."""

import math

from pinch.analysis.grid import Across, Grid, GridField, GridRow, Reached, lows_above, reached
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import alike, counted
from pinch.language import numeral, tr

CAP, MOST_NAMED = tr("cap"), 4
LACKS = {
    Across.GRAPHICS_SHARE: tr("No setting at this limit notes how much memory its graphics have; note it on Bench.")
}


def matrix_headings(matrix: Grid, share: float) -> tuple[str, ...]:
    """What stands above the columns."""
    of_low = tr(" (low ≥ {share:.0f} %)", share=100 * share) if share > 0 else ""
    return (tr("Workload"), *matrix.columns, tr("Reaches{of_low}", of_low=of_low), tr("Worth knowing"))


def matrix_rows(matrix: Grid, share: float) -> list[tuple[str, ...]]:
    """A row a workload, as they are printed."""
    return [
        (f"{row.name}, {row.unit}", *fields_of(row), _reaching(matrix, row, share), noticed(matrix, row))
        for row in matrix.rows
    ]


def matrix_words(matrix: Grid, device: str, share: float) -> str:
    """The finding of a grid in a sentence: which of its workloads reach the lowest of the wanted rates, and where."""
    if not matrix.rows:
        return LACKS.get(matrix.across, tr("{device} has no results here yet.", device=device))
    rates = [row for row in matrix.rows if row.unit == "fps"]
    if not rates:
        return tr(
            "{device}: {rows} by {across}.",
            device=device,
            rows=counted(len(matrix.rows), "workload"),
            across=matrix.across,
        )
    firsts = [(row, reached(matrix, row, share)[0]) for row in rates]
    there = [f"{row.name} {_up_to(matrix, row, r)}" for row, r in firsts if r.columns]
    low = tr(" with a low of {share:.0f} % of it", share=100 * share) if share > 0 else ""
    rate = tr("{target_fps:g} fps{low}", target_fps=firsts[0][1].target_fps, low=low)
    if not there:
        return tr(
            "{device} reaches {rate} in none of {rates}.", device=device, rate=rate, rates=counted(len(rates), "game")
        )
    more = tr("; and {there} more", there=len(there) - MOST_NAMED) if len(there) > MOST_NAMED else ""
    named = "; ".join(there[:MOST_NAMED])
    return tr(
        "{device} reaches {rate} in {there} of {rates}: {named}{more}.",
        device=device,
        rate=rate,
        there=len(there),
        rates=counted(len(rates), "game"),
        named=named,
        more=more,
    )


def fields_words(matrix: Grid) -> str:
    """What stands in the fields."""
    return tr("In the fields: the average, and after the stroke the {low}.", low=LOW_NAMES.get(matrix.low, matrix.low))


def fields_of(row: GridRow) -> tuple[str, ...]:
    """The fields of a row: average and low, with the decimals of their row, and a word where a cap holds it."""
    values = [*(f.average if f else math.nan for f in row.fields), *(f.low if f else math.nan for f in row.fields)]
    texts = alike(values, 3)
    averages, lows = texts[: len(row.fields)], texts[len(row.fields) :]
    return tuple(_field(f, a, low) for f, a, low in zip(row.fields, averages, lows, strict=True))


def _field(field: GridField | None, average: str, low: str) -> str:
    if field is None:
        return ""
    words = average if math.isnan(field.low) else f"{average} | {low}"
    return f"{words} {CAP}" if field.capped else words


def _reaching(matrix: Grid, row: GridRow, share: float) -> str:
    """At which columns each rate is reached."""
    if row.unit != "fps":
        return ""
    found = reached(matrix, row, share)
    there = [
        tr("{target_fps:g} fps {up_to}", target_fps=r.target_fps, up_to=_up_to(matrix, row, r))
        for r in found
        if r.columns
    ]
    return "; ".join(there) or tr("none of {words} fps", words=", ".join(numeral(r.target_fps, "g") for r in found))


def _up_to(matrix: Grid, row: GridRow, found: Reached) -> str:
    """The columns at which a rate is reached: up to the heaviest, where it is at all that are lighter."""
    known = [name for name, field in zip(matrix.columns, row.fields, strict=True) if field is not None]
    is_up_to = matrix.across is Across.VARIANT and tuple(known[: len(found.columns)]) == found.columns
    return (
        tr("up to {columns}", columns=found.columns[-1])
        if is_up_to and len(found.columns) > 1
        else tr("at {columns}", columns=", ".join(found.columns))
    )


def noticed(matrix: Grid, row: GridRow) -> str:
    """What is worth knowing of a row."""
    return next((tr("low of “{a}” above the average of “{b}”", a=a, b=b) for a, b in lows_above(matrix, row)), "")
