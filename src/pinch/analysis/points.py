"""All runs of a book as points for the Scale and Compare pages: what each came to, and why one does not count."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property

from msgspec import Struct, field
from msgspec.structs import replace

from pinch.bench.book import Book
from pinch.bench.digests import Digest
from pinch.bench.readings import ROOM_PLACE, Instrument, Quantity, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Result, Run, Setting, Workload
from pinch.bench.summaries import Origin
from pinch.core.causes import Cause
from pinch.core.figures import WHOLE_OFF, SettledState
from pinch.core.metrics import AVERAGE, SCORE
from pinch.core.sound import level_mean
from pinch.language import tr

HELD = (SettledState.SETTLED, SettledState.DRIFTING)
SAME_ROOM_K = 2.0
"""Rooms of runs that are no further apart count as one."""


class RunPoint(Struct, frozen=True, dict=True):
    """A run with its records and what its log came to. `room_c` is the middle of the rooms it is counted with, None
    where nobody noted it; `beside_settled`: it is too short to settle, and others of its cell are not; `read` are
    metrics by their keys that were read by hand."""

    run: Run
    device: Device
    setting: Setting
    workload: Workload
    digest: Digest
    room_c: float | None
    beside_settled: bool = False
    read: Mapping[str, float] = field(default_factory=dict)

    @cached_property
    def metric(self) -> str:
        """What its rate is of: the average of what was logged, or a score; the operator may say that they are one."""
        return main_of(self.digest.metric, self.workload)

    @cached_property
    def name(self) -> str:
        """Setting and number of the run, as it is named beside others of its device."""
        return tr("{setting}, run {repeat}", setting=self.setting.name, repeat=self.run.repeat)

    @cached_property
    def why_unusable(self) -> str:
        """Why none of its figures count; empty where they do."""
        if self.run.void:
            return tr("void: {void}", void=self.run.void)
        if self.run.cut_off:
            return tr("still recording, or cut off.")
        if self.beside_settled:
            return tr("too short to settle, beside runs of its cell that did.")
        return self.digest.problem

    @cached_property
    def why_not(self) -> str:
        """Why it has no result; empty where it has one: a rate, a score, or how long a battery lasts."""
        lasts = self.digest.rundown is not None and self.digest.rundown.runtime_h is not None
        if self.why_unusable or self.digest.rate is not None or lasts:
            return self.why_unusable
        return tr("no rate of work and no score was logged.")

    @cached_property
    def off_share(self) -> float:
        """How far the rate over all of the load, but its burst, is from that of the settled part, as a share; 0 where
        it is near enough for the settled part to speak for the run."""
        settled, whole = self.digest.rate, self.digest.whole_rate
        is_whole = self.digest.state in (SettledState.SCENE, SettledState.TOO_SHORT)
        if not settled or whole is None or is_whole or "by hand" in self.digest.flags:
            return 0.0
        off = whole / settled - 1.0
        return off if abs(off) >= WHOLE_OFF else 0.0

    @property
    def rate(self) -> float | None:
        """What its result is: of a run that collapsed or fell, the rate over all of the load, so that a fault cannot
        win; else what was held, or the score."""
        return self.digest.whole_rate if self.off_share else self.digest.rate

    @property
    def power_w(self) -> float | None:
        """The package watts that belong to its result."""
        return self.digest.whole_power_w if self.off_share else self.digest.power_w

    def value_of(self, metric: str) -> float | None:
        """Its value of a metric by its key, None where it has none."""
        if metric == self.metric:
            return self.rate
        return self.digest.lows.get(metric, self.digest.figures.get(metric, self.read.get(metric)))


def generates(p: RunPoint) -> bool:
    """Whether the log of a run shows frames that were generated and not drawn."""
    return "shown_fps" in p.digest.figures


def mean_share(points: Sequence[RunPoint], cause: Cause) -> float:
    """The share of the load that a cause held, the mean over runs; 0 where there are none."""
    return sum(p.digest.shares.get(cause, 0.0) for p in points) / len(points) if points else 0.0


def main_of(metric: str, workload: Workload) -> str:
    """A metric below a workload: its score is its average where the operator says that they are one."""
    return AVERAGE if metric == SCORE and workload.score_is_rate else metric


def of_one_metric(points: Sequence[RunPoint]) -> list[RunPoint]:
    """Those of several runs whose rates are of one metric: logged ones where there are any, else scores."""
    there = {p.metric for p in points if p.digest.rate is not None}
    wanted = AVERAGE if AVERAGE in there else SCORE
    return [p for p in points if p.metric == wanted]


class Ground(Struct, frozen=True):
    """The numbers of a device and a workload and the room, and how many such runs there are that have a result, or
    none."""

    device_id: int
    workload_id: int
    room_c: float | None
    has_result: bool
    runs: int


class BookPoints(Struct, frozen=True, dict=True):
    """The points of a book, oldest first, and what else comparisons look at; `settings` stand with their devices;
    `lacking` says what could not be laid beside."""

    points: tuple[RunPoint, ...]
    devices: tuple[Device, ...]
    workloads: tuple[Workload, ...]
    protocols: Mapping[int, Protocol]
    acceptances: tuple[Acceptance, ...]
    readings: Mapping[int, tuple[Reading, ...]] = field(default_factory=dict)
    results: tuple[Result, ...] = ()
    instruments: tuple[Instrument, ...] = ()
    settings: tuple[tuple[Device, Setting], ...] = ()
    lacking: tuple[str, ...] = ()

    @property
    def slots(self) -> dict[int, int]:
        """Place of each device in the colours and markers: in the order in which they came into the book, after them
        those of books laid beside."""
        return {d.id: n for n, d in enumerate(self.devices)}

    @property
    def tested_here(self) -> frozenset[int]:
        """The devices that were on this bench: those that anything of one's own is known of."""
        return tested(self.points, self.results)

    @cached_property
    def grounds(self) -> tuple[Ground, ...]:
        """What was run on what in which room."""
        counts = Counter((p.device.kept_id or 0, p.workload.kept_id or 0, p.room_c, not p.why_not) for p in self.points)
        return tuple(Ground(*key, runs) for key, runs in counts.items())

    @cached_property
    def by_pair(self) -> Mapping[tuple[int, int], Sequence[RunPoint]]:
        """The points of each device under each workload, by their numbers."""
        found: dict[tuple[int, int], list[RunPoint]] = {}
        for p in self.points:
            found.setdefault((p.run.device_id, p.run.workload_id), []).append(p)
        return found

    def rooms(self, workload_ids: Sequence[int] = ()) -> list[float]:
        """The rooms that occur, of these workloads where given."""
        return sorted(rooms_of(g for g in self.grounds if not workload_ids or g.workload_id in workload_ids))


def rooms_of(grounds: Iterable[Ground]) -> Counter[float]:
    """How many runs were made in which room."""
    found = Counter[float]()
    for ground in grounds:
        if ground.room_c is not None:
            found[ground.room_c] += ground.runs
    return found


def usual_room(rooms: Counter[float]) -> float | None:
    """The room that most runs were made in; None where there are not several."""
    return rooms.most_common(1)[0][0] if len(rooms) > 1 else None


def tested(points: Iterable[RunPoint], results: Iterable[Result]) -> frozenset[int]:
    """The devices that some runs and typed results are one's own of; others are only known by what others tell."""
    logged = {p.run.device_id for p in points if p.run.summary is None or p.run.summary.origin is Origin.OWN}
    return frozenset(logged | {r.device_id for r in results if r.origin is Origin.OWN})


def points_of(book: Book, digests: Mapping[int, Digest]) -> BookPoints:
    """The points of a book whose runs are judged; one without a digest has yet to be."""
    devices = {d.id: d for d in book.devices()}
    settings = {s.id: s for d in devices for s in book.settings(d or 0)}
    workloads = {w.id: w for w in book.workloads()}
    runs = book.runs()
    rooms = room_middles({r.ambient_c for r in runs if r.ambient_c is not None})
    waiting = Digest(problem=tr("not judged yet."))
    readings = book.readings_by_run()
    points = tuple(
        RunPoint(
            run,
            devices[run.device_id],
            settings[run.setting_id],
            workloads[run.workload_id],
            digests.get(run.id, waiting),
            None if run.ambient_c is None else rooms[run.ambient_c],
            read=read_figures(readings.get(run.id, ())),
        )
        for run in runs
    )
    points = apart(points)
    protocols = {p.id: p for p in book.protocols()}
    return BookPoints(
        points,
        tuple(devices.values()),
        tuple(workloads.values()),
        protocols,
        tuple(book.acceptances()),
        readings,
        tuple(book.results()),
        tuple(book.instruments()),
        tuple((devices[s.device_id], s) for s in settings.values()),
    )


def read_figures(readings: Sequence[Reading]) -> dict[str, float]:
    """What readings by hand come to by metric, at rest and under load: the mean (of levels by their energy), the lowest
    and the highest that was seen. The room alone is none of it."""
    found: dict[str, list[Reading]] = {}
    for r in readings:
        if r.quantity not in (Quantity.ROOM, Quantity.CHARGE) and r.place != ROOM_PLACE:
            found.setdefault(f"{r.channel}.{'idle' if r.at_rest else 'load'}", []).append(r)
    figures = {}
    for key, own in found.items():
        values = [r.value for r in own]
        is_level = own[0].quantity is Quantity.NOISE
        figures[f"{key}_mean"] = level_mean(values) if is_level else sum(values) / len(values)
        figures[f"{key}_min"] = min(r.value if r.low is None else r.low for r in own)
        figures[f"{key}_max"] = max(r.value if r.high is None else r.high for r in own)
    return figures


def apart(points: Sequence[RunPoint]) -> tuple[RunPoint, ...]:
    """The points, those that are too short to settle marked where others of their cell settled: what all of a load
    gives and what is held are not one quantity."""

    def cell(p: RunPoint) -> tuple[object, ...]:
        return p.run.setting_id, p.run.workload_id, p.room_c, p.run.builds

    held = {cell(p) for p in points if not p.why_not and p.digest.state in HELD}
    return tuple(
        replace(p, beside_settled=True) if p.digest.state == SettledState.TOO_SHORT and cell(p) in held else p
        for p in points
    )


def room_middles(temperatures: set[float]) -> dict[float, float]:
    """Each room temperature with the middle of the rooms that it is counted with."""
    groups: list[list[float]] = []
    for t in sorted(temperatures):
        if groups and t - groups[-1][0] <= SAME_ROOM_K:
            groups[-1].append(t)
        else:
            groups.append([t])
    return {t: round((group[0] + group[-1]) / 2.0, 1) for group in groups for t in group}


def score_of(point: RunPoint, measure: str) -> float | None:
    """The score of a run, higher being better: of a task that takes so long, how often it is done in an hour."""
    value = point.rate if measure == AVERAGE else point.value_of(measure)
    if value is None or value <= 0:
        return None
    return value if point.workload.higher_is_better else 3600.0 / value
