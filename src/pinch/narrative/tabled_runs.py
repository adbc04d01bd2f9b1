"""All of a book as tables: every run judged, with its readings."""

from collections.abc import Sequence

from pinch.analysis.judged_beside import JudgedBeside
from pinch.bench.book import Book
from pinch.bench.records import Run, Workload
from pinch.core.progress import Progress, tell, unheard
from pinch.narrative.book_tables import TabledRun


def tabled_runs(
    book: Book, judged: JudgedBeside, runs: Sequence[Run], progress: Progress = unheard
) -> tuple[TabledRun, ...]:
    """Runs of a book with all that tables show of them; one that cannot be judged says why.

    Raises
    ------
    CancelledError : `progress` answered False.
    """
    devices = {d.id: d for d in book.devices()}
    settings = {s.id: s for d in devices for s in book.settings(d or 0)}
    workloads: dict[int | None, Workload] = {w.id: w for w in book.workloads()}
    made = []
    for number, run in enumerate(runs):
        tell(progress, number / len(runs))
        records = (devices[run.device_id], settings[run.setting_id], workloads[run.workload_id])
        made.append(TabledRun(run, *records, tuple(book.readings(run.id)), *judged.judge(run)))
    return tuple(made)


def all_tabled(book: Book, progress: Progress = unheard) -> tuple[TabledRun, ...]:
    """The same of every run of a book."""
    runs = book.runs()
    with JudgedBeside(book, runs) as judged:
        return tabled_runs(book, judged, runs, progress)
