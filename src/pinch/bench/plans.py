"""The record of a plan: the matrix of wanted runs, how to order them, when there is time, and what has happened."""

from datetime import UTC, datetime, timedelta
from enum import StrEnum
from typing import Annotated

from pydantic import Field, field_validator

from pinch.bench.fields import Part
from pinch.bench.records import Listed, Run, now

MOST_REPEATS = 50
LONGEST_SESSION_MIN = 2880.0


class OrderRule(StrEnum):
    """What the order of the runs is chosen for."""

    SHORTEST = "least total time"
    BALANCED = "balanced repeats"


class Outcome(StrEnum):
    """What became of a step."""

    DONE = "done"
    VOID = "void"
    SKIPPED = "skipped"


class Cell(Part):
    """How often a workload is wanted at a setting. Priority 1 is planned first, 3 is left out first."""

    setting_id: int
    workload_id: int
    repeats: Annotated[int, Field(ge=1, le=MOST_REPEATS)] = 3
    priority: Annotated[int, Field(ge=1, le=3)] = 2


class PlanSession(Part):
    """A time for testing; without an end it lasts as long as it takes."""

    start: datetime
    minutes: Annotated[float, Field(gt=0, le=LONGEST_SESSION_MIN)] | None = None

    @field_validator("start")
    @classmethod
    def _aware(cls, start: datetime) -> datetime:
        return start if start.tzinfo else start.replace(tzinfo=UTC)

    @property
    def end(self) -> datetime | None:
        """When it ends, None where it is open."""
        return None if self.minutes is None else self.start + timedelta(minutes=self.minutes)


class PlanEntry(Part):
    """What happened to one repeat of a cell. `started` and `ended` are of the run itself; `run_id` is its record."""

    setting_id: int
    workload_id: int
    repeat: Annotated[int, Field(ge=1)]
    outcome: Outcome
    started: datetime
    ended: datetime
    run_id: int | None = None
    reason: str = ""

    @property
    def actual_s(self) -> float:
        """How long it took, s."""
        return (self.ended - self.started).total_seconds()


class Plan(Listed):
    """A plan. `seed` drew the balanced order; `entries` is what happened, in the order it happened."""

    protocol_id: int | None = None
    created: datetime = Field(default_factory=now)
    order: OrderRule = OrderRule.SHORTEST
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 1
    cells: tuple[Cell, ...] = ()
    sessions: tuple[PlanSession, ...] = ()
    entries: tuple[PlanEntry, ...] = ()

    def cell(self, setting_id: int, workload_id: int) -> Cell | None:
        """The cell of a setting and a workload, None where nothing is wanted."""
        here = (c for c in self.cells if (c.setting_id, c.workload_id) == (setting_id, workload_id))
        return next(here, None)

    def entries_of(self, setting_id: int, workload_id: int) -> list[PlanEntry]:
        """What happened in a cell."""
        return [e for e in self.entries if (e.setting_id, e.workload_id) == (setting_id, workload_id)]

    def with_cell(self, setting_id: int, workload_id: int, repeats: int, priority: int | None = None) -> "Plan":
        """The plan with so many repeats in a cell; none takes the cell out."""
        old = self.cell(setting_id, workload_id)
        cells = [c for c in self.cells if c is not old]
        if repeats > 0:
            chosen = priority or (old.priority if old else 2)
            new = Cell(setting_id=setting_id, workload_id=workload_id, repeats=repeats, priority=chosen)
            at = self.cells.index(old) if old else len(cells)
            cells.insert(at, new)
        return self.model_copy(update={"cells": tuple(cells)})

    def with_done(self, run: Run, ended: datetime) -> "Plan | None":
        """The plan with a run done that it wanted; None where it did not."""
        cell = self.cell(run.setting_id, run.workload_id)
        wanted = self.wanted(cell) if cell else []
        if not wanted:
            return None
        entry = PlanEntry(
            setting_id=run.setting_id,
            workload_id=run.workload_id,
            repeat=wanted[0],
            outcome=Outcome.DONE,
            started=min(run.started, ended - timedelta(seconds=1)),
            ended=ended,
            run_id=run.id,
        )
        return self.model_copy(update={"entries": (*self.entries, entry)})

    def with_void(self, number: int, reason: str) -> "Plan":
        """The plan with an entry that turned out void."""
        entries = list(self.entries)
        entries[number] = entries[number].model_copy(update={"outcome": Outcome.VOID, "reason": reason})
        return self.model_copy(update={"entries": tuple(entries)})

    def wanted(self, cell: Cell) -> list[int]:
        """Numbers of the repeats still to do: those wanted and neither done nor skipped; a void one is done again
        under a new number."""
        entries = self.entries_of(cell.setting_id, cell.workload_id)
        closed = sum(e.outcome is not Outcome.VOID for e in entries)
        first = 1 + max((e.repeat for e in entries), default=0)
        return list(range(first, first + max(0, cell.repeats - closed)))
