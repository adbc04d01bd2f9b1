"""The Compare page's work: which cells are compared, in the background, and what the operator accepts."""

from collections import Counter
from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QObject

from pinch.analysis.axes import CompareAxis, along, reach, widest_base
from pinch.analysis.cells import BenchCell, CellKey, cells_of
from pinch.analysis.comparing import CompareChoice, Compared, CompareResult, Unfair, compare_book, step_cells
from pinch.analysis.curves import ScaleChoice, ScaleResult, scale_book
from pinch.analysis.gathered import Gathered
from pinch.analysis.grid import Across, Grid, grid_of
from pinch.analysis.offers import AS_TESTED
from pinch.analysis.points import BookPoints
from pinch.analysis.unequal_pairs import UnequalPairs
from pinch.analysis.work_metrics import keys_of
from pinch.bench.records import Acceptance, now
from pinch.core.errors import PinchError
from pinch.core.figures import Note
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.core.printing import counted
from pinch.core.verdict import DELTA, StepKind
from pinch.language import tr
from pinch.narrative.unequal_words import with_worth
from pinch.runs.wanted_runs import want_more_runs
from pinch.ui.points_control import PointsControl
from pinch.ui.session import Session
from pinch.ui.working import Working


class Comparison(Struct, frozen=True):
    """A finished comparison, and the curves of its devices for the generations."""

    result: CompareResult
    curves: ScaleResult | None


class CompareControl(Working):
    """`finished` gives a `Comparison`."""

    doing = tr("Comparing")

    def __init__(self, session: Session, points: PointsControl, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._points = session, points
        self._variants: tuple[Gathered, list[BenchCell]] | None = None
        self._chosen: list[CellKey] = []
        self._by_hand = False
        self.along: CompareAxis | None = None
        self.workload_ids: tuple[int, ...] | None = None
        self.measure, self.delta = AVERAGE, DELTA
        self.offers = AS_TESTED
        self._unequal: UnequalPairs | None = None

    def forget(self) -> None:
        """Another book is open: nothing that was chosen holds."""
        self.cancel()
        self._chosen, self.workload_ids, self.along, self._by_hand = [], None, None, False
        self.offers, self._unequal = AS_TESTED, None

    def cells(self, by_variant: bool | None = None) -> list[BenchCell]:
        """All cells of the book, as far as it is judged; variants apart where variants are compared."""
        gathered = self._points.gathered
        if gathered is None:
            return []
        if by_variant is None:
            by_variant = self.along is CompareAxis.VARIANT or any(key.variant_id is not None for key in self._chosen)
        if not by_variant:
            return gathered.cells
        if self._variants is None or self._variants[0] is not gathered:
            self._variants = gathered, cells_of(gathered.points, by_variant=True)
        return self._variants[1]

    @property
    def left_out(self) -> list[Note]:
        """Why runs have no result, run by run."""
        return self._points.gathered.left_out if self._points.gathered is not None else []

    def matrix(self, across: Across) -> Grid | None:
        """The grid of the baseline's device."""
        points, cells = self._points.points, self.cells(by_variant=False)
        chosen = self.chosen
        if points is None or not chosen:
            return None
        key = replace(chosen[0].key, variant_id=None)
        base = next((c for c in cells if c.key == key), None)
        low = next((key for key in keys_of(self.measure) if key in LOW_NAMES), "low_1.percentile")
        return grid_of(points, cells, base, across, low) if base is not None else None

    @property
    def chosen(self) -> list[BenchCell]:
        """What is compared, the baseline first."""
        cells = self.cells()
        if self.along is not None:
            base = self._base(cells)
            return along(self.along, cells, base, self._work_id()) if base is not None else []
        by_key = {c.key: c for c in cells}
        return [by_key[key] for key in self._chosen if key in by_key]

    def _work_id(self) -> int:
        """The workload that a comparison along an axis is of: the strip's, else the first of its variants that has any
        results; where variants are compared what it is a variant of."""
        wanted, points = self._session.subject.workload_id or 0, self._points.points
        own = next((w for w in points.workloads if w.id == wanted), None) if points is not None else None
        if own is None or points is None:
            return wanted
        if self.along is CompareAxis.VARIANT:
            return own.root_id
        there = {number for c in self.cells() for number in c.workload_ids}
        family = [wanted, *(w.id for w in points.workloads if w.root_id == own.root_id)]
        return next((number for number in family if number in there), wanted)

    def _base(self, cells: Sequence[BenchCell]) -> BenchCell | None:
        """What a comparison along an axis begins with: what was the baseline, else what is most like the strip."""
        first = self._first()
        wanted = self._chosen[0] if self._chosen else first[0].key if first else None
        if wanted is None:
            return None
        work_id, axis = self._work_id(), self.along
        alike = [c for c in cells if replace(c.key, variant_id=None) == replace(wanted, variant_id=None)]
        there = [c for c in alike if work_id in c.workload_ids]
        base = next((c for c in there if c.key == wanted), next(iter(there or alike), None))
        if axis is None or base is None or self._by_hand or reach(axis, along(axis, cells, base, work_id)) > 1:
            return base
        own = [c for c in cells if c.device.id == self._session.subject.device_id]
        return widest_base(axis, own, cells, work_id) or widest_base(axis, cells, cells, work_id) or base

    @property
    def workloads(self) -> tuple[int, ...]:
        """The workloads compared: those chosen, else all that the baseline shares with another cell."""
        if self.workload_ids is not None:
            return self.workload_ids
        chosen = self.chosen
        if self.along is CompareAxis.VARIANT:
            return (self._work_id(),)
        shared = {w for c in chosen[1:] for w in c.workload_ids if w in chosen[0].workload_ids}
        return tuple(sorted(shared or {w for c in chosen for w in c.workload_ids}))

    def choose(self, cells: Sequence[BenchCell]) -> None:
        """Compare these, the first one as the baseline."""
        self._chosen, self.along, self.workload_ids = [c.key for c in cells], None, None
        self._by_hand = True
        self.start()

    def set_baseline(self, cell: BenchCell) -> None:
        """Set the others against this one."""
        self.choose([cell, *(c for c in self.chosen if c.key != cell.key)])

    def run_along(self, axis: CompareAxis | None) -> None:
        """Compare along an axis; None keeps the cells, to be chosen one by one."""
        if axis is None:
            self._chosen, self._by_hand = [c.key for c in self.chosen], True
        self.along, self.workload_ids = axis, None
        self.start()

    def change(self, changed: dict[str, object]) -> None:
        """Other workloads, another measure, another smallest difference that matters, or other prices."""
        for name, value in changed.items():
            setattr(self, name, value)
        self.start()

    def start(self) -> bool:
        """Compare what is chosen; False where that was done already, and is told once more."""
        points = self._points.wanted()
        if points is None:
            return True
        if not self._by_hand:
            self._chosen = [c.key for c in self._first()]
        choice = CompareChoice(tuple(self.chosen), self.workloads, self.measure, self.delta, self.along, self.offers)
        if self.is_done_for(points, choice):
            if self._last is not None:
                self.finished.emit(self._last)
            return False

        if self._unequal is None or self._unequal.book is not points:
            self._unequal = UnequalPairs(points)
        unequal = self._unequal

        def work(progress: Callable[[float], bool]) -> Comparison:
            result = with_worth(unequal, compare_book(points, choice, now()))
            return Comparison(result, _curves(points, choice, progress))

        self.begin(points, choice, work)
        return True

    def accept(self, unfair: Unfair, reason: str) -> None:
        """Keep why a difference is accepted; no reason takes the acceptance back."""
        base, book = self.chosen[0], self._session.book
        ids, d = (unfair.cell.setting.id, base.setting.id), unfair.difference
        kept = [x for x in book.acceptances() if x.accepts(*ids, d.key, (d.a, d.b))]

        def work() -> None:
            for old in kept:
                book.delete(old)
            if reason:
                new = Acceptance(
                    first_setting=ids[0],
                    second_setting=ids[1],
                    key=d.key,
                    first_value=d.a,
                    second_value=d.b,
                    reason=reason,
                    day=f"{now():%Y-%m-%d}",
                )
                book.save(new)

        self._session.change(f"{(tr('accept') if reason else tr('no longer accept'))} {d.what}", work)

    def plan_more(self, compared: Compared, workload_id: int) -> str:
        """Plan the cheapest runs that would give an answer, of the cell, the baseline or both; returns what was done.

        Raises
        ------
        PinchError : nothing is missing.
        """
        step = compared.verdict.step if compared.verdict else None
        if step is None:
            raise PinchError(tr("Choose a row that cannot be told yet; its missing runs go into the plan."))
        book, done = self._session.book, list[str]()
        cells = step_cells(step, compared.cell, self.chosen[0])
        workload = next(w for w in book.workloads() if w.id == workload_id)

        def work() -> None:
            turns = step.kind is StepKind.TURNS
            done.append(want_more_runs(book, [(c.setting, workload) for c in cells], step.runs, turns))

        self._session.change(tr("plan {in_all}", in_all=counted(step.in_all, "more run")), work)
        return " ".join(done)

    def _first(self) -> list[BenchCell]:
        """What is compared before anybody chose: the strip's setting, else the device's best fed one, and of each other
        device the setting that draws the most similar watts in the same room under the strip's workload."""
        subject, cells = self._session.subject, self.cells(by_variant=False)
        cells = [c for c in cells if subject.workload_id in c.workload_ids] or cells
        rooms = Counter(c.key.room_c for c in cells)
        usual = max(rooms, key=rooms.__getitem__, default=None)
        cells = [c for c in cells if c.key.room_c == usual]
        own = [c for c in cells if c.device.id == subject.device_id] or cells
        own = [c for c in own if c.setting.id == subject.setting_id] or own[-1:]
        if not own:
            return []
        like = own[0].power_w(subject.workload_id)
        others: dict[int, list[BenchCell]] = {}
        for c in cells:
            if c.device.id != own[0].device.id:
                others.setdefault(c.device.id, []).append(c)
        return [
            own[0],
            *(min(there, key=lambda c: abs(c.power_w(subject.workload_id) - like)) for there in others.values()),
        ]


def _curves(points: BookPoints, choice: CompareChoice, progress: Callable[[float], bool]) -> ScaleResult | None:
    """Curves of the compared devices in the baseline's room."""
    devices = tuple(dict.fromkeys(c.device.id for c in choice.cells))
    if len(devices) < 2:
        return None
    room = choice.cells[0].key.room_c
    return scale_book(points, ScaleChoice(devices, choice.workload_ids, room, choice.measure), progress)
