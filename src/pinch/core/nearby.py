"""Figures over a few bins around each bin of a series. Beyond its ends a series goes on as its first and last bin.

The same as the filters of `scipy.ndimage`, which take longer to load than a short log takes to be judged.
"""

import numpy as np

from pinch.core.runlog import BoolArray, FloatArray


def windows(values: FloatArray | BoolArray, before: int, after: int) -> np.ndarray:
    """The bins from so many before to so many after each bin of (…, n) values, (…, n, before + 1 + after)."""
    ends = [(0, 0)] * (values.ndim - 1) + [(before, after)]
    longer = np.pad(values, ends, mode="edge")
    return np.asarray(np.lib.stride_tricks.sliding_window_view(longer, before + 1 + after, axis=-1))


def running_max(values: FloatArray, before: int, after: int) -> FloatArray:
    """The highest of the bins around each of (n,) values."""
    return _extreme(np.maximum, values, before, after)


def running_min(values: FloatArray, before: int, after: int) -> FloatArray:
    """The lowest of the bins around each of (n,) values."""
    return _extreme(np.minimum, values, before, after)


def _extreme(of: np.ufunc, values: FloatArray, before: int, after: int) -> FloatArray:
    """The extreme of two bins each, then of four and so on, and at last of the two such that make the whole window."""
    found, wide, window = np.pad(values, (before, after), mode="edge"), 1, before + 1 + after
    while 2 * wide <= window:
        found, wide = of(found[:-wide], found[wide:]), 2 * wide
    return np.asarray(of(found[: len(values)], found[window - wide :]))


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
