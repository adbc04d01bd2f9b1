"""Scores from a table: which column says what, and the scores of its rows.

A column's role is guessed by its words, in the manner of logs: certain ones are taken, doubtful ones asked, and an
answer is remembered by the header.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import numpy as np
from pydantic import Field, ValidationError

from pinch.bench.entry import read_day, read_quantity
from pinch.bench.fields import Part
from pinch.bench.files import read_model
from pinch.bench.records import problem_of
from pinch.bench.summaries import Origin, Summary
from pinch.core.errors import DataError, PinchError
from pinch.sources.logs.mapping import SURE, fingerprint
from pinch.sources.sheets import Sheet


class Role(StrEnum):
    """What a column of scores says."""

    DEVICE = "device"
    SETTING = "setting"
    WORKLOAD = "workload"
    VARIANT = "variant"
    METRIC = "metric"
    SCORE = "score"
    LOW_1 = "1 % low"
    LOW_01 = "0.1 % low"
    SPREAD = "standard deviation"
    REPEATS = "number of runs"
    UNITS = "number of units"
    POWER = "measured watts"
    LIMIT = "claimed watts"
    ORIGIN = "whose figure"
    BY = "told by"
    DATED = "date"
    NOTE = "note"
    NOTHING = "nothing"


_WORDS = {
    Role.DEVICE: "device machine laptop unit model gerät appareil equipo system",
    Role.SETTING: "setting mode profile modus profil einstellung réglage ajuste",
    Role.WORKLOAD: "workload test task scene game last szene prueba tâche",
    Role.VARIANT: "variant preset quality resolution voreinstellung qualität qualité préréglage calidad",
    Role.METRIC: "metric part subscore measure kennzahl",
    Role.SCORE: "score result points punkte ergebnis puntos résultat fps run pass repeat average mean mittel",
    Role.SPREAD: "deviation sd stdev spread streuung σ",
    Role.REPEATS: "repeats runs passes n durchläufe wiederholungen répétitions",
    Role.UNITS: "units samples einheiten unités unidades",
    Role.POWER: "power watts package leistung puissance potencia measured",
    Role.LIMIT: "limit tdp claimed grenze cap",
    Role.ORIGIN: "origin whose source quelle fuente",
    Role.BY: "by author publisher von link url reference",
    Role.DATED: "date datum fecha published when day",
    Role.NOTE: "note notes remark bemerkung comment",
}
_ORDER = (
    *(Role.SPREAD, Role.DATED, Role.NOTE, Role.LIMIT, Role.POWER, Role.UNITS, Role.REPEATS, Role.ORIGIN, Role.BY),
    *(Role.VARIANT, Role.METRIC, Role.SCORE, Role.WORKLOAD, Role.SETTING, Role.DEVICE),
)
_NUMBERED = re.compile(r"(?:run|pass|repeat|score|lauf|durchlauf|essai|prueba|#)\s*\d+|#?\d+")
_ORIGINS = {
    Origin.MAKER: ("maker", "manufacturer", "vendor", "hersteller", "press", "claimed"),
    Origin.THIRD: ("third", "other", "somebody", "press review", "published"),
    Origin.OWN: ("own", "self", "here", "mine", "eigen"),
}
_LOWS = (
    (Role.LOW_01, re.compile(r"(?:^|[^\d.,])(?:0?[.,]1\s*%|p\s*0?[.,]1\b|99[.,]9)", re.IGNORECASE)),
    (Role.LOW_1, re.compile(r"(?:^|[^\d.,])(?:1\s*%|p\s*1\b|99(?![.,]))|^lows?$", re.IGNORECASE)),
)
"""Names of columns of lows; the 99th percentile of frame times is the 1 % low."""
LOW_KEYS = {Role.LOW_1: "low_1.percentile", Role.LOW_01: "low_0_1.percentile"}
_NUMERIC = {Role.LOW_1, Role.LOW_01, Role.SCORE, Role.SPREAD, Role.REPEATS, Role.UNITS, Role.POWER, Role.LIMIT}
_EITHER = {Role.DATED, Role.SETTING, Role.DEVICE}
_UNIT = re.compile(r"[\[(]([^\[\]()]{1,20})[\])]\s*$")
MOST_MAPPING = 1_000_000


class RoleUse(Part):
    """What a column says; `score` is how sure the guess was, 1 where somebody said it."""

    column: str
    role: Role
    score: float = 1.0

    @property
    def doubtful(self) -> bool:
        """Whether it should be asked."""
        return self.score < SURE


class RoleMapping(Part):
    """The roles of all columns of a table, in their order."""

    columns: tuple[RoleUse, ...] = Field(min_length=1)


@dataclass(frozen=True)
class Told:
    """A row: names of device, setting, workload and variant, watts the setting claims, its score with what is told of
    it (that of several cells their mean) and the metric that it is of (empty: the score), lows by key, the unit, the
    note, and where it stands in the table."""

    device: str
    setting: str
    workload: str
    claimed_w: float | None
    summary: Summary
    unit: str
    note: str
    line: int
    variant: str = ""
    metric: str = ""
    lows: tuple[tuple[str, float], ...] = ()


def guess_roles(sheet: Sheet) -> RoleMapping:
    """The likeliest role of each column; all but scores are given once, to the first column of their words."""
    taken: set[Role] = set()
    found = []
    for place, name in enumerate(sheet.names):
        column = _guess(name, _numeric([row[place] for row in sheet.rows], sheet.decimal), taken)
        taken |= {column.role} - {Role.NOTHING}
        found.append(column)
    return RoleMapping(columns=tuple(found))


def read_roles(path: Path, sheet: Sheet) -> RoleMapping:
    """Roles that were written as JSON, for the columns of a table; one it does not speak of says nothing.

    Raises
    ------
    DataError : it cannot be read, or speaks of a column that is not there.
    """
    named = {use.column: use for use in read_model(path, RoleMapping, MOST_MAPPING).columns}
    missing = [name for name in named if name not in sheet.names]
    if missing:
        raise DataError(str(path), f"it speaks of a column {missing[0]!r} that is not there")
    return RoleMapping(columns=tuple(named.get(name, RoleUse(column=name, role=Role.NOTHING)) for name in sheet.names))


def key_of(sheet: Sheet) -> str:
    """The same for every table with these columns."""
    return "scores-" + fingerprint(sheet.names, ())


def told_scores(sheet: Sheet, mapping: RoleMapping, common: Mapping[Role, str]) -> tuple[Told, ...]:
    """The scores of all rows; `common` says what no column does. A row without a score says nothing.

    Raises
    ------
    DataError : a row lacks a name or a number makes no sense; the sentence names its line.
    """
    roles = [use.role for use in mapping.columns]
    if Role.SCORE not in roles:
        raise DataError(sheet.place, "no column is said to hold the score")
    doubled = next((r for r in roles if r not in (Role.SCORE, Role.NOTHING, Role.NOTE) and roles.count(r) > 1), None)
    if doubled is not None:
        raise DataError(sheet.place, f"two columns are said to be the {doubled}")
    unit = _unit_of(sheet.names[roles.index(Role.SCORE)])
    rows = []
    for row, line in zip(sheet.rows, sheet.lines, strict=True):
        cells: dict[Role, list[str]] = {}
        for role, cell in zip(roles, row, strict=True):
            if cell:
                cells.setdefault(role, []).append(cell)
        if Role.SCORE in cells:
            try:
                rows.append(_Row(cells, common, sheet.decimal, unit, line).told())
            except PinchError as error:
                raise DataError(sheet.place, str(error).rstrip("."), line) from None
    if not rows:
        raise DataError(sheet.place, "no row has a score")
    return tuple(rows)


def _guess(name: str, numbers: bool, taken: set[Role]) -> RoleUse:
    plain = name.casefold().strip()
    words = set(re.findall(r"[^\W\d_]+", plain)) | {plain}
    for role, form in _LOWS:
        if numbers and role not in taken and form.search(plain):
            return RoleUse(column=name, role=role, score=0.9)
    if numbers and _NUMBERED.fullmatch(plain):
        return RoleUse(column=name, role=Role.SCORE, score=0.8)
    for role in _ORDER:
        if words & set(_WORDS[role].split()) and role not in taken:
            if numbers == (role in _NUMERIC) or role in _EITHER:
                return RoleUse(column=name, role=role, score=0.9)
            if not numbers and role in (Role.SCORE, Role.POWER):
                return RoleUse(column=name, role=role, score=0.4)
    if numbers and Role.SCORE not in taken:
        return RoleUse(column=name, role=Role.SCORE, score=0.3)
    return RoleUse(column=name, role=Role.NOTHING, score=0.7)


def _unit_of(name: str) -> str:
    """The unit of a column of scores: in brackets, or its name where that is one."""
    bracket = _UNIT.search(name)
    if bracket:
        return bracket.group(1).strip()
    return "fps" if "fps" in name.casefold() else ""


def _numeric(cells: Sequence[str], decimal: str) -> bool:
    filled = [cell for cell in cells if cell]
    return bool(filled) and all(_is_number(cell, decimal) for cell in filled)


def _is_number(text: str, decimal: str) -> bool:
    try:
        _value(text, decimal, "")
    except PinchError:
        return False
    return True


def _value(text: str, decimal: str, unit: str) -> float:
    grouped = text.replace("," if decimal == "." else ".", "")
    value = read_quantity(grouped, unit).value
    if abs(value) == float("inf"):
        raise PinchError(f"{text!r} is no number")
    return value


@dataclass(frozen=True)
class _Row:
    """The cells of a row by their role, and how to read them."""

    cells: Mapping[Role, Sequence[str]]
    common: Mapping[Role, str]
    decimal: str
    unit: str
    line: int

    def told(self) -> Told:
        """The score it tells.

        Raises
        ------
        PinchError : a name is missing, or a cell makes no sense.
        """
        scores = np.array([self._plain(cell, Role.SCORE) for cell in self.cells[Role.SCORE]])
        spread = self._optional(Role.SPREAD)
        if len(scores) > 1 and spread is None:
            spread = float(scores.std(ddof=1))
        repeats = self._count(Role.REPEATS) if len(scores) == 1 else len(scores)
        device, setting, workload = (self._named(role) for role in (Role.DEVICE, Role.SETTING, Role.WORKLOAD))
        try:
            summary = Summary(
                score=float(scores.mean()),
                spread=spread,
                repeats=repeats,
                units=self._count(Role.UNITS),
                power_w=self._optional(Role.POWER, "W"),
                origin=_origin(self._one(Role.ORIGIN)),
                told_by=self._one(Role.BY),
                dated=read_day(day.split(" ")[0]) if (day := self._one(Role.DATED)) else "",
            )
        except ValidationError as error:
            raise PinchError(": ".join(problem_of(error))) from None
        note = " ".join(self.cells.get(Role.NOTE, ()))
        claimed = self._optional(Role.LIMIT, "W")
        lows = tuple((key, low) for role, key in LOW_KEYS.items() if (low := self._optional(role)) is not None)
        unit = self.unit or ("fps" if lows else "")
        found = (self._one(Role.VARIANT), self._one(Role.METRIC), lows)
        return Told(device, setting, workload, claimed, summary, unit, note, self.line, *found)

    def _one(self, role: Role) -> str:
        return self.cells[role][0] if role in self.cells else self.common.get(role, "").strip()

    def _named(self, role: Role) -> str:
        name = self._one(role)
        if not name:
            raise PinchError(f"the {role} is missing")
        return name

    def _plain(self, text: str, role: Role, unit: str = "") -> float:
        try:
            return _value(text, self.decimal, unit)
        except PinchError:
            raise PinchError(f"the {role} {text!r} is no number{f' in {unit}' if unit else ''}") from None

    def _optional(self, role: Role, unit: str = "") -> float | None:
        text = self._one(role)
        return self._plain(text, role, unit) if text else None

    def _count(self, role: Role) -> int:
        value = self._optional(role)
        if value is not None and value != int(value):
            raise PinchError(f"the {role} is a whole number, not {value:g}")
        return 1 if value is None else int(value)


def _origin(text: str) -> Origin:
    plain = text.casefold()
    if not plain:
        return Origin.OWN
    for origin, words in _ORIGINS.items():
        if plain == origin or any(word in plain for word in words):
            return origin
    raise PinchError(f"whose figure it is must be one of {', '.join(Origin)}, not {text!r}")
