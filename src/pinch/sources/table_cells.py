"""The cells of a table as numbers: either decimal mark, grouped thousands, ranges, clock times, shares of a whole.

Most numbers tell by themselves which mark is the decimal one; `13.600` and `13,600` do not. Those are read by what the
other cells of the table say, and where none says anything it cannot be told.
"""

import re
from collections.abc import Iterable

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.language import tr

MISSING = frozenset(
    ("", "-", "–", "—", "--", "n/a", "na", "nan", "none", "null", "k. a.", "k.a.", "n. v.", "#n/a", "#nv", "?", ".")
)
"""Cells that say that there is nothing."""
_FORMULA_ERRORS = re.compile(r"#(?:DIV/0|REF|VALUE|NAME|NUM|WERT|BEZUG|ZAHL)[!?]?", re.IGNORECASE)
_DIGITS = r"[-+−]?(?:(?:\d{1,3}(?:['’ \u00a0\u202f]\d{3})+(?!\d)|\d+)(?:[.,]\d+)*|[.,]\d+)"
_NUMBER = re.compile(rf"({_DIGITS})(?:[eE]([-+]?\d{{1,3}}))?")
_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,3}):(\d{2}(?:[.,]\d+)?)")
_LETTERED = re.compile(r"(?:(\d+)\s*h)?\s*(?:(\d+)\s*m(?:in)?)?\s*(?:(\d+(?:[.,]\d+)?)\s*s(?:ec)?)?", re.IGNORECASE)
_BETWEEN = re.compile(r"\s*(?:–|—|\.\.+|…)\s*|(?<=\d)\s*-\s*(?=\d)|(?<=\d)\s+(?:to|bis)\s+(?=\d)")
_OF = re.compile(r"(?<=\d)\s+(?:of|von|out of|sur|de)\s+(?=\d)", re.IGNORECASE)
_GROUPED = re.compile(r"[-+−]?[1-9]\d{0,2}(?:[.,]\d{3})+")


class CellNumber(Struct, frozen=True):
    """What a cell says: a value (`high` equal to `low`) or a range; the unit behind it (empty: none). A share of a
    whole is in %."""

    low: float
    high: float
    unit: str = ""

    @property
    def is_range(self) -> bool:
        """Whether only a range was read."""
        return self.low != self.high

    @property
    def middle(self) -> float:
        """The value, or the middle of the range."""
        return 0.5 * (self.low + self.high)


class DecimalMark(Struct, frozen=True):
    """The decimal mark of a table, and whether its cells tell that it is."""

    mark: str
    sure: bool = True


def is_missing(text: str) -> bool:
    """Whether a cell says that there is nothing."""
    return text.strip().casefold() in MISSING


def mark_of(cells: Iterable[str], comma_parts: bool) -> DecimalMark:
    """The decimal mark that the cells of a table are written with. `comma_parts`: commas stand between its cells, so
    that they hardly stand in its numbers.

    Where no cell tells it and one could be read in two ways, it is not sure.
    """
    points = commas = open_ones = 0
    for cell in cells:
        for number in _NUMBER.finditer(cell) if any(c in cell for c in ".,") else ():
            told = _mark_by_itself(number.group(1))
            points += told == "."
            commas += told == ","
            open_ones += told == "?"
    if points or commas:
        return DecimalMark("," if commas > points else ".", sure=not (points and commas and open_ones))
    return DecimalMark(".", sure=comma_parts or not open_ones)


def read_cell(text: str, mark: str, unit: str = "") -> CellNumber:
    """What a cell says as a number. `unit` is that of its column: of a number of minutes or hours a clock time is
    turned into it, else into seconds.

    Raises
    ------
    PinchError : it is no number.
    """
    typed = text.strip()
    if _FORMULA_ERRORS.fullmatch(typed):
        raise PinchError(tr("{typed!r} is a formula without a value", typed=typed))
    if (seconds := _seconds(typed)) is not None:
        in_unit = seconds / {"min": 60.0, "h": 3600.0, "ms": 1e-3}.get(unit, 1.0)
        return CellNumber(in_unit, in_unit, unit or "s")
    parts = _OF.split(typed, maxsplit=1)
    if len(parts) == 2 and unit in ("", "%"):
        part, whole = (_one(p, mark, text) for p in parts)
        if whole[0] <= 0 or not 0 <= part[0] <= whole[0]:
            raise PinchError(tr("{text!r} is no share of a whole", text=text))
        share = 100.0 * part[0] / whole[0]
        return CellNumber(share, share, "%")
    ends = [_one(p, mark, text) for p in _BETWEEN.split(typed, maxsplit=1)]
    values, units = [value for value, _ in ends], [u for _, u in ends if u]
    if len(values) == 2 and values[1] < values[0]:
        raise PinchError(tr("{text!r} ends below where it begins", text=text))
    return CellNumber(values[0], values[-1], units[0] if units else "")


def is_number(text: str, mark: str) -> bool:
    """Whether a cell can be read as a number."""
    try:
        read_cell(text, mark)
    except PinchError:
        return False
    return True


def _one(text: str, mark: str, whole: str) -> tuple[float, str]:
    """A number and the unit behind it."""
    found = _NUMBER.match(text.strip().removeprefix("~").removeprefix("≈").strip())
    if found is None:
        raise PinchError(tr("{whole!r} is no number", whole=whole))
    told = _mark_by_itself(found.group(1))
    digits = re.sub(r"['’ \u00a0\u202f]", "", found.group(1)).replace("−", "-")
    decimal = told if told in (".", ",") else mark
    digits = digits.replace("." if decimal == "," else ",", "").replace(",", ".")
    try:
        value = float(f"{digits}e{found.group(2)}" if found.group(2) else digits)
    except ValueError:
        raise PinchError(tr("{whole!r} is no number", whole=whole)) from None
    if value in (float("inf"), float("-inf")):
        raise PinchError(tr("{whole!r} is no number", whole=whole))
    rest = text.strip().removeprefix("~").removeprefix("≈").strip()[found.end() :].strip()
    if len(rest) > 12 or any(c.isdigit() for c in rest):
        raise PinchError(tr("{whole!r} is no number", whole=whole))
    return value, rest.strip("()[] ")


def _mark_by_itself(number: str) -> str:
    """Which decimal mark a number tells that it has: `.` or `,`; `?` where it could be either; empty: it has none."""
    marks = [c for c in number if c in ".,"]
    if not marks:
        return ""
    if len(set(marks)) == 2:
        return marks[-1]
    if len(marks) > 1:
        return "." if marks[0] == "," else ","
    return "?" if _GROUPED.fullmatch(number) else marks[0]


def _seconds(text: str) -> float | None:
    clock = _CLOCK.fullmatch(text)
    if clock:
        hours, minutes, seconds = clock.groups()
        if float(seconds.replace(",", ".")) >= 60.0 or (hours and int(minutes) >= 60):
            return None
        return 3600.0 * int(hours or 0) + 60.0 * int(minutes) + float(seconds.replace(",", "."))
    lettered = _LETTERED.fullmatch(text)
    if lettered and sum(part is not None for part in lettered.groups()) >= 2:
        hours, minutes, seconds = (float((part or "0").replace(",", ".")) for part in lettered.groups())
        return 3600.0 * hours + 60.0 * minutes + seconds
    return None
