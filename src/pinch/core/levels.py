"""Levels that power kept, each with a score for its being a limit: power that is regulated stands still while the
temperature follows the heat and the clock wanders with the work. Nothing here knows how many levels a limiter has; each
is a candidate with nats for and against, by what it must show and what it could not show by chance.
"""

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.collapse import runs_of
from pinch.core.nearby import around, closed, running_max, running_mean, running_min
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import LEAST_BINS, Signals, clip, densest, filled, known, median_of_three, wander
from pinch.core.teeth import Teeth

LEVEL_SHARE = 0.012
"""Firmware regulates to about 1 %; sensors err by as much again."""
CALM_REACH = 3
MOST_LEVELS = 12
STILL = 0.0045
"""Power that is regulated wanders by less, noise aside; a slope that crosses a level's band spreads by half as much
again."""
PAYS = 0.012
"""A clock this far below the highest of the run gives way to something."""
TOP_K = 3.0
GENTLE_BINS, GENTLY = 40, 0.1
"""Power that was above a level by less than this share so long before came to it gently, as it does by heat."""
MOVES_K = 1.5
"""A temperature that moves by more is not held."""


class Level(Struct, frozen=True):
    """A level that power kept: W, the bins at it (n,), first and last (exclusive) of them, and `score` for its being a
    limit; `spread` is how far it wandered and `band` how far a sensor may show it from there, as shares, and `moved_k`
    how far the temperature moved meanwhile, K; `came_gently`: power sank to it within half a
    minute or more."""

    watts: float
    at: BoolArray
    first: int
    last: int
    score: float
    spread: float
    moved_k: float
    band: float = LEVEL_SHARE
    came_gently: bool = False


def find_levels(s: Signals, teeth: Teeth) -> list[Level]:
    """The levels that power kept, the longest first, with their scores."""
    power = median_of_three(s.power)
    power = np.where(s.busy & ~teeth.bins & (power > 0.0), power, np.nan)
    if np.isfinite(power).sum() < LEAST_BINS:
        return []
    noise = robust.quiet_noise_sd(known(s.power))
    band = max(
        LEVEL_SHARE,
        2.0 * noise / float(np.nanmedian(power)),
        0.6 * robust.step_of(known(power)) / float(np.nanmedian(power)),
    )
    left = _calm(power, band) & np.isfinite(power)
    found: list[Level] = []
    while len(found) < MOST_LEVELS and left.sum() >= LEAST_BINS:
        watts = densest(power[left], band)
        near = left & (np.abs(power / watts - 1.0) <= band)
        if not near.any():
            break
        left &= ~near
        if max((b - a for a, b in runs_of(closed(near, 1))), default=0) >= LEAST_BINS:
            at = s.busy & (np.abs(power / watts - 1.0) <= 1.4 * band)
            found.append(_judged(s, power, watts, near, at, band))
    return found


def _calm(power: FloatArray, band: float) -> BoolArray:
    """Bins amid a few of which power hardly differs."""
    smooth = running_mean(filled(power), 1)
    swing = running_max(smooth, CALM_REACH, CALM_REACH) - running_min(smooth, CALM_REACH, CALM_REACH)
    return around(swing <= 2.0 * band * np.abs(smooth), CALM_REACH)


def _judged(s: Signals, power: FloatArray, watts: float, near: BoolArray, at: BoolArray, band: float) -> Level:
    """A level with its score."""
    where = np.flatnonzero(near)
    first, last = int(where[0]), int(where[-1]) + 1
    spread, doubt = wander(power[near])
    trend = _trend(power[near])
    still = float(np.hypot(spread, 0.0))
    stillness = clip((STILL - max(still, 0.5 * trend)) / STILL, -1.0, 1.0) * 2.2 / (1.0 + (doubt / STILL) ** 2)
    seconds = len(where)
    length = clip(np.log(seconds / 12.0), -1.0, 1.2)
    moved, stood = _moved_at_all(s, near)
    moves = 2.0 * clip((moved - MOVES_K) / 3.0, 0.0, 1.0) * clip((0.0065 - max(still, 0.5 * trend)) / 0.003, 0.0, 1.0)
    if stood:
        moves = -2.5 * clip((seconds - 15.0) / 30.0, 0.0, 1.0) * clip(_fell_from(power, first, watts) / 0.05, 0.0, 1.0)
    top = _top(s)
    clock = float(np.nanmedian(s.clock[near])) if np.isfinite(s.clock[near]).any() else float("nan")
    gives = 1.0 - clock / top if np.isfinite(clock) and top > 0.0 else 0.0
    pays = clip((gives - PAYS) / PAYS, -1.0, 1.0) if np.isfinite(clock) else -1.0
    clock_spread, clock_doubt = wander(s.clock[near]) if np.isfinite(clock) else (0.0, 1.0)
    ratio = 0.0
    if clock_doubt < 0.01:
        a, b = float(np.hypot(clock_spread, 0.0005)), float(np.hypot(still, 0.0008))
        ratio = 1.3 * clip(np.log(a / b), -1.6, 1.6) / (1.0 + (max(clock_doubt, doubt) / 0.004) ** 2)
    steps = 1.0 if _stepped_in(power, first, watts) else 0.0
    if not s.temps and not steps and first > LEAST_BINS:
        steps = -3.0  # it came gently: with no temperature to be seen that may as well be heat
    over = _strays(s, power[first:last] / watts - 1.0, band, slice(first, last))
    slack = (-2.5 if s.was_full else -1.0) if np.mean(s.has_work[near]) < 0.5 else 0.0
    score = stillness + length + moves + pays + ratio + steps + over + slack
    return Level(watts, at, first, last, score, still, moved, band, _came_gently(power, first, watts))


def _moved_at_all(s: Signals, near: BoolArray) -> tuple[float, bool]:
    """How far the temperature of the part moved while power stood, K, and whether it stood still itself near its top,
    as one that is held does; what is not logged did neither."""
    temp = next((t for t in s.temps.values() if np.isfinite(t[near]).sum() >= LEAST_BINS), None)
    if temp is None:
        return 0.0, False
    moved = max(_moved(t, near) for t in s.temps.values())
    fine = max(0.6, 1.5 * robust.noise_sd(known(temp)))
    inside, whole = known(temp[near]), known(np.where(s.busy, temp, np.nan))
    is_top = bool(np.median(inside) >= np.percentile(whole, 97.0) - TOP_K)
    return moved, moved <= fine and is_top


def _fell_from(power: FloatArray, first: int, watts: float) -> float:
    """By which share power was higher before a level."""
    before = known(power[:first])
    return float(np.percentile(before, 80)) / watts - 1.0 if len(before) >= 3 else 0.0


def _top(s: Signals) -> float:
    """The highest clock of the run, spikes aside; NaN without one."""
    have = known(np.where(s.busy, s.clock, np.nan))
    return float(np.percentile(have, 97.0)) if len(have) else float("nan")


def _trend(values: FloatArray) -> float:
    """How far the last third of (n,) values is from the first, as a share."""
    third = len(values) // 3
    if third < 2:
        return 0.0
    return abs(float(np.median(values[-third:]) / np.median(values[:third]) - 1.0))


def _moved(temp: FloatArray, near: BoolArray) -> float:
    """How far a temperature moved while power stood, K: within its longest stretches, one by one."""
    moved = 0.0
    for a, b in runs_of(closed(near, 2)):
        inside = known(median_of_three(temp[a:b]))
        if len(inside) >= LEAST_BINS:
            low, high = np.percentile(inside, [4, 96])
            noise = robust.noise_sd(known(temp[a:b]))
            at_first = abs(float(inside[:4].mean() - np.median(inside)))
            moved = max(moved, max(float(high - low), at_first) - 2.0 * noise - robust.step_of(known(temp)))
    return moved


def _stepped_in(power: FloatArray, first: int, watts: float) -> bool:
    """Whether power came down to a level at once, from a higher one."""
    before = known(power[max(0, first - 8) : first])
    return len(before) >= 3 and bool(np.median(before[: max(3, len(before) // 2)]) > (1.0 + 2.0 * LEVEL_SHARE) * watts)


def _came_gently(power: FloatArray, first: int, watts: float) -> bool:
    """Whether power was near to a level half a minute before it came to it, and above it."""
    before = known(power[max(0, first - GENTLE_BINS) : max(0, first - GENTLE_BINS // 2)])
    above = float(np.median(before)) / watts - 1.0 if len(before) >= LEAST_BINS else 0.0
    return LEVEL_SHARE < above < GENTLY


def _strays(s: Signals, off: FloatArray, band: float, span: slice) -> float:
    """What speaks against a limit (nats): between the first and the last second at it, power was often higher, or as
    often a little lower, as it is where work makes it. `off` (n,) is how far it was, as a share."""
    have = np.isfinite(off) & s.has_work[span]
    if not have.any():
        return 0.0
    above = float(np.mean(off[have] > 1.3 * band))
    at = int(np.sum(np.abs(off[have]) <= band))
    under = int(np.sum((off[have] < -1.3 * band) & (off[have] > -3.5 * band)))
    return -3.0 * clip((above - 0.03) / 0.15, 0.0, 1.0) - 2.5 * clip((under / max(at, 1) - 0.25) / 0.5, 0.0, 1.0)
