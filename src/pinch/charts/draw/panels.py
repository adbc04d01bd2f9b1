"""A chart of panels, drawn by matplotlib."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from pinch.charts.draw.area import Area, plain_axes, write_words
from pinch.charts.draw.keys import draw_causes, draw_lines
from pinch.charts.draw.lettering import AXIS, DPI, LABEL, NOTE, TITLE, line_height, shortened, width
from pinch.charts.draw.spoken import belongs, speak
from pinch.charts.placing import clock_step
from pinch.charts.spec import Chart, Dots, Line, Panel, minutes, point_words
from pinch.charts.theme import FILE_MARKERS, MARKERS, Theme
from pinch.core.runlog import FloatArray
from pinch.language import tr

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

STRIP, BELOW, LEFT, GAP = 34.0, 52.0, 62.0, 34.0
LEAST_RIGHT, MOST_RIGHT, LEAST_STEP = 24.0, 190.0, 24.0
AFTER_CAPTION = 26.0
POINT, MOST_KEPT_OFF = 5.0, 80
SPOKEN_OF_LINE = 40
"""Points of a line over time that have words."""
_SIDES = tuple((x, y) for y in (-12.0, 12.0, -24.0, 24.0) for x in (9.0, -9.0))
"""Where words may stand beside a point, points to the right and up, the nearest first."""


def draw_panels(chart: Chart, figure: "Figure", area: Area, theme: Theme, named: bool = True) -> None:
    """Draw the chart into an area; lines are not `named` where a key stands elsewhere."""
    right = _room_at_right(chart)
    inner = area.inside(left=LEFT, right=right, bottom=BELOW)
    top = inner.top
    if chart.strip:
        write_words(figure, tr("What held it"), (inner.left, top + 9), LABEL, theme.ink, bold=True)
        draw_causes(
            figure, tuple(dict.fromkeys(s.cause for s in chart.strip)), inner.left + inner.width, top + 9, theme
        )
        strip = Area(inner.left, top + 22, inner.width, STRIP)
        top += 22 + STRIP + 8
        _draw_strip(plain_axes(figure, strip, theme), chart, theme)
    high = (inner.top + inner.height - top) / len(chart.panels)
    axes = []
    for number, panel in enumerate(chart.panels):
        place = Area(inner.left, top + number * high + GAP - 8, inner.width, high - GAP)
        axis = plain_axes(figure, place, theme)
        caption = shortened(", ".join(filter(None, (panel.title, panel.unit))), LABEL, inner.width, bold=True)
        write_words(figure, caption, (inner.left, place.top - 13), LABEL, theme.ink, bold=True)
        if number == 0 and chart.key:
            named_from = inner.left + width(caption, LABEL, bold=True) + AFTER_CAPTION
            draw_lines(figure, chart.key, named_from, inner.left + inner.width, place.top - 13, theme)
        axis.locator_params(axis="y", nbins=max(2, min(6, int(place.height / LEAST_STEP))))
        _draw_panel(axis, panel, chart, theme, named)
        axes.append(axis)
        if number < len(chart.panels) - 1:
            axis.tick_params(labelbottom=False)
    _set_x(axes, chart, theme)
    if chart.strip:
        figure.axes[-len(axes) - 1].set_xlim(axes[0].get_xlim())


def _room_at_right(chart: Chart) -> float:
    """Rules and guides are named outside the curves."""
    words = [r.words for p in chart.panels for r in p.rules if not r.upright]
    words += [g.words for p in chart.panels for g in p.guides]
    return min(MOST_RIGHT, max([LEAST_RIGHT, *(width(w, NOTE) + 14 for w in words)]))


def _set_x(axes: "list[Axes]", chart: Chart, theme: Theme) -> None:
    last = axes[-1]
    last.set_xlabel(f"{chart.x_title}, {chart.x_unit}" if chart.x_unit else chart.x_title, color=theme.ink, size=AXIS)
    low, high = chart.x_range
    if chart.clock:
        last.xaxis.set_major_formatter(lambda x, _: minutes(x))
        last.xaxis.set_major_locator(_clock_locator((low, high)))
    elif chart.ticks:
        last.set_xticks([at for at, _ in chart.ticks], [words for _, words in chart.ticks])
    for panel, axis in zip(chart.panels, axes, strict=True):
        for guide in panel.guides:
            _draw_guide(axis, guide.slope, guide.words, theme)


def _draw_strip(axis: "Axes", chart: Chart, theme: Theme) -> None:
    from matplotlib.patches import PathPatch
    from matplotlib.path import Path

    named = [(s.cause, s, 0.0 if s.second is None else 0.5, 1.0) for s in chart.strip]
    named += [(s.second, s, 0.0, 0.5) for s in chart.strip if s.second is not None]  # arguable: in halves
    for cause in dict.fromkeys(cause for cause, *_ in named if not chart.bare_strip):
        boxes = [
            Path([(s.start, low), (s.end, low), (s.end, high), (s.start, high), (s.start, low)])
            for own, s, low, high in named
            if own == cause
        ]
        fill, line = theme.causes[cause]
        whole = Path.make_compound_path(*boxes)  # one shape a cause: files with many stretches stay small
        axis.add_patch(PathPatch(whole, facecolor=fill, edgecolor=line, hatch=cause.hatch, linewidth=0.0))
    axis.set_ylim(0.0, 1.0)
    axis.set_yticks([])
    axis.tick_params(labelbottom=False)


def _draw_panel(axis: "Axes", panel: Panel, chart: Chart, theme: Theme, named: bool) -> None:
    axis.grid(axis="y", color=theme.hairline, linewidth=0.7)
    if chart.window:
        axis.axvspan(chart.window.start, chart.window.end, color=theme.window, linewidth=0.0, zorder=0)
    for gap in chart.gaps:
        axis.axvspan(
            gap.start, gap.end, facecolor=theme.paper, edgecolor=theme.quiet, hatch="..", linewidth=0, zorder=0.5
        )
    for band in panel.bands:
        colour = theme.devices[band.slot % 6]
        filled = axis.fill_between(band.x, band.low, band.high, color=colour, alpha=0.15, linewidth=0)
        if band.hatched:
            filled.set(facecolor="none", edgecolor=colour, hatch="////", alpha=0.5)
        belongs(filled, band.slot)
    axis.set_xlim(*chart.x_range)
    axis.set_ylim(*panel.y_range)
    words = Words(axis)
    for line in panel.lines:
        words.keep_off(line.x, line.y)
    for rule in panel.rules:
        if rule.upright:
            words.keep_off(np.full(MOST_KEPT_OFF, rule.at), np.linspace(*panel.y_range, MOST_KEPT_OFF))
    for dots in panel.dots:
        words.keep_off(dots.x, dots.y)
    for line in panel.lines:
        _draw_line(words, panel, line, theme, named)
    for dots in panel.dots:
        _draw_dots(words, panel, dots, theme)
    _speak_points(axis, panel, chart)
    for rule in panel.rules:
        _draw_rule(axis, rule.at, rule.words, rule.upright, theme.accent if rule.accent else theme.quiet)
    if chart.reader is not None:
        axis.axvline(chart.reader, color=theme.ink, linewidth=0.9)
    for mark in chart.marks:
        axis.axvline(mark.at, color=theme.accent, linewidth=0.9, linestyle=":")
        if panel is chart.panels[0]:
            _name_upright(axis, mark.at, mark.words, theme.accent)


def _speak_points(axis: "Axes", panel: Panel, chart: Chart) -> None:
    """The words of what was measured; of a line over time, of places along it."""
    for dots in panel.dots:
        for x, y, text in zip(dots.x.tolist(), dots.y.tolist(), dots.texts, strict=True):
            words = text if dots.light else point_words(chart, panel, "" if dots.spot else text, x, y)
            speak(axis, x, y, words, dots.slot)
    for line in panel.lines if chart.clock else ():
        known = np.flatnonzero(np.isfinite(line.y))
        for n in np.unique(np.linspace(0, len(known) - 1, SPOKEN_OF_LINE).astype(int)) if len(known) else ():
            x, y = float(line.x[known[n]]), float(line.y[known[n]])
            speak(axis, x, y, point_words(chart, panel, line.label or panel.title, x, y), line.slot)


class Words:
    """Words beside places of axes, each where it hides no other."""

    def __init__(self, axis: "Axes") -> None:
        self.axis = axis
        self._taken: list[tuple[float, float, float, float]] = []
        self._drawn = np.empty((0, 2))

    def keep_off(self, x: FloatArray, y: FloatArray) -> None:
        """Points and lines that words had better not cover."""
        every = max(1, len(x) // MOST_KEPT_OFF)
        self._drawn = np.vstack([self._drawn, self.axis.transData.transform(np.column_stack([x, y])[::every])])

    def put(
        self,
        words: str,
        at: tuple[float, float],
        sides: Sequence[tuple[float, float]],
        size: float,
        colour: str,
        bold: bool = False,
        needed: bool = True,
        slot: int | None = None,
    ) -> None:
        """Write beside a place, at that of the `sides` (points right and up) where there is room and the least of what
        is drawn is covered; words that are not `needed` are left out where there is none; `slot` is that of the series
        that they name."""
        boxes = [self._box(words, at, side, size, bold) for side in sides]
        free = [n for n, box in enumerate(boxes) if not any(_overlap(box, other) for other in self._taken)]
        if not free and not needed:
            return
        chosen = min(free or range(len(boxes)), key=lambda n: self._covered(boxes[n]))
        side = sides[chosen]
        self._taken.append(boxes[chosen])
        written = self.axis.annotate(
            words,
            at,
            xytext=side,
            textcoords="offset points",
            color=colour,
            fontsize=size,
            va="center",
            fontweight="bold" if bold else "normal",
            ha="right" if side[0] < 0 else "left",
        )
        if slot is not None:
            belongs(written, slot)

    def _covered(self, box: tuple[float, float, float, float]) -> int:
        """How many of the places that had better stay free lie within or near a box."""
        left, low, right, high = box
        x, y = self._drawn.T
        return int(((x > left - POINT) & (x < right + POINT) & (y > low - POINT) & (y < high + POINT)).sum())

    def _box(
        self, words: str, at: tuple[float, float], side: tuple[float, float], size: float, bold: bool
    ) -> tuple[float, float, float, float]:
        """Left, lower, right and upper edge, px."""
        x, y = self.axis.transData.transform(at)
        x, y = x + side[0] * DPI / 72.0, y + side[1] * DPI / 72.0
        wide, high = width(words, size, bold), line_height(size)
        left = x - wide if side[0] < 0 else x
        return left, y - high / 2, left + wide, y + high / 2


def _overlap(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _draw_line(words: Words, panel: Panel, line: Line, theme: Theme, named: bool) -> None:
    colour = theme.devices[line.slot % 6]
    (drawn,) = words.axis.plot(line.x, line.y, color=colour, linewidth=1.7, linestyle="--" if line.dashed else "-")
    belongs(drawn, line.slot)
    if line.label and named:
        at = float(line.x[line.label_at])
        side = -4.0 if panel.words_before(at) else 9.0
        rise = -12.0 if line.label_under else 12.0
        ink = theme.letters(line.slot)
        words.put(
            line.label,
            (at, float(line.y[line.label_at])),
            _line_sides(side, rise),
            TITLE,
            ink,
            bold=True,
            slot=line.slot,
        )


def _line_sides(side: float, rise: float) -> Sequence[tuple[float, float]]:
    """Where the name of a line may stand: as it asks, else further off, on the other side, or before the point."""
    return [(x, y) for y in (rise, 2.0 * rise, -rise) for x in (side, -side)]


def _draw_dots(words: Words, panel: Panel, dots: Dots, theme: Theme) -> None:
    aside = theme.accent if dots.spot else theme.quiet if dots.light or dots.told else ""
    colour = aside or theme.devices[dots.slot % 6]
    marker = "x" if dots.told else "|" if dots.light else FILE_MARKERS[MARKERS[dots.slot % len(MARKERS)]]
    (drawn,) = words.axis.plot(
        dots.x,
        dots.y,
        linestyle="none",
        marker="o" if dots.spot else "D" if dots.predicted else marker,
        fillstyle="left" if dots.predicted else "full",
        markersize=20 if dots.light else 14 if dots.spot else 8,
        markerfacecolor="none" if dots.spot else colour if dots.predicted else theme.paper,
        markerfacecoloralt=theme.paper,
        markeredgecolor=colour,
        markeredgewidth=1.8 if dots.spot else 1.6,
    )
    belongs(drawn, dots.slot)
    for x, y, text in zip(dots.x, dots.y, dots.texts, strict=True) if dots.speaks else ():
        before = not dots.spot and panel.words_before(x)
        sides = [(-x, -y) for x, y in _SIDES] if before else _SIDES
        ink = aside or theme.letters(dots.slot)
        words.put(text, (float(x), float(y)), sides, LABEL, ink, needed=not dots.named, slot=dots.slot)


def _draw_rule(axis: "Axes", at: float, words: str, upright: bool, colour: str) -> None:
    if upright:
        axis.axvline(at, color=colour, linewidth=1.0, linestyle="--")
        _name_upright(axis, at, words, colour)
    else:
        axis.axhline(at, color=colour, linewidth=0.9, linestyle=":")
        _name_level(axis, (1.0, at), ("axes fraction", "data"), words, colour)


def _draw_guide(axis: "Axes", slope: float, words: str, theme: Theme) -> None:
    """A line through the origin, named where it leaves the panel."""
    x_end, (_, y_end) = axis.get_xlim()[1], axis.get_ylim()
    leaves_at_right = slope * x_end <= y_end
    end = x_end if leaves_at_right else y_end / slope
    axis.plot([0.0, end], [0.0, slope * end], color=theme.hairline, linewidth=1.1, zorder=0.6)
    if leaves_at_right:
        _name_level(axis, (1.0, slope * end), ("axes fraction", "data"), words, theme.quiet)
    else:
        axis.annotate(
            words, (end, 1.0), xycoords=("data", "axes fraction"), xytext=(0, 4), textcoords="offset points",
            color=theme.quiet, fontsize=NOTE, ha="center",
        )  # fmt: skip


def _name_level(axis: "Axes", at: tuple[float, float], coordinates: Any, words: str, colour: str) -> None:
    axis.annotate(
        shortened(words, NOTE, MOST_RIGHT - 12),
        at,
        xycoords=coordinates,
        xytext=(5, 0),
        textcoords="offset points",
        color=colour,
        fontsize=NOTE,
        va="center",
    )


def _name_upright(axis: "Axes", at: float, words: str, colour: str) -> None:
    axis.annotate(
        words,
        (at, 0.04),
        xycoords=("data", "axes fraction"),
        xytext=(5, 0),
        textcoords="offset points",
        color=colour,
        fontsize=NOTE,
    )


def _clock_locator(limits: tuple[float, float]) -> Any:
    from matplotlib.ticker import MultipleLocator

    return MultipleLocator(clock_step(float(np.ptp(limits)), 10))


def panel_height(chart: Chart) -> float:
    """About how high a chart should be in a column of text, px."""
    return (
        (420.0 if len(chart.panels) == 1 else 110.0 + 150.0 * len(chart.panels))
        + (64.0 if chart.strip else 0.0)
        + line_height(NOTE)
    )
