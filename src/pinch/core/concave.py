"""The non-decreasing concave least-squares curve through points of score against watts.

Every such piecewise linear curve with kinks at the points is a + Σ b_j·min(P, P_j) with b_j ≥ 0, so that the fit is a
non-negative least-squares problem (C. L. Lawson and R. J. Hanson, Solving Least Squares Problems, 1974), solved
exactly. Many data sets on the same watts are solved at once by block principal pivoting (J. Kim and H. Park, SIAM J.
Sci. Comput. 33, 2011). Between the points it is drawn by PCHIP, which keeps it from falling.
"""

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray
from pinch.language import tr

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator

PATIENCE, MOST_EXCHANGES = 3, 200


class ConcaveCurve(Struct, frozen=True, dict=True):
    """The fitted curve: knots `power` (m,) W increasing, `score` (m,) non-decreasing and concave."""

    power: FloatArray
    score: FloatArray

    @cached_property
    def _interpolator(self) -> "PchipInterpolator":
        from scipy.interpolate import PchipInterpolator

        return PchipInterpolator(self.power, self.score, extrapolate=False)

    def at(self, power: FloatArray) -> FloatArray:
        """Curve at (k,) W; NaN outside the measured range."""
        return np.asarray(self._interpolator(power), dtype=float)

    def least_power_for(self, score: float) -> float:
        """Least W at which the curve reaches `score`; NaN where it never does or already does at its start."""
        if score > self.score[-1] or score < self.score[0]:
            return float("nan")
        if score == self.score[0]:
            return float(self.power[0])
        from scipy.optimize import brentq

        segment = int(np.argmax(self.score >= score))
        low, high = self.power[segment - 1], self.power[segment]
        return float(brentq(lambda p: float(self._interpolator(p)) - score, low, high, xtol=1e-6))


def fit_concave(power: FloatArray, score: FloatArray) -> ConcaveCurve:
    """Fit (n,) scores against (n,) watts; equal watts are allowed.

    Raises
    ------
    DataError : fewer than three different powers.
    """
    from scipy.optimize import nnls

    knots = np.unique(power)
    if len(knots) < 3:
        raise DataError(
            tr("scaling points"), tr("a curve needs three different powers, there are {knots}", knots=len(knots))
        )
    scale = float(np.abs(score).max()) or 1.0
    ones = np.ones((len(power), 1))
    weights, _ = nnls(np.hstack([ones, -ones, _ramps(power, knots)]), score / scale)
    fitted = (weights[0] - weights[1] + _ramps(knots, knots) @ weights[2:]) * scale
    return ConcaveCurve(knots, fitted)


def fit_concave_rows(knots: FloatArray, scores: FloatArray, weights: FloatArray) -> FloatArray:
    """The curves at (n,) increasing watts of each row of (r, n) scores, points weighing `weights` (n,); (r, n)."""
    share = weights / weights.sum()
    ramps = _ramps(knots, knots)
    middle, level = share @ ramps, scores @ share
    off = ramps - middle
    gram = (off * weights[:, None]).T @ off
    pull = ((scores - level[:, None]) * weights) @ off
    steps = _non_negative(gram, pull)
    return np.asarray(level[:, None] + steps @ off.T)


def _ramps(power: FloatArray, knots: FloatArray) -> FloatArray:
    """min(P, P_j) of (n,) watts for all knots but the first, (n, m − 1), on a scale of 0 to 1."""
    span = knots[-1] - knots[0]
    return np.asarray(np.minimum((power[:, None] - knots[0]) / span, (knots[None, 1:] - knots[0]) / span))


def _non_negative(gram: FloatArray, pull: FloatArray) -> FloatArray:
    """x ≥ 0 that makes ½ xᵀ·gram·x − pull·x least, for each row of `pull` (r, m)."""
    count, size = pull.shape
    free = np.ones((count, size), dtype=bool)
    most, patience = np.full(count, size + 1), np.full(count, PATIENCE)
    x, todo = np.zeros((count, size)), np.arange(count)
    tiny = 1e-10 * float(np.abs(pull).max() or 1.0)
    for _ in range(MOST_EXCHANGES):
        mask = free[todo]
        masked = np.where(mask[:, :, None] & mask[:, None, :], gram, np.eye(size))
        found = np.linalg.solve(masked, np.where(mask, pull[todo], 0.0)[:, :, None])[:, :, 0]
        x[todo] = found
        wrong = np.where(mask, found < -tiny, found @ gram - pull[todo] < -tiny)
        amount = wrong.sum(axis=1)
        if not amount.any():
            break
        better = amount < most[todo]
        patience[todo] = np.where(better, PATIENCE, patience[todo] - 1)
        most[todo] = np.minimum(most[todo], amount)
        last = size - 1 - np.argmax(wrong[:, ::-1], axis=1)  # one at a time ends for certain (Murty's rule)
        only = wrong & (np.arange(size) == last[:, None])
        free[todo] ^= np.where((patience[todo] >= 0)[:, None], wrong, only)
        todo = todo[amount > 0]
    return np.maximum(x, 0.0)
