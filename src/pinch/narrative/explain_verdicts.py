"""What the margin says of verdicts."""

import math

from pinch.analysis.comparing import Compared, Unfair, WorkRow
from pinch.bench.parts import Offer
from pinch.core.cell_scores import with_scatter
from pinch.core.generations import UpliftSplit
from pinch.core.index import Index
from pinch.core.money import MoneyPair
from pinch.core.printing import in_percent, listed, plain, signed
from pinch.core.run_order import TREND_AT, OrderedPair, Trend
from pinch.core.verdict import Answer, Verdict
from pinch.language import day_words, numeral, tr
from pinch.narrative.compare_words import ShownComparison, rank_words, row_title
from pinch.narrative.explanation import Explanation
from pinch.narrative.verdict_words import index_interval, percent, step_words
from pinch.narrative.yield_words import CAUTION, yield_words

LEAST_SHOWN = 1e-10
"""Variance of ln ratio that is not spoken of."""


def explain_verdict(c: Compared, row: WorkRow, shown: ShownComparison) -> Explanation:
    """A verdict with the numbers of both cells."""
    assert c.verdict is not None
    v, result = c.verdict, shown.result
    base = next(x for x in row.cells if x.cell == result.baseline)
    delta = 100 * result.choice.delta
    scatter = [
        tr(
            "{cell}: scatter {log_sd}{what}.",
            cell=x.cell.name,
            log_sd=in_percent(s.log_sd),
            what=tr(" (borrowed)") if s.borrowed else "",
        )
        for x in (c, base)
        if math.isfinite((s := with_scatter(x.score, row.pooled)).log_sd)
    ]
    return Explanation(
        f"{c.cell.name}: {v.answer.phrase}",
        _meaning(v, delta),
        (*_verdict_lines(c, base, row), *(yield_words(y) for y in c.yields), rank_words(c, row)),
        row.workload.name,
        " ".join(scatter) or tr("Single runs: no interval can be claimed."),
        "verdicts",
        (*_doubts(c, base, row), *(u.difference.words for u in result.unfair if u.cell == c.cell and u.is_open)),
    )


def _meaning(v: Verdict, delta: float) -> str:
    """Why an answer is what it is; `delta` in %."""
    if v.answer is Answer.TIE:
        return tr("The 90 % interval lies within ± {delta:g} %: a tie is a result.", delta=delta)
    if v.answer.is_decided:
        return tr("The 95 % interval excludes 0, and the difference is at least {delta:g} %.", delta=delta)
    if not v.has_interval or v.borrowed:
        return tr("Only what was repeated can be told apart.")
    return tr("The interval neither excludes 0 nor lies within ± {delta:g} %.", delta=delta)


def _verdict_lines(c: Compared, base: Compared, row: WorkRow) -> list[str]:
    """The numbers of both cells, and what their order did."""
    assert c.verdict is not None
    v, less = c.verdict, row.less_is_better
    lines = [
        tr("{mean} of {behind}", mean=plain(c.score.mean, 5), behind=c.score.behind),
        tr("against {mean} of {behind}", mean=plain(base.score.mean, 5), behind=base.score.behind),
        tr(
            "{ratio} × as {what}: {percent}",
            ratio=plain(v.ratio),
            what=tr("fast") if less else tr("much"),
            percent=percent(v.ratio),
        ),
    ]
    if less:
        time = 100 * (1 - c.score.mean / base.score.mean)
        lines.append(tr("takes {time:.1f} % {what} time", time=abs(time), what=tr("less") if time >= 0 else tr("more")))
    if v.has_interval:
        lines.append(
            tr(
                "95 %: {low} to {high}{together_words}",
                low=percent(v.low),
                high=percent(v.high),
                together_words=together_words(v),
            )
        )
    return lines + (order_lines(v.ordered) if v.ordered is not None else [])


def _doubts(c: Compared, base: Compared, row: WorkRow) -> list[str]:
    """What qualifies a verdict, and what would tell more."""
    assert c.verdict is not None
    v = c.verdict
    told = [f"{v.words[0].upper()}{v.words[1:]}."] if v.words else []
    told += [CAUTION] if c.yields else []
    told += [f"{x.cell.name}: {_trend_words(t)}." for x in (c, base) if (t := x.score.trend) and t.chance <= TREND_AT]
    if v.ordered is None and v.answer.is_decided:
        told.append(tr("In which order the runs were made is not known: a drift or another day cannot be seen."))
    if v.step is not None:
        told.append(
            tr("What would tell: {step_words}.", step_words=step_words(v.step, c.cell, base.cell, row.workload.id))
        )
    return told


def _trend_words(trend: Trend) -> str:
    way = tr("rise") if trend.per_run > 0 else tr("fall")
    return tr(
        "its runs {way} by {per_run:.1f} % each (Mann–Kendall, p = {chance:.2g})",
        way=way,
        per_run=100 * abs(trend.per_run),
        chance=trend.chance,
    )


def together_words(v: Verdict) -> str:
    """That an interval is for several comparisons as one; empty for a single one."""
    return tr(", for {together} comparisons together", together=v.together) if v.together > 1 else ""


def order_lines(ordered: OrderedPair) -> list[str]:
    """What an interval is made of where it is known when the runs were made."""
    parts = (
        (tr("scatter"), ordered.scatter_variance),
        (tr("a drift"), ordered.drift_variance),
        (tr("days"), ordered.day_variance),
    )
    shares = ", ".join(f"{name} {in_percent(math.sqrt(v))}" for name, v in parts if v > LEAST_SHOWN)
    lines = [tr("run {phrase}", phrase=ordered.order.phrase), tr("standard uncertainty: {shares}", shares=shares)]
    if ordered.drift.is_evident:
        lines.append(
            tr(
                "drift {per_run} ± {u:.2g} % a run",
                per_run=signed(100 * ordered.drift.per_run, 2),
                u=100 * ordered.drift.u,
            )
        )
    return lines


def explain_rank(c: Compared, row: WorkRow) -> Explanation:
    """Where a result stands among the others of its row."""
    scatter = (
        tr("Scatter {log_sd}.", log_sd=in_percent(c.score.log_sd))
        if math.isfinite(c.score.log_sd)
        else tr("Nothing was repeated.")
    )
    return Explanation(
        c.cell.name,
        rank_words(c, row),
        (f"{plain(c.score.mean, 5)} {row.metric.unit}".rstrip(), tr("of {behind}", behind=c.score.behind)),
        row_title(row),
        scatter,
        "verdicts",
    )


def explain_uplift(name: str, base: str, split: UpliftSplit) -> Explanation:
    """How much of an uplift is the design's."""
    interval = design_interval(split)
    return Explanation(
        tr("{name} over {base}", name=name, base=base),
        tr(
            "Both curves are read at the same watts; what is left of the uplift there is the "
            "design's, the rest comes from drawing more."
        ),
        (
            tr(
                "{percent}, of which {points_words} at equal watts",
                percent=percent(1 + split.total),
                points_words=points_words(split.design),
            ),
            tr(
                "{watts_ratio:.2f} × the watts bring {points_words}",
                watts_ratio=split.watts_ratio,
                points_words=points_words(split.watts),
            ),
        ),
        tr("Read {read_at}, where both devices were measured.", read_at=read_at(split)),
        f"95 %: {interval}" if interval else "",
        "generations",
    )


def points_words(share: float) -> str:
    """A share as points of a percentage."""
    return tr("{share:+.1f} points", share=100 * share).replace("-", "−")


def design_interval(split: UpliftSplit) -> str:
    """The interval of the design's part; empty where there is none."""
    if not math.isfinite(split.design_low):
        return ""
    return tr(
        "{average} to {low}",
        average=points_words(split.design_low),
        low=points_words(split.design_high),
    )


def read_at(split: UpliftSplit) -> str:
    """The watts at which both curves were read."""
    return tr("at {words} W", words=listed([numeral(w, ".1f") for w in split.at_w]))


def explain_difference(u: Unfair, baseline: str) -> Explanation:
    """A difference of conditions between a cell and the baseline."""
    d = u.difference
    return Explanation(
        f"{d.what.capitalize()}: {d.effect}",
        d.words,
        (f"{u.cell.name}: {d.a}", f"{baseline}: {d.b}"),
        tr("Of {workloads}.", workloads=", ".join(u.workloads)),
        "",
        "fairness",
        (tr("Accepted: {accepted}", accepted=u.accepted),) if u.accepted else (),
    )


def explain_index(name: str, index: Index) -> Explanation:
    """The geometric mean of a cell over all workloads."""
    between, apart = index_interval(index), apart_words(index)
    return Explanation(
        tr("{name} over all workloads", name=name),
        "The geometric mean of the ratios: it does not depend on what is the base. Every workload counts the same, "
        "however many variants of it there are.",
        (f"{plain(index.ratio)}", percent(index.ratio)),
        ", ".join(index.workloads),
        f"95 %: {between}" if between else "",
        "index",
        (apart,) if apart else (),
    )


def apart_words(index: Index) -> str:
    """The workloads that stand apart; empty where none do."""
    return tr("stands apart: {outliers}", outliers=", ".join(index.outliers)) if index.outliers else ""


def explain_price(name: str, base: str, offer: Offer, index: Index, pair: MoneyPair) -> Explanation:
    """Price and score of a cell against the baseline's."""
    return Explanation(
        tr("{name}: money", name=name),
        tr("The price difference beside the score difference. Whether it is worth it is yours to say."),
        (
            tr(
                "price {low}, score {high}",
                low=percent(1 + pair.price_difference),
                high=percent(1 + pair.score_difference),
            ),
            tr("score for money: {value_ratio} × that of {base}", value_ratio=plain(pair.value_ratio, 3), base=base),
            tr("as much for money at {break_even:.0f} {currency}", break_even=pair.break_even, currency=offer.currency),
        ),
        tr("Score: geometric mean over {workloads}.", workloads=", ".join(index.workloads)),
        tr(
            "Price of {date}, {what}.",
            date=day_words(offer.date) or tr("no noted date"),
            what=" ".join(filter(None, (offer.seller, offer.region))),
        ),
        "money",
        (
            tr(
                "Brought to an equal configuration by {allowance:+g} {currency}.",
                allowance=offer.allowance,
                currency=offer.currency,
            ),
        )
        if offer.allowance
        else (),
    )
