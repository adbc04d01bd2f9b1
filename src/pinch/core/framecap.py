"""A frame cap that nobody told: the rate that the frames of a run do not leave.

A cap is a rate that holds for most seconds and is not exceeded, while graphics have time left. Where the log does not
tell how busy graphics were, only a rate that caps are usually set to is believed (common practice, no source).
"""

import numpy as np

from pinch.core.runlog import BoolArray, FloatArray

CAP_SHARE = 0.015
LEAST_SHARE = 0.6
ABOVE_SHARE = 0.02
"""Share of seconds that may lie above a cap: frames across a border are counted by shares."""
LEAST_SECONDS = 20
BUSY_GPU = 95.0
USUAL = (24, 25, 30, 40, 45, 48, 50, 60, 72, 75, 80, 85, 90, 100, 120, 144, 160, 165, 180, 200, 240, 360)
AS_USUAL, SHARP = 0.005, 0.012


def find_cap(rate: FloatArray, gpu_load: FloatArray, active: BoolArray) -> float:
    """The cap of a run in frames per second, NaN where none shows.

    Parameters
    ----------
    rate, gpu_load, active : (n,) frame rate (NaN: none), busy share of graphics in % (NaN: not told), seconds at work.
    """
    have = active & np.isfinite(rate) & (rate > 0.0)
    if have.sum() < LEAST_SECONDS:
        return float("nan")
    values = np.sort(rate[have])
    upto = np.searchsorted(values, values * (1.0 + 2.0 * CAP_SHARE), side="right")
    counts = upto - np.arange(len(values))
    best = int(np.argmax(counts))
    mode = float(np.median(values[best : upto[best]]))
    if counts[best] < LEAST_SHARE * len(values) or np.mean(values > (1.0 + CAP_SHARE) * mode) > ABOVE_SHARE:
        return float("nan")
    inside = have & (np.abs(rate - mode) <= CAP_SHARE * mode)
    told = np.isfinite(gpu_load[inside])
    if told.mean() > 0.5:
        free = float(np.median(gpu_load[inside][told])) < BUSY_GPU
        return mode if free and _is_sharp(values, mode) else float("nan")
    usual = min(USUAL, key=lambda cap: abs(cap - mode))
    return mode if abs(mode / usual - 1.0) <= AS_USUAL and _is_sharp(values, mode) else float("nan")


def _is_sharp(values: FloatArray, mode: float) -> bool:
    """Whether the rates end at the mode as at an edge: what lies above it is no wider than what noise makes, while a
    rate that merely is steady wanders to both sides alike."""
    above, below = np.percentile(values, 95) - mode, mode - np.percentile(values, 5)
    return bool(above <= SHARP * mode or above < 0.4 * below)
