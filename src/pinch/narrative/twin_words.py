"""A prediction in words: what it says, what it rests on, and how far such predictions are off. It is called predicted
wherever it stands."""

import math

from msgspec import Struct

from pinch.analysis.foreseen import Foreseen
from pinch.analysis.work_metrics import metric_of
from pinch.charts.spec import minutes
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted, in_percent, listed, plain, told_once, with_decimals
from pinch.core.twin import Miss
from pinch.core.twin_course import PredictedCourse
from pinch.core.twin_runs import HEAT, LIMIT, WORK, Foretold
from pinch.language import tr
from pinch.narrative.cautions import RAISED_LIMITS
from pinch.narrative.explanation import Explanation

RULES = {LIMIT: tr("its limit on power"), HEAT: tr("its heat limit"), WORK: tr("the work itself")}
SURE = 0.95
MOST_CELLS = 6


class ForetoldRow(Struct, frozen=True):
    """A predicted figure in words: its name, value, 95 % interval, and how far predictions of it were off cells that
    were left out."""

    name: str
    value: str
    interval: str
    miss: str
    key: str
    figure: Foretold


def headline(f: Foreseen) -> str:
    """What would be held, in a sentence."""
    told = f.told
    held = [_with_unit(told.power)]
    if told.clock.known:
        held.append(_with_unit(told.clock))
    if told.temp.known:
        held.append(_with_unit(told.temp))
    if told.score.known:
        held.append(f"{plain(score(f).value, 3)} {score(f).unit}".strip())
    sure = "" if told.certainty >= SURE else tr(", which is {share} sure", share=in_percent(told.certainty))
    return tr(
        "Predicted, not measured: {change} it would hold {held}; {rule} would rule{sure}.",
        change=change_words(f),
        held=listed(held),
        rule=RULES[told.kind],
        sure=sure,
    )


def change_words(f: Foreseen) -> str:
    """What was asked, as a sentence begins with it."""
    change, parts = f.told.change, []
    if math.isfinite(change.limit_w):
        parts.append(tr("at a limit of {watts:g} W", watts=change.limit_w))
    if math.isfinite(change.lock_mhz):
        parts.append(tr("locked at {mhz:,.0f} MHz", mhz=change.lock_mhz))
    if math.isfinite(change.room_c):
        parts.append(tr("in a room of {room:g} °C", room=change.room_c))
    if change.fan:
        parts.append(tr("with {fan}", fan=change.fan))
    if change.cooling:
        parts.append(tr("with a cooler that carries {share:+.0f} %", share=100.0 * change.cooling))
    return listed(parts) or tr("as it is")


def score(f: Foreseen) -> Foretold:
    """The score in the unit of its work; of a task that takes so long, the time."""
    work, told = f.of.workload, f.told.score
    unit = metric_of(work, AVERAGE).unit
    if work.higher_is_better or not told.known:
        return Foretold(told.value, told.low, told.high, unit)
    return Foretold(3600.0 / told.value, 3600.0 / told.high, 3600.0 / told.low, unit)


def rows(f: Foreseen) -> list[ForetoldRow]:
    """Every figure that is told."""
    told, course = f.told, f.course
    found = [
        (tr("Package power"), told.power, "power"),
        (tr("Clock"), told.clock, "clock"),
        (tr("Temperature"), told.temp, "temp"),
        (tr("Score"), score(f), "score"),
        (tr("Length of the burst"), course.burst if course else None, ""),
        (tr("Heat begins to hold it after"), course.heat if course else None, ""),
        (tr("Full battery lasts"), f.battery, ""),
    ]
    return [
        ForetoldRow(name, _with_unit(figure), _interval(figure), _miss(f.misses.get(key), figure.unit), key, figure)
        for name, figure, key in found
        if figure is not None and figure.known
    ]


def notes(f: Foreseen) -> list[str]:
    """What the reader must know of it."""
    found = [rests_on(f)]
    if f.of.notes:
        runs = counted(len(f.of.notes), "run")
        found.append(tr("Left out: {runs}, named beside each of its figures.", runs=runs))
    if not f.misses:
        found.append(tr("No cell could be left out and predicted by the others, so nothing says how far this is off."))
    if f.lacking:
        found.append(f.lacking)
    elif f.course is not None and 1.0 - SURE < f.course.meets_heat < SURE:
        share = in_percent(f.course.meets_heat)
        words = tr(
            "Heat begins to hold it within {minutes:.0f} minutes with a probability of {share}.",
            minutes=f.length_s / 60.0,
            share=share,
        )
        found.append(words)
    if f.course is not None:
        found.append(over_time(f, f.course))
    return [*found, RAISED_LIMITS]


def over_time(f: Foreseen, course: PredictedCourse) -> str:
    """What would rule when."""
    parts = []
    if course.burst.known:
        parts.append(tr("its burst limit for {seconds:.0f} s", seconds=course.burst.value))
    rule = RULES[LIMIT if math.isfinite(f.told.change.limit_w) else WORK]
    if course.heat.known:
        parts += [tr("{rule} until {until}", rule=rule, until=minutes(course.heat.value)), RULES[HEAT]]
    else:
        parts.append(RULES[f.told.kind] if f.told.kind != HEAT else rule)
    return tr("Over time: {parts}.", parts=tr(", then ").join(dict.fromkeys(parts)))


def rests_on(f: Foreseen) -> str:
    """The cells behind it."""
    cells = f.told.rests_on
    named = "; ".join(cells[:MOST_CELLS])
    if len(cells) > MOST_CELLS:
        named = tr("{named} and {n} more", named=named, n=len(cells) - MOST_CELLS)
    return tr("It rests on {runs} settled runs; its rule on {cells}.", runs=len(f.of.twin.runs), cells=named)


def left_out(f: Foreseen) -> list[str]:
    """The runs that it does not rest on, each with its reason."""
    told = told_once(n.text for n in f.of.notes)
    more = len(told) - MOST_CELLS
    rest = [tr("{runs} left out as well.", runs=counted(more, "other run"))] if more > 0 else []
    return [*(tr("Left out: {run}", run=words) for words in told[:MOST_CELLS]), *rest]


def explain(f: Foreseen, row: ForetoldRow) -> Explanation:
    """A predicted figure."""
    miss = f.misses.get(row.key)
    return Explanation(
        tr("{name}, predicted", name=row.name),
        headline(f),
        (row.value, row.interval),
        rests_on(f),
        _miss_words(miss, row.figure.unit),
        "what-if",
        (*notes(f)[1:], *left_out(f)),
    )


def _miss_words(miss: Miss | None, unit: str) -> str:
    if miss is None:
        return tr("It was not tried on cells that were left out.")
    return tr(
        "Left out one after the other, {n} cells were predicted {off} off what was measured, {most} at most; {held} of "
        "the intervals held it.",
        n=miss.n,
        off=_off(miss.rms, unit),
        most=_off(miss.most, unit),
        held=miss.held,
    )


def _miss(miss: Miss | None, unit: str) -> str:
    return "" if miss is None else tr("{off} over {n} cells", off=_off(miss.rms, unit), n=miss.n)


def _off(value: float, unit: str) -> str:
    return f"{with_decimals(value, 1)} K" if unit == "°C" else f"{with_decimals(100.0 * value, 1)} %"


def _with_unit(figure: Foretold) -> str:
    return f"{plain(figure.value, 3)} {figure.unit}".strip()


def _interval(figure: Foretold) -> str:
    return tr("{low} to {high}", low=plain(figure.low, 3), high=plain(figure.high, 3))
