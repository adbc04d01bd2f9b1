"""The curve of a score over measured watts, of one device and workload, with what chance could have made of it.

The power law with an offset is used where a lack-of-fit F test against the scatter of the repeats does not reject it
at 5 % (N. R. Draper and H. Smith, Applied Regression Analysis, 1981); where it does, a rise towards a ceiling that the
test does not reject; otherwise a shape that never falls and never bends up. A law is about twice as sharp as that.

The scatter of all repeats of a ladder is pooled, in ln score at equal watts: a setting with two runs says little of its
own scatter. Draws from it, a mean of as many runs for each setting, are fitted again; all intervals are of these draws,
widened by Student's t for the few repeats that the scatter is known from.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pinch.core.concave import fit_concave_rows
from pinch.core.errors import DataError
from pinch.core.powerlaw import PARAMETERS, PowerLaws, fit_power_laws
from pinch.core.printing import in_percent, plain
from pinch.core.rises import exponential, fit_rises, hyperbolic
from pinch.core.robust import Z975
from pinch.core.runlog import FloatArray

LAW, RISE, FREE = "law", "rise", "free shape"
GRID = 101
"""Points of the curve over the measured range."""
DRAWS, SEED = 400, 20260901
"""Draws of an interval: its 2.5 % point rests on ten of them. The seed makes the same points give the same band."""
REJECTED_AT = 0.05
"""A shape is rejected where its lack of fit is so unlikely by chance: the usual level of a test."""
LEAST_SETTINGS = 3
"""A curve through two points is a line that proves itself."""
WATT_DIGITS = 6
"""Mean watts that agree to so many decimals are those of one limit."""
UPPER = 0.975
"""Point of Student's t for a two-sided interval of 95 %."""
LEAST_SHARE = 1e-6
"""Of the best score: a least-squares shape could fall below zero, where no score is."""
EXACT = 1e-9
"""Scores that are alike to so much were not measured, but worked out."""
UNTESTED_RMS = 0.01
"""Without repeats the law is used where it misses the points by less: common practice, no source."""
FREE_WIDER = 1.12
"""A fit that is held to a shape varies less than it errs; with so much, 95 % is 95 % in `bench/ladders.py`."""
SAME_WATTS = 1.02
"""Runs within 2 % of watts are repeats of one limit, where nobody says which setting they are of."""


@dataclass(frozen=True)
class Point:
    """One run: `cell` names its setting (runs of one cell are repeats), power in W, score in its own unit, higher being
    better. `heat_share` is the share of its load that heat held, `low` a low of its frames (NaN: not known)."""

    cell: str
    power_w: float
    score: float
    low: float = float("nan")
    heat_share: float = 0.0


@dataclass(frozen=True)
class Rung:
    """A setting of a ladder: mean watts and score (geometric) of its runs."""

    cell: str
    power_w: float
    score: float
    runs: int
    heat_share: float = 0.0


@dataclass(frozen=True)
class Scatter:
    """Run-to-run scatter of ln score at equal watts: `sd` from `df` degrees of freedom; NaN and 0 without repeats."""

    sd: float
    df: int

    @property
    def known(self) -> bool:
        """Whether anything was repeated."""
        return self.df > 0


@dataclass(frozen=True)
class Ladder:
    """A fitted curve: `power` (k,) W from the least to the most that was measured, `score` (k,), and `draws` (r, k) of
    what chance could have made of it, no rows without repeats. `shape` is `law`, `rise` or `free shape`, `why` says
    by what test; `exponent` and `offset_w` are those of the law, NaN where it was rejected."""

    rungs: tuple[Rung, ...]
    power: FloatArray
    score: FloatArray
    draws: FloatArray
    shape: str
    why: str
    exponent: float
    offset_w: float
    scatter: Scatter

    @property
    def band(self) -> tuple[FloatArray, FloatArray]:
        """The 95 % band, low and high, (k,) each; NaN without repeats."""
        if not len(self.draws):
            return np.full(len(self.power), np.nan), np.full(len(self.power), np.nan)
        low, high = np.percentile(self.draws, [2.5, 97.5], axis=0)
        return low, high

    def covers(self, power_w: float) -> bool:
        """Whether that power is within what was measured."""
        return bool(self.power[0] - 1e-9 <= power_w <= self.power[-1] + 1e-9)

    def at(self, power_w: float) -> float:
        """Score at a power; NaN outside the measured range."""
        return float(np.interp(power_w, self.power, self.score)) if self.covers(power_w) else float("nan")

    def draws_at(self, power_w: float) -> FloatArray:
        """What the draws give at a power within the range, (r,)."""
        place = np.interp(power_w, self.power, np.arange(len(self.power)))
        below = min(int(place), len(self.power) - 2)
        part = place - below
        return np.asarray((1.0 - part) * self.draws[:, below] + part * self.draws[:, below + 1])


def fit_ladder(points: Sequence[Point]) -> Ladder:
    """The curve through the runs of one device and workload.

    Raises
    ------
    DataError : a power or score is not finite and above zero, or there are fewer than three different powers.
    """
    for p in points:
        if not (np.isfinite(p.power_w) and np.isfinite(p.score) and p.power_w > 0 and p.score > 0):
            raise DataError("scaling points", f"{p.cell} has {p.power_w:g} W and score {p.score:g}")
    groups = _groups(points)
    rungs = tuple(sorted((_rung(g) for g in groups), key=lambda r: r.power_w))
    watts, log_score = np.array([r.power_w for r in rungs]), np.log([r.score for r in rungs])
    runs = np.array([float(r.runs) for r in rungs])
    if len(np.unique(watts)) < LEAST_SETTINGS:
        raise DataError("scaling points", f"a curve needs three different powers, there are {len(np.unique(watts))}")
    law = fit_power_laws(watts, log_score[None, :], runs)
    steep = np.interp([p.power_w for p in points], watts, law.slope_of_log(watts))
    scatter, pool = _scatter(points, rungs, steep)
    grid = np.linspace(watts[0], watts[-1], GRID)
    drawn = _drawn(log_score, runs, pool, scatter)
    shape, why, fit = _chosen(law, watts, log_score, runs, scatter)
    draws = fit(drawn, grid) if len(drawn) else np.empty((0, GRID))
    lawful = shape == LAW
    return Ladder(
        rungs,
        grid,
        fit(log_score[None, :], grid)[0],
        draws,
        shape,
        why,
        float(law.exponent[0]) if lawful else float("nan"),
        float(law.offset_w[0]) if lawful else float("nan"),
        scatter,
    )


def cells_by_power(power: Sequence[float]) -> list[str]:
    """Names of cells for powers without named settings: those within 2 % of the one below are repeats of it."""
    order = np.argsort(power)
    names = [""] * len(power)
    number, last = 0, -np.inf
    for i in order:
        if power[i] > SAME_WATTS * last:
            number += 1
        last = power[i]
        names[i] = f"point {number}"
    return names


def _groups(points: Sequence[Point]) -> list[list[Point]]:
    """Runs by cell; cells at the very same watts count as one."""
    by_cell: dict[str, list[Point]] = {}
    for p in points:
        by_cell.setdefault(p.cell, []).append(p)
    by_watts: dict[float, list[Point]] = {}
    for group in by_cell.values():
        by_watts.setdefault(round(float(np.mean([p.power_w for p in group])), WATT_DIGITS), []).extend(group)
    return list(by_watts.values())


def _rung(group: list[Point]) -> Rung:
    cells = "/".join(dict.fromkeys(p.cell for p in group))
    return Rung(
        cells,
        float(np.mean([p.power_w for p in group])),
        float(np.exp(np.mean(np.log([p.score for p in group])))),
        len(group),
        float(np.mean([p.heat_share for p in group])),
    )


def _scatter(points: Sequence[Point], rungs: Sequence[Rung], steep: FloatArray) -> tuple[Scatter, FloatArray]:
    """The pooled scatter, and what it is made of: what is left of each repeated run, as if it were of a single one."""
    left: list[float] = []
    squares, df = 0.0, 0
    slopes = {id(p): s for p, s in zip(points, steep, strict=True)}
    for rung in rungs:
        group = [p for p in points if p.cell in rung.cell.split("/")]
        if len(group) < 2:
            continue
        moved = [slopes[id(p)] * np.log(p.power_w / rung.power_w) for p in group]
        level = np.log([p.score for p in group]) - np.array(moved)
        off = level - level.mean()
        squares += float(off @ off)
        df += len(group) - 1
        left += (off * np.sqrt(len(group) / (len(group) - 1.0))).tolist()
    if df == 0:
        return Scatter(float("nan"), 0), np.empty(0)
    return Scatter(float(np.sqrt(squares / df)), df), np.array(left)


Fit = Callable[[FloatArray, FloatArray], FloatArray]
"""Rows of ln scores (r, n) and a grid (k,) to curves (r, k)."""


def _chosen(
    law: PowerLaws, watts: FloatArray, log_score: FloatArray, runs: FloatArray, scatter: Scatter
) -> tuple[str, str, Fit]:
    """The shape that stands, by what test, and how it is fitted."""
    if len(watts) <= PARAMETERS:
        words = f"{len(watts)} settings leave nothing to test a law with"
        return FREE, words, lambda rows, grid: _free(watts, rows, runs, grid, log_score)
    stands, why = _test(float(law.misfit[0]), scatter, len(watts), runs)
    if stands:
        return LAW, f"power law: {why}", lambda rows, grid: fit_power_laws(watts, rows, runs).at(grid)
    rises = [fit_rises(watts, np.exp(log_score)[None, :], runs, basis) for basis in (exponential, hyperbolic)]
    best = min(rises, key=lambda rise: float(rise.misfit[0]))
    stands, rise_why = _test(float(best.misfit[0]), scatter, len(watts), runs)
    if stands and best.depth[0] > 0.0:
        words = f"power law: {why}; rise to a ceiling: {rise_why}"
        return RISE, words, lambda rows, grid: fit_rises(watts, np.exp(rows), runs, best.basis).at(grid)
    return FREE, f"power law: {why}", lambda rows, grid: _free(watts, rows, runs, grid, log_score)


def _test(misfit: float, scatter: Scatter, count: int, runs: FloatArray) -> tuple[bool, str]:
    """Whether a law of so much misfit stands, and by what."""
    from scipy.special import fdtrc

    if not scatter.known:
        rms = float(np.sqrt(misfit / runs.sum()))
        return rms < UNTESTED_RMS, f"no repeats to test it with; it misses the settings by {in_percent(rms)}"
    exact = scatter.sd <= EXACT
    spare = count - PARAMETERS
    chance = float(misfit < EXACT**2) if exact else float(fdtrc(spare, scatter.df, misfit / spare / scatter.sd**2))
    stands = chance >= REJECTED_AT
    return stands, f"lack of fit, p = {plain(chance, 2)}: it {'stands' if stands else 'is rejected'}"


def _drawn(log_score: FloatArray, runs: FloatArray, pool: FloatArray, scatter: Scatter) -> FloatArray:
    """Ln scores as chance could have made them, (r, n); none without repeats."""
    from scipy.special import stdtrit

    if not scatter.known or scatter.sd == 0.0:
        return np.empty((0, len(log_score)))
    wider = float(stdtrit(scatter.df, UPPER)) / Z975
    rng = np.random.default_rng(SEED)
    off = np.column_stack([rng.choice(pool, (DRAWS, int(n))).mean(axis=1) for n in runs])
    return np.asarray(log_score + wider * off)


def _free(watts: FloatArray, rows: FloatArray, runs: FloatArray, grid: FloatArray, log_score: FloatArray) -> FloatArray:
    """Concave curves of each row of ln scores on the grid, (r, k)."""
    from scipy.interpolate import PchipInterpolator

    scores = np.exp(log_score + FREE_WIDER * (rows - log_score))
    fitted = np.maximum(fit_concave_rows(watts, scores, runs), LEAST_SHARE * float(scores.max()))
    return np.asarray(PchipInterpolator(watts, fitted, axis=1)(grid))
