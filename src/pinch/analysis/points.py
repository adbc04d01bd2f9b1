"""All runs of a book as points for the Scale and Compare pages: what each came to, and why one does not count."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from pinch.bench.book import Book
from pinch.bench.digests import Digest
from pinch.bench.readings import Instrument, Reading
from pinch.bench.records import Acceptance, Device, Protocol, Run, Setting, Workload
from pinch.core.figures import SettledState

AVERAGE = "average"
SAME_ROOM_K = 2.0
"""Rooms of runs that are no further apart count as one."""


@dataclass(frozen=True)
class RunPoint:
    """A run with its records and what its log came to. `room_c` is the middle of the rooms it is counted with, None
    where nobody noted it."""

    run: Run
    device: Device
    setting: Setting
    workload: Workload
    digest: Digest
    room_c: float | None

    @property
    def name(self) -> str:
        """Setting and number of the run, as it is named beside others of its device."""
        return f"{self.setting.name}, run {self.run.repeat}"

    @property
    def why_not(self) -> str:
        """Why it does not count; empty where it does."""
        if self.run.void:
            return f"void: {self.run.void}"
        if self.run.cut_off:
            return "still recording, or cut off."
        if self.digest.problem:
            return self.digest.problem
        if self.digest.rate is None:
            return "no rate of work and no score was logged."
        return "too short to settle." if self.digest.state == SettledState.TOO_SHORT else ""


@dataclass(frozen=True)
class BookPoints:
    """The points of a book, oldest first, and what else comparisons look at."""

    points: tuple[RunPoint, ...]
    devices: tuple[Device, ...]
    workloads: tuple[Workload, ...]
    protocols: Mapping[int, Protocol]
    acceptances: tuple[Acceptance, ...]
    readings: Mapping[int, tuple[Reading, ...]] = field(default_factory=dict)
    instruments: tuple[Instrument, ...] = ()

    def rooms(self, workload_ids: Sequence[int] = ()) -> list[float]:
        """The rooms that occur, of these workloads where given."""
        chosen = (p for p in self.points if not workload_ids or p.workload.id in workload_ids)
        return sorted({p.room_c for p in chosen if p.room_c is not None})


def points_of(book: Book, digests: Mapping[int, Digest]) -> BookPoints:
    """The points of a book whose runs are judged; one without a digest has yet to be."""
    devices = {d.id: d for d in book.devices()}
    settings = {s.id: s for d in devices for s in book.settings(d or 0)}
    workloads = {w.id: w for w in book.workloads()}
    runs = book.runs()
    rooms = _rooms({r.ambient_c for r in runs if r.ambient_c is not None})
    waiting = Digest(problem="not judged yet.")
    points = tuple(
        RunPoint(
            run,
            devices[run.device_id],
            settings[run.setting_id],
            workloads[run.workload_id],
            digests.get(run.id, waiting),
            None if run.ambient_c is None else rooms[run.ambient_c],
        )
        for run in runs
    )
    protocols = {p.id: p for p in book.protocols()}
    return BookPoints(
        points,
        tuple(devices.values()),
        tuple(workloads.values()),
        protocols,
        tuple(book.acceptances()),
        book.readings_by_run(),
        tuple(book.instruments()),
    )


def _rooms(temperatures: set[float]) -> dict[float, float]:
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
    value = point.digest.rate if measure == AVERAGE else point.digest.lows.get(measure)
    if value is None or value <= 0:
        return None
    return value if point.workload.higher_is_better else 3600.0 / value
