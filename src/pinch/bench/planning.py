"""From the records of a plan to its run sheet: what is still to do, how long each run takes, and in which order.

Estimates learn: the time a workload took counts as much, each time, as what was planned, and the waits are scaled by
what the operator really took between runs.
"""

from collections.abc import Mapping
from datetime import datetime
from functools import partial
from itertools import pairwise

from msgspec import Struct, field
from msgspec.structs import replace

from pinch.bench.book import Book
from pinch.bench.plans import Cell, OrderRule, Outcome, Plan, PlanEntry
from pinch.bench.records import CoolRule, Device, Protocol, Setting, WorkKind, Workload
from pinch.bench.setting_differences import by_hand, tasks_between, why_not
from pinch.core import runsheet
from pinch.core.cooling import HeatFit
from pinch.core.figures import Note
from pinch.core.printing import counted
from pinch.core.runsheet import Change, RunSheet, SheetJob, Step, Task, Window
from pinch.language import tr

FULL_CHARGE_S = 7200.0
"""Empty to full where neither the charge time nor the adapter is known. Common practice, no source."""
CHARGE_SHARE = 0.5
"""Share of the adapter's watts that charges an empty battery on average. Common practice, no source."""
COLD_PART = 0.25
"""A run that must not begin warm waits until a quarter of the usual rest of warmth is left."""
UNKNOWN_COLD_FACTOR = 2.0
"""The same, where no time constant is known: twice the usual wait."""
FEW_VISITS = 3
"""So many visits in the firmware need no word."""
TRUST_S = 900.0
"""Waits learn from what they took as if this much had gone as planned already."""
SAME_SITTING_S = 4 * 3600.0
"""A longer pause between two runs was not a wait of the plan."""


class DeviceHeat(Struct, frozen=True):
    """What is known of a device's cooling: the fit, the power at rest W, and the run it is from."""

    fit: HeatFit
    idle_w: float
    run_id: int


class PlanBench(Struct, frozen=True):
    """The records that a plan speaks of, by id; the measured cooling of devices where it is known; the place of each
    device in the colours of charts."""

    devices: Mapping[int, Device]
    settings: Mapping[int, Setting]
    workloads: Mapping[int, Workload]
    protocol: Protocol
    heat: Mapping[int, DeviceHeat] = field(default_factory=dict)
    slots: Mapping[int, int] = field(default_factory=dict)

    def device_of(self, setting_id: int) -> Device:
        """The device that a setting belongs to."""
        return self.devices[self.settings[setting_id].device_id]

    def pair(self, place: Cell | PlanEntry) -> tuple[Setting, Workload]:
        """Setting and workload of a cell or an entry."""
        return self.settings[place.setting_id], self.workloads[place.workload_id]


class SheetLine(Struct, frozen=True):
    """A line of the run sheet, on the clock: what happened (with its outcome) or what is planned. Runs name their cell
    and repeat."""

    start: datetime
    end: datetime
    kind: str
    words: str
    outcome: Outcome | None = None
    reason: str = ""
    setting_id: int = 0
    workload_id: int = 0
    repeat: int = 0

    @property
    def is_run(self) -> bool:
        """Whether it is a run still to do."""
        return self.kind == "run" and self.outcome is None


class PlannedSheet(Struct, frozen=True):
    """The run sheet of a plan. `crossed` are cells that cannot be, with the reason; `energy_wh` at the claimed limits,
    None where no setting claims one; `other_s` is the time without breaks that the other order rule would take."""

    plan: Plan
    bench: PlanBench
    at: datetime
    cells: tuple[Cell, ...]
    sheet: RunSheet
    crossed: tuple[tuple[Cell, str], ...]
    energy_wh: float | None
    other_s: float
    wait_factor: float
    notes: tuple[Note, ...]

    def when(self, seconds: float) -> datetime:
        """A time of the sheet on the clock."""
        return datetime.fromtimestamp(seconds, tz=self.at.tzinfo)

    def cell_of(self, job: SheetJob) -> Cell:
        """The cell that a job belongs to."""
        return self.cells[job.cell]

    @property
    def left_s(self) -> float:
        """Time still to be spent at the bench, s: from the first step of each session to its last."""
        return sum(end - start for start, end in self.spans())

    def spans(self) -> list[tuple[float, float]]:
        """First and last time of each session that has steps."""
        spans: list[tuple[float, float]] = []
        for window in windows_of(self.plan, self.at):
            steps = [s for s in self.sheet.steps if window.start_s - 1 <= s.start_s and s.end_s <= window.end_s + 1]
            if steps:
                spans.append((min(s.start_s for s in steps), max(s.end_s for s in steps)))
        return spans

    def run_words(self, place: Cell | PlanEntry, repeat: int) -> str:
        """A run in words."""
        setting, workload = self.bench.pair(place)
        device = self.bench.devices[setting.device_id]
        named = f"{device.name}, {setting.name}" if len(self.bench.devices) > 1 else setting.name
        return tr("{workload} at {named}, repeat {repeat}", workload=workload.name, named=named, repeat=repeat)

    def lines(self) -> list[SheetLine]:
        """The whole sheet: what happened, then what is planned."""
        lines = [
            SheetLine(
                e.started.astimezone(self.at.tzinfo),
                e.ended.astimezone(self.at.tzinfo),
                "run",
                self.run_words(e, e.repeat),
                e.outcome,
                e.reason,
                e.setting_id,
                e.workload_id,
                e.repeat,
            )
            for e in self.plan.entries
        ]
        for s in self.sheet.steps:
            cell = self.cell_of(s.job)
            place = (cell.setting_id, cell.workload_id, s.job.repeat)
            lines.append(
                SheetLine(self.when(s.start_s), self.when(s.end_s), s.kind, self.step_words(s), None, "", *place)
            )
        return lines

    @property
    def left_out(self) -> list[str]:
        """The runs that are left out, in words, repeats of a cell together."""
        repeats: dict[Cell, list[int]] = {}
        for job in self.sheet.left_out:
            repeats.setdefault(self.cell_of(job), []).append(job.repeat)
        words = []
        for cell, numbers in repeats.items():
            setting, workload = self.bench.pair(cell)
            times = (
                tr("repeat {numbers}", numbers=numbers[0])
                if len(numbers) == 1
                else tr("{numbers} repeats", numbers=len(numbers))
            )
            words.append(
                tr("{workload} at {setting}, {times}", workload=workload.name, setting=setting.name, times=times)
            )
        return words

    def step_words(self, step: Step) -> str:
        """What is to be done in a step."""
        device = self.bench.device_of(self.cell_of(step.job).setting_id)
        if step.kind == "run":
            return self.run_words(self.cell_of(step.job), step.job.repeat)
        if step.kind == "read":
            return tr("read noise and surface temperatures")
        if step.kind == "cool":
            return tr("let {device} cool", device=device.name)
        if step.kind == "recharge":
            return tr("recharge {device} to full", device=device.name)
        return f"{device.name}: {step.words}" if len(self.bench.devices) > 1 else step.words


def plan_bench(book: Book, plan: Plan, heat: Mapping[int, DeviceHeat] | None = None) -> PlanBench:
    """The records of a plan from its book."""
    settings = {s: book.get(Setting, s) for s in {c.setting_id for c in plan.cells}}
    settings |= {e.setting_id: book.get(Setting, e.setting_id) for e in plan.entries}
    used = {c.workload_id for c in plan.cells} | {e.workload_id for e in plan.entries}
    workloads = {w: book.get(Workload, w) for w in used}
    devices = {d: book.get(Device, d) for d in {s.device_id for s in settings.values()}}
    protocol = book.get(Protocol, plan.protocol_id) if plan.protocol_id else Protocol(name="none")
    slots = {d.id: place for place, d in enumerate(book.devices())}
    return PlanBench(devices, settings, workloads, protocol, heat or {}, slots)


def make_plan(plan: Plan, bench: PlanBench, at: datetime) -> PlannedSheet:
    """Plan what is still to do, from `at` on."""
    reasons = [(c, why_not(bench.device_of(c.setting_id), *bench.pair(c))) for c in plan.cells]
    crossed = tuple((cell, reason) for cell, reason in reasons if reason)
    cells = tuple(cell for cell, reason in reasons if not reason)
    factor = _wait_factor(plan, bench)
    seconds = {w: run_s(plan, bench, workload) for w, workload in bench.workloads.items()}
    first = [
        _job(bench, *bench.pair(cell), seconds[cell.workload_id], factor, (number, 1, cell.priority))
        for number, cell in enumerate(cells)
    ]
    jobs = [replace(job, repeat=r) for job, cell in zip(first, cells, strict=True) for r in plan.wanted(cell)]
    change = _changes(bench, factor, _set_last(plan, bench))
    rules = {
        OrderRule.SHORTEST: partial(runsheet.shortest, change=change),
        OrderRule.BALANCED: partial(
            runsheet.balanced,
            change=change,
            seed=plan.seed,
            dear=lambda number: by_hand(bench.device_of(number), bench.settings[number]),
        ),
    }
    windows = windows_of(plan, at)
    sheet = runsheet.make_sheet(jobs, change, windows, rules[plan.order])
    other = OrderRule.BALANCED if plan.order is OrderRule.SHORTEST else OrderRule.SHORTEST
    placed = [step.job for step in sheet.runs]
    other_s = rules[other](placed).continuous_s
    watts = [(bench.settings[cells[j.cell].setting_id].sustained_w, j.run_s) for j in placed]
    known = [w * s / 3600.0 for w, s in watts if w is not None]
    energy = sum(known) if known else None
    notes = (*_notes(bench, len(known), len(placed), factor), *_dear_notes(plan, bench, sheet))
    return PlannedSheet(plan, bench, at, cells, sheet, crossed, energy, other_s, factor, notes)


def windows_of(plan: Plan, at: datetime) -> list[Window]:
    """The times there still are from `at` on; a plan without sessions begins at once and has no end."""
    if not plan.sessions:
        return [Window(at.timestamp())]
    windows = []
    for session in sorted(plan.sessions, key=lambda s: s.start):
        end = float("inf") if session.end is None else session.end.timestamp()
        if end > at.timestamp():
            windows.append(Window(max(session.start, at).timestamp(), end))
    return windows


def begin_of(plan: Plan) -> datetime:
    """From when a plan is planned that is not tied to the present: the end of what happened, the start of its first
    session, or its making."""
    if plan.entries:
        return max(e.ended for e in plan.entries)
    return min((s.start for s in plan.sessions), default=plan.created)


def run_s(plan: Plan, bench: PlanBench, workload: Workload) -> float:
    """Expected time of one run, s: what was planned, and each time that it really took, weigh the same."""
    planned = 60.0 * bench.protocol.warm_up_min + workload.run_s
    taken = [e.actual_s for e in plan.entries if e.workload_id == workload.id and e.outcome is Outcome.DONE]
    return (planned + sum(taken)) / (1 + len(taken))


def _job(
    bench: PlanBench, setting: Setting, workload: Workload, seconds: float, factor: float, place: tuple[int, int, int]
) -> SheetJob:
    """One run; `place` is its cell, repeat and priority."""
    device = bench.devices[setting.device_id]
    idle = workload.kind is WorkKind.IDLE
    cool, cold = (0.0, 0.0) if idle else cool_s(device, setting, bench)
    number, repeat, priority = place
    return SheetJob(
        number,
        repeat,
        device.id,
        setting.id,
        seconds,
        cool * factor,
        cold * factor,
        idle,
        60.0 * bench.protocol.readings_min * factor,
        recharge_s(device, setting, workload, seconds),
        priority,
    )


def cool_s(device: Device, setting: Setting, bench: PlanBench) -> tuple[float, float]:
    """Wait after a load at a setting until the next load, and until a run that must begin cold, s: from the measured
    time constants where they are known, else as the protocol says."""
    protocol, heat = bench.protocol, bench.heat.get(device.id)
    if heat is None or protocol.cool_rule is CoolRule.FIXED:
        return 60.0 * protocol.cool_min, 60.0 * protocol.cool_min * UNKNOWN_COLD_FACTOR
    if setting.sustained_w is None:
        return 3.0 * heat.fit.slowest_s, 3.0 * heat.fit.slowest_s * UNKNOWN_COLD_FACTOR
    within = protocol.cool_within_k
    usual = heat.fit.cool_down_s(setting.sustained_w, heat.idle_w, within)
    return usual, heat.fit.cool_down_s(setting.sustained_w, heat.idle_w, within * COLD_PART)


def recharge_s(device: Device, setting: Setting, workload: Workload, seconds: float) -> float:
    """Time to fill the battery after a run on it, s; every run on battery begins full."""
    if setting.mains:
        return 0.0
    battery = device.battery
    full = FULL_CHARGE_S
    if battery.charge_min is not None:
        full = 60.0 * battery.charge_min
    elif battery.usable_wh and device.adapter_w:
        full = 3600.0 * battery.usable_wh / (CHARGE_SHARE * device.adapter_w)
    if workload.kind is WorkKind.RUNDOWN or battery.usable_wh is None or setting.sustained_w is None:
        return full
    return full * min(1.0, setting.sustained_w * seconds / 3600.0 / battery.usable_wh)


def _set_last(plan: Plan, bench: PlanBench) -> dict[int, int]:
    """The setting that each device was left at, by the last run that was done on it."""
    return {
        bench.settings[e.setting_id].device_id: e.setting_id for e in plan.entries if e.outcome is not Outcome.SKIPPED
    }


def _changes(bench: PlanBench, factor: float, begun: Mapping[int, int]) -> Change:
    """What changes take; `begun` is the setting that a device is at when planning begins, where that is known."""
    known: dict[tuple[int | None, int], tuple[Task, ...]] = {}

    def change(before: int | None, after: int) -> tuple[Task, ...]:
        if (before, after) not in known:
            device = bench.device_of(after)
            number = begun.get(device.id) if before is None else before
            start = None if number is None else bench.settings[number]
            tasks = () if number == after else tasks_between(device, start, bench.settings[after])
            known[before, after] = tuple(Task(t.kind, t.seconds * factor, t.words) for t in tasks)
        return known[before, after]

    return change


def _wait_factor(plan: Plan, bench: PlanBench) -> float:
    """What the waits really took against what was planned for them."""
    planned = actual = TRUST_S
    change = _changes(bench, 1.0, {})
    done = sorted((e for e in plan.entries if e.outcome is not Outcome.SKIPPED), key=lambda e: e.started)
    for before, after in pairwise(done):
        pause = (after.started - before.ended).total_seconds()
        jobs = [_job(bench, *bench.pair(e), e.actual_s, 1.0, (0, e.repeat, 1)) for e in (before, after)]
        if 0 <= pause <= SAME_SITTING_S and jobs[0].device == jobs[1].device:
            planned += runsheet.wait_s(jobs[0], jobs[1], change)
            actual += pause
    return actual / planned


def _dear_notes(plan: Plan, bench: PlanBench, sheet: runsheet.RunSheet) -> list[Note]:
    """What a sheet asks of the operator beside runs: visits in the firmware, work by hand, and why runs are grouped."""
    count = {kind: sum(step.kind == kind for step in sheet.steps) for kind in ("firmware", "hands")}
    notes = []
    if count["firmware"] > FEW_VISITS:
        notes.append(Note("dear", tr("It takes {count} visits in the firmware.", count=count["firmware"])))
    if count["hands"]:
        balanced = plan.order is OrderRule.BALANCED
        grouped = tr(" Runs are grouped by it; the order is balanced within each group only.") if balanced else ""
        words = counted(count["hands"], "time")
        notes.append(
            Note(
                "dear",
                tr("{words} something is changed by hand in the open case.{grouped}", words=words, grouped=grouped),
            )
        )
    return notes


def _notes(bench: PlanBench, with_watts: int, runs: int, factor: float) -> list[Note]:
    notes = []
    for key, device in bench.devices.items():
        heat = bench.heat.get(key)
        if bench.protocol.cool_rule is CoolRule.FIXED or heat is None:
            source = tr("from the protocol") if bench.protocol.kept_id is not None else tr("the usual wait")
            why = (
                tr("as the protocol fixes it")
                if heat
                else tr("{source}, as no time constant is known yet", source=source)
            )
            notes.append(
                Note(
                    "cooling",
                    tr(
                        "{device} cools for {cool_min:g} min, {why}.",
                        device=device.name,
                        cool_min=bench.protocol.cool_min,
                        why=why,
                    ),
                )
            )
        else:
            notes.append(
                Note(
                    "cooling",
                    tr(
                        "{device} cools with a slowest time constant of {slowest_s:.0f} s, measured in run "
                        "{run_id}; it waits until {cool_within_k:g} K of its rise are left.",
                        device=device.name,
                        slowest_s=heat.fit.slowest_s,
                        run_id=heat.run_id,
                        cool_within_k=bench.protocol.cool_within_k,
                    ),
                )
            )
    if with_watts < runs:
        notes.append(
            Note(
                "energy",
                tr(
                    "{some} of {all_runs} runs claim no limit and are not in the energy.",
                    some=runs - with_watts,
                    all_runs=runs,
                ),
            )
        )
    if abs(factor - 1.0) > 0.02:
        notes.append(
            Note(
                "learned",
                tr("Waits are planned {factor:.2f} times as long, as they really took so far.", factor=factor),
            )
        )
    return notes
