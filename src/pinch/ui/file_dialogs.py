"""Asking for files and folders, beginning where the last one of its kind was."""

import os
import re
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from pinch.language import tr
from pinch.ui.dialogs import agrees
from pinch.ui.preferences import Key
from pinch.ui.remembering import preferences_of

READ, WRITTEN = Key("folders/read", ""), Key("folders/written", "")


def open_name(parent: QWidget, title: str, kinds: str) -> Path | None:
    """A file to read; None for none."""
    name, _ = QFileDialog.getOpenFileName(parent, title, _last_folder(parent, READ), kinds)
    return _read_from(parent, Path(name)) if name else None


def open_names(parent: QWidget, title: str, kinds: str) -> list[Path]:
    """Files to read."""
    names, _ = QFileDialog.getOpenFileNames(parent, title, _last_folder(parent, READ), kinds)
    return [_read_from(parent, Path(name)) for name in names]


def folder_name(parent: QWidget, title: str, last: Key = READ) -> Path | None:
    """A folder to read from, or to write into; None for none."""
    name = QFileDialog.getExistingDirectory(parent, title, _last_folder(parent, last))
    if not name:
        return None
    _keep_folder(parent, last, Path(name).parent)
    return Path(name)


def save_name(parent: QWidget, title: str, name: str, kinds: str) -> Path | None:
    """Where a file is to be written; None for nowhere. A name without an ending gets that of the chosen kind, and where
    nothing can be written is asked again."""
    offered = Path(_last_folder(parent, WRITTEN)) / name
    while True:
        chosen, kind = QFileDialog.getSaveFileName(parent, title, str(offered), kinds)
        if not chosen:
            return None
        offered = with_ending(Path(chosen), kind or kinds)
        reason = why_not_written(offered)
        if reason:
            QMessageBox.warning(parent, title, reason)
        elif (
            offered == Path(chosen)
            or not offered.exists()
            or agrees(parent, title, tr("{offered} is there: replace it?", offered=offered))
        ):
            _keep_folder(parent, WRITTEN, offered.parent)
            return offered


def with_ending(path: Path, kind: str) -> Path:
    """The path, with the first ending of a kind such as `Pictures (*.png *.svg)` where it has none; the figures of
    `test 1.2` are none."""
    found = re.search(r"\*(\.\w+)", kind)
    has_one = path.suffix and not path.suffix[1:].isdigit()
    return path if has_one or found is None else path.with_name(path.name + found.group(1))


def why_not_written(path: Path) -> str:
    """Why no file can be written there; empty where one can."""
    if path.is_dir():
        return tr("{path} is a folder.", path=path)
    if not path.parent.is_dir():
        return tr("There is no folder {parent}.", parent=path.parent)
    there = path if path.exists() else path.parent
    return "" if os.access(there, os.W_OK) else tr("Nothing may be written to {there}.", there=there)


def _read_from(parent: QWidget, path: Path) -> Path:
    _keep_folder(parent, READ, path.parent)
    return path


def _last_folder(parent: QWidget, last: Key) -> str:
    """Empty where none was used, or where it is gone."""
    preferences = preferences_of(parent)
    folder = preferences.get(last) if preferences is not None else ""
    return folder if Path(folder).is_dir() else ""


def _keep_folder(parent: QWidget, last: Key, folder: Path) -> None:
    preferences = preferences_of(parent)
    if preferences is not None:
        preferences.set(last, str(folder))
