"""Where what arrives belongs: the records of its names, and the run that a log becomes."""

from collections.abc import Sequence
from datetime import UTC, datetime

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.new_runs import new_run
from pinch.bench.records import Device, Run, Setting, WorkKind, Workload, checked
from pinch.core.frames import FRAME_RATE
from pinch.core.runlog import RunLog

MOST_NOTES = 4000


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
        checked(Workload, "The workload", name=workload, rate_channel=rate, **_of_frames(rate)),
    )
    checked(Setting, "The setting", device_id=0, name=setting, sustained_w=claimed_w)
    its_device = next((d for d in book.devices() if d.name == wanted[0].name), None) or book.save(wanted[0])
    fields = {"device_id": its_device.id, "name": setting, "sustained_w": claimed_w}
    new: Setting = checked(Setting, "The setting", **fields)
    its_setting = next((s for s in book.settings(its_device.id) if s.name == new.name), None) or book.save(new)
    its_workload = next((w for w in book.workloads() if w.name == wanted[1].name), None) or book.save(wanted[1])
    return its_device, its_setting, its_workload


def _of_frames(rate: str) -> dict[str, object]:
    """What a workload is of which frames are logged: a game's scene."""
    return {"kind": WorkKind.GAME, "score_unit": "fps"} if rate == FRAME_RATE else {}


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
    with book.change():
        run = new_run(book, device, setting, workload, source, notes="\n".join(notes)[:MOST_NOTES])
        if started is not None:
            run = book.save(run.model_copy(update={"started": started.astimezone(UTC).replace(microsecond=0)}))
        return runlogs.add_log(book, run, log)
