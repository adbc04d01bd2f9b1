"""What more hardware brings, in words."""

import math
from collections.abc import Sequence

from pinch.analysis.comparing import CompareResult
from pinch.core.printing import in_percent
from pinch.core.unit_yield import UnitYield

MOST_NAMED = 3
CAUTION = (
    "Units of two designs need not be alike, and the watts they get count too: this describes, it does not explain."
)


def yield_words(y: UnitYield) -> str:
    """Units, work, and what of the promise is kept: 60 % more compute units, 35 % more work: 84 % of …"""
    units, work = _apart(y.units_ratio, "fewer"), _apart(y.ratio, "less")
    return f"{units} {y.what}, {work} work: {share_words(y)} of what they promise"


def share_words(y: UnitYield) -> str:
    """What of the promise is kept, with its interval where there is one."""
    low, high = y.interval
    between = f" ({100 * low:.0f} to {100 * high:.0f} %)" if math.isfinite(low) else ""
    return f"{100 * y.share:.0f} %{between}"


def yield_notes(result: CompareResult) -> list[str]:
    """A sentence a cell and kind of unit, over all workloads that its units share."""
    found: dict[tuple[str, str], list[tuple[str, UnitYield]]] = {}
    for row in result.rows:
        for c in row.cells:
            for y in c.yields:
                found.setdefault((c.cell.name, y.what), []).append((row.workload.name, y))
    return [_note(name, result, own) for (name, _), own in found.items()]


def _note(name: str, result: CompareResult, own: Sequence[tuple[str, UnitYield]]) -> str:
    first = own[0][1]
    units = f"{first.units:g} against {first.base_units:g}"
    head = f"{name} has {_apart(first.units_ratio, 'fewer')} {first.what} than {result.baseline.device.name} ({units})"
    (work, y), *others = own[:MOST_NAMED]
    told = [f"{share_words(y)} of what they promise under {work}", *(f"{share_words(x)} under {w}" for w, x in others)]
    more = [f"{len(own) - MOST_NAMED} more"] if len(own) > MOST_NAMED else []
    return f"{head} and reaches {'; '.join([*told, *more])}."


def _apart(ratio: float, less: str) -> str:
    """A ratio as so many percent more, or less."""
    if abs(ratio - 1.0) < 0.0005:
        return "just as many" if less == "fewer" else "just as much"
    return f"{in_percent(abs(ratio - 1.0))} {'more' if ratio > 1 else less}"
