"""Cuts by hysteresis: firmware lets a chip warm to its limit, cuts its power, and lets it go when it has cooled."""

import numpy as np
from msgspec import Struct

from pinch.core import robust
from pinch.core.channels import Component, component_of
from pinch.core.runlog import BoolArray, FloatArray
from pinch.core.signals import USUAL_LIMIT_C, Signals, filled, gives_way, known, median_of_three

TOOTH_SWING, TOOTH_S = 0.07, 300.0
"""A tooth cuts by at least this share; teeth further apart are stretches of heat of their own."""
LEAST_TEETH, ALIKE = 3, 0.7
"""So many cuts at one temperature, and this share of all falls, make teeth."""
UNUSUAL_K = 6.0
"""Teeth tell their limit so plainly that it may lie below the usual ones by so much."""
FRESH_BINS = 3
"""Power takes so long to rise after a pause."""


class Teeth(Struct, frozen=True):
    """Cuts by hysteresis at a temperature: the bins from the first cut to the end of the last one (n,), where each cut
    began, the temperature at which it did, the share of what pays that it took, and the power it was cut from, W; empty
    where there are none."""

    bins: BoolArray
    cuts: tuple[int, ...] = ()
    channel: str = ""
    limit_c: float = float("nan")
    depth: float = 0.0
    from_w: float = float("nan")


class _Cut(Struct, frozen=True):
    """A fall: the bin it begins in and the one where it is lowest, and how hot it was before and how cool after, °C."""

    at: int
    low: int
    peak_c: float
    trough_c: float


def find_teeth(s: Signals) -> Teeth:
    """Cuts at a temperature that come again and again: what pays falls at once each time that the temperature has come
    to the same value, the temperature falls, and it is let go."""
    payer = median_of_three(np.where(s.busy, gives_way(s), np.nan))
    none = Teeth(np.zeros(len(payer), dtype=bool))
    if np.isfinite(payer).sum() < 20 or not float(np.nanmedian(payer)) > 0.0:
        return none
    noise = robust.quiet_noise_sd(known(payer)) / float(np.nanmedian(payer))
    told = np.isfinite(s.clock).any()
    turns = _turns(filled(payer), max(TOOTH_SWING if told else 2.0 * TOOTH_SWING, 8.0 * noise))
    best, most = none, 0
    for channel, temp in s.temps.items():
        if not np.isfinite(temp).any() or component_of(channel) is Component.SKIN:
            continue
        found = _teeth_of(s, filled(payer), filled(temp), turns, channel)
        if len(found.cuts) > most:
            best, most = found, len(found.cuts)
    return best


def _turns(values: FloatArray, share: float) -> list[tuple[int, bool]]:
    """Places where (n,) values turn by at least a share, with whether it is a high one."""
    turns: list[tuple[int, bool]] = []
    high = low = 0
    rising: bool | None = None
    for i, value in enumerate(values.tolist()):
        if value > values[high]:
            high = i
        if value < values[low]:
            low = i
        if rising is not False and value < (1.0 - share) * values[high]:
            turns.append((high, True))
            rising, low = False, i
        elif rising is not True and value > values[low] / (1.0 - share):
            turns.append((low, False))
            rising, high = True, i
    return turns


def _teeth_of(s: Signals, payer: FloatArray, temp: FloatArray, turns: list[tuple[int, bool]], channel: str) -> Teeth:
    """The teeth that one temperature makes."""
    none = Teeth(np.zeros(len(payer), dtype=bool))
    noise, step = robust.quiet_noise_sd(known(s.temps[channel])), robust.step_of(known(s.temps[channel]))
    least_fall = max(0.8, 3.0 * noise, 1.5 * step)
    cuts = [c for c in _cuts(s, payer, temp, turns) if c.peak_c - c.trough_c >= least_fall]
    if len(cuts) < LEAST_TEETH:
        return none
    limit = float(np.median([c.peak_c for c in cuts]))
    alike = [c for c in cuts if abs(c.peak_c - limit) <= max(1.2, 3.0 * noise, 1.5 * step)]
    top = float(np.percentile(known(temp), 98.0))
    believable = limit >= max(USUAL_LIMIT_C - UNUSUAL_K, top - 3.0)
    if len(alike) < max(LEAST_TEETH, ALIKE * len(cuts)) or not believable:
        return none
    depth = float(np.median([1.0 - payer[c.low] / payer[max(c.at - 1, 0)] for c in alike]))
    from_w = float(np.median([s.power[max(c.at - 2, 0)] for c in alike]))
    return Teeth(_held_bins(payer, alike) & s.active, tuple(c.at for c in alike), channel, limit, depth, from_w)


def _cuts(s: Signals, payer: FloatArray, temp: FloatArray, turns: list[tuple[int, bool]]) -> list[_Cut]:
    """The falls of what pays that may be cuts."""
    found = []
    places = [place for place, _ in turns]
    for number, (high, is_high) in enumerate(turns):
        if not is_high:
            continue
        last = places[number + 1] if number + 1 < len(turns) else len(payer) - 1
        at = _cut_at(payer[high : last + 1]) + high
        high = max(high, at - 2)
        if s.active[at] and not _is_fresh(s, payer, high, last) and _power_fell(s, high, last):
            end = max(places[number + 2], at + 1) if number + 2 < len(turns) else len(payer)
            peak, trough = float(temp[max(0, at - 4) : at + 3].max()), float(temp[at:end].min())
            found.append(_Cut(at, last, peak, trough))
    return found


def _held_bins(payer: FloatArray, cuts: list[_Cut]) -> BoolArray:
    """The bins from each cut until it is let go, and to the next cut where that is near: recovering is heat as well."""
    bins = np.zeros(len(payer), dtype=bool)
    nexts: list[int | None] = [*[c.at for c in cuts[1:]], None]
    for cut, following in zip(cuts, nexts, strict=True):
        bins[cut.at : _let_go(payer, cut.at, cut.low, following)] = True
        if following is not None and following - cut.at <= TOOTH_S:
            bins[cut.at : following] = True
    return bins


def _cut_at(fall: FloatArray) -> int:
    """Where in (n,) falling values the last step down begins to be seen: steps before it are other levels."""
    if len(fall) < 2:
        return 0
    steps = 1.0 - fall[1:] / fall[:-1]
    large = np.flatnonzero(steps >= min(TOOTH_SWING, float(steps.max())))
    return int(large[-1]) + 1


def _is_fresh(s: Signals, payer: FloatArray, high: int, low: int) -> bool:
    """Whether a high lasted since a pause or a fault and ends above that: a burst, which ends as bursts do."""
    rest = ~s.active[:high] | (payer[:high] < 0.5 * payer[high])
    if not rest.any():
        return False
    ended = int(np.flatnonzero(rest)[-1]) + 1
    plateau = payer[ended + FRESH_BINS : high]
    lasted = not len(plateau) or bool(plateau.min() >= (1.0 - TOOTH_SWING) * payer[high])
    return lasted and bool(payer[low] > 1.5 * payer[max(0, ended - FRESH_BINS) : ended].min())


def _power_fell(s: Signals, high: int, low: int) -> bool:
    """Whether power fell with the clock, where it was logged."""
    before, after = known(s.power[max(0, high - 1) : high + 2]), known(s.power[max(0, low - 1) : low + 2])
    return not (len(before) and len(after)) or bool(np.median(after) < (1.0 - 0.5 * TOOTH_SWING) * np.median(before))


def _let_go(payer: FloatArray, at: int, low: int, following: int | None) -> int:
    """When a cut ends: power has come half of the way back."""
    stop = following if following is not None else len(payer)
    before = float(np.median(payer[max(0, at - 4) : max(at - 1, 1)]))
    half = 0.5 * (before + float(payer[low]))
    back = np.flatnonzero(payer[low:stop] > half)
    return low + int(back[0]) if len(back) else stop
