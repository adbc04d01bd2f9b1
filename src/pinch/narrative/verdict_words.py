"""Verdicts in words."""

import math

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import run_seconds, step_cells
from pinch.core.index import Index
from pinch.core.printing import counted
from pinch.core.verdict import NextStep, StepKind, Verdict
from pinch.language import numeral, tr


def percent(ratio: float) -> str:
    """A ratio as a difference in %; of NaN there is none."""
    if math.isnan(ratio):
        return tr("no ratio")
    return f"{numeral(100 * (ratio - 1), '+.1f')} %".replace("-", "−")


def index_interval(index: Index) -> str:
    """The interval of an index as differences; empty where there is none."""
    return tr("{low} to {high}", low=percent(index.low), high=percent(index.high)) if math.isfinite(index.low) else ""


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
        return tr("{runs} again", runs=step.runs)
    return tr("{runs} more{what}", runs=step.runs, what=tr(" in turns") if step.kind is StepKind.TURNS else "")


def would_tell(v: Verdict) -> str:
    """What would tell, after an answer; empty where nothing is asked for."""
    if v.step is None:
        return ""
    if v.step.kind is StepKind.AGAIN:
        return tr(", {runs} of the earlier one again would", runs=counted(v.step.runs, "run"))
    return tr(
        ", {runs} of each{what} would",
        runs=counted(v.step.runs, "more run"),
        what=tr(" in turns") if v.step.kind is StepKind.TURNS else "",
    )


def step_words(step: NextStep, cell: BenchCell, base: BenchCell, workload_id: int) -> str:
    """What to do next, with how long its runs take."""
    cells = step_cells(step, cell, base)
    seconds = run_seconds(cells, workload_id)
    time = tr(", {in_all:.0f} min of load", in_all=step.in_all * seconds / 60.0) if seconds else ""
    if step.kind is StepKind.AGAIN:
        other = base if step.of_first else cell
        return tr(
            "{runs} of {cells} again, now, after {other}{time}",
            runs=counted(step.runs, "run"),
            cells=cells[0].name,
            other=other.name,
            time=time,
        )
    turns = tr(", in turns on one day") if step.kind is StepKind.TURNS else ""
    return tr("{runs} of each{turns}{time}", runs=counted(step.runs, "more run"), turns=turns, time=time)
