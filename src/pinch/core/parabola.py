"""Where a function that was tried at places is lowest between them."""

import numpy as np

from pinch.core.runlog import FloatArray


def lowest_between(places: FloatArray, values: FloatArray) -> FloatArray:
    """Where each row of values (r, n) at (n,) increasing places is lowest, (r,): by the parabola through the best place
    and its neighbours; at either end the place itself."""
    best = np.argmin(values, axis=1)
    inner = np.clip(best, 1, len(places) - 2)
    rows = np.arange(len(best))
    left, middle, right = (values[rows, inner + step] for step in (-1, 0, 1))
    x0, x1, x2 = (places[inner + step] for step in (-1, 0, 1))
    d1, d2 = (middle - left) / (x1 - x0), (right - middle) / (x2 - x1)
    bend = (d2 - d1) / (x2 - x0)
    with np.errstate(divide="ignore", invalid="ignore"):
        lowest = 0.5 * (x0 + x1) - d1 / (2.0 * bend)
    return np.asarray(np.where((bend > 0.0) & (inner == best), np.clip(lowest, x0, x2), places[best]))
