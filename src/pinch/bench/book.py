"""The book: one SQLite file with devices, settings, workloads, runs and their logs.

A `Book` belongs to the thread that opened it; another thread opens its own on the same file (the journal is
write-ahead, so that reading never waits for the recorder). Records are kept as JSON beside the columns that are
searched by; they are checked again when they are read, since a file from outside is not trusted.
"""

import contextlib
import json
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from pinch.bench import schema
from pinch.bench.cards import Card, Report
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Record, Run, Setting, Workload
from pinch.core.errors import PinchError

R = TypeVar("R", bound=Record)
_COLUMNS: dict[type[Record], tuple[str, tuple[str, ...]]] = {
    Device: ("device", ()),
    Setting: ("setting", ("device_id",)),
    Workload: ("workload", ()),
    Protocol: ("protocol", ()),
    Plan: ("plan", ()),
    Instrument: ("instrument", ()),
    Reading: ("reading", ("run_id",)),
    Acceptance: ("acceptance", ()),
    Card: ("card", ()),
    Report: ("report", ()),
    Run: ("run", ("device_id", "setting_id", "workload_id", "started", "repeat", "removed")),
}


class BookError(PinchError):
    """A book that cannot be opened, read or written."""

    def __init__(self, path: Path | str, reason: str) -> None:
        self.path, self.reason = Path(path), reason
        super().__init__(f"{path}: {reason}.")


class Book:
    """An open book. Use `create_book` or `open_book`."""

    def __init__(self, path: Path, connection: sqlite3.Connection, read_only: bool) -> None:
        self.path, self.connection, self.read_only = path, connection, read_only

    def close(self) -> None:
        """Close it; what the journal still holds goes into the one file."""
        if not self.read_only:
            with contextlib.suppress(sqlite3.Error):  # another connection may still read: it will do it
                self.connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.connection.close()

    @contextlib.contextmanager
    def change(self) -> Iterator[sqlite3.Connection]:
        """One change: all of it is kept, or nothing.

        Raises
        ------
        BookError : the book is read-only, locked, damaged, or the disk is full.
        """
        if self.read_only:
            raise BookError(self.path, "is read-only, so nothing can be changed in it")
        try:
            self.connection.execute("BEGIN IMMEDIATE")
            yield self.connection
            self.connection.execute("COMMIT")
        except BaseException as error:
            with contextlib.suppress(sqlite3.Error):
                self.connection.execute("ROLLBACK")
            if isinstance(error, sqlite3.Error):
                raise BookError(self.path, _reason(error)) from error
            raise

    def query(self, sql: str, *values: object) -> list[tuple[object, ...]]:
        """All rows of a SELECT.

        Raises
        ------
        BookError : the book is damaged or locked.
        """
        try:
            return self.connection.execute(sql, values).fetchall()
        except sqlite3.Error as error:
            raise BookError(self.path, _reason(error)) from error

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
                return record.model_copy(update={"kept_id": cursor.lastrowid})
            pairs = ", ".join(f"{name} = ?" for name in fields)
            connection.execute(f"UPDATE {table} SET {pairs} WHERE id = ?", [*values, record.id])
        return record

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
            raise BookError(self.path, f"has no {_COLUMNS[kind][0]} number {record_id}")
        return found[0]

    def devices(self) -> list[Device]:
        """All devices in the order they were added."""
        return self._records(Device)

    def settings(self, device_id: int) -> list[Setting]:
        """Settings of a device in the order they were added."""
        return self._records(Setting, "WHERE device_id = ?", device_id)

    def workloads(self) -> list[Workload]:
        """All workloads in the order they were added."""
        return self._records(Workload)

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

    def cards(self) -> list[Card]:
        """The cards of the deck in their order."""
        return sorted(self._records(Card), key=lambda card: (card.place, card.id))

    def count_cards(self) -> int:
        """How many cards there are."""
        return int(str(self.query("SELECT COUNT(*) FROM card")[0][0]))

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
        return self._records(
            Run,
            "WHERE removed = 0 AND (?1 IS NULL OR device_id = ?1) AND (?2 IS NULL OR workload_id = ?2) "
            "ORDER BY started, id",
            device_id,
            workload_id,
        )

    def cut_runs(self) -> list[Run]:
        """Runs without a stop that were neither removed nor made void, oldest first."""
        without_stop = "json_extract(record, '$.status') IS NULL AND COALESCE(json_extract(record, '$.void'), '') = ''"
        return self._records(Run, f"WHERE removed = 0 AND {without_stop} ORDER BY started, id")

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
        if target.resolve() == self.path.resolve():
            raise BookError(target, "is the open book itself; choose another name for the copy")
        part = target.with_name(target.name + ".part")
        try:
            with contextlib.closing(sqlite3.connect(part)) as copy:
                self.connection.backup(copy)
                copy.execute("PRAGMA journal_mode = DELETE")  # a copy is one file, with nothing beside it
            os.replace(part, target)
        except (sqlite3.Error, OSError) as error:
            raise BookError(target, f"cannot be written: {_reason(error)}") from error
        finally:
            part.unlink(missing_ok=True)

    def _records(self, kind: type[R], where: str = "", *values: object) -> list[R]:
        table, _ = _COLUMNS[kind]
        rows = self.query(f"SELECT id, record FROM {table} {where or 'ORDER BY id'}", *values)
        try:
            return [kind(id=int(str(key)), **json.loads(str(text))) for key, text in rows]
        except (ValidationError, ValueError, TypeError):
            raise BookError(self.path, f"is damaged: a {table} in it cannot be read") from None


def create_book(path: Path) -> Book:
    """Make a new, empty book; never over an existing file.

    Raises
    ------
    BookError : the file exists or cannot be written.
    """
    if path.exists():
        raise BookError(path, "exists already; a new book never replaces a file")
    try:
        connection = _connect(path, "rwc")
        connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
        connection.execute("PRAGMA journal_mode = WAL")
    except sqlite3.Error as error:
        raise BookError(path, f"cannot be made: {_reason(error)}") from error
    book = Book(path, connection, read_only=False)
    _migrate(book, 0)
    return book


def open_book(path: Path) -> Book:
    """Open a book, bringing an older one up to date; one that cannot be written is opened read-only.

    Raises
    ------
    BookError : it is missing, not a book, newer than this Pinch, locked or damaged.
    """
    if not path.is_file():
        raise BookError(path, "there is no such file" if not path.exists() else "is not a file")
    read_only = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
    try:
        connection = _connect(path, "ro&immutable=1" if read_only else "rw")
        version = int(connection.execute("PRAGMA user_version").fetchone()[0])
        application = int(connection.execute("PRAGMA application_id").fetchone()[0])
    except sqlite3.Error as error:
        raise BookError(path, _reason(error)) from error
    book = Book(path, connection, read_only)
    try:
        _check(book, version, application)
    except BookError:
        connection.close()
        raise
    return book


def _check(book: Book, version: int, application: int) -> None:
    if application != schema.APPLICATION_ID:
        raise BookError(book.path, "is a database, but not a book of Pinch")
    if version > schema.VERSION:
        raise BookError(book.path, f"was made by a newer Pinch (version {version}; this one knows {schema.VERSION})")
    if version < schema.VERSION:
        _migrate(book, version)
    damage = book.query("PRAGMA quick_check(1)")[0][0]
    if damage != "ok":
        raise BookError(book.path, "is damaged; open a copy of it instead")
    present = {row[0] for row in book.query("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if not present.issuperset((*schema.TABLES, *schema.DERIVED)):
        raise BookError(book.path, "is damaged: a table is missing")


def _connect(path: Path, mode: str) -> sqlite3.Connection:
    uri = f"{path.absolute().as_uri()}?mode={mode}"
    connection = sqlite3.connect(uri, uri=True, timeout=5.0, isolation_level=None)
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = NORMAL")
    return connection


def _migrate(book: Book, version: int) -> None:
    for number in range(version, schema.VERSION):
        with book.change() as connection:
            for statement in schema.MIGRATIONS[number].split(";"):
                connection.execute(statement)
            connection.execute(f"PRAGMA user_version = {number + 1}")


def _reason(error: Exception) -> str:
    """What went wrong, in the words of the person at the screen."""
    text = str(error).lower()
    for sign, reason in (
        ("not a database", "is not a book of Pinch"),
        ("malformed", "is damaged; open a copy of it instead"),
        ("locked", "is in use by another program; close it there and try again"),
        ("readonly", "is read-only, so nothing can be changed in it"),
        ("disk is full", "the disk is full; nothing of this change was kept"),
        ("disk i/o", "the disk does not answer; nothing of this change was kept"),
        ("foreign key", "cannot be made: a record speaks of another that is not there"),
        ("unique constraint", "cannot be made: a number stands there twice"),
        ("unable to open", "cannot be opened; check that the folder exists and may be written to"),
    ):
        if sign in text:
            return reason
    return str(error)
