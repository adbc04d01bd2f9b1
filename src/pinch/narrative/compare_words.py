"""What a comparison says, in a sentence, as bars, and as differences."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from pinch.analysis.comparing import BenchCell, Compared, CompareResult, Unfair, WorkRow
from pinch.analysis.points import AVERAGE
from pinch.bench.records import standing, workload_words
from pinch.charts.bar_chart import BASELINE, Bar, BarChart, BarGroup, in_words
from pinch.core.fairness import FairnessGrade
from pinch.core.tinybase import is_tiny_base
from pinch.core.verdict import Answer, Verdict
from pinch.narrative.verdict_words import percent, verdict_words

MOST_NOTES = 8
MOST_WORKLOADS, MOST_CELLS = 3, 3


@dataclass(frozen=True)
class ShownComparison:
    """What is compared, how: sorted by score or as chosen, differences as percent or absolute, and the device that the
    review is of."""

    result: CompareResult
    by_score: bool
    absolute: bool
    subject: int | None
    slots: Mapping[int, int]


def headline(shown: ShownComparison, of: BenchCell | None = None) -> str:
    """The finding in one sentence: the first cell after the baseline, or another; never more than the verdicts say."""
    result = shown.result
    if len(result.choice.cells) < 2:
        return "Tick two cells or more in the list; the first one ticked is the baseline."
    if not any(c.verdict for row in result.rows for c in row.cells):
        return "The baseline and the others share no workload that both have runs of."
    cell = of or result.choice.cells[1]
    own = [(row.workload.name, c.verdict) for row in result.rows for c in row.cells if c.cell == cell and c.verdict]
    if not own:
        return f"{cell.name} and {result.baseline.name} share no workload."
    words = "; ".join(f"{name}: {_said(v)}" for name, v in own[:3])
    more = f"; and {len(own) - 3} more" if len(own) > 3 else ""
    still_open = [u for u in result.unfair if u.is_open and u.cell == cell]
    unfair = f" {_open_words(still_open)}" if still_open else ""
    return f"{cell.name} against {result.baseline.name}: {words}{more}.{unfair}"


def against_words(shown: ShownComparison) -> str:
    """Every cell against the baseline, workload by workload: never more than the verdicts say."""
    result = shown.result
    told: list[str] = []
    if len(result.choice.cells) < 3:
        return headline(shown)
    for row in result.rows[:MOST_WORKLOADS]:
        own = [(c, c.verdict) for c in row.cells if c.verdict is not None]
        own.sort(key=lambda pair: -pair[1].ratio)
        words = [f"{c.cell.name} {_is(v)}" for c, v in own[:MOST_CELLS]]
        more = [f"{len(own) - MOST_CELLS} more"] if len(own) > MOST_CELLS else []
        if words:
            against = "" if told else f", against {result.baseline.name}"
            told.append(f"{row.workload.name}{against}: {'; '.join([*words, *more])}.")
    if not told:
        return headline(shown)
    rest = f" And {len(result.rows) - MOST_WORKLOADS} more workloads." if len(result.rows) > MOST_WORKLOADS else ""
    still_open = [u for u in result.unfair if u.is_open]
    unfair = (
        f" {_open_words(still_open)}" if any(u.difference.grade is FairnessGrade.HOLDS_BACK for u in still_open) else ""
    )
    return f"{' '.join(told)}{rest}{unfair}"


def _is(v: Verdict) -> str:
    return _said(v) if v.answer is Answer.CANNOT_TELL else f"is {_said(v)}"


def bars(shown: ShownComparison) -> BarChart:
    """The bars of each workload, with everything that speaks against a pair below."""
    groups = []
    for row in shown.result.rows:
        less = less_is_better(shown, row)
        cells = list(row.cells)
        if shown.by_score:
            cells.sort(key=lambda c: c.score.mean if less else -c.score.mean)
        unit = "fps" if shown.result.choice.measure != AVERAGE else row.workload.score_unit
        title = f"{workload_words(row.workload)}, {unit}" + (", less is better" if less else "")
        groups.append(BarGroup(title, tuple(_bar(c, shown) for c in cells)))
    notes = [_note(u) for u in shown.result.unfair]
    shown_notes = [
        note for note, u in zip(notes, shown.result.unfair, strict=True) if u.difference.grade != FairnessGrade.HARMLESS
    ]
    units = [
        f"{d.name}: {standing(d)}" for d in dict.fromkeys(c.device for c in shown.result.choice.cells) if standing(d)
    ]
    delta = f"Differences below {100 * shown.result.choice.delta:g} % do not matter; intervals are of 95 %."
    if len(shown_notes) > MOST_NOTES:
        shown_notes = [*shown_notes[:MOST_NOTES], f"and {len(shown_notes) - MOST_NOTES} more differences"]
    foot = (*shown_notes, " · ".join([delta, *units]))
    return BarChart(headline(shown), tuple(groups), foot, in_words(groups))


def _said(v: Verdict) -> str:
    if v.answer is Answer.TIE:
        return f"a tie ({percent(v.ratio)})"
    if v.answer is Answer.CANNOT_TELL:
        more = f", {v.more_runs} more runs of each would" if v.more_runs else ""
        return f"can't tell yet{more}"
    return f"{abs(100 * (v.ratio - 1)):.1f} % {v.answer}"


def _open_words(still_open: Sequence[Unfair]) -> str:
    worst = dict.fromkeys(u.difference.what for u in still_open if u.difference.grade is FairnessGrade.HOLDS_BACK)
    if worst:
        return f"Not like for like: {', '.join(worst)}."
    count = len(still_open)
    return "One difference is worth a note." if count == 1 else f"{count} differences are worth a note."


def _note(u: Unfair) -> str:
    """A difference as it stands below a chart."""
    mark = "▲" if u.difference.grade is FairnessGrade.HOLDS_BACK else "△"
    whose = "" if u.cell.name in u.difference.words else f"{u.cell.name}: "
    return f"{mark} {whose}{u.difference.words}" + (f" Accepted: {u.accepted}" if u.accepted else "")


def less_is_better(shown: ShownComparison, row: WorkRow) -> bool:
    """Whether less of the score is better."""
    return not row.workload.higher_is_better and shown.result.choice.measure == AVERAGE


def _bar(c: Compared, shown: ShownComparison) -> Bar:
    low, high = c.score.interval()
    subject = c.cell.device.id == shown.subject
    words = BASELINE if c.cell == shown.result.baseline else ""
    if c.verdict is not None:
        words = f"{verdict_words(c.verdict)}, {difference(c, shown)}"
    return Bar(c.cell.name, c.score.mean, low, high, shown.slots.get(c.cell.device.id, 0), subject, words)


def difference(c: Compared, shown: ShownComparison) -> str:
    """A cell against the baseline: in percent, or in the unit of the score; from a tiny base the absolute one first."""
    if c.verdict is None:
        return ""
    row = next(r for r in shown.result.rows if c in r.cells)
    base = next(x.score.mean for x in row.cells if x.cell == shown.result.baseline)
    less = less_is_better(shown, row)
    plain = f"{c.score.mean - base:+.3g}".replace("-", "−")
    of_low = shown.result.choice.measure != AVERAGE
    frames = of_low or row.workload.rate_channel == "frame.rate"
    if frames and is_tiny_base(base, c.score.mean, of_low):
        ms = f"{1000 / c.score.mean - 1000 / base:+.2g}".replace("-", "−")
        return f"{plain} fps ({ms} ms), {percent(c.verdict.ratio)}"
    if shown.absolute:
        return f"{plain} {row.workload.score_unit}"
    if less:
        return f"takes {abs(100 * (c.score.mean / base - 1)):.1f} % {'less' if c.score.mean < base else 'more'} time"
    return percent(c.verdict.ratio)
