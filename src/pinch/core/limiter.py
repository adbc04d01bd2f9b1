"""What held the machine back at each second.

Direct evidence (throttle flags and counters) comes first, then inference from 1 s means. All tolerances widen with
the run's own noise. Each second gets one cause; changes of cause cost so much evidence that a stretch shorter than
3 s joins its neighbours (a two-state smoothing by the Viterbi recursion, not a majority blur, so saw-teeth stay).
"""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pinch.core import robust
from pinch.core.causes import Cause
from pinch.core.collapse import runs_of
from pinch.core.figures import Segment
from pinch.core.framecap import BUSY_GPU
from pinch.core.phases import BUSY_LOAD
from pinch.core.runlog import BoolArray, FloatArray

CAUSES = tuple(Cause)
# What has no reason of its own below was chosen by trial; bench/accuracy.py measures what it gives.
POWER_SHARE = 0.03
"""Power within so much of a level is at it: firmware regulates to about 1 %, sensors err by as much again."""
CLOCK_SHARE = 0.01
"""The same of clocks, which step by 25 or 100 MHz."""
TEMP_K = 2.0
"""The same of temperatures: sensors step by 1 K, and a governor lets go about one step below its limit."""
NOISE_REACH = 3.0
"""Tolerances are at least so many standard deviations of a sensor's noise: one bin in 370 of a quiet one is beyond."""
LEVEL_BINS = 10
"""What is held for so many seconds is a level; a moment is none."""
LEVEL_SHARE = 0.2
"""A steady level holds at least this share of the seconds it is looked for in."""
SLOW_BINS = 10
"""Seconds in a block: what is left of wandering between blocks is not the noise of a second."""
LEAST_BLOCKS = 4
"""With fewer blocks the spread between them is chance."""
SETTLING_BINS = 4
"""After a burst power takes so many seconds to come down to its level."""
FLAT_SHARE = 0.004
"""A limiter holds its power this still where the sensor is quiet."""
SELDOM = 0.02
"""Share of the later seconds that may lie above a limit: no limiter is perfect."""
LONG_LEVELS = 3
"""A flat stretch of so many levels' length needs no proof that nothing later exceeds it."""
SHORT_BINS = 4
"""Fewer seconds after a burst are no level at all."""
FIRST_BINS = 3
"""A burst longer than this leaves out its first second, in which power still rose."""
RIDGE_PERCENTILE = 98.0
"""The ridge of a temperature: its maximum may be a spike."""
RIDGE_SHARE = 0.03
"""A ridge is a limit only where it is touched for this share of the late seconds."""
LATE_BINS = 20
"""With fewer seconds after the burst there is no ridge to be seen."""
CAME_BINS = 4
"""As many seconds before a ridge tell which power it came from."""
GAVE_STEPS, TOOTH_STEPS = 1.5, 2.5
"""In steps of the power sensor: a smaller difference may be one step, a smaller swing two."""
TOOTH_NOISE = 4.0
"""A swing of power below so many standard deviations of its noise is no saw-tooth."""
FLAT_RIDGE = 0.75
"""A temperature that is regulated stays within this share of the tolerance from its first to its last fifth."""
WARM_STEPS = 8
"""In `TEMP_K`: firmware that cut the power waits until the chip is so much cooler."""
TOOTH_LONGER = 1.5
"""After its last heat a tooth may take so much longer than the longest one before."""
MEDIAN5_NOISE = 0.54
"""Noise left by a running median of five, as a share."""
STILL_CLOCK = 0.005
"""A clock that spreads by less stands still."""
WANDERING_POWER = 0.003
"""Power that wanders by more between blocks follows the work, and is at no limit."""
FOLLOWS = 0.2
"""Where both are held down together, clock wanders about 0.4 times as much as power."""
SWITCH_COST = 1.49
"""In bins of evidence: two switches cost just less than three bins."""
TOOTH_S = 300.0
"""Longer than this is no tooth of one governor, but two stretches of heat."""


@dataclass(frozen=True)
class Signals:
    """The loaded part of a run in 1 s bins, each (n,); a channel that is missing is all NaN.

    `gpu_load` is how busy graphics are, %; `capped` is true where the frame rate is within 1.5 % of a cap; `heat_flag`
    and `power_flag` are true where the log itself says that the machine throttled. `logged` is false where nothing was
    recorded.
    """

    power: FloatArray
    clock: FloatArray
    temp: FloatArray
    load: FloatArray
    gpu_load: FloatArray
    capped: BoolArray
    heat_flag: BoolArray
    power_flag: BoolArray
    active: BoolArray
    logged: BoolArray


@dataclass(frozen=True)
class Levels:
    """The levels the limiter is told by; NaN where one neither was given nor shows.

    `burst_bins` is where the burst ended. `*_given` tells a value of the operator from a recovered one.
    """

    burst_w: float
    sustained_w: float
    burst_bins: int
    temp_limit_c: float
    temp_given: bool
    ceiling_mhz: float
    ceiling_given: bool
    power_tolerance_w: float
    temp_tolerance_k: float
    clock_tolerance_mhz: float


def find_levels(s: Signals, burst_bins: int, temp_limit_c: float | None, ceiling_mhz: float | None) -> Levels:
    """The power levels, the temperature limit and the clock ceiling of a run.

    `temp_limit_c` and `ceiling_mhz` are the operator's values; None recovers them from the log.
    """
    power_noise = robust.quiet_noise_sd(_known(s.power))
    temp_tolerance = max(TEMP_K, NOISE_REACH * robust.quiet_noise_sd(_known(s.temp)))
    after = np.arange(len(s.power)) >= burst_bins
    held = after & ~s.capped & ~_slack(s, after)
    limit = temp_limit_c if temp_limit_c is not None else recover_temp_limit(s, held, burst_bins, temp_tolerance)
    clock_tolerance = NOISE_REACH * robust.quiet_noise_sd(_known(s.clock)) * MEDIAN5_NOISE
    ceiling = ceiling_mhz if ceiling_mhz is not None else recover_ceiling(s, clock_tolerance)
    at_ceiling = _median5(s.clock) >= ceiling - np.fmax(CLOCK_SHARE * ceiling, clock_tolerance)
    burst_w = float("nan")
    if burst_bins:
        plateau = s.power[:burst_bins]
        burst_w = float(np.nanmedian(plateau[1:] if burst_bins > FIRST_BINS else plateau))
    candidates = held & s.active & ~at_ceiling & ~s.heat_flag & _calm(s.power)
    at_limit = s.temp >= limit - temp_tolerance
    sustained_w = _sustained_level(
        s.power, candidates & ~at_limit & ~_between(at_limit) & ~_last_tooth(at_limit), burst_w
    )
    if not np.isfinite(sustained_w):
        # Settled so near to the temperature limit that heat cannot be told apart by temperature alone:
        # a level that was already there before the limit was reached is a power limit.
        sustained_w = _sustained_level(s.power, candidates & (np.cumsum(at_limit) == 0), burst_w)
    if not np.isfinite(sustained_w) and len(s.power) > LEVEL_BINS:
        sustained_w = _flat_level(s, held, at_limit, burst_bins, power_noise)
    if not np.isfinite(sustained_w) and burst_bins and not at_limit[burst_bins:].any():
        sustained_w = _short_level(s, burst_bins)
    return Levels(
        burst_w,
        sustained_w,
        burst_bins,
        limit,
        temp_limit_c is not None,
        ceiling,
        ceiling_mhz is not None,
        max(NOISE_REACH * power_noise, robust.step_of(_known(s.power))),
        temp_tolerance,
        clock_tolerance,
    )


def _slack(s: Signals, after: BoolArray) -> BoolArray:
    """Bins in which the processor waits or graphics are the bound, and power wanders as the work does: its level there
    is no limit, since a limiter holds its power still."""
    slack = np.zeros(len(s.power), dtype=bool)
    for loose in (s.load < BUSY_LOAD, s.gpu_load >= BUSY_GPU):
        inside = loose & after & s.active & np.isfinite(s.power)
        if inside.any() and _slow_spread(s.power[inside]) > WANDERING_POWER:
            slack |= loose
    return slack


def _flat_level(s: Signals, held: BoolArray, at_limit: BoolArray, burst_bins: int, noise: float) -> float:
    """The first level, W, that power keeps flat for ten seconds although heat came before and comes again: heat makes
    power give way, a limiter holds it still. NaN without one.

    It lies below the temperature limit, or follows right after the burst. It is left downwards, by heat or by a pause;
    a level that firmware had cut the power to is left upwards. Unless it is long, later seconds hardly ever exceed it.
    """
    part = np.lib.stride_tricks.sliding_window_view(s.power, LEVEL_BINS)
    level = np.median(part, axis=1)
    flat = np.fmax(NOISE_REACH * noise, FLAT_SHARE * level)
    half = LEVEL_BINS // 2
    still = np.ptp(part, axis=1) <= 2.0 * flat
    still &= np.abs(part[:, half:].mean(axis=1) - part[:, :half].mean(axis=1)) <= 0.5 * flat
    calm = np.asarray(held & s.active & ~at_limit, dtype=bool)
    fits = np.array(np.lib.stride_tricks.sliding_window_view(calm, LEVEL_BINS).all(axis=1))
    fits[burst_bins : burst_bins + SETTLING_BINS] = bool(burst_bins)
    burst_w = float(np.nanmedian(s.power[:burst_bins])) if burst_bins else np.inf
    fresh = s.power >= (1.0 - POWER_SHARE) * burst_w
    for start in np.flatnonzero((still & fits)[: len(s.power) // 2]).tolist():
        above = s.power > (1.0 + POWER_SHARE) * level[start]
        left = np.flatnonzero(np.abs(s.power[start:] - level[start]) > POWER_SHARE * level[start])
        end = start + int(left[0]) if len(left) else len(s.power)
        lets_go = end < len(s.power) and bool(above[end : end + 3].mean() > 0.5)  # of a cut, where it cooled enough
        seldom = np.mean(above[start:] & ~fresh[start:]) <= SELDOM or end - start >= LONG_LEVELS * LEVEL_BINS
        if seldom and not lets_go:
            return float(level[start])
    return float("nan")


def _short_level(s: Signals, burst_bins: int) -> float:
    """The level of the few seconds that a short run has left after its burst, W, where they are flat; else NaN."""
    part = s.power[burst_bins + 1 : -1]
    part = part[np.isfinite(part)]
    if not SHORT_BINS <= len(part) <= 2 * LEVEL_BINS or np.ptp(part) > POWER_SHARE * float(np.median(part)):
        return float("nan")
    return float(np.median(part))


def steady_level(power: FloatArray) -> float:
    """The level power kept longest: centre of the densest 3 % wide band that holds ≥ 10 s and ≥ 20 % of the
    (n,) bins; NaN without one."""
    values = np.sort(power[np.isfinite(power)])
    if len(values) < LEVEL_BINS:
        return float("nan")
    upto = np.searchsorted(values, values * (1.0 + POWER_SHARE), side="right")
    counts = upto - np.arange(len(values))
    best = int(np.argmax(counts))
    if counts[best] < max(LEVEL_BINS, LEVEL_SHARE * len(values)):
        return float("nan")
    return float(np.median(values[best : upto[best]]))


def _sustained_level(power: FloatArray, candidates: BoolArray, burst_w: float) -> float:
    """The steady level of the candidate bins, or a higher one that was held for ≥ 10 s at a stretch: a limit is
    what power does not stay above, and the lower level of a saw-tooth is not one."""
    level = steady_level(power[candidates])
    if not np.isfinite(level):
        return level
    near_burst = np.abs(power - burst_w) <= POWER_SHARE * burst_w
    higher = candidates & (power > (1.0 + POWER_SHARE) * level) & ~near_burst
    stretches = [power[a:b] for a, b in runs_of(higher) if b - a >= LEVEL_BINS]
    levels = [level, *(steady_level(stretch) for stretch in stretches)]
    return float(np.nanmax(levels))


def recover_temp_limit(s: Signals, held: BoolArray, burst_bins: int, tolerance: float) -> float:
    """The temperature limit as the plateau or ridge at which power gave way, °C; NaN where there is none.

    A temperature that merely settles keeps its power; one that is held down pays with power. `held` (n,) are the bins
    after the burst in which neither a cap nor the work itself governs the power.
    """
    burst_w = float(np.nanmedian(s.power[:burst_bins])) if burst_bins else np.inf
    fresh = s.power >= (1.0 - POWER_SHARE) * burst_w  # a burst after a pause or a fault heats as well
    late = held & np.isfinite(s.temp) & np.isfinite(s.power) & s.active & ~fresh
    if late.sum() < LATE_BINS:
        return float("nan")
    ridge = float(np.percentile(s.temp[late], RIDGE_PERCENTILE))
    near = np.flatnonzero(late & (s.temp >= ridge - tolerance))
    if len(near) < max(LEVEL_BINS, RIDGE_SHARE * late.sum()):
        return float("nan")
    fifth = max(3, len(near) // 5)
    power, temp = s.power[near], s.temp[near]
    settled = float(np.median(power[-fifth:]))
    came_from = s.power[near[0] - min(int(near[0]), LEVEL_BINS) : near[0]]
    came_from = came_from[late[near[0] - len(came_from) : near[0]]]
    before = max(
        float(np.median(power[:fifth])),
        float(np.median(power[:LEVEL_BINS])),
        float(np.median(came_from)) if len(came_from) > CAME_BINS else 0.0,
    )
    least = max((1.0 + POWER_SHARE) * settled, settled + GAVE_STEPS * robust.step_of(power))
    more = late & (s.temp < ridge - tolerance) & (s.power >= least)
    long_more = max((b - a for a, b in runs_of(more)), default=0) >= 2 * LEVEL_BINS  # cooler, and yet it drew more
    gave_way = before >= least or long_more
    flat = abs(np.median(temp[:fifth]) - np.median(temp[-fifth:])) <= FLAT_RIDGE * tolerance
    low, middle, high = np.percentile(power, [10, 50, 90])
    noise = robust.noise_sd(_known(s.power))
    toothed = high - low > max(2 * POWER_SHARE * middle, TOOTH_NOISE * noise, TOOTH_STEPS * robust.step_of(power))
    return float(np.median(temp)) if (gave_way and flat) or toothed else float("nan")


def recover_ceiling(s: Signals, tolerance_mhz: float) -> float:
    """The clock ceiling as the highest clock held while power, not clock, wanders, MHz; NaN without one.

    At a ceiling power follows leakage and work; at a power limit the clock does. Either the clock stands still, or,
    under sensor noise, its slow part does while that of power does not.
    """
    have = np.isfinite(s.clock) & np.isfinite(s.power) & s.active
    if have.sum() < 2 * SLOW_BINS:
        return float("nan")
    smooth_clock = _median5(s.clock)
    top = float(smooth_clock[have].max())
    near = have & (smooth_clock >= top - max(CLOCK_SHARE * top, tolerance_mhz))
    if near.sum() < SLOW_BINS:
        return float("nan")
    clock, power = s.clock[near], s.power[near]
    spread = _relative_spread(clock)
    stands_still = spread < STILL_CLOCK and spread < FOLLOWS * _relative_spread(power)
    slow = _slow_spread(power)
    follows = slow > WANDERING_POWER and _slow_spread(clock) < FOLLOWS * slow
    return float(np.median(clock)) if stands_still or follows else float("nan")


def _relative_spread(values: FloatArray) -> float:
    """Distance of the 90 % from the 10 % point as a share of the median."""
    low, middle, high = np.percentile(values, [10, 50, 90])
    return float((high - low) / middle)


def _slow_spread(values: FloatArray) -> float:
    """Relative standard deviation of (n,) values over blocks of 10, less what their noise alone would give."""
    count = len(values) // SLOW_BINS
    if count < LEAST_BLOCKS:
        return 0.0
    blocks = values[: count * SLOW_BINS].reshape(count, SLOW_BINS)
    by_noise = float(np.var(np.diff(blocks, axis=1))) / 2.0 / SLOW_BINS
    return float(np.sqrt(max(np.var(blocks.mean(axis=1)) - by_noise, 0.0)) / np.mean(values))


def _median5(values: FloatArray) -> FloatArray:
    """Running median of five (n,) values, (n,): blind to a glitch, and edges stay where they are."""
    padded = np.concatenate([values[:1], values[:1], values, values[-1:], values[-1:]])
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 5), axis=1))


def _calm(power: FloatArray) -> BoolArray:
    """Bins whose power differs by ≤ 3 % from both neighbours: on a plateau, not on a tooth or an edge."""
    steps = np.abs(np.diff(power, prepend=power[:1], append=power[-1:]))
    return np.fmax(steps[:-1], steps[1:]) <= POWER_SHARE * np.abs(power)


def classify(s: Signals, levels: Levels) -> FloatArray:
    """Evidence (n, causes): 1 where a bin speaks for a cause, else 0; exactly one cause a bin."""
    bins = np.arange(len(s.power))
    burst_tolerance = np.fmax(POWER_SHARE * levels.burst_w, levels.power_tolerance_w)
    sustained_tolerance = np.fmax(POWER_SHARE * levels.sustained_w, levels.power_tolerance_w)
    at_burst = np.abs(s.power - levels.burst_w) <= burst_tolerance
    if levels.burst_w - levels.sustained_w < 2 * burst_tolerance:  # too close: only time tells them apart
        at_burst &= bins <= levels.burst_bins
    at_sustained = np.abs(s.power - levels.sustained_w) <= sustained_tolerance
    clock = _median5(s.clock)
    ceiling = clock >= levels.ceiling_mhz - np.fmax(CLOCK_SHARE * levels.ceiling_mhz, levels.clock_tolerance_mhz)
    plainly = clock >= (1.0 - CLOCK_SHARE) * levels.ceiling_mhz  # a ceiling lost in noise must not hide heat
    known = np.isfinite(levels.sustained_w) | np.isfinite(levels.burst_w)
    below = (_below_limits(s.power, levels, at_sustained) if known else True) & ~plainly
    hot = (s.temp >= levels.temp_limit_c - levels.temp_tolerance_k) & below
    hot |= s.heat_flag
    warm = below & (s.temp >= levels.temp_limit_c - WARM_STEPS * TEMP_K)
    hot |= warm & (_between(hot) | _since(hot, warm & ~(s.load < BUSY_LOAD)))
    # Power that wanders with the work is at no limit, whatever its level; power that stands still may be.
    wanders = s.capped.any() and _slow_spread(_known(s.power[s.capped & s.active])) > WANDERING_POWER
    capped = s.capped if wanders else s.capped & ~at_burst & ~at_sustained
    loose = ~at_burst & ~at_sustained & ~ceiling
    drawing = (s.gpu_load >= BUSY_GPU) & ~at_burst & ~at_sustained & (~ceiling | (s.load < BUSY_LOAD)) & s.active
    waiting = ~s.active & s.logged | ((s.load < BUSY_LOAD) & loose)
    ordered = {
        Cause.HEAT: hot & s.active,
        Cause.FRAME_CAP: capped & s.active,
        Cause.WAITING: waiting & ~drawing,
        Cause.BURST_POWER: at_burst & ~ceiling | s.power_flag & (bins < levels.burst_bins),
        Cause.CLOCK_CEILING: ceiling & ~drawing,
        Cause.SUSTAINED_POWER: at_sustained | s.power_flag,
        Cause.GRAPHICS_BOUND: drawing,
    }
    evidence = np.zeros((len(bins), len(CAUSES)))
    free = np.ones(len(bins), dtype=bool)
    for cause, mask in ordered.items():
        evidence[free & mask, CAUSES.index(cause)] = 1.0
        free &= ~mask
    evidence[free, CAUSES.index(Cause.UNKNOWN)] = 1.0
    return evidence


def _below_limits(power: FloatArray, levels: Levels, at_sustained: BoolArray) -> BoolArray:
    """Bins whose power no limiter explains: during the burst below its level; afterwards below the steady level, or
    between both, where heat ended the burst before the limiter did."""
    during = np.arange(len(power)) < levels.burst_bins
    under_burst = power < (1.0 - POWER_SHARE) * levels.burst_w
    if not np.isfinite(levels.sustained_w):
        return np.asarray(under_burst)
    under = power < (1.0 - POWER_SHARE) * levels.sustained_w
    return np.where(during, under_burst, under | (under_burst & ~at_sustained))


def smooth(evidence: FloatArray) -> list[Cause]:
    """The sequence of causes (n,) with the most evidence where each switch costs `SWITCH_COST`.

    Bins of one cause that follow each other are one step: a switch inside them never pays.
    """
    own = np.argmax(evidence, axis=1)
    bounds = [0, *(np.flatnonzero(own[1:] != own[:-1]) + 1).tolist(), len(own)]
    states = range(len(CAUSES))
    score = [0.0] * len(CAUSES)
    came_from: list[list[int]] = []
    for number, (a, b) in enumerate(pairwise(bounds)):
        best = max(states, key=score.__getitem__)
        switch = score[best] - (SWITCH_COST if number else 0.0)
        came_from.append([k if score[k] >= switch else best for k in states])
        score = [max(score[k], switch) for k in states]
        score[int(own[a])] += b - a
    state = max(states, key=score.__getitem__)
    path: list[Cause] = []
    for back, (a, b) in zip(reversed(came_from), reversed(list(pairwise(bounds))), strict=True):
        path += [CAUSES[state]] * (b - a)
        state = back[state]
    return path[::-1]


def segments(causes: list[Cause], starts: FloatArray, step_s: float, levels: Levels, s: Signals) -> list[Segment]:
    """Stretches of one cause with their evidence; `starts` (n,) are the bins' starts, s."""
    names = np.array(causes)
    breaks = [0, *(np.flatnonzero(names[1:] != names[:-1]) + 1).tolist(), len(names)]
    words = _evidence_words(levels)
    return [
        Segment(float(starts[a]), float(starts[b - 1] + step_s), causes[a], words[causes[a]] + _means_words(s, a, b))
        for a, b in pairwise(breaks)
    ]


def shares(found: list[Segment]) -> Mapping[Cause, float]:
    """Share of the load time by cause, those that occur, largest first."""
    total = sum(s.length_s for s in found)
    sums: dict[Cause, float] = {}
    for s in found:
        sums[s.cause] = sums.get(s.cause, 0.0) + s.length_s / total
    return dict(sorted(sums.items(), key=lambda item: -item[1]))


def _evidence_words(levels: Levels) -> Mapping[Cause, str]:
    def source(given: bool) -> str:
        return "given" if given else "read off this run"

    told = {"temp_source": source(levels.temp_given), "ceiling_source": source(levels.ceiling_given), **vars(levels)}
    return {cause: cause.evidence.format_map(told) for cause in Cause}


def _means_words(s: Signals, a: int, b: int) -> str:
    """What the bins from a to b showed, as far as it was logged."""
    shown = []
    for values, form in (
        (s.power, "{:.1f} W"),
        (s.clock, "{:.0f} MHz"),
        (s.temp, "{:.1f} °C"),
        (s.load, "load {:.0f} %"),
    ):
        known = _known(values[a:b])
        if len(known):
            shown.append(form.format(float(known.mean())))
    return f"; on average {', '.join(shown)}" if shown else ""


def _between(hot: BoolArray) -> BoolArray:
    """Bins with heat both before and after within the longest saw-tooth period."""
    index = np.arange(len(hot), dtype=float)
    before = np.maximum.accumulate(np.where(hot, index, -np.inf))
    after = np.minimum.accumulate(np.where(hot, index, np.inf)[::-1])[::-1]
    return after - before <= TOOTH_S


def _since(hot: BoolArray, warm: BoolArray) -> BoolArray:
    """Bins of a warm stretch from its first heat on: firmware that cut the power and waits for the machine to cool."""
    found = np.zeros(len(hot), dtype=bool)
    for a, b in runs_of(warm | hot):
        inside = np.flatnonzero(hot[a:b])
        if len(inside):
            found[a + int(inside[0]) : b] = True
    return found


def _last_tooth(hot: BoolArray) -> BoolArray:
    """Bins after the last heat of a saw-tooth, for as long as one tooth took before: they recover still."""
    places = np.flatnonzero(hot)
    apart = np.diff(places)
    apart = apart[(apart > 1) & (apart <= TOOTH_S)]
    found = np.zeros(len(hot), dtype=bool)
    if len(apart) > 1:
        found[places[-1] : places[-1] + 1 + int(TOOTH_LONGER * apart.max())] = True
    return found


def _known(values: FloatArray) -> FloatArray:
    return values[np.isfinite(values)]
