"""A table as a picture, drawn by matplotlib."""

import math
from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, write_words
from pinch.charts.draw.lettering import DPI, LABEL, NOTE, line_height, shortened, width, wrapped
from pinch.charts.table_chart import TableChart
from pinch.charts.theme import Theme
from pinch.language import tr

if TYPE_CHECKING:
    from matplotlib.figure import Figure

GAP, WIDEST, LEAST_ROW, MOST_ROW = 16.0, 330.0, line_height(NOTE) + 4.0, 52.0
HEAD_LINES = 3
HEAD = HEAD_LINES * line_height(NOTE) + 8


def draw_table(chart: TableChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the rows that find room, with hairlines between; what does not is named below."""
    columns, shown = _columns(chart, area.width), rows_shown(chart, area)
    row = min(MOST_ROW, (area.height - HEAD - line_height(NOTE)) / max(1, shown))
    x = area.left
    for c, wide in enumerate(columns):
        heading = chart.headings[c]
        lines = wrapped(heading.name, NOTE, wide)
        lines = lines[: HEAD_LINES - bool(heading.unit)] + ([heading.unit] if heading.unit else [])
        at, align = (x, "left") if heading.words or c == 0 else (x + wide, "right")
        for number, line in enumerate(reversed(lines)):
            y = area.top + HEAD - 14 - number * line_height(NOTE)
            write_words(figure, line, (at, y), NOTE, theme.quiet, align=align)
        for r, cells in enumerate(chart.rows[:shown]):
            strong = r in chart.strong or (c == 0 and not chart.strong)
            words = shortened(cells[c], LABEL, wide, strong)
            write_words(figure, words, (at, area.top + HEAD + row * (r + 0.5)), LABEL, theme.ink, strong, align)
        x += wide + GAP
    for r in range(shown + 1):
        _hairline(figure, area, area.top + HEAD + row * r, theme.ink if r == 0 else theme.hairline)
    lacks = []
    if shown < len(chart.rows):
        lacks.append(tr("{rows} more rows", rows=len(chart.rows) - shown))
    if len(columns) < len(chart.headings):
        lacks.append(f"{', '.join(h.name for h in chart.headings[len(columns) :])}")
    if lacks:
        words = tr("Not drawn for want of room, but in the table file: {lacks}.", lacks="; ".join(lacks))
        write_words(figure, words, (area.left, area.top + HEAD + row * shown + 14), NOTE, theme.quiet)


def rows_shown(chart: TableChart, area: Area) -> int:
    """How many rows find room."""
    return min(len(chart.rows), max(1, int((area.height - HEAD - line_height(NOTE)) / LEAST_ROW)))


def columns_shown(chart: TableChart, area: Area) -> int:
    """How many columns find room."""
    return len(_columns(chart, area.width))


def _columns(chart: TableChart, within: float) -> list[float]:
    """Widths of the columns that find room, px; room that is left over is shared."""
    wide = []
    for c, heading in enumerate(chart.headings):
        cells = max((width(row[c], LABEL, True) for row in chart.rows), default=0.0)
        name = max(width(word, NOTE) for word in (*heading.name.split(" "), heading.unit))
        wide.append(min(WIDEST, max(cells, name) + 2))
    kept = len(wide)
    while kept > 2 and math.fsum(wide[:kept]) + GAP * (kept - 1) > within:
        kept -= 1
    spare = max(0.0, within - math.fsum(wide[:kept]) - GAP * (kept - 1))
    return [w + min(40.0, spare / kept) for w in wide[:kept]]


def _hairline(figure: "Figure", area: Area, y: float, colour: str) -> None:
    from matplotlib.lines import Line2D

    wide, high = (inches * DPI for inches in figure.get_size_inches())
    ends = [area.left / wide, (area.left + area.width) / wide]
    at = 1.0 - y / high
    figure.add_artist(Line2D(ends, [at, at], color=colour, linewidth=0.8, transform=figure.transFigure))


def table_height(chart: TableChart) -> float:
    """About how high the table should be in a column of text, px."""
    return HEAD_LINES * line_height(NOTE) + 12 + (LEAST_ROW + 3) * len(chart.rows) + line_height(NOTE)
