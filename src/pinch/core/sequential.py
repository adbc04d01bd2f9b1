"""Looking at a result again and again, and stopping when it answers: bounds whose errors hold in spite of looking.

Group-sequential bounds on the standardised difference at equally spaced looks, by the recursion of Armitage, McPherson
and Rowe (J. R. Stat. Soc. A 132, 1969): constant (Pocock, Biometrika 64, 1977), or falling with the root of the look
(O'Brien and Fleming, Biometrics 35, 1979). Where the scatter is estimated, Student's quantile of the same probability
stands for the normal one (Jennison and Turnbull, Group Sequential Methods, 2000, ch. 11). Wald's test of two simple
hypotheses (Ann. Math. Stat. 16, 1945) says what looking at every run could save at best.
"""

import math
from enum import StrEnum
from functools import lru_cache

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray

GRID, WIDEST = 401, 8.0
MOST_LOOKS = 20


class BoundShape(StrEnum):
    """How bounds go from look to look: `flat` ones stop large differences early, `falling` ones keep the last look
    nearly what it is without looking."""

    FLAT = "flat"
    FALLING = "falling"


@lru_cache
def bounds(looks: int, error: float, shape: BoundShape) -> tuple[float, ...]:
    """Two-sided bounds on a standard normal statistic at each of so many equally spaced looks, so that it passes one of
    them with a probability of `error` where there is no difference.

    Raises
    ------
    ValueError : no or more looks than are worked out, or an error that is none.
    """
    if not (1 <= looks <= MOST_LOOKS and 0.0 < error < 1.0):
        raise ValueError(f"{looks} looks at an error of {error}")
    from scipy.optimize import brentq

    factors = np.array([1.0 if shape is BoundShape.FLAT else math.sqrt(looks / k) for k in range(1, looks + 1)])
    found = float(brentq(lambda c: _passes(c * factors) - error, 0.5, WIDEST, xtol=1e-6))
    return tuple(float(found * factor) for factor in factors)


def _passes(limits: FloatArray) -> float:
    """Probability that a walk of standard normal steps passes ±limit·√k at some look k."""
    from scipy.special import ndtr

    reach = [float(limit) * math.sqrt(k) for k, limit in enumerate(limits, 1)]
    at = np.linspace(-reach[0], reach[0], GRID)
    density = np.exp(-0.5 * at**2) / math.sqrt(2.0 * math.pi)
    passed = float(2.0 * ndtr(-reach[0]))
    for edge in reach[1:]:
        weights = _simpson(at) * density
        passed += float(weights @ (ndtr(-edge - at) + ndtr(at - edge)))
        onward = np.linspace(-edge, edge, GRID)
        steps = np.exp(-0.5 * (onward[:, None] - at) ** 2) / math.sqrt(2.0 * math.pi)
        at, density = onward, steps @ weights
    return passed


def _simpson(at: FloatArray) -> FloatArray:
    """Simpson's weights of an odd number of evenly spaced places."""
    weights = np.full(len(at), 2.0)
    weights[1::2] = 4.0
    weights[[0, -1]] = 1.0
    return np.asarray(weights * (at[1] - at[0]) / 3.0)


def bound_at(look: int, looks: int, error: float, shape: BoundShape, dof: float) -> float:
    """The bound at a look (from 1), in standard errors that are known with so many degrees of freedom; past the last
    look that of the last."""
    from scipy.special import ndtr, stdtrit

    normal = bounds(looks, error, shape)[min(look, looks) - 1]
    return -float(stdtrit(dof, float(ndtr(-normal)))) if math.isfinite(dof) else normal


class WaldTest(Struct, frozen=True):
    """Wald's sequential test of a mean of 0 against `shift` standard deviations: runs go on while the logarithm of the
    likelihood ratio is between `low` and `high`."""

    shift: float
    low: float
    high: float

    @property
    def expected_under_shift(self) -> float:
        """Runs until it ends where the mean is `shift` (Wald's approximation)."""
        _, missed = self._errors
        return ((1.0 - missed) * self.high + missed * self.low) / (0.5 * self.shift**2)

    @property
    def expected_under_none(self) -> float:
        """Runs until it ends where the mean is 0."""
        error, _ = self._errors
        return -((1.0 - error) * self.low + error * self.high) / (0.5 * self.shift**2)

    @property
    def _errors(self) -> tuple[float, float]:
        up, down = math.exp(self.high), math.exp(self.low)
        return (1.0 - down) / (up - down), down * (up - 1.0) / (up - down)


def wald(shift: float, error: float, missed: float) -> WaldTest:
    """The test with these probabilities of calling a difference that is none, and of missing one of `shift`."""
    return WaldTest(shift, math.log(missed / (1.0 - error)), math.log((1.0 - missed) / error))
