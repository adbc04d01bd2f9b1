"""Runs that a finding asks for, on their way into a plan."""

from pinch.bench.book import Book
from pinch.bench.plans import MOST_REPEATS, Plan
from pinch.bench.records import Setting, Workload, live

NEW_PLAN, FIRST = "What is still to measure", 1
"""Name of a plan that a finding makes, and the priority of what it asks for."""


def want_more_runs(book: Book, setting: Setting, workload: Workload, more: int) -> str:
    """Want so many more runs of a cell in the newest plan, else in a new one; returns what was done in a sentence."""
    plans = live(book.plans())
    plan = plans[-1] if plans else book.save(Plan(name=NEW_PLAN))
    ids = (setting.id, workload.id)
    cell = plan.cell(*ids)
    wanted = min(MOST_REPEATS, (cell.repeats if cell else 0) + more)
    book.save(plan.with_cell(*ids, wanted, FIRST))
    return f"{more} more runs of {workload.name} at {setting.name} are in the plan {plan.name}."
