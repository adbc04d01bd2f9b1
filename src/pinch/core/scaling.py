"""Score against measured watts of one device and workload: curve, sweet spots, what falls, what to measure next."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.ladder import Ladder, Point, Rung, fit_ladder
from pinch.core.sweetspots import NEARLY_ALL, WORTH, SweetSpot, sweet_spots
from pinch.core.targets import Target, next_point, reach_target
from pinch.language import tr

FALLS_BY = 1.645
"""Standard errors (one-sided 95 %) by which a setting with more watts is slower before it is said."""
FALLS_UNTESTED = 0.01
HEAT_SHARE = 0.1
LEAST_LOWS = 3


class Scaling(Struct, frozen=True):
    """What a ladder says: curve, the four sweet spots by rule, the same runs by their lows where all have one, the
    wanted score where one was, the next limit worth measuring in W, and warnings."""

    ladder: Ladder
    spots: dict[str, SweetSpot]
    lows: Ladder | None
    target: Target | None
    next_w: float
    warnings: tuple[Note, ...]

    @property
    def nearly_all(self) -> SweetSpot:
        """The spot that is used where a single one is needed."""
        return self.spots[NEARLY_ALL]


def scale(
    points: Sequence[Point], target: float | None = None, low_share: float = 0.0, worth: float = WORTH
) -> Scaling:
    """Everything about runs of one device and workload, higher score being better.

    Parameters
    ----------
    target : a wanted score; its low has to reach `low_share` of it.
    worth : the share of the score that the last watt worth it brings.

    Raises
    ------
    DataError : a power or score is not finite and above zero, or there are fewer than three different powers.
    """
    ladder = fit_ladder(points)
    lows = lows_of(points)
    found = None if target is None else reach_target(ladder, target, lows, low_share)
    return Scaling(ladder, sweet_spots(ladder, worth), lows, found, next_point(ladder), tuple(_warnings(ladder)))


def lows_of(points: Sequence[Point]) -> Ladder | None:
    """The curve of the lows, where at least three settings have one."""
    with_low = [replace(p, score=p.low, low=float("nan")) for p in points if np.isfinite(p.low) and p.low > 0]
    if len(with_low) < LEAST_LOWS:
        return None
    try:
        return fit_ladder(with_low)
    except DataError:
        return None


def joules_per(ladder: Ladder) -> np.ndarray:
    """Energy of one unit of work along the curve, J, where the score is a rate of work, (k,)."""
    return np.asarray(ladder.power / ladder.score)


def _warnings(ladder: Ladder) -> list[Note]:
    found = []
    if not ladder.scatter.known:
        found.append(Note("single-runs", tr("No setting was repeated, so no interval can be claimed.")))
    flat = ladder.score[0] >= 0.95 * ladder.score.max()
    if flat:
        found.append(Note("flat", tr("The lowest power measured already gives 95 % of the best score.")))
    return found + _falling(ladder)


def _falling(ladder: Ladder) -> list[Note]:
    """Settings that draw more than another one and are slower, beyond what chance does."""
    found = []
    best: Rung | None = None
    for rung in ladder.rungs:
        if best is not None and np.log(best.score / rung.score) > _chance(ladder, best, rung):
            heat = (
                tr("heat held it for {heat_share:.0f} % of the load", heat_share=100 * rung.heat_share)
                if rung.heat_share > HEAT_SHARE
                else ""
            )
            why = heat or tr("often that is heat")
            by = 100.0 * (1.0 - rung.score / best.score)
            words = tr(
                "{cell} draws more than {cell_2} ({more_w:.1f} against {less_w:.1f} W) and is",
                cell=rung.cell,
                cell_2=best.cell,
                more_w=rung.power_w,
                less_w=best.power_w,
            )
            found.append(Note("falling", tr("{words} {by:.1f} % slower: {why}.", words=words, by=by, why=why)))
        if best is None or rung.score > best.score:
            best = rung
    return found


def _chance(ladder: Ladder, a: Rung, b: Rung) -> float:
    if not ladder.scatter.known:
        return FALLS_UNTESTED
    return float(FALLS_BY * ladder.scatter.sd * np.sqrt(1.0 / a.runs + 1.0 / b.runs))
