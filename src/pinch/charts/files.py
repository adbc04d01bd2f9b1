"""Chart specs as files: PNG and SVG, drawn by matplotlib with the shipped fonts, text kept as text in SVG."""

import io
import textwrap
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from pinch.bench.files import replace_file
from pinch.charts.bar_files import draw_bars
from pinch.charts.bars import BarChart
from pinch.charts.runsheet import SheetChart
from pinch.charts.sheet_files import draw_sheet
from pinch.charts.spec import Chart, Dots, Panel, minutes, unbroken
from pinch.charts.theme import CAUSE_WORDS, FIGURE_FACE, FILE_HATCHES, FONTS, HATCHES, LIGHT, MARKERS, TEXT_FACE, Theme
from pinch.core.errors import PinchError

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

DPI = 100
TITLE_WIDTH, FOOTNOTE_WIDTH = 105, 185
_MARKER = {"square": "s", "circle": "o", "diamond": "D", "triangle": "^", "plus": "P", "cross": "X"}


Drawn = Chart | SheetChart | BarChart


def write_chart(chart: Drawn, path: Path, theme: Theme = LIGHT, size: tuple[int, int] = (1280, 720)) -> None:
    """Write a chart to `path`, .png or .svg; an existing file is replaced only by a complete one.

    Raises
    ------
    PinchError : another ending, or the file cannot be written.
    """
    kind = path.suffix.lower().lstrip(".")
    if kind not in ("png", "svg"):
        raise PinchError(
            f"{path}: a chart is written as .png or .svg, not as {path.suffix or 'a file without ending'}."
        )
    content = io.BytesIO()
    try:
        figure = draw(chart, theme, size)
        metadata = {"Title": chart.title, "Description": chart.alternative}
        if kind == "svg":
            metadata["Date"] = None  # type: ignore[assignment]  # the same chart gives the same bytes
        figure.savefig(content, format=kind, dpi=DPI, facecolor=theme.paper, metadata=metadata)
        replace_file(path, content.getvalue())
    except OSError as error:
        raise PinchError(f"{path}: the chart cannot be written ({error.strerror}).") from None


def svg_text(chart: SheetChart, theme: Theme, size: tuple[int, int]) -> str:
    """A timeline as an SVG element to stand inside a page, without title."""
    _set_up()
    text = io.StringIO()
    draw_sheet(chart, theme, size, bare=True).savefig(text, format="svg", transparent=True, metadata={"Date": None})
    return text.getvalue()[text.getvalue().index("<svg") :]


def draw(chart: Drawn, theme: Theme, size: tuple[int, int]) -> "Figure":
    """The chart as a matplotlib figure of `size` pixels."""
    from matplotlib.figure import Figure

    _set_up()
    if isinstance(chart, SheetChart):
        return draw_sheet(chart, theme, size)
    if isinstance(chart, BarChart):
        return draw_bars(chart, theme, size, DPI)
    figure = Figure(figsize=(size[0] / DPI, size[1] / DPI))
    strip_height = 0.32 if chart.strip else 0.0
    heights = ([strip_height] if chart.strip else []) + [1.0] * len(chart.panels)
    axes: Any = figure.subplots(len(heights), 1, sharex=True, squeeze=False, height_ratios=heights)
    rows: list[Axes] = list(axes[:, 0])
    figure.subplots_adjust(left=0.075, right=0.86, top=0.86, bottom=0.13, hspace=0.28)
    figure.text(
        0.03,
        0.94,
        textwrap.fill(unbroken(chart.title), TITLE_WIDTH),
        color=theme.ink,
        fontsize=15,
        fontweight="bold",
        va="center",
    )
    if chart.footnote:
        words = textwrap.fill(unbroken(chart.footnote), FOOTNOTE_WIDTH)
        figure.text(0.03, 0.015, words, color=theme.quiet, fontsize=9, va="bottom")
    if chart.strip:
        _draw_strip(rows.pop(0), chart, theme)
    for axis, panel in zip(rows, chart.panels, strict=True):
        _draw_panel(axis, panel, chart, theme)
    rows[-1].set_xlabel(f"{chart.x_title}, {chart.x_unit}", color=theme.ink, fontsize=10)
    if chart.clock:
        rows[-1].xaxis.set_major_formatter(lambda x, _: minutes(x))
        rows[-1].xaxis.set_major_locator(_clock_locator(rows[-1].get_xlim()))
    else:
        low, high = rows[-1].get_xlim()
        first = 0.0 if chart.x_from_zero else low - 0.12 * (high - low)
        rows[-1].set_xlim(first, high + 0.12 * (high - first))
    return figure


def _set_up() -> None:
    """Fonts from the package only, text kept as text, repeatable identifiers."""
    import matplotlib as mpl
    from matplotlib import font_manager

    known = {entry.fname for entry in font_manager.fontManager.ttflist}
    for font in sorted(FONTS.glob("*.otf")):
        if str(font) not in known:
            font_manager.fontManager.addfont(font)
    mpl.rcParams.update(
        {
            "font.family": [TEXT_FACE, FIGURE_FACE, "DejaVu Sans"],
            "svg.fonttype": "none",
            "svg.hashsalt": "pinch",
            "hatch.linewidth": 0.8,
        }
    )


def _draw_strip(axis: "Axes", chart: Chart, theme: Theme) -> None:
    shown: dict[str, None] = {}
    for s in chart.strip:
        fill, line = theme.causes[s.cause]
        axis.axvspan(
            s.start, s.end, facecolor=fill, edgecolor=line, hatch=FILE_HATCHES[HATCHES[s.cause]], linewidth=0.0
        )
        shown[s.cause] = None
    axis.set_yticks([])
    axis.set_title("What held it", loc="left", fontsize=10, fontweight="bold", color=theme.ink, pad=4)
    from matplotlib.patches import Patch

    keys = [
        Patch(
            facecolor=theme.causes[c][0],
            edgecolor=theme.causes[c][1],
            hatch=FILE_HATCHES[HATCHES[c]],
            linewidth=0.0,
            label=CAUSE_WORDS[c],
        )
        for c in shown
    ]
    axis.legend(
        handles=keys,
        loc="lower right",
        bbox_to_anchor=(1.0, 1.0),
        ncols=len(keys),
        frameon=False,
        fontsize=9,
        labelcolor=theme.quiet,
        handlelength=1.2,
        borderaxespad=0.2,
    )
    _plain(axis, theme)
    axis.tick_params(labelbottom=False)


def _draw_panel(axis: "Axes", panel: Panel, chart: Chart, theme: Theme) -> None:
    _plain(axis, theme)
    axis.set_title(
        f"{panel.title}, {panel.unit}" if panel.unit else panel.title,
        loc="left",
        fontsize=10,
        fontweight="bold",
        color=theme.ink,
        pad=4,
    )
    axis.grid(axis="y", color=theme.hairline, linewidth=0.7)
    if chart.window:
        axis.axvspan(chart.window.start, chart.window.end, color=theme.window, linewidth=0.0, zorder=0)
    for gap in chart.gaps:
        axis.axvspan(
            gap.start,
            gap.end,
            facecolor=theme.paper,
            edgecolor=theme.quiet,
            hatch="..",
            linewidth=0,
            zorder=0.5,
        )
    for band in panel.bands:
        axis.fill_between(band.x, band.low, band.high, color=theme.devices[band.slot % 6], alpha=0.15, linewidth=0)
    for line in panel.lines:
        colour = theme.devices[line.slot % 6]
        axis.plot(line.x, line.y, color=colour, linewidth=1.3, linestyle="--" if line.dashed else "-")
        if line.label:
            at = float(line.x[line.label_at])
            before = panel.words_before(at)
            axis.annotate(
                line.label,
                (at, line.y[line.label_at]),
                xytext=(-4 if before else 9, -12 if line.label_under else 12),
                textcoords="offset points",
                color=colour,
                fontweight="bold",
                fontsize=11,
                ha="right" if before else "left",
                va="center",
            )
    for dots in panel.dots:
        _draw_dots(axis, panel, dots, theme)
    for rule in panel.rules:
        _draw_rule(axis, rule.at, rule.words, rule.upright, theme.accent if rule.accent else theme.quiet)
    if chart.reader is not None:
        axis.axvline(chart.reader, color=theme.ink, linewidth=0.9)
    for mark in chart.marks:
        axis.axvline(mark.at, color=theme.accent, linewidth=0.9, linestyle=":")
    axis.set_ylim(*panel.y_range)


def _draw_dots(axis: "Axes", panel: Panel, dots: Dots, theme: Theme) -> None:
    aside = theme.accent if dots.spot else theme.quiet if dots.light or dots.told else ""
    colour = aside or theme.devices[dots.slot % 6]
    marker = "x" if dots.told else "|" if dots.light else _MARKER[MARKERS[dots.slot % len(MARKERS)]]
    axis.plot(
        dots.x,
        dots.y,
        linestyle="none",
        marker="o" if dots.spot else marker,
        markersize=20 if dots.light else 13 if dots.spot else 7,
        markerfacecolor="none" if dots.spot else theme.paper,
        markeredgecolor=colour,
        markeredgewidth=1.8 if dots.spot else 1.4,
    )
    for x, y, words in zip(dots.x, dots.y, dots.texts, strict=True) if dots.told or dots.spot else ():
        before = not dots.spot and panel.words_before(x)
        axis.annotate(
            words,
            (x, y),
            xytext=(-8, 8) if before else (8, -10),
            textcoords="offset points",
            ha="right" if before else "left",
            va="bottom" if before else "top",
            color=colour,
            fontsize=10,
        )


def _draw_rule(axis: "Axes", at: float, words: str, upright: bool, colour: str) -> None:
    if upright:
        axis.axvline(at, color=colour, linewidth=1.0, linestyle="--")
        axis.annotate(
            words,
            (at, 0.04),
            xycoords=("data", "axes fraction"),
            xytext=(5, 0),
            textcoords="offset points",
            color=colour,
            fontsize=9,
        )
    else:
        axis.axhline(at, color=colour, linewidth=0.9, linestyle=":")
        axis.annotate(
            words,
            (1.0, at),
            xycoords=("axes fraction", "data"),
            xytext=(5, 0),
            textcoords="offset points",
            color=colour,
            fontsize=9,
            va="center",
        )


def _plain(axis: "Axes", theme: Theme) -> None:
    axis.set_facecolor(theme.paper)
    for spine in axis.spines.values():
        spine.set_visible(False)
    axis.tick_params(colors=theme.quiet, labelfontfamily=FIGURE_FACE, labelsize=9, length=0)
    axis.margins(x=0.0)


def _clock_locator(limits: tuple[float, float]) -> Any:
    from matplotlib.ticker import MultipleLocator

    return MultipleLocator(clock_step(float(np.ptp(limits)), 10))


def clock_step(span_s: float, most: int) -> float:
    """Distance of ticks on a time axis, s: round in minutes, with at most `most` ticks."""
    steps = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800)
    return float(next((s for s in steps if span_s / s <= most), steps[-1]))
