"""What comes into a book: the simulated devices, this computer, a log, the demo."""

from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path

import platformdirs

from pinch.bench import runlogs
from pinch.bench.book import Book, BookError
from pinch.bench.records import Device, Repeatable, Run, Runner, Setting, WorkKind, Workload, checked, free_name, now
from pinch.core.runlog import RunLog
from pinch.rig import catalogue, demo, demo_bench
from pinch.sources.machine import platform_profiles, read_machine

MOST_NOTES = 4000


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
                book.save(demo_bench.setting_record(kept.id or 0, setting))
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


def find_or_add(
    book: Book, device: str, setting: str, claimed_w: float | None, workload: str, rate: str
) -> tuple[Device, Setting, Workload]:
    """The records of these names, new ones where the book has none.

    Raises
    ------
    PinchError : a name or the claimed watts make no sense; then nothing is added.
    """
    wanted = (
        checked(Device, "The device", name=device),
        checked(Workload, "The workload", name=workload, rate_channel=rate),
    )
    checked(Setting, "The setting", device_id=0, name=setting, sustained_w=claimed_w)
    its_device = next((d for d in book.devices() if d.name == wanted[0].name), None) or book.save(wanted[0])
    fields = {"device_id": its_device.id, "name": setting, "sustained_w": claimed_w}
    new: Setting = checked(Setting, "The setting", **fields)
    its_setting = next((s for s in book.settings(its_device.id or 0) if s.name == new.name), None) or book.save(new)
    its_workload = next((w for w in book.workloads() if w.name == wanted[1].name), None) or book.save(wanted[1])
    return its_device, its_setting, its_workload


def import_log(
    book: Book,
    log: RunLog,
    device: Device,
    setting: Setting,
    workload: Workload,
    source: str,
    started: datetime | None = None,
    notes: Sequence[str] = (),
) -> Run:
    """Add a log as a run: all of it, or nothing. `started` is what its own clock said, in this computer's time zone;
    `notes` is what stood around its rows."""
    run = new_run(book, device, setting, workload, source, notes="\n".join(notes)[:MOST_NOTES])
    if started is not None:
        run = book.save(run.model_copy(update={"started": started.astimezone(UTC).replace(microsecond=0)}))
    try:
        return runlogs.add_log(book, run, log)
    except BookError:
        with book.change() as connection:
            connection.execute("DELETE FROM run WHERE id = ?", (run.id,))
        raise


def new_run(
    book: Book,
    device: Device,
    setting: Setting,
    workload: Workload,
    source: str,
    ambient_c: float | None = None,
    notes: str = "",
    protocol_id: int | None = None,
) -> Run:
    """A run that begins now, the next repeat of its cell, kept in the book."""
    ids = (device.id or 0, setting.id or 0, workload.id or 0)
    return book.save(
        Run(
            device_id=ids[0],
            setting_id=ids[1],
            workload_id=ids[2],
            repeat=book.next_repeat(*ids),
            started=now(),
            ambient_c=ambient_c,
            source=source,
            notes=notes,
            builds=device.builds,
            protocol_id=protocol_id,
        )
    )
