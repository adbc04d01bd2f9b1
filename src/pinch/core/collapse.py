"""Collapses: faults in which power falls at once below half of its level while heat and load are unchanged."""

import numpy as np

from pinch.core.nearby import running_max
from pinch.core.runlog import BoolArray, FloatArray

LONGER_THAN_S = 2.0
BEFORE_BINS = 12
"""Bins whose median is the level before a fall."""
AT_ONCE_BINS = 3
OFTEN, EVENLY = 5, 0.6
"""Falls that come so often, at distances that spread by less than this share, are no faults but cuts by a rule."""
CLOCK_FALLS = 0.85
"""With the load not told, a fault is one in which the clock falls, too."""


def find_collapse(
    power: FloatArray, clock: FloatArray, busy: BoolArray, hot: BoolArray, first: int, step_s: float
) -> BoolArray:
    """Bins (n,) of collapses.

    Power falls within three bins below half of what it was and stays there for more than 2 s. `busy` (n,) tells the
    bins in which work went on, so that a pause is not taken for a fault, and `hot` those at a temperature that is held:
    a deep cut that follows it is heat. `first` is the bin before which there is a burst. Where the clock is known and
    does not fall, the work was less.
    """
    result = np.zeros(len(power), dtype=bool)
    filled = np.where(np.isfinite(power), power, 0.0)
    highest = running_max(filled, BEFORE_BINS, 0)
    suspects = np.flatnonzero(filled < 0.5 * highest)
    at = first
    while at < len(power):
        later = suspects[np.searchsorted(suspects, at) :]
        if not len(later):
            break
        at = int(later[0])
        begin = max(first, at - BEFORE_BINS)
        before = power[begin:at]
        before = before[np.isfinite(before) & ~result[begin:at]]
        if len(before) < 3 or not power[at] < 0.5 * np.median(before):
            at += 1
            continue
        level = float(np.median(before))
        low = power[at:] < 0.5 * level
        end = at + (int(np.argmin(low)) if not low.all() else len(low))
        known = clock[max(0, at - BEFORE_BINS) : at]
        slower = not np.isfinite(known).any() or not np.nanmedian(clock[at:end]) > CLOCK_FALLS * np.nanmedian(known)
        sudden = np.any(power[max(0, at - AT_ONCE_BINS) : at] > 0.8 * level)
        at_work = bool(busy[at:end].mean() > 0.5)
        if (
            (end - at) * step_s > LONGER_THAN_S
            and slower
            and sudden
            and at_work
            and not hot[max(0, at - 4) : at + 1].any()
        ):
            result[at:end] = busy[at:end]
        at = max(end, at + 1)
    return np.zeros_like(result) if _is_regular(result) else result


def _is_regular(result: BoolArray) -> bool:
    """Whether falls come so often and so evenly that something regulates."""
    begins = np.array([a for a, _ in runs_of(result)])
    if len(begins) < OFTEN:
        return False
    apart = np.diff(begins)
    return bool(np.std(apart) < EVENLY * np.mean(apart))


def runs_of(mask: BoolArray) -> list[tuple[int, int]]:
    """Start and exclusive end of each stretch of true entries."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]
