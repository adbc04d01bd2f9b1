"""A bar chart drawn by matplotlib."""

import math
import textwrap
from typing import TYPE_CHECKING, Any

from pinch.charts.bars import BarChart, BarGroup
from pinch.charts.spec import unbroken
from pinch.charts.theme import FIGURE_FACE, Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

TITLE_WIDTH, NOTE_WIDTH = 105, 190
LIGHT_FILL = 0.45
LABEL_WIDTH = 30


def draw_bars(chart: BarChart, theme: Theme, size: tuple[int, int], dpi: int) -> "Figure":
    """The chart as a figure of `size` pixels."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(size[0] / dpi, size[1] / dpi))
    heights = [max(1, len(g.bars)) + 0.8 for g in chart.groups] or [1]
    notes = [line for note in chart.footnotes for line in textwrap.wrap(unbroken(note), NOTE_WIDTH)]
    bottom = 0.04 + 0.022 * len(notes)
    axes: Any = figure.subplots(len(heights), 1, squeeze=False, height_ratios=heights)
    figure.subplots_adjust(left=0.22, right=0.7, top=0.85, bottom=bottom, hspace=0.5)
    title = textwrap.fill(unbroken(chart.title), TITLE_WIDTH)
    figure.text(0.03, 0.94, title, color=theme.ink, fontsize=15, fontweight="bold", va="center")
    for n, note in enumerate(notes):
        figure.text(0.03, bottom - 0.03 - 0.022 * n, note, color=theme.quiet, fontsize=8.5, va="center")
    for axis, group in zip(axes[:, 0], chart.groups, strict=False):
        _draw_group(axis, group, theme)
    return figure


def _draw_group(axis: "Axes", group: BarGroup, theme: Theme) -> None:
    axis.set_facecolor(theme.paper)
    for spine in axis.spines.values():
        spine.set_visible(False)
    axis.tick_params(length=0, labelbottom=False)
    axis.set_title(group.title, loc="left", fontsize=10, fontweight="bold", color=theme.ink, pad=3)
    for row, bar in enumerate(group.bars):
        colour = theme.devices[bar.slot % len(theme.devices)]
        alpha = 1.0 if bar.subject else LIGHT_FILL
        axis.barh(row, bar.value, height=0.66 if bar.subject else 0.5, color=colour, alpha=alpha)
        if math.isfinite(bar.low):
            axis.plot([bar.low, bar.high], [row, row], color=theme.ink, linewidth=1.4, marker="|", markersize=7)
        axis.text(
            1.02 * group.longest, row, f"{bar.value:.4g}", color=theme.ink, fontsize=9.5, va="center",
            fontfamily=FIGURE_FACE, fontweight="bold" if bar.subject else "normal",
        )  # fmt: skip
        axis.text(1.16 * group.longest, row, bar.words, color=theme.quiet, fontsize=9, va="center")
    axis.set_yticks(range(len(group.bars)), [_shortened(b.label) for b in group.bars])
    for label, bar in zip(axis.get_yticklabels(), group.bars, strict=True):
        label.set_color(theme.ink)
        label.set_fontsize(9.5)
        label.set_fontweight("bold" if bar.subject else "normal")
    axis.set_xlim(0, group.longest)
    axis.set_ylim(len(group.bars) - 0.4, -0.6)


def _shortened(label: str) -> str:
    """The label, without its middle where it is too long: its end tells settings apart."""
    half = LABEL_WIDTH // 2
    return label if len(label) <= LABEL_WIDTH else f"{label[:half]}…{label[1 - half :]}"
