"""How tables are meant, as somebody has answered, by the fingerprint of the header: asked once, never again."""

import contextlib
from pathlib import Path
from typing import TypeVar

import platformdirs
from pydantic import BaseModel

from pinch.bench.files import not_written, read_model, write_model
from pinch.core.errors import DataError
from pinch.sources.logs.mapping import MOST_BYTES

M = TypeVar("M", bound=BaseModel)


def recall(key: str, model: type[M]) -> M | None:
    """The answer for a header, None where nobody has given one; a file that is broken answers nothing."""
    with contextlib.suppress(DataError):
        return read_model(_path(key), model, MOST_BYTES)
    return None


def remember(key: str, answer: BaseModel) -> None:
    """Keep an answer.

    Raises
    ------
    DataError : the user's configuration cannot be written.
    """
    path = _path(key)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise not_written(error, path) from None
    write_model(answer, path)


def _path(key: str) -> Path:
    return Path(platformdirs.user_config_dir("pinch")) / "mappings" / f"{key}.json"
