"""What the Scale page shows: devices and workloads over their watts, in words and rows. No Qt."""

from functools import partial

import numpy as np

from pinch.analysis.curves import CurveSeries, ScalePoint, ScaleResult, SettingMean
from pinch.core.crossing import AtWatts, at_watts
from pinch.core.curve_shape import CORNER, FREE, LAW, RISE
from pinch.core.figures import UNSETTLED
from pinch.core.printing import plain
from pinch.core.sweetspots import (
    PROMISES,
    RULES,
    SweetSpot,
)
from pinch.language import numeral, tr
from pinch.narrative.explain_curves import (
    explain_at_watts,
    explain_crossing,
    explain_curve,
    explain_next,
    explain_spot,
    explain_target,
)
from pinch.narrative.verdict_words import percent
from pinch.ui.judge.state import plus_minus
from pinch.ui.table_rows import Explain, TableRow

SPOT_COLUMNS = (
    "",
    tr("Curve"),
    *(tr("{words}, W", words=PROMISES[rule].capitalize()) for rule in RULES),
    tr("Next, W"),
    tr("Held by"),
)
READER_COLUMNS = ("", tr("Score"), "95 %", tr("Against the best"), "95 %", tr("Answer"))
CROSSING_COLUMNS = ("", tr("Trade places at"), "95 %", tr("Leads below"), tr("Leads above"), "")
TARGET_COLUMNS = ("", tr("Least watts"), "95 %", tr("A cap there saves"), "")
GROUP_COLUMNS = (tr("Watts ± 10 %"), tr("Settings that draw them, best first"))
SETTING_COLUMNS = (
    tr("Setting"),
    tr("Device"),
    tr("Claimed W"),
    tr("Measured W"),
    tr("Off by"),
    tr("Score"),
    tr("Runs"),
    tr("Window or source"),
)
SHAPES = {RISE: tr("rise to a ceiling"), CORNER: tr("a corner"), FREE: tr("free shape")}


def spot_rows(result: ScaleResult) -> list[TableRow]:
    """The four sweet spots of each series side by side."""
    rows = []
    for s in result.series:
        if s.scaling is None:
            rows.append(
                TableRow(
                    (s.name, tr("no curve: {reason}", reason=s.reason), "", "", "", "", "", s.bound_by), aside=True
                )
            )
            continue
        ladder = s.scaling.ladder
        law = tr("power law {exponent:.2f}", exponent=ladder.exponent) if ladder.shape == LAW else SHAPES[ladder.shape]
        spots = [s.scaling.spots[rule] for rule in RULES]
        cells = (s.name, law, *(_spot_words(spot) for spot in spots), numeral(s.scaling.next_w, ".0f"), s.bound_by)
        of_spots: dict[int, Explain] = {2 + n: partial(explain_spot, result, s, spot) for n, spot in enumerate(spots)}
        rows.append(TableRow(cells, partial(explain_curve, result, s), of_spots | {6: partial(explain_next, s)}, of=s))
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
        pair = tr("{a} and {b}", a=p.a, b=p.b)
        for c in p.crossings:
            interval = (
                tr("{low_w:.1f} to {high_w:.1f} W", low_w=c.low_w, high_w=c.high_w)
                if np.isfinite(c.low_w)
                else tr("not repeated")
            )
            cells = (pair, tr("{power_w:.1f} W", power_w=c.power_w), interval, c.below, c.above, p.words)
            rows.append(TableRow(cells, partial(explain_crossing, c), of=c.power_w))
        if not p.crossings:
            rows.append(TableRow((pair, tr("none"), "", "", "", p.words), aside=True))
    return rows


def target_rows(result: ScaleResult) -> list[TableRow]:
    """The least watts of each series for the wanted score."""
    rows = []
    for s in result.series:
        target = s.scaling.target if s.scaling else None
        if target is None or s.scaling is None:
            rows.append(TableRow((s.name, "", "", "", s.reason or tr("Type a target.")), aside=True))
            continue
        known = np.isfinite(target.power_w)
        words = target.words
        if result.choice.low_share and s.scaling.lows is None:
            words = tr("{words} Its lows are not known, so only the average is asked for.", words=words).strip()
        cells = (
            s.name,
            tr("{power_w:.1f} W", power_w=target.power_w) if known else tr("not measured"),
            tr("{low_w:.1f} to {high_w:.1f} W", low_w=target.low_w, high_w=target.high_w)
            if np.isfinite(target.low_w)
            else "",
            tr("{saved_w:.1f} W", saved_w=target.saved_w) if known and target.saved_w > 0.05 else "",
            words,
        )
        rows.append(TableRow(cells, partial(explain_target, result, s), of=target.power_w if known else None))
    return rows


def group_rows(result: ScaleResult) -> list[TableRow]:
    """Settings of different devices that draw the same watts."""
    scores = {(s.name, r.cell): r.score for s in result.series if s.scaling is not None for r in s.scaling.ladder.rungs}
    rows = []
    for e in result.envelopes:
        members = sorted(e.members, key=lambda m: -scores[m])
        words = "   ".join(f"{name}, {cell}: {plain(scores[name, cell])}" for name, cell in members)
        rows.append(TableRow((tr("{power_w:.1f} W", power_w=e.power_w), words), of=e.power_w))
    return rows


def setting_rows(result: ScaleResult) -> list[TableRow]:
    """One row a setting of each series, by measured watts, then one a score that is told; then what was left out."""
    rows = []
    for s in result.series:
        rows += [_setting_row(s, mean) for mean in s.settings]
        for t in s.told:
            told_w = tr("told {power_w:.1f}", power_w=t.power_w) if t.power_w else ""
            claimed = numeral(t.setting.sustained_w, "g") if t.setting.sustained_w else ""
            cells = (t.setting.name, s.name, claimed, told_w, "", plain(t.score), "", t.words)
            rows.append(TableRow(cells, of=t.of.run.id if t.of else None, aside=True))
        rows += [TableRow((n.text, s.name, "", "", "", "", "", tr("left out")), aside=True) for n in s.left_out]
    return rows


def measured(result: ScaleResult) -> list[ScalePoint]:
    """All runs in the order in which the chart draws them."""
    return [p for s in result.series for p in s.points]


def _setting_row(s: CurveSeries, mean: SettingMean) -> TableRow:
    watts = np.array([p.power_w for p in mean.points])
    spread = plus_minus(float(watts.std(ddof=1))) if len(watts) > 1 else ""
    worst = next((state for state in UNSETTLED if state in mean.states), mean.states[0])
    cells = (
        mean.name,
        s.name,
        numeral(mean.claimed_w, "g") if mean.claimed_w else "",
        f"{numeral(mean.power_w, '.1f')} {spread}".rstrip(),
        _off_by(mean.power_w, mean.claimed_w),
        plain(mean.score),
        str(len(mean.points)),
        tr(worst),
    )
    return TableRow(cells, of=mean.points[0].of.run.id)


def _off_by(watts: float, claimed: float | None) -> str:
    """Measured against claimed, in %."""
    if not claimed:
        return ""
    percent = round(100 * (watts / claimed - 1))
    return f"{numeral(percent, '+d')} %".replace("-", "−") if percent else "0 %"


def _reader_row(found: AtWatts, power_w: float, delta: float) -> TableRow:
    if not np.isfinite(found.score):
        return TableRow((found.name, tr("not measured there"), "", "", "", ""), aside=True)
    interval = tr("{low} to {high}", low=plain(found.low), high=plain(found.high)) if np.isfinite(found.low) else ""
    if found.verdict is None:
        return TableRow((found.name, f"{plain(found.score)}", interval, tr("the best here"), "", ""))
    v = found.verdict
    own = tr("{low} to {high}", low=percent(v.low), high=percent(v.high)) if v.has_interval else ""
    cells = (found.name, f"{plain(found.score)}", interval, percent(v.ratio), own, v.answer.phrase)
    return TableRow(cells, partial(explain_at_watts, found, v, power_w, delta))


def _spot_words(spot: SweetSpot) -> str:
    if spot.edge:
        return f"{('≤' if spot.edge == 'lowest' else '≥')} {numeral(spot.power_w, '.1f')}"
    interval = f" ({numeral(spot.low_w, '.1f')}–{numeral(spot.high_w, '.1f')})" if np.isfinite(spot.low_w) else ""
    return f"{numeral(spot.power_w, '.1f')}{interval}"
