"""Pairs of which one drew more watts: what these are worth by its own curve, workload by workload."""

from collections.abc import Mapping

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import CompareResult, Unfair
from pinch.analysis.curves import MEASURES, ScaleChoice, core_points, placed_runs
from pinch.analysis.points import BookPoints
from pinch.bench.records import Workload
from pinch.core.errors import DataError
from pinch.core.fairness import FairnessGrade
from pinch.core.ladder import Ladder, fit_ladder
from pinch.core.unequal_watts import WattsWorth, watts_worth


class UnequalPairs:
    """Works out pairs of one book; each curve once."""

    def __init__(self, book: BookPoints) -> None:
        self.book = book
        self._curves: dict[ScaleChoice, Ladder | None] = {}

    def worth_of(self, unfair: Unfair, result: CompareResult) -> Mapping[str, WattsWorth | None]:
        """What the watts that one drew more are worth, by workload (None: its own curve does not tell); empty where it
        is something else that is unfair."""
        d = unfair.difference
        if d.key != "watts" or d.grade is not FairnessGrade.HOLDS_BACK or result.choice.measure not in MEASURES:
            return {}
        more, less = (unfair.cell, result.baseline) if d.holds_back == "b" else (result.baseline, unfair.cell)
        works = [row.workload for row in result.rows if row.workload.name in unfair.workloads]
        return {w.name: self._worth(more, less, w, result.choice.measure) for w in works}

    def _worth(self, more: BenchCell, less: BenchCell, workload: Workload, measure: str) -> WattsWorth | None:
        ladder = self._curve(more, more.variant or workload, measure) if workload.higher_is_better else None
        drew_w, at_w = more.power_w(workload.id), less.power_w(workload.id)
        return watts_worth(ladder, drew_w, at_w) if ladder is not None and drew_w > at_w else None

    def _curve(self, cell: BenchCell, workload: Workload, measure: str) -> Ladder | None:
        """That of a device in the room of a cell."""
        choice = ScaleChoice((cell.device.id,), (workload.id,), cell.key.room_c, measure)
        if choice not in self._curves:
            own = self.book.by_pair.get((cell.device.id, workload.id), ())
            try:
                self._curves[choice] = fit_ladder(core_points(placed_runs(self.book, own, choice)[0], choice))
            except DataError:
                self._curves[choice] = None
        return self._curves[choice]
