"""A whole book as a folder of open files, as `intake.book_folder` reads it back: the operator's own copy, with all that
is private in it."""

import io
import json
from collections.abc import Callable
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.files import not_written, replace_file
from pinch.bench.photos import Photo
from pinch.core.errors import PinchError
from pinch.core.frames import part_frames
from pinch.core.runlog import RunLog
from pinch.intake.book_folder import INDEX, LOGS, PHOTOS, BookIndex, FileMark, frames_name, photo_name, samples_name
from pinch.language import tr
from pinch.sources.runlog_csv import write_run_log


def write_book_folder(book: Book, folder: Path, progress: Callable[[float], bool] = lambda share: True) -> int:
    """Write a book into a folder, which is made where needed and must not hold another book; returns the runs written.
    Where `progress` answers False the rest is left, and there is no index, so that nobody takes it for whole.

    Raises
    ------
    PinchError : the folder holds a book already, or cannot be written.
    """
    if (folder / INDEX).exists():
        raise PinchError(tr("{folder}: there is a book in this folder already; choose an empty one.", folder=folder))
    index, logs = index_of(book), folder / LOGS
    try:
        logs.mkdir(parents=True, exist_ok=True)
        for number, run in enumerate(index.runs):
            if not progress(number / len(index.runs)):
                return number
            log = runlogs.read_log(book, run.id)
            for name, part in _parts(run.id, log).items():
                text = io.StringIO()
                write_run_log(part, text)
                replace_file(logs / name, text.getvalue().encode())
        if index.photos:
            (folder / PHOTOS).mkdir(exist_ok=True)
        for photo in index.photos:
            replace_file(folder / PHOTOS / photo_name(photo.id), book.get(Photo, photo.id).content)
        document = json.dumps(index.model_dump(mode="json"), indent=1, ensure_ascii=False)
        replace_file(folder / INDEX, (document + "\n").encode())
    except OSError as error:
        raise not_written(error, folder) from None
    return len(index.runs)


def index_of(book: Book) -> BookIndex:
    """Everything of a book but its samples and what its pictures show; runs that were removed stay behind."""
    devices, runs, report = book.devices(), book.runs(), book.report()
    marks = [
        FileMark(run_id=run.id, t_s=mark.t_s, text=mark.text) for run in runs for mark in runlogs.marks_of(book, run.id)
    ]
    return BookIndex(
        devices=tuple(devices),
        settings=tuple(s for d in devices for s in book.settings(d.id)),
        workloads=tuple(book.workloads()),
        protocols=tuple(book.protocols()),
        instruments=tuple(book.instruments()),
        plans=tuple(book.plans()),
        runs=tuple(runs),
        marks=tuple(marks),
        readings=tuple(r for run in runs for r in book.readings(run.id)),
        results=tuple(r for r in book.results() if r.run_id is None or any(r.run_id == run.id for run in runs)),
        acceptances=tuple(book.acceptances()),
        questions=tuple(book.questions()),
        cards=tuple(book.cards()),
        report=report if report.kept_id is not None else None,
        photos=tuple(photo.model_copy(update={"jpeg": ""}) for photo in book.all_photos()),
    )


def _parts(run_id: int, log: RunLog) -> dict[str, RunLog]:
    """The tables of a log by file name: its samples, and its single frames; one without values is left out."""
    named = zip((samples_name(run_id), frames_name(run_id)), part_frames(log), strict=True)
    filled = {name: {n: s for n, s in part.series.items() if len(s.t)} for name, part in named}
    return {name: RunLog(series) for name, series in filled.items() if series}
