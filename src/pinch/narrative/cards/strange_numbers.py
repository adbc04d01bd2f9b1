"""Numbers of an edited sentence that do not come from the one that was composed."""

import math
import re
from collections.abc import Set

from pinch.language import spoken

_THOUSANDS, _DECIMAL = re.escape(spoken().thousands), re.escape(spoken().decimal)
_GROUPED = rf"\d{{1,3}}(?:{_THOUSANDS}\d{{3}})+(?:{_DECIMAL}\d+)?"
_NUMBER = re.compile(rf"(?<![\w.,])(?:{_GROUPED}(?!\d)|\d+(?:[.,]\d+)?)")


def strange_numbers(text: str, composed: str) -> list[str]:
    """Numbers of a sentence that the composed one does not have, as they were written."""
    known = {_number(n) for n in _NUMBER.findall(composed)}
    rounded = known | {float(f"{n:.0f}") for n in known} | {float(f"{n:.2g}") for n in known}
    strange = [n for n in dict.fromkeys(_NUMBER.findall(text)) if _number(n) not in rounded]
    beside = {_number(n) for n in _NUMBER.findall(text)} & known
    return [n for n in strange if not _follows(n, beside)]


def _follows(written: str, known: Set[float]) -> bool:
    """Whether a number is the difference, the ratio, or the one in % of the other, of two that are known and stand in
    the same sentence, as exactly as it is written."""
    value, digits = _number(written), len(_plain_figures(written).partition(".")[2])
    for a in known:
        for b in known - {a}:
            ratio = a / b if b else math.inf
            for found in (a - b, ratio, 100.0 * ratio, 100.0 * (ratio - 1.0), 100.0 * (1.0 - ratio)):
                if math.isfinite(found) and round(found, digits) == value:
                    return True
    return False


def _number(written: str) -> float:
    return float(_plain_figures(written))


def _plain_figures(written: str) -> str:
    """A number that stands in a sentence as Python reads it."""
    grouped = re.fullmatch(_GROUPED, written)
    whole = written.replace(spoken().thousands, "") if grouped else written
    return whole.replace(",", ".")
