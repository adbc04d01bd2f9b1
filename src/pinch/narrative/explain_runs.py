"""What the margin says about a figure: meaning, formula with this run's numbers, window, uncertainty, method."""

import math

from msgspec import Struct

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
from pinch.language import numeral, tr
from pinch.narrative.budget_words import budget_words
from pinch.narrative.explanation import Explanation


def explain_sustained(j: Judgement, channel: str) -> Explanation:
    """The sustained figure of a channel."""
    f = j.figures[channel]
    what = tr("Average of") if j.settled.is_whole else tr("Sustained")
    if not f.sustained.known:
        return _nothing(what, channel, j)
    samples = tr(
        "{n} samples of a second, worth {n_effective}.",
        n=f.n,
        n_effective=counted(round(f.n_effective), "independent one"),
    )
    return Explanation(
        f"{what} {channel}",
        tr("The mean over all of the load: nothing of it is called held.")
        if j.settled.is_whole
        else tr("The mean over the seconds under load of the settled window."),
        (
            tr("mean of {n} one-second means", n=f.n),
            f"= {plain(f.sustained.value)} {f.unit}",
            tr(
                "median {median}, 5 % to 95 %: {p05} to {p95}",
                median=plain(f.median),
                p05=plain(f.p05),
                p95=plain(f.p95),
            ),
            *_range_lines(j, channel),
        ),
        _window(j),
        tr(
            "{budget_words} {samples} It tells of this run only; how far runs differ takes repeats.",
            budget_words=budget_words(Budget(f.sustained, f.parts)),
            samples=samples,
        ),
        "settled-window",
        tuple(w.text for w in j.warnings if w.code in ("scene", "drifting", "too-short", "gap", "collapse")),
    )


def _range_lines(j: Judgement, channel: str) -> list[str]:
    """All of the load beside what was settled, and rest: how far the channel went."""
    lines, found = [], j.ranges.get(channel)
    whole = j.whole_load.get(channel, math.nan)
    if found is not None:
        for where, spread in ((tr("all of the load"), found.load), (tr("at rest"), found.idle)):
            if math.isfinite(spread.mean):
                lines.append(
                    tr(
                        "{where}: {low} to {high}, mean {mean}",
                        where=where,
                        low=plain(spread.low),
                        high=plain(spread.high),
                        mean=plain(spread.mean),
                    )
                )
    elif math.isfinite(whole) and not j.settled.is_whole:
        lines.append(tr("all of the load: mean {whole}", whole=plain(whole)))
    return lines


class ClaimedLimits(Struct, frozen=True):
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
        first = (
            "" if j.power is None else tr(" The first 10 s of load had {burst:.1f} W.", burst=j.figures[j.power].burst)
        )
        return Explanation(
            tr("Burst power"),
            tr("This run shows no burst: power did not begin ≥ 4 % above its settled level.{first}", first=first),
            (),
            "",
            "",
            "burst",
            (),
        )
    formula = [tr("plateau of {burst_s:.1f} s at {burst:.1f} W", burst_s=p.burst_s.value, burst=p.burst.value)]
    cautions = []
    if math.isfinite(p.window_s.value):
        formula += [
            "τ = t_b / ln((P2 − P0) / (P2 − P1))",
            tr(
                "= {burst_s:.1f} / ln(({burst:.1f} − {idle_w:.1f}) / ({burst:.1f} − {sustained:.1f}))",
                burst_s=p.burst_s.value,
                burst=p.burst.value,
                idle_w=p.idle_w,
                sustained=p.sustained.value,
            ),
            tr("= {window_s:.1f} ± {u:.1f} s", window_s=p.window_s.value, u=p.window_s.u),
        ]
    else:
        cautions.append(
            tr("The limiter's window τ needs an idle phase before and a sustained power limit after the burst.")
        )
    by_label = claimed.burst_length_s(p.idle_w)
    if math.isfinite(by_label):
        formula.append(
            tr(
                "by its label: {by_label:.1f} s at {burst_w:g} W, τ {window_s:g} s",
                by_label=by_label,
                burst_w=claimed.burst_w,
                window_s=claimed.window_s,
            )
        )
    if p.bounded:
        cautions.append(tr("Heat ended this burst, so its length and τ are lower bounds."))
    return Explanation(
        tr("Burst power"),
        tr("The first plateau of power, drawn until the limiter's running average reached the sustained limit."),
        tuple(formula),
        tr(
            "From load start at {load_start_s:.1f} s for {burst_s:.1f} s.",
            load_start_s=j.load_start_s,
            burst_s=p.burst_s.value,
        ),
        tr(
            "± {watts} W on the plateau, ± {seconds} s on its length.",
            watts=plain(p.burst.u, 2),
            seconds=plain(p.burst_s.u, 2),
        )
        if math.isfinite(p.burst.u)
        else "",
        "burst",
        tuple(cautions),
    )


def explain_hold(j: Judgement, channel: str) -> Explanation:
    """Sustained divided by burst of a channel."""
    f = j.figures[channel]
    if not math.isfinite(f.hold):
        return _nothing(tr("Hold"), channel, j)
    return Explanation(
        tr("Hold of {channel}", channel=channel),
        tr(
            "How much of the burst figure is left once the run has settled. With no burst, the first 10 s stand for it."
        ),
        (
            tr("sustained / burst"),
            f"= {plain(f.sustained.value)} / {plain(f.burst)} {f.unit}",
            f"= {numeral(100 * f.hold, '.1f')} %",
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
    return [
        tr(
            "all of the load / burst = {whole} / {burst} = {share:.1f} %",
            whole=plain(whole),
            burst=plain(f.burst),
            share=100 * whole / f.burst,
        )
    ]


def explain_temperature(j: Judgement) -> Explanation:
    """The settled temperature and its distance from the limit."""
    if j.temp is None:
        return Explanation(tr("Settled temperature"), tr("No temperature was logged."), (), "", "", "settled-window")
    base = explain_sustained(j, j.temp)
    limit, value = j.temp_limit_c, j.figures[j.temp].sustained.value
    if not math.isfinite(limit) or j.settled.is_whole:
        return base
    source = tr("given") if j.levels.temp_given else tr("read off this run")
    lines = (
        *base.formula,
        tr("limit {limit:.1f} °C ({source})", limit=limit, source=source),
        tr("headroom = {limit:.1f} K", limit=limit - value),
    )
    return Explanation(
        tr("Settled temperature"), base.meaning, lines, base.window, base.uncertainty, base.method, base.cautions
    )


def explain_segment(j: Judgement, segment: Segment) -> Explanation:
    """A stretch of the limiter strip."""
    share = 100 * j.limiter_share.get(segment.cause, 0.0)
    return Explanation(
        tr("Held by {cause}", cause=tr(segment.cause.replace("-", " "))),
        tr("Here the evidence is: {evidence}.", evidence=segment.evidence),
        (
            tr(
                "{p:.0f} % likely; next to it {phrase} with {second_p:.0f} %",
                p=100 * segment.p,
                phrase=segment.second.phrase,
                second_p=100 * segment.second_p,
            ),
            tr(
                "{start_s:.0f} s to {end_s:.0f} s of the log, {length_s:.0f} s",
                start_s=segment.start_s,
                end_s=segment.end_s,
                length_s=segment.length_s,
            ),
            tr("this cause in all: {share:.0f} % of the load", share=share),
        ),
        tr(
            "The load, {load_start_s:.0f} s to {load_end_s:.0f} s.",
            load_start_s=j.load_start_s,
            load_end_s=j.load_end_s,
        ),
        tr("It is arguable: two causes are nearly as likely.") if segment.is_arguable else _calibration(),
        "limiter",
    )


def _calibration() -> str:
    return tr(
        "Of seconds that are given 90 % on made runs, at least nine in ten are right. Nothing is shorter than 3 s."
    )


def _window(j: Judgement) -> str:
    s = j.settled
    active = (
        tr(", {active_share:.0f} % of it under load", active_share=100 * s.active_share)
        if s.active_share < 0.995
        else ""
    )
    return tr(
        "{start_s:.0f} s to {end_s:.0f} s of the log ({length_s:.0f} s{active}), {phrase}. Its "
        "start was set by {decided_by}.",
        start_s=s.start_s,
        end_s=s.end_s,
        length_s=s.length_s,
        active=active,
        phrase=s.state.phrase,
        decided_by=s.decided_by,
    )


def _hold_uncertainty(f: ChannelFigures) -> str:
    if not math.isfinite(f.sustained.u) or f.burst == 0:
        return ""
    return tr("± {u} from the sustained figure; the burst is taken as it was.", u=in_percent(f.sustained.u / f.burst))


def _nothing(what: str, channel: str, j: Judgement) -> Explanation:
    return Explanation(
        tr("{what} of {channel}", what=what, channel=channel),
        tr("This log gives no such figure."),
        (),
        _window(j),
        "",
        "settled-window",
    )


def explain_r(heat: Heat) -> Explanation:
    meaning = tr(
        "How many kelvin each watt lifts the temperature above the room once everything has settled: the sum of the "
    )
    meaning += tr("terms that follow the measured power, each with its own time.")
    room = tr("a fitted base") if heat.offset_fitted else tr("the room, {room_c:.1f} °C", room_c=heat.room_c)
    terms = " + ".join(numeral(r, ".3f") for r in heat.fit.r)
    return Explanation(
        tr("Thermal resistance"),
        meaning,
        (
            tr("T = {room} + Σ Rᵢ·(hᵢ∗P)", room=room),
            tr("ΣRᵢ = {terms} = {r_th:.3f} K/W", terms=terms, r_th=heat.r_th.value),
        ),
        tr("The record from {start_s} to {end_s}.", start_s=minutes(heat.start_s), end_s=minutes(heat.end_s)),
        tr("{budget_words} It tells of this run only.", budget_words=budget_words(Budget(heat.r_th, heat.r_parts))),
        "heat",
        tuple(note.text for note in heat.notes),
    )


def explain_coolable(heat: Heat) -> Explanation:
    numbers = tr(
        "= ({limit_c:.1f} − {room_c:.1f}) / {r_th:.3f} = {coolable_w:.1f} W",
        limit_c=heat.limit_c,
        room_c=heat.room_c,
        r_th=heat.r_th.value,
        coolable_w=heat.coolable_w.value,
    )
    return Explanation(
        tr("Coolable power"),
        tr("The power that holds the temperature limit in this room for good."),
        (tr("(T_limit − T_room) / R_th"), numbers),
        "",
        tr("± {u} W, from the resistance.", u=plain(heat.coolable_w.u, 2)),
        "heat",
    )


def explain_score(run: Run, unit: str) -> Explanation:
    """The mean over the passes that count."""
    scores, warm_up = scores_of(run), sum(p.warm_up for p in run.passes)
    return Explanation(
        tr("Score"),
        tr("The mean over the passes of this run, as the workload or the operator gave it."),
        (
            tr("mean of {words}", words=", ".join(f"{plain(s)}" for s in scores)),
            f"= {plain(sum(scores) / len(scores))} {unit}",
        ),
        tr("{scores} passes; {warm_up} to warm up, which do not count.", scores=len(scores), warm_up=warm_up)
        if warm_up
        else tr("{scores} passes.", scores=len(scores)),
        tr("From {least} to {most}.", least=plain(min(scores)), most=plain(max(scores)))
        if len(scores) > 1
        else tr("One pass says nothing about chance."),
        "passes",
    )


def explain_lows(
    name: str, share: str, load_start_s: float, stretches: float | None, records: CellScore | None = None
) -> Explanation:
    """Three schools of a low; `share` is the percentile of frame time in words, `stretches` how many independent ones
    the record has for it (None: it is too short to say); `records` what all of this scene come to."""
    meaning = tr(
        "Three schools of the {name}: the rate at the {share} percentile of frame time, the "
        "rate of the mean of that share of slowest frames, and the rate such that this share of"
        " the time is spent in slower ones.",
        name=name,
        share=share,
    )
    doubt = _frame_doubt(stretches) if records is None else _records_doubt(records)
    return Explanation(name, meaning, (), _all_frames(load_start_s), doubt, "frames")


def _records_doubt(records: CellScore) -> str:
    """How sure several records of a scene are."""
    low, high = records.interval()
    return tr(
        "{runs} records of this scene come to {mean:.1f} fps on average (percentile), 95 %: "
        "{low:.1f} to {high:.1f}, by Student's t over the records. It stands in place of what "
        "this record alone could tell, and speaks of the same route, played again as it was "
        "here.",
        runs=records.runs,
        mean=records.mean,
        low=low,
        high=high,
    )


def _frame_doubt(stretches: float | None) -> str:
    """What the interval of a figure of frames speaks of, or why there is none."""
    if stretches is None:
        return tr("The record is too short for an interval.")
    if stretches < LEAST_STRETCHES:
        return tr(
            "This record cannot tell how sure it is: what is slow in it comes in {stretches:.0f} "
            "independent stretches, and an interval needs {least_stretches:.0f}. Run longer, or "
            "repeat the run: Compare shows how far the runs of a cell are apart.",
            stretches=stretches,
            least_stretches=LEAST_STRETCHES,
        )
    return tr(
        "95 % by a bootstrap of blocks as long as frames stay alike here ({stretches:.0f} "
        "independent stretches). It speaks of the game at large, as far as its scenes come as "
        "they did here; how the same route comes out again, repeated runs tell.",
        stretches=stretches,
    )


def explain_stutters(load_start_s: float) -> Explanation:
    """What counts as a stutter."""
    meaning = tr(
        "A stutter takes more than 2.5 times the running median of a second, and more than 8 ms"
        " above it. Long frames in a row are one, and so is a cut to a slower scene."
    )
    return Explanation(tr("Stutters"), meaning, (), _all_frames(load_start_s), "", "frames")


def _all_frames(load_start_s: float) -> str:
    return tr("All frames of the load, from {load_start_s} on.", load_start_s=minutes(load_start_s))
