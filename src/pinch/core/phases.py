"""The phases of a run: idle, load, burst.

Load starts at the first rise of power (else load, else clock) above idle by 5 robust standard deviations
and 15 % of the range, held for 3 s. A log that begins under load has no idle phase.
"""

from dataclasses import dataclass

import numpy as np

from pinch.core import changepoint, robust
from pinch.core.runlog import BoolArray, EvenLog, FloatArray

HELD_S = 3.0
BUSY_LOAD = 90.0
BURST_ABOVE = 0.04
"""A burst plateau is at least this share above the settled one."""


@dataclass(frozen=True)
class Load:
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
    values = _filled(log.columns[channel])
    smooth = _median3(values)
    low, high = float(smooth.min()), float(smooth.max())
    threshold = low + 0.15 * (high - low)
    everything = Load(0, len(values), channel, np.nan, np.isfinite(log.columns[channel]), 1.0)
    if high - low < 0.2 * abs(high) or smooth[0] > threshold:
        if high - low < 0.2 * abs(high):
            return everything
        first = 0
    else:
        first = _first_held(values > threshold, int(np.ceil(HELD_S / log.step_s)))
    idle = values[:first]
    if len(idle) >= 3:
        threshold = max(threshold, float(np.median(idle)) + 5.0 * robust.mad_sd(idle))
        first = _first_held(values > threshold, int(np.ceil(HELD_S / log.step_s)))
    above = values > threshold
    if "cpu.load" in log.columns:
        above |= log.columns["cpu.load"] >= BUSY_LOAD  # a fault may cut the power while the work goes on
    last = len(values) - int(np.argmax(above[::-1])) if above.any() else len(values)
    active = above & np.isfinite(log.columns[channel])
    active[:first] = False
    level = float(np.median(idle)) if len(idle) else np.nan
    return Load(first, last, channel, level, active, _onset(values, first, level))


def find_burst(power: FloatArray) -> int | None:
    """Bins from load start to the end of the first plateau of power (n,), or None without a burst.

    The plateau counts as a burst where it lies ≥ 4 % above the level of the last third.
    """
    power = _filled(power)
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


def _median3(values: FloatArray) -> FloatArray:
    if len(values) < 3:
        return values
    stacked = np.stack([values[:-2], values[1:-1], values[2:]])
    return np.concatenate([values[:1], np.median(stacked, axis=0), values[-1:]])


def _filled(values: FloatArray) -> FloatArray:
    """Empty bins take the value before them: only for finding phases, never for a figure."""
    have = np.isfinite(values)
    last = np.maximum.accumulate(np.where(have, np.arange(len(values)), 0))
    filled = values[last]
    return np.where(np.isfinite(filled), filled, values[int(np.argmax(have))])
