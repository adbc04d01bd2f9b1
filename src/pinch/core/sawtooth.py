"""A saw-tooth: heat control by hysteresis makes clock and power swing with a steady period."""

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.runlog import FloatArray

SHORTEST_S, LONGEST_S = 4.0, 300.0
LEAST_CORRELATION = 0.5


class Sawtooth(Struct, frozen=True):
    """Period in s, and swing from the 5 % to the 95 % point in the unit of the values."""

    period_s: float
    swing: float


def find_sawtooth(values: FloatArray, step_s: float) -> Sawtooth | None:
    """The saw-tooth in the last half of (n,) evenly spaced values, None where there is none.

    Its period is the lag of the first peak of the detrended values' autocorrelation beyond the first negative one,
    where that peak exceeds 0.5 and lies between 4 s and 300 s.
    """
    half = values[len(values) // 2 :]
    half = half[np.isfinite(half)]
    lags = min(int(LONGEST_S / step_s), len(half) // 2)
    if lags < 3:
        return None
    t = np.arange(len(half), dtype=float)
    level = half - np.polyval(np.polyfit(t, half, 1), t)
    correlation = robust.autocorrelation(level, lags)
    negative = np.flatnonzero(correlation < 0)
    if len(negative) == 0:
        return None
    peak = int(negative[0]) + int(np.argmax(correlation[negative[0] :]))
    period = (peak + 1) * step_s
    if correlation[peak] <= LEAST_CORRELATION or peak == lags - 1 or period < SHORTEST_S:
        return None
    low, high = np.percentile(level, [5, 95])
    return Sawtooth(period, float(high - low))


def over_periods(values: FloatArray, period: int) -> FloatArray:
    """Means (n − period + 1,) over one whole period beginning at each of (n,) values: the swing is gone."""
    running = np.concatenate([[0.0], np.cumsum(values)])
    return np.asarray((running[period:] - running[:-period]) / period, dtype=float)
