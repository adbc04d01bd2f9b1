"""The levels that power keeps one after another under load. Two are the burst and the sustained limit; more than two
tell of a limiter with more windows, or of a limit that was changed meanwhile."""

from dataclasses import dataclass

import numpy as np

from pinch.core.changepoint import best_split
from pinch.core.runlog import FloatArray

LEAST_STEP = 0.04
LEAST_BINS = 10
FLAT, SLOPE = 0.03, 0.01
MARGIN = 3


@dataclass(frozen=True)
class Plateau:
    """A level that was kept: from and to, s, and the power, W."""

    start_s: float
    end_s: float
    power_w: float


def find_plateaus(power: FloatArray, starts: FloatArray, step_s: float) -> tuple[Plateau, ...]:
    """Levels of (n,) power, W, in bins that begin at (n,) `starts`, s; NaN for none.

    The series is split into two levels again and again while they differ by at least 4 % and the split leaves far less
    than before; what is no level (a slope, a saw-tooth) or shorter than ten bins is left out.
    """
    have = np.flatnonzero(np.isfinite(power))
    levels = []
    for a, b in _pieces(power[have]):
        if b - a < LEAST_BINS:
            continue
        inside = power[have[a + 1 : b - 1]]
        third = len(inside) // 3
        low, middle, high = np.percentile(inside, [10, 50, 90])
        slope = abs(float(inside[-third:].mean() - inside[:third].mean()))
        if high - low <= FLAT * middle and slope <= SLOPE * middle:
            levels.append(Plateau(float(starts[have[a]]), float(starts[have[b - 1]] + step_s), float(middle)))
    return tuple(levels)


def _pieces(values: FloatArray) -> list[tuple[int, int]]:
    """Bounds of the pieces that (n,) values fall into."""
    done, open_ones = [], [(0, len(values))]
    while open_ones:
        a, b = open_ones.pop()
        part = values[a:b]
        if len(part) >= 2 * MARGIN + 1:
            split = best_split(part, MARGIN)
            step = abs(split.before - split.after) / max(abs(split.before), abs(split.after), 1e-12)
            ratio = (split.rss_one - split.rss_two) / max(split.rss_two / (len(part) - 2), 1e-12)
            if step >= LEAST_STEP and ratio >= 30.0:
                open_ones += [(a, a + split.index), (a + split.index, b)]
                continue
        done.append((a, b))
    return sorted(done)
