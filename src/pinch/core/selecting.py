"""The middle and the upper tail of very many numbers without ordering them all: bracketed by a sample, after the idea
of Floyd and Rivest (Commun. ACM 18, 1975), and exact."""

from collections.abc import Iterator

import numpy as np

from pinch.core.runlog import FloatArray

SAMPLE, SEED = 100_000, 1
PIECE = 32_768
FEW = 200_000
"""So many are ordered as they are."""


def median_of(values: FloatArray) -> float:
    """Median of (n,) values, n ≥ 1."""
    n = len(values)
    if n > FEW:
        low, high = np.quantile(_sample(values), [0.49, 0.51])
        below = sum(int(np.count_nonzero(piece < low)) for piece in pieces(values))
        inside = np.concatenate([piece[(piece >= low) & (piece <= high)] for piece in pieces(values)])
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
        parts = enumerate(pieces(values))
        places = np.concatenate([PIECE * number + np.flatnonzero(piece >= border) for number, piece in parts])
        if least <= len(places) <= 2 * least:
            return places
    return np.flatnonzero(values >= np.partition(values, n - least)[n - least])


def pieces(values: FloatArray) -> Iterator[FloatArray]:
    """Very many values in pieces that a processor keeps at hand while it works on them."""
    for start in range(0, len(values), PIECE):
        yield values[start : start + PIECE]


def places_in(rising: FloatArray, marks: FloatArray) -> np.ndarray:
    """As `numpy.searchsorted`, for marks (m,) that rise themselves: each is looked for in the piece that holds it."""
    lasts = rising[np.minimum(np.arange(PIECE, len(rising) + PIECE, PIECE), len(rising)) - 1]
    upto = np.append(0, np.searchsorted(marks, lasts, side="right"))
    found = np.full(len(marks), len(rising))
    for number, piece in enumerate(pieces(rising)):
        own = slice(upto[number], upto[number + 1])
        found[own] = PIECE * number + np.searchsorted(piece, marks[own])
    return found


def _sample(values: FloatArray) -> FloatArray:
    return values[np.random.default_rng(SEED).integers(0, len(values), SAMPLE)]
