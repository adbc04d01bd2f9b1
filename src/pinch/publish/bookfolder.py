"""A whole book as a folder of open files, and back: records as JSON, logs as CSV.

`book.json` holds every record with its number, marks and readings; `logs/run-N.csv` the samples of run N in Pinch's own
form, `logs/run-N-frames.csv` its single frames. What comes back is equal: the same records, the same samples.
"""

import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from pinch.bench import runlogs
from pinch.bench.book import Book, create_book
from pinch.bench.cards import Card, Report
from pinch.bench.files import read_model, replace_file
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Record, Run, Setting, Workload
from pinch.core.errors import PinchError
from pinch.core.frames import part_frames
from pinch.core.runlog import Mark, RunLog
from pinch.sources.runlog_csv import read_run_log, write_run_log

INDEX, LOGS = "book.json", "logs"
MOST_BYTES = 200_000_000


class FileMark(BaseModel):
    """A mark of a run."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    run_id: int
    t_s: float
    text: str


class BookIndex(BaseModel):
    """Everything of a book but its samples."""

    model_config = ConfigDict(extra="forbid")

    pinch: Literal["book"] = "book"
    version: Literal[1] = 1
    devices: tuple[Device, ...] = ()
    settings: tuple[Setting, ...] = ()
    workloads: tuple[Workload, ...] = ()
    protocols: tuple[Protocol, ...] = ()
    instruments: tuple[Instrument, ...] = ()
    plans: tuple[Plan, ...] = ()
    runs: tuple[Run, ...] = ()
    marks: tuple[FileMark, ...] = ()
    readings: tuple[Reading, ...] = ()
    acceptances: tuple[Acceptance, ...] = ()
    cards: tuple[Card, ...] = ()
    report: Report | None = None

    @property
    def records(self) -> tuple[Record, ...]:
        """All records, those that others refer to first."""
        first = (*self.devices, *self.settings, *self.workloads, *self.protocols, *self.instruments)
        last = (self.report,) if self.report is not None else ()
        return (*first, *self.plans, *self.runs, *self.readings, *self.acceptances, *self.cards, *last)


def write_book_folder(book: Book, folder: Path, progress: Callable[[float], bool] = lambda share: True) -> int:
    """Write a book into a folder, which is made where needed and must not hold another book; returns the runs written.
    Where `progress` answers False the rest is left, and there is no index, so that nobody takes it for whole.

    Raises
    ------
    PinchError : the folder holds a book already, or cannot be written.
    """
    if (folder / INDEX).exists():
        raise PinchError(f"{folder}: there is a book in this folder already; choose an empty one.")
    index, logs = index_of(book), folder / LOGS
    try:
        logs.mkdir(parents=True, exist_ok=True)
        for number, run in enumerate(index.runs):
            if not progress(number / len(index.runs)):
                return number
            log = runlogs.read_log(book, run.id or 0)
            for name, part in _parts(run.id or 0, log).items():
                text = io.StringIO()
                write_run_log(part, text)
                replace_file(logs / name, text.getvalue().encode())
        document = json.dumps(index.model_dump(mode="json"), indent=1, ensure_ascii=False)
        replace_file(folder / INDEX, (document + "\n").encode())
    except OSError as error:
        raise PinchError(f"{error.filename or folder}: it cannot be written ({error.strerror}).") from None
    return len(index.runs)


def read_book_folder(folder: Path, target: Path) -> int:
    """Make a new book of a folder; returns its runs. Where anything in the folder is wrong, there is no book.

    Raises
    ------
    PinchError : a file of the folder cannot be read, or the book exists or cannot be written.
    """
    index = read_model(folder / INDEX, BookIndex, MOST_BYTES)
    book = create_book(target)
    try:
        for record in index.records:
            book.restore(record)
        for mark in index.marks:
            runlogs.add_mark(book, mark.run_id, Mark(mark.t_s, mark.text))
        for run in index.runs:
            for path in (folder / LOGS / name for name in (_name(run.id or 0), _frames_name(run.id or 0))):
                if path.is_file():
                    runlogs.append_log(book, run.id or 0, read_run_log(path))
    except BaseException:
        book.close()
        for left in (target, target.with_name(f"{target.name}-wal"), target.with_name(f"{target.name}-shm")):
            left.unlink(missing_ok=True)
        raise
    book.close()
    return len(index.runs)


def index_of(book: Book) -> BookIndex:
    """Everything of a book but its samples; runs that were removed stay behind."""
    devices, runs, report = book.devices(), book.runs(), book.report()
    marks = [
        FileMark(run_id=run.id or 0, t_s=mark.t_s, text=mark.text)
        for run in runs
        for mark in runlogs.marks_of(book, run.id or 0)
    ]
    return BookIndex(
        devices=tuple(devices),
        settings=tuple(s for d in devices for s in book.settings(d.id or 0)),
        workloads=tuple(book.workloads()),
        protocols=tuple(book.protocols()),
        instruments=tuple(book.instruments()),
        plans=tuple(book.plans()),
        runs=tuple(runs),
        marks=tuple(marks),
        readings=tuple(r for run in runs for r in book.readings(run.id or 0)),
        acceptances=tuple(book.acceptances()),
        cards=tuple(book.cards()),
        report=report if report.id is not None else None,
    )


def is_book_folder(folder: Path) -> bool:
    """Whether a folder holds a book as open files."""
    return (folder / INDEX).is_file()


def _parts(run_id: int, log: RunLog) -> dict[str, RunLog]:
    """The tables of a log by file name: its samples, and its single frames; one without values is left out."""
    named = zip((_name(run_id), _frames_name(run_id)), part_frames(log), strict=True)
    filled = {name: {n: s for n, s in part.series.items() if len(s.t)} for name, part in named}
    return {name: RunLog(series) for name, series in filled.items() if series}


def _name(run_id: int) -> str:
    return f"run-{run_id}.csv"


def _frames_name(run_id: int) -> str:
    return f"run-{run_id}-frames.csv"
