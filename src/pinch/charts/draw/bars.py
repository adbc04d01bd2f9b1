"""A bar chart drawn by matplotlib."""

import math
from typing import TYPE_CHECKING

from msgspec.structs import replace

from pinch.charts.bar_chart import BarChart, BarGroup, legible
from pinch.charts.draw.area import Area, plain_axes, write_words
from pinch.charts.draw.lettering import LABEL, NOTE, TITLE, line_height, shortened, width
from pinch.charts.draw.spoken import speak
from pinch.charts.theme import FIGURE_FACE, LIGHT_FILL, Theme
from pinch.language import tr

if TYPE_CHECKING:
    from matplotlib.figure import Figure

WIDEST_LABEL, WIDEST_WORDS = 300.0, 330.0
LEAST_ROW, MOST_ROW, TITLE_ROOM = line_height(NOTE) + 1.0, 56.0, 30.0


def draw_bars(chart: BarChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the groups below each other, all on one row height."""
    if not any(g.bars for g in chart.groups):
        return
    lost = chart.groups[most_groups(area.height) :]
    if lost:
        more = tr(
            "{lost} more groups, {bars} bars, are not drawn, but in the table file",
            lost=len(lost),
            bars=sum(len(g.bars) for g in lost),
        )
        bottom = (area.left, area.top + area.height - LEAST_ROW / 2)
        write_words(figure, more, bottom, NOTE, theme.quiet)
        chart, area = replace(chart, groups=chart.groups[: -len(lost)]), area.inside(bottom=LEAST_ROW)
    chart = legible(chart, most_bars(area.height / len(chart.groups)))
    rows = sum(len(g.bars) for g in chart.groups)
    row = min(MOST_ROW, (area.height - TITLE_ROOM * len(chart.groups)) / rows)
    bars = [b for g in chart.groups for b in g.bars]
    left = min(WIDEST_LABEL, max(width(b.label, LABEL, b.subject) for b in bars) + 14)
    words = min(WIDEST_WORDS, max(width(b.words, NOTE) for b in bars) + 10)
    values = max(width(text, LABEL, True) for g in chart.groups for text in g.printed) + 30
    top = area.top
    for group in chart.groups:
        write_words(
            figure,
            shortened(group.title, LABEL, area.width, bold=True),
            (area.left, top + 12),
            LABEL,
            theme.ink,
            bold=True,
        )
        high = row * len(group.bars)
        place = Area(area.left, top + TITLE_ROOM - 4, area.width, high).inside(left=left, right=values + words)
        _draw_group(group, figure, place, theme, (left, values, words))
        top += TITLE_ROOM + high


def most_groups(height: float) -> int:
    """How many groups find room in so much height, px, each with its title and a bar at least."""
    return max(1, int((height - LEAST_ROW) / (TITLE_ROOM + LEAST_ROW)))


def most_bars(height: float) -> int:
    """How many bars of one group can be read in so much height, px."""
    return max(1, int((height - TITLE_ROOM) / LEAST_ROW))


def _draw_group(
    group: BarGroup, figure: "Figure", place: Area, theme: Theme, widths: tuple[float, float, float]
) -> None:
    axis = plain_axes(figure, place, theme)
    axis.tick_params(labelbottom=False, labelleft=False)
    row = place.height / len(group.bars)
    left, values, words = widths
    for number, bar in enumerate(group.bars):
        colour = theme.devices[bar.slot % len(theme.devices)]
        alpha = 1.0 if bar.subject else LIGHT_FILL
        axis.barh(number, bar.value, height=0.66 if bar.subject else 0.5, color=colour, alpha=alpha)
        if math.isfinite(bar.low):
            axis.plot([bar.low, bar.high], [number, number], color=theme.ink, linewidth=1.4, marker="|", markersize=8)
        middle = place.top + row * (number + 0.5)
        said = f"{bar.label}: {group.printed[number]}{f', {bar.words}' if bar.words else ''}"
        speak(axis, bar.value, number, said, bar.slot)
        label = shortened(bar.label, LABEL, left - 12, bar.subject)
        write_words(figure, label, (place.left - 10, middle), LABEL, theme.ink, bar.subject, "right")
        end = place.left + place.width
        axis.annotate(
            group.printed[number], (1.0, number), xycoords=("axes fraction", "data"), xytext=((values - 16) * 0.72, 0),
            textcoords="offset points", color=theme.ink, fontsize=LABEL, fontfamily=FIGURE_FACE, ha="right",
            va="center", fontweight="bold" if bar.subject else "normal",
        )  # fmt: skip
        write_words(figure, shortened(bar.words, NOTE, words), (end + values, middle), NOTE, theme.quiet)
    axis.set_yticks([])
    axis.set_xlim(0, group.longest)
    axis.set_ylim(len(group.bars) - 0.5, -0.5)


def bars_height(chart: BarChart) -> float:
    """About how high the bars should be in a column of text, px."""
    return sum(TITLE_ROOM + (TITLE + 19) * len(g.bars) for g in chart.groups)
