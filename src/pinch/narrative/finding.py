"""The finding of a run in one plain sentence, composed from its figures and never beyond them."""

import math

from pinch.bench.summaries import Summary
from pinch.core.causes import Cause
from pinch.core.judge import PART_FRAMES, Judgement
from pinch.core.printing import plain
from pinch.language import tr

NAMED_SHARE = 0.1
LEAST_SWING = 0.05


def finding(j: Judgement, claimed_w: float | None = None) -> str:
    """One sentence of what it held, after which burst, at which clock and temperature; then what held it back, and what
    speaks against the figures."""
    if not j.limiter_share:
        return tr("There is no load in this log.")
    held = " ".join(p for p in (_held(j, claimed_w), _burst(j)) if p)
    parts = [p for p in (held, _clock(j), _swing(j), _heat(j), _temperature(j), _frames(j)) if p]
    lead = ("; ".join(parts) + ". ") if parts else ""
    ending = f" {j.settled.state.ending}" if j.settled.state.ending else ""
    faults = tr(" Its power collapsed {times}.", times=_times(len(j.collapses))) if j.collapses else ""
    return f"{lead}{_held_by(j)}.{faults}{ending}"


def told_finding(summary: Summary) -> str:
    """The finding of a score without a log."""
    return tr("Told: {score}", score=plain(summary.score, 6))


def _held_by(j: Judgement) -> str:
    """The causes that matter, the largest first; those below a tenth of the load are left to the page."""
    (cause, share), *others = j.limiter_share.items()
    how_long = tr("all") if share > 0.995 else tr("{share:.0f} %", share=100 * share)
    more = "".join(
        tr(", for {s:.0f} % by {phrase}", s=100 * s, phrase=_phrase(j, c)) for c, s in others if s >= NAMED_SHARE
    )
    return tr(
        "For {how_long} of the load it was held by {phrase}{more}",
        how_long=how_long,
        phrase=_phrase(j, cause),
        more=more,
    )


def _phrase(j: Judgement, cause: Cause) -> str:
    """What held it, with the part whose heat it was where that is not the processor."""
    graphics = cause is Cause.HEAT and j.levels.temp_channel == "gpu.temp"
    return tr("the heat of its graphics") if graphics else cause.phrase


def _clock(j: Judgement) -> str:
    if j.clock is None or not j.figures[j.clock].sustained.known:
        return ""
    f = j.figures[j.clock]
    hold = (
        tr(", {hold:.0f} % of burst", hold=100 * f.hold)
        if math.isfinite(f.hold) and math.isfinite(j.limits.burst.value)
        else ""
    )
    of = " graphics" if j.clock == "gpu.clock" else ""
    return tr(
        "{sustained:.2f} GHz{of}{what}{hold}",
        sustained=f.sustained.value / 1000.0,
        of=of,
        what="" if j.settled.is_whole else tr(" sustained"),
        hold=hold,
    )


def _swing(j: Judgement) -> str:
    """A saw-tooth with its period and how far it goes; the scenes of a game swing less."""
    swinging = j.clock or j.power
    if j.sawtooth is None or swinging is None or j.sawtooth.swing < LEAST_SWING * j.figures[swinging].sustained.value:
        return ""
    what = tr("{swing:,.0f} MHz", swing=j.sawtooth.swing) if j.clock else tr("{swing:.1f} W", swing=j.sawtooth.swing)
    return tr("swinging by {what} every {period_s:.0f} s", what=what, period_s=j.sawtooth.period_s)


def _heat(j: Judgement) -> str:
    """How much of the load heat held, where the log lets one know."""
    share = j.limiter_share.get(Cause.HEAT, 0.0)
    told = j.temp is not None and math.isfinite(j.temp_limit_c) and j.power is not None
    named_below = share >= NAMED_SHARE  # among what held it
    return (
        tr("heat-limited {share:.0f} % of the load", share=100 * share)
        if (told or share > 0.0) and not named_below
        else ""
    )


def _temperature(j: Judgement) -> str:
    if j.temp is None or not j.figures[j.temp].sustained.known:
        return ""
    value = j.figures[j.temp].sustained.value
    if j.settled.is_whole:
        return tr("{value:.0f} °C on average", value=value)
    if j.sawtooth is not None and Cause.HEAT in j.limiter_share:
        f = j.figures[j.temp]
        return tr("between {p05:.0f} and {p95:.0f} °C", p05=f.p05, p95=f.p95)
    words = tr(
        "{what} at {value:.0f} °C", what=tr("settled") if j.settled.state == "settled" else tr("ended"), value=value
    )
    room = j.temp_limit_c - value
    if not math.isfinite(room):
        return words
    held = j.limiter_share.get(Cause.HEAT, 0.0) >= NAMED_SHARE
    if room >= (max(0.5, j.levels.temp_tolerance_k) if held else 0.5):
        return tr("{words}, {room:.0f} K below its limit", words=words, room=room)
    return (
        tr("{words}, its limit", words=words)
        if Cause.HEAT in j.limiter_share
        else tr("{words}, as high as its limit", words=words)
    )


def _frames(j: Judgement) -> str:
    if j.frames is None:
        return ""
    part = tr(" where frames were logged") if any(note.code == PART_FRAMES for note in j.warnings) else ""
    return tr(
        "{average_fps:.1f} fps on average{part}, 1 % low {percentile:.1f}",
        average_fps=j.frames.average_fps,
        part=part,
        percentile=j.frames.low_1.percentile,
    )


def _times(count: int) -> str:
    return {1: tr("once"), 2: tr("twice")}.get(count, tr("{count} times", count=count))


def _held(j: Judgement, claimed_w: float | None) -> str:
    if j.power is not None and j.figures[j.power].sustained.known:
        claimed = tr(" (claimed {claimed_w:g})", claimed_w=claimed_w) if claimed_w else ""
        of = tr(" for its graphics") if j.power == "gpu.power" else ""
        between = tr("{of} between collapses", of=of) if j.collapses else of
        if j.settled.is_whole:
            return tr(
                "{sustained:.1f} W{claimed}{of} on average over all {seconds}",
                sustained=j.figures[j.power].sustained.value,
                claimed=claimed,
                of=of,
                seconds=_seconds(j),
            )
        return tr(
            "Held {sustained:.1f} W{claimed}{between}",
            sustained=j.figures[j.power].sustained.value,
            claimed=claimed,
            between=between,
        )
    if j.rate is not None and j.figures[j.rate].sustained.known:
        rate = tr("{sustained} per second", sustained=plain(j.figures[j.rate].sustained.value))
        return (
            tr("{rate} on average over all {seconds}", rate=rate, seconds=_seconds(j))
            if j.settled.is_whole
            else tr("Held {rate}", rate=rate)
        )
    return ""


def _seconds(j: Judgement) -> str:
    """How much of the run its figures are of."""
    return tr("{length_s:.0f} s", length_s=j.settled.length_s * j.settled.active_share)


def _burst(j: Judgement) -> str:
    if math.isfinite(j.limits.burst.value) and j.settled.is_whole:
        return tr(
            "with {burst_s:.0f} s of burst at {burst:.0f} W", burst_s=j.limits.burst_s.value, burst=j.limits.burst.value
        )
    if math.isfinite(j.limits.burst.value):
        return tr(
            "after a {burst_s:.0f} s burst at {burst:.0f} W", burst_s=j.limits.burst_s.value, burst=j.limits.burst.value
        )
    return ""
