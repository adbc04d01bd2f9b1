"""What the margin says about a figure: meaning, formula with this run's numbers, window, uncertainty, method."""

import math
from dataclasses import dataclass

from pinch.bench.records import Run, scores_of
from pinch.charts.spec import minutes
from pinch.core.budget import Budget
from pinch.core.cell_scores import CellScore
from pinch.core.figures import ChannelFigures, Segment
from pinch.core.framestats import LEAST_STRETCHES
from pinch.core.heat import Heat
from pinch.core.judge import Judgement
from pinch.core.limits import burst_length_s
from pinch.core.printing import counted, in_percent, plain
from pinch.narrative.budget_words import budget_words
from pinch.narrative.explanation import Explanation


def explain_sustained(j: Judgement, channel: str) -> Explanation:
    """The sustained figure of a channel."""
    f = j.figures[channel]
    what = "Average of" if j.settled.is_whole else "Sustained"
    if not f.sustained.known:
        return _nothing(what, channel, j)
    samples = f"{f.n} samples of a second, worth {counted(round(f.n_effective), 'independent one')}."
    return Explanation(
        f"{what} {channel}",
        "The mean over all of the load: nothing of it is called held."
        if j.settled.is_whole
        else "The mean over the seconds under load of the settled window.",
        (
            f"mean of {f.n} one-second means",
            f"= {plain(f.sustained.value)} {f.unit}",
            f"median {plain(f.median)}, 5 % to 95 %: {plain(f.p05)} to {plain(f.p95)}",
            *_range_lines(j, channel),
        ),
        _window(j),
        f"{budget_words(Budget(f.sustained, f.parts))} {samples} "
        "It tells of this run only; how far runs differ takes repeats.",
        "settled-window",
        tuple(w.text for w in j.warnings if w.code in ("scene", "drifting", "too-short", "gap", "collapse")),
    )


def _range_lines(j: Judgement, channel: str) -> list[str]:
    """All of the load beside what was settled, and rest: how far the channel went."""
    lines, found = [], j.ranges.get(channel)
    whole = j.whole_load.get(channel, math.nan)
    if found is not None:
        for where, spread in (("all of the load", found.load), ("at rest", found.idle)):
            if math.isfinite(spread.mean):
                lines.append(f"{where}: {plain(spread.low)} to {plain(spread.high)}, mean {plain(spread.mean)}")
    elif math.isfinite(whole) and not j.settled.is_whole:
        lines.append(f"all of the load: mean {plain(whole)}")
    return lines


@dataclass(frozen=True)
class ClaimedLimits:
    """What a setting's label says: sustained W, burst W, window s; None where it says nothing."""

    sustained_w: float | None
    burst_w: float | None
    window_s: float | None

    def burst_length_s(self, idle_w: float) -> float:
        """How long the burst would last by the label, s; NaN where it does not say enough."""
        if self.sustained_w is None or self.burst_w is None or self.window_s is None:
            return math.nan
        return burst_length_s(idle_w, self.sustained_w, self.burst_w, self.window_s)


def explain_burst(j: Judgement, claimed: ClaimedLimits) -> Explanation:
    """The burst of power and the window of the limiter behind it, beside what the label says."""
    p = j.limits
    if j.power is None or not math.isfinite(p.burst.value):
        first = "" if j.power is None else f" The first 10 s of load had {j.figures[j.power].burst:.1f} W."
        return Explanation(
            "Burst power",
            f"This run shows no burst: power did not begin ≥ 4 % above its settled level.{first}",
            (),
            "",
            "",
            "burst",
            (),
        )
    formula = [f"plateau of {p.burst_s.value:.1f} s at {p.burst.value:.1f} W"]
    cautions = []
    if math.isfinite(p.window_s.value):
        formula += [
            "τ = t_b / ln((P2 − P0) / (P2 − P1))",
            f"= {p.burst_s.value:.1f} / ln(({p.burst.value:.1f} − {p.idle_w:.1f})"
            f" / ({p.burst.value:.1f} − {p.sustained.value:.1f}))",
            f"= {p.window_s.value:.1f} ± {p.window_s.u:.1f} s",
        ]
    else:
        cautions.append(
            "The limiter's window τ needs an idle phase before and a sustained power limit after the burst."
        )
    by_label = claimed.burst_length_s(p.idle_w)
    if math.isfinite(by_label):
        formula.append(f"by its label: {by_label:.1f} s at {claimed.burst_w:g} W, τ {claimed.window_s:g} s")
    if p.bounded:
        cautions.append("Heat ended this burst, so its length and τ are lower bounds.")
    return Explanation(
        "Burst power",
        "The first plateau of power, drawn until the limiter's running average reached the sustained limit.",
        tuple(formula),
        f"From load start at {j.load_start_s:.1f} s for {p.burst_s.value:.1f} s.",
        f"± {plain(p.burst.u, 2)} W on the plateau, ± {plain(p.burst_s.u, 2)} s on its length."
        if math.isfinite(p.burst.u)
        else "",
        "burst",
        tuple(cautions),
    )


def explain_hold(j: Judgement, channel: str) -> Explanation:
    """Sustained divided by burst of a channel."""
    f = j.figures[channel]
    if not math.isfinite(f.hold):
        return _nothing("Hold", channel, j)
    return Explanation(
        f"Hold of {channel}",
        "How much of the burst figure is left once the run has settled. With no burst, the first 10 s stand for it.",
        (
            "sustained / burst",
            f"= {plain(f.sustained.value)} / {plain(f.burst)} {f.unit}",
            f"= {100 * f.hold:.1f} %",
            *_whole_hold(j, f),
        ),
        _window(j),
        _hold_uncertainty(f),
        "hold",
    )


def _whole_hold(j: Judgement, f: ChannelFigures) -> list[str]:
    """The same of all of the load, where it differs."""
    whole = j.whole_beside(f.channel)
    if not math.isfinite(whole):
        return []
    return [f"all of the load / burst = {plain(whole)} / {plain(f.burst)} = {100 * whole / f.burst:.1f} %"]


def explain_temperature(j: Judgement) -> Explanation:
    """The settled temperature and its distance from the limit."""
    if j.temp is None:
        return Explanation("Settled temperature", "No temperature was logged.", (), "", "", "settled-window")
    base = explain_sustained(j, j.temp)
    limit, value = j.temp_limit_c, j.figures[j.temp].sustained.value
    if not math.isfinite(limit) or j.settled.is_whole:
        return base
    source = "given" if j.levels.temp_given else "read off this run"
    lines = (*base.formula, f"limit {limit:.1f} °C ({source})", f"headroom = {limit - value:.1f} K")
    return Explanation(
        "Settled temperature", base.meaning, lines, base.window, base.uncertainty, base.method, base.cautions
    )


def explain_segment(j: Judgement, segment: Segment) -> Explanation:
    """A stretch of the limiter strip."""
    share = 100 * j.limiter_share.get(segment.cause, 0.0)
    return Explanation(
        f"Held by {segment.cause.replace('-', ' ')}",
        f"Here the evidence is: {segment.evidence}.",
        (
            f"{100 * segment.p:.0f} % likely; next to it {segment.second.phrase} with {100 * segment.second_p:.0f} %",
            f"{segment.start_s:.0f} s to {segment.end_s:.0f} s of the log, {segment.length_s:.0f} s",
            f"this cause in all: {share:.0f} % of the load",
        ),
        f"The load, {j.load_start_s:.0f} s to {j.load_end_s:.0f} s.",
        "It is arguable: two causes are nearly as likely." if segment.is_arguable else _calibration(),
        "limiter",
    )


def _calibration() -> str:
    return "Of seconds that are given 90 % on made runs, at least nine in ten are right. Nothing is shorter than 3 s."


def _window(j: Judgement) -> str:
    s = j.settled
    active = f", {100 * s.active_share:.0f} % of it under load" if s.active_share < 0.995 else ""
    return (
        f"{s.start_s:.0f} s to {s.end_s:.0f} s of the log ({s.length_s:.0f} s{active}), {s.state.phrase}. "
        f"Its start was set by {s.decided_by}."
    )


def _hold_uncertainty(f: ChannelFigures) -> str:
    if not math.isfinite(f.sustained.u) or f.burst == 0:
        return ""
    return f"± {in_percent(f.sustained.u / f.burst)} from the sustained figure; the burst is taken as it was."


def _nothing(what: str, channel: str, j: Judgement) -> Explanation:
    return Explanation(f"{what} of {channel}", "This log gives no such figure.", (), _window(j), "", "settled-window")


def explain_r(heat: Heat) -> Explanation:
    meaning = (
        "How many kelvin each watt lifts the temperature above the room once everything has settled: the sum of the "
    )
    meaning += "terms that follow the measured power, each with its own time."
    room = "a fitted base" if heat.offset_fitted else f"the room, {heat.room_c:.1f} °C"
    terms = " + ".join(f"{r:.3f}" for r in heat.fit.r)
    return Explanation(
        "Thermal resistance",
        meaning,
        (f"T = {room} + Σ Rᵢ·(hᵢ∗P)", f"ΣRᵢ = {terms} = {heat.r_th.value:.3f} K/W"),
        f"The record from {minutes(heat.start_s)} to {minutes(heat.end_s)}.",
        f"{budget_words(Budget(heat.r_th, heat.r_parts))} It tells of this run only.",
        "heat",
        tuple(note.text for note in heat.notes),
    )


def explain_coolable(heat: Heat) -> Explanation:
    numbers = f"= ({heat.limit_c:.1f} − {heat.room_c:.1f}) / {heat.r_th.value:.3f} = {heat.coolable_w.value:.1f} W"
    return Explanation(
        "Coolable power",
        "The power that holds the temperature limit in this room for good.",
        ("(T_limit − T_room) / R_th", numbers),
        "",
        f"± {plain(heat.coolable_w.u, 2)} W, from the resistance.",
        "heat",
    )


def explain_score(run: Run, unit: str) -> Explanation:
    """The mean over the passes that count."""
    scores, warm_up = scores_of(run), sum(p.warm_up for p in run.passes)
    return Explanation(
        "Score",
        "The mean over the passes of this run, as the workload or the operator gave it.",
        (f"mean of {', '.join(f'{plain(s)}' for s in scores)}", f"= {plain(sum(scores) / len(scores))} {unit}"),
        f"{len(scores)} passes; {warm_up} to warm up, which do not count." if warm_up else f"{len(scores)} passes.",
        f"From {plain(min(scores))} to {plain(max(scores))}."
        if len(scores) > 1
        else "One pass says nothing about chance.",
        "passes",
    )


def explain_lows(
    name: str, share: str, load_start_s: float, stretches: float | None, records: CellScore | None = None
) -> Explanation:
    """Three schools of a low; `share` is the percentile of frame time in words, `stretches` how many independent ones
    the record has for it (None: it is too short to say); `records` what all of this scene come to."""
    meaning = (
        f"Three schools of the {name}: the rate at the {share} percentile of frame time, the rate of the mean of that "
        "share of slowest frames, and the rate such that this share of the time is spent in slower ones."
    )
    doubt = _frame_doubt(stretches) if records is None else _records_doubt(records)
    return Explanation(name, meaning, (), _all_frames(load_start_s), doubt, "frames")


def _records_doubt(records: CellScore) -> str:
    """How sure several records of a scene are."""
    low, high = records.interval()
    return (
        f"{records.runs} records of this scene come to {records.mean:.1f} fps on average (percentile), 95 %: "
        f"{low:.1f} to {high:.1f}, by Student's t over the records. It stands in place of what this record alone could "
        "tell, and speaks of the same route, played again as it was here."
    )


def _frame_doubt(stretches: float | None) -> str:
    """What the interval of a figure of frames speaks of, or why there is none."""
    if stretches is None:
        return "The record is too short for an interval."
    if stretches < LEAST_STRETCHES:
        return (
            f"This record cannot tell how sure it is: what is slow in it comes in {stretches:.0f} independent "
            f"stretches, and an interval needs {LEAST_STRETCHES:.0f}. Run longer, or repeat the run: Compare shows how "
            "far the runs of a cell are apart."
        )
    return (
        f"95 % by a bootstrap of blocks as long as frames stay alike here ({stretches:.0f} independent stretches). It "
        "speaks of the game at large, as far as its scenes come as they did here; how the same route comes out again, "
        "repeated runs tell."
    )


def explain_stutters(load_start_s: float) -> Explanation:
    """What counts as a stutter."""
    meaning = (
        "A stutter takes more than 2.5 times the running median of a second, and more than 8 ms above it. Long frames "
        "in a row are one, and so is a cut to a slower scene."
    )
    return Explanation("Stutters", meaning, (), _all_frames(load_start_s), "", "frames")


def _all_frames(load_start_s: float) -> str:
    return f"All frames of the load, from {minutes(load_start_s)} on."
