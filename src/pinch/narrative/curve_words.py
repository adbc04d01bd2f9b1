"""What curves over watts say, in a sentence and as a chart."""

from collections.abc import Mapping

import numpy as np

from pinch.analysis.curves import Axis, CurveSeries, ScaleResult
from pinch.bench.records import standing, workload_words
from pinch.charts.scale_chart import DrawnSeries, MeasuredPoint, Second, ToldPoint, scaling_chart
from pinch.charts.spec import Chart
from pinch.core.crossing import CANNOT, NEITHER, Pairing
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.core.printing import counted, listed
from pinch.core.sweetspots import PROMISES

MOST_PAIRS = 2

AXIS_TITLES = {
    Axis.PACKAGE: "Measured settled power, package",
    Axis.WALL: "Measured settled power, wall",
    Axis.NOISE: "Level, the room taken off where it is known",
    Axis.SURFACE: "Hottest surface that was read",
}


def rate_words(result: ScaleResult) -> tuple[str, str]:
    """Title and unit of the score axis."""
    series, measure = result.series, result.choice.measure
    workload = series[0].workload
    if len({s.workload.score_unit for s in series}) > 1:
        return "Score, share of its own best", "%"
    unit = workload.score_unit if workload.higher_is_better else "times an hour"
    if measure != AVERAGE:
        return LOW_NAMES[measure][0].upper() + LOW_NAMES[measure][1:], "fps"
    return ("Average frame rate" if workload.rate_channel == "frame.rate" else "Score"), unit


def headline(result: ScaleResult, subject: int | None) -> str:
    """The finding of the page in one sentence: of the strip's device, and where it trades places."""
    chosen = _subject(result, subject)
    if chosen is None:
        return "No run of this is there yet. Record some on the Run page."
    name, work = chosen.device.name, chosen.workload.name
    if not result.choice.axis.of_watts:
        return f"{work} over {result.choice.axis}: what each setting gives for what it costs."
    if not chosen.points:
        return (
            f"{name}, {work}: only scores that are told, none was measured here{_claims(result, chosen)}."
            if chosen.told
            else f"{name} has no run of {work} that counts yet. Record some on the Run page."
        )
    if chosen.scaling is None:
        return f"{name}, {work}: no curve yet, {chosen.reason}."
    spot = chosen.scaling.nearly_all
    if spot.edge == "lowest":
        words = f"{name} already gives 95 % of its best {work} at {spot.power_w:.1f} W, the least that was measured"
    else:
        words = f"{name} reaches 95 % of its best {work} at {_watts(spot.power_w, spot.low_w, spot.high_w)}"
    return f"{words}{_beside(result, chosen.name)}"


def _beside(result: ScaleResult, name: str) -> str:
    """Where a curve trades places with others, and how it stands to those that it does not cross."""
    pairings = [p for p in result.pairings if name in (p.a, p.b)]
    own = [c for p in pairings for c in p.crossings]
    sure = [c for c in own if not np.isnan(c.sure)]
    leads = [
        f"{c.below} above {c.power_w:.1f} W" if c.above == name else f"{c.above} below {c.power_w:.1f} W"
        for c in sure[:MOST_PAIRS]
    ]
    words = f"; it leads {listed(leads)}" if leads else ""
    beside = [p for p in pairings if p.stretches and not p.crossings]
    told = [_beside_words(p, name) for p in beside[:MOST_PAIRS]]
    told += [f"{counted(len(beside) - MOST_PAIRS, 'more pair')} not told here"] if len(beside) > MOST_PAIRS else []
    return f"{words}. At equal watts {'; '.join(told)}." if told else f"{words}."


def _beside_words(pairing: Pairing, name: str) -> str:
    """How a curve stands to another that it does not cross."""
    other = pairing.b if pairing.a == name else pairing.a
    leads = {s.ahead for s in pairing.stretches}
    known = {
        name: f"it is ahead of {other}",
        other: f"{other} is ahead of it",
        NEITHER: f"no difference to {other} matters",
        CANNOT: f"whether it or {other} is ahead cannot be told",
    }
    if len(leads) > 1:
        return f"against {other}: {pairing.words.rstrip('.')}"
    return f"{known[leads.pop()]} ({pairing.low_w:.1f} to {pairing.high_w:.1f} W)"


def _claims(result: ScaleResult, chosen: CurveSeries) -> str:
    """What the claimed curves of a device say; empty where it has none."""
    own = [s for s in result.series if s.claimed and s.device.id == chosen.device.id and s.scaling is not None]
    if not own or own[0].scaling is None:
        return ""
    spot = own[0].scaling.nearly_all
    words = f"; as claimed it reaches 95 % of its best at {spot.power_w:.1f} W"
    crossed = [c for p in result.pairings if own[0].name in (p.a, p.b) for c in p.crossings]
    return (
        f"{words}, and {crossed[0].above} leads {crossed[0].below} above {crossed[0].power_w:.1f} W"
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
    room = "any room" if result.choice.room_c is None else f"room {result.choice.room_c:g} °C"
    devices = dict.fromkeys(s.device for s in result.series)
    words = [
        *dict.fromkeys(workload_words(s.workload) for s in result.series),
        f"{sum(len(s.points) for s in result.series)} runs",
        room,
        axis_words(result.choice.axis, rule),
        *(f"{d.name}: {standing(d)}" for d in devices if standing(d)),
        *([f"dashed: {LOW_NAMES[result.choice.low]}"] if any(d.lows for d in drawn) else []),
        *(["×: told, not measured"] if any(s.told for s in result.series) else []),
        *(["dashed, “claimed”: by told scores over claimed watts"] if any(s.claimed for s in result.series) else []),
        *(w.text for s in result.series if s.scaling for w in s.scaling.warnings if w.code == "falling"),
    ]
    return scaling_chart(
        headline(result, subject),
        drawn,
        title,
        unit,
        AXIS_TITLES[result.choice.axis] if any(s.points for s in result.series) else "Power as claimed",
        second,
        " · ".join(words),
        reader_w if result.choice.axis.of_watts else None,
        result.choice.axis.unit,
    )


def axis_words(axis: Axis, rule: str) -> str:
    """What the marks of the chart are."""
    if not axis.of_watts:
        return f"score over {axis}; the mean of each setting is joined"
    return f"settled {axis} power; upright ticks: claimed; ring: {PROMISES[rule]}"


def _subject(result: ScaleResult, subject: int | None) -> CurveSeries | None:
    own = (s for s in result.series if s.device.id == subject)
    return next(own, result.series[0] if result.series else None)


def _drawn(s: CurveSeries, slots: Mapping[int, int], result: ScaleResult, rule: str) -> DrawnSeries:
    shared = rate_words(result)[1] == "%"
    ladder = s.scaling.ladder if s.scaling else None
    best = float(ladder.score.max()) if ladder is not None else max((p.score for p in s.points), default=1.0)
    watts = result.choice.axis is Axis.PACKAGE
    points = [
        MeasuredPoint(p.power_w, p.score, p.claimed_w if watts else None, p.of.setting.name, p.of.name)
        for p in s.points
    ]
    named = any(
        other.claimed and other.device == s.device for other in result.series
    )  # their curve says whose they are
    told = [ToldPoint(w, t.score, "" if named else t.words) for t in s.told if (w := t.placed_w)]
    return DrawnSeries(
        s.name,
        slots.get(s.device.id, 0),
        s.claimed or s.workload.id != result.series[0].workload.id,
        points,
        told if watts and result.choice.measure == AVERAGE and s.workload.higher_is_better else [],
        ladder,
        s.scaling.lows if s.scaling else None,
        s.scaling.spots[rule] if s.scaling else None,
        best / 100.0 if shared else 1.0,
    )


def _watts(power_w: float, low_w: float, high_w: float) -> str:
    interval = f" ({low_w:.1f} to {high_w:.1f})" if np.isfinite(low_w) else ""
    return f"{power_w:.1f} W{interval}"
