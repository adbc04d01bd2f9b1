"""A run as a Data Package: log, single frames and readings by hand as CSV, and `datapackage.json` beside them.

Source: the Data Package standard, version 2.0 (datapackage.org): Data Package, Data Resource, Table Schema.
"""

import csv
import io
import json
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from pinch import __version__
from pinch.bench.cards import Private
from pinch.bench.files import replace_file, write_whole
from pinch.bench.licences import LICENCES
from pinch.bench.readings import UNITS, Reading
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.core.channels import unit_of
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import FRAME_TIME, part_frames
from pinch.core.runlog import RunLog, Series
from pinch.publish.harmless import harmless
from pinch.publish.private import open_marks, open_part
from pinch.sources.parquet_log import parquet_bytes
from pinch.sources.runlog_csv import TIME, write_run_log

DESCRIPTOR = "datapackage.json"
PROFILE = "https://datapackage.org/profiles/2.0/{}.json"
"""Names a profile of the standard; nothing is fetched from there."""
Field = Mapping[str, object]
FRAME_FIELDS: tuple[Field, ...] = (
    {"name": TIME, "type": "number", "unit": "s", "description": "end of the frame"},
    {"name": "frame_ms", "type": "number", "unit": "ms"},
)
READING_FIELDS: tuple[Field, ...] = (
    {"name": TIME, "type": "number", "unit": "s"},
    {"name": "quantity", "type": "string"},
    {"name": "value", "type": "number"},
    {"name": "unit", "type": "string"},
    {"name": "u", "type": "number", "description": "standard uncertainty"},
    {"name": "low", "type": "number", "description": "lowest seen"},
    {"name": "high", "type": "number", "description": "highest seen"},
    {"name": "phase", "type": "string", "description": "idle, load or end; empty: under load"},
    {"name": "place", "type": "string"},
    {"name": "distance_mm", "type": "number", "unit": "mm"},
    {"name": "instrument", "type": "string"},
)
RUN_FIELDS = (
    *("repeat", "started", "undated", "ambient_c", "source", "status", "reason", "samples", "void", "notes", "before"),
    *("in_spite_of", "window"),
)
"""What of a run says something to others."""
READING_NAMES = {str(f["name"]) for f in READING_FIELDS} - {"unit"}


def write_run_package(
    log: RunLog,
    folder: Path,
    name: str,
    device: Device,
    setting: Setting,
    workload: Workload,
    run: Run,
    readings: Sequence[Reading] = (),
    licence: str = "CC-BY-4.0",
    allowed: Collection[Private] = (),
) -> Path:
    """Write `<name>.csv` and `datapackage.json` into `folder`, which is made where needed; returns the CSV's path.
    Where there are any, single frames go into `<name>-frames.csv` and readings into `<name>-readings.csv`. What is
    private goes out only where it is allowed.

    Each file is complete or absent, and existing ones of the same names are replaced only then.

    Raises
    ------
    PinchError : the folder holds another package, or cannot be written.
    """
    table = folder / f"{name}.csv"
    descriptor = folder / DESCRIPTOR
    if descriptor.exists() and not table.exists():
        raise PinchError(f"{folder}: there is another data package in this folder; choose an empty one.")
    samples, frames = part_frames(log)
    parts = {table: log_csv(samples)}
    resources = [resource(name, log_fields(samples), [TIME])]
    if FRAME_TIME in frames.series:
        parts[folder / f"{name}-frames.csv"] = frames_csv(frames.series[FRAME_TIME])[1]
        resources.append(resource(f"{name}-frames", FRAME_FIELDS, []))
    if readings:
        parts[folder / f"{name}-readings.csv"] = _readings_of(readings)
        resources.append(resource(f"{name}-readings", READING_FIELDS, []))
    document = {**describe(log, name, device, setting, workload, run, licence, allowed), "resources": resources}
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path, text in parts.items():
            replace_file(path, text.encode())
        replace_file(descriptor, (json.dumps(document, indent=2, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise PinchError(f"{error.filename or folder}: the package cannot be written ({error.strerror}).") from None
    return table


def about_run(device: Device, setting: Setting, workload: Workload, run: Run, licence: str) -> dict[str, str]:
    """What a file that stands alone says of itself."""
    said = {"device": device.name, "setting": setting.name, "workload": workload.name, "run": str(run.id)}
    started = {} if run.undated else {"started": run.started.isoformat()}
    return said | started | ({"licence": licence} if licence else {}) | {"made_with": f"Pinch {__version__}"}


def write_parquet(log: RunLog, path: Path, about: Mapping[str, str]) -> tuple[Path, ...]:
    """A run's log as Parquet, with what it is of; its single frames go into `NAME-frames.parquet` beside
    it. Returns what was written.

    Raises
    ------
    DataError : the log holds nothing, or a file cannot be written.
    """
    samples, frames = part_frames(log)
    parts = {path: samples, path.with_name(f"{path.stem}-frames{path.suffix}"): frames}
    filled = {target: part for target, part in parts.items() if any(len(s.t) for s in part.series.values())}
    if not filled:
        raise DataError(str(path), "the run has no log, so there is nothing to write")
    for target, part in filled.items():
        write_whole(target, parquet_bytes(part, about))
    return tuple(filled)


def describe(
    log: RunLog,
    name: str,
    device: Device,
    setting: Setting,
    workload: Workload,
    run: Run,
    licence: str,
    allowed: Collection[Private] = (),
) -> Mapping[str, object]:
    """The descriptor of a package of one run, without its resources; what is private only where it is allowed."""
    title, link = LICENCES[licence]
    return {
        "$schema": PROFILE.format("datapackage"),
        "name": name,
        "title": f"{device.name}, {setting.name}, {workload.name}, run {run.repeat}",
        "created": run.started.isoformat(),
        "licenses": [{"name": licence, "title": title, "path": link}],
        "pinch": {
            "version": __version__,
            "device": open_part(device, allowed, "id"),
            "setting": open_part(setting, allowed, "id", "device_id"),
            "workload": open_part(workload, allowed, "id"),
            "run": {key: value for key, value in open_part(run, allowed).items() if key in RUN_FIELDS},
            "marks": open_marks(log.marks, allowed),
        },
    }


def log_fields(log: RunLog) -> list[Field]:
    """The fields of a run log with their units."""
    fields: list[Field] = [
        {"name": TIME, "type": "number", "unit": "s", "description": "time since the recording began"}
    ]
    for channel in log.series:
        unit = unit_of(channel)
        fields.append({"name": channel, "type": "number", **({"unit": unit} if unit else {})})
    return fields


def resource(
    name: str, fields: Sequence[Field], key: list[str], path: str = "", of_runs: bool = False
) -> Mapping[str, object]:
    """A resource of a descriptor; its file is `NAME.csv` where no `path` is given. Where it is `of_runs`, its field
    *run* names rows of the resource *runs*."""
    schema = {"$schema": PROFILE.format("tableschema"), "fields": list(fields), "missingValues": [""]}
    schema |= {"primaryKey": key} if key else {}
    refers = {"fields": ["run"], "reference": {"resource": "runs", "fields": ["run"]}}
    schema |= {"foreignKeys": [refers]} if of_runs else {}
    return {
        "$schema": PROFILE.format("dataresource"),
        "type": "table",
        "name": name,
        "path": path or f"{name}.csv",
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        "schema": schema,
    }


def log_csv(log: RunLog) -> str:
    """Samples as CSV in the form of a run log."""
    text = io.StringIO()
    write_run_log(log, text)
    return text.getvalue()


def frames_csv(frames: Series) -> tuple[Sequence[Field], str]:
    """Single frames: their fields, and the CSV."""
    rows = (f"{t!r},{ms!r}" for t, ms in zip(frames.t.tolist(), frames.values.tolist(), strict=True))
    return FRAME_FIELDS, "\n".join([",".join(str(f["name"]) for f in FRAME_FIELDS), *rows, ""])


def _readings_of(readings: Sequence[Reading]) -> str:
    text = io.StringIO()
    table = csv.DictWriter(text, [str(f["name"]) for f in READING_FIELDS], lineterminator="\n")
    table.writeheader()
    for reading in readings:
        row = {**reading.model_dump(mode="json", include=READING_NAMES), "unit": UNITS[reading.quantity]}
        table.writerow({name: harmless(cell) if isinstance(cell, str) else cell for name, cell in row.items()})
    return text.getvalue()
