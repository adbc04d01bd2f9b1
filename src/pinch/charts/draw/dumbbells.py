"""Pairs of values drawn by matplotlib."""

import math
from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, plain_axes, write_words
from pinch.charts.draw.keys import draw_mark
from pinch.charts.draw.lettering import LABEL, line_height, width
from pinch.charts.draw.rows import rows_in
from pinch.charts.draw.spoken import speak
from pinch.charts.dumbbell_chart import Ball, DumbbellChart
from pinch.charts.theme import FILE_MARKERS, MARKERS, Theme
from pinch.core.printing import plain

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

KEY, AXIS_ROOM, MOST_ROW = 34.0, 56.0, 86.0
AIR = 0.12


def draw_dumbbells(chart: DumbbellChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the pairs, their ends named above."""
    if not chart.rows:
        return
    rows = rows_in(area, [r.label for r in chart.rows], [r.words for r in chart.rows], KEY, AXIS_ROOM, MOST_ROW)
    place = rows.place
    _draw_ends(chart, figure, place.left, area.top + 10, theme)
    axis = plain_axes(figure, place, theme)
    axis.grid(axis="x", color=theme.hairline, linewidth=0.7)
    for number, r in enumerate(chart.rows):
        colour = theme.devices[r.slot % len(theme.devices)]
        axis.plot([r.first.value, r.second.value], [number, number], color=colour, linewidth=2.4 if r.sure else 1.0)
        for ball, face in ((r.first, theme.paper), (r.second, colour)):
            _draw_ball(axis, ball, number, r.slot, colour, face, theme)
        for end, ball in zip(chart.ends, (r.first, r.second), strict=True):
            said = f"{r.label}, {end}: {plain(ball.value)} {chart.x_unit}".rstrip()
            speak(axis, ball.value, number, said, r.slot)
        rows.write(figure, number, r.label, r.words, theme, r.sure)
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
        [ball.value], [row], linestyle="none", marker=FILE_MARKERS[MARKERS[slot % len(MARKERS)]], markersize=11,
        markerfacecolor=face, markeredgecolor=colour, markeredgewidth=1.8,
    )  # fmt: skip


def dumbbells_height(chart: DumbbellChart) -> float:
    """About how high the pairs should be in a column of text, px."""
    return KEY + AXIS_ROOM + (line_height(LABEL) + 16) * len(chart.rows)
