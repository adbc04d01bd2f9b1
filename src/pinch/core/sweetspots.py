"""The limit worth choosing, by four rules: most per watt, where it turns, last watt worth it, nearly all of it.

On a curve without a bend they lie far apart, so that all four are always given. Where a single one is needed it is
`95 %`. `knee` is the largest distance from the chord of the normalised curve (Satopaa et al., Finding a “Kneedle” in a
Haystack, 2011); it depends on the range that was measured.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pinch.core.ladder import Ladder
from pinch.core.parabola import lowest_between
from pinch.core.runlog import FloatArray

EFFICIENCY, KNEE, MARGINAL, NEARLY_ALL = "efficiency", "knee", "marginal", "95%"
RULES = (EFFICIENCY, KNEE, MARGINAL, NEARLY_ALL)
PROMISES = {
    EFFICIENCY: "most per watt",
    KNEE: "where it turns",
    MARGINAL: "last watt worth it",
    NEARLY_ALL: "nearly all of it",
}
NEARLY_ALL_SHARE = 0.95
WORTH = 0.01
"""A watt is worth it while it brings so much of the score."""


@dataclass(frozen=True)
class SweetSpot:
    """The power that a rule names, W, with its 95 % interval (NaN: none can be had) and the score there. `edge` is
    `lowest` or `highest` where the rule ends at the edge of what was measured, so that the true spot may lie beyond."""

    rule: str
    power_w: float
    low_w: float
    high_w: float
    score: float
    edge: str = ""


def sweet_spots(ladder: Ladder, worth: float = WORTH) -> dict[str, SweetSpot]:
    """The spots of all four rules by rule; `worth` is the share of the score that the last watt has to bring."""
    rules: dict[str, Callable[[FloatArray, FloatArray], FloatArray]] = {
        EFFICIENCY: _efficiency,
        KNEE: _knee,
        MARGINAL: lambda power, rows: _marginal(power, rows, worth),
        NEARLY_ALL: _nearly_all,
    }
    return {rule: _spot(ladder, rule, find) for rule, find in rules.items()}


def marginal_gain(ladder: Ladder) -> FloatArray:
    """What one more watt brings, % of the score, at each power of the curve, (k,)."""
    return np.asarray(100.0 * _gain(ladder.power, ladder.score[None, :])[0])


def spot_draws(ladder: Ladder) -> FloatArray:
    """Where the draws of a ladder put the 95 % spot, (r,) W."""
    return _nearly_all(ladder.power, ladder.draws)


def _spot(ladder: Ladder, rule: str, find: Callable[[FloatArray, FloatArray], FloatArray]) -> SweetSpot:
    power = float(find(ladder.power, ladder.score[None, :])[0])
    low = high = float("nan")
    if len(ladder.draws):
        low, high = (float(x) for x in np.percentile(find(ladder.power, ladder.draws), [2.5, 97.5]))
    step = ladder.power[1] - ladder.power[0]
    edge = "lowest" if power < ladder.power[0] + step else "highest" if power > ladder.power[-1] - step else ""
    return SweetSpot(rule, power, low, high, ladder.at(power), edge)


def _efficiency(power: FloatArray, rows: FloatArray) -> FloatArray:
    return _top(power, rows / power)


def _knee(power: FloatArray, rows: FloatArray) -> FloatArray:
    rise = rows[:, -1:] - rows[:, :1]
    with np.errstate(divide="ignore", invalid="ignore"):
        shape = np.where(rise > 0.0, (rows - rows[:, :1]) / rise, 0.0)
    return _top(power, shape - (power - power[0]) / (power[-1] - power[0]))


def _nearly_all(power: FloatArray, rows: FloatArray) -> FloatArray:
    wanted = NEARLY_ALL_SHARE * rows.max(axis=1)
    return first_reach(power, rows, wanted)


def _marginal(power: FloatArray, rows: FloatArray, worth: float) -> FloatArray:
    gain = _gain(power, rows)
    enough = gain >= worth
    last = rows.shape[1] - 1 - np.argmax(enough[:, ::-1], axis=1)
    after = np.minimum(last + 1, rows.shape[1] - 1)
    at = np.arange(len(rows))
    fall = gain[at, last] - gain[at, after]
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(fall > 0.0, (gain[at, last] - worth) / fall, 0.0)
    found = power[last] + np.clip(part, 0.0, 1.0) * (power[after] - power[last])
    return np.asarray(np.where(enough.any(axis=1), found, power[0]))


def _gain(power: FloatArray, rows: FloatArray) -> FloatArray:
    """d ln y / dP, 1/W."""
    return np.asarray(np.gradient(np.log(rows), power, axis=1))


def first_reach(power: FloatArray, rows: FloatArray, wanted: FloatArray) -> FloatArray:
    """The least power at which each row (r, k), never falling, reaches its score (r,); NaN where it never does."""
    reached = rows >= wanted[:, None]
    first = np.argmax(reached, axis=1)
    before = np.maximum(first - 1, 0)
    at = np.arange(len(rows))
    rise = rows[at, first] - rows[at, before]
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(rise > 0.0, (wanted - rows[at, before]) / rise, 1.0)
    found = power[before] + np.clip(part, 0.0, 1.0) * (power[first] - power[before])
    return np.asarray(np.where(reached.any(axis=1), found, np.nan))


def _top(power: FloatArray, rows: FloatArray) -> FloatArray:
    """Where each row is largest."""
    return lowest_between(power, -rows)
