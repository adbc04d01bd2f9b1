"""The finding of a run in one plain sentence, composed from its figures and never beyond them."""

import math

from pinch.bench.summaries import Summary
from pinch.core.causes import Cause
from pinch.core.judge import PART_FRAMES, Judgement
from pinch.core.printing import plain

NAMED_SHARE = 0.1
LEAST_SWING = 0.05


def finding(j: Judgement, claimed_w: float | None = None) -> str:
    """One sentence of what it held, after which burst, at which clock and temperature; then what held it back, and what
    speaks against the figures."""
    if not j.limiter_share:
        return "There is no load in this log."
    held = " ".join(p for p in (_held(j, claimed_w), _burst(j)) if p)
    parts = [p for p in (held, _clock(j), _swing(j), _heat(j), _temperature(j), _frames(j)) if p]
    lead = ("; ".join(parts) + ". ") if parts else ""
    ending = f" {j.settled.state.ending}" if j.settled.state.ending else ""
    faults = f" Its power collapsed {_times(len(j.collapses))}." if j.collapses else ""
    return f"{lead}{_held_by(j)}.{faults}{ending}"


def told_finding(summary: Summary) -> str:
    """The finding of a score without a log."""
    return f"Told: {plain(summary.score, 6)}"


def _held_by(j: Judgement) -> str:
    """The causes that matter, the largest first; those below a tenth of the load are left to the page."""
    (cause, share), *others = j.limiter_share.items()
    how_long = "all" if share > 0.995 else f"{100 * share:.0f} %"
    more = "".join(f", for {100 * s:.0f} % by {_phrase(j, c)}" for c, s in others if s >= NAMED_SHARE)
    return f"For {how_long} of the load it was held by {_phrase(j, cause)}{more}"


def _phrase(j: Judgement, cause: Cause) -> str:
    """What held it, with the part whose heat it was where that is not the processor."""
    graphics = cause is Cause.HEAT and j.levels.temp_channel == "gpu.temp"
    return "the heat of its graphics" if graphics else cause.phrase


def _clock(j: Judgement) -> str:
    if j.clock is None or not j.figures[j.clock].sustained.known:
        return ""
    f = j.figures[j.clock]
    hold = f", {100 * f.hold:.0f} % of burst" if math.isfinite(f.hold) and math.isfinite(j.limits.burst.value) else ""
    of = " graphics" if j.clock == "gpu.clock" else ""
    return f"{f.sustained.value / 1000.0:.2f} GHz{of}{'' if j.settled.is_whole else ' sustained'}{hold}"


def _swing(j: Judgement) -> str:
    """A saw-tooth with its period and how far it goes; the scenes of a game swing less."""
    swinging = j.clock or j.power
    if j.sawtooth is None or swinging is None or j.sawtooth.swing < LEAST_SWING * j.figures[swinging].sustained.value:
        return ""
    what = f"{j.sawtooth.swing:.0f} MHz" if j.clock else f"{j.sawtooth.swing:.1f} W"
    return f"swinging by {what} every {j.sawtooth.period_s:.0f} s"


def _heat(j: Judgement) -> str:
    """How much of the load heat held, where the log lets one know."""
    share = j.limiter_share.get(Cause.HEAT, 0.0)
    told = j.temp is not None and math.isfinite(j.temp_limit_c) and j.power is not None
    named_below = share >= NAMED_SHARE  # among what held it
    return f"heat-limited {100 * share:.0f} % of the load" if (told or share > 0.0) and not named_below else ""


def _temperature(j: Judgement) -> str:
    if j.temp is None or not j.figures[j.temp].sustained.known:
        return ""
    value = j.figures[j.temp].sustained.value
    if j.settled.is_whole:
        return f"{value:.0f} °C on average"
    if j.sawtooth is not None and Cause.HEAT in j.limiter_share:
        f = j.figures[j.temp]
        return f"between {f.p05:.0f} and {f.p95:.0f} °C"
    words = f"{'settled' if j.settled.state == 'settled' else 'ended'} at {value:.0f} °C"
    room = j.temp_limit_c - value
    if not math.isfinite(room):
        return words
    held = j.limiter_share.get(Cause.HEAT, 0.0) >= NAMED_SHARE
    if room >= (max(0.5, j.levels.temp_tolerance_k) if held else 0.5):
        return f"{words}, {room:.0f} K below its limit"
    return f"{words}, its limit" if Cause.HEAT in j.limiter_share else f"{words}, as high as its limit"


def _frames(j: Judgement) -> str:
    if j.frames is None:
        return ""
    part = " where frames were logged" if any(note.code == PART_FRAMES for note in j.warnings) else ""
    return f"{j.frames.average_fps:.1f} fps on average{part}, 1 % low {j.frames.low_1.percentile:.1f}"


def _times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def _held(j: Judgement, claimed_w: float | None) -> str:
    if j.power is not None and j.figures[j.power].sustained.known:
        claimed = f" (claimed {claimed_w:g})" if claimed_w else ""
        of = " for its graphics" if j.power == "gpu.power" else ""
        between = f"{of} between collapses" if j.collapses else of
        if j.settled.is_whole:
            return f"{j.figures[j.power].sustained.value:.1f} W{claimed}{of} on average over all {_seconds(j)}"
        return f"Held {j.figures[j.power].sustained.value:.1f} W{claimed}{between}"
    if j.rate is not None and j.figures[j.rate].sustained.known:
        rate = f"{plain(j.figures[j.rate].sustained.value)} per second"
        return f"{rate} on average over all {_seconds(j)}" if j.settled.is_whole else f"Held {rate}"
    return ""


def _seconds(j: Judgement) -> str:
    """How much of the run its figures are of."""
    return f"{j.settled.length_s * j.settled.active_share:.0f} s"


def _burst(j: Judgement) -> str:
    if math.isfinite(j.limits.burst.value) and j.settled.is_whole:
        return f"with {j.limits.burst_s.value:.0f} s of burst at {j.limits.burst.value:.0f} W"
    if math.isfinite(j.limits.burst.value):
        return f"after a {j.limits.burst_s.value:.0f} s burst at {j.limits.burst.value:.0f} W"
    return ""
