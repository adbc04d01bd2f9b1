"""A grid of one device as a table: in each field the average with its low, and what a row reaches."""

import math

from pinch.analysis.grid import Across, Grid, GridField, GridRow, Reached, lows_above, reached
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import alike, counted

CAP, MOST_NAMED = "cap", 4
LACKS = {Across.GRAPHICS_SHARE: "No setting at this limit notes how much memory its graphics have; note it on Bench."}


def matrix_headings(matrix: Grid, share: float) -> tuple[str, ...]:
    """What stands above the columns."""
    of_low = f" (low ≥ {100 * share:.0f} %)" if share > 0 else ""
    return ("Workload", *matrix.columns, f"Reaches{of_low}", "Worth knowing")


def matrix_rows(matrix: Grid, share: float) -> list[tuple[str, ...]]:
    """A row a workload, as they are printed."""
    return [
        (f"{row.name}, {row.unit}", *fields_of(row), _reaching(matrix, row, share), noticed(matrix, row))
        for row in matrix.rows
    ]


def matrix_words(matrix: Grid, device: str, share: float) -> str:
    """The finding of a grid in a sentence: which of its workloads reach the lowest of the wanted rates, and where."""
    if not matrix.rows:
        return LACKS.get(matrix.across, f"{device} has no results here yet.")
    rates = [row for row in matrix.rows if row.unit == "fps"]
    if not rates:
        return f"{device}: {counted(len(matrix.rows), 'workload')} by {matrix.across}."
    firsts = [(row, reached(matrix, row, share)[0]) for row in rates]
    there = [f"{row.name} {_up_to(matrix, row, r)}" for row, r in firsts if r.columns]
    low = f" with a low of {100 * share:.0f} % of it" if share > 0 else ""
    rate = f"{firsts[0][1].target_fps:g} fps{low}"
    if not there:
        return f"{device} reaches {rate} in none of {counted(len(rates), 'game')}."
    more = f"; and {len(there) - MOST_NAMED} more" if len(there) > MOST_NAMED else ""
    named = "; ".join(there[:MOST_NAMED])
    return f"{device} reaches {rate} in {len(there)} of {counted(len(rates), 'game')}: {named}{more}."


def fields_words(matrix: Grid) -> str:
    """What stands in the fields."""
    return f"In the fields: the average, and after the stroke the {LOW_NAMES.get(matrix.low, matrix.low)}."


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
    there = [f"{r.target_fps:g} fps {_up_to(matrix, row, r)}" for r in found if r.columns]
    return "; ".join(there) or f"none of {', '.join(f'{r.target_fps:g}' for r in found)} fps"


def _up_to(matrix: Grid, row: GridRow, found: Reached) -> str:
    """The columns at which a rate is reached: up to the heaviest, where it is at all that are lighter."""
    known = [name for name, field in zip(matrix.columns, row.fields, strict=True) if field is not None]
    is_up_to = matrix.across is Across.VARIANT and tuple(known[: len(found.columns)]) == found.columns
    return f"up to {found.columns[-1]}" if is_up_to and len(found.columns) > 1 else f"at {', '.join(found.columns)}"


def noticed(matrix: Grid, row: GridRow) -> str:
    """What is worth knowing of a row."""
    return next((f"low of “{a}” above the average of “{b}”" for a, b in lows_above(matrix, row)), "")
