"""A law through few points that says what the next one will be: a straight sum of terms with weak prior knowledge, so
that two points already say something, and honestly little.

The coefficients have normal priors, the scatter a scaled inverse chi-square one; what is predicted is Student's t
around the mean (Gelman and others, Bayesian Data Analysis, 3rd edition, ch. 14; the scatter by iteration, where that
book has both priors conjugate).
"""

import math

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray

ROUNDS = 6


class Term(Struct, frozen=True):
    """Prior knowledge of a coefficient: its mean and standard deviation."""

    mean: float
    sd: float


class Law(Struct, frozen=True):
    """A fitted sum of terms: `mean` (p,) and `covariance` (p, p) of the coefficients, the scatter of a single point
    `sd`, and the degrees of freedom that it is known with."""

    mean: FloatArray
    covariance: FloatArray
    sd: float
    dof: float

    def at(self, terms: FloatArray) -> float:
        """What is expected at a place with these terms, (p,)."""
        return float(terms @ self.mean)

    def coefficients(self, rng: np.random.Generator, count: int) -> FloatArray:
        """Coefficients as they may be, (count, p)."""
        return np.asarray(rng.multivariate_normal(self.mean, self.covariance, count, method="svd"))

    def scatter(self, rng: np.random.Generator, count: int) -> FloatArray:
        """How far single points may be off the law, (count,)."""
        return np.asarray(self.sd * rng.standard_t(self.dof, count))


def fit_law(rows: FloatArray, y: FloatArray, terms: tuple[Term, ...], sd: float, dof: float) -> Law:
    """Fit (n,) values by their terms, (n, p).

    Parameters
    ----------
    terms : what is known of each coefficient beforehand.
    sd, dof : the scatter that is expected beforehand, and how many points that knowledge is worth.
    """
    prior_mean = np.array([t.mean for t in terms])
    prior = np.diag([t.sd**-2.0 for t in terms])
    scatter = sd
    for _ in range(ROUNDS):
        precision = rows.T @ rows / scatter**2 + prior
        covariance = np.linalg.inv(precision)
        mean = covariance @ (rows.T @ y / scatter**2 + prior @ prior_mean)
        left = y - rows @ mean
        used = float(np.trace(rows @ covariance @ rows.T)) / scatter**2
        free = dof + max(0.0, len(y) - used)
        scatter = math.sqrt((dof * sd**2 + float(left @ left)) / free)
    return Law(np.asarray(mean), np.asarray(covariance), scatter, free)
