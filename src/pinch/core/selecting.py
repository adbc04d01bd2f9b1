"""The middle and the upper tail of very many numbers without ordering them all: bracketed by a sample, after the idea
of Floyd and Rivest (Commun. ACM 18, 1975), and exact."""

import numpy as np

from pinch.core.runlog import FloatArray

SAMPLE, SEED = 100_000, 1
FEW = 200_000
"""So many are ordered as they are."""


def median_of(values: FloatArray) -> float:
    """Median of (n,) values, n ≥ 1."""
    n = len(values)
    if n > FEW:
        low, high = np.quantile(_sample(values), [0.49, 0.51])
        below = int(np.count_nonzero(values < low))
        inside = values[(values >= low) & (values <= high)]
        first, second = (n - 1) // 2 - below, n // 2 - below
        if first >= 0 and second < len(inside):
            parted = np.partition(inside, [first, second])
            return float(0.5 * (parted[first] + parted[second]))
    return float(np.median(values))


def upper_tail(values: FloatArray, least: int) -> np.ndarray:
    """Places of the largest of (n,) values, in order of place: at least `least` of them, and all as large as the least
    of them."""
    n = len(values)
    if n > FEW:
        border = np.quantile(_sample(values), max(0.0, 1.0 - 1.1 * least / n))
        places = np.flatnonzero(values >= border)
        if least <= len(places) <= 2 * least:
            return places
    return np.flatnonzero(values >= np.partition(values, n - least)[n - least])


def _sample(values: FloatArray) -> FloatArray:
    return values[np.random.default_rng(SEED).integers(0, len(values), SAMPLE)]
