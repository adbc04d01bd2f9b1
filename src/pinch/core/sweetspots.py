"""The limit worth choosing, by four rules: most per watt, where it turns, last watt worth it, nearly all of it.

On a curve without a bend they lie far apart, so that all four are always given. Where a single one is needed it is
`95 %`. `knee` is the largest distance from the chord of the normalised curve (Satopaa et al., Finding a “Kneedle” in a
Haystack, 2011); it depends on the range that was measured.
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from pinch.core.curve_shape import FREE
from pinch.core.ladder import Ladder
from pinch.core.parabola import lowest_between
from pinch.core.runlog import FloatArray
from pinch.language import tr

EFFICIENCY, KNEE, MARGINAL, NEARLY_ALL = "efficiency", "knee", "marginal", "95%"
RULES = (EFFICIENCY, KNEE, MARGINAL, NEARLY_ALL)
PROMISES = {
    EFFICIENCY: tr("most per watt"),
    KNEE: tr("where it turns"),
    MARGINAL: tr("last watt worth it"),
    NEARLY_ALL: tr("nearly all of it"),
}
NEARLY_ALL_SHARE = 0.95
WORTH = 0.01
"""A watt is worth it while it brings so much of the score."""

AS_HIGH, AT_A_CORNER = 0.025, 0.0075
"""The least share of draws that are as high somewhere as at the spot. A free shape may have two corners; then it turns
at one of them, at the edge of where its draws put it."""
LOW_OF_FREE = 0.75
"""Percentile of the low end of a spot on a free shape. The top of a curve that may not fall is too high rather than too
low where rungs are off, and the spots of its draws lie too far up with it; by trial, bench/ladders.py measures it."""
CORNER_SHARE = 0.5
"""Of what the gain falls from one neighbour of a step to the other: a larger jump within the step is a corner."""


class SweetSpot(Struct, frozen=True):
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
    return {
        EFFICIENCY: _top_spot(ladder, EFFICIENCY, _per_watt, AS_HIGH),
        KNEE: _top_spot(ladder, KNEE, _above_chord, AT_A_CORNER if ladder.shape == FREE else AS_HIGH),
        MARGINAL: _spot(ladder, MARGINAL, lambda power, rows: _marginal(power, rows, worth)),
        NEARLY_ALL: _spot(ladder, NEARLY_ALL, _nearly_all),
    }


def marginal_gain(ladder: Ladder) -> FloatArray:
    """What one more watt brings, % of the score, at each power of the curve, (k,)."""
    return np.asarray(100.0 * _gain(ladder.power, ladder.score[None, :])[0])


def spot_draws(ladder: Ladder) -> FloatArray:
    """Where the draws of a ladder put the 95 % spot, (r,) W."""
    return _nearly_all(ladder.power, ladder.draws)


Rule = Callable[[FloatArray, FloatArray], FloatArray]
"""Watts (k,) and rows of scores (r, k) to where each row has its spot, (r,) W, or to what is largest there, (r, k)."""


def _spot(ladder: Ladder, rule: str, find: Rule) -> SweetSpot:
    power = float(find(ladder.power, ladder.score[None, :])[0])
    low = high = float("nan")
    step = float(ladder.power[1] - ladder.power[0])
    if len(ladder.draws):
        ends = [LOW_OF_FREE if ladder.shape == FREE else 2.5, 97.5]
        low, high = (float(x) for x in np.percentile(find(ladder.power, ladder.draws), ends))
        least, most = float(ladder.power[0]), float(ladder.power[-1])
        low = max(least, min(low, power - step / 2.0))  # no finer than the curve is drawn
        high = min(most, max(high, power + step / 2.0))
    edge = "lowest" if power < ladder.power[0] + step else "highest" if power > ladder.power[-1] - step else ""
    return SweetSpot(rule, power, low, high, ladder.at(power), edge)


def _top_spot(ladder: Ladder, rule: str, height: Rule, share: float) -> SweetSpot:
    """Where something is largest. Its interval holds all places that are no lower than the spot in a share of the
    draws: what is nearly flat on top has its highest place anywhere."""
    spot = _spot(ladder, rule, lambda power, rows: lowest_between(power, -height(power, rows)))
    if not len(ladder.draws):
        return spot
    heights = height(ladder.power, ladder.draws)
    at = int(np.argmin(np.abs(ladder.power - spot.power_w)))
    as_high = ladder.power[(heights >= heights[:, at : at + 1]).mean(axis=0) >= share]
    return replace(spot, low_w=min(spot.low_w, as_high[0]), high_w=max(spot.high_w, as_high[-1]))


def _per_watt(power: FloatArray, rows: FloatArray) -> FloatArray:
    return rows / power


def _above_chord(power: FloatArray, rows: FloatArray) -> FloatArray:
    rise = rows[:, -1:] - rows[:, :1]
    with np.errstate(divide="ignore", invalid="ignore"):
        shape = np.where(rise > 0.0, (rows - rows[:, :1]) / rise, 0.0)
    return np.asarray(shape - (power - power[0]) / (power[-1] - power[0]))


def _nearly_all(power: FloatArray, rows: FloatArray) -> FloatArray:
    wanted = NEARLY_ALL_SHARE * rows.max(axis=1)
    return first_reach(power, rows, wanted)


def _marginal(power: FloatArray, rows: FloatArray, worth: float) -> FloatArray:
    # Between neighbours, so that a corner is not blurred over more than the step that it is in.
    gain = np.diff(np.log(rows), axis=1) / np.diff(power)
    middle = 0.5 * (power[1:] + power[:-1])
    enough = gain >= worth
    last = gain.shape[1] - 1 - np.argmax(enough[:, ::-1], axis=1)
    after = np.minimum(last + 1, gain.shape[1] - 1)
    at = np.arange(len(rows))
    fall = gain[at, last] - gain[at, after]
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(fall > 0.0, (gain[at, last] - worth) / fall, 0.0)
    found = middle[last] + np.clip(part, 0.0, 1.0) * (middle[after] - middle[last])
    found = _at_corners(power, gain, last, found)
    found = np.where(enough[:, -1], power[-1], found)
    return np.asarray(np.where(enough.any(axis=1), found, power[0]))


def _at_corners(power: FloatArray, gain: FloatArray, last: NDArray[np.intp], found: FloatArray) -> FloatArray:
    """Where a corner lies in the last step with enough gain (r,) or in the one after it, its place within the step: the
    step's gain is that of both sides, each carried on, by their shares (A. Harten, J. Comput. Phys. 83, 1989: subcell
    resolution)."""
    wanted = np.stack([last, last + 1])
    steps = np.clip(wanted, 2, gain.shape[1] - 3)
    two_before, before, own, after, two_after = (gain[np.arange(len(gain)), steps + by] for by in range(-2, 3))
    left, right = 2.0 * before - two_before, 2.0 * after - two_after
    jump, drop = left - right, before - after
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.clip((own - right) / jump, 0.0, 1.0)
    corner = power[steps] + share * np.diff(power)[steps]
    is_here = (jump > CORNER_SHARE * drop) & (drop > 0.0) & (steps == wanted)
    of_first = is_here[0] & ~(is_here[1] & (jump[1] > jump[0]))
    return np.asarray(np.where(of_first, corner[0], np.where(is_here[1], corner[1], found)))


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
