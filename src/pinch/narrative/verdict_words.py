"""Verdicts in words."""

import math

from pinch.core.verdict import Verdict


def percent(ratio: float) -> str:
    """A ratio as a difference in %; of NaN there is none."""
    if math.isnan(ratio):
        return "no ratio"
    return f"{100 * (ratio - 1):+.1f} %".replace("-", "−")


def why_no_interval(v: Verdict) -> str:
    """Why a verdict has no interval, in a few words."""
    return v.words.partition(":")[0]


def verdict_words(v: Verdict) -> str:
    """The answer, with the runs that are missing; where there is no interval, why."""
    if not v.has_interval:
        return v.words
    more = f", {v.more_runs} more" if v.more_runs else ""
    return v.answer.phrase + more
