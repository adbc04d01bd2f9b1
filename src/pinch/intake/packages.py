"""Pinch's own data package of a run, read back: log, single frames and readings with what describes them."""

import contextlib
import csv
import json
import tempfile
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.files import open_plain
from pinch.bench.opening import new_book, open_book
from pinch.bench.readings import Reading
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload, now
from pinch.bench.refused import problem_of
from pinch.core.errors import DataError, PinchError
from pinch.core.runlog import Mark, RunLog
from pinch.language import tr
from pinch.sources.runlog_csv import read_run_log

DESCRIPTOR, OWN = "datapackage.json", "pinch"
MOST_BYTES, MOST_READINGS = 2_000_000, 20_000
FRAMES, READINGS = "-frames", "-readings"


def is_run_package(folder: Path) -> bool:
    """Whether a folder holds the data package of one run."""
    with contextlib.suppress(PinchError):
        return {"device", "setting", "workload", "run"} <= set(_own_of(folder)[1])
    return False


@contextlib.contextmanager
def opened_package(folder: Path) -> Iterator[Book]:
    """The run of a package as a book of its own, which is only read.

    Raises
    ------
    PinchError : a file of it cannot be read, or says what makes no sense.
    """
    name, own = _own_of(folder)
    with tempfile.TemporaryDirectory(prefix="pinch-package-") as scratch:
        path = Path(scratch) / f"{name}.pinch"
        with new_book(path) as book:
            _fill(book, folder, name, own)
        book = open_book(path, only_read=True)
        try:
            yield book
        finally:
            book.close()


def _own_of(folder: Path) -> tuple[str, Mapping[str, Any]]:
    """The name of a package, and what Pinch says in it."""
    path = folder / DESCRIPTOR
    try:
        with open_plain(path) as file:
            document = json.loads(file.read(MOST_BYTES))
        name, own = document["name"], document[OWN]
    except (ValueError, KeyError, TypeError, OSError) as error:
        raise DataError(str(path), tr("it is no data package of Pinch ({name})", name=type(error).__name__)) from None
    if not isinstance(own, Mapping) or not isinstance(name, str) or name != Path(name).name:
        raise DataError(str(path), tr("it is no data package of Pinch"))
    return name, own


def _fill(book: Book, folder: Path, name: str, own: Mapping[str, Any]) -> None:
    try:
        device = book.save(Device(**own["device"]))
        setting = book.save(Setting(**own["setting"], device_id=device.id))
        workload = book.save(Workload(**{**own["workload"], "variant_of": None}))
        ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": workload.id}
        said = {**own["run"], "void": _void_of(own["run"].get("void", ""))}
        dated = {} if "started" in said else {"started": now(), "undated": True}
        run = book.save(Run(**{"status": ExitStatus.COMPLETE, **said, **dated, **ids}))
        marks = [Mark(float(m["t_s"]), str(m["text"])) for m in own.get("marks", ())]
    except ValidationError as error:
        raise DataError(str(folder / DESCRIPTOR), ": ".join(problem_of(error))) from None
    except (TypeError, KeyError, ValueError, AttributeError) as error:
        raise DataError(str(folder / DESCRIPTOR), tr("it says what makes no sense ({error})", error=error)) from None
    log = read_run_log(folder / f"{name}.csv")
    frames = folder / f"{name}{FRAMES}.csv"
    if frames.is_file():
        log = RunLog({**log.series, **read_run_log(frames).series})
    run = runlogs.add_log(book, run, log)
    for mark in marks:
        runlogs.add_mark(book, run.id, mark)
    table = folder / f"{name}{READINGS}.csv"
    if table.is_file():
        for reading in _readings(table, run):
            book.save(reading)


def _void_of(said: object) -> str:
    """Why a run does not count; a package that keeps the reason to itself says only that it does not."""
    return said if isinstance(said, str) else tr("it did not count where it came from") if said else ""


def _readings(path: Path, run: Run) -> list[Reading]:
    found = []
    with open_plain(path) as file:
        rows = csv.DictReader(file.read(MOST_BYTES).decode("utf-8", "replace").splitlines())
    for line, row in enumerate(rows, 2):
        fields = {key: value for key, value in row.items() if value not in ("", None) and key != "unit"}
        try:
            found.append(Reading(run_id=run.id, taken=run.started, **fields))  # type: ignore[arg-type]
        except (ValidationError, TypeError) as error:
            why = ": ".join(problem_of(error)) if isinstance(error, ValidationError) else str(error)
            raise DataError(str(path), why, line) from None
        if len(found) > MOST_READINGS:
            raise DataError(str(path), tr("it has more than {most_readings} readings", most_readings=MOST_READINGS))
    return found
