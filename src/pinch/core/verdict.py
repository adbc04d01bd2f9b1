"""Is it really faster: the ratio of two cells, its interval, and one of three answers.

Welch's test on logarithms (B. L. Welch, Biometrika 34, 1947), with what a drift and other days may have done where it
is known when the runs were made (`core.run_order`); a tie by two one-sided tests, that is by the 90 % interval (D. J.
Schuirmann, J. Pharmacokinet. Biopharm. 15, 1987). Of several cells that are judged together the answers are Holm's (S.
Holm, Scand. J. Stat. 6, 1979): in 95 of 100 tables of equal cells none is called faster, and each interval is as wide
as the step it was judged at. A cell of one run borrows the scatter that the repeated cells of its workload have, says
so, and decides nothing; where nothing was repeated, no interval is claimed.
"""

import math
from collections.abc import Sequence
from enum import StrEnum

from msgspec import Struct
from msgspec.structs import replace

from pinch.core.cell_scores import SURE, CellScore, PooledScatter, with_scatter
from pinch.core.robust import satterthwaite, t_factor
from pinch.core.run_order import OrderedPair, RunOrder, RunPlace, Surroundings, expected_variance, ordered_pair
from pinch.language import tr

MEASURED = "measured"
"""How the words begin of what was measured, where something is taken out of a difference."""


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
        member.phrase, member.is_decided = tr(phrase), is_decided
        return member


DELTA = 0.03
"""Smallest difference that matters."""
POWER = 0.80
MOST_MORE = 999
TWO_ONE_SIDED = 0.90
ORDER_COUNTS = 0.25
"""An order of runs with less of the variance is not what keeps a pair from an answer."""
MOST_TURNS = 20


class StepKind(StrEnum):
    """What would tell: more runs of each, more of each in turns on one day, or of the earlier one again after the
    other."""

    MORE, TURNS, AGAIN = "more", "turns", "again"


class NextStep(Struct, frozen=True):
    """The cheapest further runs that would tell: how many of each cell. `of_first`: those of AGAIN are of the first."""

    kind: StepKind
    runs: int
    of_first: bool = False

    @property
    def in_all(self) -> int:
        """Runs of both cells together."""
        return self.runs if self.kind is StepKind.AGAIN else 2 * self.runs


class Verdict(Struct, frozen=True):
    """How cell a does against cell b: `ratio` above 1 is better, whatever the direction of the score (NaN: none can be
    made); its 95 % interval `low` to `high` (NaN: none can be claimed); `more_runs` of each until it can be told, None
    where it can or nobody knows the scatter; `words` qualifies. `u` is the standard uncertainty of ln ratio; of
    `together` comparisons that were answered as one, the interval is that of all; `ordered` says what the order of the
    runs did (None: not known), `step` what to do next; `borrowed`: the scatter of one is that of other cells."""

    ratio: float
    low: float
    high: float
    answer: Answer
    more_runs: int | None
    words: str = ""
    u: float = math.nan
    together: int = 1
    ordered: OrderedPair | None = None
    step: NextStep | None = None
    borrowed: bool = False

    @property
    def has_interval(self) -> bool:
        """Whether an interval can be claimed."""
        return math.isfinite(self.low)

    @property
    def measured_words(self) -> str:
        """What was measured and what is taken out of it, where the ratio is not that of the means; else empty."""
        return next((words for words in self.words.split("; ") if words.startswith(MEASURED)), "")


def judge_pair(
    a: CellScore, b: CellScore, delta: float = DELTA, lower_is_better: bool = False, pooled: PooledScatter | None = None
) -> Verdict:
    """Is a faster than b, do they tie, or can it not be told?

    Parameters
    ----------
    delta : smallest difference that matters, as a share.
    pooled : scatter that a cell of one run borrows, and what else the cells around show.
    """
    return judge_together([(a, b)], delta, lower_is_better, pooled)[0]


def judge_together(
    pairs: Sequence[tuple[CellScore, CellScore]],
    delta: float = DELTA,
    lower_is_better: bool = False,
    pooled: PooledScatter | None = None,
    fresh: bool = False,
) -> list[Verdict]:
    """The answers of several pairs as one: the chance that any two equal cells are called different is 5 % in all.

    Parameters
    ----------
    fresh : the last runs were made just now, so that a further one stands beside them.
    """
    gains = [_gain_of(a, b, lower_is_better, pooled) for a, b in pairs]
    order = sorted((i for i, g in enumerate(gains) if g.counts), key=lambda i: gains[i].chance)
    verdicts = {i: _unanswered(g, delta) for i, g in enumerate(gains) if not g.counts}
    left, stopped = len(order), False
    for i in order:
        verdicts[i] = _with_step(_answered(gains[i], delta, left, len(order)), gains[i], delta, fresh)
        stopped = stopped or gains[i].chance > (1.0 - SURE) / left
        left -= not stopped
    return [verdicts[i] for i in range(len(gains))]


class _Gain(Struct, frozen=True):
    """The gain of a over b in ln score, better being above 0, with its standard uncertainty and degrees of freedom (NaN
    and 0: none can be had); `measured` is that of the means as they are."""

    a: CellScore
    b: CellScore
    measured: float
    value: float
    u: float
    df: float
    ordered: OrderedPair | None

    @property
    def borrowed(self) -> bool:
        """Whether the scatter of one is that of others."""
        return self.a.borrowed or self.b.borrowed

    @property
    def counts(self) -> bool:
        """Whether it can be answered by what was measured on both."""
        return self.df > 0.0 and not self.borrowed

    @property
    def chance(self) -> float:
        """How often chance alone makes a gain so large, by Student's t."""
        from scipy.special import stdtr

        if self.u <= 0.0:
            return 0.0 if self.value else 1.0
        return 2.0 * float(stdtr(self.df, -abs(self.value) / self.u))


def _gain_of(a: CellScore, b: CellScore, lower_is_better: bool, pooled: PooledScatter | None) -> _Gain:
    if pooled is not None:
        a, b = with_scatter(a, pooled), with_scatter(b, pooled)
    sign = -1.0 if lower_is_better else 1.0
    gain = sign * (a.log_mean - b.log_mean)
    if not (a.df and b.df):
        return _Gain(a, b, gain, gain, math.nan, 0.0, None)
    if a.places and b.places and not (a.borrowed or b.borrowed):
        around = pooled.around if pooled is not None else Surroundings()
        ordered = ordered_pair(a.logs, b.logs, a.places, b.places, around, (a.least_sd, b.least_sd))
        if ordered is not None:
            return _Gain(a, b, gain, sign * ordered.gain, math.sqrt(ordered.variance), ordered.df, ordered)
    va, vb = a.log_sd**2 / a.runs, b.log_sd**2 / b.runs
    return _Gain(a, b, gain, gain, math.sqrt(va + vb), satterthwaite([(va, a.df), (vb, b.df)]), None)


def _answered(gain: _Gain, delta: float, left: int, together: int) -> Verdict:
    """The answer at the step of Holm's at which `left` of the pairs are still open."""
    level = 1.0 - (1.0 - SURE) / left
    reach = t_factor(level, gain.df) * gain.u
    told = answer(gain.value, reach, t_factor(TWO_ONE_SIDED, gain.df) * gain.u, delta)
    words = _order_words(gain, told.answer)
    if told.answer is Answer.TIE and not told.low <= 1.0 <= told.high:
        words.append(
            tr(
                "a difference of {ratio:.1f} % can be measured, but is below what matters",
                ratio=100 * abs(told.ratio - 1),
            )
        )
    return replace(told, words="; ".join(words), u=gain.u, together=together, ordered=gain.ordered)


def _unanswered(gain: _Gain, delta: float) -> Verdict:
    """Of a pair of which one has no scatter of its own: with an interval where it could borrow some, without an
    answer."""
    ratio = math.exp(gain.value)
    if not gain.df:
        step = NextStep(StepKind.MORE, 1) if math.isfinite(gain.value) and not (gain.a.told or gain.b.told) else None
        words = _why_no_interval(gain.a, gain.b)
        return Verdict(ratio, math.nan, math.nan, Answer.CANNOT_TELL, None, words, step=step)
    reach, more = t_factor(SURE, gain.df) * gain.u, _more_of_each(gain, delta)
    low, high = math.exp(gain.value - reach), math.exp(gain.value + reach)
    words = tr("scatter borrowed from repeated cells: it decides nothing")
    step = NextStep(StepKind.MORE, more)
    return Verdict(ratio, low, high, Answer.CANNOT_TELL, more, words, gain.u, step=step, borrowed=True)


def _order_words(gain: _Gain, found: Answer) -> list[str]:
    """What the order of the runs did to an answer, where it did something."""
    ordered = gain.ordered
    if ordered is None:
        return []
    words = []
    measured = math.expm1(gain.measured)
    if round(100 * measured, 1) != round(100 * math.expm1(gain.value), 1):
        drift = tr("a drift of {per_run:+.1f} % a run is", per_run=100 * ordered.drift.per_run)
        what = drift if ordered.drift.is_evident else tr("other days are")
        words.append(
            tr(
                "{measured} {by:+.1f} %, of which {what} taken out",
                measured=MEASURED,
                by=100 * measured,
                what=what,
            ).replace("-", "−")
        )
    if found is Answer.CANNOT_TELL and ordered.order_share > ORDER_COUNTS:
        what = tr("another day") if ordered.order is RunOrder.DAYS else tr("a drift")
        words.append(
            tr(
                "they were run {phrase}: {what} may make up {order_u:.1f} %",
                phrase=ordered.order.phrase,
                what=what,
                order_u=100 * ordered.order_u,
            )
        )
    return words


def _with_step(found: Verdict, gain: _Gain, delta: float, fresh: bool) -> Verdict:
    """The verdict, with what would tell where it cannot."""
    if found.answer is not Answer.CANNOT_TELL:
        return found
    step = _next_step(gain, delta, fresh)
    return replace(found, step=step, more_runs=None if step.kind is StepKind.AGAIN else step.runs)


def _next_step(gain: _Gain, delta: float, fresh: bool) -> NextStep:
    """The cheapest further runs that would tell, if the difference stays what it is."""
    ordered = gain.ordered
    if ordered is None or ordered.order_share <= ORDER_COUNTS:
        return NextStep(StepKind.MORE, _more_of_each(gain, delta))

    def tells(places: tuple[list[RunPlace], list[RunPlace]]) -> bool:
        u, df = math.sqrt(expected_variance(ordered, *places)), len(places[0]) + len(places[1]) - 2.0
        told = answer(gain.value, t_factor(SURE, df) * u, t_factor(TWO_ONE_SIDED, df) * u, delta)
        return told.answer is not Answer.CANNOT_TELL

    a, b = list(gain.a.places), list(gain.b.places)
    session, last = max((p.session, p.position) for p in (*a, *b))
    steps = []
    for n in range(1, MOST_TURNS + 1):
        turns = [RunPlace(session + 1, float(i)) for i in range(2 * n)]
        if tells(([*a, *turns[::2]], [*b, *turns[1::2]])):
            steps.append(NextStep(StepKind.TURNS, n))
            break
    of_first = ordered.lag < 0.0
    if fresh and ordered.order is RunOrder.BLOCKS:
        for n in range(1, min(len(a), len(b)) + 1):
            again = [RunPlace(session, last + 1.0 + i) for i in range(n)]
            if tells(([*a, *again], b) if of_first else (a, [*b, *again])):
                steps.append(NextStep(StepKind.AGAIN, n, of_first))
                break
    if not steps:  # where the difference is about what matters, as many as would tell it from none by themselves
        return NextStep(StepKind.TURNS, more_runs(_common_sd(gain), delta, 0))
    return min(steps, key=lambda step: step.in_all)


def _more_of_each(gain: _Gain, delta: float) -> int:
    """Further runs of each by the usual formula."""
    return more_runs(_common_sd(gain), delta, min(gain.a.runs, gain.b.runs))


def _common_sd(gain: _Gain) -> float:
    """Scatter of a single run, over both cells."""
    if gain.ordered is not None:
        return math.sqrt((gain.ordered.sds[0] ** 2 + gain.ordered.sds[1] ** 2) / 2.0)
    a, b = gain.a, gain.b
    return math.sqrt((a.df * a.log_sd**2 + b.df * b.log_sd**2) / (a.df + b.df))


def _why_no_interval(a: CellScore, b: CellScore) -> str:
    if not (math.isfinite(a.log_mean) and math.isfinite(b.log_mean)):
        return tr("no ratio can be made of a score that is not above zero")
    if any(c.told and not c.df for c in (a, b)):
        return tr("how repeatable it is nobody said")
    return tr("single runs: no interval can be claimed")


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
