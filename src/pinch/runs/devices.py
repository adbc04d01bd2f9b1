"""What comes into a book: the simulated devices and this computer."""

from pathlib import Path

from pinch.bench.book import Book
from pinch.bench.records import Device, LoadKind, Repeatable, Runner, Setting, WorkKind, Workload, free_name
from pinch.core.frames import FRAME_RATE
from pinch.rig import catalogue, demo_bench
from pinch.sources.load_kit import KIT
from pinch.sources.machine import platform_profiles, read_machine


def _built_in(name: str, kind: WorkKind, **fields: object) -> Workload:
    """A workload that Pinch brings along."""
    part = KIT[str(fields.get("load", LoadKind.CORES))]
    shared = {"score_unit": part.unit, "repeatable": Repeatable.BUILT_IN, "runner": Runner.LOAD, "notes": part.words}
    return Workload.model_validate({"name": f"Built-in load, {name}", "kind": kind, **shared, **fields})


ALL_CORES = _built_in("all cores", WorkKind.ALL_CORE)
BUILT_IN = (
    ALL_CORES,
    _built_in("one core", WorkKind.ONE_CORE, one_core=True),
    _built_in("memory", WorkKind.ALL_CORE, load=LoadKind.MEMORY),
    _built_in("cores and graphics", WorkKind.COMBINED, graphics=True),
    _built_in("graphics scene", WorkKind.GAME, load=LoadKind.SCENE, rate_channel=FRAME_RATE),
    _built_in("light use", WorkKind.OTHER, load=LoadKind.LIGHT, one_core=True),
    _built_in("idle", WorkKind.IDLE, load=LoadKind.IDLE),
)
"""The kit: the same work on every machine, so that books of different machines can be compared without other
programs."""


def add_rig(book: Book) -> None:
    """Put the simulated devices, their settings and workloads into a book, those that are not there yet."""
    known = {d.rig for d in book.devices()}
    for device in catalogue.DEVICES:
        if device.key not in known:
            kept = book.save(demo_bench.device_record(device))
            for setting in device.settings:
                book.save(demo_bench.setting_record(kept.id, setting))
    named = {w.name for w in book.workloads()}
    for work in catalogue.WORK:
        if work.name not in named:
            book.save(demo_bench.workload_record(work))


def add_this_computer(book: Book, root: Path = Path("/")) -> Device:
    """The computer at hand as a device of the book, filled in from what Linux tells, with a setting for each platform
    profile (or one) and the built-in workloads."""
    device = next((d for d in book.devices() if d.local), None)
    if device is None:
        told = read_machine(root)
        device = book.save(told.model_copy(update={"name": free_name(told.name, [d.name for d in book.devices()])}))
        claims = told.claims.model_dump(include={"sustained_w", "burst_w", "window_s"})
        for profile in platform_profiles(root) or [""]:
            name = profile.capitalize() or "Default"
            own = {"device_id": device.id, "name": name, "mode": profile, "platform_profile": profile}
            book.save(Setting.model_validate(own | claims))
    named = {w.name for w in book.workloads()}
    for workload in BUILT_IN:
        if workload.name not in named:
            book.save(workload)
    return device
