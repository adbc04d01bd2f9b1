"""The conditions under which the results of a cell came about, as fairness sets them against those of another."""

import contextlib
from collections.abc import Mapping, Sequence
from datetime import date

from pinch.analysis.cells import OWN, BenchCell
from pinch.analysis.points import BookPoints, RunPoint, generates, mean_share
from pinch.bench.records import Device, Result, Setting
from pinch.bench.summaries import Origin, Summary, origin_words, result_words
from pinch.core.causes import Cause
from pinch.core.fairness import Conditions
from pinch.core.figures import UNSETTLED
from pinch.core.frames import FRAME_RATE
from pinch.language import marked, tr


def conditions_of(
    book: BookPoints, cell: BenchCell, runs: Sequence[RunPoint], typed: Sequence[Result] = ()
) -> Conditions:
    """The conditions under which runs and typed results of a cell came about; at least one of them."""
    if not runs:
        return _typed_conditions(cell, typed)
    device, setting, last = cell.device, cell.setting, runs[-1]
    workload, told = last.workload, last.run.summary
    told_w = [p.run.summary.power_w if p.run.summary is not None else None for p in runs]
    protocol = book.protocols.get(last.run.protocol_id or 0)
    states = sorted({p.digest.state for p in runs if p.digest.state in UNSETTLED})
    memory = device.memory
    return Conditions(
        name=cell.name,
        device=device.name,
        power_w=mean_known([*(p.power_w for p in runs), *told_w]),
        ambient_c=mean_known([p.run.ambient_c for p in runs]),
        mains=setting.mains,
        graphics_path=setting.graphics_path,
        fan=setting.fan,
        builds={b.what: (b.version, b.date) for b in (last.run.builds or (device.builds if told is None else ()))},
        resolution=workload.resolution,
        shape=device.display.shape,
        work={
            "preset": workload.preset,
            "upscaling": workload.upscaling,
            marked("frame generation"): workload.frame_generation
            or (tr("found in the log") if any(map(generates, runs)) else ""),
        },
        frame_cap=workload.frame_cap_fps,
        capped_share=mean_share(runs, Cause.FRAME_CAP),
        heat_share=mean_share(runs, Cause.HEAT),
        graphical=workload.rate_channel == FRAME_RATE,
        memory=_memory_of(device, setting),
        channels="" if memory.dual_channel is None else "dual" if memory.dual_channel else "single",
        graphics_memory_gb=setting.graphics_memory_gb or memory.graphics_share_gb,
        brightness_nits=protocol.brightness_nits if protocol else None,
        day=_day_of(last),
        status=str(device.status),
        repeatable=str(workload.repeatable),
        runs=told.repeats if told else len(runs),
        origin=_origin_of(told),
        unsettled=", ".join(states),
        graphics_chip=device.graphics.name,
        claimed_w=setting.sustained_w,
        extent="" if told else str(workload.extent),
        off=max((p.off_share for p in runs), key=abs, default=0.0),
        undervolt_mv=setting.undervolt_mv,
        clock_lock_mhz=setting.clock_ceiling_mhz,
        graphics_lock_mhz=setting.graphics_ceiling_mhz,
    )


def _day_of(point: RunPoint) -> date | None:
    """The day of a test; of a score without a log the day that is told with it, not that of its entry."""
    told = point.run.summary
    return point.run.day if told is None else date_of(told.dated)


def date_of(day: str) -> date | None:
    """A day as it was noted; None where nobody did, or there is no such day."""
    with contextlib.suppress(ValueError):
        return date.fromisoformat(day)
    return None


def _origin_of(told: Summary | None) -> str:
    """Whose figure it is; own tests are of one origin, whatever their day and number."""
    return OWN if told is None or told.origin is Origin.OWN else origin_words(told)


def _memory_of(device: Device, setting: Setting) -> Mapping[str, str]:
    memory = device.memory
    speed = setting.memory_speed_mts or memory.speed_mts
    return {
        marked("memory kind"): memory.kind,
        marked("memory speed"): tr("{speed:g} MT/s", speed=speed) if speed else "",
        marked("memory size"): tr("{size_gb:g} GB", size_gb=memory.size_gb) if memory.size_gb else "",
    }


def _typed_conditions(cell: BenchCell, typed: Sequence[Result]) -> Conditions:
    """What is known of results that nobody logged: the setting as it is noted, and whose they are."""
    device, setting, last = cell.device, cell.setting, typed[-1]
    days = [day for r in typed if (day := date_of(r.day))]
    return Conditions(
        name=cell.name,
        device=device.name,
        power_w=mean_known([r.power_w for r in typed]),
        builds={b.what: (b.version, b.date) for r in typed for b in r.builds},
        mains=setting.mains,
        fan=setting.fan,
        shape=device.display.shape,
        day=max(days, default=None),
        status=str(device.status),
        runs=last.n * last.units,
        origin=OWN if cell.key.origin == OWN else result_words(last),
        undervolt_mv=setting.undervolt_mv,
        clock_lock_mhz=setting.clock_ceiling_mhz,
        graphics_lock_mhz=setting.graphics_ceiling_mhz,
        graphics_chip=device.graphics.name,
        claimed_w=setting.sustained_w,
    )


def mean_known(values: Sequence[float | None]) -> float | None:
    """The mean of what is known, None where nothing is."""
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else None
