"""Collapses: faults in which power falls below half of its level while heat and load are unchanged."""

import numpy as np

from pinch.core.runlog import BoolArray, FloatArray

LONGER_THAN_S = 2.0


def find_collapse(power: FloatArray, level_w: float, busy: BoolArray, step_s: float) -> BoolArray:
    """Bins (n,) of a collapse: power below half of `level_w` for more than 2 s in busy bins.

    `busy` (n,) tells the bins in which the work went on, so that a pause is not taken for a fault.
    """
    low = busy & (power < 0.5 * level_w)
    result = np.zeros(len(power), dtype=bool)
    for start, stop in runs_of(low):
        if (stop - start) * step_s > LONGER_THAN_S:
            result[start:stop] = True
    return result


def runs_of(mask: BoolArray) -> list[tuple[int, int]]:
    """Start and exclusive end of each stretch of true entries."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]
