"""Cells of a book set against each other: which runs make a cell, the verdicts by workload, and what is unfair."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

from pinch.analysis.axes import CompareAxis, on_axis
from pinch.analysis.cells import OWN, BenchCell
from pinch.analysis.modes import Beside, beside
from pinch.analysis.points import BookPoints, RunPoint, main_of
from pinch.analysis.shared_units import yields_of
from pinch.analysis.work_metrics import keys_of, metric_of
from pinch.bench.parts import Offer
from pinch.bench.records import Acceptance, Device, Result, Setting, Workload
from pinch.bench.summaries import origin_words, result_words
from pinch.core.causes import Cause
from pinch.core.fairness import ConditionDifference, Conditions, FairnessGrade, differences
from pinch.core.figures import UNSETTLED
from pinch.core.frames import FRAME_RATE
from pinch.core.index import Index, index_of
from pinch.core.metrics import AVERAGE, Better, Metric
from pinch.core.printing import alike
from pinch.core.unit_yield import UnitYield
from pinch.core.verdict import (
    DELTA,
    Answer,
    CellScore,
    PooledScatter,
    ScoreGroup,
    Verdict,
    grouped_score,
    judge_pair,
    scatter_within,
)


@dataclass(frozen=True)
class CompareChoice:
    """What is compared: cells (the first is the baseline) and workloads by number, by which metrics, the smallest
    difference that matters, and the axis that the comparison runs along (None: cells as somebody chose them)."""

    cells: tuple[BenchCell, ...]
    workload_ids: tuple[int, ...]
    measure: str = AVERAGE
    delta: float = DELTA
    along: CompareAxis | None = None


@dataclass(frozen=True)
class Compared:
    """A cell under a workload by a metric: what it comes to, and its verdict against the baseline (None: it is the
    baseline, one of them has no such result, or neither way is better). `told` says whose figure it is where no log of
    our own gives it; `yields` what its units bring over the baseline's, where other hardware shares the work."""

    cell: BenchCell
    score: CellScore
    verdict: Verdict | None
    scores: tuple[float, ...]
    told: str
    beside: Beside
    yields: tuple[UnitYield, ...] = ()


@dataclass(frozen=True)
class WorkRow:
    """A workload by one metric with all cells that have it, and the scatter that single runs borrow."""

    workload: Workload
    metric: Metric
    cells: tuple[Compared, ...]
    pooled: PooledScatter

    @property
    def less_is_better(self) -> bool:
        """Whether less of the metric is better."""
        return self.metric.better is Better.LESS

    @property
    def ranked(self) -> tuple[Compared, ...]:
        """The cells, the best first."""
        return tuple(sorted(self.cells, key=lambda c: c.score.mean if self.less_is_better else -c.score.mean))

    def rank(self, of: Compared) -> int:
        """The place of a cell, 1 for the best; cells of one value share theirs."""
        best = [c.score.mean for c in self.ranked]
        return best.index(of.score.mean) + 1

    @property
    def printed(self) -> Mapping[str, str]:
        """The score of each cell by its name, as they are written beside each other."""
        texts = alike([c.score.mean for c in self.cells])
        return {c.cell.name: text for c, text in zip(self.cells, texts, strict=True)}


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
    """A comparison: rows by workload and metric, the index of each cell by its name over the workloads that all cells
    share, of the first metric that has one, and what is unfair, the worst first."""

    choice: CompareChoice
    rows: tuple[WorkRow, ...]
    indexes: Mapping[str, Index] = field(default_factory=dict)
    unfair: tuple[Unfair, ...] = ()

    @property
    def baseline(self) -> BenchCell:
        """What the others are set against."""
        return self.choice.cells[0]


def compare_book(book: BookPoints, choice: CompareChoice) -> CompareResult:
    """Verdicts of every cell against the baseline under each workload, and what is unfair about each pair."""
    by_workload: dict[int, list[RunPoint]] = {}
    by_variant = any(c.variant is not None for c in choice.cells)
    for p in book.points:
        by_workload.setdefault(p.workload.root_id if by_variant else p.workload.id, []).append(p)
    rows = [
        row
        for workload in book.workloads
        if workload.id in choice.workload_ids
        for key in keys_of(choice.measure)
        if (row := _row(book, workload, metric_of(workload, key), choice, by_workload.get(workload.id, []))).cells
    ]
    conditions = _Conditions(book)
    unfair = [u for cell in choice.cells[1:] for u in _unfair(conditions, choice, cell, rows)]
    unfair.sort(key=lambda u: (not u.is_open, u.difference.grade))
    return CompareResult(choice, tuple(rows), _indexes(choice, rows), tuple(unfair))


def _indexes(choice: CompareChoice, rows: Sequence[WorkRow]) -> Mapping[str, Index]:
    """The index of each cell but the baseline, over those workloads that all cells have a verdict of."""
    by_workload: dict[str, WorkRow] = {}
    for row in rows:
        by_workload.setdefault(row.workload.name, row)
    verdicts = {
        work: {c.cell.name: c.verdict for c in row.cells if c.verdict is not None and math.isfinite(c.verdict.ratio)}
        for work, row in by_workload.items()
    }
    others = [c.name for c in choice.cells[1:]]
    shared = [work for work, own in verdicts.items() if others and all(name in own for name in others)]
    if not shared:
        return {}
    rest = [work for work in by_workload if work not in shared]
    return {name: index_of({work: verdicts[work][name] for work in shared}, rest) for name in others}


def conditions_of(
    book: BookPoints, cell: BenchCell, runs: Sequence[RunPoint], typed: Sequence[Result] = ()
) -> Conditions:
    """The conditions under which runs and typed results of a cell came about; at least one of them."""
    if not runs:
        return _typed_conditions(cell, typed)
    device, setting, last = cell.device, cell.setting, runs[-1]
    workload, told = last.workload, last.run.summary
    told_w = [p.run.summary.power_w if p.run.summary is not None else None for p in runs]
    protocol = book.protocols.get(last.run.protocol_id or 0)
    states = sorted({p.digest.state for p in runs if p.digest.state in UNSETTLED})
    memory = device.memory
    return Conditions(
        name=cell.name,
        device=device.name,
        power_w=_mean_known([*(p.power_w for p in runs), *told_w]),
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
        memory=_memory_of(device, setting),
        channels="" if memory.dual_channel is None else "dual" if memory.dual_channel else "single",
        graphics_memory_gb=setting.graphics_memory_gb or memory.graphics_share_gb,
        brightness_nits=protocol.brightness_nits if protocol else None,
        day=last.run.started.date(),
        status=str(device.status),
        repeatable=str(workload.repeatable),
        runs=told.repeats if told else len(runs),
        origin=origin_words(told) if told else OWN,
        unsettled=", ".join(states),
        graphics_chip=device.graphics.name,
        claimed_w=setting.sustained_w,
        extent="" if told else str(workload.extent),
        off=max((p.off_share for p in runs), key=abs, default=0.0),
        undervolt_mv=setting.undervolt_mv,
        clock_lock_mhz=setting.clock_ceiling_mhz,
    )


def _memory_of(device: Device, setting: Setting) -> Mapping[str, str]:
    memory = device.memory
    speed = setting.memory_speed_mts or memory.speed_mts
    return {
        "memory kind": memory.kind,
        "memory speed": f"{speed:g} MT/s" if speed else "",
        "memory size": f"{memory.size_gb:g} GB" if memory.size_gb else "",
    }


def _typed_conditions(cell: BenchCell, typed: Sequence[Result]) -> Conditions:
    """What is known of results that nobody logged: the setting as it is noted, and whose they are."""
    device, setting, last = cell.device, cell.setting, typed[-1]
    days = [date.fromisoformat(r.day) for r in typed if r.day]
    return Conditions(
        name=cell.name,
        device=device.name,
        power_w=_mean_known([r.power_w for r in typed]),
        builds={b.what: (b.version, b.date) for r in typed for b in r.builds},
        mains=setting.mains,
        fan=setting.fan,
        shape=device.display.shape,
        day=max(days, default=None),
        status=str(device.status),
        runs=last.behind,
        origin=OWN if cell.key.origin == OWN else result_words(last),
        undervolt_mv=setting.undervolt_mv,
        clock_lock_mhz=setting.clock_ceiling_mhz,
        graphics_chip=device.graphics.name,
        claimed_w=setting.sustained_w,
    )


def _mean_known(values: Sequence[float | None]) -> float | None:
    """The mean of what is known, None where nothing is."""
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else None


def offer_on(device: Device) -> Offer | None:
    """The newest offer of a device that has a price: of what was tested where that is marked, and for everybody where
    there is such a one."""
    priced = [o for o in device.offers if o.price is not None]
    priced = [o for o in priced if o.tested] or priced
    priced = [o for o in priced if not o.members] or priced
    return max(priced, key=lambda o: o.date, default=None)


def _row(
    book: BookPoints, workload: Workload, metric: Metric, choice: CompareChoice, points: Sequence[RunPoint]
) -> WorkRow:
    number = workload.id
    base = metric_at(choice.cells[0], workload, metric.key)
    found = [
        (place, cell, own) for place, cell in enumerate(choice.cells) if (own := metric_at(cell, workload, metric.key))
    ]
    pooled = _pooled(points if found else (), metric.key)
    made = []
    for place, cell, own in found:
        verdict = None
        if place and base is not None and metric.better is not Better.NEITHER:
            verdict = judge_pair(own.score, base.score, choice.delta, metric.better is Better.LESS, pooled)
        runs = cell.points.get(number, ())
        yields = yields_of(cell, choice.cells[0], workload, metric, verdict)
        told_w = _mean_known([r.power_w for r in cell.results.get(number, ())])
        near = beside(book, runs)
        near = near if near.power_w is not None else replace(near, power_w=told_w)
        made.append(Compared(cell, own.score, verdict, own.values, own.told, near, yields))
    return WorkRow(workload, metric, tuple(made), pooled)


def _pooled(points: Sequence[RunPoint], metric: str) -> PooledScatter:
    """The scatter of all repeated cells of a workload."""
    scores: dict[tuple[object, ...], list[float]] = {}
    for p in points:
        if p.run.summary is not None or p.why_not:
            continue
        value = p.value_of(metric)
        if value is not None and value > 0:
            key = (p.run.setting_id, p.run.workload_id, p.room_c, p.run.builds or p.device.builds)
            scores.setdefault(key, []).append(value)
    return scatter_within(scores.values())


@dataclass(frozen=True)
class CellMetric:
    """What a cell comes to by a metric, its values, and whose they are where it is not our own log."""

    score: CellScore
    values: tuple[float, ...]
    told: str


def metric_at(cell: BenchCell, workload: Workload, metric: str) -> CellMetric | None:
    """What a cell comes to by a metric, None where it has nothing of it."""
    groups: list[ScoreGroup] = []
    told: list[str] = []
    for p in cell.points.get(workload.id, ()):
        value, summary = p.value_of(metric), p.run.summary
        if value is None:
            continue
        if summary is None:
            groups.append(ScoreGroup(value))
        else:
            groups.append(ScoreGroup(value, summary.spread, summary.behind))
            told.append(origin_words(summary))
    for r in cell.results.get(workload.id, ()):
        if main_of(r.metric, workload) == metric:
            groups.append(ScoreGroup(r.middle, r.spread, r.behind))
            told.append(result_words(r))
    if not groups:
        return None
    foreign = cell.key.origin != OWN
    return CellMetric(grouped_score(groups, foreign), tuple(g.mean for g in groups), next(iter(told), ""))


def cell_value(cell: BenchCell, workload: Workload, metric: str) -> float | None:
    """What a cell comes to by a metric, None where it has nothing of it."""
    found = metric_at(cell, workload, metric)
    return None if found is None else found.score.mean


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
            runs, typed = cell.points.get(workload_id, ()), cell.results.get(workload_id, ())
            self._known[key] = conditions_of(self._book, cell, runs, typed)
        return self._known[key]


def _unfair(known: _Conditions, choice: CompareChoice, cell: BenchCell, rows: Sequence[WorkRow]) -> list[Unfair]:
    """Differences of a pair over all workloads that both have; each kind once, where it is worst. What the comparison
    runs along is what is asked, and what held the winner back makes its win no smaller."""
    base = choice.cells[0]
    found: dict[str, tuple[ConditionDifference, list[str]]] = {}
    for row in rows:
        number = row.workload.id
        if number not in base.workload_ids or number not in cell.workload_ids:
            continue
        for each in differences(known.of(cell, number), known.of(base, number)):
            if choice.along is not None and on_axis(each.key, choice.along):
                continue
            d = _in_spite_of(each, next((c.verdict for c in row.cells if c.cell == cell), None))
            worst, names = found.get(d.key, (d, []))
            found[d.key] = (min(worst, d, key=lambda x: x.grade), [*names, row.workload.name])
    return [Unfair(cell, d, tuple(names), _accepted(known.acceptances, cell, base, d)) for d, names in found.values()]


def _in_spite_of(d: ConditionDifference, verdict: Verdict | None) -> ConditionDifference:
    """The difference, harmless where it held back the one that is better all the same."""
    winner = {Answer.FASTER: "a", Answer.SLOWER: "b"}.get(verdict.answer) if verdict else None
    if winner is None or d.holds_back != winner:
        return d
    return replace(d, grade=FairnessGrade.HARMLESS, words=f"{d.words} It is better all the same.")


def _accepted(acceptances: Sequence[Acceptance], cell: BenchCell, base: BenchCell, d: ConditionDifference) -> str:
    """The reason with which a difference is accepted, empty where it is not."""
    ids = (cell.setting.id, base.setting.id)
    return next((x.reason for x in acceptances if x.accepts(*ids, d.key, (d.a, d.b))), "")


def _mean_share(runs: Sequence[RunPoint], cause: Cause) -> float:
    return sum(p.digest.shares.get(cause, 0.0) for p in runs) / len(runs)
