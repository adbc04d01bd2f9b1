"""What the margin says of verdicts."""

import math

from pinch.analysis.comparing import Compared, Unfair, WorkRow
from pinch.bench.parts import Offer
from pinch.core.fairness import GRADE_WORDS
from pinch.core.generations import UpliftSplit
from pinch.core.index import Index
from pinch.core.money import MoneyPair
from pinch.core.printing import counted, in_percent, plain
from pinch.core.verdict import Answer, with_scatter
from pinch.narrative.compare_words import ShownComparison, rank_words, row_title
from pinch.narrative.explanation import Explanation
from pinch.narrative.verdict_words import percent
from pinch.narrative.yield_words import CAUTION, yield_words


def explain_verdict(c: Compared, row: WorkRow, shown: ShownComparison) -> Explanation:
    """A verdict with the numbers of both cells."""
    assert c.verdict is not None
    v, result = c.verdict, shown.result
    base = next(x for x in row.cells if x.cell == result.baseline)
    delta = 100 * result.choice.delta
    less = row.less_is_better
    formula = [
        f"{plain(c.score.mean, 5)} of {c.score.runs} runs",
        f"against {plain(base.score.mean, 5)} of {base.score.runs}",
        f"{plain(v.ratio)} × as {'fast' if less else 'much'}: {percent(v.ratio)}",
    ]
    if less:
        time = 100 * (1 - c.score.mean / base.score.mean)
        formula.append(f"takes {abs(time):.1f} % {'less' if time >= 0 else 'more'} time")
    if v.has_interval:
        formula.append(f"95 %: {percent(v.low)} to {percent(v.high)}")
    meanings = {
        Answer.TIE: f"The 90 % interval lies within ± {delta:g} %: a tie is a result.",
        Answer.CANNOT_TELL: f"The interval neither excludes 0 nor lies within ± {delta:g} %.",
    }
    sure = f"The 95 % interval excludes 0, and the difference is at least {delta:g} %."
    both = [(x.cell.name, with_scatter(x.score, row.pooled)) for x in (c, base)]
    scatter = [
        f"{name}: scatter {in_percent(s.log_sd)}{' (borrowed)' if s.borrowed else ''}."
        for name, s in both
        if math.isfinite(s.log_sd)
    ]
    formula += [yield_words(y) for y in c.yields]
    formula.append(rank_words(c, row))
    cautions = [v.words] if v.words else []
    if c.yields:
        cautions.append(CAUTION)
    if v.more_runs:
        cautions.append(f"{counted(v.more_runs, 'more run')} of each would tell with 80 % power.")
    cautions += [u.difference.words for u in result.unfair if u.cell == c.cell and u.is_open]
    return Explanation(
        f"{c.cell.name}: {v.answer.phrase}",
        meanings.get(v.answer, sure),
        tuple(formula),
        row.workload.name,
        " ".join(scatter) or "Single runs: no interval can be claimed.",
        "verdicts",
        tuple(cautions),
    )


def explain_rank(c: Compared, row: WorkRow) -> Explanation:
    """Where a result stands among the others of its row."""
    scatter = f"Scatter {in_percent(c.score.log_sd)}." if math.isfinite(c.score.log_sd) else "Nothing was repeated."
    return Explanation(
        c.cell.name,
        rank_words(c, row),
        (f"{plain(c.score.mean, 5)} {row.metric.unit}".rstrip(), f"of {counted(c.score.runs, 'run')}"),
        row_title(row),
        scatter,
        "verdicts",
    )


def explain_uplift(name: str, base: str, split: UpliftSplit) -> Explanation:
    """How much of an uplift is the design's."""
    interval = design_interval(split)
    return Explanation(
        f"{name} over {base}",
        "Both curves are read at the same watts; what is left of the uplift there is the design's, the rest comes from "
        "drawing more.",
        (
            f"{percent(1 + split.total)}, of which {points_words(split.design)} at equal watts",
            f"{split.watts_ratio:.2f} × the watts bring {points_words(split.watts)}",
        ),
        f"Read {read_at(split)}, where both devices were measured.",
        f"95 %: {interval}" if interval else "",
        "generations",
    )


def points_words(share: float) -> str:
    """A share as points of a percentage."""
    return f"{100 * share:+.1f} points".replace("-", "−")


def design_interval(split: UpliftSplit) -> str:
    """The interval of the design's part; empty where there is none."""
    if not math.isfinite(split.design_low):
        return ""
    return f"{points_words(split.design_low)} to {points_words(split.design_high)}"


def read_at(split: UpliftSplit) -> str:
    """The watts at which both curves were read."""
    return f"at {' and '.join(f'{w:.1f}' for w in split.at_w)} W"


def explain_difference(u: Unfair, baseline: str) -> Explanation:
    """A difference of conditions between a cell and the baseline."""
    d = u.difference
    return Explanation(
        f"{d.what.capitalize()}: {GRADE_WORDS[d.grade]}",
        d.words,
        (f"{u.cell.name}: {d.a}", f"{baseline}: {d.b}"),
        f"Of {', '.join(u.workloads)}.",
        "",
        "fairness",
        (f"Accepted: {u.accepted}",) if u.accepted else (),
    )


def explain_index(name: str, index: Index) -> Explanation:
    """The geometric mean of a cell over all workloads."""
    between, apart = index_interval(index), apart_words(index)
    return Explanation(
        f"{name} over all workloads",
        "The geometric mean of the ratios: it does not depend on what is the base. Every workload counts the same.",
        (f"{plain(index.ratio)}", percent(index.ratio)),
        ", ".join(index.workloads),
        f"95 %: {between}" if between else "",
        "index",
        (apart,) if apart else (),
    )


def index_interval(index: Index) -> str:
    """The interval of an index as differences; empty where there is none."""
    return f"{percent(index.low)} to {percent(index.high)}" if math.isfinite(index.low) else ""


def apart_words(index: Index) -> str:
    """The workloads that stand apart; empty where none do."""
    return f"stands apart: {', '.join(index.outliers)}" if index.outliers else ""


def explain_price(name: str, base: str, offer: Offer, index: Index, pair: MoneyPair) -> Explanation:
    """Price and score of a cell against the baseline's."""
    return Explanation(
        f"{name}: money",
        "The price difference beside the score difference. Whether it is worth it is yours to say.",
        (
            f"price {percent(1 + pair.price_difference)}, score {percent(1 + pair.score_difference)}",
            f"score for money: {plain(pair.value_ratio, 3)} × that of {base}",
            f"as much for money at {pair.break_even:.0f} {offer.currency}",
        ),
        f"Score: geometric mean over {', '.join(index.workloads)}.",
        f"Price of {offer.date or 'no noted date'}, {' '.join(filter(None, (offer.seller, offer.region)))}.",
        "money",
        (f"Brought to an equal configuration by {offer.allowance:+g} {offer.currency}.",) if offer.allowance else (),
    )
