"""What each column of a table of results says: guessed by its words and cells, asked where that is not sure, remembered
by the header.

A column either says something of its whole row (the device, a note), or holds results; of these the header may name a
device, a setting, a workload, a variant or a metric, so that long and wide tables are read alike.
"""

import re
from collections.abc import Callable, Sequence
from enum import StrEnum
from pathlib import Path

from msgspec import Struct, field
from msgspec.structs import replace
from pydantic import Field

from pinch.bench.fields import Part
from pinch.bench.files import read_model
from pinch.core.errors import DataError
from pinch.intake.table_headers import LOW_01, LOW_1, HeaderWords, read_header
from pinch.language import tr
from pinch.sources.logs.mapping import SURE, fingerprint
from pinch.sources.sheets import Sheet
from pinch.sources.table_cells import DecimalMark, is_missing, is_number


class Role(StrEnum):
    """What a column says; where it is the result of a thing, its header names that thing."""

    DEVICE = "device"
    SETTING = "setting"
    WORKLOAD = "workload"
    VARIANT = "variant"
    METRIC = "metric"
    UNIT = "unit"
    SCORE = "result"
    BY_DEVICE = "result of a device"
    BY_SETTING = "result of a setting"
    BY_WORKLOAD = "result of a workload"
    BY_VARIANT = "result of a variant"
    BY_METRIC = "result of a metric"
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
    DRIVER = "graphics driver"
    SYSTEM = "operating system"
    FIRMWARE = "firmware"
    NOTE = "note"
    NOTHING = "nothing: leave it out"
    UNKNOWN = "not understood"


BY_NAME = {
    Role.BY_DEVICE: Role.DEVICE,
    Role.BY_SETTING: Role.SETTING,
    Role.BY_WORKLOAD: Role.WORKLOAD,
    Role.BY_VARIANT: Role.VARIANT,
    Role.BY_METRIC: Role.METRIC,
}
"""What the header of a column of results names."""
LOWS = {Role.LOW_1: LOW_1, Role.LOW_01: LOW_01}
RESULTS = frozenset((Role.SCORE, *BY_NAME, *LOWS))
"""Columns that hold results."""
BUILDS = {Role.DRIVER: tr("graphics driver"), Role.SYSTEM: "OS", Role.FIRMWARE: "firmware"}
ONCE = frozenset(Role) - RESULTS - {Role.NOTE, Role.NOTHING, Role.UNKNOWN, Role.SPREAD, Role.REPEATS, Role.UNITS}
"""Roles that one column has at most."""
_WORDS = {
    Role.DEVICE: "device machine laptop model gerät geräte notebook appareil machine equipo system dispositivo toestel",
    Role.SETTING: "setting settings mode profile modus profil einstellung réglage ajuste perfil",
    Role.WORKLOAD: tr(
        "workload test tests task scene game games benchmark last szene spiel spiele prueba juego tâche jeu"
    ),
    Role.VARIANT: "variant preset quality resolution voreinstellung qualität qualité préréglage calidad auflösung",
    Role.METRIC: "metric measure quantity kennzahl messgröße subscore part mesure medida",
    Role.UNIT: "unit einheit unité unidad unità",
    Role.SCORE: "score result results points punkte ergebnis puntos résultat resultado fps value wert "
    "valeur valor time zeit",
    Role.SPREAD: "deviation sd stdev stddev std spread streuung σ ± écart desviación standardabweichung",
    Role.REPEATS: "repeats runs passes n count durchläufe wiederholungen répétitions läufe anzahl",
    Role.UNITS: "units samples machines einheiten exemplare geräteanzahl unités unidades",
    Role.POWER: tr("power watts package leistung puissance potencia measured"),
    Role.LIMIT: "limit tdp claimed grenze cap límite limite",
    Role.ORIGIN: tr("origin source whose quelle fuente herkunft"),
    Role.BY: tr("by author publisher von link url reference autor auteur"),
    Role.DATED: "date datum fecha published when day tag jour día",
    Role.DRIVER: tr("driver treiber pilote controlador"),
    Role.SYSTEM: tr("os betriebssystem"),
    Role.FIRMWARE: tr("firmware bios uefi"),
    Role.NOTE: tr("note notes remark remarks bemerkung bemerkungen comment comments kommentar commentaire nota"),
}
_LISTS = {role: frozenset(words.split()) for role, words in _WORDS.items()}
_UNIT_WORDS = frozenset(_WORDS[Role.UNIT].split())
_NUMBERS = {Role.SCORE, Role.SPREAD, Role.REPEATS, Role.UNITS, Role.POWER, Role.LIMIT}
_EITHER = {Role.DATED, Role.SETTING, Role.DEVICE, Role.DRIVER, Role.SYSTEM, Role.FIRMWARE, Role.NOTE, Role.VARIANT}
_ORDER = (
    *(Role.SPREAD, Role.DATED, Role.NOTE, Role.DRIVER, Role.SYSTEM, Role.FIRMWARE, Role.LIMIT, Role.POWER, Role.UNITS),
    *(Role.REPEATS, Role.ORIGIN, Role.BY, Role.UNIT, Role.VARIANT, Role.METRIC, Role.WORKLOAD, Role.SETTING),
    *(Role.DEVICE, Role.SCORE),
)
_LIMIT = re.compile(r"\d+(?:[.,]\d+)?\s*W(?:att)?", re.IGNORECASE)
_PRESET = re.compile(
    r"(?:very |sehr )?(?:low|lowest|medium|mid|normal|high|highest|ultra|epic|extreme|max|maximum|niedrig|mittel|hoch|"
    r"bas|moyen|élevé|bajo|medio|alto|native|quality|balanced|performance|off|on)|(?:\d{3,4}p|[248]k|fhd|qhd|wqhd|uhd)"
    r"(?:[ ,].{1,20})?|\d{3,4}\s*[x×]\s*\d{3,4}",
    re.IGNORECASE,
)
_UNIT_CELLS = {"fps", "s", "ms", "min", "h", "w", "wh", "°c", "%", "points", "pts", "punkte", "mhz", "gb/s", "mb/s"}
MOST_MAPPING = 1_000_000
PLAIN, CERTAIN, BOLD, ASKED = 0.9, 0.95, 0.8, 0.4


class RoleUse(Part):
    """What a column says; `score` is how sure the guess was, 1 where somebody said it."""

    column: str
    role: Role
    score: float = 1.0

    @property
    def doubtful(self) -> bool:
        """Whether it should be asked."""
        return self.score < SURE or self.role is Role.UNKNOWN


class RoleMapping(Part):
    """The roles of all columns of a table, in their order, and its decimal mark where somebody said it."""

    columns: tuple[RoleUse, ...] = Field(min_length=1)
    decimal: str = Field(default="", pattern=r"^[.,]?$")

    def of_sheet(self, sheet: Sheet) -> Sheet:
        """The table with its decimal mark as it was said."""
        return replace(sheet, mark=DecimalMark(self.decimal)) if self.decimal else sheet


class KnownNames(Struct, frozen=True):
    """Names that the book has, in small letters: by these a header is known for what it names."""

    by_role: dict[Role, frozenset[str]] = field(default_factory=dict)

    def role_of(self, name: str) -> Role | None:
        """The role under which a header names something known; None: it does not, or of two kinds."""
        found = [by for by, role in BY_NAME.items() if name.casefold() in self.by_role.get(role, frozenset())]
        return found[0] if len(found) == 1 else None


def guess_roles(sheet: Sheet, known: KnownNames | None = None) -> RoleMapping:
    """The likeliest role of each column."""
    known = known or KnownNames()
    cells = [[row[place] for row in sheet.rows] for place in range(len(sheet.names))]
    numbers = [_numeric(column, sheet.mark.mark) for column in cells]
    found: list[RoleUse | None] = []
    taken: set[Role] = set()
    for name, column, is_numbers in zip(sheet.names, cells, numbers, strict=True):
        use = _by_words(name, column, is_numbers, taken)
        found.append(use)
        taken |= {use.role} & ONCE if use else set()
    return RoleMapping(columns=tuple(_named(sheet.names, found, numbers, taken, known)))


def read_roles(path: Path, sheet: Sheet) -> RoleMapping:
    """Roles that were written as JSON, for the columns of a table; one it does not speak of is not understood.

    Raises
    ------
    DataError : it cannot be read, or speaks of a column that is not there.
    """
    said = read_model(path, RoleMapping, MOST_MAPPING)
    named = {use.column: use for use in said.columns}
    missing = [name for name in named if name not in sheet.names]
    if missing:
        raise DataError(str(path), tr("it speaks of a column {missing!r} that is not there", missing=missing[0]))
    columns = (named.get(name, RoleUse(column=name, role=Role.UNKNOWN, score=0.0)) for name in sheet.names)
    return said.model_copy(update={"columns": tuple(columns)})


def key_of(sheet: Sheet) -> str:
    """The same for every table with these columns."""
    return "scores-" + fingerprint(sheet.names, ())


def open_questions(sheet: Sheet, roles: RoleMapping) -> list[str]:
    """What has to be answered before a table can be taken, a sentence each."""
    asked = []
    for use in roles.columns:
        if use.role is Role.UNKNOWN:
            asked.append(tr("What is the column {column!r}?", column=use.column))
        elif use.doubtful:
            asked.append(tr("Is the column {column!r} the {role}?", column=use.column, role=use.role))
    if not roles.of_sheet(sheet).mark.sure:
        asked.append(tr("Which is the decimal mark of its numbers, a dot or a comma?"))
    return asked


def _by_words(name: str, cells: Sequence[str], numbers: bool, taken: set[Role]) -> RoleUse | None:
    """A role by the words of a header; None where they do not say one."""
    words = read_header(name)
    if numbers:
        if _LIMIT.fullmatch(name.strip()):
            return None
        plain = _plain_result(words)
        if plain is not None:
            return RoleUse(column=name, role=plain, score=PLAIN)
    own = name.rpartition(", ")[2]  # what stands above several columns says nothing of one that holds words
    if not numbers and set(_letters(own)) & _UNIT_WORDS:
        are_units = _share(cells, lambda c: c.casefold() in _UNIT_CELLS) > 0.5
        return RoleUse(column=name, role=Role.UNIT if are_units else Role.DEVICE, score=PLAIN)
    return _in_lists(name, set(_letters(words.name if numbers else own)), numbers, taken)


def _plain_result(words: HeaderWords) -> Role | None:
    """The role of a column of numbers whose header names nothing but a metric, a unit, a run or a machine."""
    if words.name:
        return None
    if words.metric in LOWS.values():
        return next(role for role, key in LOWS.items() if key == words.metric)
    if words.unit.casefold() == "w" and not words.metric:
        return Role.POWER
    return Role.SCORE if words.run is not None or words.machine or words.metric or words.unit else None


def _in_lists(name: str, letters: set[str], numbers: bool, taken: set[Role]) -> RoleUse | None:
    """The first role that has a word of a header in its list."""
    for role in _ORDER:
        hit = letters & _LISTS[role]
        if not hit or (role in taken and role in ONCE) or not (numbers == (role in _NUMBERS) or role in _EITHER):
            continue
        certain = role is not Role.SCORE or letters == hit
        return RoleUse(column=name, role=role, score=PLAIN if certain else ASKED)
    return None


def _letters(text: str) -> list[str]:
    return re.findall(r"[^\W\d_]+|[±σ]", text.casefold())


def _named(
    names: Sequence[str], found: Sequence[RoleUse | None], numbers: Sequence[bool], taken: set[Role], known: KnownNames
) -> list[RoleUse]:
    """The columns that words did not tell: those of numbers name something by their header, the others are asked."""
    open_ones = [n for n, use in enumerate(found) if use is None and numbers[n]]
    parts = {n: read_header(names[n]) for n in open_ones}
    side = _side_of(list(parts.values()), taken, known)
    uses = []
    for n, (name, use) in enumerate(zip(names, found, strict=True)):
        if use is not None:
            if use.role is Role.LOW_1 and name.casefold().strip() in ("low", "lows") and side is Role.BY_VARIANT:
                use = RoleUse(column=name, role=side, score=PLAIN)
        elif n in parts:
            use = _by_name(name, parts[n], side, known)
        else:
            use = RoleUse(column=name, role=Role.UNKNOWN, score=0.0)
        uses.append(use)
    return uses


def _by_name(header: str, words: HeaderWords, side: Role, known: KnownNames) -> RoleUse:
    own = known.role_of(words.name)
    if own is not None:
        return RoleUse(column=header, role=own, score=CERTAIN)
    if _LIMIT.fullmatch(header.strip()):
        return RoleUse(column=header, role=Role.BY_SETTING, score=BOLD)
    if _PRESET.fullmatch(words.name):
        return RoleUse(column=header, role=Role.BY_VARIANT, score=BOLD)
    return RoleUse(column=header, role=side, score=ASKED)


def _side_of(parts: Sequence[HeaderWords], taken: set[Role], known: KnownNames) -> Role:
    """What headers name that nobody knows: what most of their neighbours do, else what the rows do not say."""
    names = [p.name for p in parts]
    sides = [role for name in names if (role := known.role_of(name)) is not None]
    sides += [Role.BY_VARIANT for name in names if _PRESET.fullmatch(name)]
    if sides:
        return max(sides, key=sides.count)
    if Role.WORKLOAD not in taken:
        return Role.BY_WORKLOAD
    if Role.DEVICE not in taken and len(parts) > 1:
        return Role.BY_DEVICE
    return Role.BY_METRIC if Role.METRIC not in taken else Role.UNKNOWN


def _numeric(cells: Sequence[str], mark: str) -> bool:
    """Whether what is filled of a column is numbers; a word here and there, such as *crashed*, makes it no other."""
    filled = [cell for cell in cells if not is_missing(cell)]
    return bool(filled) and 2 * sum(is_number(cell, mark) for cell in filled) >= len(filled)


def _share(cells: Sequence[str], holds: Callable[[str], bool]) -> float:
    filled = [cell for cell in cells if cell]
    return sum(map(holds, filled)) / len(filled) if filled else 0.0
