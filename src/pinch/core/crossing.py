"""Two curves over watts: where they cross, and what the devices do at the same watts."""

from collections.abc import Mapping, Sequence
from functools import lru_cache
from itertools import combinations, pairwise

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core.ladder import Ladder
from pinch.core.printing import listed
from pinch.core.robust import Z95
from pinch.core.runlog import FloatArray
from pinch.core.verdict import DELTA, Answer, Verdict, answer
from pinch.language import tr

STEPS = 120
ENVELOPE = 0.10
SURE = 95.0
LEAST_SPREAD = 1e-12
CANNOT, NEITHER = "?", ""


class Crossover(Struct, frozen=True):
    """At `power_w` (95 % interval `low_w` to `high_w`, NaN: none) the lead passes from `below` to `above`. `sure` is
    the share of the draws that have it (NaN: no draws)."""

    below: str
    above: str
    power_w: float
    low_w: float
    high_w: float
    score: float
    sure: float


class LeadStretch(Struct, frozen=True):
    """A range of watts of which one thing can be said: that `ahead` leads, that there is no difference that matters
    (empty), or that it cannot be told (`?`)."""

    low_w: float
    high_w: float
    ahead: str


class Pairing(Struct, frozen=True):
    """Two ladders over the range that both were measured at (NaN: there is none): the crossings with a real lead on
    either side, what can be said of each stretch (none without repeats), and the whole in words."""

    a: str
    b: str
    low_w: float
    high_w: float
    crossings: tuple[Crossover, ...]
    stretches: tuple[LeadStretch, ...]
    words: str


class AtWatts(Struct, frozen=True):
    """A ladder at a power: its score (NaN: not measured there) and its verdict against the base."""

    name: str
    score: float
    low: float
    high: float
    verdict: Verdict | None


class Envelope(Struct, frozen=True):
    """Settings that draw the same watts within ±10 %: their middle W, and (ladder, setting) of each."""

    power_w: float
    members: tuple[tuple[str, str], ...]


def pair_up(name_a: str, a: Ladder, name_b: str, b: Ladder, delta: float = DELTA) -> Pairing:
    """What can be said of two curves over the range that both were measured at.

    A lead is real where the band of the lead excludes none, for all watts at once: it reaches as many standard
    deviations as the largest deviation of a draw anywhere has in 95 % of the draws. A crossing needs a real lead on
    either side. No difference matters where two one-sided tests at each power find none of `delta` or more.
    """
    low, high = max(a.power[0], b.power[0]), min(a.power[-1], b.power[-1])
    if low >= high:
        words = tr("{name_a} and {name_b} share no range of measured watts.", name_a=name_a, name_b=name_b)
        return Pairing(name_a, name_b, float("nan"), float("nan"), (), (), words)
    grid = np.linspace(low, high, STEPS)
    lead = _lead(a, b, grid, None)
    rows = min(len(a.draws), len(b.draws))
    if not rows:
        found = tuple(_crossover(name_a, name_b, a, at, rising, np.empty(0), 0) for at, rising in _turns(grid, lead))
        words = (
            tr("Nothing was repeated, so that chance may make any of it.")
            if found
            else _unrepeated(name_a, name_b, lead)
        )
        return Pairing(name_a, name_b, float(low), float(high), found, (), words)
    draws = _lead(a, b, grid, rows)
    states = _states(name_a, name_b, lead, draws, delta)
    stretches = _stretches(grid, states)
    leads = [i for i, s in enumerate(stretches) if s.ahead in (name_a, name_b)]
    crossings = []
    for left, right in pairwise(leads):
        if stretches[left].ahead != stretches[right].ahead:
            rising = stretches[right].ahead == name_a
            between = (grid >= stretches[left].high_w) & (grid <= stretches[right].low_w)
            at = _turn_between(grid, lead, between, rising)
            spots = _turns_of_rows(grid, draws, at, rising)
            crossings.append(_crossover(name_a, name_b, a, at, rising, spots, rows))
    words = _pair_words(stretches, crossings)
    return Pairing(name_a, name_b, float(low), float(high), tuple(crossings), stretches, words)


def _states(name_a: str, name_b: str, lead: FloatArray, draws: FloatArray, delta: float) -> list[str]:
    """What can be said at each power."""
    off = draws - draws.mean(axis=0)
    spread = np.maximum(np.sqrt(np.einsum("ij,ij->j", off, off) / len(off)), LEAST_SPREAD)
    off /= spread
    most = np.maximum(off.max(axis=1), -off.min(axis=1))
    reach = float(np.percentile(most, SURE)) * spread
    alike = np.abs(lead) + Z95 * spread <= np.log1p(delta)
    return [
        name_a if x > r else name_b if -x > r else NEITHER if same else CANNOT
        for x, r, same in zip(lead, reach, alike, strict=True)
    ]


def _stretches(grid: FloatArray, states: Sequence[str]) -> tuple[LeadStretch, ...]:
    edges = [0, *(i for i in range(1, len(states)) if states[i] != states[i - 1]), len(states)]
    return tuple(LeadStretch(float(grid[i]), float(grid[min(j, len(grid) - 1)]), states[i]) for i, j in pairwise(edges))


def _turn_between(grid: FloatArray, lead: FloatArray, between: np.ndarray, rising: bool) -> float:
    """Where the lead passes from one to the other in the middle of what cannot be told: of several places the mean."""
    own = [at for at, up in _turns(grid, lead) if up == rising and grid[between][0] <= at <= grid[between][-1]]
    return float(np.mean(own)) if own else float(grid[between].mean())


def _crossover(name_a: str, name_b: str, a: Ladder, at: float, rising: bool, spots: FloatArray, rows: int) -> Crossover:
    low_w, high_w = np.percentile(spots, [2.5, 97.5]) if len(spots) > 1 else (np.nan, np.nan)
    below, above = (name_b, name_a) if rising else (name_a, name_b)
    sure = len(spots) / rows if rows else float("nan")
    return Crossover(below, above, at, float(low_w), float(high_w), a.at(at), sure)


def at_watts(
    ladders: Mapping[str, Ladder], power_w: float, base: str | None = None, delta: float = DELTA
) -> list[AtWatts]:
    """Every ladder at the same measured watts, best first; verdicts are against `base`, else against the best."""
    there = {name: ladder for name, ladder in ladders.items() if ladder.covers(power_w)}
    ranked = sorted(there, key=lambda name: -there[name].at(power_w))
    against = base if base in there else ranked[0] if ranked else None
    # Against the best of several, which chance had a hand in choosing, every pair was looked at.
    together = len(there) - 1 if base in there else len(there) * (len(there) - 1) // 2
    found = []
    for name in [*ranked, *(n for n in ladders if n not in there)]:
        ladder = ladders[name]
        if name not in there:
            found.append(AtWatts(name, float("nan"), float("nan"), float("nan"), None))
            continue
        low, high = np.percentile(ladder.draws_at(power_w), [2.5, 97.5]) if len(ladder.draws) else (np.nan, np.nan)
        verdict = None
        if name != against and against is not None:
            verdict = _verdict(ladder, there[against], power_w, delta, together)
        found.append(AtWatts(name, ladder.at(power_w), float(low), float(high), verdict))
    return found


def envelopes(ladders: Mapping[str, Ladder]) -> list[Envelope]:
    """Settings of different ladders that draw the same watts within ±10 %, least watts first."""
    rungs = sorted((r.power_w, name, r.cell) for name, ladder in ladders.items() for r in ladder.rungs)
    groups: list[list[tuple[float, str, str]]] = []
    for rung in rungs:
        if groups and rung[0] <= groups[-1][0][0] * (1 + ENVELOPE) / (1 - ENVELOPE):
            groups[-1].append(rung)
        else:
            groups.append([rung])
    return [
        Envelope((group[0][0] + group[-1][0]) / 2.0, tuple((name, cell) for _, name, cell in group))
        for group in groups
        if len({name for _, name, _ in group}) > 1
    ]


def all_pairs(ladders: Mapping[str, Ladder], delta: float = DELTA) -> list[Pairing]:
    """Every two ladders once."""
    return [pair_up(a, ladders[a], b, ladders[b], delta) for a, b in combinations(ladders, 2)]


def _verdict(ladder: Ladder, base: Ladder, power_w: float, delta: float, together: int) -> Verdict:
    """The verdict at a power, as one of several that are answered together (Bonferroni)."""
    from scipy.special import ndtri

    gain = float(np.log(ladder.at(power_w) / base.at(power_w)))
    rows = min(len(ladder.draws), len(base.draws))
    if not rows:
        words = tr("no repeats: no interval can be claimed")
        return Verdict(float(np.exp(gain)), float("nan"), float("nan"), Answer.CANNOT_TELL, None, words)
    ratios = np.log(ladder.draws_at(power_w)[:rows] / base.draws_at(power_w)[_mixed(rows)])
    u = float(ratios.std())
    told = answer(gain, float(ndtri(1.0 - 0.025 / together)) * u, Z95 * u, delta)
    return replace(told, u=u, together=together)


def _lead(a: Ladder, b: Ladder, grid: FloatArray, rows: int | None) -> FloatArray:
    """Ln of a over b on the grid: of the curves (k,), else of so many draws (r, k)."""
    if rows is None:
        return np.asarray(np.log(np.interp(grid, a.power, a.score) / np.interp(grid, b.power, b.score)))
    return np.asarray(np.log(_on(a, grid, a.draws[:rows]) / _on(b, grid, b.draws[_mixed(rows)])))


def _on(ladder: Ladder, grid: FloatArray, rows: FloatArray) -> FloatArray:
    """Rows of a ladder's draws on another grid within its range."""
    place = np.interp(grid, ladder.power, np.arange(len(ladder.power)))
    below = np.minimum(place.astype(int), len(ladder.power) - 2)
    left, right = np.take(rows, below, axis=1), np.take(rows, below + 1, axis=1)  # twice as fast as an index
    right -= left
    right *= place - below
    right += left
    return np.asarray(right)


@lru_cache(maxsize=4)
def _mixed(rows: int) -> np.ndarray:
    """An order that takes draws of one ladder apart from the same numbers of the other: both had the same seed."""
    return np.random.default_rng(1).permutation(rows)


def _turns(grid: FloatArray, lead: FloatArray) -> list[tuple[float, bool]]:
    """Where the lead changes sign, and whether it rises there."""
    signs = np.sign(lead)
    places = np.flatnonzero(signs[:-1] * signs[1:] < 0)
    return [
        (float(grid[i] - lead[i] * (grid[i + 1] - grid[i]) / (lead[i + 1] - lead[i])), bool(lead[i + 1] > lead[i]))
        for i in places
    ]


def _turns_of_rows(grid: FloatArray, rows: FloatArray, near: float, rising: bool) -> FloatArray:
    """Of each row the turn of the same direction that is nearest to a place; rows without one are left out."""
    before, after = rows[:, :-1], rows[:, 1:]
    turns = (before < 0) & (after >= 0) if rising else (before > 0) & (after <= 0)
    away = np.where(turns, np.abs(grid[:-1] - near), np.inf)
    best = np.argmin(away, axis=1)
    at = np.flatnonzero(np.isfinite(away[np.arange(len(rows)), best]))
    i = best[at]
    y0, y1 = rows[at, i], rows[at, i + 1]
    return np.asarray(grid[i] - y0 * (grid[i + 1] - grid[i]) / (y1 - y0))


def _unrepeated(a: str, b: str, lead: FloatArray) -> str:
    ahead = a if float(lead.mean()) >= 0 else b
    return tr(
        "The curve of {ahead} lies above in all of it; nothing was repeated, so that it cannot be told.", ahead=ahead
    )


def _pair_words(stretches: Sequence[LeadStretch], crossings: Sequence[Crossover]) -> str:
    """What can be said of the stretches, in a sentence."""
    whole = len(stretches) == 1
    by_ahead: dict[str, list[LeadStretch]] = {}
    for s in stretches:
        by_ahead.setdefault(s.ahead, []).append(s)
    told = [_stretch_words(ahead, own, whole) for ahead, own in by_ahead.items() if ahead != CANNOT]
    if not told:
        return tr(
            "It cannot be told who is ahead from {range}.", range=_range(stretches[0].low_w, stretches[-1].high_w)
        )
    words = f"{'; '.join(told)}."
    if not whole and any(s.ahead == CANNOT for s in stretches) and not crossings:
        words += tr(" Elsewhere it cannot be told.")
    return words[0].upper() + words[1:]


def _stretch_words(ahead: str, own: Sequence[LeadStretch], whole: bool) -> str:
    where = listed([_range(s.low_w, s.high_w) for s in own])
    if ahead == NEITHER:
        return tr("no difference that matters from {where}", where=where)
    return tr(
        "{ahead} is ahead {what}from {where}", ahead=ahead, what=tr("in all of it, ") if whole else "", where=where
    )


def _range(low_w: float, high_w: float) -> str:
    return tr("{low_w:.1f} to {high_w:.1f} W", low_w=low_w, high_w=high_w)
