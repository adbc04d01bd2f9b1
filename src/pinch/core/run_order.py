"""In which order the runs of two cells were made, and what a drift or another day may have done to their difference.

Results drift while the room warms, and differ from day to day. Both are random effects beside the scatter of single
runs: a drift per run in each session and a step from session to session, each known beforehand to be small and then
from what the runs show. The difference is that of generalised least squares (G. K. Robinson, That BLUP is a good thing,
Stat. Sci. 6, 1991): it leans on the runs that stand beside each other, takes out what drift there is evidence of, and
its variance says what may be left. In one session without a drift that is plain, and wherever they are hardly less
sure, the means stay what they are.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from itertools import pairwise

import numpy as np
from msgspec import Struct, field

from pinch.core.robust import block_means, kendall_variance, satterthwaite, t_over_normal
from pinch.core.runlog import FloatArray
from pinch.language import tr

DRIFT_SD, DRIFT_DF = 0.008, 5.0
"""Standard deviation of a drift from run to run, ln score, before any is measured, and how many degrees of freedom that
guess is worth: common practice, no source. With it blocks of five runs that drift by 0.8 % a run name a winner in less
than 5 % (docs/methods.md)."""
DAY_SD, DAY_DF = 0.015, 2.5
"""Standard deviation of a result from day to day, ln score, and how many degrees of freedom that guess is worth: common
practice, no source; days that a book has count beside it. The guess is worth so little that two cells whose days differ
by 2.5 % are still called different in less than 5 % (docs/methods.md)."""
APART_S = 6 * 3600.0
"""Runs of different days with so much time between them belong to different sessions."""
LEAST_PAIRS, LEAST_FOR_TREND = 5, 5
TREND_AT = 0.05
LEAST_SPREAD = 1e-6
EVIDENT, LEAST_DF = 3.0, 3.0
"""Standard uncertainties: of a drift with less, chance and the other ways in which days differ are as likely."""
NEARLY_AS_SURE = 2.0
"""The means stay what they are unless other weights make the variance smaller by so much."""
MOST_EXACT, MOST_IN_TREND = 40, 400
"""Runs up to which the chance of a trend is counted out, and not taken from a normal distribution; and up to which each
counts by itself: every two are set against each other."""


class RunOrder(StrEnum):
    """How the runs of two cells lie in time; `phrase` as it stands in a sentence."""

    phrase: str

    UNKNOWN = "unknown", "in an order that nobody noted"
    DAYS = "other-days", "on different days"
    BLOCKS = "blocks", "one after the other, in blocks"
    MIRRORED = "mirrored", "in a mirrored order"
    INTERLEAVED = "interleaved", "in turns"
    MIXED = "mixed", "in a mixed order"

    def __new__(cls, value: str, phrase: str) -> "RunOrder":
        member = str.__new__(cls, value)
        member._value_ = value
        member.phrase = tr(phrase)
        return member


class RunPlace(Struct, frozen=True):
    """Where a run stands: its session, and its number among the runs there (NaN: nobody noted the time of day)."""

    session: int
    position: float


def places_of(times_s: Sequence[float], days: Sequence[int], exact: Sequence[bool]) -> list[RunPlace]:
    """Places of runs by their times, s, and by the numbers of their days; `exact`: more than the day is known."""
    order = sorted(range(len(times_s)), key=lambda i: times_s[i])
    places: dict[int, RunPlace] = {}
    session, position, before = -1, 0, None
    for i in order:
        if before is None or (days[i] != days[before] and times_s[i] - times_s[before] > APART_S):
            session, position = session + 1, 0
        places[i] = RunPlace(session, float(position) if exact[i] else math.nan)
        position, before = position + 1, i
    return [places[i] for i in range(len(times_s))]


class Drift(Struct, frozen=True):
    """Ln score a run, its standard uncertainty and degrees of freedom."""

    per_run: float
    u: float
    df: float

    @property
    def is_evident(self) -> bool:
        """Whether there is enough of it to be taken out."""
        return self.df >= LEAST_DF and abs(self.per_run) > EVIDENT * t_over_normal(self.df) * self.u

    @property
    def taken_out(self) -> "Drift":
        """What is taken out of the runs, and what may be left in them."""
        return self if self.is_evident else Drift(0.0, math.hypot(self.per_run, self.u), self.df)


class Sums(Struct, frozen=True):
    """What is left of ln scores within their cells against how late in its session each run was: sums of squares and of
    products, and degrees of freedom without a slope."""

    xx: float = 0.0
    xy: float = 0.0
    yy: float = 0.0
    df: int = 0

    def __add__(self, other: "Sums") -> "Sums":
        return Sums(self.xx + other.xx, self.xy + other.xy, self.yy + other.yy, self.df + other.df)

    def __sub__(self, other: "Sums") -> "Sums":
        return Sums(self.xx - other.xx, self.xy - other.xy, self.yy - other.yy, self.df - other.df)


class Surroundings(Struct, frozen=True):
    """What all repeated cells of a workload show: their drift by the sessions that they were run in, the middle of each
    session, and the standard deviation from day to day with its degrees of freedom."""

    sums: Mapping[frozenset[int], Sums] = field(default_factory=dict)
    middles: Mapping[int, float] = field(default_factory=dict)
    day_sd: float = DAY_SD
    day_df: float = DAY_DF


class OrderedPair(Struct, frozen=True):
    """The difference of two cells by the order of their runs: `gain` in ln score, the variance that the scatter of the
    means alone would give it, and the variances of what is in it and their degrees of freedom; `sds` are the scatters
    of both. `drift` is what all runs around show, `lag` how many runs the first cell came later on the average."""

    order: RunOrder
    gain: float
    sds: tuple[float, float]
    means_variance: float
    scatter_variance: float
    scatter_df: float
    drift: Drift
    lag: float
    drift_variance: float
    day_variance: float
    day_df: float

    @property
    def variance(self) -> float:
        """Variance of the gain."""
        return self.scatter_variance + self.drift_variance + self.day_variance

    @property
    def df(self) -> float:
        """Degrees of freedom of it."""
        drift, days = (self.drift_variance, DRIFT_DF), (self.day_variance, self.day_df)
        return satterthwaite([(self.scatter_variance, self.scatter_df), drift, days])

    @property
    def order_share(self) -> float:
        """What part of the variance drift and days have, with what it costs to look past them."""
        return max(0.0, 1.0 - self.means_variance / self.variance) if self.variance > 0.0 else 0.0

    @property
    def order_u(self) -> float:
        """The same as a standard uncertainty."""
        return math.sqrt(self.order_share * self.variance)


def surroundings_of(cells: Iterable[tuple[Sequence[float], Sequence[RunPlace]]]) -> Surroundings:
    """What cells of (n,) ln scores with their places show together."""
    known = [(np.asarray(logs, dtype=float), places) for logs, places in cells]
    middles = _middles(p for _, places in known for p in places)
    sums: dict[frozenset[int], Sums] = {}
    squares = within = apart = 0.0
    df_between = df_within = 0
    for logs, places in known:
        session = np.array([p.session for p in places])
        key = frozenset(session.tolist())
        sums[key] = sums.get(key, Sums()) + _sums(logs, places, middles)
        middle = float(logs.mean())
        for number in key:
            own = logs[session == number]
            within += float(((own - own.mean()) ** 2).sum())
            df_within += len(own) - 1
            squares += len(own) * (float(own.mean()) - middle) ** 2
            apart -= len(own) ** 2 / len(logs)
        df_between += len(key) - 1
        apart += len(logs)
    if not df_between:
        return Surroundings(sums, middles)
    scatter = within / df_within if df_within else 0.0
    found = max(0.0, (squares - df_between * scatter) / apart)
    variance = (DAY_DF * DAY_SD**2 + df_between * found) / (DAY_DF + df_between)
    return Surroundings(sums, middles, math.sqrt(variance), DAY_DF + df_between)


def _middles(places: Iterable[RunPlace]) -> dict[int, float]:
    """The middle of each session."""
    positions: dict[int, list[float]] = {}
    for p in places:
        positions.setdefault(p.session, []).append(p.position)
    return {session: float(np.mean(own)) for session, own in positions.items()}


def _sums(logs: FloatArray, places: Sequence[RunPlace], middles: Mapping[int, float]) -> Sums:
    y = logs - logs.mean()
    x = np.array([p.position - middles[p.session] for p in places])
    if not np.isfinite(x).all():
        return Sums(0.0, 0.0, float(y @ y), len(y) - 1)
    x -= x.mean()
    return Sums(float(x @ x), float(x @ y), float(y @ y), len(y) - 1)


class _Design(Struct, frozen=True):
    """Runs of two cells, the first cell's first: whether each is of the first, its session from 0, its position off the
    session's middle, (n,) each."""

    first: np.ndarray
    session: np.ndarray
    x: FloatArray
    sessions: int

    def weights(self, sds: tuple[float, float], drift_sd: float, day_sd: float) -> FloatArray:
        """What each run weighs in the best difference of the cells, (n,): V = D + U U', inverted as Woodbury has it."""
        d = np.where(self.first, sds[0], sds[1]) ** 2
        member = (self.session[:, None] == np.arange(self.sessions)).astype(float)
        u = np.hstack([day_sd * member, drift_sd * member * self.x[:, None]])
        x = np.column_stack([self.first, ~self.first]).astype(float)
        solved = u / d[:, None]
        inner = np.linalg.inv(np.eye(u.shape[1]) + u.T @ solved)
        vx = x / d[:, None] - solved @ (inner @ (solved.T @ x))
        return np.asarray(vx @ np.linalg.solve(x.T @ vx, np.array([1.0, -1.0])))

    def variance(self, weights: FloatArray, sds: tuple[float, float], drift_sd: float, day_sd: float) -> float:
        """The variance of a difference so weighed."""
        d = np.where(self.first, sds[0], sds[1])
        own = float(((d * weights) ** 2).sum())
        return own + drift_sd**2 * self.leverage(weights) + day_sd**2 * self.day_leverage(weights)

    def plain_weights(self) -> FloatArray:
        """Those of the difference of the means, (n,)."""
        return np.asarray(np.where(self.first, 1.0 / self.first.sum(), -1.0 / (~self.first).sum()))

    def leverage(self, weights: FloatArray) -> float:
        """What a drift of one a run in each session does to a difference so weighed, squared and summed."""
        moved = np.bincount(self.session, weights=weights * self.x)
        return float(moved @ moved)

    def day_leverage(self, weights: FloatArray) -> float:
        """What a step of one in each session does to it, squared and summed."""
        moved = np.bincount(self.session, weights=weights)
        return float(moved @ moved)


def order_of(a: Sequence[RunPlace], b: Sequence[RunPlace]) -> RunOrder:
    """How the runs of two cells lie in time."""
    if not a or not b:
        return RunOrder.UNKNOWN
    if not {p.session for p in a} & {p.session for p in b}:
        return RunOrder.DAYS
    if not all(math.isfinite(p.position) for p in (*a, *b)):
        return RunOrder.UNKNOWN
    letters = _letters(a, b)
    changes = sum(x != y for x, y in pairwise(letters))
    if changes > 1 and letters == letters[::-1]:
        return RunOrder.MIRRORED
    if changes > 1 and _in_turns(letters):
        return RunOrder.INTERLEAVED
    return RunOrder.BLOCKS if changes == 1 else RunOrder.MIXED


def _letters(a: Sequence[RunPlace], b: Sequence[RunPlace]) -> str:
    """Whose run each was, in the order of time."""
    places = sorted([(p.session, p.position, "a") for p in a] + [(p.session, p.position, "b") for p in b])
    return "".join(letter for *_, letter in places)


def _in_turns(letters: str) -> bool:
    """Whether each two that follow each other are one of each."""
    return len(letters) % 2 == 0 and all(letters[i] != letters[i + 1] for i in range(0, len(letters), 2))


def ordered_pair(
    logs_a: Sequence[float],
    logs_b: Sequence[float],
    a: Sequence[RunPlace],
    b: Sequence[RunPlace],
    around: Surroundings,
    least_sd: tuple[float, float],
) -> OrderedPair | None:
    """The difference of two cells of (n,) ln scores each by the order of their runs; None where a cell says nothing of
    its own scatter, or nobody noted when it was run. `least_sd`: scatter that the steps of the scores would hide."""
    order = order_of(a, b)
    if order is RunOrder.UNKNOWN or len(logs_a) < 2 or len(logs_b) < 2:
        return None
    design, y = _design(a, b), np.concatenate([logs_a, logs_b])
    before, seen = _drifts([(logs_a, a), (logs_b, b)], around)
    put_right = y - seen.per_run * design.x
    sds, dfs = _scatters(put_right, design, least_sd, seen)
    pairs = _turn_differences(put_right, design) if _in_turns(_letters(a, b)) else np.empty(0)
    in_turns = len(pairs) >= LEAST_PAIRS
    weights, drift = design.plain_weights(), seen.taken_out
    if not in_turns:
        best = design.weights(sds, before.u, around.day_sd)
        surer = design.variance(best, sds, before.u, around.day_sd)
        plain = design.variance(weights, sds, drift.u, around.day_sd)
        if seen.is_evident or (design.sessions > 1 and plain > NEARLY_AS_SURE * surer):
            weights, drift = best, before.taken_out
    own = (sd**2 * float(w @ w) for sd, w in zip(sds, (weights[design.first], weights[~design.first]), strict=True))
    parts = list(zip(own, dfs, strict=True))
    scatter, scatter_df = sum(variance for variance, _ in parts), satterthwaite(parts)
    if in_turns:
        scatter = max(float(pairs.var(ddof=1)), math.hypot(*least_sd) ** 2) / len(pairs)
        scatter_df = len(pairs) - 1.0
    return OrderedPair(
        order,
        float(weights @ (y - drift.per_run * design.x)),
        sds,
        design.variance(design.plain_weights(), sds, 0.0, 0.0),
        scatter,
        scatter_df,
        seen,
        float(design.plain_weights() @ design.x),
        drift.u**2 * design.leverage(weights),
        around.day_sd**2 * design.day_leverage(weights),
        around.day_df,
    )


def _drifts(cells: Sequence[tuple[Sequence[float], Sequence[RunPlace]]], around: Surroundings) -> tuple[Drift, Drift]:
    """The drift that other cells of the same sessions show, and that of those and the pair's own together."""
    sessions = frozenset(p.session for _, places in cells for p in places)
    middles = {**_middles(p for _, places in cells for p in places), **around.middles}
    own = sum((_sums(np.asarray(logs), places, middles) for logs, places in cells), Sums())
    there = sum((sums for key, sums in around.sums.items() if key <= sessions), Sums())
    if there.df < own.df or there.xx < own.xx - LEAST_SPREAD:  # the pair is none of those around, as of typed results
        return _drift(Sums()), _drift(own)
    return _drift(there - own), _drift(there)


def expected_variance(pair: OrderedPair, a: Sequence[RunPlace], b: Sequence[RunPlace]) -> float:
    """The variance of the difference were the runs at these places and scattered as the cells do."""
    design = _design(a, b)
    return design.variance(design.weights(pair.sds, DRIFT_SD, DAY_SD), pair.sds, DRIFT_SD, DAY_SD)


def _design(a: Sequence[RunPlace], b: Sequence[RunPlace]) -> _Design:
    sessions = tuple(sorted({p.session for p in (*a, *b)}))
    number = {session: n for n, session in enumerate(sessions)}
    session = np.array([number[p.session] for p in (*a, *b)])
    position = np.array([p.position for p in (*a, *b)])
    x = np.zeros(len(position))
    for n in range(len(sessions)):
        own = np.flatnonzero(session == n)
        if not np.isfinite(position[own]).all():
            continue  # alone on its day, so that no drift comes between
        x[own] = position[own] - position[own].mean()
    first = np.arange(len(position)) < len(a)
    return _Design(first, session, x, len(sessions))


def _drift(sums: Sums) -> Drift:
    """What was seen of a drift, drawn towards none by as much as it is in doubt."""
    if sums.xx <= LEAST_SPREAD or sums.df < 2:
        return Drift(0.0, DRIFT_SD, DRIFT_DF)
    slope = sums.xy / sums.xx
    of_slope = max(0.0, sums.yy - slope * sums.xy) / (sums.df - 1) / sums.xx
    share = DRIFT_SD**2 / (DRIFT_SD**2 + of_slope)
    return Drift(share * slope, math.sqrt(share * of_slope), sums.df - 1.0)


def _scatters(
    level: FloatArray, design: _Design, least: tuple[float, float], drift: Drift
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Scatter of each cell within its sessions and its degrees of freedom, the drift taken out; over its sessions where
    each had a single run."""
    sds, dfs = [], []
    for first, floor in zip((True, False), least, strict=True):
        own = design.first == first
        groups = [level[own & (design.session == n)] for n in np.unique(design.session[own])]
        df = sum(len(g) - 1 for g in groups)
        if df < 1:
            groups, df = [level[own]], int(own.sum()) - 1
        squares = sum(float(((g - g.mean()) ** 2).sum()) for g in groups)
        # The drift that was taken out was found in these values: it cost as much as it is known better than before.
        spare = max(1.0, df - 0.5 * (1.0 - drift.u**2 / DRIFT_SD**2))
        sds.append(max(math.sqrt(squares / spare), floor))
        dfs.append(spare)
    return (sds[0], sds[1]), (dfs[0], dfs[1])


def _turn_differences(level: FloatArray, design: _Design) -> FloatArray:
    """First less second of each turn, in the order of time, (n,)."""
    order = np.lexsort((design.x, design.session))
    sign = np.where(design.first[order], 1.0, -1.0)
    return np.asarray((sign * level[order]).reshape(-1, 2).sum(axis=1))


class Trend(Struct, frozen=True):
    """A trend over the runs of a cell: S of Mann and Kendall, how likely it is by chance, and ln score a run (Theil and
    Sen)."""

    s: int
    chance: float
    per_run: float


def find_trend(values: Sequence[float]) -> Trend:
    """The trend of (n,) values in their order (H. B. Mann, Econometrica 13, 1945; M. G. Kendall, Rank Correlation
    Methods, 1948): counted out for few values that all differ, else from a normal distribution with ties and
    continuity; of many values, over means of blocks."""
    y = block_means(np.asarray(values, dtype=float), MOST_IN_TREND)
    n = len(y)
    if n < 2:
        return Trend(0, 1.0, 0.0)
    i, j = np.triu_indices(n, k=1)
    s = int(np.sign(y[j] - y[i]).sum())
    slope = float(np.median((y[j] - y[i]) / (j - i))) / (len(values) // n)
    if n <= MOST_EXACT and len(np.unique(y)) == n:
        return Trend(s, _chance_of(abs(s), n), slope)
    variance = kendall_variance(y)
    z = max(0, abs(s) - 1) / math.sqrt(variance) if variance > 0.0 else 0.0
    return Trend(s, math.erfc(z / math.sqrt(2.0)), slope)


def _chance_of(s: int, n: int) -> float:
    """How often n values in chance order have an S so far from 0: by the number of orders with k inversions."""
    orders = np.ones(1)
    for length in range(2, n + 1):
        orders = np.convolve(orders, np.ones(length)) / length
    most = n * (n - 1) // 2
    far = np.abs(most - 2 * np.arange(most + 1)) >= s
    return float(min(1.0, orders[far].sum()))
