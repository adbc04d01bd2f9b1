"""What the margin says of curves, sweet spots, crossovers and targets."""

import numpy as np

from pinch.analysis.curves import CurveSeries, ScaleResult
from pinch.core.crossing import AtWatts, Crossover
from pinch.core.curve_shape import CORNER, LAW, RISE
from pinch.core.printing import in_percent, plain, told_once
from pinch.core.sweetspots import (
    EFFICIENCY,
    KNEE,
    MARGINAL,
    NEARLY_ALL,
    PROMISES,
    SweetSpot,
)
from pinch.core.verdict import Verdict
from pinch.language import tr
from pinch.narrative.curve_words import rate_words
from pinch.narrative.explanation import Explanation
from pinch.narrative.verdict_words import percent


def explain_spot(result: ScaleResult, s: CurveSeries, spot: SweetSpot) -> Explanation:
    """A rule with this device's numbers."""
    assert s.scaling is not None
    ladder, unit = s.scaling.ladder, rate_words(result)[1]
    best = float(ladder.score.max())
    formula = {
        NEARLY_ALL: (
            f"{plain(0.95)} × {plain(best)} = {plain(0.95 * best)} {unit}",
            tr("curve(P) = {best}", best=plain(0.95 * best)),
        ),
        EFFICIENCY: (
            tr("y / P = {score} / {power_w}", score=plain(spot.score), power_w=plain(spot.power_w)),
            tr("= {score} {unit}/W", score=plain(spot.score / spot.power_w), unit=unit),
        ),
        KNEE: (
            tr("from {power:.1f} W, {score}", power=ladder.power[0], score=plain(ladder.score[0])),
            tr("to {power:.1f} W, {best}", power=ladder.power[-1], best=plain(best)),
        ),
        MARGINAL: (
            tr("d ln y / dP ≥ {worth:g} % a W", worth=100 * result.choice.worth),
            tr("y = {score} {unit}", score=plain(spot.score), unit=unit),
        ),
    }[spot.rule]
    cautions = [w.text for w in s.scaling.warnings]
    if spot.edge:
        cautions.insert(
            0,
            tr(
                "It lies at the {edge} power that was measured; the true one may be beyond it.",
                edge=tr("lowest") if spot.edge == "lowest" else tr("highest"),
            ),
        )
    if spot.rule == KNEE:
        cautions.append(tr("Where a curve turns depends on the range that was measured."))
    return Explanation(
        f"{PROMISES[spot.rule].capitalize()}, {s.name}",
        _MEANINGS[spot.rule],
        (*formula, tr("P = {power_w:.1f} W", power_w=spot.power_w)),
        tr(
            "Measured range {from_w:.1f} to {to_w:.1f} W of the {axis}; nothing is said outside it.",
            from_w=ladder.power[0],
            to_w=ladder.power[-1],
            axis=result.choice.axis,
        ),
        _interval_words(spot.low_w, spot.high_w),
        "sweet-spots",
        (*cautions, *told_once(n.text for n in s.left_out)),
    )


def explain_curve(result: ScaleResult, s: CurveSeries) -> Explanation:
    """The curve itself."""
    assert s.scaling is not None
    ladder = s.scaling.ladder
    if ladder.shape == LAW:
        formula: tuple[str, ...] = (
            "y = c · (P − P₀)^b",
            tr("b = {exponent:.3f}, P₀ = {offset_w:.2f} W", exponent=ladder.exponent, offset_w=ladder.offset_w),
        )
    elif ladder.shape == RISE:
        formula = (
            "y = a − d · g(P)",
            tr("ceiling not reached; {score} at the most watts", score=plain(ladder.score.max())),
        )
    elif ladder.shape == CORNER:
        formula = (
            tr("y = c · (P − P₀)^b up to a corner, c′ · P^b′ above it"),
            tr("something else holds it from there on"),
        )
    else:
        formula = (tr("never falls, never bends up"), tr("a smooth bend beside the law that fits best"))
    scatter = ladder.scatter
    known = ""
    if scatter.known:
        known = tr("Run-to-run scatter {sd} from {df} degrees of freedom.", sd=in_percent(scatter.sd), df=scatter.df)
    if np.isfinite(ladder.rung_sd):
        known += tr(
            " A setting is off the curve by {rung_sd} more, which all of its runs share.",
            rung_sd=in_percent(ladder.rung_sd),
        )
    return Explanation(
        tr("Curve of {name}", name=s.name),
        tr(
            "Each point stands at the power that was measured, not at its label. The power law is "
            "used while no smooth bend beside it is likelier than none; else the likeliest of a "
            "rise to a ceiling, two laws that meet at a corner, and a smooth bend. The band is of "
            "all of them, each as far as it is likely."
        ),
        (*formula, ladder.why),
        tr(
            "{rungs} settings, {points} runs, {from_w:.1f} to {to_w:.1f} W.",
            rungs=len(ladder.rungs),
            points=len(s.points),
            from_w=ladder.power[0],
            to_w=ladder.power[-1],
        ),
        known or tr("No setting was repeated, so no interval can be claimed."),
        "curves-over-watts",
        tuple(w.text for w in s.scaling.warnings),
    )


def explain_next(s: CurveSeries) -> Explanation:
    """The next limit to measure."""
    assert s.scaling is not None
    return Explanation(
        tr("Next to measure, {name}", name=s.name),
        tr(
            "The untested limit that would narrow the interval of “nearly all of it” most. "
            "Ctrl+Shift+P sends it to the plan."
        ),
        (tr("{next_w:.1f} W", next_w=s.scaling.next_w),),
        "",
        "",
        "next-point",
    )


def explain_crossing(c: Crossover) -> Explanation:
    """Where two curves trade places."""
    sure = "" if np.isnan(c.sure) else tr("{sure:.0f} % of the draws have this crossing.", sure=100 * c.sure)
    return Explanation(
        tr("{below} and {above} trade places", below=c.below, above=c.above),
        tr("The measured power at which both curves give the same score."),
        (
            tr("{below} leads below {power_w:.1f} W", below=c.below, power_w=c.power_w),
            tr("{above} leads above", above=c.above),
            tr("both give {score} there", score=plain(c.score)),
        ),
        tr("The range of watts that both were measured at."),
        " ".join(filter(None, (_interval_words(c.low_w, c.high_w), sure))),
        "crossovers",
    )


def explain_target(result: ScaleResult, s: CurveSeries) -> Explanation:
    """The least watts for a wanted score."""
    assert s.scaling is not None and s.scaling.target is not None
    target, choice = s.scaling.target, result.choice
    low = (
        tr(", and a low of at least {low_share:.0f} % of it", low_share=100 * choice.low_share)
        if choice.low_share
        else ""
    )
    return Explanation(
        tr("{wanted:g} on {name}", wanted=target.wanted, name=s.name),
        tr("The least measured power whose average reaches {wanted:g}{low}.", wanted=target.wanted, low=low),
        (tr("P = {power_w:.1f} W", power_w=target.power_w),) if np.isfinite(target.power_w) else (),
        tr("Within what was measured; nothing is extrapolated."),
        _interval_words(target.low_w, target.high_w),
        "target",
        tuple(filter(None, (target.words,))),
    )


_MEANINGS = {
    EFFICIENCY: tr("The measured power at which the score per watt is largest."),
    KNEE: tr("The power at which the curve is furthest above the straight line from its first to its last point."),
    MARGINAL: tr("The last watt that still brings enough of the score, 1 % unless chosen."),
    NEARLY_ALL: tr("The least measured power at which the fitted curve reaches 95 % of its best score."),
}


def _interval_words(low_w: float, high_w: float) -> str:
    if not np.isfinite(low_w):
        return tr("No interval can be claimed.")
    return tr(
        "95 % of 400 draws, of how runs scatter and settings are off the curve: {low_w:.1f} to {high_w:.1f} W.",
        low_w=low_w,
        high_w=high_w,
    )


def explain_at_watts(found: AtWatts, v: Verdict, power_w: float, delta: float) -> Explanation:
    """A curve read at given watts, with its verdict against the best one there."""
    own = tr(" ({low} to {high})", low=percent(v.low), high=percent(v.high)) if v.has_interval else ""
    return Explanation(
        tr("{found} at {power_w:.1f} W", found=found.name, power_w=power_w),
        tr(
            "Read off its curve, and set against the best one there. Below {delta:g} % a difference does not matter.",
            delta=100 * delta,
        ),
        (f"{plain(found.score)}", f"{percent(v.ratio)}{own}"),
        "",
        tr("From draws of both curves."),
        "iso-power",
        tuple(filter(None, (v.words,))),
    )
