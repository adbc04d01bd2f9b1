"""The Plan page's work: which plan, changes to it, and planning in the background."""

from collections.abc import Callable
from datetime import datetime, timedelta

from dateutil.tz import tzlocal
from PyQt6.QtCore import QObject, pyqtSignal

from pinch.analysis.plan_desk import PlanDesk, plan_from_file
from pinch.bench.entry import read_quantity
from pinch.bench.planning import PlannedSheet, SheetLine
from pinch.bench.plans import MOST_REPEATS, OrderRule, Outcome, Plan, PlanSession
from pinch.bench.presets import Intent, propose
from pinch.bench.records import ExitStatus, Run, Setting, Workload, checked, free_name, live
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.background import Job
from pinch.ui.plan.state import entry_now
from pinch.ui.session import Session as BookSession


def present() -> datetime:
    """The present on the clock of the place, whose offset may change until a later session."""
    return datetime.now(tzlocal()).replace(microsecond=0)


class PlanControl(QObject):
    """`planned` says that a new run sheet is there, `failed` gives a sentence."""

    planned = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, session: BookSession, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._chosen: int | None = None
        self._job: Job | None = None
        self._again = False
        self._planned_for: Plan | None = None
        self.sheet: PlannedSheet | None = None
        self.forget()

    def forget(self) -> None:
        """Another book: nothing of the old one holds."""
        self.cancel()
        self._chosen, self.sheet, self._planned_for = None, None, None
        self._desk = PlanDesk(self._session.book)

    @property
    def plans(self) -> list[Plan]:
        """The plans on offer."""
        return live(self._session.book.plans())

    @property
    def plan(self) -> Plan | None:
        """The chosen plan, else the newest."""
        plans = self.plans
        return next((p for p in plans if p.id == self._chosen), plans[-1] if plans else None)

    def choose(self, plan_id: int) -> None:
        """Look at another plan."""
        self._chosen = plan_id
        self.start()

    def start(self) -> None:
        """Plan anew in the background; what changes meanwhile is planned after it."""
        plan = self.plan
        if plan is None:
            self.sheet = None
            return
        if self._job is not None:
            self._again = True
            return
        path, desk = self._session.book.path, self._desk

        def work(_: Callable[[float], bool]) -> tuple[PlannedSheet, PlanDesk]:
            return plan_from_file(path, plan, present(), desk)

        self._job = Job(tr("Planning"), work, self)
        self._job.finished.connect(self._finished)
        self._job.failed.connect(self._failed)
        self._job.start()

    def start_if_changed(self) -> None:
        """Plan anew where the plan is not the one that was planned last."""
        if self.plan is not None and self.plan != self._planned_for:
            self.start()

    def cancel(self) -> None:
        """Let go of what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job.wait(5.0)
            self._job = None
        self._again = False

    def new(
        self,
        intent: Intent,
        name: str,
        device_ids: list[int],
        workload_ids: list[int],
        repeats: int,
        protocol: int | None,
    ) -> None:
        """A new plan for an intent.

        Raises
        ------
        PinchError : the records do not give what the intent needs.
        """
        book = self._session.book
        by_id = {d.id: d for d in book.devices()}
        devices = [(by_id[d], book.settings(d)) for d in device_ids]
        workloads = [w for w in book.workloads() if w.id in workload_ids]
        proposal = propose(intent, devices, workloads, repeats)
        kept: list[Plan] = []

        def work() -> None:
            cells = proposal.cells
            if proposal.long_workload is not None:
                soak = book.save(proposal.long_workload)
                cells = tuple(c.model_copy(update={"workload_id": soak.id}) for c in cells)
            free = free_name(name, [p.name for p in book.plans()])
            fields = {"name": free, "protocol_id": protocol, "order": proposal.order, "cells": cells}
            kept.append(book.save(checked(Plan, tr("The plan"), **fields)))

        self._session.change(tr("new plan {name}", name=name), work)
        self._chosen = kept[0].id
        self._session.refresh()

    def set_repeats(self, setting_id: int, workload_id: int, typed: str) -> None:
        """Take in what was typed into a cell.

        Raises
        ------
        PinchError : it is not a number of repeats.
        """
        words = typed.split()
        number = read_quantity(words[-1] if words[:1] and words[-1].isdigit() else typed, "").value if words else 0.0
        if number != int(number) or not 0 <= number <= MOST_REPEATS:
            self._session.refresh()
            raise PinchError(
                tr(
                    "{typed!r} is not a number of repeats from 0 to {most_repeats}.",
                    typed=typed,
                    most_repeats=MOST_REPEATS,
                )
            )
        plan = self._need()
        self._save(plan.with_cell(setting_id, workload_id, int(number)), tr("change repeats"))

    def next_priority(self, setting_id: int, workload_id: int) -> None:
        """First, usual, only if there is time, and round again."""
        plan = self._need()
        cell = plan.cell(setting_id, workload_id)
        if cell is not None:
            priority = {2: 1, 1: 3, 3: 2}[cell.priority]
            self._save(plan.with_cell(setting_id, workload_id, cell.repeats, priority), tr("change priority"))

    def set_order(self, order: str) -> None:
        """Order by least time, or balanced."""
        self._save(self._need().model_copy(update={"order": OrderRule(order)}), tr("change order"))

    def set_protocol(self, protocol_id: int | None) -> None:
        """Another protocol."""
        self._save(self._need().model_copy(update={"protocol_id": protocol_id}), tr("change protocol"))

    def set_sessions(self, sessions: tuple[PlanSession, ...]) -> None:
        """Other times for testing."""
        self._save(self._need().model_copy(update={"sessions": sessions}), tr("change sessions"))

    def move_on(self) -> None:
        """The sessions that are over go; where none is left, all of them move to today, or tomorrow if that is over."""
        sessions, now = self._need().sessions, present()
        ahead = tuple(s for s in sessions if s.end is None or s.end > now)
        if not ahead and sessions:
            first = min(sessions, key=lambda s: s.start)
            days = (now.date() - first.start.astimezone().date()).days
            if (first.end or now) + timedelta(days=days) <= now:
                days += 1
            ahead = tuple(s.model_copy(update={"start": s.start + timedelta(days=days)}) for s in sessions)
        self.set_sessions(ahead)

    def fit_into(self, typed: str) -> None:
        """One session from now of the length that was typed; nothing typed: as long as it takes."""
        if not typed.strip():
            self.set_sessions(())
            return
        length = (
            typed if not typed.strip().replace(",", ".").replace(".", "").isdigit() else tr("{typed} h", typed=typed)
        )
        minutes = read_quantity(length, "min").value
        self.set_sessions((checked(PlanSession, tr("The session"), start=present(), minutes=minutes),))

    def next_step(self) -> tuple[SheetLine, list[SheetLine]] | None:
        """The next run of the sheet and what is to be done before it; None where nothing is planned."""
        lines = [] if self.sheet is None else [x for x in self.sheet.lines() if x.outcome is None]
        at = next((n for n, x in enumerate(lines) if x.is_run), None)
        return None if at is None else (lines[at], lines[:at])

    def take(self, line: SheetLine) -> float:
        """A run of the sheet becomes the subject; returns the length of one pass, s."""
        book = self._session.book
        device = book.get(Setting, line.setting_id).device_id
        self._session.choose(device, line.setting_id, line.workload_id, None)
        return book.get(Workload, line.workload_id).length_s

    def note(self, line: SheetLine, outcome: Outcome, reason: str = "") -> None:
        """A run of the sheet is over, or will not be."""
        plan = self._need()
        entry = entry_now(plan, line, outcome, reason, present())
        self._save(plan.model_copy(update={"entries": (*plan.entries, entry)}), f"{outcome} {line.words}")

    def void(self, number: int, reason: str) -> None:
        """A run that was done turned out void: it is wanted again, and its record does not count any more."""
        plan, book = self._need(), self._session.book
        entry = plan.entries[number]

        def work() -> None:
            book.save(plan.with_void(number, reason))
            if entry.run_id is not None:
                book.save(book.get(Run, entry.run_id).model_copy(update={"void": reason or "void in the plan"}))

        self._session.change(tr("void a run of the plan"), work)

    def draw_again(self) -> None:
        """Another balanced order, by the next seed."""
        plan = self._need()
        changed = plan.model_copy(update={"seed": plan.seed + 1, "order": OrderRule.BALANCED})
        self._save(changed, tr("draw the order with seed {seed}", seed=plan.seed + 1))

    def note_run(self, run: Run) -> bool:
        """A recorded run that the plan wanted is done; answers whether it was wanted."""
        done = self.plan.with_done(run, present()) if self.plan and run.status is ExitStatus.COMPLETE else None
        if done is not None:
            self._save(done, tr("run {repeat} done as planned", repeat=run.repeat))
        return done is not None

    def archive(self) -> None:
        """Keep the plan, but offer it no more."""
        plan = self._need()
        self._save(plan.model_copy(update={"archived": True}), tr("archive plan {plan}", plan=plan.name))

    def copy(self) -> None:
        """The plan as the start of the next: the same matrix, nothing done."""
        plan = self._need()
        name = free_name(plan.name, [p.name for p in self._session.book.plans()])
        copied = Plan(name=name, protocol_id=plan.protocol_id, order=plan.order, cells=plan.cells, seed=plan.seed + 1)
        self._chosen = None  # the newest is shown
        self._session.change(tr("copy plan {plan}", plan=plan.name), lambda: self._session.book.save(copied))

    def _save(self, plan: Plan, words: str) -> None:
        self._session.change(words, lambda: self._session.book.save(plan))

    def _need(self) -> Plan:
        plan = self.plan
        if plan is None:
            raise PinchError(tr("There is no plan yet; make one first."))
        return plan

    def _finished(self, result: tuple[PlannedSheet, PlanDesk]) -> None:
        self.sheet, desk = result
        self._desk.take_over(desk)
        self._planned_for = self.sheet.plan
        self._next()
        self.planned.emit()

    def _failed(self, reason: str) -> None:
        self._next()
        self.failed.emit(reason)

    def _next(self) -> None:
        self._job = None
        if self._again:
            self._again = False
            self.start()
