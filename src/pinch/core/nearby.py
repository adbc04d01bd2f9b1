"""Figures over a few bins around each bin of a series. Beyond its ends a series goes on as its first and last bin.

The same as the filters of `scipy.ndimage`, which take longer to load than a short log takes to be judged.
"""

import numpy as np

from pinch.core.runlog import BoolArray, FloatArray


def windows(values: FloatArray | BoolArray, before: int, after: int) -> np.ndarray:
    """The bins from so many before to so many after each bin of (…, n) values, (…, n, before + 1 + after)."""
    ends = [(0, 0)] * (values.ndim - 1) + [(before, after)]
    around = np.pad(values, ends, mode="edge")
    return np.asarray(np.lib.stride_tricks.sliding_window_view(around, before + 1 + after, axis=-1))


def running_max(values: FloatArray, before: int, after: int) -> FloatArray:
    """The highest of the bins around each of (n,) values."""
    return np.asarray(windows(values, before, after).max(axis=-1))


def running_min(values: FloatArray, before: int, after: int) -> FloatArray:
    """The lowest of the bins around each of (n,) values."""
    return np.asarray(windows(values, before, after).min(axis=-1))


def running_mean(values: FloatArray, reach: int) -> FloatArray:
    """The mean of as many bins on either side of each of (n,) values, and itself."""
    return np.asarray(windows(values, reach, reach).mean(axis=-1))


def running_median(values: FloatArray, reach: int) -> FloatArray:
    """The median of as many bins on either side of each of (…, n) values, and itself."""
    return np.asarray(np.sort(windows(values, reach, reach), axis=-1)[..., reach])


def around(mask: BoolArray, reach: int) -> BoolArray:
    """Bins (n,) that are within reach of one of the mask."""
    return np.asarray(windows(mask, reach, reach).any(axis=-1))


def closed(mask: BoolArray, reach: int) -> BoolArray:
    """The mask (n,) with its holes of up to twice the reach filled."""
    far = np.pad(mask, reach)
    return np.asarray(~around(~around(far, reach), reach)[reach:-reach])
