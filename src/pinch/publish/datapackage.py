"""A run as a Tabular Data Package: the log as CSV and `datapackage.json` beside it.

Source: the Frictionless Data specifications, Tabular Data Package v1 and Table Schema v1.
"""

import io
import json
from collections.abc import Mapping
from pathlib import Path

from pinch import __version__
from pinch.bench.files import replace_file
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.core.channels import unit_of
from pinch.core.errors import PinchError
from pinch.core.runlog import RunLog
from pinch.sources.runlog_csv import TIME, write_run_log

DESCRIPTOR = "datapackage.json"
LICENCES = {
    "CC-BY-4.0": ("Creative Commons Attribution 4.0", "https://creativecommons.org/licenses/by/4.0/"),
    "CC0-1.0": ("Creative Commons Zero 1.0", "https://creativecommons.org/publicdomain/zero/1.0/"),
}


def write_run_package(
    log: RunLog,
    folder: Path,
    name: str,
    device: Device,
    setting: Setting,
    workload: Workload,
    run: Run,
    licence: str = "CC-BY-4.0",
) -> Path:
    """Write `<name>.csv` and `datapackage.json` into `folder`, which is made where needed; returns the CSV's path.

    Both files are complete or absent, and existing ones of the same names are replaced only then.

    Raises
    ------
    PinchError : the folder holds another package, or cannot be written.
    """
    table = folder / f"{name}.csv"
    descriptor = folder / DESCRIPTOR
    if descriptor.exists() and not table.exists():
        raise PinchError(f"{folder}: there is another data package in this folder; choose an empty one.")
    text = io.StringIO()
    write_run_log(log, text)
    document = describe(log, name, device, setting, workload, run, licence)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        replace_file(table, text.getvalue().encode())
        replace_file(descriptor, (json.dumps(document, indent=2, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise PinchError(f"{error.filename or folder}: the package cannot be written ({error.strerror}).") from None
    return table


def describe(
    log: RunLog, name: str, device: Device, setting: Setting, workload: Workload, run: Run, licence: str
) -> Mapping[str, object]:
    """The descriptor of a package of one run."""
    title, link = LICENCES[licence]
    fields = [{"name": TIME, "type": "number", "unit": "s", "description": "time since the recording began"}]
    fields += [{"name": channel, "type": "number", "unit": unit_of(channel)} for channel in log.series]
    for field in fields[1:]:
        if not field["unit"]:
            del field["unit"]
    of_this_book = {"id", "device_id", "rig", "local", "untold", "archived", "shown"}
    hidden = {*of_this_book, "notes", "reach", "command", "folder", "frame_log"}  # the latter may name people and hosts
    return {
        "profile": "tabular-data-package",
        "name": name,
        "title": f"{device.name}, {setting.name}, {workload.name}, run {run.repeat}",
        "created": run.started.isoformat(),
        "licenses": [{"name": licence, "title": title, "path": link}],
        "pinch": {
            "version": __version__,
            "device": device.model_dump(mode="json", exclude=hidden),
            "setting": setting.model_dump(mode="json", exclude=hidden),
            "workload": workload.model_dump(mode="json", exclude=hidden),
            "run": run.model_dump(
                mode="json",
                include={"repeat", "started", "ambient_c", "source", "status", "reason", "samples", "void"},
            ),
            "marks": [{"t_s": mark.t_s, "text": mark.text} for mark in log.marks],
        },
        "resources": [
            {
                "profile": "tabular-data-resource",
                "name": name,
                "path": f"{name}.csv",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "schema": {"fields": fields, "missingValues": [""], "primaryKey": [TIME]},
            }
        ],
    }
