"""Readings by hand typed in a grid: a row a run, a column what was read where and when."""

from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.entry import ValueEntry, read_value
from pinch.bench.readings import ROOM_PLACE, UNITS, Instrument, Quantity, ReadAt, Reading, place_words
from pinch.bench.records import Run, checked, now
from pinch.core.printing import counted
from pinch.intake.typed_fields import Field, FieldsOf, fields_words, typed_fields
from pinch.language import tr

WITH_PLACE = (Quantity.SURFACE, Quantity.NOISE)


class ReadingColumn(Struct, frozen=True):
    """What is read in a column: a quantity, when in the run, and where."""

    quantity: Quantity
    phase: ReadAt = ReadAt.UNTOLD
    place: str = ""

    @property
    def words(self) -> str:
        """Its heading."""
        when = {ReadAt.IDLE: tr("at rest"), ReadAt.END: tr("at the end")}.get(self.phase, "")
        what = "" if self.quantity is Quantity.SURFACE and self.place else tr(self.quantity)
        of = f"{what} {place_words(self.place)}".strip()
        return ", ".join(filter(None, (of.capitalize(), when, UNITS[self.quantity])))

    def is_of(self, reading: Reading) -> bool:
        """Whether a reading stands in this column; under load and untold are one."""
        when = {reading.phase, ReadAt.UNTOLD if reading.phase is ReadAt.LOAD else reading.phase}
        return reading.quantity is self.quantity and self.phase in when and reading.place == self.place


class ReadingWork(Struct, frozen=True):
    """What a filled grid would do: readings that are new or changed, those taken away, and sentences by field."""

    kept: tuple[Reading, ...] = ()
    removed: tuple[Reading, ...] = ()
    problems: Mapping[Field, str] = field(default_factory=dict)
    questions: Mapping[Field, str] = field(default_factory=dict)

    @property
    def size(self) -> int:
        """How many readings it touches."""
        return len(self.kept) + len(self.removed)

    @property
    def words(self) -> str:
        """What keeping it comes to."""
        if not self.size:
            return tr("Nothing is typed yet.")
        away = tr(", {removed} taken away", removed=len(self.removed)) if self.removed else ""
        return tr("{kept} to keep{away}.", kept=counted(len(self.kept), "reading"), away=away)


def readings_there(book: Book, runs: Sequence[Run], columns: Sequence[ReadingColumn]) -> dict[Field, list[Reading]]:
    """The readings that the book has at the fields of a grid."""
    found: dict[Field, list[Reading]] = {}
    for r, run in enumerate(runs):
        for reading in book.readings(run.id):
            for c, column in enumerate(columns):
                if column.is_of(reading):
                    found.setdefault((r, c), []).append(reading)
    return found


def reading_text(readings: Sequence[Reading]) -> str:
    """What a field shows: the value, or the range that was seen, as it would be typed."""
    return fields_words(readings, "reading", _as_typed)


def _as_typed(only: Reading) -> str:
    if only.low is not None and only.high is not None and only.value == _middle(only.low, only.high):
        return f"{only.low:g}–{only.high:g}"
    return f"{only.value:g}"


def readings_work(
    book: Book,
    runs: Sequence[Run],
    columns: Sequence[ReadingColumn],
    texts: Mapping[Field, str],
    instruments: Mapping[Quantity, Instrument | None],
    distance_mm: float | None,
) -> ReadingWork:
    """What the texts of fields would do to the book. A range such as 41.6–42 keeps its ends, and its middle as the
    value."""

    def read(at: Field, text: str) -> ValueEntry:
        return read_value(text, UNITS[columns[at[1]].quantity])

    def make(at: Field, own: Reading | None, entry: ValueEntry) -> Reading:
        low, high = entry.ends[0], entry.ends[-1]
        ends = (low, high) if len(entry.ends) > 1 else (None, None)
        if own is None:
            return _reading(runs[at[0]], columns[at[1]], ends, _middle(low, high), instruments, distance_mm)
        seen = {"value": _middle(low, high), "low": ends[0], "high": ends[1]}
        changed: Reading = checked(Reading, tr("The reading"), **{**own.model_dump(by_alias=False), **seen})
        return changed

    of = FieldsOf("reading", readings_there(book, runs, columns), reading_text, read, make)
    done = typed_fields(texts, of)
    return ReadingWork((*done.new.values(), *done.changed), done.removed, done.problems, done.questions)


def keep_readings(book: Book, work: ReadingWork, room_db: float | None = None, room_by: str = "") -> None:
    """Keep them, and the level of the room alone with each run that a noise reading is of. The caller makes it one
    change."""
    spans: dict[int, tuple[float, float]] = {}
    with_room: set[int] = set()
    for reading in work.kept:
        if reading.kept_id is None:
            run_id = reading.run_id
            if run_id not in spans:
                log = runlogs.read_log(book, run_id)
                spans[run_id] = log.span_s if log.samples else (0.0, 0.0)
            begin, end = spans[run_id]
            reading = replace_time(reading, begin if reading.at_rest else end)
        book.save(reading)
        if reading.quantity is Quantity.NOISE and room_db is not None and reading.run_id not in with_room:
            with_room.add(reading.run_id)
            if not any(r.place == ROOM_PLACE for r in book.readings(reading.run_id)):
                alone = {"value": room_db, "low": None, "high": None, "place": ROOM_PLACE, "instrument": room_by}
                book.save(reading.as_new(**alone))
    for reading in work.removed:
        book.delete(reading)


def replace_time(reading: Reading, t_s: float) -> Reading:
    """The reading at another moment of its run."""
    return reading.model_copy(update={"t_s": max(0.0, t_s)})


def _middle(low: float, high: float) -> float:
    return float(f"{0.5 * (low + high):.12g}")


def _reading(
    run: Run,
    column: ReadingColumn,
    ends: tuple[float | None, float | None],
    value: float,
    instruments: Mapping[Quantity, Instrument | None],
    distance_mm: float | None,
) -> Reading:
    instrument = instruments.get(column.quantity)
    stated = instrument is not None and instrument.accuracy.stated
    made: Reading = checked(
        Reading,
        tr("The reading"),
        run_id=run.id,
        taken=now(),
        t_s=0.0,
        quantity=column.quantity,
        value=value,
        low=ends[0],
        high=ends[1],
        phase=column.phase,
        place=column.place,
        distance_mm=distance_mm if column.quantity is Quantity.NOISE else None,
        instrument=instrument.name if instrument is not None else "",
        u=instrument.accuracy.standard_u(value) if instrument is not None and stated else None,
    )
    return made
