"""What a book may do on this computer: only what its operator has agreed to here.

A book may come from anybody, and names commands that are run, addresses that are opened, and a template that is read.
Each is agreed to once for a book and a computer, in its own words: where they change, it is asked again. What somebody
types into the book here is agreed to by typing it.
"""

import hashlib
from collections.abc import Iterable
from pathlib import Path

import platformdirs
from msgspec import Struct

from pinch.bench.cards import Report
from pinch.bench.files import not_written, write_whole
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Record, Runner, Workload
from pinch.core.errors import PinchError, visible
from pinch.language import tr
from pinch.runs.sourcing import RIG_ADDRESS, RunRequest
from pinch.sources.meter import is_simulated


class Wish(Struct, frozen=True):
    """Something a book wants of this computer: what for, and the very words."""

    purpose: str
    words: str


class ConsentError(PinchError):
    """What a book wants was never agreed to on this computer."""

    def __init__(self, book: Path, wishes: tuple[Wish, ...]) -> None:
        self.book, self.wishes = book, wishes
        super().__init__(
            tr(
                "{book} wants of this computer what was never agreed to here: {lines_of}.",
                book=book.name,
                lines_of="; ".join(lines_of(wishes)),
            )
        )


def lines_of(wishes: Iterable[Wish]) -> list[str]:
    """A line for each, in full."""
    return [f"{wish.purpose}: {visible(wish.words)}" for wish in wishes]


def wishes_of(record: Record) -> tuple[Wish, ...]:
    """What a record wants of this computer."""
    match record:
        case Device(reach=reach, programs=programs, name=name):
            reached = [Wish(tr("reach {name} with the command", name=name), reach)] if reach else []
            commands = [program.command for program in programs if program.command]
            return (
                *reached,
                *(Wish(tr("read lines for {name} of the command", name=name), command) for command in commands),
            )
        case Workload(name=name):
            return _wishes_of_workload(name, record)
        case Instrument(address=address, name=name) if address and address != RIG_ADDRESS and not is_simulated(address):
            return (Wish(tr("read {name} at the address", name=name), address),)
        case Report(template=template) if template:
            return (Wish(tr("write the report with the template"), template),)
    return ()


def _wishes_of_workload(name: str, workload: Workload) -> tuple[Wish, ...]:
    wishes = []
    if workload.command and workload.runner is Runner.COMMAND:
        where = tr(" (in {folder})", folder=workload.folder) if workload.folder else ""
        wishes.append(Wish(tr("run {name} with the command", name=name), f"{workload.command}{where}"))
    if workload.frame_log:
        wishes.append(Wish(tr("follow the frames of {name} in", name=name), workload.frame_log))
    return tuple(wishes)


def wishes_of_run(request: RunRequest, meters: Iterable[Instrument]) -> tuple[Wish, ...]:
    """What the recording of a run wants of this computer; a simulated device wants no more than its programs."""
    if request.device.rig:
        return wishes_of(request.device.model_copy(update={"reach": ""}))
    return tuple(wish for record in (request.device, request.workload, *meters) for wish in wishes_of(record))


def refused(book: Path, wishes: Iterable[Wish]) -> tuple[Wish, ...]:
    """Those of the wishes that nobody has agreed to."""
    return tuple(wish for wish in wishes if not _place(book, wish).is_file())


def check_consent(book: Path, wishes: Iterable[Wish]) -> None:
    """Go on only where all of it was agreed to.

    Raises
    ------
    ConsentError : some was not.
    """
    if left := refused(book, wishes):
        raise ConsentError(book, left)


def agree(book: Path, wishes: Iterable[Wish]) -> None:
    """Agree to these wishes of this book from now on.

    Raises
    ------
    DataError : the user's configuration cannot be written.
    """
    for wish in wishes:
        place = _place(book, wish)
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise not_written(error, place.parent) from None
        write_whole(place, f"{book.resolve()}\n{wish.purpose}: {visible(wish.words)}\n".encode())


def _place(book: Path, wish: Wish) -> Path:
    key = hashlib.sha256("\0".join((str(book.resolve()), wish.words)).encode("utf-8", "surrogatepass")).hexdigest()
    return platformdirs.user_config_path("pinch") / "consents" / key
