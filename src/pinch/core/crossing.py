"""Two curves over watts: where they cross, and what the devices do at the same watts."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from pinch.core.ladder import Ladder
from pinch.core.runlog import FloatArray
from pinch.core.verdict import DELTA, Answer, Verdict, answer

STEPS = 200
ENVELOPE = 0.10
OFTEN = 0.5
"""A crossing that fewer of the draws have may be chance."""


@dataclass(frozen=True)
class Crossover:
    """At `power_w` (95 % interval `low_w` to `high_w`, NaN: none) the lead passes from `below` to `above`. `sure` is
    the share of the draws that have it (NaN: no draws)."""

    below: str
    above: str
    power_w: float
    low_w: float
    high_w: float
    score: float
    sure: float


@dataclass(frozen=True)
class Pairing:
    """All crossings of two ladders over the shared range (NaN: there is none), and what is said where there are
    none."""

    a: str
    b: str
    low_w: float
    high_w: float
    crossings: tuple[Crossover, ...]
    words: str


@dataclass(frozen=True)
class AtWatts:
    """A ladder at a power: its score (NaN: not measured there) and its verdict against the base."""

    name: str
    score: float
    low: float
    high: float
    verdict: Verdict | None


@dataclass(frozen=True)
class Envelope:
    """Settings that draw the same watts within ±10 %: their middle W, and (ladder, setting) of each."""

    power_w: float
    members: tuple[tuple[str, str], ...]


def pair_up(name_a: str, a: Ladder, name_b: str, b: Ladder) -> Pairing:
    """All powers of the shared range at which the curves cross."""
    low, high = max(a.power[0], b.power[0]), min(a.power[-1], b.power[-1])
    if low >= high:
        words = f"{name_a} and {name_b} share no range of measured watts."
        return Pairing(name_a, name_b, float("nan"), float("nan"), (), words)
    grid = np.linspace(low, high, STEPS)
    lead = _lead(a, b, grid, None)
    turns = _turns(grid, lead)
    draws = _lead(a, b, grid, min(len(a.draws), len(b.draws))) if turns else np.empty((0, STEPS))
    found = []
    for at, rising in turns:
        spots = _turns_of_rows(grid, draws, at, rising)
        low_w, high_w = np.percentile(spots, [2.5, 97.5]) if len(spots) > 1 else (np.nan, np.nan)
        sure = len(spots) / len(draws) if len(draws) else float("nan")
        below, above = (name_b, name_a) if rising else (name_a, name_b)
        found.append(Crossover(below, above, at, float(low_w), float(high_w), a.at(at), sure))
    return Pairing(name_a, name_b, float(low), float(high), tuple(found), _pair_words(name_a, name_b, lead, found))


def at_watts(
    ladders: Mapping[str, Ladder], power_w: float, base: str | None = None, delta: float = DELTA
) -> list[AtWatts]:
    """Every ladder at the same measured watts, best first; verdicts are against `base`, else against the best."""
    there = {name: ladder for name, ladder in ladders.items() if ladder.covers(power_w)}
    ranked = sorted(there, key=lambda name: -there[name].at(power_w))
    against = base if base in there else ranked[0] if ranked else None
    found = []
    for name in [*ranked, *(n for n in ladders if n not in there)]:
        ladder = ladders[name]
        if name not in there:
            found.append(AtWatts(name, float("nan"), float("nan"), float("nan"), None))
            continue
        low, high = np.percentile(ladder.draws_at(power_w), [2.5, 97.5]) if len(ladder.draws) else (np.nan, np.nan)
        verdict = None if name == against or against is None else _verdict(ladder, there[against], power_w, delta)
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


def all_pairs(ladders: Mapping[str, Ladder]) -> list[Pairing]:
    """Every two ladders once."""
    return [pair_up(a, ladders[a], b, ladders[b]) for a, b in combinations(ladders, 2)]


def _verdict(ladder: Ladder, base: Ladder, power_w: float, delta: float) -> Verdict:
    gain = float(np.log(ladder.at(power_w) / base.at(power_w)))
    rows = min(len(ladder.draws), len(base.draws))
    if not rows:
        words = "no repeats: no interval can be claimed"
        return Verdict(float(np.exp(gain)), float("nan"), float("nan"), Answer.CANNOT_TELL, None, words)
    ratios = np.log(ladder.draws_at(power_w)[:rows] / base.draws_at(power_w)[_mixed(rows)])
    low95, low90, high90, high95 = np.percentile(ratios - gain, [2.5, 5.0, 95.0, 97.5])
    return answer(gain, max(-low95, high95), max(-low90, high90), delta)


def _lead(a: Ladder, b: Ladder, grid: FloatArray, rows: int | None) -> FloatArray:
    """Ln of a over b on the grid: of the curves (k,), else of so many draws (r, k)."""
    if rows is None:
        return np.asarray(np.log(np.interp(grid, a.power, a.score) / np.interp(grid, b.power, b.score)))
    return np.asarray(np.log(_on(a, grid, a.draws[:rows]) / _on(b, grid, b.draws[_mixed(rows)])))


def _on(ladder: Ladder, grid: FloatArray, rows: FloatArray) -> FloatArray:
    """Rows of a ladder's draws on another grid within its range."""
    place = np.interp(grid, ladder.power, np.arange(len(ladder.power)))
    below = np.minimum(place.astype(int), len(ladder.power) - 2)
    return np.asarray(rows[:, below] * (1.0 - (place - below)) + rows[:, below + 1] * (place - below))


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


def _pair_words(a: str, b: str, lead: FloatArray, found: Sequence[Crossover]) -> str:
    if not found:
        ahead = a if float(lead.mean()) >= 0 else b
        return f"No crossover in the shared range; {ahead} is ahead in all of it."
    if any(c.sure < OFTEN for c in found):
        return "The curves lie so close together that a crossing may be chance."
    return ""
