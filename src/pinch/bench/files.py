"""Files that are written whole or not at all, and records that are written to and read from them."""

import contextlib
import json
import os
import stat
from collections.abc import Iterator
from pathlib import Path
from typing import IO, TypeVar

from pydantic import BaseModel, ValidationError

from pinch.bench.refused import problem_of
from pinch.bench.staging import staged
from pinch.core.errors import DataError
from pinch.language import tr

M = TypeVar("M", bound=BaseModel)


def replace_file(path: Path, content: bytes) -> None:
    """Write a file; one that exists is replaced only once all of the new one is there.

    Raises
    ------
    OSError : it cannot be written; then nothing has changed.
    """
    with staged(path) as part:
        part.write_bytes(content)


@contextlib.contextmanager
def open_plain(path: Path) -> Iterator[IO[bytes]]:
    """A plain file, open for reading: a pipe or a device is not waited for.

    Raises
    ------
    DataError : it is missing, no plain file, or unreadable.
    """
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    except FileNotFoundError:
        raise DataError(str(path), tr("there is no such file")) from None
    except (OSError, ValueError) as error:
        raise DataError(
            str(path), tr("it cannot be read ({reason})", reason=getattr(error, "strerror", error))
        ) from None
    if not stat.S_ISREG(os.fstat(descriptor).st_mode):
        os.close(descriptor)
        raise DataError(str(path), tr("it is not a plain file"))
    with os.fdopen(descriptor, "rb") as file:
        try:
            yield file
        except OSError as error:
            raise DataError(str(path), tr("it cannot be read ({strerror})", strerror=error.strerror)) from None


def read_plain(path: Path, most_bytes: int) -> bytes:
    """Everything in a plain file; nothing endless is read.

    Raises
    ------
    DataError : as `open_plain`, or it is too large.
    """
    with open_plain(path) as file:
        data = file.read(most_bytes + 1)
    refuse_larger(path, len(data), most_bytes)
    return data


def refuse_larger(path: Path, size: int, most_bytes: int) -> None:
    """Refuse a file by its size.

    Raises
    ------
    DataError : it is larger than `most_bytes`.
    """
    if size > most_bytes:
        most = (
            tr("{most_bytes:g} GB", most_bytes=most_bytes / 1e9)
            if most_bytes >= 1e9
            else tr("{most_bytes:g} MB", most_bytes=most_bytes / 1e6)
        )
        raise DataError(str(path), tr("it is larger than {most}", most=most))


def read_model(path: Path, model: type[M], most_bytes: int) -> M:
    """A record that was written as JSON.

    Raises
    ------
    DataError : it cannot be read, is too large, is no JSON, or a field makes no sense; the sentence names the place.
    """
    try:
        document = json.loads(read_plain(path, most_bytes).decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise DataError(str(path), tr("it is not UTF-8 text")) from None
    except json.JSONDecodeError as error:
        raise DataError(str(path), tr("it is not JSON: {msg}", msg=error.msg), error.lineno) from None
    except RecursionError:
        raise DataError(str(path), tr("it is nested too deeply")) from None
    try:
        return model.model_validate(document)
    except ValidationError as error:
        place, reason = problem_of(error)
        raise DataError(str(path), f"{place or tr('the document')}: {reason}") from None


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
        raise not_written(error, path) from None


def not_written(error: OSError, place: Path) -> DataError:
    """That something cannot be written, and why: the file that the error names, else the place."""
    return DataError(str(error.filename or place), tr("it cannot be written ({strerror})", strerror=error.strerror))
