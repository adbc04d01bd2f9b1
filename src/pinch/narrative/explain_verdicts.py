"""What the margin says of verdicts."""

import math

from pinch.analysis.comparing import Compared, WorkRow
from pinch.core.verdict import CANNOT_TELL, TIE, with_scatter
from pinch.narrative.compare_words import ShownComparison, less_is_better
from pinch.narrative.explanation import Explanation
from pinch.narrative.verdict_words import ANSWERS, percent


def explain_verdict(c: Compared, row: WorkRow, shown: ShownComparison) -> Explanation:
    """A verdict with the numbers of both cells."""
    assert c.verdict is not None
    v, result = c.verdict, shown.result
    base = next(x for x in row.cells if x.cell == result.baseline)
    delta = 100 * result.choice.delta
    less = less_is_better(shown, row)
    formula = [
        f"{c.score.mean:.5g} of {c.score.runs} runs",
        f"against {base.score.mean:.5g} of {base.score.runs}",
        f"{v.ratio:.4g} × as {'fast' if less else 'much'}: {percent(v.ratio)}",
    ]
    if less:
        time = 100 * (1 - c.score.mean / base.score.mean)
        formula.append(f"takes {abs(time):.1f} % {'less' if time >= 0 else 'more'} time")
    if v.has_interval:
        formula.append(f"95 %: {percent(v.low)} to {percent(v.high)}")
    meanings = {
        TIE: f"The 90 % interval lies within ± {delta:g} %: a tie is a result.",
        CANNOT_TELL: f"The interval neither excludes 0 nor lies within ± {delta:g} %.",
    }
    sure = f"The 95 % interval excludes 0, and the difference is at least {delta:g} %."
    both = [(x.cell.name, with_scatter(x.score, row.pooled)) for x in (c, base)]
    scatter = [
        f"{name}: scatter {100 * s.log_sd:.2g} %{' (borrowed)' if s.borrowed else ''}."
        for name, s in both
        if math.isfinite(s.log_sd)
    ]
    cautions = [v.words] if v.words else []
    if v.more_runs:
        cautions.append(f"{v.more_runs} more runs of each would tell with 80 % power.")
    cautions += [u.difference.words for u in result.unfair if u.cell == c.cell and u.is_open]
    return Explanation(
        f"{c.cell.name}: {ANSWERS[v.answer]}",
        meanings.get(v.answer, sure),
        tuple(formula),
        row.workload.name,
        " ".join(scatter) or "Single runs: no interval can be claimed.",
        "verdicts",
        tuple(cautions),
    )
