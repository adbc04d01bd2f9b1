"""Numbers in the lines of any program: CSV with a header, `name=value` or `name: value`, or a JSON object a line."""

import json
import math
import re
from collections.abc import Iterator

_CELL = r"((?:[^,;\t=:]|,(?=\d))*?)"
_NEXT = r"(?=$|[;\t]|,(?!\d)|\s+[A-Za-z_][\w.\-/]*\s*[=:])"
_PAIR = re.compile(rf"([A-Za-z_][^=:,;\t]*?)\s*[=:]\s*{_CELL}{_NEXT}")
_NUMBER = re.compile(r"\s*([-+−]?(?:\d+(?:[.,]\d+)?|[.,]\d+)(?:[eE][-+]?\d+)?)\s*([^\d\s].*)?\s*")
_DELIMITERS = ("\t", ";", ",")
_FLAGS = {"yes": 1.0, "true": 1.0, "on": 1.0, "no": 0.0, "false": 0.0, "off": 0.0}
MOST_NAMES = 200
"""Of one program; nobody reads more."""


class LineValues:
    """Reads one program's lines; the first that tells anything says of which form they are."""

    def __init__(self) -> None:
        self._form = ""
        self._header: list[str] | None = None
        self._delimiter = ","

    def read(self, line: str) -> dict[str, float] | None:
        """The numbers of a line by name, a unit that stands behind a number in brackets after the name; empty for a
        header or an empty line, None for one that says nothing of use."""
        text = line.strip().lstrip("\ufeff")
        if not text:
            return {}
        if self._header is not None:
            return self._of_cells(text)
        if text.startswith("{") and self._form in ("", "json"):
            self._form = "json"
            return self._of_json(text)
        if self._form in ("", "pairs") and (found := dict(_pairs(text))):
            self._form = "pairs"
            return dict(list(found.items())[:MOST_NAMES])
        return self._as_header(text) if not self._form else None

    @staticmethod
    def _of_json(text: str) -> dict[str, float] | None:
        try:
            told = json.loads(text)
        except (ValueError, RecursionError):
            return None
        found = dict(_flat(told, "", 0))
        return dict(list(found.items())[:MOST_NAMES]) if found else None

    def _as_header(self, text: str) -> dict[str, float] | None:
        """Names without a number among them are a header."""
        delimiter = next((d for d in _DELIMITERS if d in text), ",")
        names = [name.strip().strip('"') for name in text.split(delimiter)]
        if any(not name or _value(name) is not None for name in names) or len(set(names)) < len(names):
            return None
        self._header, self._delimiter = names[:MOST_NAMES], delimiter
        return {}

    def _of_cells(self, text: str) -> dict[str, float] | None:
        assert self._header is not None
        cells = [cell.strip().strip('"') for cell in text.split(self._delimiter)]
        if cells == self._header:
            return {}
        if len(cells) != len(self._header):
            return None
        told = {n: v for n, cell in zip(self._header, cells, strict=True) if (v := _value(cell)) is not None}
        return told or None


def _value(cell: str) -> float | None:
    """A number or a flag; a comma between digits is a decimal sign."""
    if cell.casefold() in _FLAGS:
        return _FLAGS[cell.casefold()]
    found = _NUMBER.fullmatch(cell)
    return float(found[1].replace(",", ".").replace("−", "-")) if found else None


def _pairs(text: str) -> Iterator[tuple[str, float]]:
    for name, cell in _PAIR.findall(text):
        value, found = _value(cell), _NUMBER.fullmatch(cell)
        if value is not None:
            unit = found[2] if found and found[2] else ""
            yield (f"{name.strip()} [{unit.strip()}]" if unit else name.strip()), value


def _flat(told: object, name: str, depth: int) -> Iterator[tuple[str, float]]:
    """Numbers of a JSON value by the path to them."""
    if isinstance(told, dict) and depth < 4:
        for key, inner in told.items():
            yield from _flat(inner, f"{name} {key}".strip(), depth + 1)
    elif isinstance(told, list) and depth < 4:
        for number, inner in enumerate(told):
            yield from _flat(inner, f"{name} {number}".strip(), depth + 1)
    elif isinstance(told, bool | int | float):
        try:
            value = float(told)
        except OverflowError:
            return
        if math.isfinite(value):
            yield name, value
    elif isinstance(told, str) and (read := _value(told)) is not None:
        yield name, read
