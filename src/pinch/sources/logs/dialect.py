"""How a table of text is written: its delimiter, its header, a row of units, its decimals and its missing values."""

import contextlib
import csv
import re

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.language import tr
from pinch.sources.logs.units import is_unit

HEADER_WITHIN = 60
LOOK_AT = 40
FEWEST_ROWS = 3
"""So many rows tell whether a column holds numbers, where most of the others hold words."""
DELIMITERS = ("\t", ";", ",", "|")
MISSING = ("", "-", "--", "n/a", "na", "nan", "null", "none", "?", "–")
FLAGS = {
    "yes": 1.0,
    "no": 0.0,
    "true": 1.0,
    "false": 0.0,
    "ja": 1.0,
    "nein": 0.0,
    "oui": 1.0,
    "non": 0.0,
    "on": 1.0,
    "off": 0.0,
}
MOST_COLUMNS = 2000
_POINT = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_COMMA = re.compile(r"[+-]?(\d+,\d*|,\d+)([eE][+-]?\d+)?")
_GROUPED = {
    ".": re.compile(r"[+-]?\d{1,3}(\.\d{3})+(,\d+)?"),
    ",": re.compile(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?"),
    " ": re.compile(r"[+-]?\d{1,3}([ \u00a0\u202f]\d{3})+([.,]\d+)?"),
    "'": re.compile(r"[+-]?\d{1,3}(['’]\d{3})+([.,]\d+)?"),
}
_DECIMAL_COMMA = (_COMMA, *(_GROUPED[sign] for sign in ". '"))
_TIME = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}([ T].*)?|\d{1,3}:\d{2}(:\d{2}([.,]\d+)?)?Z?")


class Dialect(Struct, frozen=True):
    """`header` is the line of the names, counted from 0, -1 where there is none; `units` one text a column; `first` the
    line of the first row. `thousands` is empty where numbers are not grouped."""

    delimiter: str
    header: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    first: int
    decimal: str
    thousands: str


def find_dialect(lines: list[str], place: str) -> Dialect:
    """The dialect of a table by its first lines.

    Raises
    ------
    DataError : no header with rows of numbers below it is found within the first 60 lines.
    """
    there = [delimiter for delimiter in DELIMITERS if any(delimiter in line for line in lines)]
    found = [d for delimiter in there for d in [_by_delimiter(lines, delimiter, place)] if d is not None]
    if not found:
        bare = _without_header(lines)
        if bare is None:
            raise DataError(
                place,
                tr(
                    "no header with numbers below it is found in its first {header_within} lines",
                    header_within=HEADER_WITHIN,
                ),
            )
        return bare
    return max(found, key=lambda d: (len(d.names), -d.header))


def split(line: str, delimiter: str) -> list[str]:
    """The cells of a line."""
    if '"' in line:
        with contextlib.suppress(csv.Error):  # quotes that make no sense are signs like others
            return [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]
    return [cell.strip() for cell in line.split(delimiter)]


def is_value(cell: str) -> bool:
    """Whether a cell can stand in a row: a number however written, a time, a flag or a sign for nothing."""
    word = cell.casefold()
    return (
        word in MISSING or word in FLAGS or any(p.fullmatch(cell) for p in (_POINT, _COMMA, _TIME, *_GROUPED.values()))
    )


def _by_delimiter(lines: list[str], delimiter: str, place: str) -> Dialect | None:
    rows = [split(line, delimiter) for line in lines[: HEADER_WITHIN + LOOK_AT]]
    for number, names in enumerate(rows[:HEADER_WITHIN]):
        while names and not names[-1]:
            names = names[:-1]  # a delimiter at the end of a line makes no column
        if len(names) < 2 or not _could_be_names(names):
            continue
        if len(names) > MOST_COLUMNS:
            raise DataError(
                place,
                tr(
                    "it has {names} columns; at most {most_columns} make a log",
                    names=len(names),
                    most_columns=MOST_COLUMNS,
                ),
                number + 1,
            )
        below = [row for row in rows[number + 1 : number + 1 + LOOK_AT] if any(row)]
        units = below[0][: len(names)] if below and _are_units(below[0]) else []
        data = below[1:] if units else below
        if not data or not (_is_data(data[0], len(names)) or _has_numbers(names, data)):
            continue
        first = next(i for i in range(number + 1, len(rows)) if any(rows[i]) and rows[i] == data[0])
        decimal, thousands = _decimals(data, delimiter)
        padded = tuple(units) + ("",) * (len(names) - len(units))
        return Dialect(delimiter, number, tuple(names), padded, first, decimal, thousands)
    return None


def _without_header(lines: list[str]) -> Dialect | None:
    """A column of numbers and nothing else, such as the times of frames."""
    cells = [line.strip() for line in lines if line.strip()][:LOOK_AT]
    if len(cells) < 2:
        return None
    names = cells[0].strip('"') if not is_value(cells[0]) else ""
    rows = cells[1:] if names else cells
    if not all(is_value(cell) and cell.casefold() not in MISSING for cell in rows[:5]):
        return None
    comma = any(_COMMA.fullmatch(cell) for cell in rows)
    header = 0 if names else -1
    first = next(i for i, line in enumerate(lines) if line.strip() == rows[0] and i > header)
    return Dialect("\t", header, (names or "frame_ms",), ("",), first, "," if comma else ".", "")


def _could_be_names(cells: list[str]) -> bool:
    """Mostly words; none of them may be a plain number, since a row of data has those."""
    words = [c for c in cells if c and not is_value(c)]
    return len(words) >= max(1, 0.6 * len(cells))


def _are_units(cells: list[str]) -> bool:
    filled = [c.strip("[]() ") for c in cells if c]
    return bool(filled) and all(is_unit(c) for c in filled)


def _is_data(cells: list[str], width: int) -> bool:
    while len(cells) > width and not cells[-1]:
        cells = cells[:-1]
    numbers = sum(is_value(c) for c in cells)
    return len(cells) == width and numbers >= max(1, 0.5 * width) and any(c[:1].isdigit() for c in cells if c)


def _has_numbers(names: list[str], rows: list[list[str]]) -> bool:
    """Whether rows, mostly of words, are all as wide as a header that has no number, and have a column of numbers."""
    whole = [row for row in rows if len(row) == len(names)]
    if len(rows) < FEWEST_ROWS or len(whole) < len(rows) or any(n[:1].isdigit() for n in names):
        return False
    return any(all(cell[:1].isdigit() and is_value(cell) for cell in column) for column in zip(*whole, strict=True))


def _decimals(rows: list[list[str]], delimiter: str) -> tuple[str, str]:
    """The decimal sign and the sign that groups thousands."""
    cells = [c for row in rows for c in row if c and not _TIME.fullmatch(c)]
    decimal = "," if delimiter != "," and any(map(_has_decimal_comma, cells)) else "."
    for sign in ("." if decimal == "," else ",", " ", "'"):
        grouped = [c for c in cells if _GROUPED[sign].fullmatch(c)]
        plain = [c for c in cells if sign == "," and _COMMA.fullmatch(c) and not _GROUPED[sign].fullmatch(c)]
        if grouped and not plain:
            found = re.search(r"[.,'’ \u00a0\u202f]", grouped[0].lstrip("+-"))
            return decimal, found.group() if found else sign
    return decimal, ""


def _has_decimal_comma(cell: str) -> bool:
    """Whether a comma can be the decimal sign of a number, grouped or not."""
    return "," in cell and any(form.fullmatch(cell) for form in _DECIMAL_COMMA)
