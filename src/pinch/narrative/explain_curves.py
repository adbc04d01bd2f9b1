"""What the margin says of curves, sweet spots, crossovers and targets."""

import numpy as np

from pinch.analysis.curves import CurveSeries, ScaleResult
from pinch.core.crossing import AtWatts, Crossover
from pinch.core.curve_shape import CORNER, LAW, RISE
from pinch.core.printing import in_percent, plain
from pinch.core.sweetspots import (
    EFFICIENCY,
    KNEE,
    MARGINAL,
    NEARLY_ALL,
    PROMISES,
    SweetSpot,
)
from pinch.core.verdict import Verdict
from pinch.narrative.curve_words import rate_words
from pinch.narrative.explanation import Explanation
from pinch.narrative.verdict_words import percent


def explain_spot(result: ScaleResult, s: CurveSeries, spot: SweetSpot) -> Explanation:
    """A rule with this device's numbers."""
    assert s.scaling is not None
    ladder, unit = s.scaling.ladder, rate_words(result)[1]
    best = float(ladder.score.max())
    formula = {
        NEARLY_ALL: (f"0.95 × {plain(best)} = {plain(0.95 * best)} {unit}", f"curve(P) = {plain(0.95 * best)}"),
        EFFICIENCY: (
            f"y / P = {plain(spot.score)} / {plain(spot.power_w)}",
            f"= {plain(spot.score / spot.power_w)} {unit}/W",
        ),
        KNEE: (
            f"from {ladder.power[0]:.1f} W, {plain(ladder.score[0])}",
            f"to {ladder.power[-1]:.1f} W, {plain(best)}",
        ),
        MARGINAL: (f"d ln y / dP ≥ {100 * result.choice.worth:g} % a W", f"y = {plain(spot.score)} {unit}"),
    }[spot.rule]
    cautions = [w.text for w in s.scaling.warnings]
    if spot.edge:
        cautions.insert(0, f"It lies at the {spot.edge} power that was measured; the true one may be beyond it.")
    if spot.rule == KNEE:
        cautions.append("Where a curve turns depends on the range that was measured.")
    return Explanation(
        f"{PROMISES[spot.rule].capitalize()}, {s.name}",
        _MEANINGS[spot.rule],
        (*formula, f"P = {spot.power_w:.1f} W"),
        f"Measured range {ladder.power[0]:.1f} to {ladder.power[-1]:.1f} W of the {result.choice.axis}; "
        "nothing is said outside it.",
        _interval_words(spot.low_w, spot.high_w),
        "sweet-spots",
        (*cautions, *(n.text for n in s.left_out)),
    )


def explain_curve(result: ScaleResult, s: CurveSeries) -> Explanation:
    """The curve itself."""
    assert s.scaling is not None
    ladder = s.scaling.ladder
    if ladder.shape == LAW:
        formula: tuple[str, ...] = ("y = c · (P − P₀)^b", f"b = {ladder.exponent:.3f}, P₀ = {ladder.offset_w:.2f} W")
    elif ladder.shape == RISE:
        formula = ("y = a − d · g(P)", f"ceiling not reached; {plain(ladder.score.max())} at the most watts")
    elif ladder.shape == CORNER:
        formula = ("y = c · (P − P₀)^b up to a corner, c′ · P^b′ above it", "something else holds it from there on")
    else:
        formula = ("never falls, never bends up", "a smooth bend beside the law that fits best")
    scatter = ladder.scatter
    known = ""
    if scatter.known:
        known = f"Run-to-run scatter {in_percent(scatter.sd)} from {scatter.df} degrees of freedom."
    if np.isfinite(ladder.rung_sd):
        known += f" A setting is off the curve by {in_percent(ladder.rung_sd)} more, which all of its runs share."
    return Explanation(
        f"Curve of {s.name}",
        "Each point stands at the power that was measured, not at its label. The power law is used while no smooth "
        "bend beside it is likelier than none; else the likeliest of a rise to a ceiling, two laws that meet at a "
        "corner, and a smooth bend. The band is of all of them, each as far as it is likely.",
        (*formula, ladder.why),
        f"{len(ladder.rungs)} settings, {len(s.points)} runs, {ladder.power[0]:.1f} to {ladder.power[-1]:.1f} W.",
        known or "No setting was repeated, so no interval can be claimed.",
        "curves-over-watts",
        tuple(w.text for w in s.scaling.warnings),
    )


def explain_next(s: CurveSeries) -> Explanation:
    """The next limit to measure."""
    assert s.scaling is not None
    return Explanation(
        f"Next to measure, {s.name}",
        "The untested limit that would narrow the interval of “nearly all of it” most. Ctrl+Shift+P sends it to the "
        "plan.",
        (f"{s.scaling.next_w:.1f} W",),
        "",
        "",
        "next-point",
    )


def explain_crossing(c: Crossover) -> Explanation:
    """Where two curves trade places."""
    sure = "" if np.isnan(c.sure) else f"{100 * c.sure:.0f} % of the draws have this crossing."
    return Explanation(
        f"{c.below} and {c.above} trade places",
        "The measured power at which both curves give the same score.",
        (f"{c.below} leads below {c.power_w:.1f} W", f"{c.above} leads above", f"both give {plain(c.score)} there"),
        "The range of watts that both were measured at.",
        " ".join(filter(None, (_interval_words(c.low_w, c.high_w), sure))),
        "crossovers",
    )


def explain_target(result: ScaleResult, s: CurveSeries) -> Explanation:
    """The least watts for a wanted score."""
    assert s.scaling is not None and s.scaling.target is not None
    target, choice = s.scaling.target, result.choice
    low = f", and a low of at least {100 * choice.low_share:.0f} % of it" if choice.low_share else ""
    return Explanation(
        f"{target.wanted:g} on {s.name}",
        f"The least measured power whose average reaches {target.wanted:g}{low}.",
        (f"P = {target.power_w:.1f} W",) if np.isfinite(target.power_w) else (),
        "Within what was measured; nothing is extrapolated.",
        _interval_words(target.low_w, target.high_w),
        "target",
        tuple(filter(None, (target.words,))),
    )


_MEANINGS = {
    EFFICIENCY: "The measured power at which the score per watt is largest.",
    KNEE: "The power at which the curve is furthest above the straight line from its first to its last point.",
    MARGINAL: "The last watt that still brings enough of the score, 1 % unless chosen.",
    NEARLY_ALL: "The least measured power at which the fitted curve reaches 95 % of its best score.",
}


def _interval_words(low_w: float, high_w: float) -> str:
    if not np.isfinite(low_w):
        return "No interval can be claimed."
    return f"95 % of 400 draws, of how runs scatter and settings are off the curve: {low_w:.1f} to {high_w:.1f} W."


def explain_at_watts(found: AtWatts, v: Verdict, power_w: float, delta: float) -> Explanation:
    """A curve read at given watts, with its verdict against the best one there."""
    own = f" ({percent(v.low)} to {percent(v.high)})" if v.has_interval else ""
    return Explanation(
        f"{found.name} at {power_w:.1f} W",
        f"Read off its curve, and set against the best one there. Below {100 * delta:g} % a difference does not "
        "matter.",
        (f"{plain(found.score)}", f"{percent(v.ratio)}{own}"),
        "",
        "From draws of both curves.",
        "iso-power",
        tuple(filter(None, (v.words,))),
    )
