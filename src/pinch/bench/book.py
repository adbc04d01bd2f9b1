"""The book: one SQLite file with devices, settings, workloads, runs and their logs.

A `Book` belongs to the thread that opened it; another thread opens its own on the same file (the journal is
write-ahead, so that reading never waits for the recorder). Records are kept as JSON beside the columns that are
searched by; they are checked again when they are read, since a file from outside is not trusted.
"""

import contextlib
import json
import os
import sqlite3
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from pinch.bench.bench_questions import ReviewQuestion
from pinch.bench.cards import Card, Report
from pinch.bench.photos import Photo
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Record, Reference, Result, Run, Setting, Workload
from pinch.bench.remembered import Remembered
from pinch.bench.staging import staged
from pinch.core.errors import PinchError
from pinch.language import tr

R = TypeVar("R", bound=Record)
_REMEMBERED: dict[type[Record], Remembered[Any]] = {Run: Remembered(), Reading: Remembered()}
"""Kinds of which a book has many."""
_REMOVED = "SELECT id FROM run WHERE removed < 0 OR removed > 0"  # an index does not help to find what is not 0
NOT_VOID = "COALESCE(json_extract(record, '$.void'), '') = ''"
MOST_KEPT = 64
"""Answers that are kept at a time."""
_COLUMNS: dict[type[Record], tuple[str, tuple[str, ...]]] = {
    Device: ("device", ()),
    Setting: ("setting", ("device_id",)),
    Workload: ("workload", ()),
    Protocol: ("protocol", ()),
    Plan: ("plan", ()),
    Instrument: ("instrument", ()),
    Reading: ("reading", ("run_id",)),
    Result: ("result", ("device_id", "setting_id", "workload_id", "run_id")),
    Acceptance: ("acceptance", ()),
    Card: ("card", ()),
    Report: ("report", ()),
    Reference: ("reference", ()),
    ReviewQuestion: ("question", ()),
    Photo: ("photo", ("device_id", "run_id")),
    Run: ("run", ("device_id", "setting_id", "workload_id", "started", "repeat", "removed")),
}


class BookError(PinchError):
    """A book that cannot be opened, read or written."""

    def __init__(self, path: Path | str, reason: str) -> None:
        self.path, self.reason = Path(path), reason
        super().__init__(f"{path}: {reason}.")


class BookGoneError(BookError):
    """The file of an open book was deleted or replaced by another program."""


class Book:
    """An open book. Use `create_book` or `open_book`.

    Parameters
    ----------
    read_again : for a book that is only read: makes a connection to its file. It is called anew when the file has
        changed, since a file that nobody seemed to write may be written later.
    """

    def __init__(
        self,
        path: Path,
        connection: sqlite3.Connection,
        read_again: Callable[[Path], sqlite3.Connection] | None = None,
    ) -> None:
        self.path, self.connection, self.read_only = path, connection, read_again is not None
        self.notes: tuple[str, ...] = ()
        self._read_again, self._seen = read_again, _state_of(path)
        self._file = _file_of(path)
        self._kept: dict[tuple[object, ...], list[Any]] = {}
        self._kept_as_of: tuple[object, ...] = ()
        self._log: tuple[int, int] | None = None

    @property
    def in_place(self) -> bool:
        """Whether the file at the path is still the one that was opened."""
        return self._file == _file_of(self.path)

    @property
    def state(self) -> tuple[object, ...]:
        """Another after every change of the book, whoever makes it."""
        return (*self.query("PRAGMA data_version")[0], self.connection.total_changes)

    def close(self) -> None:
        """Close it; what the journal still holds goes into the one file."""
        if not self.read_only:
            with contextlib.suppress(sqlite3.Error):  # another connection may still read: it will do it
                self.connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.connection.close()

    def wait_at_most(self, seconds: float) -> None:
        """How long a change waits for another program that writes, before it says that the book is in use."""
        self.connection.execute(f"PRAGMA busy_timeout = {round(1000 * seconds)}")

    @contextlib.contextmanager
    def change(self) -> Iterator[sqlite3.Connection]:
        """One change: all of it is kept, or nothing. A change inside another is a part of that one.

        Raises
        ------
        BookGoneError : the file was deleted or replaced.
        BookError : the book is read-only, locked, damaged, or the disk is full.
        """
        if self.read_only:
            raise BookError(self.path, tr("is read-only, so nothing can be changed in it"))
        if self.connection.in_transaction:
            try:
                yield self.connection
            except sqlite3.Error as error:
                raise BookError(self.path, reason_of(error)) from error
            return
        if not self.in_place:
            self._take_log_away()
            raise BookGoneError(
                self.path,
                tr("was deleted or replaced by another program since it was opened; save a copy of what is open"),
            )
        try:
            self.connection.execute("BEGIN IMMEDIATE")
            yield self.connection
            self.connection.execute("COMMIT")
            self._log = _file_of(log_of(self.path))
        except BaseException as error:
            with contextlib.suppress(sqlite3.Error):
                self.connection.execute("ROLLBACK")
            self._kept.clear()
            if isinstance(error, sqlite3.Error):
                raise BookError(self.path, reason_of(error)) from error
            raise

    def query(self, sql: str, *values: object) -> list[tuple[object, ...]]:
        """All rows of a SELECT; as `each`."""
        return list(self.each(sql, *values))

    def each(self, sql: str, *values: object) -> Iterator[tuple[object, ...]]:
        """The rows of a SELECT, one after the other, all of one moment whoever else writes meanwhile.

        Raises
        ------
        BookError : the book is damaged or locked.
        """
        try:
            if self._read_again is not None and (state := _state_of(self.path)) != self._seen:
                self.connection.close()
                self.connection, self._seen = self._read_again(self.path), state
                self._kept.clear()
            yield from self.connection.execute(sql, values)
        except sqlite3.Error as error:
            raise BookError(self.path, reason_of(error)) from error

    def save(self, record: R) -> R:
        """Keep a record: a new one where it has no id, else in place of the old. Returns it with its id."""
        table, columns = _COLUMNS[type(record)]
        data = record.model_dump(mode="json", exclude={"kept_id"})
        fields = [*columns, "record"]
        values = [data[name] for name in columns] + [json.dumps(data, ensure_ascii=False)]
        with self.change() as connection:
            if record.kept_id is None:
                marks = ", ".join("?" * len(fields))
                cursor = connection.execute(f"INSERT INTO {table} ({', '.join(fields)}) VALUES ({marks})", values)
                return self._whole(record.model_copy(update={"kept_id": cursor.lastrowid}))
            pairs = ", ".join(f"{name} = ?" for name in fields)
            connection.execute(f"UPDATE {table} SET {pairs} WHERE id = ?", [*values, record.id])
        return self._whole(record)

    def delete(self, record: Record) -> None:
        """Take a record out of the book, with what belongs to it."""
        with self.change() as connection:
            connection.execute(f"DELETE FROM {_COLUMNS[type(record)][0]} WHERE id = ?", (record.id,))

    def restore(self, record: Record) -> None:
        """Keep a record under the number that it has, in a book that has none of that number.

        Raises
        ------
        BookError : the number is taken, or what the record refers to is not there.
        """
        table, columns = _COLUMNS[type(record)]
        data = record.model_dump(mode="json", exclude={"kept_id"})
        fields = ["id", *columns, "record"]
        values = [record.id, *(data[name] for name in columns), json.dumps(data, ensure_ascii=False)]
        with self.change() as connection:
            marks = ", ".join("?" * len(fields))
            connection.execute(f"INSERT INTO {table} ({', '.join(fields)}) VALUES ({marks})", values)

    def get(self, kind: type[R], record_id: int) -> R:
        """The record of that id.

        Raises
        ------
        BookError : there is none, or it is damaged.
        """
        found = self._records(kind, "WHERE id = ?", record_id)
        if not found:
            raise BookError(
                self.path, tr("has no {columns} number {record_id}", columns=_COLUMNS[kind][0], record_id=record_id)
            )
        return self._whole(found[0])

    def devices(self) -> list[Device]:
        """All devices in the order they were added."""
        return self._records(Device)

    def settings(self, device_id: int) -> list[Setting]:
        """Settings of a device in the order they were added."""
        return self._records(Setting, "WHERE device_id = ?", device_id)

    def workloads(self) -> list[Workload]:
        """All workloads in the order they were added, each followed by its variants."""
        found = self._records(Workload)
        by_id = {w.id: w for w in found}
        whole = [w.below(by_id[w.variant_of]) if w.variant_of in by_id else w for w in found]
        order = {w.id: place for place, w in enumerate(found)}
        return sorted(whole, key=lambda w: (order.get(w.root_id, order[w.id]), w.variant_of is not None, order[w.id]))

    def results(self) -> list[Result]:
        """All results that were typed or told, in the order of their entry."""
        return self._records(Result)

    def references(self) -> list[Reference]:
        """The books laid beside this one, in the order in which they were."""
        return self._records(Reference)

    def protocols(self) -> list[Protocol]:
        """All protocols in the order they were added."""
        return self._records(Protocol)

    def plans(self) -> list[Plan]:
        """All plans in the order they were added."""
        return self._records(Plan)

    def instruments(self) -> list[Instrument]:
        """All instruments in the order they were added."""
        return self._records(Instrument)

    def acceptances(self) -> list[Acceptance]:
        """All differences of conditions that were accepted, in the order of their entry."""
        return self._records(Acceptance)

    def questions(self) -> list[ReviewQuestion]:
        """All questions, in the order they were asked."""
        return self._records(ReviewQuestion)

    def cards(self) -> list[Card]:
        """The cards of the deck in their order."""
        return sorted(self._records(Card), key=lambda card: (card.place, card.id))

    def count_cards(self) -> int:
        """How many cards there are."""
        return self._count("SELECT COUNT(*) FROM card")

    def report(self) -> Report:
        """The report of the book; an empty one where none was begun."""
        return next(iter(self._records(Report)), Report())

    def readings(self, run_id: int) -> list[Reading]:
        """What was read by hand during a run, in the order of its entry."""
        return self._records(Reading, "WHERE run_id = ? ORDER BY id", run_id)

    def readings_by_run(self) -> dict[int, tuple[Reading, ...]]:
        """All readings by the number of their run, each in the order of its entry."""
        found: dict[int, list[Reading]] = {}
        for reading in self._records(Reading):
            found.setdefault(reading.run_id, []).append(reading)
        return {run_id: tuple(own) for run_id, own in found.items()}

    def photos(self, device_id: int, run_id: int | None = None) -> list[Photo]:
        """Pictures of a run where one is named, else those of the device alone, in the order of their entry."""
        where = "WHERE device_id = ? AND run_id IS ? ORDER BY id"
        return self._records(Photo, where, device_id, run_id)

    def all_photos(self) -> Iterator[Photo]:
        """All pictures one after the other, but of runs that were removed."""
        removed = "WHERE run_id IS NULL OR run_id IN (SELECT id FROM run WHERE NOT removed) ORDER BY id"
        for row in self.query(f"SELECT id FROM photo {removed}"):
            yield self.get(Photo, int(str(row[0])))

    def drafts(self, record: Record) -> dict[str, str]:
        """What was typed into fields of a record and could not be kept as their value, by field."""
        kind = _COLUMNS[type(record)][0]
        rows = self.query("SELECT field, text FROM draft WHERE kind = ? AND record_id = ?", kind, record.id)
        return {str(name): str(text) for name, text in rows}

    def set_draft(self, record: Record, field: str, text: str | None) -> None:
        """Keep what was typed into a field as it is; None lets go of it."""
        key = (_COLUMNS[type(record)][0], record.id, field)
        with self.change() as connection:
            connection.execute("DELETE FROM draft WHERE kind = ? AND record_id = ? AND field = ?", key)
            if text is not None:
                connection.execute("INSERT INTO draft (kind, record_id, field, text) VALUES (?, ?, ?, ?)", (*key, text))

    def runs(self, device_id: int | None = None, workload_id: int | None = None) -> list[Run]:
        """Runs that were not removed, oldest first, of one device or workload where given."""
        where, values = _kept_runs(device_id, workload_id)
        return self._records(Run, f"{where} ORDER BY started, id", *values)

    def newest_runs(self, count: int) -> list[Run]:
        """So many of the runs that were not removed, newest first."""
        return self._records(Run, "WHERE removed = 0 ORDER BY started DESC, id DESC LIMIT ?", count)

    def count_runs(self, device_id: int | None = None, workload_id: int | None = None) -> int:
        """How many there are, of one device or workload where given."""
        where, values = _kept_runs(device_id, workload_id)
        return self._count(f"SELECT COUNT(*) FROM run {where}", *values)

    def count_settings_run(self, device_id: int, workload_id: int) -> int:
        """In how many settings of a device a workload was run, void runs apart."""
        where, values = _kept_runs(device_id, workload_id)
        run = f"SELECT 1 FROM run {where} AND setting_id = setting.id AND {NOT_VOID}"  # one is enough of thousands
        return self._count(f"SELECT COUNT(*) FROM setting WHERE EXISTS ({run})", *values)

    def first_run(self) -> Run | None:
        """The oldest run, of those that are not void where there is one."""
        for where in (f"WHERE removed = 0 AND {NOT_VOID}", "WHERE removed = 0"):
            if found := self._records(Run, f"{where} ORDER BY started, id LIMIT 1"):
                return found[0]
        return None

    def cut_runs(self) -> list[Run]:
        """Runs without a stop that were neither removed nor made void, oldest first."""
        without_stop = "json_extract(record, '$.status') IS NULL"
        return self._records(Run, f"WHERE removed = 0 AND {without_stop} AND {NOT_VOID} ORDER BY started, id")

    def next_repeat(self, device_id: int, setting_id: int, workload_id: int) -> int:
        """Number of the next repeat of a cell."""
        rows = self.query(
            "SELECT COALESCE(MAX(repeat), 0) + 1 FROM run WHERE removed = 0 AND device_id = ? AND setting_id = ? "
            "AND workload_id = ?",
            device_id,
            setting_id,
            workload_id,
        )
        return int(str(rows[0][0]))

    def copy_to(self, target: Path) -> None:
        """Write a copy of the whole book; an existing file is replaced only once the copy is complete.

        Raises
        ------
        BookError : the copy cannot be written.
        """
        if not self.in_place:
            self._take_log_away()
        if self.in_place and target.resolve() == self.path.resolve():
            raise BookError(target, tr("is the open book itself; choose another name for the copy"))
        try:
            with staged(target) as part, contextlib.closing(sqlite3.connect(part)) as copy:
                self.connection.backup(copy)
                copy.execute("PRAGMA journal_mode = DELETE")  # a copy is one file, with nothing beside it
        except (sqlite3.Error, OSError) as error:
            raise BookError(target, tr("cannot be written: {reason_of}", reason_of=reason_of(error))) from error

    def _take_log_away(self) -> None:
        """Another file stands where the book stood: SQLite would write what the book's log still holds into that one.
        Who has the log open goes on reading it."""
        if self._log is not None and self._log == _file_of(log_of(self.path)):
            for ending in ("-wal", "-shm"):
                self.path.with_name(self.path.name + ending).unlink(missing_ok=True)

    def _whole(self, record: R) -> R:
        """A record as it is; a variant with what it has from its workload, where that one is there."""
        if not isinstance(record, Workload) or record.variant_of is None:
            return record
        found = self._records(Workload, "WHERE id = ?", record.variant_of)
        return record.below(found[0]) if found else record  # type: ignore[return-value]

    def _records(self, kind: type[R], where: str = "", *values: object) -> list[R]:
        """Records by a SELECT; what was read is kept while nobody has changed the book. Pictures are too large."""
        read = partial(self._read_records, kind, where, *values)
        return read() if kind is Photo else list(self._remembered((kind, where, *values), read))

    def _count(self, sql: str, *values: object) -> int:
        """The one number of a SELECT, kept as records are."""
        return int(str(self._remembered((sql, *values), partial(self.query, sql, *values))[0][0]))

    def _remembered(self, key: tuple[object, ...], read: Callable[[], list[Any]]) -> list[Any]:
        """What was read under a key since the book was changed last, by whom ever."""
        as_of = self.state
        if as_of != self._kept_as_of or len(self._kept) > MOST_KEPT:
            self._kept, self._kept_as_of = {}, as_of
        if key not in self._kept:
            self._kept[key] = read()
        return self._kept[key]

    def _read_records(self, kind: type[R], where: str, *values: object) -> list[R]:
        table, _ = _COLUMNS[kind]
        rows = self.query(f"SELECT id, record FROM {table} {where or 'ORDER BY id'}", *values)
        try:
            numbered = [(int(str(key)), str(text)) for key, text in rows]
            known = _REMEMBERED.get(kind)
            if known is None:
                return [_parsed(kind, key, text) for key, text in numbered]
            return [known.read(self.path, key, text, partial(_parsed, kind, key)) for key, text in numbered]
        except (ValidationError, ValueError, TypeError, RecursionError):
            raise BookError(self.path, tr("is damaged: a {table} in it cannot be read", table=table)) from None


def _kept_runs(device_id: int | None, workload_id: int | None) -> tuple[str, list[int]]:
    """The condition for runs that were not removed, of one device or workload where given, and its values."""
    wanted = {"device_id": device_id, "workload_id": workload_id}
    known = {column: number for column, number in wanted.items() if number is not None}
    kept = f"id NOT IN ({_REMOVED})" if known else "removed = 0"  # then the index of cells tells the rest
    return f"WHERE {kept}" + "".join(f" AND {column} = ?" for column in known), list(known.values())


def _parsed(kind: type[R], key: int, text: str) -> R:
    """A record by its JSON, with its number.

    Raises
    ------
    ValueError : the text is no JSON, no record of the kind, or has a number of its own.
    """
    if not text.startswith("{") or text[1:].lstrip()[:1] not in ('"', "}"):
        raise ValueError(text[:1])
    inside = text[1:].lstrip()
    record = kind.model_validate_json(f'{{"id": {key}{"" if inside.startswith("}") else ", "}{inside}')
    if record.kept_id != key:
        raise ValueError(key)
    return record


def log_of(path: Path) -> Path:
    """Where SQLite keeps what is not folded into a book yet."""
    return path.with_name(f"{path.name}-wal")


def _file_of(path: Path) -> tuple[int, int] | None:
    """Which file stands at a path."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _state_of(path: Path) -> tuple[int, ...]:
    """Changes whenever a file, or the log that its writer keeps beside it, comes, goes or is written."""
    state: list[int] = []
    for beside in (path, log_of(path)):
        with contextlib.suppress(OSError):
            found = os.stat(beside)
            state += [found.st_ino, found.st_size, found.st_mtime_ns]
    return tuple(state)


def reason_of(error: Exception) -> str:
    """What went wrong, in the words of the person at the screen."""
    text = str(error).lower()
    for sign, reason in (
        ("not a database", tr("is not a book of Pinch")),
        ("malformed", tr("is damaged; open a copy of it instead")),
        ("locked", tr("is in use by another program; close it there and try again")),
        ("readonly", tr("is read-only, so nothing can be changed in it")),
        ("no space", tr("the disk is full; nothing of this change was kept")),
        ("disk is full", tr("the disk is full; nothing of this change was kept")),
        ("disk i/o", tr("the disk does not answer; nothing of this change was kept")),
        ("foreign key", tr("cannot be made: a record speaks of another that is not there")),
        ("unique constraint", tr("cannot be made: a number stands there twice")),
        ("unable to open", tr("cannot be opened; check that the folder exists and may be written to")),
    ):
        if sign in text:
            return reason
    return (error.strerror or str(error)) if isinstance(error, OSError) else str(error)
