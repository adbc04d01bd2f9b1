"""Score against measured watts of one device and workload: the curve, its band, and the 95 % sweet spot."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pinch.core.concave import ConcaveCurve, fit_concave
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.runlog import FloatArray

NEARLY_ALL = 0.95
RESAMPLES = 400
SEED = 20260901
CURVE_POINTS = 81


@dataclass(frozen=True)
class Point:
    """One run: `cell` names its setting (runs of one cell are repeats), power in W, score in its own unit."""

    cell: str
    power_w: float
    score: float


@dataclass(frozen=True)
class SweetSpot:
    """The least power that reaches a share of the best score, W, with its 95 % interval (NaN: none can be had)."""

    power_w: float
    low_w: float
    high_w: float


@dataclass(frozen=True)
class CurveBand:
    """The curve on an even grid: (k,) W, score, and the 95 % band (NaN without repeats)."""

    power: FloatArray
    score: FloatArray
    low: FloatArray
    high: FloatArray


@dataclass(frozen=True)
class Scaling:
    """Result of `scale`: cell means, curve, sweet spot, target, warnings."""

    points: tuple[Point, ...]
    cells: tuple[Point, ...]
    curve: ConcaveCurve
    band: CurveBand
    nearly_all: SweetSpot
    target_w: float
    warnings: tuple[Note, ...]


def scale(points: Sequence[Point], target: float | None = None) -> Scaling:
    """Fit the concave curve through runs of one device and workload, higher score being better.

    The band and the interval are a bootstrap over runs within each cell (fixed seed); with no repeats there is none.

    Raises
    ------
    DataError : a power or score is not finite or positive, or there are fewer than three cells.
    """
    for p in points:
        if not (np.isfinite(p.power_w) and np.isfinite(p.score) and p.power_w > 0 and p.score >= 0):
            raise DataError("scaling points", f"{p.cell} has {p.power_w:g} W and score {p.score:g}")
    names = list(dict.fromkeys(p.cell for p in points))
    groups = [np.array([(p.power_w, p.score) for p in points if p.cell == name]) for name in names]
    means = np.array([g.mean(axis=0) for g in groups]).reshape(-1, 2)
    weights = np.array([len(g) for g in groups])
    curve = _fit(means, weights)
    grid = np.linspace(curve.power[0], curve.power[-1], CURVE_POINTS)
    drawn = curve.at(grid)
    low, high = np.full_like(drawn, np.nan), np.full_like(drawn, np.nan)
    best = curve.least_power_for(NEARLY_ALL * float(curve.score[-1]))
    spot = SweetSpot(best if np.isfinite(best) else float(curve.power[0]), float("nan"), float("nan"))
    warnings = []
    if any(len(g) > 1 for g in groups):
        low, high, interval = _bootstrap(groups, weights, grid)
        spot = SweetSpot(spot.power_w, *interval)
    else:
        warnings.append(Note("single-runs", "No setting was repeated, so no interval can be claimed."))
    if not np.isfinite(best):
        warnings.append(Note("flat", "The lowest power measured already gives 95 % of the best score."))
    warnings += _falling(names, means)
    cells = tuple(Point(n, float(m[0]), float(m[1])) for n, m in zip(names, means, strict=True))
    wanted = float("nan") if target is None else curve.least_power_for(target)
    return Scaling(tuple(points), cells, curve, CurveBand(grid, drawn, low, high), spot, wanted, tuple(warnings))


def cells_by_power(power: Sequence[float]) -> list[str]:
    """Names of cells for powers without named settings: those within 2 % of the one below are repeats of it."""
    order = np.argsort(power)
    names = [""] * len(power)
    number, last = 0, -np.inf
    for i in order:
        if power[i] > 1.02 * last:
            number += 1
        last = power[i]
        names[i] = f"point {number}"
    return names


def _fit(means: FloatArray, weights: FloatArray) -> ConcaveCurve:
    repeated = np.repeat(means, weights.astype(int), axis=0)
    return fit_concave(repeated[:, 0], repeated[:, 1])


def _bootstrap(
    groups: list[FloatArray], weights: FloatArray, grid: FloatArray
) -> tuple[FloatArray, FloatArray, tuple[float, float]]:
    """Band (low, high) on the grid and the interval of the sweet spot."""
    rng = np.random.default_rng(SEED)
    curves, spots = [], []
    for _ in range(RESAMPLES):
        means = np.array([g[rng.integers(0, len(g), len(g))].mean(axis=0) for g in groups])
        curve = _fit(means, weights)
        curves.append(np.interp(grid, curve.power, curve.score))
        spot = curve.least_power_for(NEARLY_ALL * float(curve.score[-1]))
        spots.append(spot if np.isfinite(spot) else float(curve.power[0]))
    low, high = np.percentile(curves, [2.5, 97.5], axis=0)
    interval = np.percentile(spots, [2.5, 97.5])
    return low, high, (float(interval[0]), float(interval[1]))


def _falling(names: list[str], means: FloatArray) -> list[Note]:
    order = np.argsort(means[:, 0])
    return [
        Note("falling", f"{names[b]} draws more than {names[a]} and scores less: it is often heat.")
        for a, b in pairwise(order)
        if means[b, 1] < 0.99 * means[a, 1]
    ]
