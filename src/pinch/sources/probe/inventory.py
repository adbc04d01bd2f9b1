"""What is read from where, by whom it may be read, and what is lacking: one JSON object."""

import json
import os
import stat

from pinch.sources.probe.discovery import lacks
from pinch.sources.probe.kernel_files import SensorFile, Tree
from pinch.sources.probe.kernel_numbers import Columns, Sensor

EVERYBODY = "everybody"


def listing_of(tree: Tree, columns: Columns, states: dict[str, SensorFile], values: dict[str, float | None]) -> str:
    """`channels` with their files and values, `states` in words, `refused` files, and `lacking` with where and why."""
    channels = []
    for name, sensor in columns.sensors.items():
        files, value = files_of(sensor), values.get(name)
        channels.append(
            {
                "channel": name,
                "files": [file.path for file in files],
                "label": _label(tree, files[0].path) if files else "",
                "value": None if value is None else round(value, 3),
                "readable_by": next((w for file in files if (w := readable_by(file.path)) != EVERYBODY), EVERYBODY),
            }
        )
    told = [
        {"what": what, "file": file.path, "value": " ".join(file.text.split()), "readable_by": readable_by(file.path)}
        for what, file in states.items()
    ]
    refused = [{"file": path, "why": why, "readable_by": readable_by(path)} for path, why in tree.refused]
    lacking = [
        {"what": lack.what, "place": lack.place, "why": lack.why, "refused": lack.refused}
        for lack in lacks(tree, columns)
    ]
    return json.dumps({"channels": channels, "states": told, "refused": refused, "lacking": lacking})


def files_of(sensor: Sensor) -> list[SensorFile]:
    """The files that a sensor reads."""
    found: list[SensorFile] = []
    for part in vars(sensor).values():
        for each in part if isinstance(part, list | tuple) else (part,):
            if isinstance(each, SensorFile):
                found.append(each)
            elif hasattr(each, "__dict__") and not isinstance(each, type):
                found += files_of(each)
    return list(dict.fromkeys(found))


def readable_by(path: str) -> str:
    """Who may read a file, by its mode: everybody, a group or its owner alone."""
    try:
        found = os.stat(path)
    except OSError:
        return "nobody now"
    if found.st_mode & stat.S_IROTH:
        return EVERYBODY
    if found.st_mode & stat.S_IRGRP:
        return f"the group {_name_of(found.st_gid, of_group=True)}"
    return f"{_name_of(found.st_uid, of_group=False)} only"


def _name_of(number: int, of_group: bool) -> str:
    import grp
    import pwd

    try:
        return grp.getgrgid(number).gr_name if of_group else pwd.getpwuid(number).pw_name
    except KeyError:
        return str(number)


def _label(tree: Tree, path: str) -> str:
    """The label that stands beside a file, such as that of a fan."""
    folder, _, name = path.rpartition("/")
    return tree.text(os.path.relpath(folder, tree.root), f"{name.partition('_')[0]}_label")
