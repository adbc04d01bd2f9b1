"""What it is worth that one of a pair drew more watts, in words."""

import math
from collections.abc import Mapping

from msgspec.structs import replace

from pinch.analysis.comparing import CompareResult, Unfair
from pinch.analysis.unequal_pairs import UnequalPairs
from pinch.core.printing import counted
from pinch.core.unequal_watts import WattsWorth
from pinch.language import tr

MOST_WORTH = 3


def with_worth(pairs: UnequalPairs, result: CompareResult) -> CompareResult:
    """A comparison whose unequal watts say what they are worth, where the curve of who drew more can tell."""
    return replace(result, unfair=tuple(_with_worth(u, pairs.worth_of(u, result)) for u in result.unfair))


def _with_worth(u: Unfair, worth: Mapping[str, WattsWorth | None]) -> Unfair:
    if not worth:
        return u
    known = {work: w for work, w in worth.items() if w is not None}
    if not known:
        more = tr("No curve of its own tells what they are worth.")
    else:
        told = [_worth_words(w, f" ({work})" if len(worth) > 1 else "") for work, w in known.items()]
        rest = len(worth) - len(told[:MOST_WORTH])
        more = tr("By its own curve it would lose {told}", told="; ".join(told[:MOST_WORTH]))
        more += tr("; under {rest} this is not told.", rest=counted(rest, "other workload")) if rest else "."
    return replace(u, difference=replace(u.difference, words=f"{u.difference.words} {more}"))


def _worth_words(w: WattsWorth, under: str) -> str:
    """What is lost at the watts of the other, with its interval."""
    between = (
        tr(" ({low:.1f} to {high:.1f} %)", low=100 * w.low, high=100 * w.high)
        if math.isfinite(w.low)
        else tr(" (nothing was repeated)")
    )
    return tr(
        "{share:.1f} %{between} at {at_w:.1f} W{under}", share=100 * w.share, between=between, at_w=w.at_w, under=under
    ).replace("-", "−")
