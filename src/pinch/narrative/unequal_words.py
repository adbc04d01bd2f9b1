"""What it is worth that one of a pair drew more watts, in words."""

import math
from collections.abc import Mapping
from dataclasses import replace

from pinch.analysis.comparing import CompareResult, Unfair
from pinch.analysis.unequal_pairs import UnequalPairs
from pinch.core.printing import counted
from pinch.core.unequal_watts import WattsWorth

MOST_WORTH = 3


def with_worth(pairs: UnequalPairs, result: CompareResult) -> CompareResult:
    """A comparison whose unequal watts say what they are worth, where the curve of who drew more can tell."""
    return replace(result, unfair=tuple(_with_worth(u, pairs.worth_of(u, result)) for u in result.unfair))


def _with_worth(u: Unfair, worth: Mapping[str, WattsWorth | None]) -> Unfair:
    if not worth:
        return u
    known = {work: w for work, w in worth.items() if w is not None}
    if not known:
        more = "No curve of its own tells what they are worth."
    else:
        told = [_worth_words(w, f" ({work})" if len(worth) > 1 else "") for work, w in known.items()]
        rest = len(worth) - len(told[:MOST_WORTH])
        more = f"By its own curve it would lose {'; '.join(told[:MOST_WORTH])}"
        more += f"; under {counted(rest, 'other workload')} this is not told." if rest else "."
    return replace(u, difference=replace(u.difference, words=f"{u.difference.words} {more}"))


def _worth_words(w: WattsWorth, under: str) -> str:
    """What is lost at the watts of the other, with its interval."""
    between = f" ({100 * w.low:.1f} to {100 * w.high:.1f} %)" if math.isfinite(w.low) else " (nothing was repeated)"
    return f"{100 * w.share:.1f} %{between} at {w.at_w:.1f} W{under}".replace("-", "−")
