"""What the runs of a cell come to: mean and scatter of ln score, its own, told, or borrowed from other cells."""

import math
from collections.abc import Iterable, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from pinch.core.errors import DataError
from pinch.core.printing import counted
from pinch.core.robust import RECTANGLE, t_factor
from pinch.core.run_order import LEAST_FOR_TREND, RunPlace, Surroundings, Trend, find_trend, surroundings_of
from pinch.core.runlog import FloatArray
from pinch.language import tr

SURE = 0.95
COARSEST = 0.02
"""A step of scores is looked for up to such a share of them."""
DIGITS_LOOKED_AT = 6


class CellScore(Struct, frozen=True, dict=True):
    """Scores of a cell: mean of ln score and its standard deviation with its degrees of freedom (NaN and 0 for one
    run); the logarithms are NaN where a score is not above zero. `runs` are machines where it is a mean `of_units`.
    `borrowed`: the scatter is that of other cells;
    `told`: somebody told it, so that it can borrow none. `logs` are the single ones, `places` where each stands in time
    (empty: nobody noted), `least_sd` the scatter that their steps would hide."""

    runs: int
    mean: float
    log_mean: float
    log_sd: float
    df: float
    borrowed: bool = False
    told: bool = False
    logs: tuple[float, ...] = ()
    places: tuple[RunPlace, ...] = ()
    least_sd: float = 0.0
    of_units: bool = False

    @property
    def behind(self) -> str:
        """How many runs, or machines, stand behind it."""
        return counted(self.runs, "unit" if self.of_units else "run")

    @property
    def behind_briefly(self) -> str:
        """The same below a heading that says runs."""
        return self.behind if self.of_units else str(self.runs)

    @cached_property
    def trend(self) -> Trend | None:
        """The trend of its runs in their order; None where they are few, or nobody noted it."""
        known = [(p, x) for p, x in zip(self.places, self.logs, strict=False) if math.isfinite(p.position)]
        if len(known) < LEAST_FOR_TREND:
            return None
        return find_trend([x for _, x in sorted(known, key=lambda each: (each[0].session, each[0].position))])

    def interval(self, level: float = SURE) -> tuple[float, float]:
        """Of the mean, by Student's t; NaN without scatter."""
        if not self.df or not math.isfinite(self.log_sd):
            return math.nan, math.nan
        reach = t_factor(level, self.df) * self.log_sd / math.sqrt(self.runs)
        return self.mean * math.exp(-reach), self.mean * math.exp(reach)


class PooledScatter(Struct, frozen=True):
    """Scatter of ln score pooled over repeated cells; NaN and 0 where none is repeated. `around` is what they show of
    drift and days."""

    sd: float
    df: int
    around: Surroundings = field(default_factory=Surroundings)


def cell_score(scores: Sequence[float] | FloatArray, places: Sequence[RunPlace] = ()) -> CellScore:
    """What the runs of a cell come to, each at its place in time where that is known.

    Raises
    ------
    DataError : there are none, or one is not finite.
    """
    values = np.asarray(scores, dtype=float)
    if len(values) == 0:
        raise DataError("scores", tr("there are none"))
    if not np.isfinite(values).all():
        raise DataError("scores", tr("a score is not a number"))
    mean = float(values.mean())
    if not (values > 0.0).all():
        return CellScore(len(values), mean, math.nan, math.nan, 0.0)
    logs = np.log(values)
    least = _step_of(values) / RECTANGLE / mean
    sd = max(float(logs.std(ddof=1)), least) if len(values) > 1 else math.nan
    df = float(len(values) - 1)
    return CellScore(
        len(values), mean, float(logs.mean()), sd, df, logs=tuple(logs.tolist()), places=tuple(places), least_sd=least
    )


def _step_of(values: FloatArray) -> float:
    """The power of ten, not above a share of them, that all values are multiples of: the step they were written in; of
    a finer one what it is at most, so that equal values are never taken for exact ones."""
    power = math.floor(math.log10(COARSEST * float(values.min())))
    for _ in range(DIGITS_LOOKED_AT):
        parts = values / 10.0**power
        if np.all(np.abs(parts - np.round(parts)) <= 1e-6):
            break
        power -= 1
    return float(10.0**power)


def told_score(mean: float, spread: float | None, n: int) -> CellScore:
    """A cell of which only the mean and the standard deviation of n are told: runs of one unit, or units."""
    if mean <= 0.0:
        return CellScore(n, mean, math.nan, math.nan, 0.0, told=True)
    if spread is None or n < 2:
        return CellScore(n, mean, math.log(mean), math.nan, 0.0, told=True)
    return CellScore(n, mean, math.log(mean), spread / mean, n - 1.0, told=True)


class ScoreGroup(Struct, frozen=True):
    """The mean of n scores with their standard deviation (None: nobody said, or n is 1), and its place in time (None:
    nobody noted); `of_units`: the n are machines."""

    mean: float
    sd: float | None = None
    n: int = 1
    place: RunPlace | None = None
    of_units: bool = False


def grouped_score(groups: Sequence[ScoreGroup], told: bool = False) -> CellScore:
    """A cell of single scores and of means of several, taken together as if each single one were there: the scatter
    within the groups and between them (analysis of variance in one way). A mean of several whose scatter nobody said
    counts as one score.

    Raises
    ------
    DataError : there are none, or one is not finite.
    """
    if len(groups) == 1:
        (only,) = groups
        alone = told_score(only.mean, only.sd, only.n) if told or only.n > 1 else cell_score([only.mean])
        return replace(alone, of_units=only.of_units)
    if all(g.n == 1 for g in groups) or not all(g.mean > 0.0 for g in groups):
        places = [g.place for g in groups if g.place is not None]
        known = places if len(places) == len(groups) and not told else ()
        return replace(cell_score([g.mean for g in groups], known), told=told)
    sizes = np.array([g.n if g.sd is not None else 1 for g in groups], dtype=float)
    means = np.array([g.mean for g in groups])
    logs = np.log(means)
    within = sum((n - 1.0) * ((g.sd or 0.0) / g.mean) ** 2 for g, n in zip(groups, sizes, strict=True))
    total, middle = float(sizes.sum()), float(sizes @ logs / sizes.sum())
    scatter = math.sqrt((within + float(sizes @ (logs - middle) ** 2)) / (total - 1.0))
    return CellScore(int(total), float(sizes @ means / total), middle, scatter, total - 1.0, told=told)


def pooled_scatter(cells: Sequence[CellScore]) -> PooledScatter:
    """The scatter of all repeated cells together."""
    own = [c for c in cells if c.df > 0 and not c.borrowed]
    df = int(sum(c.df for c in own))
    if df == 0:
        return PooledScatter(math.nan, 0)
    around = surroundings_of((c.logs, c.places) for c in own if c.places)
    return PooledScatter(math.sqrt(sum(c.df * c.log_sd**2 for c in own) / df), df, around)


def scatter_within(groups: Iterable[Sequence[float]]) -> PooledScatter:
    """The scatter of ln score within groups of scores above zero, all together: the same as that of their cells, which
    a large book has thousands of."""
    squares, df = 0.0, 0
    for scores in groups:
        if len(scores) > 1:
            logs = [math.log(score) for score in scores]
            middle = math.fsum(logs) / len(logs)
            squares += math.fsum((x - middle) ** 2 for x in logs)
            df += len(logs) - 1
    return PooledScatter(math.sqrt(squares / df), df) if df else PooledScatter(math.nan, 0)


def with_scatter(cell: CellScore, pooled: PooledScatter) -> CellScore:
    """The cell, with the scatter of the others where it has none of its own."""
    if cell.df > 0 or pooled.df == 0 or cell.told or not math.isfinite(cell.log_mean):
        return cell
    return replace(cell, log_sd=pooled.sd, df=float(pooled.df), borrowed=True)
