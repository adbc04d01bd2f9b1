"""What a run sheet says: when it will be done, its totals, and how its order was found."""

from pinch.bench.planning import PlannedSheet
from pinch.bench.plans import OrderRule, Outcome
from pinch.core.printing import counted
from pinch.narrative.cautions import LONG_WORK
from pinch.narrative.explanation import Explanation


def duration(seconds: float) -> str:
    """A time to plan with: minutes, or hours and minutes."""
    if 0 < seconds < 59.5:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60.0)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


def sheet_finding(planned: PlannedSheet) -> str:
    """When it will be done, and what it takes."""
    runs, left_out = len(planned.sheet.runs), len(planned.sheet.left_out)
    if not planned.plan.cells:
        return "Nothing is wanted yet: type repeats into the matrix."
    if not runs and not left_out:
        return "Everything that was wanted is done."
    if not runs:
        many = "One run is" if left_out == 1 else f"{left_out} runs are"
        return f"{many} left out: the sessions are over, or too short. See Plan, Move the sessions on."
    end = planned.when(planned.sheet.end_s)
    spans = planned.spans()
    sessions = "" if len(spans) < 2 else f" in {len(spans)} sessions"
    said = f"Done {end:%A %-d %B} at {end:%H:%M}: {_runs(runs)}, {duration(planned.left_s)}{sessions}."
    return said if not left_out else f"{said} {_runs(left_out)} left out."


def sheet_totals(planned: PlannedSheet) -> str:
    """Live totals of the matrix."""
    words = [f"{_runs(len(planned.sheet.runs))} to do", duration(planned.left_s)]
    if planned.energy_wh is not None:
        words.append(f"{planned.energy_wh:.0f} Wh at the claimed limits")
    done = sum(e.outcome is Outcome.DONE for e in planned.plan.entries)
    if done:
        words.insert(0, f"{done} done")
    return " · ".join(words)


def explain_sheet(planned: PlannedSheet) -> Explanation:
    """How the order was found, and what the sheet rests on."""
    sheet = planned.sheet
    if planned.plan.order is OrderRule.BALANCED:
        meaning = (
            "Repeats go in rounds, each setting once a round, so that a drift of the room or of drivers favours none. "
            f"The order was drawn with seed {planned.plan.seed}."
        )
        formula = [f"largest imbalance of positions = {sheet.imbalance or 0:g}"]
        formula.append(f"costs {duration(max(0.0, sheet.continuous_s - planned.other_s))} over the shortest order")
    else:
        meaning = "The order of least total time; of equally short ones, that with the least to change by hand."
        proof = "proved: no order is shorter" if sheet.proved else f"at most {100 * sheet.gap:.1f} % above the best"
        formula = [f"without breaks {duration(sheet.continuous_s)}", proof]
        formula.append(f"balanced would take {duration(planned.other_s)}")
    cautions = [note.text for note in planned.notes]
    if planned.left_out:
        cautions.append(f"Left out: {'; '.join(planned.left_out)}.")
    cautions += [_crossed_words(planned, n) for n in range(len(planned.crossed))]
    window = "Between runs cooling, recharging and the operator's work go on side by side; the longest counts."
    uncertainty = "Times are estimates; they learn from what runs and waits really took."
    return Explanation(
        "How this order was found", meaning, tuple(formula), window, uncertainty, "plan", (*cautions, LONG_WORK)
    )


def _crossed_words(planned: PlannedSheet, number: int) -> str:
    cell, reason = planned.crossed[number]
    setting, workload = planned.bench.pair(cell)
    return f"{workload.name} at {setting.name} cannot be: {reason}."


def _runs(count: int) -> str:
    return counted(count, "run")
