"""The finding of a run in one plain sentence, composed from its figures and never beyond them."""

import math

from pinch.core.judge import Judgement

HELD_BY = {
    "burst-power": "its burst power limit",
    "sustained-power": "its sustained power limit",
    "heat": "heat",
    "clock-ceiling": "its clock ceiling",
    "frame-cap": "the frame cap",
    "waiting": "the work itself, which left it waiting",
    "unknown": "nothing this log can show",
}


def finding(j: Judgement, claimed_w: float | None = None) -> str:
    """One or two sentences: what it held, after which burst, and what held it back."""
    if not j.limiter_share:
        return "There is no load in this log."
    parts = [p for p in (_held(j, claimed_w), _burst(j)) if p]
    ending = {
        "settled": "",
        "drifting": " It had not settled.",
        "too-short": " The run is too short to settle.",
    }
    lead = (" ".join(parts) + ". ") if parts else ""
    faults = f" Its power collapsed {_times(len(j.collapses))}." if j.collapses else ""
    return f"{lead}{_held_by(j)}.{faults}{ending[j.settled.state]}"


def _held_by(j: Judgement) -> str:
    """The causes that matter, the largest first; those below a tenth of the load are left to the page."""
    (cause, share), *others = j.limiter_share.items()
    how_long = "all" if share > 0.995 else f"{100 * share:.0f} %"
    more = "".join(f", for {100 * s:.0f} % by {HELD_BY[c]}" for c, s in others if s >= 0.1)
    return f"For {how_long} of the load it was held by {HELD_BY[cause]}{more}"


def _times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def _held(j: Judgement, claimed_w: float | None) -> str:
    if j.power is not None and j.figures[j.power].sustained.known:
        claimed = f" (claimed {claimed_w:g})" if claimed_w else ""
        between = " between collapses" if j.collapses else ""
        return f"Held {j.figures[j.power].sustained.value:.1f} W{claimed}{between}"
    if j.rate is not None and j.figures[j.rate].sustained.known:
        return f"Held {j.figures[j.rate].sustained.value:.4g} per second"
    return ""


def _burst(j: Judgement) -> str:
    if math.isfinite(j.limits.burst.value):
        return f"after a {j.limits.burst_s.value:.0f} s burst at {j.limits.burst.value:.0f} W"
    return ""
