"""The settled window: the part of a run from which sustained figures are taken.

The window starts where the last of power, clock, temperature and rate has left its initial transient by the
marginal standard error rule on batches of five (MSER-5: K. P. White, Simulation 69(6), 1997), not before the burst
has ended and not after two thirds of the load, and after the last change of level of power or clock. Then it is checked
for drift with a Theil–Sen slope.
"""

from collections.abc import Mapping

import numpy as np

from pinch.core import robust
from pinch.core.changepoint import best_split
from pinch.core.channels import unit_of
from pinch.core.figures import Settled, SettledState
from pinch.core.phases import Load
from pinch.core.runlog import BoolArray, EvenLog, FloatArray
from pinch.core.sawtooth import Sawtooth, over_periods
from pinch.language import tr

BY_HAND = tr("the operator")
BATCH = 5
LATEST_START = 2.0 / 3.0
SHORTEST_S, SHORTEST_LOAD_S = 60.0, 120.0
"""A window is a minute at least. Of a load under two minutes it hangs on chance where the window begins, so that
repeats of one benchmark would be settled or not by turns. Common practice, no source."""
DRIFT_SHARE = 0.02
DRIFT_K = 1.5
STEP_BINS, STEP_SPREADS = 8, 2.5
"""A level of at least so many seconds that differs by so many spreads of what lies on either side is another one."""


def mser(values: FloatArray, batch: int = BATCH) -> int:
    """Samples of (n,) values to leave out at the start: argmin over d of Σ(y − ȳ)² / (m − d)², on batch means.

    d is at most half of the m batches, so a chance minimum at the very end cannot win.
    """
    m = len(values) // batch
    if m < 2:
        return 0
    means = values[: m * batch].reshape(m, batch).mean(axis=1)
    means = means - means.mean()  # keeps the sums of squares small
    left = np.arange(m, 0, -1)
    sums = np.cumsum(means[::-1])[::-1]
    squares = np.cumsum((means**2)[::-1])[::-1]
    spread = np.maximum(squares - sums**2 / left, 0.0) / left.astype(float) ** 2
    return int(np.argmin(spread[: m // 2 + 1])) * batch


def find_window(
    log: EvenLog,
    load: Load,
    burst_bins: int,
    usable: BoolArray,
    channels: tuple[str, ...],
    sawtooth: Sawtooth | None = None,
    chosen_s: tuple[float, float] | None = None,
) -> Settled:
    """The settled window of the loaded part of a log.

    Parameters
    ----------
    burst_bins : bins after load start in which the burst ended, 0 without one.
    usable : (n,) bins that may enter a figure: active and outside faults.
    channels : those that must have settled.
    sawtooth : where there is one, channels are averaged over whole periods before they are looked at.
    chosen_s : the window as the operator chose it, from and to in s of the log; it is only checked then.
    """
    period = max(1, round(sawtooth.period_s / log.step_s)) if sawtooth else 1
    length = load.last - load.first
    start, decided_by = burst_bins, "burst"
    for channel in channels:
        # A pause between passes and a fault are not part of the transient: the rule sees active seconds only.
        kept = np.flatnonzero(
            usable[load.first : load.last] & np.isfinite(log.columns[channel][load.first : load.last])
        )
        kept = kept[kept >= burst_bins]
        if len(kept) < 2 * BATCH + period:
            continue
        begin = int(kept[mser(over_periods(log.columns[channel][load.first : load.last][kept], period))])
        if begin > start:
            start, decided_by = begin, channel
    stop = load.last
    if chosen_s is not None:
        start = int(np.clip(np.searchsorted(log.starts, chosen_s[0] - 1e-9) - load.first, 0, length - 1))
        stop = int(np.clip(np.searchsorted(log.starts, chosen_s[1] - 1e-9), load.first + start + 1, load.last))
        decided_by = BY_HAND
    elif start > LATEST_START * length:
        start, decided_by = int(LATEST_START * length), tr("two thirds of the load")
    stepped: tuple[str, ...] = ()
    for name in channels:
        step = last_step(log, slice(load.first + start, stop), usable, name, period)
        if step is None:
            continue
        if chosen_s is None and (stop - load.first - start - step) * log.step_s >= SHORTEST_S:
            start, decided_by = start + step, name
        else:
            stepped += (name,)
    window = slice(load.first + start, stop)
    drift = _drift(log, window, usable, channels, period)
    sloping = tuple(name for name, change in drift.items() if change != 0.0 and _exceeds(name, change))
    drifting = tuple(name for name in channels if name in sloping or name in stepped)
    seconds = (stop - load.first - start) * log.step_s
    state = SettledState.DRIFTING if drifting else SettledState.SETTLED
    is_short = seconds < SHORTEST_S or (chosen_s is None and length * log.step_s < SHORTEST_LOAD_S)
    state = SettledState.TOO_SHORT if is_short else state
    return Settled(
        state,
        float(log.edges[window.start]),
        float(log.edges[window.stop]),
        decided_by,
        drift,
        drifting,
        float(np.mean(load.active[window])),
    )


def last_step(log: EvenLog, window: slice, usable: BoolArray, channel: str, period: int) -> int | None:
    """Bins from the window's beginning to the last change of level in it, None without one.

    A change counts where the channel is a power or a clock, differs by more than 2 %, and by far more than what lies on
    either side of it varies.
    """
    if unit_of(channel) not in ("W", "MHz"):
        return None
    values = log.columns[channel][window]
    kept = np.flatnonzero(usable[window] & np.isfinite(values))
    found = None
    while len(kept) >= 2 * STEP_BINS + period:
        level = over_periods(values[kept], period)
        if len(level) < 2 * STEP_BINS:
            break
        split = best_split(level, STEP_BINS)
        apart = abs(split.before - split.after)
        spread = float(np.sqrt(max(split.rss_two, 0.0) / len(level)))
        if apart <= DRIFT_SHARE * abs(split.after) or apart < STEP_SPREADS * spread:
            break
        found = int(kept[split.index])
        kept = kept[split.index :]
    return found


def _drift(
    log: EvenLog, window: slice, usable: BoolArray, channels: tuple[str, ...], period: int
) -> Mapping[str, float]:
    """Change over the window per channel, as a share of the mean (temperature: K); 0 where the slope may be 0."""
    result: dict[str, float] = {}
    t = log.starts[window]
    for channel in channels:
        values = log.columns[channel][window]
        have = usable[window] & np.isfinite(values)
        if have.sum() < 3 * BATCH + period:
            continue
        means = over_periods(values[have], period)
        slope = robust.theil_sen(t[have][: len(means)], means)
        change = 0.0 if slope.holds_zero else slope.value * float(t[-1] - t[0])
        mean = float(values[have].mean())
        result[channel] = change if unit_of(channel) == "°C" else change / mean if mean else 0.0
    return result


def _exceeds(channel: str, change: float) -> bool:
    return abs(change) > (DRIFT_K if unit_of(channel) == "°C" else DRIFT_SHARE)
