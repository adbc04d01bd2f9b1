"""What held the machine back at each second: cut, then explain, with a probability.

The load is cut into stretches where power, clock or rate change. What is regulated (`core.levels`, `core.ridges`,
`core.teeth`, `core.top_clock`) says in each of them how much speaks for every cause; what the machine itself says
counts for more. A hidden semi-Markov model (`core.decoding`) finds the likeliest sequence of causes, and how likely
each is in each stretch.
"""

from bisect import bisect, insort
from collections.abc import Mapping
from itertools import pairwise

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core import robust
from pinch.core.cause_evidence import CAUSES, evidence_of
from pinch.core.causes import Cause
from pinch.core.cuts import SHORTEST, cuts_of
from pinch.core.decoding import Decoded, decode
from pinch.core.figures import ARGUABLE, Segment
from pinch.core.regulated import Regulated, find_regulated
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import Signals, filled, known
from pinch.language import marked, tr

INSIDE = {"power": 0.006, "clock": 0.008, "rate": 0.02}
"""What work itself varies by inside a stretch, as a share."""
LEAST_SHOWN = 0.001
SWITCH, SWITCH_AT_CUT = 3.0, 1.2
"""What a change of cause costs, nats: less where something else changes as well."""
STAY_S = 20.0
FULL_S = 4.0
"""A stretch of so many seconds says half of what a long one does."""
SHARPNESS = 1.25
"""What evidence is multiplied by, so that of seconds given 90 %, nine in ten are right; see bench/accuracy.py."""
LEAST_HEAT = 0.02
"""Share of the load below which a temperature limit that was only read off this run held nothing back."""


class Explained(Struct, frozen=True):
    """What held each bin of the load, with its probability (n,) and the runner-up with its own."""

    regulated: Regulated
    causes: tuple[Cause, ...]
    p: FloatArray
    second: tuple[Cause, ...]
    second_p: FloatArray


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
    return _told(found, decoded, bounds)


def _told(found: Regulated, decoded: Decoded, bounds: np.ndarray) -> Explained:
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
    )


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
    changes = set((np.flatnonzero(np.diff(likeliest)) + 1).tolist())
    forced = set((np.flatnonzero(np.diff(s.busy.astype(int))) + 1).tolist())
    bounds = np.array(_apart(sorted({0, n} | cuts | changes | forced), forced, cuts))
    fixed = np.array(sorted(cuts | forced))
    return bounds, np.abs(bounds[:, None] - fixed).min(axis=1) <= SHORTEST


def _apart(bounds: list[int], forced: set[int], cuts: set[int]) -> list[int]:
    """Bounds of which none is nearer than three bins to the one before; those forced stay first, then cuts."""
    end = bounds[-1]
    kept: list[int] = [0]
    for wanted in (forced, cuts, set(bounds)):
        for bound in sorted(wanted):
            if 0 < bound < end and all(abs(bound - other) >= SHORTEST for other in (*_around(kept, bound), end)):
                insort(kept, bound)
    return [*kept, end]


def _around(ordered: list[int], value: int) -> list[int]:
    """The neighbours of a value in an ordered list."""
    place = bisect(ordered, value)
    return ordered[max(0, place - 1) : place + 1]


class Levels(Struct, frozen=True):
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

    def limit_of(self, channel: str | None) -> float:
        """The limit of a temperature, °C; NaN where it is another's, or not known."""
        return self.temp_limit_c if self.temp_channel == channel else float("nan")


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
        return tr("the machine said so")
    mean = float(np.nanmean(s.power[a:b])) if np.isfinite(s.power[a:b]).any() else float("nan")
    level = min(r.levels, key=lambda lv: abs(lv.watts - mean), default=None)
    nan = float("nan")

    def source(given: bool) -> str:
        return tr("given") if given else tr("read off this run")

    return tr(
        cause.evidence,
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
        (s.power, marked("{mean:.1f} W")),
        (s.clock, marked("{mean:.0f} MHz")),
        (temp, marked("{mean:.1f} °C")),
        (s.load, marked("load {mean:.0f} %")),
    ):
        part = known(values[a:b])
        if len(part):
            shown.append(tr(form, mean=float(part.mean())))
    return tr("; on average {shown}", shown=", ".join(shown)) if shown else ""


def with_lag(s: Signals, bins: int) -> Signals:
    """The signals with a power that comes so many bins late moved to where it belongs."""
    if bins <= 0:
        return s
    moved = np.concatenate([s.power[bins:], np.full(bins, np.nan)])
    moved[-bins:] = s.power[-1]
    return replace(s, power=moved)
