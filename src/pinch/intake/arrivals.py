"""Logs on their way into a book: which belong together, where they belong, and what became of each."""

from collections.abc import Mapping, Sequence
from datetime import timedelta
from pathlib import Path

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.bench.book import Book
from pinch.bench.plans import Plan
from pinch.bench.records import ExitStatus, Run, live
from pinch.core.alignment import joined, load_start_s
from pinch.core.channels import rate_channel
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import with_frame_rate
from pinch.core.printing import plain
from pinch.core.progress import CancelledError, Progress, part_of, tell, unheard
from pinch.core.runlog import RunLog
from pinch.intake.again import KnownLogs, content_of
from pinch.intake.belonging import import_log
from pinch.intake.completing import Completion, complete_runs, room_told
from pinch.intake.filing import Filed, NamePattern, file_log
from pinch.intake.pairing import BY_HAND, Pair, pair_logs, pair_of, unpaired
from pinch.intake.read_before import ReadBefore
from pinch.intake.shelf import Shelf
from pinch.intake.spool import Spool
from pinch.language import tr
from pinch.sources.logs.mapping import ColumnMapping
from pinch.sources.logs.read import ReadLog, read_log_file

BEFORE_PLAN = timedelta(hours=12)
"""A log that began so much before its plan was made, or before its first session, is an old one, and not what the plan
wants."""
ON_BATTERY, RUNDOWN = 5.0, 50.0
"""Percent of a charge that a log takes on battery alone, and a rundown at least. Common practice, no source."""
ENDINGS = (".csv", ".tsv", ".txt", ".log", ".dat", ".parquet")


class Batch(Struct, frozen=True):
    """Logs that could be read, by their file, and a sentence for each that could not; `before` can keep them for the
    next import."""

    read: Mapping[Path, ReadLog]
    refused: tuple[str, ...] = ()
    before: ReadBefore | None = None


class Arrival(Struct, frozen=True):
    """One run to be: its log, the log of its frames where that is another file, and where it belongs. `claimed_w` are
    the watts of a setting that is new."""

    path: Path
    read: ReadLog
    filed: Filed
    pair: Pair | None = None
    beside: ReadLog | None = None
    claimed_w: float | None = None

    @property
    def log(self) -> RunLog:
        """Everything on one time axis.

        Raises
        ------
        DataError : the two logs do not overlap.
        """
        if self.pair is None or self.beside is None:
            return self.read.log
        return joined(self.read.log, self.beside.log, self.pair.offset_s)

    @property
    def files(self) -> tuple[Path, ...]:
        """The files it is made of."""
        return (self.path,) if self.pair is None else (self.path, self.pair.frames)

    @property
    def open(self) -> tuple[str, ...]:
        """What is still to be answered."""
        missing = [name for name in ("device", "setting", "workload") if not getattr(self.filed, name)]
        asked = [*self.read.questions, *(self.beside.questions if self.beside else ())]
        return (*([tr("Which {missing}?", missing=", ".join(map(tr, missing)))] if missing else []), *asked)

    def moved(self, offset_s: float) -> "Arrival":
        """With its frames elsewhere on the time of its sensors."""
        pair = self.pair and replace(self.pair, offset_s=offset_s, how=BY_HAND)
        return replace(self, pair=pair)


class Added(Struct, frozen=True):
    """A run that came into the book, what it was made of, and the plan that wanted it."""

    run: Run
    arrival: Arrival
    plan: Plan | None

    @property
    def words(self) -> str:
        """What went where."""
        filed, files = self.arrival.filed, " with ".join(p.name for p in self.arrival.files)
        pair = self.arrival.pair
        shift = tr(" (shifted by {offset_s} s, {how})", offset_s=plain(pair.offset_s, 6), how=pair.how) if pair else ""
        planned = tr(", done in the plan {plan}", plan=self.plan.name) if self.plan else ""
        where = tr(
            "{device}, {setting}, {workload}, run {repeat}",
            device=filed.device,
            setting=filed.setting,
            workload=filed.workload,
            repeat=self.run.repeat,
        )
        return f"{files}{shift} → {where}{planned}"


class NewRuns(Struct, frozen=True):
    """Runs that came into the book; a sentence for each log that it had already, and for what could not be said; what
    was left when it was ended."""

    added: tuple[Added, ...]
    skipped: tuple[str, ...] = ()
    problems: tuple[str, ...] = ()
    left: tuple[Arrival, ...] = ()


def files_in(paths: Sequence[Path]) -> list[Path]:
    """The logs that are meant: files as they are named, and those of folders by their endings.

    Raises
    ------
    DataError : there are none.
    """
    found: list[Path] = []
    for path in paths:
        inside = [p for p in sorted(path.rglob("*")) if p.suffix.casefold() in ENDINGS] if path.is_dir() else [path]
        found += [p for p in inside if p not in found]
    if not found:
        raise DataError(str(paths[0]), tr("there are no logs in it ({endings})", endings=", ".join(ENDINGS)))
    return found


def read_batch(paths: Sequence[Path], mapping: ColumnMapping | None = None, progress: Progress = unheard) -> Batch:
    """Read logs; one that cannot be read keeps no other from it. Of a reading that was ended the next one takes over
    what it had read.

    Raises
    ------
    CancelledError : `progress` answered False.
    """
    before, read, refused = ReadBefore(mapping), dict[Path, ReadLog](), list[str]()
    try:
        with Spool() as spool:
            for number, path in enumerate(paths):
                tell(progress, number / len(paths))
                part = part_of(progress, number / len(paths), (number + 1) / len(paths))
                key = before.key(path)
                try:
                    found = before.get(key) or read_log_file(path, mapping, part)
                    read[path] = replace(found, log=spool.put(found.log))
                    before.put(key, read[path])
                except DataError as error:
                    refused.append(str(error))
    except CancelledError:
        before.keep()
        raise
    return Batch(read, tuple(refused), before)


def read_again(batch: Batch, answers: Mapping[str, ColumnMapping], progress: Progress = unheard) -> Batch:
    """The same logs, those with an answered header as they are meant; one that cannot be read so is refused."""
    again = [path for path, found in batch.read.items() if found.fingerprint in answers]
    read, refused = dict(batch.read), list(batch.refused)
    for number, path in enumerate(again):
        part = part_of(progress, number / len(again), (number + 1) / len(again))
        try:
            read[path] = read_log_file(path, answers[read[path].fingerprint], part)
        except DataError as error:
            del read[path]
            refused.append(str(error))
    return Batch(read, tuple(refused))


def as_read(arrival: Arrival, batch: Batch) -> Arrival | None:
    """An arrival with its logs as they were read again; None where its log could not be. Frames that the operator did
    not place by hand are aligned anew."""
    read = batch.read.get(arrival.path)
    beside = batch.read.get(arrival.pair.frames) if arrival.pair else None
    if read is None:
        return None
    if arrival.pair is None or beside is None:
        return replace(arrival, read=read, pair=None, beside=None)
    by_hand = arrival.pair.how == BY_HAND
    pair = arrival.pair if by_hand else pair_of(arrival.path, read, arrival.pair.frames, beside)
    return replace(arrival, read=read, pair=pair, beside=beside)


def arrivals_of(read: Mapping[Path, ReadLog], book: Book, pattern: NamePattern) -> tuple[Arrival, ...]:
    """The runs that logs make, with what their names say of where they belong."""
    pairs = {pair.sensors: pair for pair in pair_logs(read)}
    return tuple(
        Arrival(
            path,
            read[path],
            _filed(path, pairs.get(path), pattern, book),
            pairs.get(path),
            read[pairs[path].frames] if path in pairs else None,
        )
        for path in unpaired(read, pairs.values())
    )


def put_together(sensors: Arrival, frames: Arrival) -> Arrival:
    """Two arrivals that the operator says are one run.

    Raises
    ------
    PinchError : one of them is a pair already.
    """
    if sensors.pair or frames.pair:
        raise PinchError(tr("One of the two is a pair already."))
    pair = pair_of(sensors.path, sensors.read, frames.path, frames.read)
    return replace(sensors, filed=sensors.filed.over(frames.filed), pair=pair, beside=frames.read)


def taken_apart(arrival: Arrival) -> tuple[Arrival, ...]:
    """The arrivals of a pair, each a run of its own."""
    if arrival.pair is None or arrival.beside is None:
        return (arrival,)
    alone = replace(arrival, pair=None, beside=None)
    return alone, replace(alone, path=arrival.pair.frames, read=arrival.beside)


def add_arrivals(
    book: Book, arrivals: Sequence[Arrival], said: Completion | None = None, progress: Progress = unheard
) -> NewRuns:
    """Runs of logs, with what is said of all of them, and the plans that wanted them; a log that the book has already
    is skipped. Where `progress` answers False the rest is left. The caller makes it one change.

    Raises
    ------
    PinchError : one does not say where it belongs, its name will not do, or its two logs do not overlap.
    """
    for arrival in arrivals:
        if not arrival.filed.whole:
            raise PinchError(
                tr("{path}: say the device, the setting and the workload it belongs to.", path=arrival.path.name)
            )
    known, shelf, added, skipped, nothing = KnownLogs(book), Shelf(book), list[Added](), list[str](), list[str]()
    in_order, left = sorted(arrivals, key=_order), list[Arrival]()
    for number, arrival in enumerate(in_order):
        if not progress(number / len(in_order)):
            left = in_order[number:]
            break
        log = arrival.log
        content = content_of(log)
        same = known.run_of(log, content)
        if same is not None:
            skipped.append(tr("{path} is run {same} of this book already.", path=arrival.path.name, same=same.id))
            continue
        found = _add(book, shelf, arrival, log)
        if not _can_be_judged(log):
            nothing.append(
                tr("{path}: nothing in it can be judged: no power, rate, clock or load.", path=arrival.path.name)
            )
        known.add(found.run, content)
        added.append(found)
    problems: tuple[str, ...] = ()
    if said is not None and not said.is_empty and added:
        done = complete_runs(book, [a.run for a in added], said)
        by_id, problems = {run.id: run for run in done.runs}, done.problems
        added = [replace(a, run=by_id.get(a.run.id, a.run)) for a in added]
    return NewRuns(tuple(added), tuple(skipped), (*nothing, *problems), tuple(left))


def _can_be_judged(log: RunLog) -> bool:
    """Whether a log tells of a load, or of a battery that runs down."""
    return bool({"battery.charge", "battery.energy"} & set(log.series)) or np.isfinite(load_start_s(log))


def _spent(log: RunLog) -> float:
    """How much of the charge of a battery a log took, %; 0 where it tells of none."""
    charge = log.series.get("battery.charge")
    return float(max(charge.values[0] - charge.values[-1], 0.0)) if charge is not None and len(charge.values) else 0.0


def _order(arrival: Arrival) -> tuple[object, ...]:
    """Runs of a cell are numbered as their names say, else in the order they began."""
    began = arrival.read.started.isoformat() if arrival.read.started else ""
    return arrival.filed.repeat or 0, began, str(arrival.path)


def _add(book: Book, shelf: Shelf, arrival: Arrival, log: RunLog) -> Added:
    filed, read = arrival.filed, arrival.read
    rate = rate_channel(with_frame_rate(log).series) or "score.rate"
    unit = "1/s" if "score.rate" in log.series else ""
    spent = _spent(log)
    names = (filed.device, filed.setting, filed.workload, "")
    records = shelf.place(names, arrival.claimed_w, unit, rate, spent >= ON_BATTERY, spent >= RUNDOWN and not unit)
    source = " + ".join(path.name for path in arrival.files)
    notes = [*read.notes, *(arrival.beside.notes if arrival.beside else ())]
    if arrival.pair is not None:
        notes.append(
            tr(
                "{frames} is shifted by {offset_s} s, {how}.",
                frames=arrival.pair.frames.name,
                offset_s=plain(arrival.pair.offset_s, 6),
                how=arrival.pair.how,
            )
        )
    if spent >= ON_BATTERY and records[1].mains:
        notes.append(
            tr(
                "It took {spent:.0f} % of the charge, but {records} is said to be on mains.",
                spent=spent,
                records=records[1].name,
            )
        )
    run = import_log(book, log, *records, source, read.started, notes)
    room = room_told(book, run, log)
    if room is not None:
        run = book.save(run.model_copy(update={"ambient_c": room}))
    return Added(run, arrival, _done_in_plan(book, run, log))


def _done_in_plan(book: Book, run: Run, log: RunLog) -> Plan | None:
    """The newest plan that wanted the run, in which it is done now."""
    if run.status is not ExitStatus.COMPLETE:
        return None
    ended = run.started + timedelta(seconds=log.span_s[1])
    for plan in reversed(live(book.plans())):
        planned = min((s.start for s in plan.sessions), default=plan.created)
        done = plan.with_done(run, ended) if run.started >= planned - BEFORE_PLAN else None
        if done is not None:
            return book.save(done)
    return None


def _filed(path: Path, pair: Pair | None, pattern: NamePattern, book: Book) -> Filed:
    filed = file_log(path, pattern, book)
    return filed if pair is None else filed.over(file_log(pair.frames, pattern, book))
