"""What single frames look like: how long each took over time, all of them sorted, and how often each length came."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.charts.spec import Chart, Line, Panel, Rule
from pinch.core.framekinds import FrameKinds
from pinch.core.framestats import FrameFigures
from pinch.core.runlog import FloatArray
from pinch.language import tr

MOST_POINTS = 4000
CURVE_POINTS = 400
SHARE_TICKS = ((0.0, "all"), (0.301, "half"), (1.0, "10 %"), (2.0, "1 %"), (3.0, "0.1 %"), (4.0, "0.01 %"))
"""Shares of the slowest frames, by the tenths that lead to them."""
BARS = 120


class NamedFrames(Struct, frozen=True):
    """The frames of a run, by name and the slot of its colour."""

    name: str
    kinds: FrameKinds
    figures: FrameFigures
    slot: int


def frame_strip(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """Frame time over the time of the run; of more frames than there are points the longest of each stretch is kept."""
    t, ms = _longest(kinds.ends_s, kinds.drawn_ms)
    rules = (Rule(1000.0 / figures.low_1.percentile, "1 % low"),)
    panel = Panel(tr("Frame time"), "ms", (Line(t, ms, slot),), rules=rules, key="frame-time")
    longest = tr(
        "{frames} frames, the longest {longest_ms:.1f} ms.", frames=figures.frames, longest_ms=kinds.drawn_ms.max()
    )
    return Chart(title, (panel,), tr("Time"), "min:s", clock=True, footnote=footnote, alternative=f"{title} {longest}")


def frame_curve(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """The sorted frames of one run; as `frame_curves`."""
    return frame_curves([NamedFrames("", kinds, figures, slot)], title, footnote)


def frame_curves(runs: Sequence[NamedFrames], title: str, footnote: str = "") -> Chart:
    """Frame time over the share of frames that is slower, each tenth of the share as wide as the tenth before it: the
    right end is what is felt. Runs of one device are told apart by dashes."""
    lines: list[Line] = []
    for run in runs:
        x = np.linspace(0.0, float(np.log10(max(10.0, min(1e5, run.figures.frames)))), CURVE_POINTS)
        ms = np.percentile(run.kinds.drawn_ms, 100.0 * (1.0 - 10.0**-x))
        dashed = any(line.slot == run.slot for line in lines)
        label = run.name if len(runs) > 1 else ""
        lines.append(Line(x, ms, run.slot, label, dashed))
    panel = Panel(
        tr("Sorted frames"), "ms", tuple(lines), rules=(Rule(2.0, "1 % low", upright=True),), key="frame-curve"
    )
    told = [
        tr(
            "{run} 99 % of frames took at most {percentile:.1f} ms.",
            run=run.name,
            percentile=1000.0 / run.figures.low_1.percentile,
        )
        for run in runs
    ]
    words = " ".join([title, *told])
    return Chart(
        title, (panel,), tr("Slowest of all frames"), "", footnote=footnote, alternative=words, ticks=SHARE_TICKS
    )


def frame_spread(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """How often each frame time came, up to twice the 99.9th percentile."""
    most = 1.2 * float(np.percentile(kinds.drawn_ms, 99.9))
    counts, edges = np.histogram(kinds.drawn_ms, bins=BARS, range=(0.0, most))
    share = 100.0 * counts / figures.frames
    x, y = np.repeat(edges, 2)[1:-1], np.repeat(share, 2)
    panel = Panel(tr("How often"), tr("% of frames"), (Line(x, y, slot),), key="frame-spread")
    words = tr("{title} Most frames took {median_fps:.1f} ms.", title=title, median_fps=1000.0 / figures.median_fps)
    return Chart(title, (panel,), tr("Frame time"), "ms", footnote=footnote, alternative=words)


def _longest(t: FloatArray, ms: FloatArray) -> tuple[FloatArray, FloatArray]:
    size = -(-len(ms) // MOST_POINTS)
    if size <= 1:
        return t, ms
    starts = np.arange(0, len(ms), size)
    return t[starts], np.maximum.reduceat(ms, starts)
