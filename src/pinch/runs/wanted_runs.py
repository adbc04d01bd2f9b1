"""Runs that a finding asks for, on their way into a plan."""

from collections.abc import Sequence

from pinch.analysis.references import is_own
from pinch.bench.book import Book
from pinch.bench.plans import MOST_REPEATS, OrderRule, Plan
from pinch.bench.records import MOST_NAME, Device, Setting, Workload, live
from pinch.core.errors import PinchError
from pinch.core.printing import counted, listed
from pinch.language import tr

NEAR_W = 0.5
NEW_PLAN, FIRST = tr("What is still to measure"), 1
"""Name of a plan that a finding makes, and the priority of what it asks for."""


def want_more_runs(book: Book, cells: Sequence[tuple[Setting, Workload]], more: int, in_turns: bool = False) -> str:
    """Want so many more runs of each cell in the newest plan that is of all their devices (and takes cells in turns,
    where that is asked), else in a new one; returns what was done in a sentence."""
    devices = list(dict.fromkeys(setting.device_id for setting, _ in cells))
    if not all(map(is_own, devices)):
        raise PinchError(tr("One of the two belongs to a book laid beside this one; its runs are planned there."))
    own = {device: {s.id for s in book.settings(device)} for device in devices}
    plans = [
        plan
        for plan in live(book.plans())
        if all(any(cell.setting_id in settings for cell in plan.cells) for settings in own.values())
        and (plan.order is OrderRule.BALANCED or not in_turns)
    ]
    names = ", ".join(book.get(Device, device).name for device in devices)
    order = OrderRule.BALANCED if in_turns else OrderRule.SHORTEST
    plan = plans[-1] if plans else book.save(Plan(name=f"{NEW_PLAN}: {names}"[:MOST_NAME], order=order))
    for setting, workload in cells:
        ids = (setting.id, workload.id)
        cell = plan.cell(*ids)
        wanted = min(MOST_REPEATS, (cell.repeats if cell else 0) + more)
        plan = book.save(plan.with_cell(*ids, wanted, FIRST))
    are = tr("is") if more == 1 and len(cells) == 1 else tr("are")
    turns = tr(", in turns,") if in_turns else ""
    return tr(
        "{more} of {named}{turns} {are} in the plan {plan}.",
        more=counted(more, "more run"),
        named=_named(book, cells),
        turns=turns,
        are=are,
        plan=plan.name,
    )


def limit_there(book: Book, like: Setting, watts: float) -> Setting | None:
    """The setting of a device on mains with that limit, None where there is none."""
    settings = [s for s in book.settings(like.device_id) if s.sustained_w is not None and s.mains]
    return next((s for s in settings if abs((s.sustained_w or 0.0) - watts) < NEAR_W), None)


def setting_with_limit(book: Book, like: Setting, watts: float) -> Setting:
    """The same; where there is none it is made, like another in all else."""
    there = limit_there(book, like, watts)
    if there is not None:
        return there
    burst = None if like.burst_w is None else max(like.burst_w, watts)
    return book.save(like.as_new(name=f"{watts:g} W", mode="", sustained_w=watts, burst_w=burst, notes=""))


def in_steps(watts: float, step: float | None) -> float:
    """A limit that can be set."""
    return round(watts / step) * step if step else round(watts)


def _named(book: Book, cells: Sequence[tuple[Setting, Workload]]) -> str:
    """The cells in words, with their devices where they are of several."""
    several = len({setting.device_id for setting, _ in cells}) > 1
    names = [f"{book.get(Device, setting.device_id).name}, " if several else "" for setting, _ in cells]
    return listed(
        [
            tr("{workload} at {name}{setting}", workload=workload.name, name=name, setting=setting.name)
            for name, (setting, workload) in zip(names, cells, strict=True)
        ]
    )
