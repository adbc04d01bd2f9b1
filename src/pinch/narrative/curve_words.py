"""What curves over watts say, in a sentence and as a chart."""

from collections.abc import Mapping

import numpy as np

from pinch.analysis.curves import Axis, CurveSeries, ScaleResult
from pinch.bench.records import standing, workload_words
from pinch.charts.scale_chart import DrawnSeries, MeasuredSetting, Second, ToldPoint, scaling_chart
from pinch.charts.spec import Chart
from pinch.core.crossing import CANNOT, NEITHER, Pairing
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.core.printing import counted, listed
from pinch.core.sweetspots import PROMISES
from pinch.language import tr

MOST_PAIRS = 2

AXIS_TITLES = {
    Axis.PACKAGE: tr("Measured settled power, package"),
    Axis.WALL: tr("Measured settled power, wall"),
    Axis.NOISE: tr("Level, the room taken off where it is known"),
    Axis.SURFACE: tr("Hottest surface that was read"),
}


def rate_words(result: ScaleResult) -> tuple[str, str]:
    """Title and unit of the score axis."""
    series, measure = result.series, result.choice.measure
    workload = series[0].workload
    if len({s.workload.score_unit for s in series}) > 1:
        return tr("Score, share of its own best"), "%"
    unit = workload.score_unit if workload.higher_is_better else tr("times an hour")
    if measure != AVERAGE:
        return LOW_NAMES[measure][0].upper() + LOW_NAMES[measure][1:], "fps"
    return (tr("Average frame rate") if workload.rate_channel == "frame.rate" else tr("Score")), unit


def headline(result: ScaleResult, subject: int | None) -> str:
    """The finding of the page in one sentence: of the strip's device, and where it trades places."""
    chosen = _subject(result, subject)
    if chosen is None:
        return tr("No run of this is there yet. Record some on the Run page.")
    name, work = chosen.device.name, chosen.workload.name
    if not result.choice.axis.of_watts:
        return tr("{work} over {axis}: what each setting gives for what it costs.", work=work, axis=result.choice.axis)
    if not chosen.points:
        return (
            tr(
                "{name}, {work}: only scores that are told, none was measured here{claims}.",
                name=name,
                work=work,
                claims=_claims(result, chosen),
            )
            if chosen.told
            else tr("{name} has no run of {work} that counts yet. Record some on the Run page.", name=name, work=work)
        )
    if chosen.scaling is None:
        return tr("{name}, {work}: no curve yet, {reason}.", name=name, work=work, reason=chosen.reason)
    spot = chosen.scaling.nearly_all
    if spot.edge == "lowest":
        words = tr(
            "{name} already gives 95 % of its best {work} at {power_w:.1f} W, the least that was measured",
            name=name,
            work=work,
            power_w=spot.power_w,
        )
    else:
        words = tr(
            "{name} reaches 95 % of its best {work} at {watts}",
            name=name,
            work=work,
            watts=_watts(spot.power_w, spot.low_w, spot.high_w),
        )
    return f"{words}{_beside(result, chosen.name)}"


def _beside(result: ScaleResult, name: str) -> str:
    """Where a curve trades places with others, and how it stands to those that it does not cross."""
    pairings = [p for p in result.pairings if name in (p.a, p.b)]
    own = [c for p in pairings for c in p.crossings]
    sure = [c for c in own if not np.isnan(c.sure)]
    leads = [
        tr("{below} above {power_w:.1f} W", below=c.below, power_w=c.power_w)
        if c.above == name
        else tr("{above} below {power_w:.1f} W", above=c.above, power_w=c.power_w)
        for c in sure[:MOST_PAIRS]
    ]
    words = tr("; it leads {leads}", leads=listed(leads)) if leads else ""
    beside = [p for p in pairings if p.stretches and not p.crossings]
    told = [_beside_words(p, name) for p in beside[:MOST_PAIRS]]
    told += (
        [tr("{beside} not told here", beside=counted(len(beside) - MOST_PAIRS, "more pair"))]
        if len(beside) > MOST_PAIRS
        else []
    )
    return tr("{words}. At equal watts {told}.", words=words, told="; ".join(told)) if told else f"{words}."


def _beside_words(pairing: Pairing, name: str) -> str:
    """How a curve stands to another that it does not cross."""
    other = pairing.b if pairing.a == name else pairing.a
    leads = {s.ahead for s in pairing.stretches}
    known = {
        name: tr("it is ahead of {other}", other=other),
        other: tr("{other} is ahead of it", other=other),
        NEITHER: tr("no difference to {other} matters", other=other),
        CANNOT: tr("whether it or {other} is ahead cannot be told", other=other),
    }
    if len(leads) > 1:
        return tr("against {other}: {what}", other=other, what=pairing.words.rstrip("."))
    return tr(
        "{known} ({low_w:.1f} to {high_w:.1f} W)", known=known[leads.pop()], low_w=pairing.low_w, high_w=pairing.high_w
    )


def _claims(result: ScaleResult, chosen: CurveSeries) -> str:
    """What the claimed curves of a device say; empty where it has none."""
    own = [s for s in result.series if s.claimed and s.device.id == chosen.device.id and s.scaling is not None]
    if not own or own[0].scaling is None:
        return ""
    spot = own[0].scaling.nearly_all
    words = tr("; as claimed it reaches 95 % of its best at {power_w:.1f} W", power_w=spot.power_w)
    crossed = [c for p in result.pairings if own[0].name in (p.a, p.b) for c in p.crossings]
    return (
        tr(
            "{words}, and {above} leads {below} above {power_w:.1f} W",
            words=words,
            above=crossed[0].above,
            below=crossed[0].below,
            power_w=crossed[0].power_w,
        )
        if crossed
        else words
    )


def chart(
    result: ScaleResult,
    slots: Mapping[int, int],
    subject: int | None,
    rule: str,
    second: Second,
    reader_w: float | None,
) -> Chart:
    """The chart of the page."""
    title, unit = rate_words(result)
    drawn = [_drawn(s, slots, result, rule) for s in result.series]
    room = tr("any room") if result.choice.room_c is None else tr("room {room_c:g} °C", room_c=result.choice.room_c)
    devices = dict.fromkeys(s.device for s in result.series)
    words = [
        *dict.fromkeys(workload_words(s.workload) for s in result.series),
        tr("{points} runs", points=sum(len(s.points) for s in result.series)),
        room,
        axis_words(result.choice.axis, rule),
        *(f"{d.name}: {standing(d)}" for d in devices if standing(d)),
        *([tr("dashed: {low_names}", low_names=LOW_NAMES[result.choice.low])] if any(d.lows for d in drawn) else []),
        *([tr("×: told, not measured")] if any(s.told for s in result.series) else []),
        *(
            [tr("dashed, “claimed”: by told scores over claimed watts")]
            if any(s.claimed for s in result.series)
            else []
        ),
        *(w.text for s in result.series if s.scaling for w in s.scaling.warnings if w.code == "falling"),
    ]
    return scaling_chart(
        headline(result, subject),
        drawn,
        title,
        unit,
        AXIS_TITLES[result.choice.axis] if any(s.points for s in result.series) else tr("Power as claimed"),
        second,
        " · ".join(words),
        reader_w if result.choice.axis.of_watts else None,
        result.choice.axis.unit,
    )


def axis_words(axis: Axis, rule: str) -> str:
    """What the marks of the chart are."""
    if not axis.of_watts:
        return tr("score over {axis}; the mean of each setting is joined", axis=axis)
    return tr("settled {axis} power; upright ticks: claimed; ring: {promises}", axis=axis, promises=PROMISES[rule])


def _subject(result: ScaleResult, subject: int | None) -> CurveSeries | None:
    own = (s for s in result.series if s.device.id == subject)
    return next(own, result.series[0] if result.series else None)


def _drawn(s: CurveSeries, slots: Mapping[int, int], result: ScaleResult, rule: str) -> DrawnSeries:
    shared = rate_words(result)[1] == "%"
    ladder = s.scaling.ladder if s.scaling else None
    best = float(ladder.score.max()) if ladder is not None else float(s.scores.max(initial=0.0)) or 1.0
    watts = result.choice.axis is Axis.PACKAGE
    settings = [MeasuredSetting(m.name, m.power_w, m.score, m.claimed_w if watts else None) for m in s.settings]
    named = any(
        other.claimed and other.device == s.device for other in result.series
    )  # their curve says whose they are
    told = [ToldPoint(w, t.score, "" if named else t.words) for t in s.told if (w := t.placed_w)]
    return DrawnSeries(
        s.name,
        slots.get(s.device.id, 0),
        s.claimed or s.workload.id != result.series[0].workload.id,
        s.power_w,
        s.scores,
        [p.of for p in s.points],
        settings,
        told if watts and result.choice.measure == AVERAGE and s.workload.higher_is_better else [],
        ladder,
        s.scaling.lows if s.scaling else None,
        s.scaling.spots[rule] if s.scaling else None,
        best / 100.0 if shared else 1.0,
    )


def _watts(power_w: float, low_w: float, high_w: float) -> str:
    interval = tr(" ({low_w:.1f} to {high_w:.1f})", low_w=low_w, high_w=high_w) if np.isfinite(low_w) else ""
    return tr("{power_w:.1f} W{interval}", power_w=power_w, interval=interval)
