"""Files that are written whole or not at all, and records that are written to and read from them."""

import json
import os
import tempfile
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from pinch.bench.records import problem_of
from pinch.core.errors import DataError

M = TypeVar("M", bound=BaseModel)


def replace_file(path: Path, content: bytes) -> None:
    """Write a file; one that exists is replaced only once all of the new one is there.

    Raises
    ------
    OSError : it cannot be written; then nothing has changed.
    """
    handle, part = tempfile.mkstemp(dir=path.parent, prefix=path.name, suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        os.chmod(part, 0o644)
        os.replace(part, path)
    except OSError:
        Path(part).unlink(missing_ok=True)
        raise


def read_model(path: Path, model: type[M], most_bytes: int) -> M:
    """A record that was written as JSON.

    Raises
    ------
    DataError : it cannot be read, is too large, is no JSON, or a field makes no sense; the sentence names the place.
    """
    try:
        if path.stat().st_size > most_bytes:
            raise DataError(str(path), f"it is larger than {most_bytes / 1e6:g} MB")
        document = json.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise DataError(str(path), f"it cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise DataError(str(path), "it is not UTF-8 text") from None
    except json.JSONDecodeError as error:
        raise DataError(str(path), f"it is not JSON: {error.msg}", error.lineno) from None
    except RecursionError:
        raise DataError(str(path), "it is nested too deeply") from None
    try:
        return model.model_validate(document)
    except ValidationError as error:
        place, reason = problem_of(error)
        raise DataError(str(path), f"{place or 'the document'}: {reason}") from None


def write_model(record: BaseModel, path: Path) -> None:
    """Write a record as JSON, for editing and for `read_model`.

    Raises
    ------
    DataError : the file cannot be written.
    """
    write_whole(path, (record.model_dump_json(indent=1) + "\n").encode())


def write_whole(path: Path, content: bytes) -> None:
    """As `replace_file`.

    Raises
    ------
    DataError : the file cannot be written; then nothing has changed.
    """
    try:
        replace_file(path, content)
    except OSError as error:
        raise DataError(str(path), f"it cannot be written ({error.strerror})") from None
