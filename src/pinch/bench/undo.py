"""Undo for changes to the book.

Triggers of one connection write, for every changed row, the statement that puts it back into a temporary table; the
statements since the last step are one step. Running them backwards is itself recorded, which gives redo. What another
connection writes (a growing run) is not the operator's change and is not undone.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from pinch.bench import schema
from pinch.bench.book import Book

MOST_STEPS = 100


@dataclass(frozen=True)
class UndoStep:
    """One undoable change: what it was, and the statements that take it back, last first."""

    label: str
    statements: tuple[str, ...]


class UndoStack:
    """The operator's changes to one open book, newest last."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._done: list[UndoStep] = []
        self._undone: list[UndoStep] = []
        if not book.read_only:
            self._watch()

    @property
    def undo_label(self) -> str | None:
        """What `undo` would take back, None where there is nothing."""
        return self._done[-1].label if self._done else None

    @property
    def redo_label(self) -> str | None:
        """What `redo` would do again, None where there is nothing."""
        return self._undone[-1].label if self._undone else None

    @contextmanager
    def step(self, label: str) -> Iterator[None]:
        """All changes inside are one step with this label; where they fail, all of them are taken back."""
        self._take()
        try:
            yield
        except BaseException:
            self._run(self._take())
            self._take()
            raise
        statements = self._take()
        if statements:
            self._done = [*self._done[1 - MOST_STEPS :], UndoStep(label, statements)]
            self._undone.clear()

    def undo(self) -> str | None:
        """Take the last change back; returns its label."""
        return self._move(self._done, self._undone)

    def redo(self) -> str | None:
        """Do the last undone change again; returns its label."""
        return self._move(self._undone, self._done)

    def _move(self, source: list[UndoStep], target: list[UndoStep]) -> str | None:
        if not source:
            return None
        step = source[-1]
        self._take()
        self._run(step.statements)
        source.pop()
        target.append(UndoStep(step.label, self._take()))
        return step.label

    def _run(self, statements: tuple[str, ...]) -> None:
        with self._book.change() as connection:
            connection.execute("PRAGMA defer_foreign_keys = ON")
            for statement in statements:
                connection.execute(statement)

    def _take(self) -> tuple[str, ...]:
        rows = self._book.query("SELECT statement FROM temp.undo_log ORDER BY id DESC")
        self._book.connection.execute("DELETE FROM temp.undo_log")
        return tuple(str(row[0]) for row in rows)

    def _watch(self) -> None:
        connection = self._book.connection
        connection.execute("CREATE TEMP TABLE undo_log (id INTEGER PRIMARY KEY, statement TEXT NOT NULL)")
        for table in schema.TABLES:
            names = [str(row[1]) for row in self._book.query(f"PRAGMA table_info({table})")]
            values = "||','||".join(f"quote(old.{name})" for name in names)
            pairs = "||','||".join(f"'{name}='||quote(old.{name})" for name in names)
            back = f"'INSERT INTO {table} ({','.join(names)}) VALUES ('||{values}||')'"
            for event, statement in (
                ("INSERT", f"'DELETE FROM {table} WHERE id='||new.id"),
                ("UPDATE", f"'UPDATE {table} SET '||{pairs}||' WHERE id='||old.id"),
                ("DELETE", back),
            ):
                connection.execute(
                    f"CREATE TEMP TRIGGER undo_{table}_{event.lower()} AFTER {event} ON main.{table} "
                    f"BEGIN INSERT INTO undo_log (statement) VALUES ({statement}); END"
                )
