"""Planning: the records of a plan, the cooling of its devices, and the run sheet."""

from datetime import datetime
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.planning import DeviceHeat, PlannedSheet, make_plan, plan_bench
from pinch.bench.plans import Plan
from pinch.bench.records import ExitStatus, Run, WorkKind
from pinch.core.channels import power_channel
from pinch.core.cooling import fit_heat
from pinch.core.errors import DataError

MOST_HEAT_RUNS = 3
"""Logs tried for the time constants of a device."""


class PlanDesk:
    """Plans of one book. It remembers the measured cooling of each device. For one thread."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._heat: dict[tuple[int, int], DeviceHeat | None] = {}

    def plan(self, plan: Plan, at: datetime) -> PlannedSheet:
        """The run sheet of a plan from `at` on."""
        bench = plan_bench(self._book, plan)
        heat = {d: self.heat(d) for d in bench.devices}
        return make_plan(plan, replace(bench, heat={d: h for d, h in heat.items() if h is not None}), at)

    def heat(self, device_id: int) -> DeviceHeat | None:
        """The cooling of a device, from the longest of its runs that tells it; None where none does."""
        slow = {w.id for w in self._book.workloads() if w.kind in (WorkKind.RUNDOWN, WorkKind.IDLE)}
        runs = [r for r in self._book.runs(device_id) if not r.void and r.status is ExitStatus.COMPLETE]
        runs = [r for r in runs if r.workload_id not in slow]  # hours at a low power tell little of its cooling
        runs = sorted(runs, key=lambda r: -(r.samples or 0))[:MOST_HEAT_RUNS]
        key = (device_id, hash(tuple(r.id for r in runs)))
        if key not in self._heat:
            self._heat[key] = next((h for r in runs if (h := self._heat_of(r)) is not None), None)
        return self._heat[key]

    def take_over(self, other: "PlanDesk") -> None:
        """Take over what another desk on the same book has worked out."""
        self._heat.update(other._heat)

    def _heat_of(self, run: Run) -> DeviceHeat | None:
        try:
            even = runlogs.read_log(self._book, run.id).even()
            power = even.columns[power_channel(even.columns) or ""]
            fit = fit_heat(even.starts, power, even.columns["cpu.temp"])
        except (DataError, KeyError):
            return None
        return DeviceHeat(fit, float(np.nanpercentile(power, 1.0)), run.id)


def plan_from_file(path: Path, plan: Plan, at: datetime, desk: PlanDesk) -> tuple[PlannedSheet, PlanDesk]:
    """`PlanDesk.plan` with a connection of its own, for a thread of its own; `desk` lends what it remembers."""
    book = open_book(path)
    try:
        own = PlanDesk(book)
        own.take_over(desk)
        return own.plan(plan, at), own
    finally:
        book.close()
