"""The non-decreasing concave least-squares curve through points of score against watts.

Every such piecewise linear curve with kinks at the points is a + Σ b_j·min(P, P_j) with b_j ≥ 0, so that the fit is a
non-negative least-squares problem (C. L. Lawson and R. J. Hanson, Solving Least Squares Problems, 1974), solved
exactly. Between the points it is drawn by PCHIP, which keeps it from falling.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator


@dataclass(frozen=True)
class ConcaveCurve:
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
        raise DataError("scaling points", f"a curve needs three different powers, there are {len(knots)}")
    scale = float(np.abs(score).max()) or 1.0
    span = knots[-1] - knots[0]
    ramps = np.minimum((power[:, None] - knots[0]) / span, (knots[None, 1:] - knots[0]) / span)
    ones = np.ones((len(power), 1))
    weights, _ = nnls(np.hstack([ones, -ones, ramps]), score / scale)
    at_knots = np.minimum((knots[:, None] - knots[0]) / span, (knots[None, 1:] - knots[0]) / span)
    fitted = (weights[0] - weights[1] + at_knots @ weights[2:]) * scale
    return ConcaveCurve(knots, fitted)
