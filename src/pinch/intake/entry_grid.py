"""Results typed in a grid: what stands in its rows and columns and what is held, what a field is of, and what of it is
new, changed or taken away."""

from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum

from msgspec import Struct, field

from pinch.bench.book import Book
from pinch.bench.entry import ValueEntry, read_value
from pinch.bench.records import Result, Workload, checked, live
from pinch.bench.summaries import Origin
from pinch.bench.variants import own_name
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import counted
from pinch.intake.shelf import Shelf
from pinch.intake.typed_fields import Field, FieldsOf, fields_words, typed_fields
from pinch.language import marked, tr

DIGITS = 12


class Side(StrEnum):
    """What can stand in the rows or columns of a grid; the others are held."""

    DEVICE = "device"
    SETTING = "setting"
    WORKLOAD = "workload"
    VARIANT = "variant"
    METRIC = "metric"


MANY = {
    Side.DEVICE: marked("devices"),
    Side.SETTING: marked("settings"),
    Side.WORKLOAD: marked("workloads"),
    Side.VARIANT: marked("variants"),
    Side.METRIC: marked("metrics"),
}


class EntryGrid(Struct, frozen=True):
    """What each row and column stands for, and what all of them share. Names throughout; metrics by their keys. A
    workload is named without its variant; no variant held means the workload as it is."""

    rows: Side
    columns: Side
    row_names: tuple[str, ...]
    column_names: tuple[str, ...]
    held: Mapping[Side, str]

    def of(self, at: Field) -> dict[Side, str]:
        """What a field is of.

        Raises
        ------
        PinchError : a name is missing.
        """
        row, column = at
        found = {**self.held, self.rows: self.row_names[row], self.columns: self.column_names[column]}
        missing = next((s for s in Side if s is not Side.VARIANT and not found.get(s, "").strip()), None)
        if missing is not None:
            raise PinchError(tr("Which {missing} is it? Choose one on the left.", missing=missing))
        return {side: found.get(side, "").strip() for side in Side}


class Provenance(Struct, frozen=True):
    """What is said of all results that are typed at once."""

    origin: Origin = Origin.OWN
    told_by: str = ""
    day: str = ""
    n: int = 1
    units: int = 1
    note: str = ""


class GridWork(Struct, frozen=True):
    """What a filled grid would do to the book. `problems` are sentences by field, and
    nothing of those is kept; `questions` are of fields that can be read in two ways."""

    new: Mapping[Field, Result] = field(default_factory=dict)
    changed: tuple[Result, ...] = ()
    removed: tuple[Result, ...] = ()
    problems: Mapping[Field, str] = field(default_factory=dict)
    questions: Mapping[Field, str] = field(default_factory=dict)
    makes: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """How many results it touches."""
        return len(self.new) + len(self.changed) + len(self.removed)

    @property
    def words(self) -> str:
        """What keeping it comes to, in a sentence."""
        if not self.size:
            return tr("Nothing is typed yet.")
        parts = [
            f"{count} {what}"
            for count, what in (
                (len(self.new), "new"),
                (len(self.changed), "changed"),
                (len(self.removed), tr("taken away")),
            )
            if count
        ]
        makes = tr(" The book gets {makes}.", makes=_listed(self.makes)) if self.makes else ""
        return f"{counted(self.size, 'result')}: {', '.join(parts)}.{makes}"


def there(book: Book, grid: EntryGrid, said: Provenance) -> dict[Field, tuple[Result, ...]]:
    """The results of the same origin and teller that the book has at the fields of a grid."""
    known = _Known.of(book)
    by_place: dict[tuple[object, ...], list[Result]] = {}
    for r in book.results():
        if r.origin is said.origin and r.told_by == said.told_by:
            by_place.setdefault((r.setting_id, r.workload_id, r.metric), []).append(r)
    found = {}
    for at in _fields(grid):
        try:
            of = grid.of(at)
        except PinchError:
            continue
        own = by_place.get((known.setting(of), known.workload(of), of[Side.METRIC]))
        if own:
            found[at] = tuple(own)
    return found


def value_words(results: Sequence[Result]) -> str:
    """What a field shows of the results that are there, as it would be typed; of several nothing can be typed."""
    return fields_words(results, "result", _as_typed)


def _as_typed(only: Result) -> str:
    ends = (only.value,) if only.value is not None else (only.low, only.high)
    return "–".join(f"{end:.{DIGITS}g}" for end in ends)


def work_of(
    book: Book,
    grid: EntryGrid,
    texts: Mapping[Field, str],
    said: Provenance,
    unit_of: Callable[[Mapping[Side, str]], str],
) -> GridWork:
    """What the texts of a grid's fields would do to the book; a field that is absent was left as it is. `unit_of` gives
    the unit of what a field is of."""

    def make(at: Field, own: Result | None, value: ValueEntry) -> Result:
        if own is not None:
            return _otherwise(own, value.fields)
        return _result(grid.of(at)[Side.METRIC], value.fields, said)

    def read(at: Field, text: str) -> ValueEntry:
        return read_value(text, unit_of(grid.of(at)))

    done = typed_fields(texts, FieldsOf("result", there(book, grid, said), value_words, read, make))
    known = _Known.of(book)
    makes = dict.fromkeys(record for at in done.new for record in known.makes(grid.of(at)))
    return GridWork(done.new, done.changed, done.removed, done.problems, done.questions, tuple(makes))


def keep(book: Book, grid: EntryGrid, work: GridWork) -> None:
    """Do it; records of names that the book does not have are made. The caller makes it one change.

    Raises
    ------
    PinchError : a name will not do.
    """
    shelf = Shelf(book)
    for at, result in work.new.items():
        of = grid.of(at)
        names = (of[Side.DEVICE], of[Side.SETTING], of[Side.WORKLOAD], of[Side.VARIANT])
        frames = result.metric in LOW_NAMES
        device, setting, workload = shelf.place(names, rate=FRAME_RATE if frames else "score.rate")
        shelf.know_metric(workload, result.metric, "")
        book.save(
            result.model_copy(update={"device_id": device.id, "setting_id": setting.id, "workload_id": workload.id})
        )
    for result in work.changed:
        book.save(result)
    for result in work.removed:
        book.delete(result)


class _Known(Struct, frozen=True):
    """What of names a book has."""

    settings: Mapping[tuple[str, str], int]
    devices: frozenset[str]
    roots: Mapping[str, Workload]
    variants: Mapping[tuple[str, str], int]

    @classmethod
    def of(cls, book: Book) -> "_Known":
        devices, works = live(book.devices()), live(book.workloads())
        names = {w.id: w.name for w in works}
        return cls(
            {(d.name, s.name): s.id for d in devices for s in live(book.settings(d.id))},
            frozenset(d.name for d in devices),
            {w.name: w for w in works if w.variant_of is None},
            {(names[w.root_id], own_name(w).casefold()): w.id for w in works if w.root_id in names},
        )

    def setting(self, of: Mapping[Side, str]) -> int | None:
        return self.settings.get((of[Side.DEVICE], of[Side.SETTING]))

    def workload(self, of: Mapping[Side, str]) -> int | None:
        if of[Side.VARIANT]:
            return self.variants.get((of[Side.WORKLOAD], of[Side.VARIANT].casefold()))
        root = self.roots.get(of[Side.WORKLOAD])
        return root.id if root is not None else None

    def makes(self, of: Mapping[Side, str]) -> list[str]:
        """The records that would have to be made for a field."""
        made = []
        if of[Side.DEVICE] not in self.devices:
            made.append(tr("the device {of}", of=of[Side.DEVICE]))
        if self.setting(of) is None:
            made.append(tr("the setting {setting} of {device}", setting=of[Side.SETTING], device=of[Side.DEVICE]))
        if of[Side.WORKLOAD] not in self.roots:
            made.append(
                tr(
                    "the workload {of}, in {what}",
                    of=of[Side.WORKLOAD],
                    what=tr("fps") if of[Side.METRIC] in LOW_NAMES else tr("points"),
                )
            )
        if of[Side.VARIANT] and self.workload(of) is None:
            made.append(tr("the variant {variant} of {workload}", variant=of[Side.VARIANT], workload=of[Side.WORKLOAD]))
        return made


def _fields(grid: EntryGrid) -> list[Field]:
    return [(r, c) for r in range(len(grid.row_names)) for c in range(len(grid.column_names))]


def _result(metric: str, value: Mapping[str, float | None], said: Provenance) -> Result:
    """A result whose place in the book is still open (0)."""
    ids = {"device_id": 0, "setting_id": 0, "workload_id": 0}
    told = {name: getattr(said, name) for name in ("origin", "told_by", "day", "n", "units", "note")}
    made: Result = checked(Result, tr("The result"), metric=metric, **ids, **told, **value)
    return made


def _otherwise(result: Result, value: Mapping[str, float | None]) -> Result:
    """A result with another value; what else is noted of it stays."""
    fields = {**result.model_dump(by_alias=False), **value}
    made: Result = checked(Result, tr("The result"), **fields)
    return made


def _listed(things: tuple[str, ...], most: int = 4) -> str:
    shown = list(things[:most])
    if len(things) > most:
        shown.append(tr("{things} more", things=len(things) - most))
    return shown[0] if len(shown) == 1 else tr("{shown} and {last}", shown=", ".join(shown[:-1]), last=shown[-1])
