"""The rows of a table of results: of each what it is of, and its values, with what stands behind them.

A cell that makes no sense is told with its line and column, and keeps no other from being taken.
"""

import statistics
from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct, field

from pinch.bench.entry import read_day
from pinch.bench.parts import Build
from pinch.bench.summaries import Origin
from pinch.core.errors import DataError, PinchError
from pinch.core.metrics import AVERAGE
from pinch.core.printing import plain
from pinch.intake.table_headers import HeaderWords, metric_named, read_header
from pinch.intake.table_roles import BUILDS, BY_NAME, LOWS, ONCE, RESULTS, Role, RoleMapping
from pinch.language import tr
from pinch.sources.sheets import Sheet
from pinch.sources.table_cells import CellNumber, is_missing, read_cell

_ORIGINS = {
    Origin.MAKER: ("maker", "manufacturer", "vendor", "hersteller", "press", "claimed"),
    Origin.THIRD: ("third", "other", "somebody", tr("press review"), "published"),
    Origin.ARCHIVE: ("archive", "archiv"),
    Origin.OWN: ("own", "self", "here", "mine", "eigen"),
}
METRIC_WORDS = {AVERAGE: "average", LOWS[Role.LOW_1]: "1 % low", LOWS[Role.LOW_01]: "0.1 % low"}
TIME_UNITS = ("s", "ms", "min", "h")
NAMES = (Role.DEVICE, Role.SETTING, Role.WORKLOAD, Role.VARIANT)
FILLED_DOWN = frozenset((Role.DEVICE, Role.SETTING, Role.WORKLOAD))
"""Names that stand once for several rows below each other, as in merged cells."""


class ToldValue(Struct, frozen=True):
    """One result: its metric (empty: what the workload is about), a value or a range, its standard deviation over `n`
    runs or `units` machines, and its unit (empty: not told)."""

    metric: str
    value: float | None
    low: float | None = None
    high: float | None = None
    spread: float | None = None
    n: int = 1
    units: int = 1
    unit: str = ""
    note: str = ""

    @property
    def words(self) -> str:
        """The value as it is written."""
        number = (
            plain(self.value, 6)
            if self.value is not None
            else f"{plain(self.low or 0.0, 6)}–{plain(self.high or 0.0, 6)}"
        )
        spread = f" ± {plain(self.spread, 3)}" if self.spread is not None else ""
        return f"{self.metric} {number}{spread} {self.unit}".strip()


class Told(Struct, frozen=True):
    """What one row tells of one cell: names of device, setting, workload and variant, the watts that the setting claims
    and those that were measured, builds, whose it is and of when, the line it stands in, and its values."""

    device: str
    setting: str
    workload: str
    variant: str
    values: tuple[ToldValue, ...]
    line: int
    claimed_w: float | None = None
    power_w: float | None = None
    builds: tuple[Build, ...] = ()
    origin: Origin = Origin.OWN
    told_by: str = ""
    day: str = ""
    note: str = ""


class ToldTable(Struct, frozen=True):
    """The rows that can be taken, and a sentence for each cell that cannot."""

    rows: tuple[Told, ...]
    problems: tuple[str, ...] = field(default=())


def told_rows(sheet: Sheet, mapping: RoleMapping, common: Mapping[Role, str]) -> ToldTable:
    """What the rows of a table tell; `common` says what no column does.

    Raises
    ------
    DataError : no column holds results, two say the same of a row, or nothing can be taken.
    """
    sheet = mapping.of_sheet(sheet)
    roles = [use.role for use in mapping.columns]
    if not RESULTS & set(roles):
        raise DataError(sheet.place, tr("no column is said to hold a result"))
    doubled = next((r for r in roles if r in ONCE and roles.count(r) > 1), None)
    if doubled is not None:
        raise DataError(sheet.place, tr("two columns are said to be the {doubled}", doubled=doubled))
    columns = _columns(sheet.names, roles)
    rows: list[Told] = []
    problems: list[DataError] = []
    for row in _rows(sheet, roles, common):
        found, wrong = row.told(columns)
        rows += found
        problems += wrong
    if not rows:
        raise problems[0] if problems else DataError(sheet.place, tr("no row has a result"))
    return ToldTable(tuple(rows), tuple(dict.fromkeys(map(str, problems))))


def _rows(sheet: Sheet, roles: Sequence[Role], common: Mapping[Role, str]) -> Iterator["_Row"]:
    """The rows that have a result, with what is said of each: names that stand above it, as in merged cells, too."""
    above: dict[Role, str] = {}
    for cells, line in zip(sheet.rows, sheet.lines, strict=True):
        filled = [(role, cell) for role, cell in zip(roles, cells, strict=True) if cell]
        own = {role: cell for role, cell in filled if role in ONCE}
        above |= {role: own[role] for role in FILLED_DOWN & set(own)}
        if any(role in RESULTS for role, _ in filled):
            notes = [cell for role, cell in filled if role is Role.NOTE] or [common.get(Role.NOTE, "")]
            yield _Row(sheet, cells, line, {**common, **above, **own}, " ".join(notes))


class _Group(Struct, frozen=True):
    """Columns that hold the repeats of one result: what their header names, its metric and unit, their places, and the
    places of its spread and counts."""

    names: tuple[tuple[Role, str], ...]
    metric: str
    unit: str
    machines: bool
    places: tuple[int, ...]
    spread: int | None
    n: int | None
    units: int | None


def _columns(names: Sequence[str], roles: Sequence[Role]) -> list[_Group]:
    """The columns of results by what they are repeats of, with their spreads and counts: those that follow them, or the
    only ones of the table."""
    keys: list[tuple[tuple[tuple[Role, str], ...], str]] = []
    members: dict[int, list[int]] = {}
    parts: dict[int, HeaderWords] = {}
    beside: dict[tuple[int, Role], int] = {}
    last: tuple[tuple[Role, str], ...] = ()
    for place, (name, role) in enumerate(zip(names, roles, strict=True)):
        if role in RESULTS:
            words = read_header(name)
            own = _named_by(role, words, name)
            last = own or (last if role in LOWS else ())
            key = (last, _metric_of(role, words))
            same = next((n for n, k in enumerate(keys) if k == key and _is_repeat(words, parts[n], names, place)), None)
            if same is None:
                same = len(keys)
                keys.append(key)
                parts[same] = words
            members.setdefault(same, []).append(place)
        elif role in (Role.SPREAD, Role.REPEATS, Role.UNITS):
            beside[max(members, default=0), role] = place
    count = {role: roles.count(role) for role in (Role.SPREAD, Role.REPEATS, Role.UNITS)}

    def place_of(group: int, role: Role) -> int | None:
        if count[role] == 1 and (role is not Role.SPREAD or len(members) == 1):
            return list(roles).index(role)
        return beside.get((group, role))

    return [
        _Group(
            keys[n][0],
            keys[n][1],
            parts[n].unit,
            bool(parts[n].machine),
            tuple(places),
            place_of(n, Role.SPREAD),
            place_of(n, Role.REPEATS),
            place_of(n, Role.UNITS),
        )
        for n, places in members.items()
    ]


def _named_by(role: Role, words: HeaderWords, header: str) -> tuple[tuple[Role, str], ...]:
    """What the header of a column of results names."""
    if role not in BY_NAME or role is Role.BY_METRIC:
        return ()
    return ((BY_NAME[role], words.name or header),)


def _metric_of(role: Role, words: HeaderWords) -> str:
    if role in LOWS:
        return LOWS[role]
    if role is Role.BY_METRIC:
        return ", ".join(filter(None, (words.name, METRIC_WORDS.get(words.metric, "") if words.name else words.metric)))
    return words.metric


def _is_repeat(words: HeaderWords, first: HeaderWords, names: Sequence[str], place: int) -> bool:
    """Whether a column of the same result is one more run or machine of it, and not something else of the same name."""
    numbered = words.run is not None and first.run is not None
    machines = bool(words.machine and first.machine)
    twice = names[place].rsplit(" (", 1)[0] in names[:place]
    return numbered or machines or twice


class _Row(Struct, frozen=True):
    """A row of a table with what is said of it as a whole."""

    sheet: Sheet
    cells: Sequence[str]
    line: int
    said: Mapping[Role, str]
    note: str

    def told(self, groups: Sequence[_Group]) -> tuple[list[Told], list[DataError]]:
        """What it tells, cell by cell of the comparison, and what of it makes no sense."""
        values: dict[tuple[tuple[Role, str], ...], list[ToldValue]] = {}
        problems = []
        for group in groups:
            try:
                value = self._value(group)
                if value is not None:
                    values.setdefault(group.names, []).append(value)
            except PinchError as error:
                problems.append(self._problem(error))
        found = []
        for names, own in values.items():
            try:
                found.append(self._of({**self.said, **dict(names)}, own))
            except PinchError as error:
                problems.append(self._problem(error))
        return found, problems

    def _problem(self, error: PinchError) -> DataError:
        return DataError(self.sheet.place, str(error).rstrip("."), self.line)

    def _of(self, said: Mapping[Role, str], values: Sequence[ToldValue]) -> Told:
        names = [said.get(role, "").strip() for role in NAMES]
        missing = next((role for role, name in zip(NAMES[:3], names, strict=False) if not name), None)
        if missing is not None:
            raise PinchError(tr("the {missing} is missing", missing=missing))
        day = said.get(Role.DATED, "")
        builds = tuple(Build(what=what, version=said[role]) for role, what in BUILDS.items() if said.get(role))
        device, setting, workload, variant = names
        return Told(
            device,
            setting,
            workload,
            variant,
            tuple(values),
            self.line,
            claimed_w=self._watts(said, Role.LIMIT),
            power_w=self._watts(said, Role.POWER),
            builds=builds,
            origin=_origin(said.get(Role.ORIGIN, "")),
            told_by=said.get(Role.BY, "").strip(),
            day=read_day(day.split("T")[0].split(" ")[0]) if day.strip() else "",
            note=self.note,
        )

    def _value(self, group: _Group) -> ToldValue | None:
        """The result of a group of columns in this row, None where its cells say that there is none."""
        unit = self.said.get(Role.UNIT, "") or group.unit
        numbers = [told for place in group.places if (told := self._number(place, unit)) is not None]
        if not numbers:
            return None
        told_unit = next((number.unit for number in numbers if number.unit), "") or unit
        number, spread = _mean(numbers, self._plain(group.spread, unit))
        _refuse_nonsense(number, spread, told_unit)
        n, units = self._behind(group, len(numbers))
        share = [self.cells[p] for p in group.places] if told_unit == "%" and unit != "%" else []
        shares = [text for text in share if not text.endswith("%")]  # such as 1,240 of 7,300
        return ToldValue(
            self._metric(group) or ("dropped" if shares else ""),
            None if number.is_range else number.middle,
            low=number.low if number.is_range else None,
            high=number.high if number.is_range else None,
            spread=spread,
            n=n,
            units=units,
            unit=told_unit,
            note="; ".join(shares),
        )

    def _behind(self, group: _Group, many: int) -> tuple[int, int]:
        """How many runs and machines stand behind a result of so many cells."""
        n = self._count(group.n, tr("number of runs")) or (1 if group.machines else many)
        return n, self._count(group.units, tr("number of units")) or (many if group.machines else 1)

    def _metric(self, group: _Group) -> str:
        said = self.said.get(Role.METRIC, "")
        return metric_named(said) if said and not group.metric else group.metric

    def _number(self, place: int, unit: str) -> CellNumber | None:
        text = self.cells[place]
        if is_missing(text):
            return None
        try:
            return read_cell(text, self.sheet.mark.mark, unit)
        except PinchError as error:
            raise PinchError(tr("column {names!r}: {error}", names=self.sheet.names[place], error=error)) from None

    def _plain(self, place: int | None, unit: str) -> float | None:
        number = self._number(place, unit) if place is not None else None
        return number.middle if number is not None else None

    def _count(self, place: int | None, what: str) -> int | None:
        value = self._plain(place, "")
        if value is not None and (value != int(value) or value < 1):
            raise PinchError(tr("the {what} is a whole number, not {value:g}", what=what, value=value))
        return int(value) if value is not None else None

    def _watts(self, said: Mapping[Role, str], role: Role) -> float | None:
        text = said.get(role, "")
        if not text or is_missing(text):
            return None
        number = read_cell(text, self.sheet.mark.mark, "W")
        if not 0 <= number.middle <= 2000:
            raise PinchError(
                tr("the {role} are between 0 and 2000, not {middle}", role=role, middle=plain(number.middle, 6))
            )
        return number.middle


def _mean(numbers: Sequence[CellNumber], spread: float | None) -> tuple[CellNumber, float | None]:
    """The mean of repeats, with their standard deviation where none is told; one number as it is."""
    if len(numbers) == 1:
        return numbers[0], spread
    values = [n.middle for n in numbers]
    mean = statistics.fmean(values)
    return CellNumber(mean, mean), statistics.stdev(values) if spread is None else spread


def _refuse_nonsense(number: CellNumber, spread: float | None, unit: str) -> None:
    if spread is not None and spread < 0:
        raise PinchError(tr("the standard deviation {spread} is below 0", spread=plain(spread, 6)))
    if unit in TIME_UNITS and number.low < 0:
        raise PinchError(tr("a time of {low} {unit} makes no sense", low=plain(number.low, 6), unit=unit))


def _origin(text: str) -> Origin:
    words = text.casefold().strip()
    if not words:
        return Origin.OWN
    for origin, known in _ORIGINS.items():
        if words == origin or any(word in words for word in known):
            return origin
    raise PinchError(
        tr("whose figure it is must be one of {origin}, not {text!r}", origin=", ".join(map(tr, Origin)), text=text)
    )


def is_of_frames(told: Told) -> bool:
    """Whether its values are frame rates."""
    return any(v.metric in LOWS.values() or (v.unit == "fps" and v.metric in ("", AVERAGE)) for v in told.values)
