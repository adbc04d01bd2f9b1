"""The twin of a device of the book under a workload: which of its runs it stands on, and what they tell it."""

import math
from collections import Counter
from collections.abc import Iterable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.modes import Lasting, lasting_of
from pinch.analysis.points import BookPoints, RunPoint, score_of
from pinch.bench.records import Device, Workload
from pinch.core.causes import Cause
from pinch.core.figures import Note, SettledState
from pinch.core.judge import Judgement
from pinch.core.metrics import AVERAGE
from pinch.core.twin import Twin, twin_of
from pinch.core.twin_runs import TwinRun
from pinch.language import tr

STATES = (SettledState.SETTLED, SettledState.DRIFTING, SettledState.SCENE)
PASSING = (Cause.BURST_POWER, Cause.WAITING)
"""What rules a part of the load, and not what was held, where something else ruled as well."""


class DeviceTwin(Struct, frozen=True):
    """A twin with the device, the work and the settings' likeness that it is of; how its battery lasts, None where that
    is not known; and what of its runs is left out."""

    device: Device
    workload: Workload
    twin: Twin
    points: tuple[RunPoint, ...]
    lasting: Lasting | None
    notes: tuple[Note, ...]

    def with_logs(self, judged: Mapping[int, Judgement]) -> "DeviceTwin":
        """The twin that knows as well how its runs began and warmed, of those whose judgements are given by number."""
        runs = tuple(
            _with_log(run, judged[p.run.id]) if p.run.id in judged else run
            for run, p in zip(self.twin.runs, self.points, strict=True)
        )
        return replace(self, twin=Twin(runs, self.twin.limit_c))


def device_twin(book: BookPoints, device: Device, workload: Workload) -> DeviceTwin:
    """The twin of a device under a workload, of its settled runs that are alike but for limits, fans and rooms.

    Raises
    ------
    TwinRefusedError : there is none.
    """
    own = [
        p for p in book.points if p.device.id == device.id and p.workload.id == workload.id and p.run.summary is None
    ]
    settled = [p for p in own if not p.why_unusable and p.digest.state in STATES and (p.digest.power_w or 0.0) > 0]
    usual = Counter(_likeness(p) for p in settled).most_common(1)
    alike = [p for p in settled if _likeness(p) == usual[0][0]]
    twin = twin_of((twin_run(p) for p in alike), _limit_c(alike))
    return DeviceTwin(device, workload, twin, tuple(alike), lasting_of(book, device), _left_out(own, settled, alike))


def _likeness(p: RunPoint) -> tuple[object, ...]:
    """What a twin does not follow, so that it must be alike: voltage, memory, locks, supply, builds."""
    s = p.setting
    locks = s.clock_ceiling_mhz, s.graphics_ceiling_mhz, s.undervolt_mv
    return (*locks, s.memory_speed_mts, s.graphics_memory_gb, s.graphics_path, s.mains, p.run.builds)


def twin_run(p: RunPoint) -> TwinRun:
    """A settled run as the twin knows it."""
    d, s = p.digest, p.setting
    room = tr("{room:g} °C", room=p.room_c) if p.room_c is not None else tr("no room noted")
    return TwinRun(
        cell=f"{s.name}, {room}",
        power_w=d.power_w or math.nan,
        limit_w=_or_nan(s.sustained_w),
        clock_mhz=_or_nan(d.clock_mhz),
        temp_c=_or_nan(d.temp_c),
        score=_or_nan(score_of(p, AVERAGE)),
        room_c=_or_nan(p.run.ambient_c),
        fan=s.fan or s.mode or s.platform_profile,
        cause=_cause(d.shares),
        burst_w=_or_nan(d.burst_w),
        idle_w=_or_nan(d.idle_w),
    )


def _with_log(run: TwinRun, judged: Judgement) -> TwinRun:
    burst = math.nan if judged.limits.bounded else judged.limits.burst_s.value
    heat = judged.heat
    known = () if heat is None else tuple(float(r) for r in heat.fit.r)
    return replace(run, burst_s=burst, r=known, tau=() if heat is None else heat.tau_s)


def _cause(shares: Mapping[str, float]) -> str:
    held = {cause: share for cause, share in shares.items() if cause not in PASSING} or dict(shares)
    return max(held, key=lambda cause: held[cause], default="")


def _limit_c(points: Iterable[RunPoint]) -> float:
    """The temperature limit that the logs of most of the runs tell; NaN where none does."""
    told = [
        p.digest.temp_c + p.digest.headroom_k for p in points if p.digest.temp_c and p.digest.headroom_k is not None
    ]
    return float(Counter(round(t, 1) for t in told).most_common(1)[0][0]) if told else math.nan


def _left_out(own: list[RunPoint], settled: list[RunPoint], alike: list[RunPoint]) -> tuple[Note, ...]:
    there = {p.run.id for p in settled}
    notes = [
        Note("left-out", f"{p.name}: {p.why_unusable or tr('it had not settled.')}")
        for p in own
        if p.run.id not in there
    ]
    used = {p.run.id for p in alike}
    other = tr("its voltage, memory, lock, supply or builds are not those of most.")
    return (*notes, *(Note("left-out", f"{p.name}: {other}") for p in settled if p.run.id not in used))


def _or_nan(value: float | None) -> float:
    return math.nan if value is None else value
