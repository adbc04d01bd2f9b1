"""Slopes from one generation to the next, drawn by matplotlib."""

from typing import TYPE_CHECKING

import numpy as np

from pinch.charts.draw.area import Area, plain_axes, write_words
from pinch.charts.draw.lettering import LABEL, NOTE, line_height, shortened, width
from pinch.charts.draw.spoken import speak
from pinch.charts.placing import spread
from pinch.charts.slope_chart import SlopeChart
from pinch.charts.theme import FILE_MARKERS, MARKERS, Theme
from pinch.core.printing import plain

if TYPE_CHECKING:
    from matplotlib.figure import Figure

HEAD, WIDEST = 40.0, 420.0
LEFT = 70.0
END_ROOM, MIDDLE_ROOM = 0.48, 0.9
"""Of the way from column to column, for the name of the first or last, and of one between."""


def draw_slopes(chart: SlopeChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the lines; their names stand at their ends, moved apart where they would meet."""
    if not chart.lines:
        return
    names = [f"{s.label}: {s.words}" for s in chart.lines]
    right = min(WIDEST, max(width(n, LABEL, True) for n in names) + 34)
    place = area.inside(left=LEFT, right=right, top=HEAD, bottom=14)
    axis = plain_axes(figure, place, theme)
    axis.grid(axis="y", color=theme.hairline, linewidth=0.7)
    axis.axhline(100.0, color=theme.quiet, linewidth=0.9, linestyle=":")
    x = np.arange(len(chart.columns), dtype=float)
    colour = theme.devices[chart.slot % len(theme.devices)]
    for number, slope in enumerate(chart.lines):
        axis.plot(
            x, slope.values, color=colour, linewidth=2.2 if slope.sure else 1.2, linestyle="-" if slope.sure else ":",
            marker=FILE_MARKERS[MARKERS[number % len(MARKERS)]], markersize=9, markerfacecolor=theme.paper,
            markeredgewidth=1.6,
        )  # fmt: skip
        for nth, (column, value) in enumerate(zip(chart.columns, slope.values, strict=True)):
            if np.isfinite(value):
                speak(axis, nth, value, f"{slope.label}, {column}: {plain(value)} %", chart.slot)
    low, high = bounds(chart)
    axis.set_ylim(low, high)
    axis.set_xlim(-0.06, len(x) - 0.94)
    axis.set_xticks([])
    axis.set_title(chart.y_title, loc="left", fontsize=LABEL, fontweight="bold", color=theme.ink, pad=22)
    step = place.width / max(1.0, len(x) - 0.88)
    for number, column in enumerate(chart.columns):
        at = place.left + step * (number + 0.06)
        align = "left" if number == 0 else "right" if number == len(x) - 1 else "center"
        room = END_ROOM if align != "center" else MIDDLE_ROOM  # a middle one reaches to both sides
        words = shortened(column, LABEL, room * step)
        write_words(figure, words, (at, area.top + HEAD - 12), LABEL, theme.quiet, align=align)
    ends = [s.values[-1] if np.isfinite(s.values[-1]) else low for s in chart.lines]
    wanted = [place.top + place.height * (high - end) / (high - low) for end in ends]
    for slope, name, y in zip(chart.lines, names, spread(wanted, line_height(LABEL)), strict=True):
        end = (place.left + place.width + 14, y)
        write_words(
            figure, shortened(name, LABEL, right - 20, True), end, LABEL, theme.letters(chart.slot), bold=slope.sure
        )


def bounds(chart: SlopeChart) -> tuple[float, float]:
    """Lowest and highest % to show, with air; 100 is always within."""
    values = [v for s in chart.lines for v in s.values if np.isfinite(v)] + [100.0]
    air = 0.12 * (max(values) - min(values)) or 5.0
    return min(values) - air, max(values) + air


def slopes_height(chart: SlopeChart) -> float:
    """About how high the lines should be in a column of text, px."""
    return max(260.0, HEAD + 40 + 1.6 * line_height(NOTE) * len(chart.lines))
