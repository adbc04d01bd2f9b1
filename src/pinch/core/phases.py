"""The phases of a run: idle, load, burst.

Load starts at the first rise of power (else load, else clock) above idle by 5 robust standard deviations
and 15 % of the range, held for 3 s. A log that begins under load has no idle phase.
"""

from itertools import pairwise

import numpy as np
from msgspec import Struct

from pinch.core import changepoint, robust
from pinch.core.collapse import runs_of
from pinch.core.runlog import BoolArray, EvenLog, FloatArray
from pinch.core.signals import BUSY_LOAD, filled, median_of_three

HELD_S = 3.0
BLIP_SHARE, BLIP_APART_S = 0.1, 10.0
"""A stretch of work below this share of the longest, and so far before the next, belongs to something else."""
OTHER_APART_S = 60.0
"""So does one of less than half of it that ended a minute before. Common practice, no source."""
BELOW_FIRST = 0.35
"""A log that begins high and never falls below this share of that is all load: what is lower is a limit, no rest."""
BURST_ABOVE = 0.04
"""A burst plateau is at least this share above the settled one."""


class Load(Struct, frozen=True):
    """The loaded part of a log in bins: first and last (exclusive), idle level of the deciding channel (NaN
    without an idle phase), the active bins, and `onset`, the loaded part of the first bin, 0 to 1."""

    first: int
    last: int
    channel: str
    idle: float
    active: BoolArray
    onset: float


def find_load(log: EvenLog, channel: str) -> Load:
    """The loaded part of a log by the rise of one channel."""
    values = filled(log.columns[channel])
    smooth = median_of_three(values)
    low, high = float(smooth.min()), float(smooth.max())
    threshold = low + 0.15 * (high - low)
    everything = Load(0, len(values), channel, np.nan, np.isfinite(log.columns[channel]), 1.0)
    if high - low < 0.2 * abs(high) or smooth[0] > threshold:
        tail = smooth[-max(1, len(smooth) // 5) :]
        stays = (
            "cpu.load" not in log.columns and float(np.median(tail)) > BELOW_FIRST * high and low > BELOW_FIRST * high
        )
        if high - low < 0.2 * abs(high) or stays:
            return everything
        first = 0
    else:
        first = _first_held(values > threshold, int(np.ceil(HELD_S / log.step_s)))
    idle = values[:first]
    if len(idle) >= int(np.ceil(HELD_S / log.step_s)):
        threshold = max(threshold, float(np.median(idle)) + 5.0 * robust.mad_sd(idle))
        first = _first_held(values > threshold, int(np.ceil(HELD_S / log.step_s)))
    above = values > threshold
    if "cpu.load" in log.columns:
        above |= log.columns["cpu.load"] >= BUSY_LOAD  # a fault may cut the power while the work goes on
    last = len(values) - int(np.argmax(above[::-1])) if above.any() else len(values)
    first = _after_blips(above, first, log.step_s)
    active = above & np.isfinite(log.columns[channel])
    active[:first] = False
    level = float(np.median(idle)) if len(idle) else np.nan
    return Load(first, last, channel, level, active, _onset(values, first, level))


def _after_blips(above: BoolArray, first: int, step_s: float) -> int:
    """Where the load begins when what is far shorter than the longest stretch, and apart from it, does not count."""
    runs = [(a, b) for a, b in runs_of(above) if b > first]
    longest = max((b - a for a, b in runs), default=0)
    for (a, b), (c, _) in pairwise(runs):
        brief = b - a < BLIP_SHARE * longest and c - b >= max(BLIP_APART_S / step_s, b - a)
        other = b - a < 0.5 * longest and c - b >= OTHER_APART_S / step_s
        if not (brief or other):
            break
        first = c
    return first


def find_burst(power: FloatArray) -> int | None:
    """Bins from load start to the end of the first plateau of power (n,), or None without a burst.

    The plateau counts as a burst where it lies ≥ 4 % above the level of the last third.
    """
    power = filled(power)
    settled = float(np.median(power[-max(1, len(power) // 3) :]))
    length = changepoint.first_level(power, BURST_ABOVE)
    skipped = 0
    if length is not None and length <= 5 and power[:length].mean() < power[length : length + 5].mean():
        skipped = length  # the rise itself, not yet a plateau
        length = changepoint.first_level(power[skipped:], BURST_ABOVE)
    if length is None:
        return None
    plateau = float(np.median(power[skipped : skipped + length]))
    return skipped + length if plateau >= (1.0 + BURST_ABOVE) * settled else None


def _onset(values: FloatArray, first: int, idle: float) -> float:
    """Loaded share of the first bin: how far its mean has come from idle to the next bin's level."""
    if not np.isfinite(idle) or first + 1 >= len(values) or values[first + 1] <= idle:
        return 1.0
    return float(np.clip((values[first] - idle) / (values[first + 1] - idle), 0.0, 1.0))


def _first_held(above: BoolArray, bins: int) -> int:
    """Index of the first of `bins` successive true entries, else of the first true one."""
    held = np.convolve(above.astype(int), np.ones(bins, dtype=int), mode="valid") == bins
    return int(np.argmax(held)) if held.any() else int(np.argmax(above))
