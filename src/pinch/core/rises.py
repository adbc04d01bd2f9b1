"""Rises towards a ceiling, y = a − d·g(P): exponential, g = e^(−P/θ), or hyperbolic, g = 1 / (P + θ).

What a chip does that graphics or memory hold more and more as watts grow. Linear in a and d once θ is known, so that θ
alone is searched, for any number of data sets at once (variable projection; G. H. Golub and V. Pereyra, SIAM J. Numer.
Anal. 10, 1973).
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from pinch.core.parabola import lowest_between
from pinch.core.runlog import FloatArray

TRIED = 96
NUDGE = 1e-4
Basis = Callable[[FloatArray, FloatArray], FloatArray]


def exponential(power: FloatArray, theta: FloatArray) -> FloatArray:
    """e^(−P/θ), for each θ a row."""
    return np.asarray(np.exp(-power[None, :] / theta[:, None]))


def hyperbolic(power: FloatArray, theta: FloatArray) -> FloatArray:
    """1 / (P + θ), for each θ a row."""
    return np.asarray(1.0 / (power[None, :] + theta[:, None]))


class Rises(Struct, frozen=True):
    """Rises of (r,) data sets; `misfit` is the weighted sum of squares of relative residuals."""

    basis: Basis
    ceiling: FloatArray
    depth: FloatArray
    theta: FloatArray
    misfit: FloatArray

    def at(self, power: FloatArray) -> FloatArray:
        """Scores of all rises at (k,) W, (r, k)."""
        return np.asarray(self.ceiling[:, None] - self.depth[:, None] * self.basis(power, self.theta))

    def basis_of_log(self, power: FloatArray) -> FloatArray:
        """What a small change of a, d and θ of the first rise does to ln y at (k,) W, (k, 3)."""
        theta = self.theta[:1]
        g = self.basis(power, theta)[0]
        turned = (self.basis(power, theta * (1.0 + NUDGE))[0] - g) / NUDGE
        y = self.ceiling[0] - self.depth[0] * g
        return np.column_stack([1.0 / y, -g / y, -turned / y])


def fit_rises(power: FloatArray, score: FloatArray, weights: FloatArray, basis: Basis) -> Rises:
    """Fit d ≥ 0 to each row of scores.

    Parameters
    ----------
    power : (n,) W, at least three different ones.
    score : (r, n) scores above zero, a data set a row.
    weights : (n,) numbers of runs behind each point; residuals count as shares of the first row's scores.
    """
    theta = np.geomspace(0.1, 10.0, TRIED) * float(power[-1])
    if basis is hyperbolic:
        theta = np.concatenate([-float(power[0]) * np.geomspace(0.02, 0.95, TRIED // 4)[::-1], theta])
    w = weights / score[0] ** 2
    share = w / w.sum()
    g = basis(power, theta)
    g = g - (g @ share)[:, None]
    y = score - (score @ share)[:, None]
    sgg, sgy = (g * g) @ w, (y * w) @ g.T
    depth = np.maximum(-sgy / sgg, 0.0)
    misfit = ((y * y) @ w)[:, None] + 2.0 * depth * sgy + depth * depth * sgg
    chosen = lowest_between(theta, misfit)
    own = basis(power, chosen)
    middle = own @ share
    off = own - middle[:, None]
    depth_r = np.maximum(-((y * off) @ w) / ((off * off) @ w), 0.0)
    left = y + depth_r[:, None] * off
    return Rises(basis, score @ share + depth_r * middle, depth_r, chosen, (left * left) @ w)
