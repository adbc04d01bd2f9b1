"""What a chart says, as plain data: drawn by pyqtgraph on screen and by matplotlib in a file.

x and y are (n,) arrays in the units named by the panel. `slot` is a device's place in the theme's colours and markers.
"""

import re
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.core.causes import Cause
from pinch.core.printing import plain
from pinch.core.runlog import FloatArray


class Line(Struct, frozen=True):
    """A line; NaN breaks it. Its label stands above the point of number `label_at`, or under it."""

    x: FloatArray
    y: FloatArray
    slot: int = 0
    label: str = ""
    dashed: bool = False
    label_at: int = -1
    label_under: bool = False


class Band(Struct, frozen=True):
    """An uncertainty band between two lines; `hatched` where it is of something predicted."""

    x: FloatArray
    low: FloatArray
    high: FloatArray
    slot: int = 0
    hatched: bool = False


class Dots(Struct, frozen=True):
    """Points with a text each; `light` ones are claims, `told` ones scores of others with their words beside them, a
    `spot` is a place on a curve, ringed, with its words, `predicted` ones are what a twin says, half empty, with
    their words; none of these is a measurement. `named` points have their words beside them."""

    x: FloatArray
    y: FloatArray
    texts: Sequence[str]
    slot: int = 0
    light: bool = False
    told: bool = False
    spot: bool = False
    named: bool = False
    predicted: bool = False

    @property
    def speaks(self) -> bool:
        """Whether its words stand beside it."""
        return self.told or self.spot or self.named or self.predicted


class Rule(Struct, frozen=True):
    """A level (or, upright, a place on x) that matters, with its words."""

    at: float
    words: str
    upright: bool = False
    accent: bool = False


class Guide(Struct, frozen=True):
    """A line through the origin: all places on it have the same score for each watt."""

    slope: float
    words: str


class Stretch(Struct, frozen=True):
    """A stretch of x: a shaded window, or a gap."""

    start: float
    end: float


class CauseStretch(Stretch, frozen=True):
    """A stretch of the limiter strip; `second` is the cause that may be named as well, where it is arguable."""

    cause: Cause
    second: Cause | None = None


class Panel(Struct, frozen=True):
    """One plot: its quantity and unit, and what is drawn in it. `from_zero` makes y begin at 0; `bounds` of y are used
    as they are where they are given."""

    title: str
    unit: str
    lines: tuple[Line, ...] = ()
    bands: tuple[Band, ...] = ()
    dots: tuple[Dots, ...] = ()
    rules: tuple[Rule, ...] = ()
    from_zero: bool = True
    key: str = ""
    guides: tuple[Guide, ...] = ()
    bounds: tuple[float, float] | None = None

    @property
    def y_range(self) -> tuple[float, float]:
        """Lowest and highest y to show, with a little air, so that screen and file agree."""
        if self.bounds is not None:
            return self.bounds
        ys = [line.y for line in self.lines] + [dots.y for dots in self.dots]
        ys.append(np.array([rule.at for rule in self.rules if not rule.upright]))
        known = np.concatenate([y[np.isfinite(y)] for y in ys])
        if len(known) == 0:
            return 0.0, 1.0
        low, high = (0.0 if self.from_zero else float(known.min())), float(known.max())
        labelled = any(line.label for line in self.lines)  # words stand above the end of a line
        air = (0.18 if labelled else 0.1) * (high - low) or 1.0
        return low if self.from_zero else low - air, high + air

    def words_before(self, x: float) -> bool:
        """Whether words at x stand before it, since there is more room than behind."""
        return x > 0.5 * max((float(dots.x.max()) for dots in self.dots if len(dots.x)), default=0.0)


class Chart(Struct, frozen=True):
    """A chart: panels above each other on one x axis. `clock` axes are times in s, shown as m:ss. `reader` is a place
    on x at which all curves are read; an axis that is not a clock begins at zero unless `x_from_zero` says
    otherwise. `ticks` are places on x with their words; then x goes from its first to its last point.
    A `bare_strip` keeps its room and its key, but nothing is drawn in it. `key` names series that have no names in the
    panels, with their slots."""

    title: str
    panels: tuple[Panel, ...]
    x_title: str
    x_unit: str
    clock: bool = False
    strip: tuple[CauseStretch, ...] = ()
    window: Stretch | None = None
    gaps: tuple[Stretch, ...] = ()
    marks: tuple[Rule, ...] = ()
    footnote: str = ""
    alternative: str = ""
    reader: float | None = None
    x_from_zero: bool = True
    ticks: tuple[tuple[float, str], ...] = ()
    bare_strip: bool = False
    key: tuple[tuple[str, int], ...] = ()

    @property
    def x_range(self) -> tuple[float, float]:
        """First and last x to show, so that screen and file agree."""
        found = [line.x for p in self.panels for line in p.lines] + [d.x for p in self.panels for d in p.dots]
        known = [x for x in found if len(x)]
        if not known:
            return 0.0, 1.0
        low, high = min(float(np.nanmin(x)) for x in known), max(float(np.nanmax(x)) for x in known)
        if self.clock or self.ticks:
            return low, high
        first = 0.0 if self.x_from_zero else low - 0.12 * (high - low)
        return first, high + 0.12 * (high - first)


def point_words(chart: Chart, panel: Panel, text: str, x: float, y: float) -> str:
    """A point in words: what it is, and where it stands on both axes. Places on an axis of words are left out."""
    at = "" if chart.ticks else minutes(x) if chart.clock else f"{plain(x, 3)} {chart.x_unit}".rstrip()
    told = ", ".join(filter(None, (at, f"{plain(y)} {panel.unit}".rstrip())))
    return unbroken(f"{text}: {told}" if text else told)


def dot_words(chart: Chart, panel: Panel, dots: Dots, number: int) -> str:
    """One of the points in words."""
    return point_words(chart, panel, dots.texts[number], float(dots.x[number]), float(dots.y[number]))


def unbroken(text: str) -> str:
    """The text with no number parted from its unit at the end of a line."""
    return re.sub(r"(\d) (%|W|s|K|GHz|°C|fps)(?!\w)", "\\1\u00a0\\2", text)


def minutes(seconds: float) -> str:
    """A time as m:ss, or h:mm:ss from an hour on."""
    whole = round(abs(seconds))
    sign = "−" if seconds < -0.5 else ""
    hours, rest = divmod(whole, 3600)
    if hours:
        return f"{sign}{hours}:{rest // 60:02d}:{rest % 60:02d}"
    return f"{sign}{rest // 60}:{rest % 60:02d}"
