"""Small multiples drawn by matplotlib."""

import math
from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, write_words
from pinch.charts.draw.keys import draw_devices
from pinch.charts.draw.lettering import LABEL, shortened
from pinch.charts.draw.panels import draw_panels
from pinch.charts.multiples_chart import GridChart
from pinch.charts.theme import Theme

if TYPE_CHECKING:
    from matplotlib.figure import Figure

KEY, CAPTION, GUTTER = 30.0, 26.0, 18.0


def draw_multiples(chart: GridChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the cells in rows; the key stands above all of them."""
    if not chart.cells:
        return
    draw_devices(figure, chart.key, area.left, area.top + 10, theme)
    columns = columns_of(len(chart.cells))
    rows = math.ceil(len(chart.cells) / columns)
    wide = (area.width - GUTTER * (columns - 1)) / columns
    high = (area.height - KEY) / rows
    for number, cell in enumerate(chart.cells):
        row, column = divmod(number, columns)
        place = Area(area.left + column * (wide + GUTTER), area.top + KEY + row * high, wide, high)
        words = shortened(cell.title, LABEL, wide, bold=True)
        write_words(figure, words, (place.left, place.top + 12), LABEL, theme.ink, bold=True)
        draw_panels(cell, figure, place.inside(top=CAPTION - 6), theme, named=False)


def columns_of(cells: int) -> int:
    """Columns of a grid on a wide picture."""
    return min(cells, math.ceil(math.sqrt(1.5 * cells)))


def multiples_height(chart: GridChart) -> float:
    """About how high the grid should be in a column of text, px."""
    columns = columns_of(len(chart.cells)) if chart.cells else 1
    return KEY + 260.0 * math.ceil(len(chart.cells) / columns)
