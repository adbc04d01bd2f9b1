"""What the Judge page says of frames and heat, and of runs laid over each other. No Qt."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from pinch.charts.spec import Chart, minutes
from pinch.core.figures import Estimate
from pinch.core.framekinds import Share
from pinch.core.framestats import Interval, Lows
from pinch.core.judge import Judgement
from pinch.narrative.explain_runs import explain_coolable, explain_r
from pinch.narrative.explanation import Explanation
from pinch.narrative.run_words import names_of, overlay_of
from pinch.ui.judge.state import JudgedRun

TINY_FPS, TINY_DIFFERENCE = 15.0, 5.0
"""Of a tail so slow, or a difference so small, a percentage says more than there is."""
Value = Callable[[Judgement], float]


@dataclass(frozen=True)
class Fact:
    """A row of figures in words, and where they come from."""

    name: str
    values: tuple[str, ...]
    explanation: Explanation | None = None


@dataclass(frozen=True)
class FigureDifference:
    """A figure of several runs; all but the first with how far they are from it."""

    name: str
    values: tuple[str, ...]


def frames_words(shown: JudgedRun) -> str:
    """The frames of a run in a sentence, or why there are none."""
    f, kinds = shown.judged.frames, shown.judged.kinds
    if f is None or kinds is None:
        if shown.judged.rate == "frame.rate":
            return "Only rates of frames were logged: single long frames cannot be seen in them; there are no lows."
        return "No single frames were logged here. Follow a frame log on the Run page, or add one with the log."
    words = [f"{f.frames:,} frames in {minutes(f.duration_s)}: {f.average_fps:.1f} fps on average."]
    early = shown.judged.early_late.get("frame.rate")
    if early is not None:
        words.append(f"First five minutes {early.early:.1f} fps, after them {early.late:.1f}.")
    if kinds.dropped is not None:
        words.append(f"{_share_words(kinds.dropped)} dropped.")
    if kinds.generated is not None and kinds.generated.count:
        words.append(f"{_share_words(kinds.generated)} generated; shown {kinds.shown_fps:.1f} fps, drawn as above.")
    words += [note.text for note in shown.judged.warnings if note.code in ("first-pass", "few-frames-0.01")]
    return " ".join(words)


def frame_facts(shown: JudgedRun) -> list[Fact]:
    """Lows by three schools with their intervals, and what was felt."""
    f = shown.judged.frames
    if f is None:
        return []

    def lows(name: str, key: str, low: Lows, share: str) -> Fact:
        found = [
            _fps(value, f.intervals.get(f"{key}.{school}"))
            for school, value in (
                ("percentile", low.percentile),
                ("mean_of_worst", low.mean_of_worst),
                ("time_share", low.time_share),
            )
        ]
        meaning = (
            f"Three schools of the {name}: the rate at the {share} percentile of frame time, the rate of the mean "
        )
        meaning += (
            "of that share of slowest frames, and the rate such that this share of the time is spent in slower ones."
        )
        return Fact(name, tuple(found), Explanation(name, meaning, (), _all_frames(shown), _BOOTSTRAP, "frames"))

    felt = f"{f.stutters} stutters", f"lowest second {f.lowest_1s:.1f} fps", f"consistency {100 * f.consistency:.0f} %"
    beyond = tuple(f"{seconds:.1f} s beyond {limit} ms" for limit, seconds in f.beyond_s.items())
    stutter = "A stutter takes more than 2.5 times the running median of a second, and more than 8 ms above it."
    return [
        lows("1 % low", "low_1", f.low_1, "99th"),
        lows("0.1 % low", "low_0_1", f.low_01, "99.9th"),
        Fact("Felt", felt, Explanation("Stutters", stutter, (), _all_frames(shown), "", "frames")),
        Fact("Long frames", beyond),
    ]


_BOOTSTRAP = "95 % by a moving-block bootstrap, blocks of a second. It tells of this run only."


def _all_frames(shown: JudgedRun) -> str:
    return f"All frames of the load, from {minutes(shown.judged.load_start_s)} on."


def _fps(value: float, interval: Interval | None) -> str:
    return f"{value:.1f} fps" if interval is None else f"{value:.1f} fps ({interval.low:.1f} to {interval.high:.1f})"


def _share_words(share: Share) -> str:
    return f"{share.count} frames ({100 * share.value:.2g} %, {100 * share.low:.2g} to {100 * share.high:.2g})"


def heat_words(shown: JudgedRun) -> str:
    """The heat of a run in a sentence, or why it cannot be told."""
    j = shown.judged
    if j.heat is None:
        why = next((note.text for note in j.warnings if note.code in ("no-heat", "no-temp", "no-power")), "")
        return why or "Heat cannot be told of this run."
    heat = j.heat
    words = [f"{heat.r_th.value:.2f} K for each watt"]
    if math.isfinite(heat.coolable_w.value):
        words.append(f"it carries {heat.coolable_w.value:.1f} W at its limit in a room of {heat.room_c:.0f} °C")
    lead = "; ".join(words) + "."
    if j.settled.state == "drifting" and heat.more_s > 0.0:
        lead += f" It leads to {heat.end_c:.1f} °C and needs {max(1, round(heat.more_s / 60))} more minutes."
    return " ".join([lead, *(note.text for note in heat.notes)])


def heat_facts(shown: JudgedRun) -> list[Fact]:
    """Resistance, coolable power, headroom, the same at 25 °C, time constants and cool-down."""
    heat = shown.judged.heat
    if heat is None:
        return []
    taus = ", ".join(f"{r:.2f} K/W in {tau:.0f} s" for r, tau in zip(heat.fit.r, heat.tau_s, strict=True))
    facts = [
        Fact("Thermal resistance", (_with_u(heat.r_th, 2), f"{taus}; off by {heat.fit.rms_k:.2f} K"), explain_r(heat))
    ]
    if heat.coolable_w.known:
        at_25 = f"{heat.coolable_25_w.value:.1f} W at 25 °C" if heat.coolable_25_w.known else "of this room only"
        facts.append(Fact("Coolable power", (_with_u(heat.coolable_w, 1), at_25), explain_coolable(heat)))
    if math.isfinite(heat.headroom_k):
        normal = (
            f"{heat.normal_c:.1f} °C in a room of 25 °C"
            if math.isfinite(heat.normal_c)
            else "held by heat: its temperature is pinned, so coolable power is what compares"
        )
        facts.append(Fact("Headroom", (f"{heat.headroom_k:.1f} K", normal)))
    if math.isfinite(heat.cool_down_s):
        facts.append(Fact("Cool again", (minutes(heat.cool_down_s), "until within 2 K of its rest, by the fit")))
    return facts


def _with_u(estimate: Estimate, digits: int) -> str:
    least = 0.5 * 10.0**-digits
    u = f"< {least:g}" if estimate.u < least else f"{estimate.u:.{digits}f}"
    return f"{estimate.value:.{digits}f} ± {u} {estimate.unit}"


def overlay(runs: Sequence[JudgedRun]) -> tuple[Chart, tuple[str, ...], list[FigureDifference]]:
    """The chart of runs laid over each other, their names, and how they differ from the first."""
    differences = [d for name, unit, digits, value in _COMPARED if (d := _difference(name, unit, digits, value, runs))]
    return overlay_of(runs), names_of(runs), differences


def _sustained(kind: str, factor: float = 1.0) -> Value:
    def value(j: Judgement) -> float:
        channel = getattr(j, kind)
        return factor * j.figures[channel].sustained.value if channel else math.nan

    return value


_COMPARED: Sequence[tuple[str, str, int, Value]] = (
    ("Sustained power", "W", 1, _sustained("power")),
    ("Burst", "W", 1, lambda j: j.limits.burst.value),
    ("Burst length", "s", 1, lambda j: j.limits.burst_s.value),
    ("Sustained clock", "GHz", 2, _sustained("clock", 1e-3)),
    ("Temperature", "°C", 1, _sustained("temp")),
    ("Settled rate", "", 2, _sustained("rate")),
    ("Rate over all of the load", "", 2, lambda j: j.whole_load.get(j.rate or "", math.nan)),
    ("1 % low", "fps", 1, lambda j: j.frames.low_1.percentile if j.frames else math.nan),
    ("Held by heat", "%", 0, lambda j: 100.0 * j.limiter_share.get("heat", 0.0)),
    ("Collapses", "", 0, lambda j: float(len(j.collapses))),
    ("Thermal resistance", "K/W", 2, lambda j: j.heat.r_th.value if j.heat else math.nan),
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
    return f"{value:.{digits}f} {unit}".rstrip() if math.isfinite(value) else "–"


def _apart(first: float, value: float, unit: str, digits: int) -> str:
    """How far a value is from the first; a percentage only where its base is no tiny one and has a true zero."""
    if not (math.isfinite(first) and math.isfinite(value)):
        return ""
    change = f"{value - first:+.{digits}f}".replace("-", "−")
    tiny = unit == "fps" and (first < TINY_FPS or abs(value - first) < TINY_DIFFERENCE)
    if first <= 0.0 or unit in ("°C", "%") or tiny:
        slower = f", {1000.0 / value - 1000.0 / first:+.1f} ms".replace("-", "−") if tiny and value > 0 < first else ""
        return f" ({change}{slower})"
    percent = f"{100.0 * (value / first - 1.0):+.1f}".replace("-", "−")
    return f" ({change}, {percent} %)"
