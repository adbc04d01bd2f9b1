"""Shares of the load by what held it, drawn by matplotlib."""

from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, plain_axes
from pinch.charts.draw.keys import draw_causes
from pinch.charts.draw.lettering import LABEL, NOTE, line_height
from pinch.charts.draw.rows import rows_in
from pinch.charts.draw.spoken import speak
from pinch.charts.share_chart import ShareChart
from pinch.charts.theme import Theme
from pinch.language import tr

if TYPE_CHECKING:
    from matplotlib.figure import Figure

KEY, AXIS_ROOM, MOST_ROW = 34.0, 44.0, 64.0
LEAST_NAMED = 0.07
"""A stretch shorter than this share has no number in it."""


def draw_shares(chart: ShareChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw the rows with the key of their causes above."""
    if not chart.rows:
        return
    rows = rows_in(area, [r.label for r in chart.rows], [r.words for r in chart.rows], KEY, AXIS_ROOM, MOST_ROW)
    place = rows.place
    draw_causes(figure, chart.causes, place.left + place.width, area.top + 10, theme)
    axis = plain_axes(figure, place, theme)
    for number, r in enumerate(chart.rows):
        start = 0.0
        for cause, share in r.shares:
            fill, line = theme.causes[cause]
            axis.barh(
                number, 100 * share, left=100 * start, height=0.62, facecolor=fill, edgecolor=line,
                hatch=cause.hatch, linewidth=0.0,
            )  # fmt: skip
            said = tr("{row}: {cause}, {share:.0f} % of the load", row=r.label, cause=cause.label, share=100 * share)
            speak(axis, 100 * (start + share / 2), number, said, 0)
            if share >= LEAST_NAMED:
                box = {"facecolor": theme.paper, "edgecolor": "none", "pad": 1.5}
                middle = 100 * (start + share / 2)
                axis.text(
                    middle, number, f"{100 * share:.0f}", color=theme.ink, fontsize=NOTE, ha="center", va="center",
                    bbox=box,
                )  # fmt: skip
            start += share
        rows.write(figure, number, r.label, r.words, theme)
    axis.set_yticks([])
    axis.set_xlim(0, 100)
    axis.set_ylim(len(chart.rows) - 0.5, -0.5)
    axis.set_xlabel(tr("Share of the load, %"), color=theme.ink, fontsize=LABEL)


def shares_height(chart: ShareChart) -> float:
    """About how high the rows should be in a column of text, px."""
    return KEY + AXIS_ROOM + 30.0 + (line_height(LABEL) + 12) * len(chart.rows)
