"""Undo for changes to the book.

Triggers of one connection write, for every changed row, the statement that puts it back into a temporary table; the
statements since the last step are one step. Running them backwards is itself recorded, which gives redo.

What another connection wrote since (a recording) is not the operator's change, and is never taken away: a row is put
back only while it stands as the step left it, and a row is removed only while nothing but the step's own rows hangs on
it. Where that does not hold, nothing of the step is taken back, and the sentence says why.
"""

import re
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager

from msgspec import Struct

from pinch.bench import schema
from pinch.bench.book import Book
from pinch.core.errors import PinchError
from pinch.core.printing import listed
from pinch.language import tr

MOST_STEPS = 100
_CALLED = {
    "run": (tr("run"), tr("runs")),
    "device": (tr("device"), tr("devices")),
    "setting": (tr("setting"), tr("settings")),
    "workload": (tr("workload"), tr("workloads")),
    "protocol": (tr("protocol"), tr("protocols")),
    "plan": (tr("plan"), tr("plans")),
    "instrument": (tr("instrument"), tr("instruments")),
    "reading": (tr("reading"), tr("readings")),
    "result": (tr("result"), tr("results")),
    "mark": (tr("mark"), tr("marks")),
    "card": (tr("card"), tr("cards")),
    "reference": (tr("book laid beside"), tr("books laid beside")),
    "photo": (tr("picture"), tr("pictures")),
    "question": (tr("question"), tr("questions")),
    "acceptance": (tr("accepted difference"), tr("accepted differences")),
}
"""What is told of by name; the rest belongs to one of these."""


class UndoRefusedError(PinchError):
    """Taking a step back would take away or overwrite what was written since."""


class _LostError(Exception):
    """What would be lost, in words."""


class UndoStep(Struct, frozen=True):
    """One undoable change: what it was, and the statements that take it back, last first."""

    label: str
    statements: tuple[str, ...]

    @property
    def effect(self) -> str:
        """What taking it back does to the book."""
        verbs = (("DELETE FROM", tr("takes away")), ("INSERT INTO", tr("puts back")), ("UPDATE", tr("resets")))
        return ", ".join(f"{words} {counted}" for verb, words in verbs if (counted := self._counted(rf"{verb} (\w+) ")))

    def _counted(self, pattern: str) -> str:
        found = (re.match(pattern, statement) for statement in self.statements)
        counts = Counter(match[1] for match in found if match)
        return listed([f"{n} {_CALLED[table][n != 1]}" for table in _CALLED if (n := counts[table])])


class UndoStack:
    """The operator's changes to one open book, newest last."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._done: list[UndoStep] = []
        self._undone: list[UndoStep] = []
        if not book.read_only:
            self._watch()

    @property
    def next_undo(self) -> UndoStep | None:
        """What `undo` would take back, None where there is nothing."""
        return self._done[-1] if self._done else None

    @property
    def next_redo(self) -> UndoStep | None:
        """What `redo` would do again, None where there is nothing."""
        return self._undone[-1] if self._undone else None

    @contextmanager
    def step(self, label: str) -> Iterator[None]:
        """All changes inside are one step with this label; where they fail, none of them is kept."""
        self._take()
        with self._book.change():
            yield
        statements = self._take()
        if statements:
            self.adopt(UndoStep(label, statements))

    def adopt(self, step: UndoStep) -> None:
        """Have a step, made here or over another connection to the same book, as the newest."""
        self._done = [*self._done[1 - MOST_STEPS :], step]
        self._undone.clear()

    def undo(self) -> str | None:
        """Take the last change back; returns its label.

        Raises
        ------
        UndoRefusedError : something written since would be lost.
        """
        return self._move(self._done, self._undone, tr("taken back"))

    def redo(self) -> str | None:
        """Do the last undone change again; returns its label.

        Raises
        ------
        UndoRefusedError : something written since would be lost.
        """
        return self._move(self._undone, self._done, tr("done again"))

    def _move(self, source: list[UndoStep], target: list[UndoStep], how: str) -> str | None:
        if not source:
            return None
        step = source[-1]
        self._take()
        try:
            self._run(step)
        except _LostError as lost:
            raise UndoRefusedError(
                tr("“{label}” cannot be {how}: {lost}.", label=step.label, how=how, lost=lost)
            ) from None
        source.pop()
        target.append(UndoStep(step.label, self._take()))
        return step.label

    def _run(self, step: UndoStep) -> None:
        with self._book.change() as connection:
            connection.execute("PRAGMA defer_foreign_keys = ON")
            for statement in step.statements:
                self._refuse_to_lose(statement)
                if connection.execute(statement).rowcount != 1:
                    raise _LostError(tr("what it changed was changed again since, by a recording or another window"))

    def _refuse_to_lose(self, statement: str) -> None:
        """Whoever removes a row removes what hangs on it; rows of the step itself are gone by now."""
        removing = re.match(r"DELETE FROM (\w+) WHERE id=(\d+)", statement)
        if not removing:
            return
        for table, column in schema.HANGS_ON.get(removing[1], ()):
            count = int(str(self._book.query(f"SELECT COUNT(*) FROM {table} WHERE {column} = ?", removing[2])[0][0]))
            if count:
                what = f"{count} {_CALLED[table][count != 1]}" if table in _CALLED else tr("the log of a run")
                raise _LostError(
                    tr("{what} came since and would go with it; remove on the Bench page what is to go", what=what)
                )

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
            left = "||' AND '||".join(f"'{name} IS '||quote(new.{name})" for name in names if name != "data")
            back = f"'INSERT INTO {table} ({','.join(names)}) VALUES ('||{values}||')'"
            for event, statement in (
                ("INSERT", f"'DELETE FROM {table} WHERE id='||new.id||' AND '||{left}"),
                ("UPDATE", f"'UPDATE {table} SET '||{pairs}||' WHERE '||{left}"),
                ("DELETE", back),
            ):
                connection.execute(
                    f"CREATE TEMP TRIGGER undo_{table}_{event.lower()} AFTER {event} ON main.{table} "
                    f"BEGIN INSERT INTO undo_log (statement) VALUES ({statement}); END"
                )
