"""The units of a device that share a workload's work, set beside those of another."""

import math
from collections.abc import Mapping

from pinch.analysis.cells import BenchCell
from pinch.bench.records import Device, WorkKind, Workload
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import MAIN, Metric
from pinch.core.unit_yield import UnitYield, unit_yield
from pinch.core.verdict import Verdict
from pinch.language import tr

COMPUTE_UNITS, CORES, THREADS = tr("compute units"), tr("cores"), "threads"
SHARED_BY_CORES = (WorkKind.ALL_CORE, WorkKind.COMBINED)


def units_of(device: Device, workload: Workload) -> Mapping[str, float]:
    """How many units of each kind share the work, as far as the device's record tells: compute units where graphics do
    it, cores and threads where all cores do; of other work nobody knows what shares it."""
    found: dict[str, float | None] = {}
    if workload.rate_channel == FRAME_RATE or workload.kind is WorkKind.GAME or workload.graphics:
        found[COMPUTE_UNITS] = device.graphics.compute_units
    if workload.kind in SHARED_BY_CORES and not workload.one_core and device.cores:
        found[CORES] = sum(group.count for group in device.cores)
        threads = [group.threads for group in device.cores]
        found[THREADS] = None if None in threads else sum(t for t in threads if t is not None)
    return {what: float(count) for what, count in found.items() if count}


def yields_of(
    cell: BenchCell, base: BenchCell, workload: Workload, metric: Metric, verdict: Verdict | None
) -> tuple[UnitYield, ...]:
    """What the units of a cell's device bring over those of the base's, of each kind in which the two differ; of the
    workload's own score or rate only."""
    if (
        verdict is None
        or metric.key not in MAIN
        or cell.device.id == base.device.id
        or not math.isfinite(verdict.ratio)
    ):
        return ()
    own, others = units_of(cell.device, workload), units_of(base.device, workload)
    return tuple(
        unit_yield(what, count, others[what], verdict)
        for what, count in own.items()
        if what in others and count != others[what]
    )
