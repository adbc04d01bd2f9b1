"""Is it really faster: the ratio of two cells, its interval, and one of three answers.

Welch's test on logarithms (B. L. Welch, Biometrika 34, 1947); a tie by two one-sided tests, that is by the 90 %
interval (D. J. Schuirmann, J. Pharmacokinet. Biopharm. 15, 1987). A cell of one run borrows the scatter that the
repeated cells of its workload have, and says so; where nothing was repeated, no interval is claimed.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray


class Answer(StrEnum):
    """The answers of a comparison; `phrase` as it stands in a sentence, `is_decided`: one of the two is better."""

    phrase: str
    is_decided: bool

    FASTER = "faster", "faster", True
    SLOWER = "slower", "slower", True
    TIE = "tie", "a tie", False
    CANNOT_TELL = "cannot-tell", "can't tell", False

    def __new__(cls, value: str, phrase: str, is_decided: bool) -> "Answer":
        member = str.__new__(cls, value)
        member._value_ = value
        member.phrase, member.is_decided = phrase, is_decided
        return member


DELTA = 0.03
"""Smallest difference that matters."""
POWER = 0.80
MOST_MORE = 999


@dataclass(frozen=True)
class CellScore:
    """Scores of a cell: mean of ln score and its standard deviation with its degrees of freedom (NaN and 0 for one
    run); the logarithms are NaN where a score is not above zero. `borrowed`: the scatter is that of other cells;
    `told`: somebody told it, so that it can borrow none."""

    runs: int
    mean: float
    log_mean: float
    log_sd: float
    df: float
    borrowed: bool = False
    told: bool = False

    def interval(self, level: float = 0.95) -> tuple[float, float]:
        """Of the mean, by Student's t; NaN without scatter."""
        if not self.df or not math.isfinite(self.log_sd):
            return math.nan, math.nan
        reach = t_factor(level, self.df) * self.log_sd / math.sqrt(self.runs)
        return self.mean * math.exp(-reach), self.mean * math.exp(reach)


@dataclass(frozen=True)
class PooledScatter:
    """Scatter of ln score pooled over repeated cells; NaN and 0 where none is repeated."""

    sd: float
    df: int


@dataclass(frozen=True)
class Verdict:
    """How cell a does against cell b: `ratio` above 1 is better, whatever the direction of the score (NaN: none can be
    made); its 95 % interval
    `low` to `high` (NaN: none can be claimed); `more_runs` of each until it can be told, None where it can or nobody
    knows the scatter; `words` qualifies."""

    ratio: float
    low: float
    high: float
    answer: Answer
    more_runs: int | None
    words: str = ""

    @property
    def has_interval(self) -> bool:
        """Whether an interval can be claimed."""
        return math.isfinite(self.low)


def cell_score(scores: Sequence[float] | FloatArray) -> CellScore:
    """What the runs of a cell come to.

    Raises
    ------
    DataError : there are none, or one is not finite.
    """
    values = np.asarray(scores, dtype=float)
    if len(values) == 0:
        raise DataError("scores", "there are none")
    if not np.isfinite(values).all():
        raise DataError("scores", "a score is not a number")
    if not (values > 0.0).all():
        return CellScore(len(values), float(values.mean()), math.nan, math.nan, 0.0)
    logs = np.log(values)
    sd = float(logs.std(ddof=1)) if len(values) > 1 else math.nan
    return CellScore(len(values), float(values.mean()), float(logs.mean()), sd, float(len(values) - 1))


def told_score(mean: float, spread: float | None, n: int) -> CellScore:
    """A cell of which only the mean and the standard deviation of n are told: runs of one unit, or units."""
    if mean <= 0.0:
        return CellScore(n, mean, math.nan, math.nan, 0.0, told=True)
    if spread is None or n < 2:
        return CellScore(n, mean, math.log(mean), math.nan, 0.0, told=True)
    return CellScore(n, mean, math.log(mean), spread / mean, n - 1.0, told=True)


@dataclass(frozen=True)
class ScoreGroup:
    """The mean of n scores with their standard deviation (None: nobody said, or n is 1)."""

    mean: float
    sd: float | None = None
    n: int = 1


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
        return told_score(only.mean, only.sd, only.n) if told or only.n > 1 else cell_score([only.mean])
    if all(g.n == 1 for g in groups) or not all(g.mean > 0.0 for g in groups):
        return replace(cell_score([g.mean for g in groups]), told=told)
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
    return PooledScatter(math.sqrt(sum(c.df * c.log_sd**2 for c in own) / df), df)


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


def judge_pair(
    a: CellScore, b: CellScore, delta: float = DELTA, lower_is_better: bool = False, pooled: PooledScatter | None = None
) -> Verdict:
    """Is a faster than b, do they tie, or can it not be told?

    Parameters
    ----------
    delta : smallest difference that matters, as a share.
    pooled : scatter that a cell of one run borrows.
    """
    if pooled is not None:
        a, b = with_scatter(a, pooled), with_scatter(b, pooled)
    gain = (b.log_mean - a.log_mean) if lower_is_better else (a.log_mean - b.log_mean)
    if not (a.df and b.df):
        return Verdict(math.exp(gain), math.nan, math.nan, Answer.CANNOT_TELL, None, _why_no_interval(a, b))
    va, vb = a.log_sd**2 / a.runs, b.log_sd**2 / b.runs
    error = math.sqrt(va + vb)
    df = (va + vb) ** 2 / (va**2 / a.df + vb**2 / b.df) if error > 0.0 else a.df + b.df
    told = answer(gain, t_factor(0.95, df) * error, t_factor(0.90, df) * error, delta)
    words = ["scatter borrowed from repeated cells"] if a.borrowed or b.borrowed else []
    if told.answer is Answer.TIE and not told.low <= 1.0 <= told.high:
        words.append(f"a difference of {100 * abs(told.ratio - 1):.1f} % can be measured, but is below what matters")
    more = None
    if told.answer is Answer.CANNOT_TELL:
        sd = math.sqrt((a.df * a.log_sd**2 + b.df * b.log_sd**2) / (a.df + b.df))
        more = more_runs(sd, delta, min(a.runs, b.runs))
    return replace(told, more_runs=more, words="; ".join(words))


def _why_no_interval(a: CellScore, b: CellScore) -> str:
    if not (math.isfinite(a.log_mean) and math.isfinite(b.log_mean)):
        return "no ratio can be made of a score that is not above zero"
    if any(c.told and not c.df for c in (a, b)):
        return "how repeatable it is nobody said"
    return "single runs: no interval can be claimed"


def answer(gain: float, reach95: float, reach90: float, delta: float) -> Verdict:
    """The answer for a gain in ln score whose 95 % and 90 % intervals reach so far to either side."""
    limit = math.log1p(delta)
    low, high = math.exp(gain - reach95), math.exp(gain + reach95)
    if abs(gain) > reach95 and abs(gain) >= limit:
        found = Answer.FASTER if gain > 0 else Answer.SLOWER
    elif abs(gain) + reach90 <= limit:
        found = Answer.TIE
    else:
        found = Answer.CANNOT_TELL
    return Verdict(math.exp(gain), low, high, found, None)


def more_runs(sd: float, delta: float, have: int) -> int:
    """Further runs of each of two cells until a difference of delta shows with 80 % power at 5 %, by the usual
    two-sample formula; at least one."""
    from scipy.special import ndtri

    reach = float(ndtri(0.975) + ndtri(POWER))
    needed = math.ceil(2.0 * (reach * sd / math.log1p(delta)) ** 2)
    return min(MOST_MORE, max(1, needed - have))


def t_factor(level: float, df: float) -> float:
    """Two-sided coverage factor of Student's t."""
    from scipy.special import stdtrit

    return float(stdtrit(df, 0.5 + level / 2.0))
