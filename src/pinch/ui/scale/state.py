"""What the Scale page shows: devices and workloads over their watts, in words and rows. No Qt."""

from collections.abc import Sequence

import numpy as np

from pinch.bench.summaries import origin_words
from pinch.compose import ScalePoint, ScaleResult, Series
from pinch.compose.saying.scaling import rate_words
from pinch.compose.saying.verdicts import ANSWERS, percent
from pinch.core.crossing import AtWatts, Crossover, at_watts
from pinch.core.explain import Explanation
from pinch.core.ladder import FREE, LAW, RISE
from pinch.core.sweetspots import (
    EFFICIENCY,
    KNEE,
    MARGINAL,
    NEARLY_ALL,
    PROMISES,
    RULES,
    SweetSpot,
)
from pinch.ui.judge.state import plus_minus
from pinch.ui.rows import TableRow

SPOT_COLUMNS = ("", "Curve", *(f"{PROMISES[rule].capitalize()}, W" for rule in RULES), "Next, W", "Held by")
READER_COLUMNS = ("", "Score", "95 %", "Against the best", "95 %", "Answer")
CROSSING_COLUMNS = ("", "Trade places at", "95 %", "Leads below", "Leads above", "")
TARGET_COLUMNS = ("", "Least watts", "95 %", "A cap there saves", "")
GROUP_COLUMNS = ("Watts ± 10 %", "Settings that draw them, best first")
SETTING_COLUMNS = ("Setting", "Device", "Claimed W", "Measured W", "Off by", "Score", "Runs", "Window or source")
SHAPES = {RISE: "rise to a ceiling", FREE: "free shape"}
_MEANINGS = {
    EFFICIENCY: "The measured power at which the score per watt is largest.",
    KNEE: "The power at which the curve is furthest above the straight line from its first to its last point.",
    MARGINAL: "The last watt that still brings enough of the score, 1 % unless chosen.",
    NEARLY_ALL: "The least measured power at which the fitted curve reaches 95 % of its best score.",
}


def spot_rows(result: ScaleResult) -> list[TableRow]:
    """The four sweet spots of each series side by side."""
    rows = []
    for s in result.series:
        if s.scaling is None:
            rows.append(TableRow((s.name, f"no curve: {s.reason}", "", "", "", "", "", s.bound_by), aside=True))
            continue
        ladder = s.scaling.ladder
        law = f"power law {ladder.exponent:.2f}" if ladder.shape == LAW else SHAPES[ladder.shape]
        spots = [s.scaling.spots[rule] for rule in RULES]
        cells = (s.name, law, *(_spot_words(spot) for spot in spots), f"{s.scaling.next_w:.0f}", s.bound_by)
        explained = {2 + n: explain_spot(result, s, spot) for n, spot in enumerate(spots)}
        rows.append(TableRow(cells, explain_curve(result, s), explained | {6: explain_next(s)}, of=s))
    return rows


def reader_rows(result: ScaleResult, power_w: float) -> list[TableRow]:
    """All curves read at the same watts, best first."""
    rows = []
    for workload_id in result.choice.workload_ids:
        ladders = {
            s.name: s.scaling.ladder for s in result.series if s.scaling is not None and s.workload.id == workload_id
        }
        for found in at_watts(ladders, power_w, delta=result.choice.delta):
            rows.append(_reader_row(found, power_w, result.choice.delta))
    return rows


def crossing_rows(result: ScaleResult) -> list[TableRow]:
    """Every pair of curves: where they trade places, or that they do not."""
    rows = []
    for p in result.pairings:
        pair = f"{p.a} and {p.b}"
        for c in p.crossings:
            interval = f"{c.low_w:.1f} to {c.high_w:.1f} W" if np.isfinite(c.low_w) else "not repeated"
            cells = (pair, f"{c.power_w:.1f} W", interval, c.below, c.above, p.words)
            rows.append(TableRow(cells, explain_crossing(c), of=c.power_w))
        if not p.crossings:
            rows.append(TableRow((pair, "none", "", "", "", p.words), aside=True))
    return rows


def target_rows(result: ScaleResult) -> list[TableRow]:
    """The least watts of each series for the wanted score."""
    rows = []
    for s in result.series:
        target = s.scaling.target if s.scaling else None
        if target is None or s.scaling is None:
            rows.append(TableRow((s.name, "", "", "", s.reason or "Type a target."), aside=True))
            continue
        known = np.isfinite(target.power_w)
        words = target.words
        if result.choice.low_share and s.scaling.lows is None:
            words = f"{words} Its lows are not known, so only the average is asked for.".strip()
        cells = (
            s.name,
            f"{target.power_w:.1f} W" if known else "not measured",
            f"{target.low_w:.1f} to {target.high_w:.1f} W" if np.isfinite(target.low_w) else "",
            f"{target.saved_w:.1f} W" if known and target.saved_w > 0.05 else "",
            words,
        )
        rows.append(TableRow(cells, explain_target(result, s), of=target.power_w if known else None))
    return rows


def group_rows(result: ScaleResult) -> list[TableRow]:
    """Settings of different devices that draw the same watts."""
    scores = {(s.name, r.cell): r.score for s in result.series if s.scaling is not None for r in s.scaling.ladder.rungs}
    rows = []
    for e in result.envelopes:
        members = sorted(e.members, key=lambda m: -scores[m])
        words = "   ".join(f"{name}, {cell}: {scores[name, cell]:.4g}" for name, cell in members)
        rows.append(TableRow((f"{e.power_w:.1f} W", words), of=e.power_w))
    return rows


def setting_rows(result: ScaleResult) -> list[TableRow]:
    """One row a setting of each series, by measured watts, then one a score that is told; then what was left out."""
    rows = []
    for s in result.series:
        by_setting: dict[str, list[ScalePoint]] = {}
        for p in sorted(s.points, key=lambda p: p.power_w):
            by_setting.setdefault(p.of.setting.name, []).append(p)
        rows += [_setting_row(s, name, points) for name, points in by_setting.items()]
        for t in s.told:
            told_w = f"told {t.summary.power_w:.1f}" if t.summary.power_w else ""
            claimed = f"{t.of.setting.sustained_w:g}" if t.of.setting.sustained_w else ""
            score = f"{t.summary.score:.4g}"
            cells = (t.of.setting.name, s.name, claimed, told_w, "", score, "", origin_words(t.summary))
            rows.append(TableRow(cells, of=t.of.run.id, aside=True))
        rows += [TableRow((n.text, s.name, "", "", "", "", "", "left out"), aside=True) for n in s.left_out]
    return rows


def measured(result: ScaleResult) -> list[ScalePoint]:
    """All runs in the order in which the chart draws them."""
    return [p for s in result.series for p in s.points]


def explain_spot(result: ScaleResult, s: Series, spot: SweetSpot) -> Explanation:
    """A rule with this device's numbers."""
    assert s.scaling is not None
    ladder, unit = s.scaling.ladder, rate_words(result)[1]
    best = float(ladder.score.max())
    formula = {
        NEARLY_ALL: (f"0.95 × {best:.4g} = {0.95 * best:.4g} {unit}", f"curve(P) = {0.95 * best:.4g}"),
        EFFICIENCY: (f"y / P = {spot.score:.4g} / {spot.power_w:.4g}", f"= {spot.score / spot.power_w:.4g} {unit}/W"),
        KNEE: (f"from {ladder.power[0]:.1f} W, {ladder.score[0]:.4g}", f"to {ladder.power[-1]:.1f} W, {best:.4g}"),
        MARGINAL: (f"d ln y / dP ≥ {100 * result.choice.worth:g} % a W", f"y = {spot.score:.4g} {unit}"),
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


def explain_curve(result: ScaleResult, s: Series) -> Explanation:
    """The curve itself."""
    assert s.scaling is not None
    ladder = s.scaling.ladder
    if ladder.shape == LAW:
        formula: tuple[str, ...] = ("y = c · (P − P₀)^b", f"b = {ladder.exponent:.3f}, P₀ = {ladder.offset_w:.2f} W")
    elif ladder.shape == RISE:
        formula = ("y = a − d · g(P)", f"ceiling not reached; {ladder.score.max():.4g} at the most watts")
    else:
        formula = ("never falls, never bends up", "least squares through the settings")
    scatter = ladder.scatter
    known = (
        f"Run-to-run scatter {100 * scatter.sd:.2g} % from {scatter.df} degrees of freedom." if scatter.known else ""
    )
    return Explanation(
        f"Curve of {s.name}",
        "Each point stands at the power that was measured, not at its label. The power law is used where the repeats "
        "do not reject it; else a rise to a ceiling, else a free shape.",
        (*formula, ladder.why),
        f"{len(ladder.rungs)} settings, {len(s.points)} runs, {ladder.power[0]:.1f} to {ladder.power[-1]:.1f} W.",
        known or "No setting was repeated, so no interval can be claimed.",
        "curves-over-watts",
        tuple(w.text for w in s.scaling.warnings),
    )


def explain_next(s: Series) -> Explanation:
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
        (f"{c.below} leads below {c.power_w:.1f} W", f"{c.above} leads above", f"both give {c.score:.4g} there"),
        "The range of watts that both were measured at.",
        " ".join(filter(None, (_interval_words(c.low_w, c.high_w), sure))),
        "crossovers",
    )


def explain_target(result: ScaleResult, s: Series) -> Explanation:
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


def _setting_row(s: Series, name: str, points: Sequence[ScalePoint]) -> TableRow:
    watts = np.array([p.power_w for p in points])
    claimed = points[0].claimed_w
    spread = plus_minus(float(watts.std(ddof=1))) if len(watts) > 1 else ""
    states = [p.of.digest.state for p in points]
    worst = next((state for state in ("drifting", "settled") if state in states), "")
    cells = (
        name,
        s.name,
        f"{claimed:g}" if claimed else "",
        f"{watts.mean():.1f} {spread}".rstrip(),
        _off_by(float(watts.mean()), claimed),
        f"{np.mean([p.score for p in points]):.4g}",
        str(len(points)),
        worst,
    )
    return TableRow(cells, of=points[0].of.run.id)


def _off_by(watts: float, claimed: float | None) -> str:
    """Measured against claimed, in %."""
    if not claimed:
        return ""
    percent = round(100 * (watts / claimed - 1))
    return f"{percent:+d} %".replace("-", "−") if percent else "0 %"


def _reader_row(found: AtWatts, power_w: float, delta: float) -> TableRow:
    if not np.isfinite(found.score):
        return TableRow((found.name, "not measured there", "", "", "", ""), aside=True)
    interval = f"{found.low:.4g} to {found.high:.4g}" if np.isfinite(found.low) else ""
    if found.verdict is None:
        return TableRow((found.name, f"{found.score:.4g}", interval, "the best here", "", ""))
    v = found.verdict
    own = f"{percent(v.low)} to {percent(v.high)}" if v.has_interval else ""
    cells = (found.name, f"{found.score:.4g}", interval, percent(v.ratio), own, ANSWERS[v.answer])
    explained = Explanation(
        f"{found.name} at {power_w:.1f} W",
        f"Read off its curve, and set against the best one there. Below {100 * delta:g} % a difference does not "
        "matter.",
        (f"{found.score:.4g}", f"{percent(v.ratio)} ({own})" if own else percent(v.ratio)),
        "",
        "From draws of both curves.",
        "iso-power",
        tuple(filter(None, (v.words,))),
    )
    return TableRow(cells, explained)


def _spot_words(spot: SweetSpot) -> str:
    if spot.edge:
        return f"{'≤' if spot.edge == 'lowest' else '≥'} {spot.power_w:.1f}"
    interval = f" ({spot.low_w:.1f}–{spot.high_w:.1f})" if np.isfinite(spot.low_w) else ""
    return f"{spot.power_w:.1f}{interval}"


def _interval_words(low_w: float, high_w: float) -> str:
    if not np.isfinite(low_w):
        return "No interval can be claimed."
    return f"95 % of 400 draws from the scatter of the runs: {low_w:.1f} to {high_w:.1f} W."
