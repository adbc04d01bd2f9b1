"""What more hardware brings, in words."""

import math
from collections.abc import Sequence

from pinch.analysis.comparing import CompareResult
from pinch.core.printing import in_percent
from pinch.core.unit_yield import UnitYield
from pinch.language import numeral, tr

MOST_NAMED = 3
CAUTION = tr(
    "Units of two designs need not be alike, and the watts they get count too: this describes, it does not explain."
)


def yield_words(y: UnitYield) -> str:
    """Units, work, and what of the promise is kept: 60 % more compute units, 35 % more work: 84 % of …"""
    units, work = _apart(y.units_ratio, tr("fewer")), _apart(y.ratio, tr("less"))
    return tr(
        "{units} {what}, {work} work: {share_words} of what they promise",
        units=units,
        what=y.what,
        work=work,
        share_words=share_words(y),
    )


def share_words(y: UnitYield) -> str:
    """What of the promise is kept, with its interval where there is one."""
    low, high = y.interval
    between = tr(" ({low:.0f} to {high:.0f} %)", low=100 * low, high=100 * high) if math.isfinite(low) else ""
    return f"{numeral(100 * y.share, '.0f')} %{between}"


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
    units = tr("{units:g} against {base_units:g}", units=first.units, base_units=first.base_units)
    head = tr(
        "{name} has {apart} {what} than {device} ({units})",
        name=name,
        apart=_apart(first.units_ratio, tr("fewer")),
        what=first.what,
        device=result.baseline.device.name,
        units=units,
    )
    (work, y), *others = own[:MOST_NAMED]
    told = [
        tr("{share_words} of what they promise under {work}", share_words=share_words(y), work=work),
        *(tr("{share_words} under {w}", share_words=share_words(x), w=w) for w, x in others),
    ]
    more = [tr("{own} more", own=len(own) - MOST_NAMED)] if len(own) > MOST_NAMED else []
    return tr("{head} and reaches {what}.", head=head, what="; ".join([*told, *more]))


def _apart(ratio: float, less: str) -> str:
    """A ratio as so many percent more, or less."""
    if abs(ratio - 1.0) < 0.0005:
        return tr("just as many") if less == tr("fewer") else tr("just as much")
    return f"{in_percent(abs(ratio - 1.0))} {tr('more') if ratio > 1 else less}"
