"""What a run is regulated by: levels of power, the burst among them, temperatures that are held, teeth, the highest
clock."""

import numpy as np
from msgspec import Struct

from pinch.core import phases
from pinch.core.collapse import runs_of
from pinch.core.cuts import SHORTEST
from pinch.core.levels import Level, find_levels
from pinch.core.ridges import Ridge, find_ridges
from pinch.core.runlog import FloatArray
from pinch.core.signals import Signals, known, median_of_three
from pinch.core.teeth import Teeth, find_teeth
from pinch.core.top_clock import Ceiling, find_ceiling

LONGEST_BURST_S = 180
"""A first level that lasts longer is no burst: what comes after it has fallen. Common practice, no source."""
BURST_ABOVE = 0.03
LEAST_BURST = -0.5
"""Nats: a first level for which less speaks is one that the work made."""
LONGEST_BRIEF = 40
"""In bins: what is uneven for longer is no burst."""
SHORTEST_PASS = 20
"""In bins: a shorter pass shows no burst of its own."""


class Regulated(Struct, frozen=True):
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
        """The chip's temperature at which power was cut, else that is likeliest held; the one that was given where none
        plainly is."""
        chips = [r for r in self.ridges if not r.is_skin]
        chips = [r for r in chips if r.channel == self.teeth.channel] or chips
        return max(chips, key=lambda r: r.score if r.score > 0.0 else r.given - 1.0, default=None)

    @property
    def skin(self) -> Ridge | None:
        """The surface that is likeliest held."""
        return max((r for r in self.ridges if r.is_skin), key=lambda r: r.score, default=None)


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
        end = _end_of(level, s, int(at[0]))
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
