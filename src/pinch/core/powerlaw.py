"""The power law with an offset, y = c·(P − P₀)^b: what many chips follow until heat or graphics hold them.

On logarithms the law is linear in ln c and b once P₀ is known, so that P₀ alone is searched (variable projection; G. H.
Golub and V. Pereyra, SIAM J. Numer. Anal. 10, 1973): on a grid for any number of data sets at once, then by the
parabola through the best place and its neighbours.
"""

import numpy as np
from msgspec import Struct

from pinch.core.parabola import lowest_between
from pinch.core.runlog import FloatArray

OFFSETS = 96
"""Places of P₀ tried between 0 and the least power."""
LARGEST_OFFSET = 0.98
MOST_EXPONENT, LEAST_EXPONENT = 1.0, 1e-3
PARAMETERS = 3


class PowerLaws(Struct, frozen=True):
    """Laws of (r,) data sets: `log_gain` ln c, `offset_w` P₀ in W, `exponent` b, `misfit` the weighted sum of squares
    of ln y."""

    log_gain: FloatArray
    offset_w: FloatArray
    exponent: FloatArray
    misfit: FloatArray

    def at(self, power: FloatArray) -> FloatArray:
        """Scores of all laws at (k,) W above every P₀, (r, k)."""
        reach = np.log(power[None, :] - self.offset_w[:, None])
        return np.exp(self.log_gain[:, None] + self.exponent[:, None] * reach)

    def slope_of_log(self, power: FloatArray) -> FloatArray:
        """d ln y / d ln P of the first law at (k,) W."""
        return np.asarray(self.exponent[0] * power / (power - self.offset_w[0]))

    def basis(self, power: FloatArray) -> FloatArray:
        """What a small change of ln c, b and P₀ of the first law does to ln y at (k,) W, (k, 3)."""
        above = power - self.offset_w[0]
        return np.column_stack([np.ones(len(power)), np.log(above), -self.exponent[0] / above])


def fit_power_laws(power: FloatArray, log_score: FloatArray, weights: FloatArray) -> PowerLaws:
    """Fit 0 < b ≤ 1 and 0 ≤ P₀ < the least power to each row of ln scores.

    Parameters
    ----------
    power : (n,) W, at least three different ones.
    log_score : (r, n) ln scores, a data set a row.
    weights : (n,) numbers of runs behind each point.
    """
    least = float(power.min())
    # Finer towards the least power, where the logarithm turns fastest.
    offsets = least * LARGEST_OFFSET * (1.0 - np.linspace(1.0, 0.0, OFFSETS) ** 1.5)
    share = weights / weights.sum()
    x = np.log(power[None, :] - offsets[:, None])
    x -= (x @ share)[:, None]
    y = log_score - (log_score @ share)[:, None]
    sxx = (x * x) @ weights
    sxy = (y * weights) @ x.T
    b = np.clip(sxy / sxx, LEAST_EXPONENT, MOST_EXPONENT)
    misfit = ((y * y) @ weights)[:, None] - 2.0 * b * sxy + b * b * sxx
    chosen = lowest_between(offsets, misfit)
    reach = np.log(power[None, :] - chosen[:, None])
    middle = reach @ share
    off = reach - middle[:, None]
    sxx_r = (off * off) @ weights
    b_r = np.clip(((y * off) @ weights) / sxx_r, LEAST_EXPONENT, MOST_EXPONENT)
    left = y - b_r[:, None] * off
    return PowerLaws(log_score @ share - b_r * middle, chosen, b_r, (left * left) @ weights)
