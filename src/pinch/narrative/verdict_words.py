"""Verdicts in words."""

from pinch.core.verdict import CANNOT_TELL, FASTER, SLOWER, TIE, Verdict

ANSWERS = {FASTER: "faster", SLOWER: "slower", TIE: "a tie", CANNOT_TELL: "can't tell"}


def percent(ratio: float) -> str:
    """A ratio as a difference in %."""
    return f"{100 * (ratio - 1):+.1f} %".replace("-", "−")


def verdict_words(v: Verdict) -> str:
    """The answer, with the runs that are missing."""
    more = f", {v.more_runs} more" if v.more_runs else ""
    return ANSWERS[v.answer] + more
