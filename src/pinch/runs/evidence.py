"""Gathering the evidence before a run: a look through the probe, at Linux, and at the runs before."""

import math
import shutil
import time
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.planning import DeviceHeat
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import Device, ExitStatus, Run
from pinch.core.channels import component_of, is_plausible
from pinch.core.errors import PinchError
from pinch.core.printing import plain
from pinch.recorder.preflight import Evidence, MeterLook
from pinch.recorder.processes import ProbeProcess, SampleSource
from pinch.recorder.remote import RemoteProbe
from pinch.runs.consent import refused, wishes_of
from pinch.runs.sourcing import meter_at, meters_of
from pinch.sources.machine import Present, read_present
from pinch.sources.profiles import accuracy_of

LOOK_S = 2.5
REST_S = 10.0
MOST_RUNS = 5
_CLOCKS = time.time() - time.clock_gettime(time.CLOCK_BOOTTIME)


def gather_evidence(path: Path, device: Device, heat: DeviceHeat | None) -> Evidence:
    """What can be told before a run of a device, with a connection to the book and a thread of its own. Of a simulated
    device that is the clock and the disk: it starts with the run. Nothing is run or asked that nobody has agreed to.

    Raises
    ------
    PinchError : the book cannot be read, or two instruments measure the same.
    """
    book = open_book(path)
    try:
        free = float(shutil.disk_usage(path.parent).free)
        step = time.time() - time.clock_gettime(time.CLOCK_BOOTTIME) - _CLOCKS
        evidence = Evidence(clock_step_s=step, free_bytes=free)
        if device.rig:
            return evidence
        if refused(path, wishes_of(device)):
            return replace(evidence, unagreed=(device.name,))
        return _look(book, device, evidence, heat)
    finally:
        book.close()


def _look(book: Book, device: Device, e: Evidence, heat: DeviceHeat | None) -> Evidence:
    channels, values = _glance(device)
    runs = [r for r in book.runs(device.id) if not r.void and r.status is ExitStatus.COMPLETE][-MOST_RUNS:]
    before = set(runlogs.channels_of(book, runs[-1].id)) if runs else set()
    missing = sorted(c for c in before - set(channels) if not _told_beside(c))
    instruments = meters_of(book, device)
    agreed = [i for i in instruments if not refused(book.path, wishes_of(i))]
    looks = tuple(_look_at(i) for i in agreed)
    present = _told_by(values) if device.reach else read_present()
    return replace(
        e,
        governor=present.governor,
        meters=looks,
        unagreed=tuple(i.name for i in instruments if i not in agreed),
        room_c=_room_of(agreed, looks),
        odd=tuple(
            f"{name} {plain(value, 5)}" for name, value in values.items() if not is_plausible(name, value, value)
        ),
        temp_c=values.get("cpu.temp"),
        rest_c=_rest_of(book, runs),
        slowest_s=heat.fit.slowest_s if heat else None,
        on_mains=present.on_mains,
        charge=present.charge,
        load=values.get("cpu.load"),
        profile=present.profile,
        sustained_w=present.sustained_w,
        channels=channels,
        missing=tuple(missing) if runs else None,
    )


def _room_of(instruments: Sequence[Instrument], looks: Sequence[MeterLook]) -> float | None:
    """The room, °C, as the first instrument that tells it does."""
    rooms = (look.value for i, look in zip(instruments, looks, strict=True) if i.measures is Quantity.ROOM)
    return next((r for r in rooms if r is not None and math.isfinite(r)), None)


def _told_by(values: dict[str, float]) -> Present:
    """What the probe on another computer says of its supply."""
    online = values.get("mains.online")
    return Present(on_mains=None if online is None else online > 0, charge=values.get("battery.charge"))


def _told_beside(channel: str) -> bool:
    """Whether no sensor of the computer tells a channel."""
    component = component_of(channel)
    return component is not None and component.told_beside


def _look_at(instrument: Instrument) -> MeterLook:
    """One value of an instrument, with the accuracy of its record."""
    meter = None
    try:
        meter = meter_at(instrument)
        meter.open()
        value = meter.read()
    except PinchError as error:
        return MeterLook(instrument.name, None, instrument.unit, problem=str(error))
    finally:
        if meter is not None:
            meter.close()
    return MeterLook(instrument.name, value, instrument.unit, accuracy_of(instrument).standard_u(value))


def _glance(device: Device) -> tuple[tuple[str, ...], dict[str, float]]:
    """The channels of a computer and their last values, from a short run of the probe."""
    probe: SampleSource = RemoteProbe(device.reach, 0.5) if device.reach else ProbeProcess(interval_s=0.5)
    values: dict[str, float] = {}
    try:
        channels = probe.open()
        until = time.monotonic() + LOOK_S
        while time.monotonic() < until:
            for sample in probe.read(0.2):
                told = zip(channels, sample.values, strict=True)
                values |= {name: value for name, value in told if np.isfinite(value)}
    except PinchError:
        return (), values
    finally:
        probe.close()
    return channels, values


def _rest_of(book: Book, runs: list[Run]) -> float | None:
    """The lowest temperature at which runs of a device began, °C; None where none tells."""
    starts = []
    for run in runs:
        try:
            series = runlogs.read_log(book, run.id).series.get("cpu.temp")
        except PinchError:
            continue
        if series is not None and len(series.t):
            starts.append(float(series.values[series.t <= series.t[0] + REST_S].mean()))
    return min(starts, default=None)
