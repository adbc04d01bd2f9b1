"""What a run sheet says: when it will be done, its totals, and how its order was found."""

from pinch.bench.planning import PlannedSheet
from pinch.bench.plans import OrderRule, Outcome
from pinch.core.printing import counted
from pinch.language import tr
from pinch.narrative.cautions import LONG_WORK
from pinch.narrative.explanation import Explanation


def duration(seconds: float) -> str:
    """A time to plan with: minutes, or hours and minutes."""
    if 0 < seconds < 59.5:
        return tr("{seconds:.0f} s", seconds=seconds)
    minutes = round(seconds / 60.0)
    return (
        tr("{minutes} min", minutes=minutes)
        if minutes < 60
        else tr("{hours} h {minutes:02d}", hours=minutes // 60, minutes=minutes % 60)
    )


def sheet_finding(planned: PlannedSheet) -> str:
    """When it will be done, and what it takes."""
    runs, left_out = len(planned.sheet.runs), len(planned.sheet.left_out)
    if not planned.plan.cells:
        return tr("Nothing is wanted yet: type repeats into the matrix.")
    if not runs and not left_out:
        return tr("Everything that was wanted is done.")
    if not runs:
        many = tr("One run is") if left_out == 1 else tr("{left_out} runs are", left_out=left_out)
        return tr("{many} left out: the sessions are over, or too short. See Plan, Move the sessions on.", many=many)
    end = planned.when(planned.sheet.end_s)
    spans = planned.spans()
    sessions = "" if len(spans) < 2 else tr(" in {spans} sessions", spans=len(spans))
    said = tr(
        "Done {end:%A %-d %B} at {end:%H:%M}: {runs}, {left_s}{sessions}.",
        end=end,
        runs=_runs(runs),
        left_s=duration(planned.left_s),
        sessions=sessions,
    )
    return said if not left_out else tr("{said} {runs} left out.", said=said, runs=_runs(left_out))


def sheet_totals(planned: PlannedSheet) -> str:
    """Live totals of the matrix."""
    words = [tr("{runs} to do", runs=_runs(len(planned.sheet.runs))), duration(planned.left_s)]
    if planned.energy_wh is not None:
        words.append(tr("{energy_wh:.0f} Wh at the claimed limits", energy_wh=planned.energy_wh))
    done = sum(e.outcome is Outcome.DONE for e in planned.plan.entries)
    if done:
        words.insert(0, tr("{done} done", done=done))
    return " · ".join(words)


def explain_sheet(planned: PlannedSheet) -> Explanation:
    """How the order was found, and what the sheet rests on."""
    sheet = planned.sheet
    if planned.plan.order is OrderRule.BALANCED:
        meaning = tr(
            "Repeats go in rounds, each setting once a round, so that a drift of the room or of "
            "drivers favours none. The order was drawn with seed {seed}.",
            seed=planned.plan.seed,
        )
        formula = [tr("largest imbalance of positions = {imbalance:g}", imbalance=sheet.imbalance or 0)]
        formula.append(
            tr("costs {what} over the shortest order", what=duration(max(0.0, sheet.continuous_s - planned.other_s)))
        )
    else:
        meaning = tr("The order of least total time; of equally short ones, that with the least to change by hand.")
        proof = (
            tr("proved: no order is shorter")
            if sheet.proved
            else tr("at most {gap:.1f} % above the best", gap=100 * sheet.gap)
        )
        formula = [tr("without breaks {continuous_s}", continuous_s=duration(sheet.continuous_s)), proof]
        formula.append(tr("balanced would take {other_s}", other_s=duration(planned.other_s)))
    cautions = [note.text for note in planned.notes]
    if planned.left_out:
        cautions.append(tr("Left out: {left_out}.", left_out="; ".join(planned.left_out)))
    cautions += [_crossed_words(planned, n) for n in range(len(planned.crossed))]
    window = tr("Between runs cooling, recharging and the operator's work go on side by side; the longest counts.")
    uncertainty = tr("Times are estimates; they learn from what runs and waits really took.")
    return Explanation(
        tr("How this order was found"), meaning, tuple(formula), window, uncertainty, "plan", (*cautions, LONG_WORK)
    )


def _crossed_words(planned: PlannedSheet, number: int) -> str:
    cell, reason = planned.crossed[number]
    setting, workload = planned.bench.pair(cell)
    return tr(
        "{workload} at {setting} cannot be: {reason}.", workload=workload.name, setting=setting.name, reason=reason
    )


def _runs(count: int) -> str:
    return counted(count, "run")
