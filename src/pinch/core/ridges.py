"""Temperatures that are held: at a heat limit firmware keeps a temperature where it is, and power gives way for it.
Each temperature has a ridge, the value near its top where it stays, with a score in nats for its being held."""

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.channels import Component, component_of
from pinch.core.collapse import runs_of
from pinch.core.levels import MOVES_K, Level
from pinch.core.nearby import closed, running_mean
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import LEAST_BINS, USUAL_LIMIT_C, Signals, clip, gives_way, known, median_of_three
from pinch.core.teeth import Teeth
from pinch.core.top_clock import Ceiling

HELD_K = 1.0
"""One that is held stays this near: sensors step by 1 K, and governors let go about so much below their limit."""
SKIN_REACH_K = 3.0
"""A surface follows its limit within minutes, and from so far away."""
GAVE = 0.02
"""Power that gives way does so by more than this while the temperature stands."""
USUAL_SKIN_C = 37.0
"""Surfaces are rarely held below this. Common practice, no source."""
TEETH_SAY = 6.0
"""Nats of a temperature at which power was cut again and again."""
ROOM_C = 25.0
"""For telling how far a temperature would move with power; a room of 15 or 35 °C tells the same."""
PLAINLY_LIMIT = 2.5
"""Nats: a level of power for which so much speaks, and at which the temperature moved, is no heat."""


class Ridge(Struct, frozen=True):
    """A temperature that seems held: its channel, °C, the bins near it (n,), `tolerance` in K, its score, whether it
    was given, and by which share power gave way while it stood."""

    channel: str
    limit_c: float
    near: BoolArray
    tolerance: float
    score: float
    given: bool
    gave: float

    @property
    def is_skin(self) -> bool:
        """Whether it is a surface that is held, not a chip."""
        return component_of(self.channel) is Component.SKIN


def find_ridges(s: Signals, levels: list[Level], teeth: Teeth, ceiling: Ceiling | None) -> list[Ridge]:
    """For each temperature the value at which it seems to be held, with its score."""
    bound = ~s.has_work | s.capped
    if ceiling is not None and ceiling.score > 0.0:
        bound |= ceiling.at
    for level in levels:
        if level.score >= PLAINLY_LIMIT and level.moved_k > MOVES_K:
            bound |= level.at
    found = []
    for name, temp in s.temps.items():
        given = s.limits_c.get(name)
        found += [_ridge(s, name, temp, bound, teeth, None)]
        found += [_ridge(s, name, temp, bound, teeth, given)] if given is not None else []
    return [r for r in found if r is not None]


def _ridge(
    s: Signals, channel: str, temp: FloatArray, bound: BoolArray, teeth: Teeth, given: float | None
) -> Ridge | None:
    """The ridge of one temperature, at the limit that was given or where it seems to be; `bound` (n,) are bins that
    something else is known to hold."""
    smooth = median_of_three(np.where(s.busy, temp, np.nan))
    have = np.isfinite(smooth)
    if have.sum() < LEAST_BINS:
        return None
    noise, step = robust.quiet_noise_sd(known(temp)), robust.step_of(known(temp))
    tolerance = max(HELD_K, 2.0 * noise, 0.75 * step)
    if channel == teeth.channel and given is None:
        near = s.busy & (temp >= teeth.limit_c - tolerance)
        return Ridge(channel, teeth.limit_c, near, tolerance, TEETH_SAY, False, teeth.depth)
    skin = component_of(channel) is Component.SKIN
    if skin:
        tolerance = max(0.5, 2.0 * noise, 0.75 * step)
    top = float(np.percentile(smooth[have], 97.0))
    limit = given if given is not None else _ridge_value(smooth[have], top, tolerance)
    near = s.busy & have & (smooth >= limit - tolerance) & (smooth <= limit + 2.5 * tolerance)
    seconds = int(near.sum())
    if seconds < LEAST_BINS:
        return Ridge(channel, limit, near, tolerance, -6.0, given is not None, 0.0)
    free = near & ~bound
    gave, falls = _gave_way(s, free)
    usual = USUAL_SKIN_C if skin else USUAL_LIMIT_C
    prior = 0.4 if limit >= usual else -clip(0.5 * ((usual - limit) / 5.0) ** 2, 0.0, 8.0)
    if given is not None:
        prior = 3.0
    elif channel in s.limits_c:
        prior -= 0.5
    still = clip((tolerance - _slow_k(smooth[free if free.sum() > 9 else near])) / tolerance, -1.0, 0.6)
    length = clip(np.log(max(int(free.sum()), 1) / 12.0), -1.5, 1.0)
    more = _more_when_cooler(s, smooth, free, limit - tolerance)
    arrived = _fell_on_arrival(s, free)
    follows = _follows(s, smooth, free, limit)
    score = prior + 2.2 * clip((gave - GAVE) / 0.04, -1.0, 1.0) + falls + still + length + more + arrived + follows
    if skin:  # it follows within minutes, so that power pays before it comes to its limit and after it has left it
        arrived_at = int(np.flatnonzero(near)[0])
        near = s.busy & (smooth >= limit - SKIN_REACH_K) & (np.arange(len(near)) >= arrived_at)
    return Ridge(channel, limit, near, tolerance, score, given is not None, gave)


def _ridge_value(values: FloatArray, top: float, tolerance: float) -> float:
    """Where a temperature lies densest near its top, °C."""
    upper = np.sort(values[values >= top - 3.0 * tolerance])
    upto = np.searchsorted(upper, upper + tolerance, side="right")
    best = int(np.argmax(upto - np.arange(len(upper))))
    return float(np.median(upper[best : upto[best]]))


def _slow_k(values: FloatArray) -> float:
    """How far a temperature strays slowly, K."""
    count = len(values) // 5
    if count < 3:
        return float(np.std(values)) if len(values) else 0.0
    return float(np.std(values[: 5 * count].reshape(count, 5).mean(axis=1)))


def _gave_way(s: Signals, free: BoolArray) -> tuple[float, float]:
    """By which share what pays varied while the temperature stood, and what its falling steadily adds (nats)."""
    payer = gives_way(s)
    payer = payer[free & np.isfinite(payer)]
    if len(payer) < LEAST_BINS:
        return 0.0, 0.0
    smooth = running_mean(payer, 2) if len(payer) > 9 else payer
    low, high = np.percentile(smooth, [3, 97])
    noise = robust.quiet_noise_sd(payer) / 5.0**0.5
    gave = max(float(high - low) - 3.0 * noise, 0.0) / float(np.median(smooth))
    third = max(2, len(smooth) // 3)
    fall = float(np.median(smooth[:third]) / np.median(smooth[-third:]) - 1.0)
    return gave, 0.8 * clip((fall - 0.01) / 0.03, -0.5, 1.0)


def _follows(s: Signals, temp: FloatArray, free: BoolArray, limit: float) -> float:
    """What speaks against a temperature that is held: it goes up and down with power, as a free one does (nats)."""
    have = free & np.isfinite(s.power) & np.isfinite(temp)
    count = int(have.sum()) // 10
    if count < 4:
        return 0.0
    watts, degrees = (x[have][: 10 * count].reshape(count, 10).mean(axis=1) for x in (s.power, temp))
    spread = float(np.var(watts))
    if spread <= (0.004 * float(watts.mean())) ** 2:
        return 0.0
    slope = float(np.cov(watts, degrees, bias=True)[0, 1]) / spread
    free_slope = (limit - ROOM_C) / float(watts.mean())
    together = float(np.corrcoef(watts, degrees)[0, 1]) if np.ptp(degrees) > 0.0 else 0.0
    return -4.0 * clip((slope / free_slope - 0.1) / 0.25, 0.0, 1.0) * clip((together - 0.4) / 0.3, 0.0, 1.0)


def _fell_on_arrival(s: Signals, free: BoolArray) -> float:
    """Whether power fell when the temperature came to where it then stayed (nats)."""
    runs = [(a, b) for a, b in runs_of(closed(free, 2)) if b - a >= 20]
    if not runs:
        return 0.0
    a, b = runs[0]
    payer = gives_way(s)
    before, after = known(payer[max(0, a - 8) : a + 2]), known(payer[a + 10 : b])
    if len(before) < 3 or len(after) < 8:
        return 0.0
    return 2.0 * clip((float(np.median(before) / np.median(after)) - 1.0 - GAVE) / 0.05, -0.2, 1.0)


def _more_when_cooler(s: Signals, temp: FloatArray, free: BoolArray, below_c: float) -> float:
    """Whether what pays was higher before, while it was cooler (nats)."""
    payer = gives_way(s)
    held = known(payer[free])
    cooler = known(np.where(s.busy & s.has_work & (temp < below_c), payer, np.nan))
    if len(held) < 4 or len(cooler) < 4:
        return 0.0
    return 1.4 * clip((float(np.percentile(cooler, 80)) / float(np.median(held)) - 1.0 - GAVE) / 0.03, -1.0, 1.0)
