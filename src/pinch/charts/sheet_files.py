"""The timeline of a run sheet as a matplotlib figure."""

from typing import TYPE_CHECKING

from pinch.charts.runsheet import BLOCK_KINDS, SheetChart, clock
from pinch.charts.theme import FIGURE_FACE, FILE_HATCHES, Theme, block_look

if TYPE_CHECKING:
    from matplotlib.figure import Figure

DPI = 100


def draw_sheet(chart: SheetChart, theme: Theme, size: tuple[int, int], bare: bool = False) -> "Figure":
    """The timeline as a figure of `size` pixels; a `bare` one leaves title and footnote to the page it stands on."""
    from matplotlib.figure import Figure
    from matplotlib.patches import Patch
    from matplotlib.ticker import FuncFormatter, MultipleLocator

    figure = Figure(figsize=(size[0] / DPI, size[1] / DPI))
    axis = figure.add_axes((0.1, 0.2 if bare else 0.16, 0.88, 0.66 if bare else 0.62))
    axis.set_facecolor(theme.paper)
    for place, row in enumerate(chart.rows):
        for block in row.blocks:
            face, edge, hatch = block_look(block.kind, block.slot, theme)
            axis.broken_barh(
                [(block.start_h, block.end_h - block.start_h)],
                (place - 0.36, 0.72),
                facecolor=face,
                edgecolor=edge,
                hatch=FILE_HATCHES[hatch],
                linewidth=0.6 if block.kind in ("run", "done", "void") else 0.0,
            )
    axis.set_xlim(chart.first_h, chart.last_h)
    axis.set_ylim(len(chart.rows) - 0.5, -0.5)
    axis.set_yticks(range(len(chart.rows)), [row.label for row in chart.rows])
    axis.xaxis.set_major_locator(MultipleLocator(1.0 if chart.last_h - chart.first_h <= 14 else 2.0))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda x, _: clock(x)))
    axis.tick_params(colors=theme.quiet, labelfontfamily=FIGURE_FACE, labelsize=9, length=0)
    for spine in axis.spines.values():
        spine.set_visible(False)
    axis.grid(axis="x", color=theme.hairline, linewidth=0.7)
    axis.set_axisbelow(True)
    looks = [(BLOCK_KINDS[k], block_look(k, chart.slot, theme)) for k in chart.kinds]
    keys = [Patch(facecolor=f, edgecolor=e, hatch=FILE_HATCHES[h], linewidth=0.6, label=w) for w, (f, e, h) in looks]
    axis.legend(
        handles=keys, loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=7, frameon=False, fontsize=9,
        labelcolor=theme.quiet, handlelength=1.2,
    )  # fmt: skip
    if not bare:
        figure.text(0.03, 0.93, chart.title, color=theme.ink, fontsize=15, fontweight="bold", va="center")
        figure.text(0.03, 0.03, chart.footnote, color=theme.quiet, fontsize=9)
    return figure
