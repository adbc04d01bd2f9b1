"""What the Judge page says of frames and heat, and of runs laid over each other. No Qt."""

import math
from collections.abc import Callable, Sequence

from msgspec import Struct

from pinch.charts.spec import Chart, minutes
from pinch.core.causes import Cause
from pinch.core.cell_scores import CellScore
from pinch.core.figures import Estimate
from pinch.core.framestats import Interval, Lows
from pinch.core.judge import Judgement
from pinch.core.tinybase import is_tiny_base
from pinch.language import numeral, tr
from pinch.narrative.explain_runs import explain_coolable, explain_lows, explain_r, explain_stutters
from pinch.narrative.explanation import Explanation
from pinch.narrative.run_words import names_of, overlay_of
from pinch.ui.judge.state import JudgedRun

Value = Callable[[Judgement], float]


class Fact(Struct, frozen=True):
    """A row of figures in words, and where they come from."""

    name: str
    values: tuple[str, ...]
    explanation: Explanation | None = None


class FigureDifference(Struct, frozen=True):
    """A figure of several runs; all but the first with how far they are from it."""

    name: str
    values: tuple[str, ...]


def frame_facts(shown: JudgedRun) -> list[Fact]:
    """Lows by three schools with their intervals, and what was felt."""
    f, start = shown.judged.frames, shown.judged.load_start_s
    if f is None:
        return []

    def lows(name: str, key: str, low: Lows, share: str) -> Fact:
        schools = {
            f"{key}.percentile": low.percentile,
            f"{key}.mean_of_worst": low.mean_of_worst,
            f"{key}.time_share": low.time_share,
        }
        records = {school: shown.records[school] for school in schools if school in shown.records}
        found = [
            _of_records(value, records[school])
            if school in records
            else _fps(value, f.intervals.get(school), key in f.stretches)
            for school, value in schools.items()
        ]
        explained = explain_lows(name, share, start, f.stretches.get(key), records.get(f"{key}.percentile"))
        return Fact(name, tuple(found), explained)

    felt = (
        tr("{stutters} stutters", stutters=f.stutters),
        tr("lowest second {lowest_1s:.1f} fps", lowest_1s=f.lowest_1s),
        tr("consistency {consistency:.0f} %", consistency=100 * f.consistency),
    )
    beyond = tuple(
        tr("{seconds:.1f} s beyond {limit} ms", seconds=seconds, limit=numeral(float(limit), "g"))
        for limit, seconds in f.beyond_s.items()
    )
    return [
        lows(tr("1 % low"), "low_1", f.low_1, tr("99th")),
        lows(tr("0.1 % low"), "low_0_1", f.low_01, tr("99.9th")),
        Fact(tr("Felt"), felt, explain_stutters(start)),
        Fact(tr("Long frames"), beyond),
    ]


def _of_records(value: float, records: CellScore) -> str:
    low, high = records.interval()
    return tr(
        "{value:.1f} fps ({runs} records: {low:.1f} to {high:.1f})", value=value, runs=records.runs, low=low, high=high
    )


def _fps(value: float, interval: Interval | None, looked_at: bool) -> str:
    if interval is None:
        return (
            tr("{value:.1f} fps (how sure: cannot tell)", value=value)
            if looked_at
            else tr("{value:.1f} fps", value=value)
        )
    return tr("{value:.1f} fps ({low:.1f} to {high:.1f})", value=value, low=interval.low, high=interval.high)


def heat_facts(shown: JudgedRun) -> list[Fact]:
    """Resistance, coolable power, headroom, the same at 25 °C, time constants and cool-down."""
    heat = shown.judged.heat
    if heat is None:
        return []
    taus = ", ".join(
        tr("{r:.2f} K/W in {tau:.0f} s", r=r, tau=tau) for r, tau in zip(heat.fit.r, heat.tau_s, strict=True)
    )
    facts = [
        Fact(
            tr("Thermal resistance"),
            (_with_u(heat.r_th, 2), tr("{taus}; off by {rms_k:.2f} K", taus=taus, rms_k=heat.fit.rms_k)),
            explain_r(heat),
        )
    ]
    if heat.coolable_w.known:
        at_25 = (
            tr("{coolable_25_w:.1f} W at 25 °C", coolable_25_w=heat.coolable_25_w.value)
            if heat.coolable_25_w.known
            else tr("of this room only")
        )
        facts.append(Fact(tr("Coolable power"), (_with_u(heat.coolable_w, 1), at_25), explain_coolable(heat)))
    if math.isfinite(heat.headroom_k):
        normal = (
            tr("{normal_c:.1f} °C in a room of 25 °C", normal_c=heat.normal_c)
            if math.isfinite(heat.normal_c)
            else tr("held by heat: its temperature is pinned, so coolable power is what compares")
        )
        facts.append(Fact(tr("Headroom"), (tr("{headroom_k:.1f} K", headroom_k=heat.headroom_k), normal)))
    if math.isfinite(heat.cool_down_s):
        facts.append(
            Fact(tr("Cool again"), (minutes(heat.cool_down_s), tr("until within 2 K of its rest, by the fit")))
        )
    return facts


def _with_u(estimate: Estimate, digits: int) -> str:
    least = 0.5 * 10.0**-digits
    u = tr("< {least:g}", least=least) if estimate.u < least else numeral(estimate.u, f".{digits}f")
    return f"{numeral(estimate.value, f'.{digits}f')} ± {u} {estimate.unit}"


def overlay(runs: Sequence[JudgedRun]) -> tuple[Chart, tuple[str, ...], list[FigureDifference]]:
    """The chart of runs laid over each other, their names, and how they differ from the first."""
    differences = [d for name, unit, digits, value in _COMPARED if (d := _difference(name, unit, digits, value, runs))]
    return overlay_of(runs), names_of(runs), differences


def _sustained(kind: str, factor: float = 1.0) -> Value:
    def value(j: Judgement) -> float:
        channel = getattr(j, kind)
        return factor * j.figures[channel].sustained.value if channel else math.nan

    return value


def _highest(kind: str) -> Value:
    def value(j: Judgement) -> float:
        found = j.ranges.get(getattr(j, kind) or "")
        return found.load.high if found else math.nan

    return value


_COMPARED: Sequence[tuple[str, str, int, Value]] = (
    (tr("Power"), "W", 1, _sustained("power")),
    (tr("Burst"), "W", 1, lambda j: j.limits.burst.value),
    (tr("Burst length"), "s", 1, lambda j: j.limits.burst_s.value),
    (tr("Clock"), "GHz", 2, _sustained("clock", 1e-3)),
    (tr("Temperature"), "°C", 1, _sustained("temp")),
    (tr("Highest temperature"), "°C", 1, _highest("temp")),
    (tr("Highest power"), "W", 1, _highest("power")),
    (tr("Rate"), "", 2, _sustained("rate")),
    (tr("Rate over all of the load"), "", 2, lambda j: j.whole_load.get(j.rate or "", math.nan)),
    (tr("1 % low"), "fps", 1, lambda j: j.frames.low_1.percentile if j.frames else math.nan),
    (tr("Held by heat"), "%", 0, lambda j: 100.0 * j.limiter_share.get(Cause.HEAT, 0.0)),
    (tr("Collapses"), "", 0, lambda j: float(len(j.collapses))),
    (tr("Thermal resistance"), "K/W", 2, lambda j: j.heat.r_th.value if j.heat else math.nan),
)


def _difference(name: str, unit: str, digits: int, value: Value, runs: Sequence[JudgedRun]) -> FigureDifference | None:
    """One row; None where no run has the figure, or it is zero in all."""
    values = [value(run.judged) for run in runs]
    known = [x for x in values if math.isfinite(x)]
    if not known or not any(known):
        return None
    first = values[0]
    cells = [_amount(first, unit, digits)]
    for x in values[1:]:
        cells.append(_amount(x, unit, digits) + _apart(first, x, unit, digits))
    return FigureDifference(name, tuple(cells))


def _amount(value: float, unit: str, digits: int) -> str:
    return f"{numeral(value, f'.{digits}f')} {unit}".rstrip() if math.isfinite(value) else "–"


def _apart(first: float, value: float, unit: str, digits: int) -> str:
    """How far a value is from the first; a percentage only where its base is no tiny one and has a true zero."""
    if not (math.isfinite(first) and math.isfinite(value)):
        return ""
    change = numeral(value - first, f"+.{digits}f").replace("-", "−")
    tiny = unit == "fps" and is_tiny_base(first, value, of_low=True)
    if first <= 0.0 or unit in ("°C", "%") or tiny:
        slower = (
            tr(", {value:+.1f} ms", value=1000.0 / value - 1000.0 / first).replace("-", "−")
            if tiny and value > 0 < first
            else ""
        )
        return f" ({change}{slower})"
    percent = numeral(100.0 * (value / first - 1.0), "+.1f").replace("-", "−")
    return f" ({change}, {percent} %)"
