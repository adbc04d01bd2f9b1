"""A whole book of a folder of open files: records as JSON, logs as CSV.

`book.json` holds every record with its number, marks and readings; `logs/run-N.csv` the samples of run N in Pinch's own
form, `logs/run-N-frames.csv` its single frames; `pictures/picture-N.jpg` what was attached. What comes back is equal:
the same records, the same samples.
"""

import base64
import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from pinch.bench import runlogs
from pinch.bench.bench_questions import ReviewQuestion
from pinch.bench.book import Book
from pinch.bench.cards import Card, Report
from pinch.bench.files import read_model, read_plain
from pinch.bench.opening import new_book, open_book
from pinch.bench.photos import MOST_BYTES as MOST_PHOTO
from pinch.bench.photos import Photo
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Record, Result, Run, Setting, Workload, checked
from pinch.core.runlog import Mark
from pinch.intake.packages import is_run_package, opened_package
from pinch.sources.runlog_csv import read_run_log

INDEX, LOGS, PHOTOS = "book.json", "logs", "pictures"
MOST_BYTES = 200_000_000


class FileMark(BaseModel):
    """A mark of a run."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, defer_build=True)

    run_id: int
    t_s: float
    text: str


class BookIndex(BaseModel):
    """Everything of a book but its samples."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

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
    results: tuple[Result, ...] = ()
    acceptances: tuple[Acceptance, ...] = ()
    cards: tuple[Card, ...] = ()
    questions: tuple[ReviewQuestion, ...] = ()
    report: Report | None = None
    photos: tuple[Photo, ...] = ()

    @property
    def records(self) -> tuple[Record, ...]:
        """All records, those that others refer to first."""
        first = (*self.devices, *self.settings, *self.workloads, *self.protocols, *self.instruments)
        last = (*self.questions, *((self.report,) if self.report is not None else ()))
        return (*first, *self.plans, *self.runs, *self.readings, *self.results, *self.acceptances, *self.cards, *last)


def read_book_folder(folder: Path, target: Path) -> int:
    """Make a new book of a folder; returns its runs. Where anything in the folder is wrong, there is no book.

    Raises
    ------
    PinchError : a file of the folder cannot be read, or the book exists or cannot be written.
    """
    index = read_model(folder / INDEX, BookIndex, MOST_BYTES)
    with new_book(target) as book:
        for record in index.records:
            book.restore(record)
        for photo in index.photos:
            content = read_plain(folder / PHOTOS / photo_name(photo.id), MOST_PHOTO)
            kept = {**photo.model_dump(), "jpeg": base64.b64encode(content).decode("ascii")}
            book.restore(checked(Photo, photo_name(photo.id), **kept))
        for mark in index.marks:
            runlogs.add_mark(book, mark.run_id, Mark(mark.t_s, mark.text))
        for run in index.runs:
            for path in (folder / LOGS / name for name in (samples_name(run.id), frames_name(run.id))):
                if path.is_file():
                    runlogs.append_log(book, run.id, read_run_log(path))
    return len(index.runs)


@contextlib.contextmanager
def opened_book(source: Path) -> Iterator[Book]:
    """A book that is only read: its file, what a folder of open files holds, or the run of a data package.

    Raises
    ------
    PinchError : it cannot be read.
    """
    with contextlib.ExitStack() as stack:
        path = source
        if is_run_package(source):
            yield stack.enter_context(opened_package(source))
            return
        if is_book_folder(source):
            scratch = stack.enter_context(tempfile.TemporaryDirectory(prefix="pinch-book-"))
            path = Path(scratch) / f"{source.name or 'book'}.pinch"
            read_book_folder(source, path)
        book = open_book(path, only_read=True)
        stack.callback(book.close)
        yield book


def is_book_folder(folder: Path) -> bool:
    """Whether a folder holds a book as open files."""
    return (folder / INDEX).is_file()


def samples_name(run_id: int) -> str:
    """File name of the samples of a run."""
    return f"run-{run_id}.csv"


def photo_name(photo_id: int) -> str:
    """File name of a picture."""
    return f"picture-{photo_id}.jpg"


def frames_name(run_id: int) -> str:
    """File name of the single frames of a run."""
    return f"run-{run_id}-frames.csv"
