"""The timeline of a run sheet, drawn by matplotlib."""

from typing import TYPE_CHECKING

from pinch.charts.draw.area import Area, plain_axes
from pinch.charts.draw.lettering import LABEL, NOTE, width
from pinch.charts.runsheet_chart import BLOCK_KINDS, SheetChart, clock
from pinch.charts.theme import TEXT_FACE, Theme, block_look

if TYPE_CHECKING:
    from matplotlib.figure import Figure

KEY, CLOCK, RIGHT = 26.0, 30.0, 30.0


def draw_sheet(chart: SheetChart, figure: "Figure", area: Area, theme: Theme) -> None:
    """Draw a row a day with its blocks along the clock."""
    from matplotlib.patches import Patch
    from matplotlib.ticker import FuncFormatter, MultipleLocator

    days = max((width(row.label, LABEL) for row in chart.rows), default=0.0) + 14
    axis = plain_axes(figure, area.inside(left=days, top=KEY, right=RIGHT, bottom=CLOCK), theme)
    for place, row in enumerate(chart.rows):
        for block in row.blocks:
            face, edge, hatch = block_look(block.kind, block.slot, theme)
            axis.broken_barh(
                [(block.start_h, block.end_h - block.start_h)],
                (place - 0.36, 0.72),
                facecolor=face,
                edgecolor=edge,
                hatch=hatch,
                linewidth=0.6 if block.kind in ("run", "done", "void") else 0.0,
            )
    axis.set_xlim(chart.first_h, chart.last_h)
    axis.set_ylim(len(chart.rows) - 0.5, -0.5)
    axis.set_yticks(range(len(chart.rows)), [row.label for row in chart.rows])
    axis.tick_params(axis="y", labelfontfamily=TEXT_FACE)
    axis.xaxis.set_major_locator(MultipleLocator(1.0 if chart.last_h - chart.first_h <= 14 else 2.0))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda x, _: clock(x)))
    axis.grid(axis="x", color=theme.hairline, linewidth=0.7)
    axis.set_axisbelow(True)
    looks = [(BLOCK_KINDS[k], block_look(k, chart.slot, theme)) for k in chart.kinds]
    keys = [Patch(facecolor=f, edgecolor=e, hatch=h, linewidth=0.6, label=w) for w, (f, e, h) in looks]
    axis.legend(
        handles=keys, loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=7, frameon=False, fontsize=NOTE,
        labelcolor=theme.quiet, handlelength=1.2,
    )  # fmt: skip
