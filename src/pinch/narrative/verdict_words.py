"""Verdicts in words."""

import math

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import run_seconds, step_cells
from pinch.core.index import Index
from pinch.core.printing import counted
from pinch.core.verdict import NextStep, StepKind, Verdict


def percent(ratio: float) -> str:
    """A ratio as a difference in %; of NaN there is none."""
    if math.isnan(ratio):
        return "no ratio"
    return f"{100 * (ratio - 1):+.1f} %".replace("-", "−")


def index_interval(index: Index) -> str:
    """The interval of an index as differences; empty where there is none."""
    return f"{percent(index.low)} to {percent(index.high)}" if math.isfinite(index.low) else ""


def in_brackets(index: Index) -> str:
    """The same behind a figure of a sentence."""
    between = index_interval(index)
    return f" (95 %: {between})" if between else ""


def why_no_interval(v: Verdict) -> str:
    """Why a verdict has no interval, in a few words."""
    return v.words.partition(":")[0]


def taken_out(v: Verdict) -> str:
    """What was measured, where a drift or other days are taken out of the difference: whoever reads both means would
    look for it. Empty where nothing is."""
    return f" ({v.measured_words})" if v.measured_words else ""


def verdict_words(v: Verdict, difference: str = "") -> str:
    """The answer, with the difference where one is given, and the runs that are missing; where there is no interval,
    why."""
    if not v.has_interval:
        return f"{difference}, {why_no_interval(v)}" if difference else v.words
    return ", ".join(filter(None, (v.answer.phrase, difference, _short(v.step) if v.step is not None else "")))


def _short(step: NextStep) -> str:
    if step.kind is StepKind.AGAIN:
        return f"{step.runs} again"
    return f"{step.runs} more{' in turns' if step.kind is StepKind.TURNS else ''}"


def would_tell(v: Verdict) -> str:
    """What would tell, after an answer; empty where nothing is asked for."""
    if v.step is None:
        return ""
    if v.step.kind is StepKind.AGAIN:
        return f", {counted(v.step.runs, 'run')} of the earlier one again would"
    return f", {counted(v.step.runs, 'more run')} of each{' in turns' if v.step.kind is StepKind.TURNS else ''} would"


def step_words(step: NextStep, cell: BenchCell, base: BenchCell, workload_id: int) -> str:
    """What to do next, with how long its runs take."""
    cells = step_cells(step, cell, base)
    seconds = run_seconds(cells, workload_id)
    time = f", {step.in_all * seconds / 60.0:.0f} min of load" if seconds else ""
    if step.kind is StepKind.AGAIN:
        other = base if step.of_first else cell
        return f"{counted(step.runs, 'run')} of {cells[0].name} again, now, after {other.name}{time}"
    turns = ", in turns on one day" if step.kind is StepKind.TURNS else ""
    return f"{counted(step.runs, 'more run')} of each{turns}{time}"
