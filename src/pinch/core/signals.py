"""What a judgement of causes looks at: the loaded part of a run in bins of a second, and how true its sensors are."""

from collections.abc import Mapping
from functools import cached_property

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.causes import Cause
from pinch.core.nearby import running_median
from pinch.core.runlog import BoolArray, FloatArray

BUSY_LOAD = 90.0
SPLIT_GPU = 85.0
"""Graphics this busy govern the work: the rest of a frame is handing it over."""
HIDDEN_IN_STEP = 0.29
"""A value that never leaves one step may still wander by so much of it (1/√12)."""
FULL_SHARE = 0.2
LEAST_BINS = 6
"""What is held for fewer seconds is a moment, no level."""
USUAL_LIMIT_C = 64.0
"""Chips are rarely held below this. Common practice, no source."""
POWER_OF_CLOCK = 2.2
"""Power goes about with this power of the clock (two and a half with voltage, one without)."""
STILL_BLOCK = 5
"""Bins in a block: what blocks differ by is wandering, what single bins differ by may be noise."""


class Signals(Struct, frozen=True, dict=True):
    """The loaded part of a run in 1 s bins, each (n,); a channel that is missing is all NaN.

    `power` is that of the budget that rules; `clock` and `temps` are of the part that governs the work (`part`) and of
    the surface, by channel; `limits_c` are those that the operator gave. `gpu_load` is how busy graphics are, %;
    `capped` is true where the frame rate is at a cap; `flags` are what the machine itself says, by cause. `charge` is
    that of a battery, %. `logged` is false where nothing was recorded.
    """

    part: str
    power: FloatArray
    clock: FloatArray
    temps: Mapping[str, FloatArray]
    limits_c: Mapping[str, float]
    ceiling_mhz: float | None
    load: FloatArray
    gpu_load: FloatArray
    rate: FloatArray
    capped: BoolArray
    flags: Mapping[Cause, BoolArray]
    charge: FloatArray
    active: BoolArray
    logged: BoolArray

    @cached_property
    def busy(self) -> BoolArray:
        """Bins at work in which something was logged."""
        return self.active & self.logged

    @cached_property
    def payer(self) -> FloatArray:
        """What gives way: power, else clock, else the rate of work."""
        return next((x for x in (self.power, self.clock, self.rate) if np.isfinite(x).any()), self.power)

    @cached_property
    def has_work(self) -> BoolArray:
        """Bins in which the part that governs has all the work it can do; so is one of which nothing is told."""
        if self.part == "gpu":
            return ~(self.gpu_load < SPLIT_GPU)
        return ~(self.load < BUSY_LOAD)

    @cached_property
    def was_full(self) -> bool:
        """Whether the part that governs had all the work it can do for a good part of the run: then less of it later is
        the work's doing; else the work never asks for more than it gets."""
        return bool(np.mean(self.has_work[self.busy]) > FULL_SHARE) if self.busy.any() else False


def known(values: FloatArray) -> FloatArray:
    """The finite ones of (n,) values."""
    return values[np.isfinite(values)]


def median_of_three(values: FloatArray) -> FloatArray:
    """Running median of (n,) values, edges stay; a bin that is missing stays so."""
    if len(values) < 3:
        return values
    filled = np.where(np.isfinite(values), values, _before(values))
    return np.where(np.isfinite(values), running_median(filled, 1), np.nan)


def _before(values: FloatArray) -> FloatArray:
    """(n,) values, missing ones as the last one before them."""
    have = np.isfinite(values)
    if not have.any():
        return np.zeros(len(values))
    last = np.maximum.accumulate(np.where(have, np.arange(len(values)), 0))
    filled = values[last]
    return np.where(np.isfinite(filled), filled, values[int(np.argmax(have))])


def filled(values: FloatArray) -> FloatArray:
    """(n,) values without holes, for finding where they change and never for a figure."""
    return np.where(np.isfinite(values), values, _before(values))


def wander(values: FloatArray) -> tuple[float, float]:
    """How far (n,) values wander between blocks, less what their noise alone would give, and how well that is known;
    both as shares of their mean. A few blocks apart from all others, as at a step, are no wandering."""
    have = known(values)
    count = len(have) // STILL_BLOCK
    if count < 3:
        middle = float(np.median(have)) if len(have) else 1.0
        spread = float(np.ptp(have)) / 4.0 / abs(middle) if len(have) > 1 and middle else 0.0
        return spread, 0.01
    blocks = have[: count * STILL_BLOCK].reshape(count, STILL_BLOCK)
    mean = abs(float(blocks.mean())) or 1.0
    by_noise = float(np.var(np.diff(blocks, axis=1))) / 2.0 / STILL_BLOCK
    means = blocks.mean(axis=1)
    between = min(float(np.var(means, ddof=1)), 2.0 * robust.mad_sd(means) ** 2 + by_noise)
    doubt = np.hypot(np.sqrt(by_noise * np.sqrt(2.0 / count)), HIDDEN_IN_STEP * robust.step_of(have))
    return float(np.sqrt(max(between - by_noise, 0.0)) / mean), float(doubt / mean)


def clip(value: float, low: float, high: float) -> float:
    """A value within bounds."""
    return float(np.clip(value, low, high))


def densest(values: FloatArray, band: float) -> float:
    """The value around which most of (n,) values lie."""
    ordered = np.sort(values)
    upto = np.searchsorted(ordered, ordered * (1.0 + 2.0 * band), side="right")
    best = int(np.argmax(upto - np.arange(len(ordered))))
    return float(np.median(ordered[best : upto[best]]))


def gives_way(s: Signals) -> FloatArray:
    """What gives way to heat, (n,): the clock in the measure of power, which a change of work does not move; else power
    or whatever else pays."""
    if np.isfinite(s.clock).sum() < LEAST_BINS or not np.isfinite(s.power).any():
        return s.payer
    return np.asarray(s.clock**POWER_OF_CLOCK)
