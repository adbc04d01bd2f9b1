"""The highest clock of a run, with a score in nats for its being one that cannot be exceeded: it stands while power
moves."""

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.collapse import runs_of
from pinch.core.runlog import BoolArray
from pinch.core.signals import LEAST_BINS, Signals, clip, densest, known, median_of_three, wander

CLOCK_SHARE = 0.006
"""A clock within so much of another is the same."""
SLACK = 1.6
"""A clock is at its ceiling within so many bands of it, for single seconds stray further than the level."""
NEXT_STEP = 0.65
"""A clock between two steps of its sensor shows now the one, now the other: both are within SLACK bands."""
POWER_MOVES = 0.004
ABOVE_CEILING = 0.02
"""A clock that was higher than this for a while has not been at its ceiling below it."""


class Ceiling(Struct, frozen=True):
    """The highest clock: MHz, the bins at it (n,), its score, and whether it was given."""

    mhz: float
    at: BoolArray
    score: float
    given: bool


def find_ceiling(s: Signals) -> Ceiling | None:
    """The highest clock of the run, where it seems to be one that cannot be exceeded."""
    clock = median_of_three(np.where(s.busy, s.clock, np.nan))
    have = np.isfinite(clock)
    if have.sum() < LEAST_BINS:
        return None
    noise, step = robust.quiet_noise_sd(known(s.clock)), robust.step_of(known(clock))
    top = s.ceiling_mhz if s.ceiling_mhz is not None else float(np.percentile(clock[have], 96.0))
    band = max(CLOCK_SHARE * top, 1.5 * noise, NEXT_STEP * step)
    mhz = top if s.ceiling_mhz is not None else densest(clock[have & (clock >= top - 2.0 * band)], band / top)
    at = s.busy & (clock >= mhz - SLACK * band)
    seconds = int(at.sum())
    if seconds < LEAST_BINS:
        return None
    spread, doubt = wander(clock[at])
    power_spread, power_doubt = wander(s.power[at]) if np.isfinite(s.power[at]).sum() >= LEAST_BINS else (0.0, 1.0)
    still = clip((0.002 - spread) / 0.002, -1.0, 1.0) * 1.5 / (1.0 + (doubt / 0.003) ** 2)
    wanders = 0.0
    if power_doubt < 0.01:
        a, b = float(np.hypot(power_spread, 0.0012)), float(np.hypot(spread, 0.0005))
        wanders = 1.3 * clip(np.log(a / b) - 0.4, -1.6, 1.8) / (1.0 + (max(doubt, power_doubt) / 0.004) ** 2)
    if power_doubt < 0.01:  # where power stands as well, a clock that stands tells nothing
        still *= clip(power_spread / POWER_MOVES, 0.3, 1.0) if still > 0.0 else 1.0
    length = clip(np.log(seconds / 20.0), -1.0, 1.0)
    if power_doubt < 0.01:  # a clock that is nearly always at its highest is held by it, unless power is what stands
        share = seconds / max(int((s.busy & s.has_work).sum()), 1)
        length += 1.5 * clip((share - 0.5) / 0.3, 0.0, 1.0) * clip((power_spread - 0.003) / 0.003, 0.0, 1.0)
    prior = 2.5 if s.ceiling_mhz is not None else -0.2
    fine = 1.0 / (1.0 + (step / (0.006 * mhz)) ** 2)
    above = s.busy & (clock > mhz + max(2.0 * band, ABOVE_CEILING * mhz))
    passed = -4.0 if s.ceiling_mhz is None and max((b - a for a, b in runs_of(above)), default=0) >= 3 else 0.0
    return Ceiling(mhz, at, prior + length + fine * (still + wanders) + passed, s.ceiling_mhz is not None)
