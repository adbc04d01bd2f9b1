"""Where the numbers and words beside a chart stand: at round values, and with room between each other."""

import math
from itertools import count, pairwise

import numpy as np

CLOCK_STEPS_S = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800)
TINY = 1e-290
"""Below it steps would be so small that none is left of them."""
FINER = 6
"""So many finer steps are tried where a round one has less than two values."""


def clock_step(span_s: float, most: int) -> float:
    """Distance of ticks on a time axis, s: round in minutes, with at most `most` ticks."""
    return float(next((s for s in CLOCK_STEPS_S if span_s / s <= most), CLOCK_STEPS_S[-1]))


def round_values(low: float, high: float, apart: float) -> list[float]:
    """Values from `low` to `high`, at least `apart` from each other: the multiples of 1, 2 or 5 times a power of ten.
    Where these are less than two, which would tell no scale, the first and the last multiple of a finer step.
    """
    if not (math.isfinite(high - low) and TINY < apart < high - low):
        return []
    rank = next(rank for rank in count(3 * math.floor(math.log10(apart))) if _times(1, rank) >= apart)
    values = _multiples(low, high, rank)
    for finer in range(rank - 1, rank - FINER, -1):
        if len(values) >= 2:
            return values
        ends = _multiples(low, high, finer)
        if ends and ends[-1] - ends[0] >= apart:
            return [ends[0], ends[-1]]
    return values


def _multiples(low: float, high: float, rank: int) -> list[float]:
    step = _times(1, rank)
    return [_times(n, rank) for n in range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)]


def _times(number: int, rank: int) -> float:
    """So many steps of a rank: 1, 2, 5, 10, … from rank 0 on, 0.5, 0.2, 0.1 before it; as near as floats come."""
    power, round_one = divmod(rank, 3)
    steps = number * (1, 2, 5)[round_one]
    return float(steps * 10**power) if power >= 0 else steps / 10**-power


def spread(wanted: list[float], least: float) -> list[float]:
    """Places as near as can be to those wanted, in their order, at least so far apart."""
    order = np.argsort(wanted)
    placed = np.array(wanted, dtype=float)
    for _ in range(200):
        moved = False
        for upper, lower in pairwise(order):
            lack = least - (placed[lower] - placed[upper])
            if lack > 0.01:
                placed[upper] -= lack / 2
                placed[lower] += lack / 2
                moved = True
        if not moved:
            break
    return [float(y) for y in placed]
