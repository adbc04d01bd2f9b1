"""Cells of a book set against each other: which runs make a cell, the verdicts by workload, and what is unfair."""

import math
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from msgspec import Struct, field
from msgspec.structs import replace

from pinch.analysis.axes import CompareAxis, asked_by, on_axis
from pinch.analysis.cell_conditions import conditions_of, date_of, mean_known
from pinch.analysis.cells import OWN, BenchCell
from pinch.analysis.modes import Beside, beside
from pinch.analysis.offers import AS_TESTED, OfferChoice
from pinch.analysis.points import BookPoints, RunPoint, main_of
from pinch.analysis.shared_units import yields_of
from pinch.analysis.work_metrics import keys_of, metric_of
from pinch.bench.records import Acceptance, Result, Workload
from pinch.bench.summaries import origin_words, result_words
from pinch.core.cell_scores import CellScore, PooledScatter, ScoreGroup, grouped_score, scatter_within
from pinch.core.fairness import ConditionDifference, Conditions, FairnessGrade, differences
from pinch.core.index import Index, index_of
from pinch.core.metrics import AVERAGE, Better, Metric
from pinch.core.printing import alike
from pinch.core.run_order import APART_S, RunPlace, places_of, surroundings_of
from pinch.core.unit_yield import UnitYield
from pinch.core.verdict import DELTA, Answer, NextStep, StepKind, Verdict, judge_together
from pinch.language import tr


class CompareChoice(Struct, frozen=True):
    """What is compared: cells (the first is the baseline) and workloads by number, by which metrics, the smallest
    difference that matters, the axis that the comparison runs along (None: cells as somebody chose them), and which
    prices stand beside it."""

    cells: tuple[BenchCell, ...]
    workload_ids: tuple[int, ...]
    measure: str = AVERAGE
    delta: float = DELTA
    along: CompareAxis | None = None
    offers: OfferChoice = AS_TESTED


class Compared(Struct, frozen=True):
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


class WorkRow(Struct, frozen=True):
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


class Unfair(Struct, frozen=True):
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


class CompareResult(Struct, frozen=True):
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


def compare_book(book: BookPoints, choice: CompareChoice, now: datetime | None = None) -> CompareResult:
    """Verdicts of every cell against the baseline under each workload, and what is unfair about each pair; `now` tells
    whether a further run would stand beside the last ones."""
    by_workload: dict[int, list[RunPoint]] = {}
    by_variant = any(c.variant is not None for c in choice.cells)
    for p in book.points:
        by_workload.setdefault(p.workload.root_id if by_variant else p.workload.id, []).append(p)
    works = [_work_of(w, by_workload.get(w.id, []), choice, now) for w in book.workloads if w.id in choice.workload_ids]
    rows = [
        row
        for work in works
        for key in keys_of(choice.measure)
        if (row := _row(book, work, metric_of(work.workload, key), choice)).cells
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
    roots = {work: row.workload.root_id for work, row in by_workload.items()}
    return {name: index_of({work: verdicts[work][name] for work in shared}, rest, roots) for name in others}


class _Work(Struct, frozen=True):
    """A workload with all of its runs, where these and its typed results stand in time, and whether a further run would
    stand beside the last ones: the same for every metric."""

    workload: Workload
    points: Sequence[RunPoint]
    places: Mapping[tuple[str, int], RunPlace]
    fresh: bool


def _work_of(workload: Workload, points: Sequence[RunPoint], choice: CompareChoice, now: datetime | None) -> _Work:
    typed = [r for cell in choice.cells for r in cell.results.get(workload.id, ())]
    return _Work(workload, points, _places(points, typed), _is_fresh(choice, workload.id, now))


def _row(book: BookPoints, work: _Work, metric: Metric, choice: CompareChoice) -> WorkRow:
    workload, places, number = work.workload, work.places, work.workload.id
    base = metric_at(choice.cells[0], workload, metric.key, places)
    found = [
        (place, cell, own)
        for place, cell in enumerate(choice.cells)
        if (own := metric_at(cell, workload, metric.key, places))
    ]
    pooled = _pooled(work.points if found else (), metric.key, places)
    set_against = [(cell, own) for place, cell, own in found if place and base and metric.better is not Better.NEITHER]
    answers = judge_together(
        [(own.score, base.score) for _, own in set_against if base],
        choice.delta,
        metric.better is Better.LESS,
        pooled,
        work.fresh,
    )
    verdicts = {cell.key: verdict for (cell, _), verdict in zip(set_against, answers, strict=True)}
    made = []
    for _, cell, own in found:
        verdict = verdicts.get(cell.key)
        runs = cell.points.get(number, ())
        yields = yields_of(cell, choice.cells[0], workload, metric, verdict)
        told_w = mean_known([r.power_w for r in cell.results.get(number, ())])
        near = beside(book, runs)
        near = near if near.power_w is not None else replace(near, power_w=told_w)
        made.append(Compared(cell, own.score, verdict, own.values, own.told, near, yields))
    return WorkRow(workload, metric, tuple(made), pooled)


def _is_fresh(choice: CompareChoice, workload_id: int, now: datetime | None) -> bool:
    """Whether the last runs were made so lately that a further one stands beside them."""
    begun = [p.run.started for cell in choice.cells for p in cell.points.get(workload_id, ()) if not p.run.undated]
    return now is not None and bool(begun) and 0.0 <= (now - max(begun)).total_seconds() <= APART_S


def _places(points: Sequence[RunPoint], typed: Sequence[Result]) -> Mapping[tuple[str, int], RunPlace]:
    """Where each run and each typed result of a workload stands in time, by its kind and number; of what was typed the
    day is known at best."""
    points = [p for p in points if not p.run.undated]
    found_days = [(r, day) for r in typed if r.origin == OWN and (day := date_of(r.day))]
    dated, days = [r for r, _ in found_days], [day for _, day in found_days]
    noons = [datetime(d.year, d.month, d.day, 12, tzinfo=UTC).timestamp() for d in days]
    keys = [*(("run", p.run.id) for p in points), *(("result", r.id) for r in dated)]
    found = places_of(
        [*(p.run.started.timestamp() for p in points), *noons],
        [*(p.run.started.date().toordinal() for p in points), *(d.toordinal() for d in days)],
        [*(True for _ in points), *(False for _ in dated)],
    )
    return dict(zip(keys, found, strict=True))


def _pooled(points: Sequence[RunPoint], metric: str, places: Mapping[tuple[str, int], RunPlace]) -> PooledScatter:
    """The scatter of all repeated cells of a workload, and what the order of those runs shows whose time is known."""
    scores: dict[tuple[object, ...], list[float]] = {}
    stand: dict[tuple[object, ...], list[tuple[float, RunPlace]]] = {}
    for p in points:
        if p.run.summary is not None or p.why_not:
            continue
        value = p.value_of(metric)
        if value is not None and value > 0:
            key = (p.run.setting_id, p.run.workload_id, p.room_c, p.run.builds or p.device.builds)
            scores.setdefault(key, []).append(value)
            if (place := places.get(("run", p.run.id))) is not None:
                stand.setdefault(key, []).append((math.log(value), place))
    around = surroundings_of(
        ([score for score, _ in own], [place for _, place in own]) for own in stand.values() if len(own) > 1
    )
    return replace(scatter_within(scores.values()), around=around)


def step_cells(step: NextStep, cell: BenchCell, base: BenchCell) -> tuple[BenchCell, ...]:
    """The cells of a pair whose runs a next step asks for."""
    if step.kind is StepKind.AGAIN:
        return (cell,) if step.of_first else (base,)
    return cell, base


def run_seconds(cells: Sequence[BenchCell], workload_id: int) -> float | None:
    """How long a run of these cells took on the average, s; None where no log says."""
    return mean_known([p.digest.seconds for c in cells for p in c.points.get(workload_id, ())])


class CellMetric(Struct, frozen=True):
    """What a cell comes to by a metric, its values, and whose they are where it is not our own log."""

    score: CellScore
    values: tuple[float, ...]
    told: str


def metric_at(
    cell: BenchCell, workload: Workload, metric: str, places: Mapping[tuple[str, int], RunPlace] | None = None
) -> CellMetric | None:
    """What a cell comes to by a metric, None where it has nothing of it; `places` tell where its runs stand in time."""
    groups: list[ScoreGroup] = []
    stand = places or {}
    told: list[str] = []
    for p in cell.points.get(workload.id, ()):
        value, summary = p.value_of(metric), p.run.summary
        if value is None:
            continue
        if summary is None:
            groups.append(ScoreGroup(value, place=stand.get(("run", p.run.id))))
        else:
            groups.append(ScoreGroup(value, summary.spread, summary.behind, of_units=summary.units > 1))
            told.append(origin_words(summary))
    for r in cell.results.get(workload.id, ()):
        if main_of(r.metric, workload) == metric:
            groups.append(ScoreGroup(r.middle, r.spread, r.behind, stand.get(("result", r.id)), r.units > 1))
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
    base, asked = choice.cells[0], choice.along or asked_by(choice.cells)
    found: dict[str, tuple[ConditionDifference, list[str]]] = {}
    shared = dict[str, None]()
    for row in rows:
        number = row.workload.id
        if number not in base.workload_ids or number not in cell.workload_ids:
            continue
        shared[row.workload.name] = None
        for each in differences(known.of(cell, number), known.of(base, number)):
            if asked is not None and on_axis(each.key, asked):
                continue
            d = _in_spite_of(each, next((c.verdict for c in row.cells if c.cell == cell), None))
            worst, names = found.get(d.key, (d, []))
            found[d.key] = (min(worst, d, key=lambda x: x.grade), [*names, row.workload.name])
    return [
        Unfair(cell, _of_some(d, names, len(shared)), tuple(names), _accepted(known.acceptances, cell, base, d))
        for d, names in found.values()
    ]


def _of_some(d: ConditionDifference, names: Sequence[str], shared: int) -> ConditionDifference:
    """The difference, with the workloads that it is of where it is not of all."""
    own = list(dict.fromkeys(names))
    if len(own) == shared:
        return d
    more = tr(" and {own} more", own=len(own) - 3) if len(own) > 3 else ""
    return replace(
        d,
        words=tr(
            "{what} ({own}{more} of {shared} workloads).",
            what=d.words.rstrip("."),
            own=", ".join(own[:3]),
            more=more,
            shared=shared,
        ),
    )


def _in_spite_of(d: ConditionDifference, verdict: Verdict | None) -> ConditionDifference:
    """The difference, harmless where it held back the one that is better all the same."""
    winner = {Answer.FASTER: "a", Answer.SLOWER: "b"}.get(verdict.answer) if verdict else None
    if winner is None or d.holds_back != winner:
        return d
    return replace(d, grade=FairnessGrade.HARMLESS, words=tr("{words} It is better all the same.", words=d.words))


def _accepted(acceptances: Sequence[Acceptance], cell: BenchCell, base: BenchCell, d: ConditionDifference) -> str:
    """The reason with which a difference is accepted, empty where it is not."""
    ids = (cell.setting.id, base.setting.id)
    return next((x.reason for x in acceptances if x.accepts(*ids, d.key, (d.a, d.b))), "")
