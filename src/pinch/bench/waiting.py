"""What a recording could not keep in its book yet: operations that wait, in memory and in a file beside the book.

A waiting file is JSON lines, one operation a line in order. Its name says which run and which process it is
of. What a killed process left is taken into the book when that is opened for work the next time.
"""

import base64
import contextlib
import errno
import hashlib
import os
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Annotated, Literal

import platformdirs
from msgspec import Struct
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from pinch.bench import chunks, runlogs
from pinch.bench.book import Book
from pinch.bench.records import ExitStatus, Pass, Run
from pinch.bench.staging import is_alive, this_process
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray, Mark
from pinch.language import tr

MOST_BYTES = 500_000_000
MOST_LINE = 50_000_000
_NAME = re.compile(r"\.run-(?P<run>\d+)\.(?P<process>[0-9a-f]{8}-\d+)\.waiting")


class Operation(BaseModel):
    """Something to be kept of a run."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class Begin(Operation):
    """A new stream: its number in this recording, and its channels."""

    kind: Literal["begin"] = "begin"
    stream: int
    channels: tuple[str, ...]


class Samples(Operation):
    """Samples of a stream, packed as in the book, in base 64."""

    kind: Literal["samples"] = "samples"
    stream: int
    packed: str

    @classmethod
    def of(cls, stream: int, t: FloatArray, columns: list[FloatArray]) -> "Samples":
        """Times in s and columns of values."""
        return cls(stream=stream, packed=base64.b64encode(chunks.pack(t, columns)).decode("ascii"))

    def unpacked(self, place: str) -> tuple[FloatArray, list[FloatArray]]:
        """Times in s and columns of values.

        Raises
        ------
        DataError : they are damaged.
        """
        return chunks.unpack(base64.b64decode(self.packed), place)


class FreshSamples(Struct, frozen=True):
    """Samples of a stream as they came: packed only where they have to wait on the disk."""

    stream: int
    t: FloatArray
    columns: list[FloatArray]

    @property
    def operation(self) -> Samples:
        """The same for a waiting file."""
        return Samples.of(self.stream, self.t, self.columns)


class Marked(Operation):
    """A mark."""

    kind: Literal["mark"] = "mark"
    t_s: float
    text: str


class Ended(Operation):
    """The stop."""

    kind: Literal["end"] = "end"
    status: ExitStatus
    reason: str
    passes: tuple[Pass, ...] = ()


_OPERATION: TypeAdapter[Begin | Samples | Marked | Ended] = TypeAdapter(
    Annotated[Begin | Samples | Marked | Ended, Field(discriminator="kind")]
)


class RunWriter:
    """Applies operations to a run of a book; remembers which stream is which. A stream goes on where the run has one of
    the same channels that this one continues, so that nothing is kept twice when a waiting file is taken in again."""

    def __init__(self, book: Book, run_id: int, streams: dict[int, int] | None = None, joins: bool = False) -> None:
        self._book, self._run_id, self._joins = book, run_id, joins
        self.streams = dict(streams or {})

    def apply(self, operation: Operation | FreshSamples) -> None:
        """Do one of them.

        Raises
        ------
        PinchError : the book does not take it, or it makes no sense.
        """
        match operation:
            case Begin(stream=number, channels=channels):
                self.streams[number] = self._stream(channels)
            case FreshSamples(stream=number, t=t, columns=columns):
                self._append(number, t, columns)
            case Samples(stream=number):
                self._append(number, *operation.unpacked(tr("a waiting file")))
            case Marked(t_s=t_s, text=text):
                runlogs.add_mark(self._book, self._run_id, Mark(t_s, text))
            case Ended(status=status, reason=reason, passes=passes):
                run = self._book.get(Run, self._run_id)  # the operator may have written notes meanwhile
                runlogs.stop_run(self._book, run, status, reason, (*run.passes, *passes))

    def _stream(self, channels: Sequence[str]) -> int:
        known = runlogs.streams_of(self._book, self._run_id) if self._joins else {}
        same = [number for number, names in known.items() if names == list(channels)]
        return same[-1] if same else runlogs.add_stream(self._book, self._run_id, channels)

    def _append(self, number: int, t: FloatArray, columns: list[FloatArray]) -> None:
        if number not in self.streams:
            raise PinchError(tr("Samples wait for a stream that was never begun."))
        stream = self.streams[number]
        if self._joins:
            later = t > runlogs.end_of_stream(self._book, self._run_id, stream)
            t, columns = t[later], [c[later] for c in columns]
        if len(t):
            runlogs.append(self._book, stream, t, columns)


class WaitingFile(Struct, frozen=True):
    """The waiting file of a recording by this process."""

    path: Path

    @classmethod
    def beside(cls, book: Path, run_id: int) -> "WaitingFile":
        """That of a run, beside its book."""
        return cls(book.with_name(f"{book.name}{_ending(run_id)}"))

    @classmethod
    def elsewhere(cls, book: Path, run_id: int) -> "WaitingFile":
        """That of a run where there is no room beside its book: in the user's state folder."""
        return cls(platformdirs.user_state_path("pinch") / f"{_key(book)}{_ending(run_id)}")

    def add(self, operations: Sequence[Operation]) -> None:
        """Write operations at its end, onto the disk: all of them, or none.

        Raises
        ------
        OSError : there is no room, or the folder cannot be written.
        """
        self.path.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_NOFOLLOW, 0o666)
        with os.fdopen(handle, "wb", buffering=0) as file:
            whole = file.seek(0, os.SEEK_END)
            try:
                text = b"".join(operation.model_dump_json().encode() + b"\n" for operation in operations)
                if file.write(text) != len(text):
                    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
                os.fsync(handle)
            except OSError:
                file.truncate(whole)
                if not whole:
                    self.remove()
                raise

    def remove(self) -> None:
        """Remove it, as all of it is in the book."""
        self.path.unlink(missing_ok=True)


def _ending(run_id: int) -> str:
    return f".run-{run_id}.{this_process()}.waiting"


def _key(book: Path) -> str:
    """Stands for the path of a book in the name of a file elsewhere."""
    return hashlib.sha256(str(book.resolve()).encode()).hexdigest()[:16]


def take_in_waiting(book: Book) -> tuple[str, ...]:
    """Take into a book what ended recordings left beside it; returns a sentence for each. What cannot be taken in stays
    where it is."""
    if book.read_only:
        return ()
    return tuple(_take_in(book, path, int(found["run"])) for path, found in _left_beside(book.path))


def _left_beside(book: Path) -> list[tuple[Path, re.Match[str]]]:
    """Waiting files of a book that no living process writes."""
    found = []
    for folder, start in ((book.parent, book.name), (platformdirs.user_state_path("pinch"), _key(book))):
        with contextlib.suppress(OSError):
            for name in sorted(entry.name for entry in os.scandir(folder) if entry.name.startswith(start)):
                match = _NAME.fullmatch(name[len(start) :])
                if match is not None and not is_alive(match["process"]):
                    found.append((folder / name, match))
    return found


def _take_in(book: Book, path: Path, run_id: int) -> str:
    try:
        if book.get(Run, run_id).status is not None:
            return tr(
                "{path} is left alone: run {run_id} of {book} has ended already.",
                path=path.name,
                run_id=run_id,
                book=book.path.name,
            )
        _, before = runlogs.log_size(book, run_id)
        with book.change():
            writer = RunWriter(book, run_id, joins=True)
            for operation in _operations(path):
                writer.apply(operation)
        path.unlink()
    except (PinchError, OSError) as error:
        return tr("{path} is left alone: {what}.", path=path.name, what=str(error).rstrip("."))
    rows = runlogs.log_size(book, run_id)[1] - before
    return tr(
        "What waited beside {path} is in it now: {rows} rows of samples of run {run_id}.",
        path=book.path.name,
        rows=rows,
        run_id=run_id,
    )


def _operations(path: Path) -> Iterator[Operation]:
    """The operations of a file up to the first line that is not whole, as the end of a killed process may be."""
    if path.is_symlink() or not path.is_file() or path.stat().st_size > MOST_BYTES:
        raise PinchError(tr("it is no plain file below {most_bytes} MB", most_bytes=MOST_BYTES // 1_000_000))
    with path.open("rb") as file:
        while line := file.readline(MOST_LINE):
            try:
                yield _OPERATION.validate_json(line)
            except ValidationError:
                return
