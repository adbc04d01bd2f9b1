"""The curve of a score over measured watts, of one device and workload, with what chance could have made of it.

The scatter of all repeats of a ladder is pooled, in ln score at equal watts: a setting with two runs says little of its
own scatter. Draws from it and from the rung effect are fitted again (`core.curve_shape`); all intervals are of these
draws, widened by Student's t for the few repeats that the scatter is known from.
"""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.core.curve_shape import LAW, Rungs, Scatter, choose_shape
from pinch.core.errors import DataError
from pinch.core.powerlaw import fit_power_laws
from pinch.core.runlog import FloatArray
from pinch.language import tr

GRID = 101
"""Points of the curve over the measured range."""
LEAST_SETTINGS = 3
"""A curve through two points is a line that proves itself."""
SAME_WATTS = 1.02
"""Settings within 2 % of watts are one power, and runs within it repeats of one limit where nobody says which setting
they are of."""


class Point(Struct, frozen=True):
    """One run: `cell` names its setting (runs of one cell are repeats), power in W, score in its own unit, higher being
    better. `heat_share` is the share of its load that heat held, `low` a low of its frames (NaN: not known)."""

    cell: str
    power_w: float
    score: float
    low: float = float("nan")
    heat_share: float = 0.0


class Rung(Struct, frozen=True):
    """A setting of a ladder: mean watts and score (geometric) of its runs."""

    cell: str
    power_w: float
    score: float
    runs: int
    heat_share: float = 0.0


class Ladder(Struct, frozen=True):
    """A fitted curve: `power` (k,) W from the least to the most that was measured, `score` (k,), and `draws` (r, k) of
    what chance could have made of it, no rows without repeats. `shape` is `law`, `rise`, `corner` or `free shape`,
    `why` says by what; `exponent` and `offset_w` are those of the law, NaN where it was rejected; `rung_sd` is how far
    a rung is off the curve beside its scatter, ln score (NaN: not known)."""

    rungs: tuple[Rung, ...]
    power: FloatArray
    score: FloatArray
    draws: FloatArray
    shape: str
    why: str
    exponent: float
    offset_w: float
    scatter: Scatter
    rung_sd: float

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
            raise DataError(
                tr("scaling points"),
                tr("{cell} has {power_w:g} W and score {score:g}", cell=p.cell, power_w=p.power_w, score=p.score),
            )
    groups = _groups(points)
    rungs = tuple(sorted((_rung(g) for g in groups), key=lambda r: r.power_w))
    watts, log_score = np.array([r.power_w for r in rungs]), np.log([r.score for r in rungs])
    runs = np.array([float(r.runs) for r in rungs])
    if len(np.unique(watts)) < LEAST_SETTINGS:
        raise DataError(
            tr("scaling points"),
            tr("a curve needs three different powers, there are {unique}", unique=len(np.unique(watts))),
        )
    law = fit_power_laws(watts, log_score[None, :], runs)
    steep = np.interp([p.power_w for p in points], watts, law.slope_of_log(watts))
    scatter, pool = _scatter(points, rungs, steep)
    grid = np.linspace(watts[0], watts[-1], GRID)
    rung = Rungs(watts, log_score, runs, scatter, pool)
    shape = choose_shape(rung, law)
    score, draws = shape.curve(grid)
    lawful = shape.name == LAW
    return Ladder(
        rungs,
        grid,
        score,
        draws,
        shape.name,
        shape.why,
        float(law.exponent[0]) if lawful else float("nan"),
        float(law.offset_w[0]) if lawful else float("nan"),
        scatter,
        shape.effects.rung if shape.effects is not None else float("nan"),
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
        names[i] = tr("point {number}", number=number)
    return names


def _groups(points: Sequence[Point]) -> list[list[Point]]:
    """Runs by cell; cells within 2 % of the watts of the one below count as one."""
    by_cell: dict[str, list[Point]] = {}
    for p in points:
        by_cell.setdefault(p.cell, []).append(p)
    groups: list[list[Point]] = []
    for group in sorted(by_cell.values(), key=_watts_of):
        if groups and _watts_of(group) <= SAME_WATTS * _watts_of(groups[-1]):
            groups[-1] = [*groups[-1], *group]
        else:
            groups.append(group)
    return groups


def _watts_of(group: Sequence[Point]) -> float:
    return float(np.mean([p.power_w for p in group]))


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
    return Scatter(float(np.sqrt(squares / df)), df), np.sort(left)
