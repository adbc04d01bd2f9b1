"""Cards of scores against watts: curves, equal efficiency, small multiples, and the settings as a table."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from pinch.bench.cards import CardKind, CurvesQuery
from pinch.charts.multiples import GridChart
from pinch.charts.scaling import Second, apart
from pinch.charts.spec import Chart, Dots, Guide, Line, Panel
from pinch.charts.tablechart import Heading, TableChart, in_words
from pinch.compose.bookpoints import AVERAGE, BookPoints
from pinch.compose.cards.content import Found
from pinch.compose.saying import scaling as saying
from pinch.compose.scaling import LOW_NAMES, Axis, ScaleChoice, ScalePoint, ScaleResult, Series, scale_book
from pinch.core.errors import PinchError
from pinch.core.sweetspots import PROMISES
from pinch.publish.tables import Cell, Column, Table

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
    result = replace(result, series=tuple(s for s in result.series if s.points or s.told))
    if not any(s.points for s in result.series):
        raise PinchError("No settled run of these devices and workloads is in the book.")
    finding, chart = _drawn(query, kind, result, slots)
    runs = [p.of for s in result.series for p in s.points] + [t.of for s in result.series for t in s.told]
    return Found(finding, chart, table_of(result), runs, _method(query, kind, result), scaled=result)


def choice_of(query: CurvesQuery) -> ScaleChoice:
    """What the Scale page looks at by the same query."""
    try:
        axis = Axis(query.axis)
    except ValueError:
        raise PinchError(f"The card is drawn over {query.axis!r}, which this Pinch does not know.") from None
    if query.measure != AVERAGE and query.measure not in LOW_NAMES:
        raise PinchError(f"The card asks for {query.measure!r}, which this Pinch does not know.")
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
    words = [f"{axis} watts as measured; settings are named by what they claim" if axis.of_watts else f"over {axis}"]
    if kind is CardKind.CURVES:
        drawn = [s for s in result.series if s.scaling is not None]
        words = [saying.axis_words(axis, query.rule if query.rule in PROMISES else "95%")]
        words += ["bands: 95 %"] if any(np.isfinite(s.scaling.ladder.band).all() for s in drawn if s.scaling) else []
        words += [f"dashed: {LOW_NAMES[query.low]}"] if any(s.scaling and s.scaling.lows for s in drawn) else []
    if query.measure != AVERAGE:
        words.append(f"lows by the school “{LOW_NAMES[query.measure].split(', ')[1]}”")
    if any(s.told for s in result.series):
        words.append("×: told, at the watts that are told with it")
    return words


def settings_of(s: Series) -> list[tuple[str, list[ScalePoint]]]:
    """The runs of a series by setting, by their measured watts."""
    found: dict[str, list[ScalePoint]] = {}
    for p in sorted(s.points, key=lambda p: p.power_w):
        found.setdefault(p.of.setting.name, []).append(p)
    return list(found.items())


def efficiency_chart(result: ScaleResult, slots: Mapping[int, int]) -> Chart:
    """Each setting's mean score over its mean watts, with lines of equal score per watt."""
    title, unit = saying.rate_words(result)
    dots, lines, ratios = [], [], []
    for s in result.series:
        means = sorted(_means(s), key=lambda m: m[1])
        if not means:
            continue
        slot = slots.get(s.device.id or 0, 0)
        watts, scores = np.array([[w, y] for _, w, y in means]).T
        best = int(np.argmax(scores / watts))
        ratios += (scores / watts).tolist()
        dots.append(Dots(watts, scores, tuple(name for name, _, _ in means), slot))
        peak = f"{means[best][0]}: {scores[best] / watts[best]:.3g}"
        dots.append(Dots(watts[[best]], scores[[best]], (peak,), slot, named=True))
        lines.append(Line(watts, scores, slot, s.name))
    guides = tuple(Guide(k, f"{k:g} {unit}/W") for k in round_slopes(ratios))
    panel = Panel(title, unit, tuple(apart(lines)), dots=tuple(dots), guides=guides, key="efficiency")
    words = efficiency_words(result)
    told = " ".join(f"{s.name}: " + ", ".join(f"{n} {y / w:.3g}" for n, w, y in _means(s)) + "." for s in result.series)
    alternative = f"{words} {unit} for each watt. {told}"
    return Chart(words, (panel,), saying.AXIS_TITLES[result.choice.axis], "W", alternative=alternative)


def round_slopes(ratios: Sequence[float]) -> list[float]:
    """Few round slopes within some ratios: of 1, 2, 5 and their tenfolds those between the least and the largest."""
    low, high = min(ratios), max(ratios)
    decades = range(math.floor(math.log10(low)) - 1, math.ceil(math.log10(high)) + 1)
    found = [step * 10.0**d for d in decades for step in _STEPS if 0.8 * low <= step * 10.0**d <= 1.25 * high]
    if not found:
        found = [float(f"{math.sqrt(low * high):.2g}")]
    return found[:: math.ceil(len(found) / MOST_GUIDES)]


def efficiency_words(result: ScaleResult) -> str:
    """Which setting gives the most for each watt, of every device."""
    unit = saying.rate_words(result)[1]
    best = sorted(
        ((s.name, *max(_means(s), key=lambda m: m[2] / m[1])) for s in result.series if _means(s)),
        key=lambda found: -found[3] / found[2],
    )
    words = [f"{name} {y / w:.3g} at {w:.1f} W ({setting})" for name, setting, w, y in best]
    return f"Most {unit} for each watt: {'; '.join(words)}."


def _means(s: Series) -> list[tuple[str, float, float]]:
    return [
        (name, float(np.mean([p.power_w for p in own])), float(np.mean([p.score for p in own])))
        for name, own in settings_of(s)
    ]


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
    key = dict.fromkeys((s.device.name, slots.get(s.device.id or 0, 0)) for s in result.series)
    words = multiples_words(result, query.subject)
    return GridChart(words, tuple(cells), tuple(key), alternative=" ".join(c.alternative for c in cells))


def multiples_words(result: ScaleResult, subject: int | None) -> str:
    """Where the subject's curve is nearly at its best, workload by workload."""
    own = [s for s in result.series if s.device.id == subject and s.scaling is not None]
    own = own or [s for s in result.series if s.scaling is not None]
    words = [
        f"{s.workload.name} at {s.scaling.nearly_all.power_w:.1f} W"
        for s in own
        if s.scaling and s.device == own[0].device
    ]
    if not words:
        return f"Score over watts of {len(result.series)} devices and workloads."
    return f"{own[0].device.name} gives 95 % of its best in {', in '.join(words)}."


def settings_table(result: ScaleResult, subject: int | None) -> TableChart:
    """The settings as they are printed: claimed and measured watts side by side."""
    many = len(result.choice.workload_ids) > 1
    headings = (
        Heading("Device", words=True),
        *((Heading("Workload", words=True),) if many else ()),
        Heading("Setting", words=True),
        Heading("claimed", "W"),
        Heading("measured", "W"),
        Heading("score", saying.rate_words(result)[1] if not many else ""),
        Heading("for each watt"),
        Heading("runs"),
    )
    rows: list[tuple[str, ...]] = []
    strong: set[int] = set()
    for s in result.series:
        for name, own in settings_of(s):
            watts, score = np.mean([p.power_w for p in own]), np.mean([p.score for p in own])
            claimed = own[0].claimed_w
            work = (s.workload.name,) if many else ()
            if s.device.id == subject:
                strong.add(len(rows))
            shown = ("" if claimed is None else f"{claimed:g}", f"{watts:.1f}", f"{score:.4g}", f"{score / watts:.3g}")
            rows.append((s.device.name, *work, name, *shown, str(len(own))))
    return TableChart("", headings, tuple(rows), frozenset(strong), alternative=in_words(headings, rows))


def table_of(result: ScaleResult) -> Table:
    """The settings as numbers."""
    rows: list[tuple[Cell, ...]] = []
    for s in result.series:
        unit = s.workload.score_unit if s.workload.higher_is_better else "times an hour"
        for name, own in settings_of(s):
            watts, score = float(np.mean([p.power_w for p in own])), float(np.mean([p.score for p in own]))
            states = sorted({p.of.digest.state for p in own})
            place = (s.device.name, s.workload.name, name, own[0].claimed_w)
            rows.append((*place, watts, score, unit, score / watts, len(own), ", ".join(states)))
        rows += [
            (
                *(s.device.name, s.workload.name, t.of.setting.name, t.of.setting.sustained_w, None, t.summary.score),
                *(unit, None, t.summary.repeats, "told"),
            )
            for t in s.told
        ]
    return Table("settings", COLUMNS, tuple(rows))
