"""What held the machine back at each second: cut, then explain, with a probability.

The load is cut into stretches where power, clock or rate change. What is regulated (`core.levels`, `core.ridges`,
`core.teeth`, `core.top_clock`) says in each of them how much speaks for every cause; what the machine itself says
counts for more. A hidden semi-Markov model (`core.decoding`) finds the likeliest sequence of causes, and how likely
each is in each stretch.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy.ndimage import median_filter

from pinch.core import phases, robust
from pinch.core.causes import Cause
from pinch.core.collapse import runs_of
from pinch.core.cuts import SHORTEST, cuts_of
from pinch.core.decoding import Decoded, decode
from pinch.core.figures import ARGUABLE, Segment
from pinch.core.levels import MOVES_K, Level, find_levels
from pinch.core.ridges import Ridge, find_ridges
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import BUSY_GPU, Signals, clip, filled, known, median_of_three
from pinch.core.teeth import Teeth, find_teeth
from pinch.core.top_clock import Ceiling, find_ceiling

CAUSES = tuple(Cause)
LONGEST_BURST_S = 180
"""A first level that lasts longer is no burst: what comes after it has fallen. Common practice, no source."""
BURST_ABOVE = 0.03
LEAST_BURST = -0.5
"""Nats: a first level for which less speaks is one that the work made."""
INSIDE = {"power": 0.006, "clock": 0.008, "rate": 0.02}
"""What work itself varies by inside a stretch, as a share."""
LEAST_SHOWN = 0.001
LESS_WORK = 4.5
"""Nats of a processor that has less to do than before in the run."""
UNCUT = 0.95
"""A level below this share of what power is cut from at a temperature is that of the cuts."""
BURST_USUAL_S = 50.0
"""A first level that lasts so long when the log ends is as often a burst as the limit that holds. Common practice, no
source."""
CAME_DOWN = 2.0
"""Nats: a first level from which power comes down for good is hardly anything but a burst."""
SURE, PLAIN = 9.0, 6.0
"""Nats of what was not logged or not at work, and of what the machine says of itself."""
NEVER = -6.0
SWITCH, SWITCH_AT_CUT = 3.0, 1.2
"""What a change of cause costs, nats: less where something else changes as well."""
STAY_S = 20.0
FULL_S = 4.0
"""A stretch of so many seconds says half of what a long one does."""
SHARPNESS = 1.25
"""What evidence is multiplied by, so that of seconds given 90 %, nine in ten are right; see bench/accuracy.py."""
LEAST_HEAT = 0.02
"""Share of the load below which a temperature limit that was only read off this run held nothing back."""
LONGEST_BRIEF = 40
"""In bins: what is uneven for longer is no burst."""
SHORTEST_PASS = 20
"""In bins: a shorter pass shows no burst of its own."""
FALLS_WITH_CHARGE = 0.9
LEAST_CHARGE = 2.0


@dataclass(frozen=True)
class Regulated:
    """What a run was found to be regulated by: all levels of power, which of them is the burst and when it ended (bins,
    0 without one), the temperature that is held, teeth, and the highest clock."""

    levels: tuple[Level, ...]
    burst: Level | None
    burst_bins: int
    ridges: tuple[Ridge, ...]
    teeth: Teeth
    ceiling: Ceiling | None

    @property
    def heat(self) -> Ridge | None:
        """The chip's temperature that is likeliest held; the one that was given where none plainly is."""
        chips = [r for r in self.ridges if not r.is_skin]
        return max(chips, key=lambda r: r.score if r.score > 0.0 else r.given - 1.0, default=None)

    @property
    def skin(self) -> Ridge | None:
        """The surface that is likeliest held."""
        return max((r for r in self.ridges if r.is_skin), key=lambda r: r.score, default=None)


@dataclass(frozen=True)
class Explained:
    """What held each bin of the load, with its probability (n,) and the runner-up with its own."""

    regulated: Regulated
    causes: tuple[Cause, ...]
    p: FloatArray
    second: tuple[Cause, ...]
    second_p: FloatArray
    evidence: FloatArray


def explain(s: Signals) -> Explained:
    """What held each second of a load."""
    found = find_regulated(s)
    evidence = evidence_of(s, found)
    bounds, is_cut = stretches_of(s, evidence)
    lengths = np.diff(bounds).astype(float)
    sums = np.concatenate([np.zeros((1, len(CAUSES))), np.cumsum(evidence, axis=0)])
    means = (sums[bounds[1:]] - sums[bounds[:-1]]) / lengths[:, None]
    says = SHARPNESS * means * (lengths / (lengths + FULL_S))[:, None]
    change = np.where(is_cut[1:-1], SWITCH_AT_CUT, SWITCH)
    decoded = decode(says, lengths, change, lambda seconds: -np.log1p(STAY_S / seconds))
    return _told(found, decoded, bounds, evidence)


def _told(found: Regulated, decoded: Decoded, bounds: np.ndarray, evidence: FloatArray) -> Explained:
    lengths = np.diff(bounds)
    own = np.array(decoded.path)
    chance = decoded.chance
    others = chance.copy()
    others[np.arange(len(own)), own] = -1.0
    second = np.argmax(others, axis=1)
    rows = np.arange(len(own))
    return Explained(
        found,
        tuple(CAUSES[i] for i in np.repeat(own, lengths)),
        np.repeat(chance[rows, own], lengths),
        tuple(CAUSES[i] for i in np.repeat(second, lengths)),
        np.repeat(chance[rows, second], lengths),
        evidence,
    )


def find_regulated(s: Signals) -> Regulated:
    """All that seems regulated in a run."""
    teeth = find_teeth(s)
    levels = find_levels(s, teeth)
    burst, bins = _burst(s, levels)
    brief = _brief_burst(s)
    if brief is not None and (burst is None or brief.last <= burst.first + SHORTEST):
        burst, bins = brief, brief.last
        levels = [*levels, brief]
    ceiling = find_ceiling(s)
    return Regulated(tuple(levels), burst, bins, tuple(find_ridges(s, levels, teeth, ceiling)), teeth, ceiling)


def _burst(s: Signals, levels: list[Level]) -> tuple[Level | None, int]:
    """The level that power kept at first, where it came down from it and stayed down; and the bins until it did."""
    power = median_of_three(np.where(s.busy, s.power, np.nan))
    have = np.flatnonzero(np.isfinite(power))
    if len(have) < 2 * SHORTEST:
        return None, 0
    late = power[have[len(have) - max(SHORTEST, len(have) // 3) :]]
    for level in sorted(levels, key=lambda lv: lv.first):
        at = np.flatnonzero(level.at)
        if not len(at) or at[0] > have[0] + 2 * SHORTEST or level.score < LEAST_BURST:
            continue
        away = np.flatnonzero(~level.at[at[0] :] & s.logged[at[0] :])
        runs = [
            a for a, b in runs_of(~level.at[at[0] :] & s.busy[at[0] :]) if b - a >= SHORTEST or b == len(power) - at[0]
        ]
        end = int(at[0] + (runs[0] if runs else (away[0] if len(away) else len(power))))
        rest = known(power[end:])
        lower = len(rest) >= SHORTEST and np.median(rest) < (1.0 - BURST_ABOVE) * level.watts
        if (
            lower
            and _comes_down(power, end, level)
            and np.median(late) < (1.0 - BURST_ABOVE) * level.watts
            and end - at[0] <= LONGEST_BURST_S
        ):
            return level, end
    return None, 0


def _end_of(level: Level, s: Signals, first: int) -> int:
    """The bin from `first` on in which power has left a level for good, or for a few seconds at least."""
    n = len(level.at)
    left = [a for a, b in runs_of(~level.at[first:] & s.busy[first:]) if b - a >= SHORTEST or b == n - first]
    away = np.flatnonzero(~level.at[first:] & s.logged[first:])
    return first + int(left[0] if left else (away[0] if len(away) else n - first))


def _comes_down(power: FloatArray, end: int, level: Level) -> bool:
    """Whether power leaves a level downwards at once and does not come back to it soon."""
    after = known(power[end + 2 : end + 2 + 4 * SHORTEST])
    before = known(power[max(0, end - 2 * SHORTEST) : max(end - 1, 1)])
    if len(after) < SHORTEST or not len(before):
        return True
    fell = float(np.median(after[:SHORTEST]) / np.median(before)) < 1.0 - 0.8 * BURST_ABOVE
    return fell and bool(np.median(after) < (1.0 - 0.8 * BURST_ABOVE) * level.watts)


def _brief_burst(s: Signals) -> Level | None:
    """A burst too brief or too uneven to be a level: the first plateau by its change point."""
    waits = [a for a, b in runs_of(~s.active & np.isfinite(s.power)) if b - a >= SHORTEST and a >= SHORTEST_PASS]
    bins = phases.find_burst(s.power[: waits[0] if waits else None])
    if bins is None or bins > LONGEST_BRIEF or bins < 2:
        return None
    plateau = known(s.power[1:bins] if bins > SHORTEST else s.power[:bins])
    at = (np.arange(len(s.power)) < bins) & s.busy
    if not len(plateau) or not at.any():
        return None
    spread = float(np.ptp(np.percentile(plateau, [20, 80])) / np.median(plateau))
    level = Level(float(np.median(plateau)), at, 0, bins, 1.5 - 60.0 * max(spread - 0.01, 0.0), spread, 0.0)
    return level if _comes_down(median_of_three(s.power), bins, level) else None


# Evidence


def evidence_of(s: Signals, r: Regulated) -> FloatArray:
    """What each bin says for each cause, (n, causes) nats; 0 is what says nothing."""
    n = len(s.power)
    says = {cause: np.full(n, NEVER) for cause in CAUSES}
    power = median_of_three(s.power)
    at_limit = np.full(n, NEVER)
    for level in r.levels:
        weight = _closeness(power, level) + np.where(np.arange(n) >= level.first - SHORTEST, 0.0, -3.0)
        if level is r.burst:
            weight = weight + np.where(_may_burst(s, power, level, r.burst_bins), CAME_DOWN, NEVER) + _tops_out(r)
            says[Cause.BURST_POWER] = np.maximum(says[Cause.BURST_POWER], level.score + weight)
        else:
            at_limit = np.maximum(at_limit, level.score + weight)
    if r.ceiling is not None and r.ceiling.score > 1.0:
        at_limit = np.where(r.ceiling.at, at_limit - 0.7 * r.ceiling.score, at_limit)
    says[Cause.SUSTAINED_POWER] = np.maximum(at_limit, NEVER)
    if r.burst is None and n < LONGEST_BURST_S:
        says[Cause.BURST_POWER] = _burst_without_end(s, r, power)
    limited = np.fmax(at_limit, says[Cause.BURST_POWER])
    says[Cause.SUPPLY] = _supply(s, limited)
    sinks = np.where(says[Cause.SUPPLY] > 4.0, 3.0, 0.0)
    plainly = np.full(n, NEVER)
    for level in r.levels:
        if level.moved_k > MOVES_K and not level.watts < UNCUT * r.teeth.from_w:
            plainly = np.maximum(plainly, level.score + _closeness(power, level))
    for ridge in r.ridges:
        cause = Cause.SKIN if ridge.is_skin else Cause.HEAT
        below = np.where(plainly > 2.0, -0.8 * np.clip(plainly, 0.0, 4.0), 0.8) - (0.0 if ridge.given else sinks)
        if r.ceiling is not None and r.ceiling.score > 1.5:
            below = below - np.where(r.ceiling.at, 3.0, 0.0)
        says[cause] = np.maximum(says[cause], np.where(ridge.near, ridge.score + below, NEVER))
    says[Cause.HEAT] = np.where(r.teeth.bins, np.where(plainly > 2.0, 0.0, PLAIN), says[Cause.HEAT])
    if r.ceiling is not None and s.part != "gpu":
        says[Cause.CLOCK_CEILING] = np.where(r.ceiling.at, r.ceiling.score, NEVER)
    _work(s, r, says)
    says[Cause.UNKNOWN] = np.full(n, 0.3)
    _flagged(s, says)
    idle = ~s.active & s.logged
    stacked = np.stack([says[c] for c in CAUSES], axis=1)
    stacked[idle] = NEVER
    stacked[idle, CAUSES.index(Cause.WAITING)] = SURE
    stacked[~s.logged] = NEVER
    stacked[~s.logged, CAUSES.index(Cause.UNKNOWN)] = SURE
    return stacked


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
    if r.ceiling is None or r.ceiling.score < 2.0 or (r.burst is not None and r.burst.score > r.ceiling.score):
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
    says[Cause.FRAME_CAP] = np.where(s.capped, 4.0, NEVER)
    if s.part == "gpu":
        at_top = r.ceiling.at if r.ceiling is not None else np.zeros(len(busy_gpu), dtype=bool)
        told = np.isfinite(s.clock)
        says[Cause.GRAPHICS_BOUND] = np.where(busy_gpu, 1.2 + np.where(told, np.where(at_top, 1.5, -0.8), 0.6), NEVER)
        says[Cause.WAITING] = np.where(~s.has_work & ~s.capped, 3.0, NEVER)
    else:
        says[Cause.WAITING] = np.where(~s.has_work, LESS_WORK if s.was_full else 1.0, NEVER)


def _supply(s: Signals, limited: FloatArray) -> FloatArray:
    """What speaks for the supply, (n,) nats: power that sinks with the charge of the battery."""
    n = len(s.power)
    nothing = np.full(n, NEVER)
    both = s.busy & s.has_work & np.isfinite(s.charge) & np.isfinite(s.power) & (limited < 4.0)
    if both.sum() < 60:
        return nothing
    charge, power = s.charge[both], median_of_three(s.power[both])
    if np.ptp(charge) < LEAST_CHARGE or charge[-1] >= charge[0]:
        return nothing
    together = float(np.corrcoef(charge, power)[0, 1])
    fell = 1.0 - float(np.median(power[-10:]) / np.median(power[:10]))
    if together < FALLS_WITH_CHARGE or fell < 0.03:
        return nothing
    return np.where(both, 7.0 * clip((together - 0.85) / 0.12, 0.0, 1.0), NEVER)


# Stretches


def stretches_of(s: Signals, evidence: FloatArray) -> tuple[np.ndarray, BoolArray]:
    """Bounds (m + 1,) of the stretches, and which of them are cuts of what was measured and not only of evidence."""
    n = len(s.power)
    rows, noise = [], []
    for name, values in (("power", s.power), ("clock", s.clock), ("rate", s.rate)):
        have = np.isfinite(values) & (values > 0.0) & s.busy
        if have.sum() >= 2 * SHORTEST:
            logs = np.log(np.where(have, values, np.nan))
            rows.append(filled(logs))
            noise.append(float(np.hypot(robust.quiet_noise_sd(known(logs)), INSIDE[name])))
    cuts = set(cuts_of(np.array(rows), np.array(noise))) if rows else {0, n}
    likeliest = np.argmax(evidence, axis=1)
    if n >= 5:
        likeliest = np.asarray(median_filter(likeliest, size=1))
    changes = set((np.flatnonzero(np.diff(likeliest)) + 1).tolist())
    forced = set((np.flatnonzero(np.diff(s.busy.astype(int))) + 1).tolist())
    bounds = _apart(sorted({0, n} | cuts | changes | forced), forced, cuts)
    near = np.array([any(abs(b - c) <= SHORTEST for c in cuts | forced) for b in bounds])
    return np.array(bounds), near


def _apart(bounds: list[int], forced: set[int], cuts: set[int]) -> list[int]:
    """Bounds of which none is nearer than three bins to the one before; those forced stay first, then cuts."""
    end = bounds[-1]
    kept: list[int] = [0]
    for wanted in (forced, cuts, set(bounds)):
        for bound in sorted(wanted):
            if 0 < bound < end and all(abs(bound - other) >= SHORTEST for other in (*_around(kept, bound), end)):
                kept = sorted({*kept, bound})
    return [*kept, end]


def _around(ordered: list[int], value: int) -> list[int]:
    """The neighbours of a value in an ordered list."""
    from bisect import bisect

    place = bisect(ordered, value)
    return ordered[max(0, place - 1) : place + 1]


@dataclass(frozen=True)
class Levels:
    """The values that a run is told by; NaN where one neither was given nor shows. `*_given` tells a value of the
    operator from a recovered one."""

    burst_w: float
    burst_bins: int
    temp_limit_c: float
    temp_given: bool
    temp_channel: str
    temp_tolerance_k: float
    ceiling_mhz: float
    ceiling_given: bool


def levels_of(e: Explained) -> Levels:
    """The values of a run; a temperature limit that was only read off it and held nothing back is none that was
    seen, and so is a clock ceiling."""
    r, nan = e.regulated, float("nan")
    heat, held = r.heat, e.causes.count(Cause.HEAT) >= LEAST_HEAT * len(e.causes)
    is_seen = heat is not None and (heat.given or held)
    topped = r.ceiling is not None and (r.ceiling.given or Cause.CLOCK_CEILING in e.causes)
    return Levels(
        r.burst.watts if r.burst else nan,
        r.burst_bins,
        heat.limit_c if heat is not None and is_seen else nan,
        heat is not None and heat.given,
        heat.channel if heat is not None and is_seen else "",
        heat.tolerance if heat is not None else nan,
        r.ceiling.mhz if r.ceiling is not None and topped else nan,
        r.ceiling is not None and r.ceiling.given,
    )


def segments(e: Explained, s: Signals, starts: FloatArray, step_s: float) -> list[Segment]:
    """Stretches of one cause, told apart where they become arguable; `starts` (n,) are the bins' starts, s."""
    arguable = e.p < ARGUABLE
    keys = [(c, bool(a), d if a else c) for c, a, d in zip(e.causes, arguable, e.second, strict=True)]
    breaks = [0, *(i for i in range(1, len(keys)) if keys[i] != keys[i - 1]), len(keys)]
    found = []
    for a, b in pairwise(breaks):
        second, second_p = _runner_up(e, a, b)
        found.append(
            Segment(
                float(starts[a]),
                float(starts[b - 1] + step_s),
                e.causes[a],
                _evidence_words(e, s, a, b) + _means_words(s, a, b),
                float(np.mean(e.p[a:b])),
                _part_of(e, s, e.causes[a]),
                second,
                second_p,
            )
        )
    return found


def _part_of(e: Explained, s: Signals, cause: Cause) -> str:
    """Which part is held: by heat the one whose temperature is, else the one that governs the work."""
    heat = e.regulated.heat
    return heat.channel.partition(".")[0] if cause is Cause.HEAT and heat is not None else s.part


def _evidence_words(e: Explained, s: Signals, a: int, b: int) -> str:
    """What speaks for the cause of the bins from a to b."""
    r, cause = e.regulated, e.causes[a]
    if (flagged := s.flags.get(cause)) is not None and flagged[a:b].mean() > 0.5:
        return "the machine said so"
    mean = float(np.nanmean(s.power[a:b])) if np.isfinite(s.power[a:b]).any() else float("nan")
    level = min(r.levels, key=lambda lv: abs(lv.watts - mean), default=None)
    nan = float("nan")

    def source(given: bool) -> str:
        return "given" if given else "read off this run"

    return cause.evidence.format(
        level_w=level.watts if level else mean,
        level_spread=max(level.spread, LEAST_SHOWN) if level else nan,
        moved_k=max(level.moved_k, 0.0) if level else nan,
        temp_limit_c=r.heat.limit_c if r.heat else nan,
        temp_tolerance_k=r.heat.tolerance if r.heat else nan,
        temp_source=source(r.heat is not None and r.heat.given),
        gave=r.heat.gave if r.heat else nan,
        skin_limit_c=r.skin.limit_c if r.skin else nan,
        skin_gave=r.skin.gave if r.skin else nan,
        ceiling_mhz=r.ceiling.mhz if r.ceiling else nan,
        ceiling_source=source(r.ceiling is not None and r.ceiling.given),
    )


def _runner_up(e: Explained, a: int, b: int) -> tuple[Cause, float]:
    """The cause that is second likeliest from bin a to b, with its mean probability."""
    sums: dict[Cause, float] = {}
    for cause, p in zip(e.second[a:b], e.second_p[a:b].tolist(), strict=True):
        sums[cause] = sums.get(cause, 0.0) + p / (b - a)
    best = max(sums, key=lambda c: sums[c])
    return best, sums[best]


def shares(found: list[Segment]) -> Mapping[Cause, float]:
    """Share of the load time by cause, those that occur, largest first."""
    total = sum(s.length_s for s in found)
    sums: dict[Cause, float] = {}
    for s in found:
        sums[s.cause] = sums.get(s.cause, 0.0) + s.length_s / total
    return dict(sorted(sums.items(), key=lambda item: -item[1]))


def _means_words(s: Signals, a: int, b: int) -> str:
    """What the bins from a to b showed, as far as it was logged."""
    shown = []
    temp = next(iter(s.temps.values()), np.empty(0))
    for values, form in (
        (s.power, "{:.1f} W"),
        (s.clock, "{:.0f} MHz"),
        (temp, "{:.1f} °C"),
        (s.load, "load {:.0f} %"),
    ):
        part = known(values[a:b])
        if len(part):
            shown.append(form.format(float(part.mean())))
    return f"; on average {', '.join(shown)}" if shown else ""


def with_lag(s: Signals, bins: int) -> Signals:
    """The signals with a power that comes so many bins late moved to where it belongs."""
    if bins <= 0:
        return s
    moved = np.concatenate([s.power[bins:], np.full(bins, np.nan)])
    moved[-bins:] = s.power[-1]
    return replace(s, power=moved)
