"""What sensors do to what is measured: how often they tell something new, in which steps, with which noise, how late,
and which of their values cannot be true. Every tolerance of a judgement comes from here."""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.channels import ChannelQuantity, quantity_of
from pinch.core.runlog import BoolArray, EvenLog, FloatArray, RunLog, Series, period_of

SPIKING = (ChannelQuantity.POWER, ChannelQuantity.CLOCK, ChannelQuantity.TEMP)
BEYOND, APART = 1.25, 0.5
"""A spike is so many times the highest usual value, and differs by so much from its neighbours, as a share of them."""
ALIKE = 0.2
"""What is before a spike and after it is alike; a short burst begins at rest and ends at work."""
JUMP_K = 15.0
"""No chip warms and cools by so much within two samples of half a second or more."""
SLOW_S = 0.4
"""Samples this far apart or further."""
WARM_C = 10.0
MOST_WRONG = 0.1
"""A channel of which more is wrong says something that is not understood: all of it is kept."""
NEIGHBOURS = 7
LATEST_BINS = 8
LARGE_STEP = 0.08
"""Steps of a clock by this share of its range tell how late power follows."""
PLAINLY_LATER = 1.15
"""A lag is believed where steps agree so many times better with it than without."""
SAME_SHARE = 0.25
"""Samples that repeat the one before, as a share, above which a sensor tells something new more seldom."""


class SensorModel(Struct, frozen=True):
    """A channel as its sensor shows it: `period_s` between two new values, `lag_s` behind the clock, `step` (0: finer
    than its noise) and `noise` (standard deviation of a bin) in its unit, `stale` the share of samples that repeat the
    one before, and how many values could not be true."""

    period_s: float
    lag_s: float
    step: float
    noise: float
    stale: float
    spikes: int


def cleaned(log: RunLog) -> tuple[RunLog, Mapping[str, int]]:
    """The log without values that cannot be true, and how many there were by channel."""
    kept, found = {}, {}
    for name, series in log.series.items():
        wrong = impossible(series)
        count = int(np.count_nonzero(wrong))
        if count:
            found[name] = count
            series = Series(name, series.t[~wrong], series.values[~wrong])
        kept[name] = series
    return (RunLog(kept, log.marks) if found else log), found


def impossible(series: Series) -> BoolArray:
    """Single values (n,) that cannot be true: zeros amid others, and lone spikes far above all usual ones."""
    values, quantity = series.values, quantity_of(series.channel)
    nothing = np.zeros(len(values), dtype=bool)
    if quantity not in SPIKING or len(values) < NEIGHBOURS:
        return nothing
    before, after = np.roll(values, 1), np.roll(values, -1)
    if quantity is ChannelQuantity.TEMP:
        jumps = np.abs(values - before) > JUMP_K if period_of(series.t) >= SLOW_S else nothing
        suspects = np.flatnonzero(jumps | (values <= 0.0))
        near = _neighbours(values, suspects)
        wrong = (np.abs(values[suspects] - near) > JUMP_K) & ((values[suspects] > 0.0) | (near > WARM_C))
    else:
        high = values > BEYOND * np.percentile(values, 99.0)
        suspects = np.flatnonzero(high | (values <= 0.0))
        near = _neighbours(values, suspects)
        a, b, value = before[suspects], after[suspects], values[suspects]
        alike = np.abs(a - b) <= ALIKE * np.maximum(np.abs(a), np.abs(b))
        lone = (value > (1.0 + APART) * np.maximum(a, b)) & alike
        wrong = np.where(value <= 0.0, near > 0.0, lone)
    found = nothing.copy()
    found[suspects] = wrong
    return found if found.mean() < MOST_WRONG else nothing


def _neighbours(values: FloatArray, places: np.ndarray) -> FloatArray:
    """Median of the three values on either side of each of these places."""
    reach = NEIGHBOURS // 2
    offsets = np.array([k for k in range(-reach, reach + 1) if k])
    around = np.clip(places[:, None] + offsets, 0, len(values) - 1)
    return np.asarray(np.median(values[around], axis=1)) if len(places) else np.empty(0)


def sensor_models(log: RunLog, even: EvenLog, spikes: Mapping[str, int], clock: str | None) -> dict[str, SensorModel]:
    """The models of all channels of a log, by name."""
    reference = even.columns.get(clock or "")
    found, stamps, period = {}, np.empty(0), 1.0
    for name, series in log.series.items():
        if quantity_of(name) is None or not len(series.t):
            continue
        column = even.columns[name]
        known = column[np.isfinite(column)]
        stale = _stale_share(series.values)
        lag = 0.0
        if quantity_of(name) is ChannelQuantity.POWER and reference is not None:
            lag = lag_bins(column, reference) * even.step_s
        if not np.array_equal(stamps, series.t):  # channels of one logger share their stamps
            stamps, period = series.t, period_of(series.t)
        new_s = period / (1.0 - stale) if SAME_SHARE < stale < 1.0 else period
        step = robust.step_of(known)
        found[name] = SensorModel(new_s, lag, step, float(robust.quiet_noise_sd(known)), stale, spikes.get(name, 0))
    return found


def _stale_share(values: FloatArray) -> float:
    """Share of (n,) samples that repeat the one before although the sensor can show finer differences."""
    if len(values) < 3 or robust.step_of(values):
        return 0.0
    return float(np.mean(np.diff(values) == 0.0))


def lag_bins(late: FloatArray, reference: FloatArray) -> int:
    """How many bins the steps of a power (n,) come after those of a clock (n,): where its steps agree best with the
    large ones of the clock; 0 where that is not plain."""
    both = np.isfinite(late) & np.isfinite(reference)
    if both.sum() < 4 * LATEST_BINS:
        return 0
    power, clock = (np.diff(np.where(both, x, np.nanmedian(x))) for x in (late, reference))
    low, high = np.percentile(reference[both], [1, 99])
    large = np.flatnonzero(np.abs(clock) >= LARGE_STEP * max(high - low, 1e-9))
    large = large[large < len(power) - LATEST_BINS]
    if not len(large) or len(large) > len(clock) // 8:
        return 0
    agree = [float((power[large + lag] * clock[large]).sum()) for lag in range(LATEST_BINS)]
    best = int(np.argmax(agree))
    return best if agree[best] > PLAINLY_LATER * max(agree[0], 0.0) and agree[best] > 0.0 else 0


def earlier(values: FloatArray, bins: int) -> FloatArray:
    """(n,) values moved so many bins to the front; what is then missing at the end stays as it was last."""
    return values if bins <= 0 else np.concatenate([values[bins:], np.full(bins, values[-1])])[: len(values)]
