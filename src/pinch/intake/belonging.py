"""The run that a log becomes."""

from collections.abc import Sequence
from datetime import UTC, datetime

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.new_runs import new_run
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.core.runlog import RunLog

MOST_NOTES = 4000


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
    """Add a log as a run: all of it, or nothing. `started` is what its own clock said, in this computer's time zone
    (None: it has none, and the run no day); `notes` is what stood around its rows."""
    with book.change():
        run = new_run(book, device, setting, workload, source, notes="\n".join(notes)[:MOST_NOTES])
        if started is None:
            dated: dict[str, object] = {"undated": True}
        else:
            dated = {"started": started.astimezone(UTC).replace(microsecond=0)}
        run = book.save(run.model_copy(update=dated))
        return runlogs.add_log(book, run, log)
