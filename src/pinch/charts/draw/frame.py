"""A whole picture: title, finding, chart and notes within safe margins.

Nothing stands nearer to the edge than 5 %, the safe title area of SMPTE ST 2046-1 (from memory), so that players and
screens that cut the edge cut nothing that matters.
"""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from pinch.charts.bar_chart import BarChart
from pinch.charts.draw import bars, dumbbells, multiples, panels, shares, sheet, slopes, tables
from pinch.charts.draw.area import Area, write_words
from pinch.charts.draw.lettering import DPI, FINDING, NOTE, TITLE, line_height, set_up, wrapped
from pinch.charts.dumbbell_chart import DumbbellChart
from pinch.charts.face import Drawn, Face
from pinch.charts.multiples_chart import GridChart
from pinch.charts.runsheet_chart import SheetChart
from pinch.charts.share_chart import ShareChart
from pinch.charts.slope_chart import SlopeChart
from pinch.charts.spec import Chart
from pinch.charts.table_chart import TableChart
from pinch.charts.theme import Theme

if TYPE_CHECKING:
    from matplotlib.figure import Figure

WIDTH, HEIGHT = 1280, 720
SAFE = 0.05
MOST_FINDING_LINES, MOST_NOTE_LINES = 3, 6
AIR = 14.0
_DRAW: dict[type[Any], Callable[[Any, "Figure", Area, Theme], None]] = {
    Chart: panels.draw_panels,
    BarChart: bars.draw_bars,
    SheetChart: sheet.draw_sheet,
    ShareChart: shares.draw_shares,
    DumbbellChart: dumbbells.draw_dumbbells,
    SlopeChart: slopes.draw_slopes,
    GridChart: multiples.draw_multiples,
    TableChart: tables.draw_table,
}
_HEIGHT: dict[type[Any], Callable[[Any], float]] = {
    Chart: panels.panel_height,
    BarChart: bars.bars_height,
    SheetChart: lambda chart: 90.0 + 36.0 * len(chart.rows),
    ShareChart: shares.shares_height,
    DumbbellChart: dumbbells.dumbbells_height,
    SlopeChart: slopes.slopes_height,
    GridChart: multiples.multiples_height,
    TableChart: tables.table_height,
}


class _Lines(Struct, frozen=True):
    """The words of a picture as they break, the size of the finding's letters, and what they leave for the chart."""

    title: Sequence[str]
    finding: Sequence[str]
    size: float
    notes: Sequence[str]
    area: Area

    @property
    def chart(self) -> Area:
        """The place of the chart."""
        above = line_height(TITLE) * len(self.title) + line_height(self.size) * len(self.finding)
        return self.area.inside(top=above + AIR, bottom=line_height(NOTE) * len(self.notes) + AIR)


def draw_face(face: Face, theme: Theme, size: tuple[int, int] = (WIDTH, HEIGHT)) -> "Figure":
    """The picture as a figure of `size` px at 100 dpi."""
    figure = _figure(size)
    lines = _lines(face, size)
    area, top = lines.area, lines.area.top
    for line in lines.title:
        write_words(figure, line, (area.left, top + 9), TITLE, theme.quiet, bold=True)
        top += line_height(TITLE)
    for line in lines.finding:
        write_words(figure, line, (area.left, top + line_height(lines.size) / 2), lines.size, theme.ink, bold=True)
        top += line_height(lines.size)
    bottom = area.top + area.height - line_height(NOTE) * len(lines.notes)
    for number, line in enumerate(lines.notes):
        write_words(figure, line, (area.left, bottom + line_height(NOTE) * (number + 0.5)), NOTE, theme.quiet)
    draw_chart(face.chart, figure, lines.chart, theme)
    return figure


def chart_area(face: Face, size: tuple[int, int] = (WIDTH, HEIGHT)) -> Area:
    """Where the chart stands in a picture."""
    set_up()
    return _lines(face, size).chart


def _lines(face: Face, size: tuple[int, int]) -> _Lines:
    area = Area(0, 0, *size).inside(SAFE * size[0], SAFE * size[1], SAFE * size[0], SAFE * size[1])
    title = wrapped(face.title, TITLE, area.width, bold=True)[:2] if face.title else []
    finding = wrapped(face.finding, FINDING, area.width, bold=True)
    smaller = FINDING if len(finding) <= MOST_FINDING_LINES - 1 else 0.82 * FINDING
    finding = _cut(wrapped(face.finding, smaller, area.width, bold=True), MOST_FINDING_LINES)
    notes = _cut(wrapped("  ·  ".join(face.notes), NOTE, area.width) if face.notes else [], MOST_NOTE_LINES)
    return _Lines(title, finding, smaller, notes, area)


def draw_bare(chart: Drawn, theme: Theme, wide: int) -> "Figure":
    """The chart alone, for a page that has its own words: so wide, and as high as it needs."""
    high = bare_height(chart, wide)
    figure = _figure((wide, high))
    draw_chart(chart, figure, Area(0, 0, wide, high).inside(6, 6, 6, 6), theme)
    return figure


def draw_chart(chart: Drawn, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw a chart of any kind into an area."""
    _DRAW[type(chart)](chart, figure, area, theme)


def bare_height(chart: Drawn, wide: int) -> int:
    """How high a chart alone is where it is so wide, px."""
    return round(min(1.2 * wide, _HEIGHT[type(chart)](chart) + 12))


def _figure(size: tuple[int, int]) -> "Figure":
    from matplotlib.figure import Figure

    set_up()
    return Figure(figsize=(size[0] / DPI, size[1] / DPI), dpi=DPI)


def _cut(lines: list[str], most: int) -> list[str]:
    """At most so many lines; where some are lost, the last says so."""
    return lines if len(lines) <= most else [*lines[: most - 1], f"{lines[most - 1].rstrip('.;·, ')} …"]
