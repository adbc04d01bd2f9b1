"""Cells of a book set against each other: which runs make a cell, the verdicts by workload, and what is unfair."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from pinch.analysis.modes import Beside, beside
from pinch.analysis.points import AVERAGE, BookPoints, RunPoint
from pinch.bench.parts import Build, Offer
from pinch.bench.records import Acceptance, Device, Setting, Workload
from pinch.bench.summaries import Origin, origin_words
from pinch.core.causes import Cause
from pinch.core.errors import DataError
from pinch.core.fairness import ConditionDifference, Conditions, FairnessGrade, differences
from pinch.core.figures import Note, SettledState
from pinch.core.frames import FRAME_RATE
from pinch.core.index import Index, index_of
from pinch.core.verdict import (
    DELTA,
    CellScore,
    PooledScatter,
    Verdict,
    cell_score,
    judge_pair,
    pooled_scatter,
    told_score,
)

OWN = str(Origin.OWN)


@dataclass(frozen=True)
class CellKey:
    """What the runs of a cell share: the setting, the room, the builds of the device, and whose figure it is."""

    setting_id: int
    room_c: float | None
    builds: tuple[Build, ...]
    origin: str


@dataclass(frozen=True, eq=False)
class BenchCell:
    """A setting of a device as it was tested: its runs by workload number. The name tells it from the other cells."""

    key: CellKey
    name: str
    device: Device
    setting: Setting
    points: Mapping[int, tuple[RunPoint, ...]]
    left_out: tuple[Note, ...]

    def power_w(self, workload_id: int | None = None) -> float:
        """Mean measured watts of its runs, of one workload where given; NaN where none were measured."""
        runs = [p for number, own in self.points.items() if workload_id in (None, number) for p in own]
        watts = [p.digest.power_w for p in runs if p.digest.power_w is not None]
        return sum(watts) / len(watts) if watts else float("nan")

    def days(self) -> tuple[date, ...]:
        """The days it was tested on, in their order."""
        return tuple(sorted({p.run.started.date() for runs in self.points.values() for p in runs}))


@dataclass(frozen=True)
class CompareChoice:
    """What is compared: cells (the first is the baseline) and workloads by number, what of the score, and the smallest
    difference that matters."""

    cells: tuple[BenchCell, ...]
    workload_ids: tuple[int, ...]
    measure: str = AVERAGE
    delta: float = DELTA


@dataclass(frozen=True)
class Compared:
    """A cell under a workload: what its runs come to, and its verdict against the baseline (None: it is the baseline,
    or one of them has no such run). `told` says whose figure it is where it is not our own test."""

    cell: BenchCell
    score: CellScore
    verdict: Verdict | None
    scores: tuple[float, ...]
    told: str
    beside: Beside


@dataclass(frozen=True)
class WorkRow:
    """A workload with all cells that have runs of it, and the scatter that single runs borrow."""

    workload: Workload
    cells: tuple[Compared, ...]
    pooled: PooledScatter


@dataclass(frozen=True)
class Unfair:
    """A difference of conditions between a cell and the baseline, the workloads it is of, and the reason with which the
    operator accepts it (empty: it is open)."""

    cell: BenchCell
    difference: ConditionDifference
    workloads: tuple[str, ...]
    accepted: str

    @property
    def is_open(self) -> bool:
        """Whether it still speaks against the pair."""
        return not self.accepted and self.difference.grade is not FairnessGrade.HARMLESS


@dataclass(frozen=True)
class CompareResult:
    """A comparison: rows by workload, the index of each cell over all workloads that it shares with the baseline, and
    what is unfair, the worst first."""

    choice: CompareChoice
    rows: tuple[WorkRow, ...]
    indexes: Mapping[str, Index] = field(default_factory=dict)
    unfair: tuple[Unfair, ...] = ()

    @property
    def baseline(self) -> BenchCell:
        """What the others are set against."""
        return self.choice.cells[0]


def cells_of(book: BookPoints) -> list[BenchCell]:
    """All cells of a book in the order of devices and settings; runs that do not count stand in `left_out`."""
    by_key: dict[CellKey, list[RunPoint]] = {}
    for p in book.points:
        by_key.setdefault(_key(p), []).append(p)
    kept = [(key, runs) for key, runs in by_key.items() if any(_counts(p) for p in runs)]
    order = {d.id: n for n, d in enumerate(book.devices)}
    kept.sort(
        key=lambda item: (order[item[1][0].device.id], item[1][0].setting.sustained_w or 0.0, item[0].room_c or 0)
    )
    return [_cell(key, runs, [k for k, _ in kept if k.setting_id == key.setting_id]) for key, runs in kept]


def compare_book(book: BookPoints, choice: CompareChoice) -> CompareResult:
    """Verdicts of every cell against the baseline under each workload, and what is unfair about each pair."""
    rows = tuple(_row(book, workload, choice) for workload in book.workloads if workload.id in choice.workload_ids)
    rows = tuple(row for row in rows if row.cells)
    verdicts: dict[str, dict[str, Verdict]] = {}
    for row in rows:
        for c in row.cells:
            if c.verdict is not None:
                verdicts.setdefault(c.cell.name, {})[row.workload.name] = c.verdict
    indexes = {name: index_of(own) for name, own in verdicts.items()}
    conditions = _Conditions(book)
    unfair = [u for cell in choice.cells[1:] for u in _unfair(conditions, choice.cells[0], cell, rows)]
    return CompareResult(
        choice, rows, indexes, tuple(sorted(unfair, key=lambda u: (not u.is_open, u.difference.grade)))
    )


def conditions_of(book: BookPoints, cell: BenchCell, runs: Sequence[RunPoint]) -> Conditions:
    """The conditions under which runs of a cell came about."""
    device, setting, last = cell.device, cell.setting, runs[-1]
    workload, told = last.workload, last.run.summary
    told_w = [p.run.summary.power_w if p.run.summary is not None else None for p in runs]
    protocol = book.protocols.get(last.run.protocol_id or 0)
    states = sorted({p.digest.state for p in runs if p.digest.state not in ("", SettledState.SETTLED)})
    memory = device.memory
    speed = setting.memory_speed_mts or memory.speed_mts
    return Conditions(
        name=cell.name,
        device=device.name,
        power_w=_mean_known([*(p.digest.power_w for p in runs), *told_w]),
        ambient_c=_mean_known([p.run.ambient_c for p in runs]),
        mains=setting.mains,
        graphics_path=setting.graphics_path,
        fan=setting.fan,
        builds={b.what: (b.version, b.date) for b in (last.run.builds or (device.builds if told is None else ()))},
        resolution=workload.resolution,
        shape=device.display.shape,
        work={
            "preset": workload.preset,
            "upscaling": workload.upscaling,
            "frame generation": workload.frame_generation,
        },
        frame_cap=workload.frame_cap_fps,
        capped_share=_mean_share(runs, Cause.FRAME_CAP),
        heat_share=_mean_share(runs, Cause.HEAT),
        graphical=workload.rate_channel == FRAME_RATE,
        memory={"memory kind": memory.kind, "memory speed": f"{speed:g} MT/s" if speed else ""},
        channels="" if memory.dual_channel is None else "dual" if memory.dual_channel else "single",
        graphics_memory_gb=setting.graphics_memory_gb or memory.graphics_share_gb,
        brightness_nits=protocol.brightness_nits if protocol else None,
        day=last.run.started.date(),
        status=str(device.status),
        repeatable=str(workload.repeatable),
        runs=told.repeats if told else len(runs),
        origin=origin_words(told) if told else OWN,
        unsettled=", ".join(states),
        undervolt_mv=setting.undervolt_mv,
        clock_lock_mhz=setting.clock_ceiling_mhz,
    )


def _mean_known(values: Sequence[float | None]) -> float | None:
    """The mean of what is known, None where nothing is."""
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else None


def offer_on(device: Device) -> Offer | None:
    """The newest offer of a device that has a price."""
    priced = [o for o in device.offers if o.price is not None]
    return max(priced, key=lambda o: o.date, default=None)


def _key(p: RunPoint) -> CellKey:
    if p.run.summary is not None:
        return CellKey(p.run.setting_id, p.room_c, p.run.builds, str(p.run.summary.origin))
    return CellKey(p.run.setting_id, p.room_c, p.run.builds or p.device.builds, OWN)


def _counts(p: RunPoint) -> bool:
    return not p.why_not


def _cell(key: CellKey, runs: Sequence[RunPoint], alike: Sequence[CellKey]) -> BenchCell:
    points: dict[int, tuple[RunPoint, ...]] = {}
    left_out = []
    for p in runs:
        if _counts(p):
            points[p.run.workload_id] = (*points.get(p.run.workload_id, ()), p)
        else:
            left_out.append(Note("left-out", f"{p.workload.name}, {p.name}: {p.why_not}"))
    device, setting = runs[0].device, runs[0].setting
    words = [f"{device.name}, {setting.name}"]
    if len({k.room_c for k in alike}) > 1:
        words.append("room not noted" if key.room_c is None else f"{key.room_c:g} °C")
    if len({k.origin for k in alike}) > 1 and key.origin != OWN:
        words.append(key.origin)
    builds = [k.builds for k in alike if k.origin == OWN]
    if key.origin == OWN and len(set(builds)) > 1:
        words.append(_build_words(key.builds, builds) or "builds not noted")
    return BenchCell(key, ", ".join(filter(None, words)), device, setting, points, tuple(left_out))


def _build_words(own: Sequence[Build], all_of: Iterable[Sequence[Build]]) -> str:
    """The builds in which a cell differs from the others of its setting."""
    shared = set.intersection(*(set(b) for b in all_of))
    return " ".join(f"{b.what} {b.version or b.date}" for b in own if b not in shared)


def _row(book: BookPoints, workload: Workload, choice: CompareChoice) -> WorkRow:
    number = workload.id
    pooled = _pooled(book, number, choice.measure)
    base, _, _ = _score(choice.cells[0], number, choice.measure)
    made = []
    for place, cell in enumerate(choice.cells):
        score, scores, told = _score(cell, number, choice.measure)
        if score is None:
            continue
        verdict = None
        if place and base is not None:
            less = not workload.higher_is_better and choice.measure == AVERAGE
            verdict = judge_pair(score, base, choice.delta, less, pooled)
        made.append(Compared(cell, score, verdict, scores, told, beside(book, cell.points[number])))
    return WorkRow(workload, tuple(made), pooled)


def _pooled(book: BookPoints, workload_id: int, measure: str) -> PooledScatter:
    """The scatter of all repeated cells of a workload."""
    scores: dict[CellKey, list[float]] = {}
    for p in book.points:
        value = _value(p, measure)
        if (
            p.run.workload_id == workload_id
            and p.run.summary is None
            and _counts(p)
            and value is not None
            and value > 0
        ):
            scores.setdefault(_key(p), []).append(value)
    return pooled_scatter([cell_score(own) for own in scores.values()])


def _value(p: RunPoint, measure: str) -> float | None:
    return p.digest.rate if measure == AVERAGE else p.digest.lows.get(measure)


def _score(cell: BenchCell, workload_id: int, measure: str) -> tuple[CellScore | None, tuple[float, ...], str]:
    """What the runs of a cell come to, the scores, and whose they are where they are told."""
    runs = cell.points.get(workload_id, ())
    told = [p.run.summary for p in runs if p.run.summary is not None]
    scores = tuple(v for v in (_value(p, measure) for p in runs) if v is not None)
    if not scores:
        return None, (), ""
    try:
        if len(told) == 1 and len(runs) == 1:
            return told_score(told[0].score, told[0].spread, told[0].repeats), scores, origin_words(told[0])
        return cell_score(scores), scores, origin_words(told[0]) if told else ""
    except DataError:
        return None, (), ""


class _Conditions:
    """The conditions of cells under workloads, each worked out once."""

    def __init__(self, book: BookPoints) -> None:
        self.acceptances = book.acceptances
        self._book = book
        self._known: dict[tuple[int, int], Conditions] = {}

    def of(self, cell: BenchCell, workload_id: int) -> Conditions:
        """Those of a cell that has runs of the workload."""
        key = (id(cell), workload_id)
        if key not in self._known:
            self._known[key] = conditions_of(self._book, cell, cell.points[workload_id])
        return self._known[key]


def _unfair(known: _Conditions, base: BenchCell, cell: BenchCell, rows: Sequence[WorkRow]) -> list[Unfair]:
    """Differences of a pair over all workloads that both have; each kind once, where it is worst."""
    found: dict[str, tuple[ConditionDifference, list[str]]] = {}
    for row in rows:
        number = row.workload.id
        if number not in base.points or number not in cell.points:
            continue
        for d in differences(known.of(cell, number), known.of(base, number)):
            worst, names = found.get(d.key, (d, []))
            found[d.key] = (min(worst, d, key=lambda x: x.grade), [*names, row.workload.name])
    return [Unfair(cell, d, tuple(names), _accepted(known.acceptances, cell, base, d)) for d, names in found.values()]


def _accepted(acceptances: Sequence[Acceptance], cell: BenchCell, base: BenchCell, d: ConditionDifference) -> str:
    """The reason with which a difference is accepted, empty where it is not."""
    ids = (cell.setting.id, base.setting.id)
    return next((x.reason for x in acceptances if x.accepts(*ids, d.key, (d.a, d.b))), "")


def _mean_share(runs: Sequence[RunPoint], cause: Cause) -> float:
    return sum(p.digest.shares.get(cause, 0.0) for p in runs) / len(runs)
