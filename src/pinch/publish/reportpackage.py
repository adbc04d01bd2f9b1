"""The open data of a report as one Data Package: logs, frames, runs, figures, readings, and a table a card.

Source: the Data Package standard, version 2.0 (datapackage.org).
"""

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from pinch import __version__
from pinch.analysis.plain_tables import Column, Table
from pinch.bench.cards import Private
from pinch.bench.files import replace_file
from pinch.bench.licences import LICENCES
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_TIME, part_frames
from pinch.core.progress import Progress, tell, unheard
from pinch.core.runlog import RunLog
from pinch.language import tr
from pinch.publish.datapackage import DESCRIPTOR, PROFILE, frames_csv, log_csv, log_fields, resource
from pinch.publish.private import Behind, open_part, open_table
from pinch.publish.table_files import csv_text

RUNS, RUN = "runs", "run"
OF_RUNS = ("figures", "readings", "results")
"""Tables whose rows are of runs of the table of runs."""


class PackageChoice(Struct, frozen=True):
    """The licence, and which private things are left in."""

    licence: str = "CC-BY-4.0"
    private: Collection[Private] = ()


class Package(Struct, frozen=True):
    """What goes into a package: its title and words, who wrote it for which publication, the records and tables, and
    how the log of a run is had."""

    title: str
    description: str
    author: str
    publication: str
    day: str
    behind: Behind
    tables: Sequence[Table]
    log: Callable[[int], RunLog]


def write_report_package(package: Package, folder: Path, choice: PackageChoice, progress: Progress = unheard) -> Path:
    """Write the CSV files and, last, `datapackage.json` into a folder, which is made where needed; returns the
    descriptor's path. Without a descriptor nobody takes the folder for whole.

    Raises
    ------
    PinchError : an unknown licence, or a file cannot be written.
    CancelledError : `progress` answered False.
    """
    if choice.licence not in LICENCES:
        raise PinchError(
            tr(
                "There is no licence {licence!r} here; choose {licences}.",
                licence=choice.licence,
                licences=" or ".join(LICENCES),
            )
        )
    descriptor = folder / DESCRIPTOR
    resources: list[Mapping[str, object]] = []
    try:
        (folder / "logs").mkdir(parents=True, exist_ok=True)
        logs: list[Mapping[str, object]] = []
        for number, run in enumerate(package.behind.runs):
            tell(progress, number / len(package.behind.runs))
            logs += _write_log(folder, run.id, package.log(run.id))
        written = {str(log["path"]) for log in logs}
        for table in package.tables:
            cleaned = open_table(table, choice.private)
            if table.name == RUNS:
                cleaned = _with_logs(cleaned, written)
            replace_file(folder / f"{table.name}.csv", csv_text(cleaned, with_units=False).encode())
            key = [RUN] if table.name == RUNS else []
            resources.append(resource(table.name, _fields(cleaned), key, of_runs=table.name in OF_RUNS))
        resources += logs
        document = {**_described(package, choice), "resources": resources}
        replace_file(descriptor, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise PinchError(
            tr(
                "{filename}: the package cannot be written ({strerror}).",
                filename=error.filename or folder,
                strerror=error.strerror,
            )
        ) from None
    return descriptor


def _with_logs(runs: Table, written: Collection[str]) -> Table:
    """The table of runs with the files that hold the log and the single frames of each."""
    at = [c.name for c in runs.columns].index(RUN)
    paths = [[f"logs/run-{row[at]}{ending}.csv" for ending in ("", "-frames")] for row in runs.rows]
    rows = tuple(
        (*row, *(path if path in written else None for path in own)) for row, own in zip(runs.rows, paths, strict=True)
    )
    return replace(runs, columns=(*runs.columns, Column("log"), Column("frames")), rows=rows)


def _write_log(folder: Path, run_id: int, log: RunLog) -> list[Mapping[str, object]]:
    samples, frames = part_frames(log)
    written = []
    if any(len(s.t) for s in samples.series.values()):
        name = f"run-{run_id}"
        replace_file(folder / "logs" / f"{name}.csv", log_csv(samples).encode())
        written.append(resource(name, log_fields(samples), ["t_s"], f"logs/{name}.csv"))
    if FRAME_TIME in frames.series:
        name = f"run-{run_id}-frames"
        fields, text = frames_csv(frames.series[FRAME_TIME])
        replace_file(folder / "logs" / f"{name}.csv", text.encode())
        written.append(resource(name, fields, [], f"logs/{name}.csv"))
    return written


def _fields(table: Table) -> list[Mapping[str, object]]:
    """Fields of a table with their types, by what stands in them."""
    fields: list[Mapping[str, object]] = []
    for n, column in enumerate(table.columns):
        cells = [row[n] for row in table.rows if row[n] not in (None, "")]
        kind = _type(cells)
        more = {"trueValues": ["yes"], "falseValues": ["no"]} if kind == "boolean" else {}
        unit = {"unit": column.unit} if column.unit else {}
        fields.append({"name": column.name, "type": kind, **unit, **more})
    return fields


def _type(cells: Sequence[object]) -> str:
    if cells and all(isinstance(c, bool) for c in cells):
        return "boolean"
    if cells and all(isinstance(c, int) and not isinstance(c, bool) for c in cells):
        return "integer"
    if cells and all(isinstance(c, int | float) and not isinstance(c, bool) for c in cells):
        return "number"
    return "datetime" if cells and all(isinstance(c, datetime) for c in cells) else "string"


def _described(package: Package, choice: PackageChoice) -> Mapping[str, object]:
    title, link = LICENCES[choice.licence]
    contributors = [
        {"title": name, "roles": [role]}
        for name, role in ((package.author, "author"), (package.publication, "publisher"))
        if name
    ]
    b, allowed = package.behind, choice.private
    records = {
        "devices": [open_part(d, allowed) for d in b.devices],
        "settings": [open_part(s, allowed) for s in b.settings],
        "workloads": [open_part(w, allowed) for w in b.workloads],
        "protocols": [open_part(p, allowed) for p in b.protocols],
        "instruments": [open_part(i, allowed) for i in b.instruments],
    }
    return {
        "$schema": PROFILE.format("datapackage"),
        "name": "report-data",
        "title": package.title,
        "description": package.description,
        "created": f"{package.day}T00:00:00Z",
        "licenses": [{"name": choice.licence, "title": title, "path": link}],
        **({"contributors": contributors} if contributors else {}),
        "pinch": {"version": __version__, **records},
    }
