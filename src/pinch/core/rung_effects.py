"""How far the settings of a ladder lie off any smooth curve, and whether a law bends as the curve does.

Two runs of one setting share what its firmware makes of a limit and what the meter makes of its watts, so that a rung
is off the curve by more than its runs scatter: a random effect of each rung. Whatever of the curve the law does not
follow is smooth: a Gaussian process over ln W beside the law (C. E. Rasmussen and C. K. I. Williams, Gaussian
Processes for Machine Learning, 2006, 2.7: explicit basis functions). How large both are is weighed over a grid by their
restricted likelihood; nothing is fitted to the best of them alone.
"""

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray

RUNG_SDS = np.array([0.0, 0.003, 0.006, 0.012, 0.024, 0.048])
RUNG_PRIOR = np.array([0.10, 0.15, 0.20, 0.25, 0.20, 0.10])
"""Standard deviations of a rung off the curve, ln score, and how likely each is before it is measured: common practice,
no source."""
BENDS = np.array([0.0, 0.01, 0.03, 0.09, 0.27])
STRAIGHT = 0.5
"""How likely it is beforehand that the law is all there is of the curve."""
LENGTHS = np.array([0.2, 0.4, 0.8])
"""How far, in parts of the range of ln W, what is beside the law stays alike."""
LEAST_WEIGHT = 0.02
JITTER, SINGULAR = 1e-10, 1e-9


class EffectSizes(Struct, frozen=True):
    """Sizes of both effects (m,): standard deviation of a rung and of the bend, ln score, and the bend's length in ln
    W; with what they make of rungs at (n,) `watts`, whatever the law: the inverse of their covariance (m, n, n), and
    the logarithm of its determinant (m,)."""

    watts: FloatArray
    rung_sd: FloatArray
    bend: FloatArray
    length: FloatArray
    inverse: FloatArray
    log_det: FloatArray

    @classmethod
    def of(
        cls, watts: FloatArray, variances: FloatArray, rung_sd: FloatArray, bend: FloatArray, length: FloatArray
    ) -> "EffectSizes":
        """Of rungs at (n,) watts whose mean ln scores scatter by (n,) variances."""
        covariance = _covariance(watts, variances, rung_sd, bend, length)
        inverse = np.asarray(np.linalg.inv(covariance), dtype=float)
        log_det = np.asarray(np.linalg.slogdet(covariance)[1], dtype=float)
        return cls(watts, rung_sd, bend, length, inverse, log_det)

    @classmethod
    def usual(cls, watts: FloatArray, variances: FloatArray) -> "EffectSizes":
        """All sizes that are weighed."""
        lengths = LENGTHS * float(np.log(watts[-1] / watts[0]))
        rung, bend, length = (grid.ravel() for grid in np.meshgrid(RUNG_SDS, BENDS, lengths, indexing="ij"))
        return cls.of(watts, variances, rung, bend, length)


class RungEffects(Struct, frozen=True):
    """Sizes of both effects with their weights (m,), which add up to 1. `evidence` is the logarithm of what speaks for
    all of them together, to be compared with that of another law on the same rungs."""

    weight: FloatArray
    sizes: EffectSizes
    evidence: float

    @property
    def bent(self) -> float:
        """How likely it is that the law is not all there is of the curve."""
        return float(self.weight[self.sizes.bend > 0.0].sum())

    @property
    def rung(self) -> float:
        """Root mean square of the rung effect, ln score."""
        return float(np.sqrt(self.weight @ self.sizes.rung_sd**2))

    def drawn_rungs(self, rng: np.random.Generator, count: int, straight: bool) -> FloatArray:
        """Sizes of the rung effect, drawn by their weights (count,); `straight`: given that the law is all there is."""
        weight = np.where(self.sizes.bend == 0.0, self.weight, 0.0) if straight else self.weight
        return np.asarray(rng.choice(self.sizes.rung_sd, count, p=weight / weight.sum()))


def rung_effects(sizes: EffectSizes, left: FloatArray, basis: FloatArray) -> RungEffects:
    """What rungs (n,) show of both effects, of all the usual sizes.

    Parameters
    ----------
    left : (n,) ln score of each rung less that of the law as it stands.
    basis : (n, p) what a small change of each parameter of the law does to ln score.
    """
    prior = np.repeat(RUNG_PRIOR, len(BENDS) * len(LENGTHS)) / len(LENGTHS)
    prior *= np.where(sizes.bend == 0.0, STRAIGHT, (1.0 - STRAIGHT) / (len(BENDS) - 1))
    likelihood = _restricted(sizes, left, np.linalg.qr(basis)[0])
    top = float(likelihood.max())
    weight = prior * np.exp(likelihood - top)
    return RungEffects(weight / weight.sum(), sizes, top + float(np.log(weight.sum())))


def _kernel(a: FloatArray, b: FloatArray, length: FloatArray) -> FloatArray:
    """Correlation of the bend at (i,) and (j,) W for (m,) lengths, (m, i, j)."""
    apart = (np.log(a)[:, None] - np.log(b)[None, :])[None] / length[:, None, None]
    return np.asarray(np.exp(-0.5 * apart**2))


def _covariance(
    watts: FloatArray, variances: FloatArray, rung: FloatArray, bend: FloatArray, length: FloatArray
) -> FloatArray:
    own = variances[None, :] + rung[:, None] ** 2 + JITTER
    return np.asarray(bend[:, None, None] ** 2 * _kernel(watts, watts, length) + own[:, :, None] * np.eye(len(watts)))


def _restricted(sizes: EffectSizes, y: FloatArray, basis: FloatArray) -> FloatArray:
    """Restricted log-likelihood of y (n,) for each of the sizes (m,), up to a constant."""
    inverse = sizes.inverse
    inner = basis.T @ inverse @ basis
    of_basis = inverse @ basis
    seen = of_basis.transpose(0, 2, 1) @ y
    left = (
        y @ (inverse @ y[:, None])[:, :, 0].T - (seen[:, None, :] @ np.linalg.solve(inner, seen[:, :, None]))[:, 0, 0]
    )
    return np.asarray(-0.5 * (sizes.log_det + np.linalg.slogdet(inner)[1] + left))


def smooth_draws(
    effects: RungEffects,
    left: FloatArray,
    bases: tuple[FloatArray, FloatArray],
    at: FloatArray,
    rng: np.random.Generator,
    count: int,
) -> tuple[FloatArray, FloatArray]:
    """What the smooth curve may be beside the law at (k,) W: its mean (k,), and draws of it (count, k), both ln score.

    Parameters
    ----------
    left : (n,) what the rungs are off the law as it stands.
    bases : of the law at the rungs (n, p) and at `at` (k, p).
    """
    (basis, basis_at), sizes = bases, effects.sizes
    chosen = effects.weight >= LEAST_WEIGHT
    share = effects.weight[chosen] / effects.weight[chosen].sum()
    bend, length, inverse = sizes.bend[chosen], sizes.length[chosen], sizes.inverse[chosen]
    of_basis = inverse @ basis
    across = bend[:, None, None] ** 2 * _kernel(at, sizes.watts, length)
    inner = np.linalg.pinv(basis.T @ of_basis, rcond=SINGULAR, hermitian=True)
    moved = inner @ (of_basis.transpose(0, 2, 1) @ left)[:, :, None]
    lever = basis_at - across @ of_basis
    middle = (basis_at @ moved + across @ (inverse @ (left[:, None] - basis @ moved)))[:, :, 0]
    spread = bend[:, None, None] ** 2 * _kernel(at, at, length) - across @ inverse @ across.transpose(0, 2, 1)
    value, vector = np.linalg.eigh(spread + lever @ inner @ lever.transpose(0, 2, 1))
    root = vector * np.sqrt(np.maximum(value, 0.0))[:, None, :]
    which = np.repeat(np.arange(len(share)), rng.multinomial(count, share))
    off = (root[which] @ rng.standard_normal((count, len(at), 1)))[:, :, 0]
    return share @ middle, middle[which] + off
