"""Cards of scores against watts: curves, equal efficiency, small multiples, and the settings as a table."""

import math
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from pinch.analysis.curves import Axis, ScaleChoice, ScaleResult, scale_book
from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import BookPoints
from pinch.bench.cards import CardKind, CurvesQuery
from pinch.charts.multiples_chart import GridChart
from pinch.charts.scale_chart import Second, apart
from pinch.charts.spec import Chart, Dots, Guide, Line, Panel
from pinch.charts.table_chart import Heading, TableChart, in_words
from pinch.core.errors import PinchError
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.core.printing import plain
from pinch.core.sweetspots import PROMISES
from pinch.language import numeral, tr
from pinch.narrative import curve_words as saying
from pinch.narrative.cards.content import Found

COLUMNS = (
    *(Column("device"), Column("workload"), Column("setting"), Column("claimed", "W"), Column("measured", "W")),
    *(Column("score"), Column("score unit"), Column("score per watt"), Column("runs"), Column("window")),
)
MOST_GUIDES = 4
_STEPS = (1.0, 2.0, 5.0)


def make(query: CurvesQuery, kind: CardKind, book: BookPoints, slots: Mapping[int, int]) -> Found:
    """The card of a query.

    Raises
    ------
    PinchError : there is nothing to show.
    """
    result = scale_book(book, choice_of(query))
    result = replace(result, series=tuple(s for s in result.series if s.points or s.told or s.claimed))
    if not any(s.points for s in result.series):
        raise PinchError(tr("No settled run of these devices and workloads is in the book."))
    finding, chart = _drawn(query, kind, result, slots)
    runs = [p.of for s in result.series for p in s.points] + [t.of for s in result.series for t in s.told if t.of]
    typed = [t.result for s in result.series for t in s.told if t.result]
    return Found(finding, chart, table_of(result), runs, _method(query, kind, result), scaled=result, typed=typed)


def choice_of(query: CurvesQuery) -> ScaleChoice:
    """What the Scale page looks at by the same query."""
    try:
        axis = Axis(query.axis)
    except ValueError:
        raise PinchError(
            tr("The card is drawn over {axis!r}, which this Pinch does not know.", axis=query.axis)
        ) from None
    if query.measure != AVERAGE and query.measure not in LOW_NAMES:
        raise PinchError(tr("The card asks for {measure!r}, which this Pinch does not know.", measure=query.measure))
    return ScaleChoice(
        query.device_ids,
        query.workload_ids,
        query.room_c,
        query.measure,
        query.low if query.low in LOW_NAMES else "low_1.percentile",
        axis,
        query.delta,
        query.worth,
        query.target,
        query.low_share,
    )


def query_of(
    choice: ScaleChoice, rule: str, second: Second, reader_w: float | None, subject: int | None
) -> CurvesQuery:
    """The query by which a card shows what the Scale page shows."""
    return CurvesQuery(
        device_ids=choice.device_ids,
        workload_ids=choice.workload_ids,
        room_c=choice.room_c,
        measure=choice.measure,
        low=choice.low,
        axis=str(choice.axis),
        delta=choice.delta,
        worth=choice.worth,
        target=choice.target,
        low_share=choice.low_share,
        rule=rule,
        second=str(second),
        reader_w=reader_w,
        subject=subject,
    )


def _drawn(
    query: CurvesQuery, kind: CardKind, result: ScaleResult, slots: Mapping[int, int]
) -> tuple[str, Chart | GridChart | TableChart]:
    if kind is CardKind.EFFICIENCY:
        return efficiency_words(result), efficiency_chart(result, slots)
    if kind is CardKind.MULTIPLES:
        return multiples_words(result, query.subject), multiples_chart(query, result, slots)
    if kind is CardKind.TABLE:
        return saying.headline(result, query.subject), settings_table(result, query.subject)
    rule = query.rule if query.rule in PROMISES else "95%"
    chart = saying.chart(result, slots, query.subject, rule, _second(query.second), query.reader_w)
    return saying.headline(result, query.subject), chart


def _second(words: str) -> Second:
    try:
        return Second(words)
    except ValueError:
        return Second.NOTHING


def _method(query: CurvesQuery, kind: CardKind, result: ScaleResult) -> list[str]:
    """What the marks are, measured or claimed, and the school of lows."""
    axis = Axis(query.axis)
    words = [
        tr("{axis} watts as measured; settings are named by what they claim", axis=axis)
        if axis.of_watts
        else tr("over {axis}", axis=axis)
    ]
    if kind is CardKind.CURVES:
        drawn = [s for s in result.series if s.scaling is not None]
        words = [saying.axis_words(axis, query.rule if query.rule in PROMISES else "95%")]
        words += (
            [tr("bands: 95 %")] if any(np.isfinite(s.scaling.ladder.band).all() for s in drawn if s.scaling) else []
        )
        words += (
            [tr("dashed: {low_names}", low_names=LOW_NAMES[query.low])]
            if any(s.scaling and s.scaling.lows for s in drawn)
            else []
        )
    if query.measure != AVERAGE:
        words.append(tr("lows by the school “{split}”", split=LOW_NAMES[query.measure].split(", ")[1]))
    told = [t for s in result.series for t in s.told if t.placed_w]
    if told:
        claimed = sum(t.power_w is None for t in told)
        at = (
            tr("claimed by their settings")
            if claimed == len(told)
            else tr("told with them, else claimed by their settings")
        )
        words.append(tr("×: told, not measured, at the watts {what}", what=at if claimed else tr("told with them")))
    return words


def efficiency_chart(result: ScaleResult, slots: Mapping[int, int]) -> Chart:
    """Each setting's mean score over its mean watts, with lines of equal score per watt."""
    title, unit = saying.rate_words(result)
    dots, lines, ratios = [], [], []
    for s in result.series:
        means = s.settings
        if not means:
            continue
        slot = slots.get(s.device.id, 0)
        watts, scores = np.array([[m.power_w, m.score] for m in means]).T
        best = int(np.argmax(scores / watts))
        ratios += (scores / watts).tolist()
        dots.append(Dots(watts, scores, tuple(m.name for m in means), slot))
        peak = f"{means[best].name}: {plain(means[best].per_watt, 3)}"
        dots.append(Dots(watts[[best]], scores[[best]], (peak,), slot, named=True))
        lines.append(Line(watts, scores, slot, s.name))
    guides = tuple(Guide(k, tr("{k:g} {unit}/W", k=k, unit=unit)) for k in round_slopes(ratios))
    panel = Panel(title, unit, tuple(apart(lines)), dots=tuple(dots), guides=guides, key="efficiency")
    words = efficiency_words(result)
    told = " ".join(
        f"{s.name}: " + ", ".join(f"{m.name} {plain(m.per_watt, 3)}" for m in s.settings) + "." for s in result.series
    )
    alternative = tr("{words} {unit} for each watt. {told}", words=words, unit=unit, told=told)
    return Chart(words, (panel,), saying.AXIS_TITLES[result.choice.axis], "W", alternative=alternative)


def round_slopes(ratios: Sequence[float]) -> list[float]:
    """Few round slopes within some ratios: of 1, 2, 5 and their tenfolds those between the least and the largest."""
    low, high = min(ratios), max(ratios)
    decades = range(math.floor(math.log10(low)) - 1, math.ceil(math.log10(high)) + 1)
    found = [step * 10.0**d for d in decades for step in _STEPS if 0.8 * low <= step * 10.0**d <= 1.25 * high]
    if not found:
        found = [float(numeral(math.sqrt(low * high), ".2g"))]
    return found[:: math.ceil(len(found) / MOST_GUIDES)]


def efficiency_words(result: ScaleResult) -> str:
    """Which setting gives the most for each watt, of every device."""
    unit = saying.rate_words(result)[1]
    best = [(s.name, max(own, key=lambda m: m.per_watt)) for s in result.series if (own := s.settings)]
    best.sort(key=lambda found: -found[1].per_watt)
    words = [
        tr(
            "{device} {per_watt} at {watts:.1f} W ({setting})",
            device=name,
            per_watt=plain(m.per_watt, 3),
            watts=m.power_w,
            setting=m.name,
        )
        for name, m in best
    ]
    return tr("Most {unit} for each watt: {words}.", unit=unit, words="; ".join(words))


def multiples_chart(query: CurvesQuery, result: ScaleResult, slots: Mapping[int, int]) -> GridChart:
    """A small chart of curves for each workload."""
    cells = []
    for workload_id in query.workload_ids:
        own = tuple(s for s in result.series if s.workload.id == workload_id)
        if own:
            part = replace(result, series=own)
            chart = saying.chart(part, slots, query.subject, "95%", Second.NOTHING, None)
            solid = tuple(replace(line, dashed=False, label="") for line in chart.panels[0].lines if line.label)
            plain = tuple(d for d in chart.panels[0].dots if not (d.light or d.told or d.spot))
            panel = replace(chart.panels[0], title="", lines=solid, dots=plain)
            title = own[0].workload.name
            cells.append(replace(chart, title=title, panels=(panel,), x_title="Measured", footnote="", reader=None))
    key = dict.fromkeys((s.device.name, slots.get(s.device.id, 0)) for s in result.series)
    words = multiples_words(result, query.subject)
    return GridChart(words, tuple(cells), tuple(key), alternative=" ".join(c.alternative for c in cells))


def multiples_words(result: ScaleResult, subject: int | None) -> str:
    """Where the subject's curve is nearly at its best, workload by workload."""
    own = [s for s in result.series if s.device.id == subject and s.scaling is not None]
    own = own or [s for s in result.series if s.scaling is not None]
    words = [
        tr("{workload} at {power_w:.1f} W", workload=s.workload.name, power_w=s.scaling.nearly_all.power_w)
        for s in own
        if s.scaling and s.device == own[0].device
    ]
    if not words:
        return tr("Score over watts of {series} devices and workloads.", series=len(result.series))
    return tr("{device} gives 95 % of its best in {words}.", device=own[0].device.name, words=", in ".join(words))


def settings_table(result: ScaleResult, subject: int | None) -> TableChart:
    """The settings as they are printed: claimed and measured watts side by side."""
    many = len(result.choice.workload_ids) > 1
    headings = (
        Heading(tr("Device"), words=True),
        *((Heading(tr("Workload"), words=True),) if many else ()),
        Heading(tr("Setting"), words=True),
        Heading(tr("claimed"), "W"),
        Heading(tr("measured"), "W"),
        Heading(tr("score"), saying.rate_words(result)[1] if not many else ""),
        Heading(tr("for each watt")),
        Heading(tr("runs")),
    )
    rows: list[tuple[str, ...]] = []
    strong: set[int] = set()
    for s in result.series:
        for m in s.settings:
            work = (s.workload.name,) if many else ()
            if s.device.id == subject:
                strong.add(len(rows))
            claimed = "" if m.claimed_w is None else numeral(m.claimed_w, "g")
            watts, runs = numeral(m.power_w, ".1f"), str(len(m.points))
            shown = (claimed, watts, plain(m.score), plain(m.per_watt, 3), runs)
            rows.append((s.device.name, *work, m.name, *shown))
    return TableChart("", headings, tuple(rows), frozenset(strong), alternative=in_words(headings, rows))


def table_of(result: ScaleResult) -> Table:
    """The settings as numbers."""
    rows: list[tuple[Cell, ...]] = []
    for s in result.series:
        unit = s.workload.score_unit if s.workload.higher_is_better else tr("times an hour")
        rows += [
            (
                *(s.device.name, s.workload.name, m.name, m.claimed_w, m.power_w, m.score, unit),
                *(m.per_watt, len(m.points), ", ".join(m.states)),
            )
            for m in s.settings
        ]
        rows += [
            (
                *(s.device.name, s.workload.name, t.setting.name, t.setting.sustained_w, None, t.score),
                *(unit, None, t.n, "told"),
            )
            for t in s.told
        ]
    return Table("settings", COLUMNS, tuple(rows))
