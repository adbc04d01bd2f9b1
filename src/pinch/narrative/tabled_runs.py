"""All of a book as tables: every run judged, with its readings."""

from collections.abc import Collection

from pinch.analysis.judging import JudgeDesk
from pinch.bench.book import Book
from pinch.bench.records import Run, Workload
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.core.progress import Progress, tell, unheard
from pinch.narrative.book_tables import TabledRun


def tabled_runs(
    book: Book, desk: JudgeDesk, progress: Progress = unheard, only: Collection[int | None] | None = None
) -> tuple[TabledRun, ...]:
    """Every run of a book, or `only` those of some numbers; one that cannot be judged says why.

    Raises
    ------
    CancelledError : `progress` answered False.
    """
    devices = {d.id: d for d in book.devices()}
    settings = {s.id: s for d in devices for s in book.settings(d or 0)}
    workloads: dict[int | None, Workload] = {w.id: w for w in book.workloads()}
    made, runs = [], [r for r in book.runs() if only is None or r.id in only]
    for number, run in enumerate(runs):
        tell(progress, number / len(runs))
        judged, reason = _judged(desk, run)
        records = (devices[run.device_id], settings[run.setting_id], workloads[run.workload_id])
        made.append(TabledRun(run, *records, tuple(book.readings(run.id)), judged, reason))
    return tuple(made)


def _judged(desk: JudgeDesk, run: Run) -> tuple[Judgement | None, str]:
    try:
        return desk.judge(run)[1], ""
    except PinchError as error:
        return None, str(error)
