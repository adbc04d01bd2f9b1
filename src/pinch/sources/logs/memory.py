"""Mappings that somebody has answered, by the fingerprint of the header: asked once, never again."""

import contextlib
from pathlib import Path

import platformdirs

from pinch.core.errors import DataError
from pinch.sources.logs.mapping import Mapping, read_mapping, write_mapping


def recall(key: str) -> Mapping | None:
    """The mapping of a header, None where nobody has answered; a file that is broken answers nothing."""
    with contextlib.suppress(DataError):
        return read_mapping(_path(key))
    return None


def remember(key: str, mapping: Mapping) -> None:
    """Keep an answer.

    Raises
    ------
    DataError : the user's configuration cannot be written.
    """
    path = _path(key)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DataError(str(path), f"it cannot be written ({error.strerror})") from None
    write_mapping(mapping, path)


def _path(key: str) -> Path:
    return Path(platformdirs.user_config_dir("pinch")) / "mappings" / f"{key}.json"
