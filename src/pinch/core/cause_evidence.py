"""What each second says for each cause, in nats: how near it is to what is regulated, what the work does, and what the
machine says of itself. 0 says nothing; what is so many nats above another is e to that power times as likely."""

from itertools import pairwise

import numpy as np

from pinch.core import robust
from pinch.core.causes import Cause
from pinch.core.collapse import runs_of
from pinch.core.cuts import SHORTEST
from pinch.core.framecap import BUSY_GPU
from pinch.core.levels import MOVES_K, Level
from pinch.core.regulated import LONGEST_BURST_S, Regulated
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import Signals, clip, known, median_of_three
from pinch.core.top_clock import Ceiling

CAUSES = tuple(Cause)
# Nats without a reason of their own below were chosen by trial on runs of known truth; bench/accuracy.py measures them.
UNKNOWN = 0.3
CAPPED, IDLE_GPU, FULL_GPU = 4.0, 3.0, 1.2
TOP_ADDS, GIVES_TAKES, CLOCK_UNTOLD = 1.5, 0.8, 0.6
"""Full graphics at their highest clock are the bound; below it they give way to something."""
LIKELY_TOP, PLAIN_TOP, SURE_TOP, AT_TOP_SHARE = 1.0, 1.5, 2.0, 0.7
"""A highest clock for which so much speaks takes this share of it from a limit of power, then also from heat, and then
all of it from a burst."""
PLAIN_LIMIT, LIMIT_TAKES = 2.0, 0.8
"""At a plain limit of power heat loses this share of what speaks for that."""
PLAIN_SUPPLY, OTHER_HOLDS = 4.0, 3.0
"""What something else plainly holds takes so much from a temperature, and from a level before its time."""
SURE, PLAIN = 9.0, 6.0
"""Nats of what was not logged or not at work, and of what the machine says of itself."""
NEVER, IMPOSSIBLE = -6.0, -500.0
COOL_C = 60.0
"""A chip that is held below this is kept so for a surface rather, which nobody logged. Common practice, no source."""
CAME_DOWN = 2.0
"""Nats: a first level from which power comes down for good is hardly anything but a burst."""
UNCUT = 0.95
"""A level below this share of what power is cut from at a temperature is that of the cuts."""
LESS_WORK = 4.5
"""Nats of a processor that has less to do than before in the run."""
BURST_USUAL_S = 50.0
"""A first level that lasts so long when the log ends is as often a burst as the limit that holds. Common practice, no
source."""
LEAST_BEFORE, AHEAD = 45, 0.1
"""Bins of a level before which a lower one may be heat; of two causes that cannot be told apart, the likelier one is so
many nats ahead."""
FEW_VALUES, ALL_OF_IT = 6, 0.985
"""A sensor that shows no more values while the clock is at its highest for so much of the load hides what moves."""
LEAST_STEPS = 3
"""So many levels, each a step of the sensor below the one before, are power that sinks."""
FALLS_WITH_CHARGE = 0.9
LEAST_CHARGE = 2.0


def evidence_of(s: Signals, r: Regulated) -> FloatArray:
    """What each bin says for each cause, (n, causes) nats; 0 is what says nothing."""
    n = len(s.power)
    says = {cause: np.full(n, NEVER) for cause in CAUSES}
    power = median_of_three(s.power)
    at_limit = np.full(n, NEVER)
    for level in r.levels:
        weight = _closeness(power, level) + np.where(np.arange(n) >= level.first - SHORTEST, 0.0, -OTHER_HOLDS)
        if level is r.burst:
            weight = weight + np.where(_may_burst(s, power, level, r.burst_bins), CAME_DOWN, NEVER) + _tops_out(r)
            says[Cause.BURST_POWER] = np.maximum(says[Cause.BURST_POWER], level.score + weight)
        else:
            at_limit = np.maximum(at_limit, level.score + weight)
    if r.ceiling is not None and r.ceiling.score > LIKELY_TOP:
        at_limit = np.where(r.ceiling.at, at_limit - AT_TOP_SHARE * r.ceiling.score, at_limit)
    says[Cause.SUSTAINED_POWER] = np.maximum(at_limit, NEVER)
    if not s.temps:
        says[Cause.HEAT] = _unseen_heat(r, power)
    if r.burst is None and n < LONGEST_BURST_S:
        says[Cause.BURST_POWER] = _burst_without_end(s, r, power)
    limited = np.fmax(at_limit, says[Cause.BURST_POWER])
    if _sinks_by_steps(s, r):
        limited = np.full(n, NEVER)
    says[Cause.SUPPLY] = _supply(s, limited)
    sinks = np.where(says[Cause.SUPPLY] > PLAIN_SUPPLY, OTHER_HOLDS, 0.0)
    plainly = np.full(n, NEVER)
    for level in r.levels:
        if level.moved_k > MOVES_K and not level.watts < UNCUT * r.teeth.from_w:
            plainly = np.maximum(plainly, level.score + _closeness(power, level))
    _held_temperatures(r, says, plainly, sinks)
    if r.ceiling is not None and (s.part != "gpu" or r.ceiling.given):
        either = at_limit - AHEAD if r.burst is None and _hides_what_stands(s, r.ceiling) else np.full(n, NEVER)
        says[Cause.CLOCK_CEILING] = np.where(r.ceiling.at, np.maximum(r.ceiling.score, either), NEVER)
    _work(s, r, says)
    says[Cause.UNKNOWN] = np.full(n, UNKNOWN)
    _flagged(s, says)
    idle = ~s.active & s.logged
    stacked = np.stack([says[c] for c in CAUSES], axis=1)
    stacked[idle] = NEVER
    stacked[idle, CAUSES.index(Cause.WAITING)] = SURE
    stacked[~s.logged] = NEVER
    if Cause.OUTSIDE not in s.flags:  # nothing but the machine itself can tell it
        stacked[:, CAUSES.index(Cause.OUTSIDE)] = IMPOSSIBLE
    stacked[~s.logged, CAUSES.index(Cause.UNKNOWN)] = SURE
    return stacked


def _held_temperatures(r: Regulated, says: dict[Cause, FloatArray], plainly: FloatArray, sinks: FloatArray) -> None:
    """What each temperature that is held says for heat or skin, beside what power `plainly` is limited by."""
    for ridge in r.ridges:
        cause = Cause.SKIN if ridge.is_skin else Cause.HEAT
        below = np.where(plainly > PLAIN_LIMIT, -LIMIT_TAKES * np.clip(plainly, 0.0, PLAIN_SUPPLY), LIMIT_TAKES) - (
            0.0 if ridge.given else sinks
        )
        if r.ceiling is not None and r.ceiling.score > PLAIN_TOP:
            below = below - np.where(r.ceiling.at, OTHER_HOLDS, 0.0)
        held = np.where(ridge.near, ridge.score + below, NEVER)
        says[cause] = np.maximum(says[cause], held)
        if cause is Cause.HEAT and not ridge.given and ridge.limit_c < COOL_C:
            says[Cause.SKIN] = np.maximum(says[Cause.SKIN], held + AHEAD)
    says[Cause.HEAT] = np.where(r.teeth.bins, np.where(plainly > PLAIN_LIMIT, 0.0, PLAIN), says[Cause.HEAT])


def _unseen_heat(r: Regulated, power: FloatArray) -> FloatArray:
    """What speaks for heat where no temperature was logged, (n,) nats: as much as for a limit that power came to gently
    or from a higher one that was no burst, for heat does the same."""
    found = np.full(len(power), NEVER)
    limits = [level for level in r.levels if level is not r.burst]
    gently = [level for level in limits if level.came_gently]
    for level in limits:
        higher = [o for o in limits if o.first < level.first and o.watts > level.watts / UNCUT]
        on_the_way = any(0 <= g.first - level.first <= LEAST_BEFORE and level.watts > g.watts for g in gently)
        if level.came_gently or on_the_way or any(o.at.sum() >= LEAST_BEFORE for o in higher):
            found = np.maximum(found, level.score - AHEAD + _closeness(power, level))
    return found


def _flagged(s: Signals, says: dict[Cause, FloatArray]) -> None:
    """What the machine says of itself: it counts before anything that is worked out; a flag of power is of the burst
    where that is the level."""
    any_flag = np.zeros(len(s.power), dtype=bool)
    for cause, flagged in s.flags.items():
        any_flag |= flagged
        burst = cause is Cause.SUSTAINED_POWER and says[Cause.BURST_POWER] > says[cause]
        says[cause] = np.where(flagged & ~np.asarray(burst), np.maximum(says[cause], PLAIN), says[cause])
    told = [*s.flags, *([Cause.BURST_POWER] if Cause.SUSTAINED_POWER in s.flags else [])]
    for cause in says:
        if cause not in told:
            says[cause] = np.where(any_flag, np.minimum(says[cause], 0.0) - PLAIN, says[cause])
        elif cause in s.flags:
            other = any_flag & ~s.flags[cause]
            says[cause] = np.where(other, np.minimum(says[cause], 0.0), says[cause])


def _may_burst(s: Signals, power: FloatArray, level: Level, bins: int) -> BoolArray:
    """Bins (n,) in which a limiter may let power burst: at first, and for as long after a pause or a fault."""
    may = np.arange(len(power)) < bins + SHORTEST
    for a, b in runs_of(~s.active | (power < 0.5 * level.watts)):
        if b - a >= SHORTEST:
            may[b : b + bins + 2 * SHORTEST] = True
    return np.asarray(may)


def _tops_out(r: Regulated) -> FloatArray | float:
    """What speaks against a burst where the clock stands at its highest, (n,) nats."""
    if r.ceiling is None or r.ceiling.score < SURE_TOP or (r.burst is not None and r.burst.score > r.ceiling.score):
        return 0.0
    return np.where(r.ceiling.at, -r.ceiling.score, 0.0)


def _burst_without_end(s: Signals, r: Regulated, power: FloatArray) -> FloatArray:
    """What speaks for a burst in a run that ends before any other level was seen, (n,) nats: the shorter, the more."""
    n = len(power)
    first = min(r.levels, key=lambda lv: lv.first, default=None)
    if first is None or first.first > 2 * SHORTEST:
        return np.full(n, NEVER)
    return np.asarray(first.score - np.log(n / BURST_USUAL_S) * 2.0 + _closeness(power, first))


def _closeness(power: FloatArray, level: Level) -> FloatArray:
    """What the distance from a level takes off its score, (n,) nats."""
    band = level.band + level.spread
    off = np.abs(power / level.watts - 1.0) / band
    off = np.where(np.isfinite(off), off, 9.0)
    return np.asarray(-1.5 * np.clip(off - 1.0, 0.0, 3.0) ** 2)


def _work(s: Signals, r: Regulated, says: dict[Cause, FloatArray]) -> None:
    """What the work itself says: a cap, graphics that are full, a processor or graphics that have to wait."""
    busy_gpu = median_of_three(s.gpu_load) >= BUSY_GPU
    says[Cause.FRAME_CAP] = np.where(s.capped, CAPPED, NEVER)
    if s.part == "gpu":
        at_top = r.ceiling.at if r.ceiling is not None else np.zeros(len(busy_gpu), dtype=bool)
        told = np.isfinite(s.clock)
        adds = 0.0 if r.ceiling is not None and r.ceiling.given else TOP_ADDS
        says[Cause.GRAPHICS_BOUND] = np.where(
            busy_gpu, FULL_GPU + np.where(told, np.where(at_top, adds, -GIVES_TAKES), CLOCK_UNTOLD), NEVER
        )
        says[Cause.WAITING] = np.where(~s.has_work & ~s.capped, IDLE_GPU, NEVER)
    else:
        says[Cause.WAITING] = np.where(~s.has_work, LESS_WORK if s.was_full else 1.0, NEVER)


def _hides_what_stands(s: Signals, ceiling: Ceiling) -> bool:
    """Whether power and clock stand all of the load on steps of their sensors that are too wide to see which of the two
    would move."""
    at_work = s.busy & s.has_work
    seen = [len(np.unique(known(x[at_work]))) for x in (s.power, s.clock)]
    return min(seen) > 0 and max(seen) <= FEW_VALUES and bool(ceiling.at[at_work].mean() > ALL_OF_IT)


def _sinks_by_steps(s: Signals, r: Regulated) -> bool:
    """Whether the levels of power are the steps of its sensor, one after the other downwards."""
    watts = [level.watts for level in sorted(r.levels, key=lambda level: level.first)]
    step = robust.step_of(known(s.power))
    return len(watts) >= LEAST_STEPS and all(0.5 * step < a - b < 1.5 * step for a, b in pairwise(watts))


def _supply(s: Signals, limited: FloatArray) -> FloatArray:
    """What speaks for the supply, (n,) nats: power that sinks with the charge of the battery."""
    n = len(s.power)
    nothing = np.full(n, NEVER)
    both = s.busy & s.has_work & np.isfinite(s.charge) & np.isfinite(s.power) & (limited < 4.0)
    if both.sum() < 60:
        return nothing
    charge, power = s.charge[both], median_of_three(s.power[both])
    if np.ptp(charge) < LEAST_CHARGE or charge[-1] >= charge[0] or not np.ptp(power):
        return nothing
    together = float(np.corrcoef(charge, power)[0, 1])
    fell = 1.0 - float(np.median(power[-10:]) / np.median(power[:10]))
    if together < FALLS_WITH_CHARGE or fell < 0.03:
        return nothing
    return np.where(both, 7.0 * clip((together - 0.85) / 0.12, 0.0, 1.0), NEVER)
