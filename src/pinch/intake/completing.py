"""What is said of runs afterwards, one or many at once: the room, the day, a score, what they are of, the protocol, the
builds, a note; or that they do not count."""

import math
import re
from collections.abc import Sequence
from datetime import UTC, datetime

import numpy as np
from msgspec import Struct

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.entry import read_day, read_quantity
from pinch.bench.parts import Build, ReadWith
from pinch.bench.plans import Outcome
from pinch.bench.readings import Quantity
from pinch.bench.records import Device, Pass, Protocol, Run, Setting, Workload, checked, live
from pinch.bench.variants import own_name
from pinch.core.alignment import load_start_s
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.core.runlog import RunLog
from pinch.intake.shelf import Shelf
from pinch.language import tr
from pinch.sources.profiles import accuracy_of, read_with

ROOM_CHANNEL = "ambient.temp"
FROM_DATA = "measured"
"""In place of a room temperature: that which a reading of the room or a channel of the log tells."""
KEYS = (
    *("ambient", "day", "score", "device", "setting", "workload", "variant", "protocol", "builds", "meters"),
    *("note", "void"),
)


class Completion(Struct, frozen=True):
    """What is said of runs; None leaves it as it is. The room is taken from each run's own data where `room_measured`;
    an empty `void` makes it count again; builds take the place of those of the same kind, meters, named as on the
    bench, of those of the same channel."""

    ambient_c: float | None = None
    room_measured: bool = False
    day: str | None = None
    score: float | None = None
    device: str | None = None
    setting: str | None = None
    workload: str | None = None
    variant: str | None = None
    protocol: str | None = None
    builds: tuple[Build, ...] = ()
    meters: tuple[str, ...] = ()
    note: str | None = None
    void: str | None = None

    @property
    def is_empty(self) -> bool:
        """Whether it says nothing."""
        return self == Completion()


class Completed(Struct, frozen=True):
    """Runs as they are now, and a sentence for each that something could not be said of."""

    runs: tuple[Run, ...]
    problems: tuple[str, ...] = ()


def read_completion(said: dict[str, str]) -> Completion:
    """What a person typed, by the words in `KEYS`.

    Raises
    ------
    PinchError : a key is not known, or a value makes no sense.
    """
    unknown = next((key for key in said if key not in KEYS), None)
    if unknown is not None:
        raise PinchError(
            tr("{unknown!r} cannot be said of a run; there are {keys}.", unknown=unknown, keys=", ".join(KEYS))
        )
    fields: dict[str, object] = {
        key: text.strip()
        for key, text in said.items()
        if key in ("device", "setting", "workload", "variant", "protocol")
    }
    if (room := said.get("ambient", "").strip()) == FROM_DATA:
        fields["room_measured"] = True
    elif room:
        fields["ambient_c"] = read_quantity(room, "°C").value
    if said.get("score", "").strip():
        fields["score"] = read_quantity(said["score"], "").value
    if said.get("day", "").strip():
        fields["day"] = read_day(said["day"])
    if said.get("builds", "").strip():
        fields["builds"] = read_builds(said["builds"])
    if said.get("meters", "").strip():
        fields["meters"] = tuple(filter(None, (name.strip() for name in said["meters"].split(";"))))
    fields |= {key: said[key] for key in ("note", "void") if key in said}
    return Completion(**fields)  # type: ignore[arg-type]


def read_builds(text: str) -> tuple[Build, ...]:
    """Builds as they are typed: `graphics driver 31.4 (2026-08-20); OS 6.12`.

    Raises
    ------
    PinchError : one has no version.
    """
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        match = re.fullmatch(r"(.+?)\s+(\S*\d\S*)(?:\s+\((\d{4}-\d{2}-\d{2})\))?", part)
        if match is None:
            raise PinchError(tr("{part!r} is not what was built and its version, such as OS 6.12.", part=part))
        found.append(checked(Build, tr("The build"), what=match[1], version=match[2], date=match[3] or ""))
    return tuple(found)


def complete_runs(book: Book, runs: Sequence[Run], said: Completion) -> Completed:
    """Keep what is said of runs. The caller makes it one change.

    Raises
    ------
    PinchError : the protocol or an instrument is not in the book, or a name will not do.
    """
    shelf, done, problems = Shelf(book), list[Run](), list[str]()
    protocol = _protocol(book, said.protocol) if said.protocol else None
    meters = _meters(book, said.meters)
    for run in sorted(runs, key=lambda r: (r.started, r.id)):
        try:
            done.append(_complete(book, shelf, run, said, protocol, meters))
        except PinchError as error:
            problems.append(tr("Run {run}: {what}.", run=run.id, what=str(error).rstrip(".")))
    return Completed(tuple(done), tuple(problems))


def room_told(book: Book, run: Run, log: RunLog | None = None) -> float | None:
    """The room of a run as its own data tell it: the mean of readings of the room, else the middle of its channel, °C;
    None where neither is there. `log` saves reading it again."""
    read = [r.value for r in book.readings(run.id) if r.quantity is Quantity.ROOM]
    if read:
        return round(sum(read) / len(read), 1)
    series = (log or runlogs.read_log(book, run.id)).series.get(ROOM_CHANNEL)
    if series is None or not np.isfinite(series.values).any():
        return None
    return round(float(np.nanmedian(series.values)), 1)


def void_in_plans(book: Book, run: Run) -> None:
    """A run that does not count, or was removed, is wanted again by the plan that had it done."""
    for plan in book.plans():
        for number, entry in enumerate(plan.entries):
            if entry.run_id == run.id and entry.outcome is Outcome.DONE:
                book.save(plan.with_void(number, run.void or tr("the run was removed")))


def completed_words(done: Completed) -> str:
    """What became of it, in a sentence."""
    return tr("{runs} completed.", runs=counted(len(done.runs), "run is", "runs are"))


def _complete(
    book: Book,
    shelf: Shelf,
    run: Run,
    said: Completion,
    protocol: Protocol | None,
    meters: tuple[ReadWith, ...],
) -> Run:
    fields: dict[str, object] = {}
    if said.room_measured:
        room = room_told(book, run)
        if room is None:
            raise PinchError(tr("neither a reading nor a channel tells its room"))
        fields["ambient_c"] = room
    elif said.ambient_c is not None:
        fields["ambient_c"] = said.ambient_c
    if said.day is not None:
        day = datetime.fromisoformat(said.day)
        fields["started"] = run.started.replace(year=day.year, month=day.month, day=day.day).astimezone(UTC)
        fields["undated"] = False
    if protocol is not None:
        fields["protocol_id"] = protocol.id
    if said.builds:
        new = {b.what for b in said.builds}
        fields["builds"] = (*(b for b in run.builds if b.what not in new), *said.builds)
    if meters:
        read = {m.channel for m in meters}
        fields["meters"] = (*(m for m in run.meters if m.channel not in read), *meters)
    if said.note is not None:
        fields["notes"] = "\n".join(filter(None, (run.notes, said.note)))
    if said.void is not None:
        fields["void"] = said.void
    if said.score is not None:
        fields["passes"] = (_whole_pass(book, run, said.score),)
    fields |= _moved(book, shelf, run, said)
    changed: Run = book.save(checked(Run, tr("The run"), **{**run.model_dump(by_alias=False), **fields}))
    if changed.void and not run.void:
        void_in_plans(book, changed)
    return changed


def _moved(book: Book, shelf: Shelf, run: Run, said: Completion) -> dict[str, object]:
    """The places that a run is moved to, with the number that it has there."""
    if said.device is None and said.setting is None and said.workload is None and said.variant is None:
        return {}
    work = book.get(Workload, run.workload_id)
    root = book.get(Workload, work.root_id)
    variant = own_name(work) if work.variant_of is not None and said.workload is None else ""
    names = (
        said.device or book.get(Device, run.device_id).name,
        said.setting or book.get(Setting, run.setting_id).name,
        said.workload or root.name,
        variant if said.variant is None else said.variant,
    )
    device, setting, workload = shelf.place(names, unit=root.score_unit)
    if (device.id, setting.id, workload.id) == (run.device_id, run.setting_id, run.workload_id):
        return {}
    repeat = book.next_repeat(device.id, setting.id, workload.id)
    return {"device_id": device.id, "setting_id": setting.id, "workload_id": workload.id, "repeat": repeat}


def _whole_pass(book: Book, run: Run, score: float) -> Pass:
    """One pass over all of the load, with a score that was read elsewhere."""
    if run.summary is not None:
        raise PinchError(tr("it has no log; its score is what was told"))
    log = runlogs.read_log(book, run.id)
    start = load_start_s(log)
    return Pass(start_s=start if math.isfinite(start) else log.span_s[0], end_s=log.span_s[1], score=score)


def _meters(book: Book, names: Sequence[str]) -> tuple[ReadWith, ...]:
    known = {i.name.casefold(): i for i in live(book.instruments())}
    for name in names:
        if name.casefold() not in known:
            told = ", ".join(i.name for i in known.values()) or tr("none yet")
            raise PinchError(
                tr("There is no instrument called {name!r} on the bench; there are: {told}.", name=name, told=told)
            )
        if not accuracy_of(known[name.casefold()]).stated:
            raise PinchError(tr("{name} states no accuracy; enter it on the Bench page.", name=name))
    return read_with(known[name.casefold()] for name in names)


def _protocol(book: Book, name: str) -> Protocol:
    found = next((p for p in live(book.protocols()) if p.name.casefold() == name.casefold()), None)
    if found is None:
        known = ", ".join(p.name for p in live(book.protocols())) or tr("none yet")
        raise PinchError(tr("There is no protocol called {name!r}; there are: {known}.", name=name, known=known))
    return found
