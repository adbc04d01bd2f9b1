"""Pairs of values drawn by matplotlib."""

import math
from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, plain_axes, write_words
from pinch.charts.draw.keys import draw_mark
from pinch.charts.draw.lettering import LABEL, NOTE, line_height, shortened, width
from pinch.charts.draw.panels import MARKER
from pinch.charts.dumbbells import Ball, DumbbellChart
from pinch.charts.theme import MARKERS, Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

KEY, AXIS_ROOM, MOST_ROW = 34.0, 56.0, 86.0
WIDEST_LABEL, WIDEST_WORDS = 300.0, 300.0
AIR = 0.12


def draw_dumbbells(chart: DumbbellChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the pairs, their ends named above."""
    if not chart.rows:
        return
    left = min(WIDEST_LABEL, max(width(r.label, LABEL) for r in chart.rows) + 14)
    right = min(WIDEST_WORDS, max(width(r.words, NOTE) for r in chart.rows) + 16)
    row = min(MOST_ROW, (area.height - KEY - AXIS_ROOM) / len(chart.rows))
    place = Area(area.left, area.top + KEY, area.width, row * len(chart.rows)).inside(left=left, right=right)
    _draw_ends(chart, figure, place.left, area.top + 10, theme)
    axis = plain_axes(figure, place, theme)
    axis.grid(axis="x", color=theme.hairline, linewidth=0.7)
    for number, r in enumerate(chart.rows):
        colour = theme.devices[r.slot % len(theme.devices)]
        axis.plot([r.first.value, r.second.value], [number, number], color=colour, linewidth=2.4 if r.sure else 1.0)
        for ball, face in ((r.first, theme.paper), (r.second, colour)):
            _draw_ball(axis, ball, number, r.slot, colour, face, theme)
        middle = place.top + row * (number + 0.5)
        label = shortened(r.label, LABEL, left - 12)
        write_words(figure, label, (place.left - 10, middle), LABEL, theme.ink, align="right")
        words = shortened(r.words, NOTE, right - 12)
        at = (place.left + place.width + 12, middle)
        write_words(figure, words, at, NOTE, theme.ink if r.sure else theme.quiet)
    axis.set_yticks([])
    axis.set_xlim(*span(chart))
    axis.set_ylim(len(chart.rows) - 0.5, -0.5)
    axis.set_xlabel(f"{chart.x_title}, {chart.x_unit}", color=theme.ink, fontsize=LABEL)


def span(chart: DumbbellChart) -> tuple[float, float]:
    """From where to where the axis goes: places are compared, not lengths, so it need not begin at zero."""
    ends = [x for r in chart.rows for ball in (r.first, r.second) for x in (ball.value, ball.low, ball.high)]
    known = [x for x in ends if math.isfinite(x)]
    air = AIR * (max(known) - min(known)) or 0.1 * abs(max(known)) or 1.0
    return min(known) - air, max(known) + air


def _draw_ends(chart: DumbbellChart, figure: "Figure", left: float, middle: float, theme: Theme) -> None:
    slot = chart.rows[0].slot
    x = left + 8
    for words, face in zip(chart.ends, (theme.paper, theme.quiet), strict=True):
        draw_mark(figure, (x, middle), slot, theme.quiet, face)
        write_words(figure, words, (x + 14, middle), LABEL, theme.ink)
        x += 14 + width(words, LABEL) + 30


def _draw_ball(axis: "Axes", ball: Ball, row: int, slot: int, colour: str, face: str, theme: Theme) -> None:
    if math.isfinite(ball.low):
        axis.plot([ball.low, ball.high], [row, row], color=theme.ink, linewidth=1.2, marker="|", markersize=8)
    axis.plot(
        [ball.value], [row], linestyle="none", marker=MARKER[MARKERS[slot % len(MARKERS)]], markersize=11,
        markerfacecolor=face, markeredgecolor=colour, markeredgewidth=1.8,
    )  # fmt: skip


def dumbbells_height(chart: DumbbellChart) -> float:
    """About how high the pairs should be in a column of text, px."""
    return KEY + AXIS_ROOM + (line_height(LABEL) + 16) * len(chart.rows)
