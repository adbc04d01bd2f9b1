"""Two power laws that meet at a corner, ln y = a + b₁·ln(min(P, k) − P₀) + b₂·ln(max(P, k) / k): what a chip does that
something else holds from k W on.

Linear in a, b₁ and b₂ once k and P₀ are known, so that these two alone are searched, for any number of data sets at
once (variable projection; G. H. Golub and V. Pereyra, SIAM J. Numer. Anal. 10, 1973).
"""

import numpy as np
from msgspec import Struct
from msgspec.structs import fields

from pinch.core.runlog import FloatArray

CORNERS, OFFSETS = 40, 8
LARGEST_OFFSET = 0.9
PARAMETERS = 5
LEAST_RUNGS = PARAMETERS + 2
NEAR = np.array([-0.75, -0.5, -0.25, 0.0, 0.25, 0.5, 0.75])
"""Places tried once more around the best one, as shares of the way to its neighbours."""
NUDGE = 1e-4


class Corners(Struct, frozen=True):
    """Curves of (r,) data sets: `level` a, `offset_w` P₀ and `corner_w` k in W, `below` b₁ and `above` b₂; `misfit` is
    the weighted sum of squares of ln y, infinite where no corner fits that bends down."""

    level: FloatArray
    offset_w: FloatArray
    corner_w: FloatArray
    below: FloatArray
    above: FloatArray
    misfit: FloatArray

    def at(self, power: FloatArray) -> FloatArray:
        """Scores at (k,) W above every P₀, (r, k)."""
        x = _reaches(power, self.offset_w, self.corner_w)
        return np.asarray(np.exp(self.level[:, None] + self.below[:, None] * x[0] + self.above[:, None] * x[1]))

    def basis(self, power: FloatArray) -> FloatArray:
        """What a small change of each parameter of the first curve does to ln y at (k,) W, (k, 5)."""
        offset, corner = self.offset_w[:1], self.corner_w[:1]
        slopes = np.array([self.below[0], self.above[0]])
        now = _reaches(power, offset, corner)[:, 0]
        of_offset = _reaches(power, offset - NUDGE * power[0], corner)[:, 0] - now
        of_corner = _reaches(power, offset, corner * (1.0 + NUDGE))[:, 0] - now
        return np.column_stack([np.ones(len(power)), *now, slopes @ of_offset / NUDGE, slopes @ of_corner / NUDGE])


def fit_corners(power: FloatArray, log_score: FloatArray, weights: FloatArray) -> Corners:
    """Fit 0 < b₁ ≤ 1 and b₂ ≥ 0, flatter above the corner than below it, to each row of ln scores.

    Parameters
    ----------
    power : (n,) W increasing, seven or more; the corner lies between the second and the last but one.
    log_score : (r, n) ln scores, a data set a row.
    weights : (n,) numbers of runs behind each point.
    """
    corners = np.geomspace(power[1], power[-2], CORNERS)
    offsets = float(power[0]) * LARGEST_OFFSET * (1.0 - np.linspace(1.0, 0.0, OFFSETS) ** 1.5)
    k, p0 = (grid.ravel() for grid in np.meshgrid(corners, offsets))
    tried = _solved(power, log_score, weights, p0[None, :], k[None, :]).misfit.reshape(len(log_score), OFFSETS, CORNERS)
    best = tried.reshape(len(tried), -1).argmin(axis=1)
    near_k, near_p0 = (grid.ravel() for grid in np.meshgrid(NEAR, NEAR))
    k, p0 = (
        np.clip(at[:, None] + near * step, places[0], places[-1])
        for at, near, step, places in (
            (k[best], near_k, (corners[1] / corners[0] - 1.0) * k[best][:, None], corners),
            (p0[best], near_p0, offsets[-1] / OFFSETS, offsets),
        )
    )
    found = _solved(power, log_score, weights, p0, k)
    nearest = np.arange(len(log_score)), found.misfit.argmin(axis=1)
    return Corners(*(getattr(found, field.name)[nearest] for field in fields(Corners)))


def _reaches(power: FloatArray, offset: FloatArray, corner: FloatArray) -> FloatArray:
    """Both terms beside b₁ and b₂ for offsets and corners of any shape, (2, …, k)."""
    k = corner[..., None]
    return np.stack([np.log(np.minimum(power, k) - offset[..., None]), np.log(np.maximum(power, k) / k)])


def _solved(
    power: FloatArray, log_score: FloatArray, weights: FloatArray, offset: FloatArray, corner: FloatArray
) -> Corners:
    """The best slopes for offsets and corners (1 or r, m), each field (r, m)."""
    share = weights / weights.sum()
    x1, x2 = _reaches(power, offset, corner)
    middle1, middle2 = x1 @ share, x2 @ share
    x1, x2 = x1 - middle1[..., None], x2 - middle2[..., None]
    mean = log_score @ share
    y = log_score - mean[:, None]
    s11, s12, s22 = (x1 * x1) @ weights, (x1 * x2) @ weights, (x2 * x2) @ weights
    weighted = (y * weights)[:, None, :]
    if len(x1) == 1:
        r1, r2 = (weighted[:, 0] @ x[0].T for x in (x1, x2))
    else:
        r1, r2 = ((weighted * x).sum(axis=2) for x in (x1, x2))
    with np.errstate(divide="ignore", invalid="ignore"):
        above = np.maximum((s11 * r2 - s12 * r1) / (s11 * s22 - s12 * s12), 0.0)
        below = (r1 - s12 * above) / s11
        misfit = (y * y @ weights)[:, None] - 2.0 * (below * r1 + above * r2)
        misfit = misfit + below**2 * s11 + 2.0 * below * above * s12 + above**2 * s22
        bends_down = (below > 0.0) & (below <= 1.0) & (above / corner <= below / (corner - offset))
    misfit = np.where(bends_down, np.maximum(misfit, 0.0), np.inf)
    level = mean[:, None] - below * middle1 - above * middle2
    everywhere = np.ones_like(misfit)
    return Corners(level, offset * everywhere, corner * everywhere, below, above, misfit)
