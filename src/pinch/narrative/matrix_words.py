"""A grid of one device as a table: in each field the average with its low, and what a row reaches."""

import math

from pinch.analysis.grid import Across, Grid, GridField, GridRow, Reached, lows_above, reached
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import alike, number_word

CAP = "cap"


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


def matrix_words(matrix: Grid, device: str) -> str:
    """The finding of a grid in a sentence."""
    if not matrix.rows:
        return f"{device} has no results here yet."
    many = len(matrix.rows)
    fields = sum(f is not None for row in matrix.rows for f in row.fields)
    low = LOW_NAMES.get(matrix.low, matrix.low)
    words = f"{device}: {number_word(many)} {'workload' if many == 1 else 'workloads'} by {matrix.across}"
    return f"{words}, {fields} fields: average, and after the stroke the {low}."


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
    return "; ".join(f"low of {a} above the average of {b}" for a, b in lows_above(matrix, row)[:2])
