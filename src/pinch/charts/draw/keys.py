"""Keys of a picture in one row: causes with their hatches, series with their marks."""

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from pinch.charts.draw.area import write_words
from pinch.charts.draw.lettering import DPI, LABEL, NOTE, shortened, width
from pinch.charts.theme import FILE_MARKERS, MARKERS, Theme
from pinch.core.causes import Cause

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SWATCH, GAP = 22.0, 18.0


def draw_causes(figure: "Figure", causes: Sequence[Cause], right: float, middle: float, theme: Theme) -> None:
    """The causes that occur, ending at `right`."""
    x = right - math.fsum(SWATCH + 6 + width(c.label, NOTE) for c in causes) - GAP * (len(causes) - 1)
    for cause in causes:
        fill, line = theme.causes[cause]
        _swatch(figure, x, middle, fill, line, cause.hatch)
        write_words(figure, cause.label, (x + SWATCH + 6, middle), NOTE, theme.quiet)
        x += SWATCH + 6 + width(cause.label, NOTE) + GAP


def draw_devices(figure: "Figure", named: Sequence[tuple[str, int]], left: float, middle: float, theme: Theme) -> None:
    """Names with the colour and marker of their slot, from `left` on."""
    x = left
    for name, slot in named:
        colour = theme.devices[slot % len(theme.devices)]
        draw_mark(figure, (x + 7, middle), slot, colour, theme.paper)
        write_words(figure, name, (x + 20, middle), LABEL, theme.letters(slot), bold=True)
        x += 20 + width(name, LABEL, bold=True) + GAP


def draw_lines(
    figure: "Figure", named: Sequence[tuple[str, int]], left: float, right: float, middle: float, theme: Theme
) -> None:
    """Names of lines after a piece of each, between `left` and `right`; dashed from the seventh slot on."""
    from matplotlib.lines import Line2D

    wide, high = (inches * DPI for inches in figure.get_size_inches())
    most = (right - left - (SWATCH + 6 + GAP) * len(named)) / len(named)
    x, y = left, 1.0 - middle / high
    for name, slot in named:
        colour = theme.devices[slot % len(theme.devices)]
        ends = [x / wide, (x + SWATCH) / wide]
        is_dashed = slot >= len(theme.devices)
        piece = Line2D(ends, [y, y], color=colour, linewidth=1.7, transform=figure.transFigure)
        piece.set_linestyle("--" if is_dashed else "-")
        figure.add_artist(piece)
        words = shortened(name, LABEL, most, bold=True)
        write_words(figure, words, (x + SWATCH + 6, middle), LABEL, theme.letters(slot), bold=True)
        x += SWATCH + 6 + width(words, LABEL, bold=True) + GAP


def draw_mark(figure: "Figure", at: tuple[float, float], slot: int, colour: str, face: str) -> None:
    """The marker of a slot at a place, px from the upper left corner."""
    from matplotlib.lines import Line2D

    wide, high = (inches * DPI for inches in figure.get_size_inches())
    marker = FILE_MARKERS[MARKERS[slot % len(MARKERS)]]
    mark = Line2D(
        [at[0] / wide], [1.0 - at[1] / high], marker=marker, markersize=8, color=colour, markerfacecolor=face,
        markeredgewidth=1.6, transform=figure.transFigure,
    )  # fmt: skip
    figure.add_artist(mark)


def _swatch(figure: "Figure", x: float, middle: float, fill: str, line: str, hatch: str) -> None:
    from matplotlib.patches import Rectangle

    wide, high = (inches * DPI for inches in figure.get_size_inches())
    box = Rectangle(
        (x / wide, 1.0 - (middle + 7) / high), SWATCH / wide, 14 / high, facecolor=fill, edgecolor=line, hatch=hatch,
        linewidth=0.0, transform=figure.transFigure,
    )  # fmt: skip
    figure.add_artist(box)
