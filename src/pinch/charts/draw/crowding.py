"""How much of a chart finds no room in its picture: what is drawn there cannot be read, or is not drawn at all."""

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from pinch.charts.bar_chart import BarChart
from pinch.charts.draw.area import Area
from pinch.charts.draw.bars import most_bars, most_groups
from pinch.charts.draw.frame import chart_area
from pinch.charts.draw.lettering import LABEL, NOTE, line_height
from pinch.charts.draw.tables import columns_shown, rows_shown
from pinch.charts.dumbbell_chart import DumbbellChart
from pinch.charts.face import Face
from pinch.charts.multiples_chart import GridChart
from pinch.charts.share_chart import ShareChart
from pinch.charts.slope_chart import SlopeChart
from pinch.charts.spec import Chart
from pinch.charts.table_chart import TableChart
from pinch.language import tr

LEAST_CELL = 190.0 * 120.0
"""A small chart needs so many px² to be read: common practice, no source."""
MOST_LINES = 12
"""Lines of one panel that can be told apart by colour and marker: common practice, no source."""
KEY_ROOM = 60.0
"""What the key above rows and the axis below them take, px."""


class Crowding(Struct, frozen=True):
    """So many things there are, of which a picture has room for `legible`."""

    what: str
    there: int
    legible: int


def crowding(face: Face) -> Crowding | None:
    """What of a picture of 1280 × 720 px cannot be read; None where all of it can."""
    count = _COUNTS.get(type(face.chart))
    found = count(face.chart, chart_area(face)) if count is not None else None
    return found if found is not None and found.legible < found.there else None


def _bars(chart: BarChart, area: Area) -> Crowding:
    groups = chart.groups[: most_groups(area.height)]
    most = most_bars(area.height / max(1, len(groups)))
    return Crowding("bars", sum(len(g.bars) for g in chart.groups), sum(min(most, len(g.bars)) for g in groups))


def _rows(chart: DumbbellChart | ShareChart, area: Area) -> Crowding:
    return Crowding("rows", len(chart.rows), int((area.height - KEY_ROOM) / line_height(NOTE)))


def _slopes(chart: SlopeChart, area: Area) -> Crowding:
    return Crowding("lines", len(chart.lines), int((area.height - KEY_ROOM) / line_height(LABEL)))


def _cells(chart: GridChart, area: Area) -> Crowding:
    return Crowding(tr("small charts"), len(chart.cells), int(area.width * area.height / LEAST_CELL))


def _lines(chart: Chart, area: Area) -> Crowding:
    named = max((len({line.label for line in panel.lines if line.label}) for panel in chart.panels), default=0)
    return Crowding("lines", named, MOST_LINES)


def _table(chart: TableChart, area: Area) -> Crowding:
    rows, columns = rows_shown(chart, area), columns_shown(chart, area)
    return Crowding("fields", len(chart.rows) * len(chart.headings), rows * columns)


_COUNTS: dict[type[Any], Callable[[Any, Area], Crowding]] = {
    BarChart: _bars,
    DumbbellChart: _rows,
    ShareChart: _rows,
    SlopeChart: _slopes,
    GridChart: _cells,
    Chart: _lines,
    TableChart: _table,
}
