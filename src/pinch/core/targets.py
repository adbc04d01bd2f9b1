"""The least watts for a wanted frame rate or score, and the untested limit that is most worth measuring."""

import numpy as np
from msgspec import Struct

from pinch.core.ladder import Ladder
from pinch.core.printing import plain
from pinch.core.runlog import FloatArray
from pinch.core.sweetspots import first_reach, spot_draws
from pinch.language import tr

NEAR_STEP = 0.5
"""A limit nearer to a tested one than this share of the usual step counts as tested."""


class Target(Struct, frozen=True):
    """The least power, W, for a wanted score, with its 95 % interval; NaN where it is not within what was measured, and
    `words` say on which side. `saved_w` is what a cap at the target saves against the best setting that was
    measured."""

    wanted: float
    power_w: float
    low_w: float
    high_w: float
    saved_w: float
    words: str


def reach_target(ladder: Ladder, wanted: float, lows: Ladder | None = None, share: float = 0.0) -> Target:
    """The least power whose average reaches `wanted`, and whose low reaches `share` of it where lows are given."""
    power, words = _least(ladder, wanted, "average")
    draws = _draws(ladder, wanted)
    if lows is not None and share > 0.0:
        least, low_words = _least(lows, share * wanted, "low")
        words = " ".join(filter(None, (words, low_words)))
        power = max(power, least) if np.isfinite(power) and np.isfinite(least) else float("nan")
        rows = min(len(draws), len(lows.draws))
        draws = np.maximum(draws[:rows], _draws(lows, share * wanted)[:rows])
    if not np.isfinite(power):
        return Target(wanted, float("nan"), float("nan"), float("nan"), float("nan"), words)
    known = draws[np.isfinite(draws)]
    low, high = np.percentile(known, [2.5, 97.5]) if len(known) > len(draws) / 2 else (np.nan, np.nan)
    if len(known) < len(draws):
        words = tr("{words} Chance could put it beyond what was measured.", words=words).strip()
    return Target(wanted, power, float(low), float(high), float(ladder.power[-1]) - power, words)


def next_point(ladder: Ladder) -> float:
    """The untested power, W, whose measurement narrows the interval of the 95 % spot most.

    Measured there, a setting with as many runs as the others takes the share ρ² Var(y) / (Var(y) + u²) of the spot's
    variance away, with ρ the correlation of spot and curve over the draws. Without repeats it is the middle of the
    widest gap next to the spot.
    """
    tested = np.array([r.power_w for r in ladder.rungs])
    if not len(ladder.draws):
        return _widest_gap(ladder, tested)
    spots = spot_draws(ladder)
    spots = spots - spots.mean()
    curve = ladder.draws / ladder.draws.mean(axis=0)
    off = curve - 1.0
    error = ladder.scatter.sd**2 / float(np.median([r.runs for r in ladder.rungs]))
    gain = (spots @ off / len(spots)) ** 2 / ((off * off).mean(axis=0) + error)
    step = float(np.median(np.diff(tested)))
    near = np.abs(ladder.power[:, None] - tested[None, :]).min(axis=1) < NEAR_STEP * step * 0.9
    free = np.where(near, -1.0, gain)
    best = int(np.argmax(free))
    return float(ladder.power[best]) if free[best] > 0.0 else _widest_gap(ladder, tested)


def _least(ladder: Ladder, wanted: float, what: str) -> tuple[float, str]:
    if wanted > ladder.score.max():
        best = ladder.score.max()
        return float("nan"), tr(
            "Not within what was measured: the {what} reaches {best} at most.", what=what, best=plain(best)
        )
    if wanted <= ladder.score[0]:
        return float(ladder.power[0]), tr(
            "The least power measured already gives {what} {score}.", what=what, score=plain(ladder.score[0])
        )
    return float(first_reach(ladder.power, ladder.score[None, :], np.array([wanted]))[0]), ""


def _draws(ladder: Ladder, wanted: float) -> FloatArray:
    return first_reach(ladder.power, ladder.draws, np.full(len(ladder.draws), wanted))


def _widest_gap(ladder: Ladder, tested: FloatArray) -> float:
    spot = float(first_reach(ladder.power, ladder.score[None, :], 0.95 * ladder.score[None, -1])[0])
    after = max(int(np.searchsorted(tested, spot)), 1)
    around = range(max(after - 1, 1), min(after + 1, len(tested) - 1) + 1)
    widest = max(around, key=lambda i: tested[i] - tested[i - 1])
    return float((tested[widest - 1] + tested[widest]) / 2.0)
