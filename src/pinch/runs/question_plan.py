"""The run sheet that answers the open questions of a book: what each still needs, put together, shared between them."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.asking import Asked, RunsNeeded
from pinch.analysis.plan_desk import PlanDesk
from pinch.analysis.references import is_own
from pinch.bench.bench_questions import Asks
from pinch.bench.book import Book
from pinch.bench.planning import PlannedSheet, plan_bench, run_s
from pinch.bench.plans import MOST_REPEATS, Cell, OrderRule, Outcome, Plan
from pinch.bench.records import Device, Setting, Workload, live
from pinch.language import tr
from pinch.runs.wanted_runs import in_steps, limit_there, setting_with_limit

PLAN_NAME = tr("What the questions still need")
IN_TURNS = (Asks.FASTER, Asks.LOCK, Asks.BUILD)
"""Questions whose cells take turns, so that a drift of the day falls on all of them."""
Place = tuple[int, int]


class QuestionPlan(Struct, frozen=True):
    """Where the questions of a book stand, the run sheet of what they still need (None: nothing), how long that takes
    with the least and the most it may come to, and what of it each open question costs by number, all in s."""

    asked: tuple[Asked, ...]
    sheet: PlannedSheet | None
    left_s: float
    least_s: float
    most_s: float
    costs: Mapping[int, float]

    def saved_s(self, asked: Asked, book: Book) -> float:
        """Bench time that an answered question took less than three repeats of each of its cells, s; never below 0."""
        workload = book.get(Workload, asked.question.workload_id)
        return max(0, asked.runs_before - len(asked.run_ids)) * workload.length_s * workload.passes


def kept_plan(book: Book) -> Plan | None:
    """The plan of the questions that a book keeps, None where none was made."""
    return next((p for p in live(book.plans()) if p.name == PLAN_NAME), None)


def keep_plan(book: Book, asked: Sequence[Asked]) -> Plan | None:
    """Keep what the questions need as the plan of the book, in place of the one that was; settings with a new limit are
    made. None where nothing is needed and nothing was."""
    old = kept_plan(book)
    needs = {a.question.id: [_made(book, n) for n in _own(a)] for a in asked}
    plan = _plan_of(asked, needs, old)
    return book.save(plan) if plan.cells or old is not None else None


def plan_questions(book: Book, asked: Sequence[Asked], at: datetime) -> QuestionPlan:
    """The run sheet that answers the questions that are open in the least bench time."""
    needs = {a.question.id: [_with_known_limit(book, n) for n in _own(a)] for a in asked}
    plan = _plan_of(asked, needs, kept_plan(book))
    if not any(needs.values()):
        return QuestionPlan(tuple(asked), None, 0.0, 0.0, 0.0, {})
    sheet = PlanDesk(book).plan(plan, at)
    costs = _shares(asked, needs, book, plan)
    total = sum(costs.values()) or 1.0
    costs = {number: sheet.left_s * share / total for number, share in costs.items()}
    still = [a for a in asked if needs[a.question.id]]
    least, most = (sum(costs[a.question.id] * by(a) for a in still) for by in (_fewest, _most))
    return QuestionPlan(tuple(asked), sheet, sheet.left_s, min(least, sheet.left_s), max(most, sheet.left_s), costs)


def _fewest(asked: Asked) -> float:
    return asked.standing.fewest / max(1, asked.standing.more)


def _most(asked: Asked) -> float:
    return asked.standing.most / max(1, asked.standing.more)


def _own(asked: Asked) -> Iterable[RunsNeeded]:
    """What it needs of this book, not of one that lies beside it."""
    return (n for n in asked.needs if is_own(n.setting_id))


def _with_known_limit(book: Book, need: RunsNeeded) -> RunsNeeded:
    """A need by a setting with its limit, where the book has one."""
    if need.watts is None:
        return need
    like = book.get(Setting, need.setting_id)
    watts = in_steps(need.watts, book.get(Device, like.device_id).claims.step_w)
    there = limit_there(book, like, watts)
    return replace(need, watts=watts) if there is None else replace(need, setting_id=there.id, watts=None)


def _made(book: Book, need: RunsNeeded) -> RunsNeeded:
    """A need of a setting that is there: a limit that is not is made."""
    known = _with_known_limit(book, need)
    if known.watts is None:
        return known
    made = setting_with_limit(book, book.get(Setting, need.setting_id), known.watts)
    return replace(need, setting_id=made.id, watts=None)


def _plan_of(asked: Sequence[Asked], needs: Mapping[int, Sequence[RunsNeeded]], old: Plan | None) -> Plan:
    """The plan of all needs together: of a cell that several questions want as many runs as the one that wants most."""
    wanted: dict[Place, int] = {}
    for a in asked:
        for n in needs[a.question.id]:
            place = (n.setting_id, n.workload_id)
            wanted[place] = max(wanted.get(place, 0), n.runs)
    done = {} if old is None else {(c.setting_id, c.workload_id): _done(old, c) for c in old.cells}
    places = [*(p for p, count in done.items() if count), *(p for p in wanted if not done.get(p))]
    cells = tuple(
        Cell(setting_id=s, workload_id=w, repeats=min(MOST_REPEATS, done.get((s, w), 0) + wanted.get((s, w), 0)))
        for s, w in places
    )
    turns = any(a.question.asks in IN_TURNS and needs[a.question.id] for a in asked)
    order = OrderRule.BALANCED if turns else OrderRule.SHORTEST
    fresh = Plan(name=PLAN_NAME) if old is None else old
    return fresh.model_copy(update={"cells": cells, "order": order})


def _done(plan: Plan, cell: Cell) -> int:
    """Repeats that are not to be done again."""
    return sum(e.outcome is not Outcome.VOID for e in plan.entries_of(cell.setting_id, cell.workload_id))


def _shares(
    asked: Sequence[Asked], needs: Mapping[int, Sequence[RunsNeeded]], book: Book, plan: Plan
) -> dict[int, float]:
    """Seconds of runs that each question wants; a cell that several want is paid for by all of them alike."""
    by_place: dict[Place, list[int]] = {}
    for a in asked:
        for n in needs[a.question.id]:
            by_place.setdefault((n.setting_id, n.workload_id), []).append(a.question.id)
    bench = plan_bench(book, plan)
    lengths = {w: run_s(plan, bench, bench.workloads[w]) for _, w in by_place}
    found: dict[int, float] = {}
    for a in asked:
        for n in needs[a.question.id]:
            sharing = len(by_place[n.setting_id, n.workload_id])
            found[a.question.id] = found.get(a.question.id, 0.0) + n.runs * lengths[n.workload_id] / sharing
    return found
