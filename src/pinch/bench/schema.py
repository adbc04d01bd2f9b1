"""The tables of a book, and how older books are brought up to date."""

import contextlib
import sqlite3
from functools import lru_cache

APPLICATION_ID = 0x50494E43  # "PINC"

MIGRATIONS: tuple[str, ...] = (
    """
    CREATE TABLE device (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE setting (
        id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE, record TEXT NOT NULL);
    CREATE TABLE workload (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE run (
        id INTEGER PRIMARY KEY,
        device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
        setting_id INTEGER NOT NULL REFERENCES setting ON DELETE CASCADE,
        workload_id INTEGER NOT NULL REFERENCES workload ON DELETE CASCADE,
        started TEXT NOT NULL, repeat INTEGER NOT NULL, removed INTEGER NOT NULL DEFAULT 0, record TEXT NOT NULL);
    CREATE TABLE stream (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, channels TEXT NOT NULL);
    CREATE TABLE chunk (
        id INTEGER PRIMARY KEY, stream_id INTEGER NOT NULL REFERENCES stream ON DELETE CASCADE,
        samples INTEGER NOT NULL, data BLOB NOT NULL);
    CREATE TABLE mark (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
        t_s REAL NOT NULL, text TEXT NOT NULL);
    CREATE INDEX setting_device ON setting (device_id);
    CREATE INDEX run_cell ON run (device_id, setting_id, workload_id);
    CREATE INDEX stream_run ON stream (run_id);
    CREATE INDEX chunk_stream ON chunk (stream_id);
    CREATE INDEX mark_run ON mark (run_id);
    """,
    """
    CREATE TABLE protocol (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE plan (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE draft (
        id INTEGER PRIMARY KEY, kind TEXT NOT NULL, record_id INTEGER NOT NULL, field TEXT NOT NULL,
        text TEXT NOT NULL);
    CREATE UNIQUE INDEX draft_field ON draft (kind, record_id, field);
    """,
    """
    UPDATE workload SET record = json_set(record, '$.runner', 'built-in load')
        WHERE json_extract(record, '$.name') LIKE 'Built-in load%';
    """,
    """
    CREATE TABLE instrument (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE reading (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, record TEXT NOT NULL);
    CREATE INDEX reading_run ON reading (run_id);
    """,
    """
    CREATE TABLE judged (
        run_id INTEGER PRIMARY KEY REFERENCES run ON DELETE CASCADE, key TEXT NOT NULL, method INTEGER NOT NULL,
        record TEXT NOT NULL);
    """,
    """
    CREATE TABLE acceptance (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    """,
    """
    CREATE TABLE card (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    CREATE TABLE report (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    """,
    """
    UPDATE run SET record = json_set(
        record,
        '$.in_spite_of',
        json_array(substr(json_extract(record, '$.notes'), 22,
            instr(json_extract(record, '$.notes') || char(10), char(10)) - 22)),
        '$.notes',
        substr(json_extract(record, '$.notes'), instr(json_extract(record, '$.notes') || char(10), char(10)) + 1))
        WHERE json_extract(record, '$.notes') LIKE 'Started in spite of: %';
    """,
    """
    CREATE TABLE result (
        id INTEGER PRIMARY KEY,
        device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
        setting_id INTEGER NOT NULL REFERENCES setting ON DELETE CASCADE,
        workload_id INTEGER NOT NULL REFERENCES workload ON DELETE CASCADE,
        run_id INTEGER REFERENCES run ON DELETE CASCADE, record TEXT NOT NULL);
    CREATE INDEX result_cell ON result (device_id, setting_id, workload_id);
    CREATE INDEX result_run ON result (run_id);
    """,
    """
    CREATE TABLE reference (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    """,
    """
    CREATE TABLE photo (
        id INTEGER PRIMARY KEY,
        device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
        run_id INTEGER REFERENCES run ON DELETE CASCADE, record TEXT NOT NULL);
    CREATE INDEX photo_device ON photo (device_id);
    CREATE INDEX photo_run ON photo (run_id);
    """,
    """
    ALTER TABLE judged ADD COLUMN seen TEXT NOT NULL DEFAULT '';
    """,
    """
    CREATE TABLE question (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
    """,
    """
    CREATE INDEX run_started ON run (removed, started);
    """,
)
"""Script n brings a book from version n to n + 1."""

VERSION = len(MIGRATIONS)
TABLES = (
    *("device", "setting", "workload", "run", "stream", "chunk", "mark", "protocol", "plan", "draft", "instrument"),
    *("reading", "acceptance", "card", "report", "result", "reference", "photo", "question"),
)
"""What somebody entered or measured; changes of it can be undone."""
DERIVED = ("judged",)
"""What is worked out again where it is missing."""
HANGS_ON = {
    "device": (("setting", "device_id"), ("run", "device_id"), ("result", "device_id"), ("photo", "device_id")),
    "setting": (("run", "setting_id"), ("result", "setting_id")),
    "workload": (("run", "workload_id"), ("result", "workload_id")),
    "run": tuple((table, "run_id") for table in ("stream", "mark", "reading", "result", "photo")),
    "stream": (("chunk", "stream_id"),),
}
"""What goes with a row that is removed: tables, and their columns that name it."""


@lru_cache
def shape_of(version: int) -> frozenset[tuple[object, ...]]:
    """What SQLite says of the tables and indexes of a book of a version: kind, name, table and the words that make it.
    A book has these and nothing else."""
    with contextlib.closing(sqlite3.connect(":memory:")) as empty:
        for script in MIGRATIONS[:version]:
            empty.executescript(script)
        rows = empty.execute("SELECT type, name, tbl_name, sql FROM sqlite_master WHERE sql IS NOT NULL")
        return frozenset(rows.fetchall())
