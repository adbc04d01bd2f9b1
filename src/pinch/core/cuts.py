"""Where a run changes: the cuts between stretches of several series at once, by penalised least squares.

Exact among the places that are looked at (optimal partitioning with the pruning of Killick, Fearnhead & Eckley, J. Am.
Stat. Assoc. 107, 2012). Outliers are pulled in before (a bounded loss, after Fearnhead & Rigaill, 2019).
"""

import numpy as np

from pinch.core.nearby import running_max, running_median
from pinch.core.runlog import FloatArray

SHORTEST = 3
WINDOWS = (3, 8, 20, 60)
"""Bins on either side over which means are compared to find places that may be cuts."""
PLAINLY = 4.0
"""A place whose two sides differ by fewer standard errors is none."""
OUTLIER = 4.0
PENALTY = 3.0
"""In ln n for each series and cut: twice Schwarz's, as neighbouring seconds are alike."""


def cuts_of(series: FloatArray, noise: FloatArray) -> list[int]:
    """Bounds of the stretches of (d, n) series without gaps, from 0 to n; `noise` (d,) is what a bin varies by inside a
    stretch. No stretch is shorter than three bins."""
    n = series.shape[1]
    if n < 2 * SHORTEST or not len(series):
        return [0, n]
    scaled = calmed(series / noise[:, None])
    return optimal_cuts(scaled, PENALTY * len(series) * np.log(n), places_of(scaled))


def calmed(scaled: FloatArray) -> FloatArray:
    """(d, n) series in units of their noise, with outliers pulled in to their neighbours' median."""
    middle = running_median(scaled, 2)
    return np.asarray(np.clip(scaled, middle - OUTLIER, middle + OUTLIER))


def places_of(scaled: FloatArray) -> list[int]:
    """Places where a mean before and one after differ more than anywhere near, in (d, n) series of noise 1."""
    n = scaled.shape[1]
    sums = np.concatenate([np.zeros((len(scaled), 1)), np.cumsum(scaled, axis=1)], axis=1)
    found: set[int] = set()
    at = np.arange(SHORTEST, n - SHORTEST + 1)
    for window in WINDOWS:
        before, after = np.maximum(at - window, 0), np.minimum(at + window, n)
        left = (sums[:, at] - sums[:, before]) / (at - before)
        right = (sums[:, after] - sums[:, at]) / (after - at)
        error = np.sqrt(1.0 / (at - before) + 1.0 / (after - at))
        apart = (np.abs(right - left) / error).max(axis=0)
        reach = max(1, min(window, 8) // 2)
        highest = running_max(apart, reach, reach)
        found.update(at[(apart >= PLAINLY) & (apart >= highest)].tolist())
    return sorted(found)


def optimal_cuts(scaled: FloatArray, penalty: float, places: list[int], shortest: int = SHORTEST) -> list[int]:
    """Bounds that make the sum of squares inside the stretches of (d, n) series, plus `penalty` for each stretch, least
    among all sets of `places`; each stretch keeps `shortest` bins."""
    n = scaled.shape[1]
    centred = scaled - scaled.mean(axis=1, keepdims=True)
    sums = np.concatenate([np.zeros((len(scaled), 1)), np.cumsum(centred, axis=1)], axis=1)
    squares = np.concatenate([[0.0], np.cumsum((centred**2).sum(axis=0))])
    ends = [*[p for p in places if shortest <= p <= n - shortest], n]
    best = {0: -penalty}
    came_from: dict[int, int] = {}
    open_ones, values = np.array([0]), np.array([-penalty])
    waiting: list[int] = []
    for end in ends:
        ready = [w for w in waiting if end - w >= shortest]
        waiting = [w for w in waiting if end - w < shortest]
        if ready:
            open_ones = np.concatenate([open_ones, ready])
            values = np.concatenate([values, [best[r] for r in ready]])
        inside = ((sums[:, [end]] - sums[:, open_ones]) ** 2).sum(axis=0) / (end - open_ones)
        total = values + squares[end] - squares[open_ones] - inside
        least = int(np.argmin(total))
        best[end], came_from[end] = float(total[least]) + penalty, int(open_ones[least])
        kept = total <= best[end]
        open_ones, values = open_ones[kept], values[kept]
        waiting.append(end)
    bounds = [n]
    while bounds[-1] > 0:
        bounds.append(came_from[bounds[-1]])
    return bounds[::-1]
