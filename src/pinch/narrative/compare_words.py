"""What a comparison says, in a sentence, as bars, and as differences."""

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct

from pinch.analysis.capacity import CapacityGroup
from pinch.analysis.cells import BenchCell, names_beside
from pinch.analysis.comparing import Compared, CompareResult, Unfair, WorkRow
from pinch.analysis.work_metrics import TIMES
from pinch.bench.records import standing, workload_words
from pinch.charts.bar_chart import BASELINE, Bar, BarChart, BarGroup, in_words
from pinch.core.extent import Extent
from pinch.core.fairness import FairnessGrade
from pinch.core.index import Index
from pinch.core.metrics import AVERAGE, LOW_NAMES, MAIN
from pinch.core.printing import in_percent, number_word, ordinal, signed
from pinch.core.tinybase import is_tiny_base
from pinch.core.verdict import Answer, Verdict
from pinch.language import numeral, tr
from pinch.narrative.verdict_words import in_brackets, percent, taken_out, verdict_words, why_no_interval, would_tell

MOST_NOTES, MOST_ALONE = 8, 6
MOST_WORKLOADS, MOST_CELLS = 3, 3
OPEN_MARK, NOTE_MARK = "▲", "△"


class ShownComparison(Struct, frozen=True):
    """What is compared, how: sorted by score or as chosen, differences as percent or absolute, and the device that the
    review is of."""

    result: CompareResult
    by_score: bool
    absolute: bool
    subject: int | None
    slots: Mapping[int, int]


def shown_plainly(result: CompareResult) -> ShownComparison:
    """A comparison for who has neither colours nor a subject."""
    return ShownComparison(result, False, False, None, {})


def headline(shown: ShownComparison, of: BenchCell | None = None) -> str:
    """The finding in one sentence: the first cell after the baseline, or another; never more than the verdicts say."""
    result = shown.result
    if not result.choice.cells:
        return tr("Tick cells in the list; the first one ticked is the baseline.")
    if len(result.choice.cells) == 1:
        return alone_words(result)
    if not any(c.verdict for row in result.rows for c in row.cells):
        return tr("The baseline and the others share no workload that both have runs of.")
    cell = of or result.choice.cells[1]
    own = [(name, c.verdict) for name, row in named_rows(result) for c in row.cells if c.cell == cell and c.verdict]
    if not own:
        return tr("{cell} and {baseline} share no workload.", cell=cell.name, baseline=result.baseline.name)
    own.sort(key=lambda pair: not pair[1].answer.is_decided)
    shown_first = 3
    index = result.indexes.get(cell.name)
    lead = ""
    if index is not None and len(index.workloads) > 1:
        of_what = "" if result.rows[0].metric.key in MAIN else tr(" by {metric}", metric=result.rows[0].metric.name)
        lead, shown_first = f"{_index_words(index)}{of_what}; ", 2
    words = lead + "; ".join(f"{name}: {_said(v)}" for name, v in own[:shown_first])
    more = tr("; and {own} more", own=len(own) - shown_first) if len(own) > shown_first else ""
    still_open = [u for u in result.unfair if u.is_open and u.cell == cell]
    unfair = f" {_open_words(still_open)}" if still_open else ""
    return tr(
        "{cell} against {baseline}: {words}{more}.{unfair}",
        cell=cell.name,
        baseline=result.baseline.name,
        words=words,
        more=more,
        unfair=unfair,
    )


def _index_words(index: Index) -> str:
    """An index in a sentence, with its interval."""
    return tr(
        "{percent} over {extent}{in_brackets}",
        percent=percent(index.ratio),
        extent=index.extent,
        in_brackets=in_brackets(index),
    )


def named_rows(result: CompareResult) -> list[tuple[str, WorkRow]]:
    """The rows by what tells them from each other: the workload, the metric where there are several of one, or where
    it is not what the workload is about."""
    works = [row.workload.name for row in result.rows]
    many = len(set(works)) > 1

    def name(row: WorkRow) -> str:
        own = row.workload.name
        if works.count(own) > 1 and not many:
            return row.metric.name
        return own if works.count(own) == 1 and row.metric.key in MAIN else f"{own}, {row.metric.name}"

    return [(name(row), row) for row in result.rows]


def alone_words(result: CompareResult) -> str:
    """What one cell comes to, set against nothing."""
    told = [
        f"{row.workload.name} {row.printed[row.cells[0].cell.name]} {row.metric.unit}".rstrip() for row in result.rows
    ]
    more = tr("; and {told} more", told=len(told) - MOST_ALONE) if len(told) > MOST_ALONE else ""
    return f"{result.baseline.name}: {'; '.join(told[:MOST_ALONE]) or tr('no result of these workloads')}{more}."


def against_words(shown: ShownComparison) -> str:
    """Every cell against the baseline, workload by workload: never more than the verdicts say."""
    result = shown.result
    told: list[str] = []
    if len(result.choice.cells) < 3:
        return headline(shown)
    named = named_rows(result)
    for name, row in named[:MOST_WORKLOADS]:
        words = _answers([(c, c.verdict) for c in row.cells if c.verdict is not None])
        if words:
            against = "" if told else tr(", against {baseline}", baseline=result.baseline.name)
            told.append(f"{name}{against}: {'; '.join(words)}.")
    if not told:
        return headline(shown)
    left = len(named) - MOST_WORKLOADS
    rest = tr(" And {left} more {what}.", left=left, what=tr("row") if left == 1 else tr("rows")) if left > 0 else ""
    still_open = [u for u in result.unfair if u.is_open]
    unfair = (
        f" {_open_words(still_open)}" if any(u.difference.grade is FairnessGrade.HOLDS_BACK for u in still_open) else ""
    )
    return f"{' '.join(told)}{rest}{unfair}"


def _answers(own: Sequence[tuple[Compared, Verdict]]) -> list[str]:
    """What cells are against the baseline: those that are better or worse first, by name as far as there are few; what
    is not decided hides no answer."""
    own = sorted(own, key=lambda pair: -pair[1].ratio)
    decided = [(c, v) for c, v in own if v.answer.is_decided]
    told = [tr("{cell} is {said}", cell=c.cell.name, said=_said(v)) for c, v in decided[:MOST_CELLS]]
    for answer in (Answer.FASTER, Answer.SLOWER):
        more = sum(v.answer is answer for _, v in decided[MOST_CELLS:])
        told += (
            [tr("{more} more {what} {answer}", more=more, what=tr("is") if more == 1 else tr("are"), answer=answer)]
            if more
            else []
        )
    for answer, many in ((Answer.TIE, tr("{} are ties")), (Answer.CANNOT_TELL, tr("of {} it cannot be told yet"))):
        open_ones = [(c, v) for c, v in own if v.answer is answer and v.has_interval]
        named = open_ones if len(open_ones) <= max(1, MOST_CELLS - len(told)) else []
        told += [f"{c.cell.name} {_is(v)}" for c, v in named]
        told += [many.format(len(open_ones))] if open_ones and not named else []
    return told + _without_interval([(c, v) for c, v in own if not v.has_interval])


def _without_interval(own: Sequence[tuple[Compared, Verdict]]) -> list[str]:
    """Ratios of which nobody knows how sure they are, those with one reason together."""
    told = []
    for why in dict.fromkeys(why_no_interval(v) for _, v in own):
        alike = [f"{c.cell.name} {percent(v.ratio)}" for c, v in own if why_no_interval(v) == why]
        beyond = tr(" and {alike} more", alike=len(alike) - MOST_CELLS) if len(alike) > MOST_CELLS else ""
        told.append(f"{', '.join(alike[:MOST_CELLS])}{beyond} ({why})")
    return told


def _is(v: Verdict) -> str:
    return _said(v) if v.answer is Answer.CANNOT_TELL else tr("is {said}", said=_said(v))


def bars(shown: ShownComparison) -> BarChart:
    """The bars of each workload, with everything that speaks against a pair below."""
    groups, names = [], names_beside(shown.result.choice.cells)
    for row in shown.result.rows:
        less = row.less_is_better
        cells = list(row.cells)
        if shown.by_score:
            cells.sort(key=lambda c: c.score.mean if less else -c.score.mean)
        groups.append(BarGroup(row_title(row), tuple(_bar(c, row, shown, names[c.cell.key]) for c in cells)))
    groups += index_bars(shown)
    result = shown.result
    unfair = unfair_notes(result)
    if len(unfair) > MOST_NOTES:
        unfair = [*unfair[:MOST_NOTES], tr("and {unfair} more differences", unfair=len(unfair) - MOST_NOTES)]
    foot = (*unfair, about_words(result))
    return BarChart(headline(shown), tuple(groups), foot, in_words(groups))


def unfair_notes(result: CompareResult) -> list[str]:
    """What speaks against the pairs, a line each."""
    return [_note(u) for u in result.unfair if u.difference.grade != FairnessGrade.HARMLESS]


def about_words(result: CompareResult) -> str:
    """What a difference has to be, and which units were tested."""
    units = [f"{d.name}: {standing(d)}" for d in dict.fromkeys(c.device for c in result.choice.cells) if standing(d)]
    delta = tr("Differences below {delta:g} % do not matter; intervals are of 95 %.", delta=100 * result.choice.delta)
    together = max((c.verdict.together for row in result.rows for c in row.cells if c.verdict), default=1)
    if together > 1:
        delta = tr(
            "{delta} for the {together} comparisons of a workload together (Holm).", delta=delta[:-1], together=together
        )
    return " · ".join([delta, *units])


def row_title(row: WorkRow) -> str:
    """What stands above the results of a row: the workload, the metric and what of a run it is of, unit, direction."""
    less = tr("less is better") if row.less_is_better else ""
    return f"{workload_words(row.workload)}: {', '.join(filter(None, (metric_words(row), row.metric.unit, less)))}"


def metric_words(row: WorkRow) -> str:
    """A metric; of an average what of a run it is of."""
    if row.metric.key != AVERAGE:
        return row.metric.name
    return tr("average over the scene") if row.workload.extent is Extent.SCENE else tr("average once settled")


def capacity_words(group: CapacityGroup) -> str:
    """The name of a group of batteries."""
    if group.least_wh is None or group.most_wh is None:
        return tr("batteries of which it is not noted what they hold")
    low, high = numeral(group.least_wh, ".0f"), numeral(group.most_wh, ".0f")
    return (
        tr("batteries of {low} Wh", low=low)
        if low == high
        else tr("batteries of {low} to {high} Wh", low=low, high=high)
    )


def rank_words(of: Compared, row: WorkRow) -> str:
    """The place of a cell among all of its row, and how far the next better and the next worse are from it."""
    ranked = list(row.ranked)
    place = ranked.index(of)
    if len(ranked) == 1:
        return tr("the only one")
    words = [tr("{ordinal} of {number_word}", ordinal=ordinal(row.rank(of)), number_word=number_word(len(ranked)))]
    for other in (ranked[place + 1 : place + 2], ranked[place - 1 : place] if place else []):
        for x in other:
            if x.score.mean > 0 and of.score.mean > 0:
                apart = of.score.mean / x.score.mean - 1.0
                words.append(
                    tr("{apart} above {cell}", apart=in_percent(abs(apart), 3), cell=x.cell.name)
                    if apart >= 0
                    else tr("{apart} below {cell}", apart=in_percent(abs(apart), 3), cell=x.cell.name)
                )
    return ": ".join([words[0], ", ".join(words[1:])]) if len(words) > 1 else words[0]


def index_bars(shown: ShownComparison) -> list[BarGroup]:
    """The index of all cells over the workloads that they share, the baseline at 100; none over a single one."""
    indexes = shown.result.indexes
    if not indexes or len(next(iter(indexes.values())).workloads) < 2:
        return []
    base, names = shown.result.baseline, names_beside(shown.result.choice.cells)
    bars = [Bar(names[base.key], 100.0, math.nan, math.nan, *_look(base, shown), BASELINE)]
    cells = {c.name: c for c in shown.result.choice.cells}
    for name, index in indexes.items():
        ends, look = (100.0 * index.low, 100.0 * index.high), _look(cells[name], shown)
        bars.append(Bar(names[cells[name].key], 100.0 * index.ratio, *ends, *look, percent(index.ratio)))
    extent = next(iter(indexes.values())).extent
    return [BarGroup(tr("Index over {extent}, {names} = 100", extent=extent, names=names[base.key]), tuple(bars))]


def _look(cell: BenchCell, shown: ShownComparison) -> tuple[int, bool]:
    """The colour of a cell's bar, and whether it is the subject's."""
    return shown.slots.get(cell.device.id, 0), cell.device.id == shown.subject


def _said(v: Verdict) -> str:
    if v.answer is Answer.TIE:
        return tr("a tie ({percent})", percent=percent(v.ratio))
    if not v.has_interval:
        return f"{percent(v.ratio)} ({why_no_interval(v)})"
    if v.answer is Answer.CANNOT_TELL:
        return tr("can't tell yet{would_tell}", would_tell=would_tell(v))
    return tr("{by:.1f} % {answer}{taken_out}", by=abs(100 * (v.ratio - 1)), answer=v.answer, taken_out=taken_out(v))


def _open_words(still_open: Sequence[Unfair]) -> str:
    worst = dict.fromkeys(u.difference.what for u in still_open if u.difference.grade is FairnessGrade.HOLDS_BACK)
    if worst:
        return tr("Not like for like: {worst}.", worst=", ".join(worst))
    count = len(still_open)
    return (
        tr("One difference is worth a note.")
        if count == 1
        else tr("{count} differences are worth a note.", count=count)
    )


def _note(u: Unfair) -> str:
    """A difference as it stands below a chart."""
    return f"{mark_of(u)} {named_difference(u)}" + (
        tr(" Accepted: {accepted}", accepted=u.accepted) if u.accepted else ""
    )


def mark_of(u: Unfair) -> str:
    """The mark of how much a difference speaks against a pair."""
    return OPEN_MARK if u.difference.grade is FairnessGrade.HOLDS_BACK else NOTE_MARK


def named_difference(u: Unfair) -> str:
    """A difference with the cell that it is of, where its sentence does not name it."""
    return u.difference.words if u.cell.name in u.difference.words else f"{u.cell.name}: {u.difference.words}"


def _bar(c: Compared, row: WorkRow, shown: ShownComparison, name: str) -> Bar:
    low, high = c.score.interval()
    alone = len(shown.result.choice.cells) == 1
    against = len(row.cells) > 1  # where nothing is set against it, it is no baseline
    words = c.told if alone else BASELINE if c.cell == shown.result.baseline and against else ""
    if c.verdict is not None:
        words = verdict_words(c.verdict, difference(c, row, shown))
    return Bar(name, c.score.mean, low, high, *_look(c.cell, shown), words)


def difference(c: Compared, row: WorkRow, shown: ShownComparison) -> str:
    """A cell against the baseline: in percent, or in the unit of the score; from a tiny base the absolute one first."""
    if c.verdict is None:
        return ""
    base = next(x.score.mean for x in row.cells if x.cell == shown.result.baseline)
    less = row.less_is_better
    plain = f"{signed(c.score.mean - base, 3)}".replace("-", "−")
    of_low, frames = row.metric.key in LOW_NAMES, row.metric.unit == "fps"
    if frames and is_tiny_base(base, c.score.mean, of_low):
        ms = f"{signed(1000 / c.score.mean - 1000 / base, 2)}".replace("-", "−")
        return tr("{plain} fps ({ms} ms), {percent}", plain=plain, ms=ms, percent=percent(c.verdict.ratio))
    if shown.absolute:
        return f"{plain} {row.metric.unit}".rstrip()
    if less and row.metric.key in MAIN and row.metric.unit in TIMES:
        return tr(
            "takes {mean:.1f} % {what} time",
            mean=abs(100 * (c.score.mean / base - 1)),
            what=tr("less") if c.score.mean < base else tr("more"),
        )
    return percent(c.verdict.ratio)
