"""How much of a record is independent: block length of a bootstrap, effective number of samples, clusters of what is
rare."""

import math

import numpy as np
from msgspec import Struct

from pinch.core.robust import autocorrelation
from pinch.core.runlog import FloatArray

FLAT_TOP_C = 2.0
LEAST_RUN = 5
"""Lags in a row that have to be without correlation."""
MOST_OF_RECORD, LEAST_LEFT = 3, 0.2


class Dependence(Struct, frozen=True):
    """How a series depends on its past: the block length of a circular bootstrap that suits it, in samples, and how
    many independent samples are worth as much for its mean."""

    block: float
    worth: float


def dependence(values: FloatArray) -> Dependence:
    """The dependence of (n,) values by their autocorrelation with a flat-top window (D. N. Politis and H. White,
    Econom. Rev. 23, 2004; corrected by A. Patton, D. N. Politis and H. White, Econom. Rev. 28, 2009)."""
    n = len(values)
    run = max(LEAST_RUN, math.ceil(math.sqrt(math.log10(n))))
    for most in (math.ceil(math.sqrt(n)) + run, n // MOST_OF_RECORD):
        most = min(most, n - 1)
        rho = autocorrelation(values, most)
        if not np.any(rho):
            return Dependence(1.0, float(n))
        small = np.abs(rho) < FLAT_TOP_C * math.sqrt(math.log10(n) / n)
        after = [m for m in range(most - run + 1) if small[m : m + run].all()]
        if after:
            break  # else it reaches further than the rule looks
    window = min(2 * max(after[0] if after else most, 1), most)
    lag = np.arange(1, window + 1)
    weight = np.minimum(1.0, 2.0 * (1.0 - lag / window))
    spectrum = 1.0 + 2.0 * float(weight @ rho[:window])  # of the correlation: that of the values over their variance
    slope = 2.0 * float((weight * lag) @ rho[:window])
    if spectrum <= 0.0:
        return Dependence(1.0, float(n))
    block = (1.5 * (slope / spectrum) ** 2 * n) ** (1.0 / 3.0)
    # Correlations are of what is off the mean of this very record, and fall short by as much as it is not known.
    spectrum /= max(LEAST_LEFT, 1.0 - 2.0 * float(weight.sum()) / n)
    # A record that happens to look less dependent than it is passes for a longer one: as much as chance usually makes
    # of such an estimate is allowed for (M. B. Priestley, Spectral Analysis and Time Series, 1981, 6.2.4).
    spectrum *= 1.0 + math.sqrt(2.0 * (1.0 + 2.0 * float(weight @ weight)) / n)
    return Dependence(min(max(block, 1.0), math.ceil(min(3.0 * math.sqrt(n), n / 3.0))), n / max(spectrum, 1.0))


def clusters_of(places: np.ndarray) -> float:
    """How many independent clusters (m,) places of rare samples come in: their number times the extremal index by the
    times between them (C. A. T. Ferro and J. Segers, J. R. Stat. Soc. B 65, 2003)."""
    m = len(places)
    if m < 2:
        return float(m)
    apart = np.diff(places).astype(float)
    if apart.max() <= 2.0:
        index = 2.0 * apart.sum() ** 2 / ((m - 1) * float((apart**2).sum()))
    else:
        index = 2.0 * (apart - 1.0).sum() ** 2 / ((m - 1) * float(((apart - 1.0) * (apart - 2.0)).sum()))
    return float(m * min(1.0, index))
