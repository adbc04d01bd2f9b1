"""A part of a picture, in px from its upper left corner, and what is drawn in it."""

from typing import TYPE_CHECKING

from msgspec import Struct

from pinch.charts.draw.lettering import DPI, LABEL
from pinch.charts.theme import FIGURE_FACE, Theme

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


class Area(Struct, frozen=True):
    """Left and upper edge, width and height, px on the picture as designed."""

    left: float
    top: float
    width: float
    height: float

    def inside(self, left: float = 0.0, top: float = 0.0, right: float = 0.0, bottom: float = 0.0) -> "Area":
        """What is left within margins."""
        return Area(
            self.left + left,
            self.top + top,
            max(1.0, self.width - left - right),
            max(1.0, self.height - top - bottom),
        )

    def box(self, figure: "Figure") -> tuple[float, float, float, float]:
        """Left, lower edge, width and height as shares of the figure, as matplotlib counts."""
        wide, high = (inches * DPI for inches in figure.get_size_inches())
        return self.left / wide, 1.0 - (self.top + self.height) / high, self.width / wide, self.height / high


def plain_axes(figure: "Figure", area: Area, theme: Theme) -> "Axes":
    """Axes without box and ticks, of the theme's paper."""
    from pinch.charts.draw.ticks import PlainTicks

    axis = figure.add_axes(area.box(figure))
    axis.xaxis.set_major_formatter(PlainTicks())
    axis.yaxis.set_major_formatter(PlainTicks())
    axis.set_facecolor(theme.paper)
    for spine in axis.spines.values():
        spine.set_visible(False)
    axis.tick_params(colors=theme.quiet, labelfontfamily=FIGURE_FACE, labelsize=LABEL, length=0)
    axis.margins(x=0.0)
    return axis


def write_words(
    figure: "Figure",
    words: str,
    at: tuple[float, float],
    size: float,
    colour: str,
    bold: bool = False,
    align: str = "left",
) -> None:
    """Words whose first line's middle stands at `at`, px from the upper left corner."""
    wide, high = (inches * DPI for inches in figure.get_size_inches())
    figure.text(
        at[0] / wide,
        1.0 - at[1] / high,
        words,
        fontsize=size,
        color=colour,
        fontweight="bold" if bold else "normal",
        ha=align,
        va="center",
    )
