"""What single frames look like: how long each took over time, all of them sorted, and how often each length came."""

import numpy as np

from pinch.charts.spec import Chart, Line, Panel, Rule
from pinch.core.framekinds import FrameKinds
from pinch.core.framestats import FrameFigures
from pinch.core.runlog import FloatArray

MOST_POINTS = 4000
CURVE_POINTS = 400
BARS = 120


def frame_strip(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """Frame time over the time of the run; of more frames than there are points the longest of each stretch is kept."""
    t, ms = _longest(kinds.ends_s, kinds.drawn_ms)
    rules = (Rule(1000.0 / figures.low_1.percentile, "1 % low"),)
    panel = Panel("Frame time", "ms", (Line(t, ms, slot),), rules=rules, key="frame-time")
    longest = f"{figures.frames} frames, the longest {kinds.drawn_ms.max():.1f} ms."
    return Chart(title, (panel,), "Time", "min:s", clock=True, footnote=footnote, alternative=f"{title} {longest}")


def frame_curve(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """Frame time of the share of frames that is faster, %: the right end is what is felt."""
    share = 100.0 * (1.0 - np.geomspace(1.0, 1.0 / max(10.0, min(1e5, figures.frames)), CURVE_POINTS))
    ms = np.percentile(kinds.drawn_ms, share)
    rules = (Rule(99.0, f"1 % low: {figures.low_1.percentile:.1f} fps", upright=True),)
    panel = Panel("Sorted frames", "ms", (Line(share, ms, slot),), rules=rules, key="frame-curve")
    words = f"{title} 99 % of frames took at most {1000.0 / figures.low_1.percentile:.1f} ms."
    return Chart(title, (panel,), "Frames that are faster", "%", footnote=footnote, alternative=words)


def frame_spread(kinds: FrameKinds, figures: FrameFigures, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """How often each frame time came, up to twice the 99.9th percentile."""
    most = 1.2 * float(np.percentile(kinds.drawn_ms, 99.9))
    counts, edges = np.histogram(kinds.drawn_ms, bins=BARS, range=(0.0, most))
    share = 100.0 * counts / figures.frames
    x, y = np.repeat(edges, 2)[1:-1], np.repeat(share, 2)
    panel = Panel("How often", "% of frames", (Line(x, y, slot),), key="frame-spread")
    words = f"{title} Most frames took {1000.0 / figures.median_fps:.1f} ms."
    return Chart(title, (panel,), "Frame time", "ms", footnote=footnote, alternative=words)


def _longest(t: FloatArray, ms: FloatArray) -> tuple[FloatArray, FloatArray]:
    size = -(-len(ms) // MOST_POINTS)
    if size <= 1:
        return t, ms
    starts = np.arange(0, len(ms), size)
    return t[starts], np.maximum.reduceat(ms, starts)
