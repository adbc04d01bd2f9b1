"""Cards of single runs: timeline, overlay, sorted frames, heat, and what held each."""

from collections.abc import Callable, Mapping, Sequence

from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.cards import CardKind, RunsQuery
from pinch.charts.frame_charts import NamedFrames, frame_curves
from pinch.charts.spec import Chart
from pinch.core.errors import PinchError
from pinch.core.figures import finite
from pinch.core.printing import plain
from pinch.language import tr
from pinch.narrative.book_tables import TabledRun, book_tables
from pinch.narrative.cards.content import Found
from pinch.narrative.cards.share_cards import shares_chart, shares_table, shares_words
from pinch.narrative.run_words import RunStory, heat_charts, names_of, overlay_of

MOST_RUNS, FIGURES = 6, 1
"""Runs of a card at most; the place of the figures among the tables of a book."""
FRAME_COLUMNS = (
    *(Column("run"), Column("frames"), Column("average", "fps"), Column("median", "fps")),
    *(Column("1 % low, percentile", "fps"), Column("1 % low, mean of worst", "fps")),
    *(Column("1 % low, time share", "fps"), Column("0.1 % low, percentile", "fps"), Column("stutters")),
)


def make(
    query: RunsQuery,
    kind: CardKind,
    book: BookPoints,
    slots: Mapping[int, int],
    story: Callable[[RunPoint], RunStory],
) -> Found:
    """The card of a query; `story` judges a run.

    Raises
    ------
    PinchError : a run is not there any more, or has nothing of the kind.
    """
    by_id = {p.run.id: p for p in book.points}
    points = [by_id[number] for number in query.run_ids[:MOST_RUNS] if number in by_id]
    if not points:
        raise PinchError(tr("None of its runs is in the book any more."))
    if kind is CardKind.SHARES:
        named = names_of(points)
        one = f"{points[0].device.name}, " if len({p.device.id for p in points}) == 1 else ""
        rows = [(f"{one}{name}", (p,)) for name, p in zip(named, points, strict=True)]
        return Found(shares_words(rows), shares_chart(rows), shares_table(rows), points, ["numbers: % of the load"])
    stories = [story(p) for p in points]
    slot = slots.get(points[0].device.id, 0)
    if kind is CardKind.FRAMES:
        finding, chart = _frames(stories, slots)
        method = [tr("lows by the school “percentile”"), tr("frames of the settled window")]
        return Found(finding, chart, frame_table(stories), points, method)
    chart, finding = _timeline(stories, kind, slot)
    shaded = tr("shaded: the settled window") if len(stories) == 1 else tr("each from the start of its load on")
    tabled = [TabledRun(s.run, s.device, s.setting, s.workload, s.readings, s.judged) for s in stories]
    return Found(finding, chart, book_tables(tabled)[FIGURES], points, [shaded])


def _timeline(stories: Sequence[RunStory], kind: CardKind, slot: int) -> tuple[Chart, str]:
    first = stories[0]
    if kind is CardKind.HEAT:
        charts = heat_charts(first, slot)
        if not charts or first.judged.heat is None:
            raise PinchError(
                tr("The heat of this run cannot be fitted: it has no power or no temperature, or is too short.")
            )
        r = first.judged.heat.r_th
        spread = f" ± {plain(r.u, 2)}" if r.u == r.u else ""
        return charts[0], tr(
            "{device}, {setting}: each watt makes it {value:.2f}{spread} K hotter.",
            device=first.device.name,
            setting=first.setting.name,
            value=r.value,
            spread=spread,
        )
    if len(stories) > 1:
        chart = overlay_of(stories)
        return chart, f"{chart.title}."
    return first.chart(slot), f"{first.device.name}, {first.setting.name}: {first.headline}"


def _frames(stories: Sequence[RunStory], slots: Mapping[int, int]) -> tuple[str, Chart]:
    names = names_of(stories) if len(stories) > 1 else (f"{stories[0].device.name}, {stories[0].setting.name}",)
    made = [
        NamedFrames(name, s.judged.kinds, s.judged.frames, slots.get(s.device.id, 0))
        for name, s in zip(names, stories, strict=True)
        if s.judged.kinds is not None and s.judged.frames is not None
    ]
    if not made:
        raise PinchError(tr("None of its runs has single frames in its log."))
    told = [
        tr(
            "{name} {average_fps:.1f} fps, 1 % low {percentile:.1f}",
            name=m.name,
            average_fps=m.figures.average_fps,
            percentile=m.figures.low_1.percentile,
        )
        for m in made
    ]
    finding = f"{stories[0].workload.name}: {'; '.join(told)}."
    return finding, frame_curves(made, finding)


def frame_table(stories: Sequence[RunStory]) -> Table:
    """Average and lows by all schools as numbers."""
    rows: list[tuple[Cell, ...]] = []
    for s in stories:
        f = s.judged.frames
        if f is not None:
            low = f.low_1
            lows = (low.percentile, low.mean_of_worst, low.time_share, f.low_01.percentile)
            rows.append((_name(s), f.frames, f.average_fps, f.median_fps, *(finite(x) for x in lows), f.stutters))
    return Table("frames", FRAME_COLUMNS, tuple(rows))


def _name(s: RunStory) -> str:
    return tr(
        "{device}, {setting}, {workload}, run {repeat}",
        device=s.device.name,
        setting=s.setting.name,
        workload=s.workload.name,
        repeat=s.run.repeat,
    )
