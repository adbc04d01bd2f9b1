"""Cards of one device over a grid: workloads by variants or settings, average and low in each field."""

from pinch.analysis.cells import BenchCell, cells_of
from pinch.analysis.grid import Across, Grid, grid_of
from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import BookPoints
from pinch.analysis.work_metrics import keys_of
from pinch.charts.table_chart import Heading, TableChart, in_words
from pinch.core.errors import PinchError
from pinch.core.figures import finite
from pinch.core.metrics import LOW_NAMES
from pinch.language import tr
from pinch.narrative.cards.content import Found
from pinch.narrative.matrix_words import matrix_headings, matrix_rows, matrix_words

LOW = "low_1.percentile"


def make(book: BookPoints, base: BenchCell, across: str, measure: str, share: float) -> Found:
    """The card of a grid of a cell's device.

    Raises
    ------
    PinchError : there is nothing to show.
    """
    low = next((key for key in keys_of(measure) if key in LOW_NAMES), LOW)
    grid = grid_of(book, cells_of(book), base, Across(across), low)
    if not grid.rows:
        raise PinchError(tr("The device has no results for this grid any more."))
    first, *fields = matrix_headings(grid, share)
    places = range(1, 1 + len(grid.columns))
    headings = (Heading(first, words=True), *(Heading(h, words=n not in places) for n, h in enumerate(fields, 1)))
    rows = matrix_rows(grid, share)
    chart = TableChart("", headings, tuple(rows), alternative=in_words(headings, rows))
    shown = [f for row in grid.rows for f in row.fields if f is not None]
    runs = [p for f in shown for p in f.cell.points.get(f.workload.id, ())]
    typed = [r for f in shown for r in f.cell.results.get(f.workload.id, ())]
    method = [tr("after the stroke: {low_names}", low_names=LOW_NAMES[low])]
    finding = matrix_words(grid, f"{base.device.name}, {base.setting.name}", share)
    return Found(finding, chart, _table(grid), runs, method, typed=typed)


def _table(grid: Grid) -> Table:
    """The grid as numbers, a row a field."""
    names = ("workload", "column", "average", "low", "unit", "at its cap")
    rows: list[tuple[Cell, ...]] = [
        (row.name, name, finite(f.average), finite(f.low), row.unit, f.capped)
        for row in grid.rows
        for name, f in zip(grid.columns, row.fields, strict=True)
        if f is not None
    ]
    return Table("matrix", tuple(map(Column, names)), tuple(rows))
