"""Verdicts in words."""

from pinch.core.verdict import Verdict


def percent(ratio: float) -> str:
    """A ratio as a difference in %."""
    return f"{100 * (ratio - 1):+.1f} %".replace("-", "−")


def verdict_words(v: Verdict) -> str:
    """The answer, with the runs that are missing."""
    more = f", {v.more_runs} more" if v.more_runs else ""
    return v.answer.phrase + more
