"""What comes into a book: the simulated devices, this computer, a log, the demo."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import platformdirs

from pinch.bench.book import Book
from pinch.bench.records import Device, Repeatable, Runner, Setting, WorkKind, Workload, free_name
from pinch.rig import catalogue, demo, demo_bench
from pinch.sources.machine import platform_profiles, read_machine


def _built_in(name: str, kind: WorkKind, **fields: bool) -> Workload:
    """A workload that Pinch brings along."""
    shared = {"score_unit": "units/s", "repeatable": Repeatable.BUILT_IN, "runner": Runner.LOAD}
    return Workload.model_validate({"name": f"Built-in load, {name}", "kind": kind, **shared, **fields})


ALL_CORES = _built_in("all cores", WorkKind.ALL_CORE)
ONE_CORE = _built_in("one core", WorkKind.ONE_CORE, one_core=True)
COMBINED = _built_in("cores and graphics", WorkKind.COMBINED, graphics=True)


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
    for workload in (ALL_CORES, ONE_CORE, COMBINED):
        if workload.name not in named:
            book.save(workload)
    return device


def demo_book_path() -> Path:
    """The demo book in the user's cache, made on first use."""
    return Path(platformdirs.user_cache_dir("pinch")) / f"demo-{demo.VERSION}" / "cabin-test.pinch"


def make_demo(path: Path, progress: Callable[[float], bool]) -> None:
    """Write the demo book to `path`; where `progress` answers False, nothing is left behind."""
    path.parent.mkdir(parents=True, exist_ok=True)
    demo.make_demo_book(path, progress, datetime.now().astimezone().date())
