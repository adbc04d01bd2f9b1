"""Making and opening books. A book may come from anybody: nothing of it is believed before its shape is checked."""

import contextlib
import os
import sqlite3
import subprocess
from collections.abc import Iterator
from pathlib import Path

from pinch.bench import schema
from pinch.bench.book import Book, BookError, log_of, reason_of
from pinch.bench.staging import staged
from pinch.language import tr

MOST_TEXT = 4_000_000
"""Signs of one record; the longest that Pinch writes, a plan of all cells, stay below a tenth of it."""
MOST_VALUE = 300_000_000
"""Bytes of one value in a book: SQLite refuses longer ones before it takes memory for them."""
LARGE = 100_000_000
"""Bytes of a book that is read ahead."""
_READ_AHEAD: set[tuple[int, int]] = set()
"""The files that this process has read ahead, by device and number: the system has them in memory then."""
MOST_RECORDS, MOST_CHUNKS = 200_000, 20_000_000
WAIT_S = 5.0
"""Another connection that writes is waited for so long."""
_LEFT_ALONE = ("table", "sqlite_stat1", "sqlite_stat1", "CREATE TABLE sqlite_stat1(tbl,idx,stat)")
"""What other programs may add to any SQLite file: statistics for its planner, which nothing here reads."""


class UnfinishedBookError(BookError):
    """A file that was to become a book and never did: nothing is in it."""

    def __init__(self, path: Path) -> None:
        super().__init__(path, tr("is empty: it was begun and never finished, so it can be removed"))


@contextlib.contextmanager
def new_book(path: Path) -> Iterator[Book]:
    """A new book to be filled, which stands at its path once all went well; else there is none, and never a part of it.

    Raises
    ------
    BookError : the file exists or cannot be written.
    """
    try:
        with staged(path, replace=False) as part:
            book = Book(part, _connect(part, "rw"))
            try:
                for pragma in ("journal_mode = MEMORY", "synchronous = OFF"):  # it is written to the disk at the end
                    book.connection.execute(f"PRAGMA {pragma}")
                book.connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
                _bring_up_to_date(book)
                yield book
                book.connection.execute("PRAGMA journal_mode = WAL")
            finally:
                book.close()
    except FileExistsError:
        raise BookError(path, tr("exists already; a new book never replaces a file")) from None
    except (sqlite3.Error, OSError) as error:
        raise BookError(path, tr("cannot be made: {reason_of}", reason_of=reason_of(error))) from error


def create_book(path: Path) -> Book:
    """Make a new, empty book and open it; never over an existing file.

    Raises
    ------
    BookError : the file exists or cannot be written.
    """
    with new_book(path):
        pass
    return open_book(path)


def scratch_book() -> Book:
    """An empty book in memory, gone when it is closed."""
    book = Book(Path("a book in memory"), _connect(":memory:", ""))
    _bring_up_to_date(book)
    return book


def open_book(path: Path, wait_s: float = WAIT_S, only_read: bool = False) -> Book:
    """Open a book, bringing an older one up to date, of which a copy is kept as it was. One that cannot be written, or
    is `only_read`, is opened read-only, an older one in memory; `notes` of the book say what is to be known.

    Raises
    ------
    UnfinishedBookError : it is empty.
    BookError : it is missing, not a book, newer than this Pinch, locked, damaged, or holds what no book holds.
    """
    if not path.is_file():
        raise BookError(path, tr("there is no such file") if not path.exists() else tr("is not a file"))
    if not path.stat().st_size:
        raise UnfinishedBookError(path)
    try:
        with _read_ahead(path):
            return _opened(path, wait_s, only_read)
    except (sqlite3.Error, OSError) as error:
        raise BookError(path, reason_of(error)) from error


@contextlib.contextmanager
def _read_ahead(path: Path) -> Iterator[None]:
    """Meanwhile a large book is read from its beginning to its end, since all of it is looked through page by page, and
    each of them would be waited for. By a process of its own: one that closes a file gives up all its locks on it
    (POSIX), and with them those of SQLite."""
    reader, silent, stat = None, subprocess.DEVNULL, path.stat()
    if stat.st_size >= LARGE and (stat.st_dev, stat.st_ino) not in _READ_AHEAD:
        _READ_AHEAD.add((stat.st_dev, stat.st_ino))
        with contextlib.suppress(OSError):  # then it is waited for
            command = ["cat", "--", str(path.absolute())]
            reader = subprocess.Popen(command, stdin=silent, stdout=silent, stderr=silent)
    try:
        yield
    finally:
        if reader is not None:
            reader.kill()
            reader.wait()


def _opened(path: Path, wait_s: float, only_read: bool) -> Book:
    writable = not only_read and os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)
    connection = _connect(path, "rw", wait_s) if writable else _connect_reading(path)
    book = Book(path, connection, None if writable else _connect_reading)
    try:
        version = _checked_version(book)
        if version == schema.VERSION:
            return book
        return _migrated(book, version) if writable else _in_memory(book, version, tr("it cannot be written"))
    except BaseException:
        book.connection.close()
        raise


def _connect_reading(path: Path) -> sqlite3.Connection:
    """A connection that writes nothing. While somebody writes, their log stands beside the book and is read too."""
    log = log_of(path)
    written = log.exists() and log.stat().st_size > 0
    return _connect(path, "ro" if written else "ro&immutable=1")


def _connect(path: Path | str, mode: str, wait_s: float = WAIT_S) -> sqlite3.Connection:
    name = path if isinstance(path, str) else f"{path.absolute().as_uri()}?mode={mode}"
    connection = sqlite3.connect(name, uri=True, timeout=wait_s, isolation_level=None)
    # As SQLite's "Defense Against The Dark Arts" says of files from outside.
    connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_VALUE)
    for pragma in ("trusted_schema = OFF", "cell_size_check = ON", "mmap_size = 0"):
        connection.execute(f"PRAGMA {pragma}")
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = NORMAL")
    return connection


def _checked_version(book: Book) -> int:
    """The version of a book that has the shape of one.

    Raises
    ------
    BookError : it has not.
    """
    with _reading_at_once(book):
        application, version = (book.query(f"PRAGMA {name}")[0][0] for name in ("application_id", "user_version"))
        shape = frozenset(book.query("SELECT type, name, tbl_name, sql FROM sqlite_master WHERE sql IS NOT NULL"))
    if application != schema.APPLICATION_ID:
        if not shape and not application:
            raise UnfinishedBookError(book.path)
        raise BookError(book.path, tr("is a database, but not a book of Pinch"))
    version = int(str(version))
    if version > schema.VERSION:
        raise BookError(
            book.path,
            tr(
                "was made by a newer Pinch (version {made}; this one knows {known})",
                made=version,
                known=schema.VERSION,
            ),
        )
    expected = schema.shape_of(version)
    if missing := sorted(str(name) for _, name, _, _ in expected - shape):
        raise BookError(
            book.path, tr("is damaged: {missing} in it is missing or is not as Pinch makes it", missing=missing[0])
        )
    for kind, name, _, _ in sorted(shape - expected - {_LEFT_ALONE}, key=str):
        raise BookError(
            book.path,
            tr("is not opened: it holds the {kind} {name!r}, which is not of Pinch", kind=kind, name=str(name)[:60]),
        )
    if book.query("PRAGMA quick_check(1)")[0][0] != "ok":
        raise BookError(book.path, tr("is damaged; open a copy of it instead"))
    _check_sizes(book, version)
    return version


@contextlib.contextmanager
def _reading_at_once(book: Book) -> Iterator[None]:
    """What is read inside is of one moment, whoever else writes."""
    book.query("BEGIN")
    try:
        yield
    finally:
        book.query("COMMIT")


def _check_sizes(book: Book, version: int) -> None:
    """Refuse what would take more memory than any real book does."""
    tables = [str(name) for kind, name, _, _ in schema.shape_of(version) if kind == "table"]
    for table in tables:
        columns = [str(row[1]) for row in book.query(f"PRAGMA table_info({table})")]
        most = MOST_CHUNKS if table in ("chunk", "stream", "mark") else MOST_RECORDS
        count = int(str(book.query(f"SELECT COUNT(*) FROM {table}")[0][0]))
        if count > most:
            raise BookError(
                book.path,
                tr(
                    "is not opened: it holds {count} rows of {table}, more than {most}",
                    count=count,
                    table=table,
                    most=most,
                ),
            )
        text = next((name for name in ("record", "channels", "text") if name in columns), None)
        longest = book.query(f"SELECT MAX(LENGTH({text})) FROM {table}")[0][0] if text else 0
        if int(str(longest or 0)) > MOST_TEXT:
            raise BookError(
                book.path, tr("is not opened: a {table} in it is {longest} signs long", table=table, longest=longest)
            )


def _migrated(book: Book, version: int) -> Book:
    """A book that is up to date now; where its copy cannot be kept, the old one is opened read-only."""
    kept = book.path.with_name(f"{book.path.stem} (version {version}){book.path.suffix}")
    if not kept.exists():
        try:
            book.copy_to(kept)
        except BookError as error:
            return _in_memory(book, version, tr("no copy of it could be kept ({reason})", reason=error.reason))
    _bring_up_to_date(book)
    book.notes = (
        tr(
            "{path} was of version {version}; as it was, it is kept as {kept}.",
            path=book.path.name,
            version=version,
            kept=kept.name,
        ),
    )
    return book


def _in_memory(book: Book, version: int, reason: str) -> Book:
    """A read-only book of an older version, brought up to date in memory."""
    memory = _connect(":memory:", "")
    book.connection.backup(memory)
    book.connection.close()
    read = Book(book.path, memory)
    _bring_up_to_date(read)
    read.read_only = True
    read.notes = (
        tr(
            "{path} is of version {version} and is open read-only, as {reason}.",
            path=book.path.name,
            version=version,
            reason=reason,
        ),
    )
    return read


def _bring_up_to_date(book: Book) -> None:
    """All migrations in one change; another opener may have made them since the version was read."""
    with book.change() as connection:
        version = int(connection.execute("PRAGMA user_version").fetchone()[0])
        for number in range(version, schema.VERSION):
            for statement in schema.MIGRATIONS[number].split(";"):
                connection.execute(statement)
        connection.execute(f"PRAGMA user_version = {schema.VERSION}")
