"""Where a question stands after some runs: the answer so far, how sure it is, and what it still needs.

Every look is paid for: the bounds are those of `core.sequential`, so that a question that is asked after each run is
answered wrongly no more often than one that is asked once.
"""

import math
from collections.abc import Callable, Sequence
from enum import StrEnum

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core.runlog import FloatArray
from pinch.core.sequential import BoundShape, bound_at

Decides = Callable[[float, float], int | None]
"""The answer that an interval of such a half gives, of both sides and of one; None where none."""
LOOKS = 5
"""Runs of each cell up to which a question is followed."""
SHAPE = BoundShape.FLAT
ALONE_DOF = 6.0
"""The scatter of other cells must be known this well before a single run of each may answer."""
LEAST_DOF = 2.0
HOPE_AFTER = 3
"""From so many runs of each on, a question is given up that the last look would not answer, were the value as it is."""


class Stand(StrEnum):
    """How a question stands."""

    OPEN = "open"
    ANSWERED = "answered"
    CANNOT = "cannot be answered"


class KnownScatter(Struct, frozen=True):
    """Run-to-run scatter of ln values that other cells of the book have, with the degrees of freedom it is known by;
    NaN and 0: none."""

    sd: float = math.nan
    dof: float = 0.0


class Standing(Struct, frozen=True):
    """`choice` is the number of the answer (see who made it), None while there is none; `value` with its interval that
    holds in spite of looking; `more` further runs of each of its cells are expected, `fewest` to `most` by how well
    the scatter is known."""

    stand: Stand
    choice: int | None
    value: float
    low: float
    high: float
    more: int
    fewest: int
    most: int
    reason: str = ""

    @property
    def is_open(self) -> bool:
        """Whether runs may still answer it."""
        return self.stand is Stand.OPEN


NEITHER = 2
"""The choice of a duel in which no difference matters; 0 and 1 are its first and second."""
YES, NO = 1, 0


def duel(a: FloatArray, b: FloatArray, delta: float, certainty: float, scatter: KnownScatter) -> Standing:
    """Which of two is the larger, by values (n,) and (m,) above zero, or neither by `delta` (a share).

    Choice 0 is a, 1 is b, `NEITHER` that they differ by less.
    """
    if not len(a) or not len(b):
        return _pilot(scatter)
    x, y = np.log(a), np.log(b)
    value, matters = float(x.mean() - y.mean()), math.log1p(delta)

    def decides(half: float, one_sided: float) -> int | None:
        if abs(value) > half:
            return 0 if value > 0 else 1
        return NEITHER if abs(value) + one_sided < matters else None

    sd, dof = _pooled([x, y], scatter)
    own = (1.0 / len(a) + 1.0 / len(b)) / (2.0 / min(len(a), len(b)))
    reach = _Reach(certainty, dof, math.sqrt(2.0 * own))
    return _stand(value, min(len(a), len(b)), reach, decides, sd, scatter)


def level(values: FloatArray, threshold: float, certainty: float, scatter: KnownScatter) -> Standing:
    """Whether a mean of (n,) values above zero is at least `threshold`: choice YES or NO."""
    if not len(values):
        return _pilot(scatter)
    x = np.log(values)
    value, wanted = float(x.mean()), math.log(threshold)

    def decides(half: float, one_sided: float) -> int | None:
        return None if abs(value - wanted) <= one_sided else YES if value > wanted else NO

    sd, dof = _pooled([x], scatter)
    return _stand(value, len(x), _Reach(certainty, dof, 1.0), decides, sd, scatter)


def precision(values: FloatArray, within: float, certainty: float, scatter: KnownScatter) -> Standing:
    """Whether the mean of (n,) values above zero is known to ± `within` (a share): choice YES once it is."""
    if not len(values):
        return _pilot(scatter)
    x = np.log(values)

    def decides(half: float, one_sided: float) -> int | None:
        return YES if half <= math.log1p(within) else None

    sd, dof = _pooled([x], scatter)
    return _stand(float(x.mean()), len(x), _Reach(certainty, dof, 1.0), decides, sd, scatter)


def best_of(arms: Sequence[FloatArray], delta: float, certainty: float, scatter: KnownScatter) -> list[Standing]:
    """Which of several is the largest: for each arm its duel with the one that leads (whose own is that with the next),
    the error shared between them (Bonferroni)."""
    means = [float(np.log(x).mean()) if len(x) else -math.inf for x in arms]
    leads = int(np.argmax(means))
    share = 1.0 - (1.0 - certainty) / max(1, len(arms) - 1)
    found = [duel(arms[leads], x, delta, share, scatter) for x in arms]
    rest = [s for n, s in enumerate(found) if n != leads]
    open_ones = [s for s in rest if s.is_open]
    found[leads] = max(open_ones, key=lambda s: s.more) if open_ones else replace(rest[0], choice=0)
    return found


def widened(half_width: float, looks: int, certainty: float) -> float:
    """Half of a 95 % interval that was made without regard to looking, as it is with it."""
    return half_width * bound_at(looks, max(LOOKS, looks), 1.0 - certainty, SHAPE, math.inf) / 1.959964


def _pilot(scatter: KnownScatter) -> Standing:
    first = 1 if scatter.dof >= ALONE_DOF else 2
    return Standing(Stand.OPEN, None, math.nan, math.nan, math.nan, first, 1, LOOKS)


def _pooled(groups: Sequence[FloatArray], scatter: KnownScatter) -> tuple[float, float]:
    """Standard deviation and degrees of freedom of some groups together with what is known."""
    squares = sum(float(((x - x.mean()) ** 2).sum()) for x in groups)
    own = sum(len(x) - 1 for x in groups)
    known = scatter.dof if math.isfinite(scatter.sd) else 0.0
    if own + known <= 0.0:
        return math.nan, 0.0
    return math.sqrt((squares + (known * scatter.sd**2 if known else 0.0)) / (own + known)), own + known


class _Reach(Struct, frozen=True):
    """Halves of intervals by the look and the scatter; `factor` is the root of what one run of each cell has of its
    variance."""

    certainty: float
    dof: float
    factor: float

    def halves(self, looks: int, sd: float) -> tuple[float, float]:
        """The half of the two-sided interval, and that on one side alone, which a tie and a threshold ask for."""
        spread = self.factor * sd / math.sqrt(looks)
        error = 1.0 - self.certainty
        both, one = (bound_at(looks, LOOKS, share, SHAPE, self.dof) for share in (error, 2.0 * error))
        return both * spread, one * spread


def _may_look(looks: int, dof: float, scatter: KnownScatter) -> bool:
    return dof >= LEAST_DOF and (looks > 1 or scatter.dof >= ALONE_DOF)


def _stand(value: float, looks: int, reach: _Reach, decides: Decides, sd: float, scatter: KnownScatter) -> Standing:
    """The standing, and what further runs would do to it."""
    if not _may_look(looks, reach.dof, scatter):
        return Standing(Stand.OPEN, None, value, math.nan, math.nan, 1, 1, max(1, LOOKS - looks))
    half, one_sided = reach.halves(looks, sd)
    low, high = value - half, value + half
    found = decides(half, one_sided)
    if found is not None:
        return Standing(Stand.ANSWERED, found, value, low, high, 0, 0, 0)
    more = [_until(looks, factor * sd, reach, decides) for factor in (1.0, *_scatter_range(reach.dof))]
    if looks >= LOOKS or (looks >= HOPE_AFTER and more[0] is None):
        return Standing(Stand.CANNOT, None, value, low, high, 0, 0, 0)
    left = LOOKS - looks
    expected, fewest, most = (left if m is None else m for m in more)
    return Standing(Stand.OPEN, None, value, low, high, expected, fewest, most)


def _until(looks: int, sd: float, reach: _Reach, decides: Decides) -> int | None:
    """Further runs until it would be answered, were the value as it is; None where the last look would not."""
    return next((n - looks for n in range(looks + 1, LOOKS + 1) if decides(*reach.halves(n, sd)) is not None), None)


def _scatter_range(dof: float) -> tuple[float, float]:
    """What the scatter may be, as shares of its estimate: its 80 % interval."""
    from scipy.special import chdtri

    return math.sqrt(dof / chdtri(dof, 0.1)), math.sqrt(dof / chdtri(dof, 0.9))
