"""Cards of cells set against each other: bars, pairs on one axis, slopes, shares and the verdicts as a table."""

import math
from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from pinch.analysis.cells import BenchCell, cells_of
from pinch.analysis.comparing import CompareChoice, Compared, CompareResult, WorkRow, compare_book
from pinch.analysis.offers import OfferChoice
from pinch.analysis.plain_tables import Column, Table
from pinch.analysis.points import SAME_ROOM_K, BookPoints, RunPoint
from pinch.analysis.unequal_pairs import UnequalPairs
from pinch.analysis.work_metrics import is_known, keys_of
from pinch.bench.cards import CardKind, CellQuery, CellsQuery
from pinch.bench.records import Workload
from pinch.charts.dumbbell_chart import Ball, Dumbbell, DumbbellChart
from pinch.charts.dumbbell_chart import in_words as pairs_in_words
from pinch.charts.face import Drawn
from pinch.charts.slope_chart import SlopeChart, SlopeLine
from pinch.charts.slope_chart import in_words as slopes_in_words
from pinch.charts.table_chart import Heading, TableChart, in_words
from pinch.core.errors import PinchError
from pinch.core.figures import finite
from pinch.core.metrics import LOW_NAMES, MAIN
from pinch.core.printing import plain
from pinch.core.verdict import Verdict
from pinch.language import numeral, tr
from pinch.narrative import compare_words as saying
from pinch.narrative.cards import grid_cards
from pinch.narrative.cards.content import Found
from pinch.narrative.cards.share_cards import shares_chart, shares_table, shares_words
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.price_words import money_chart, money_words
from pinch.narrative.unequal_words import with_worth
from pinch.narrative.verdict_words import index_interval, percent, taken_out, verdict_words

COLUMNS = (
    *(Column("workload"), Column("cell"), Column("score"), Column("unit"), Column("95 % from"), Column("95 % to")),
    *(Column("runs"), Column("measured", "W"), Column("against"), Column("answer"), Column("difference", "%")),
    *(
        Column("difference 95 % from", "%"),
        Column("difference 95 % to", "%"),
        Column("whose figure"),
        Column("of its units", "%"),
    ),
)
MOST_ORDERED = 3
SUPPLIES = ("mains", "battery")


def make(query: CellsQuery, kind: CardKind, book: BookPoints, slots: Mapping[int, int]) -> Found:
    """The card of a query.

    Raises
    ------
    PinchError : its cells are not in the book, or share nothing.
    """
    cells = chosen_cells(query, cells_of(book, any(c.variant_id is not None for c in query.cells)))
    if not is_known(query.measure, book.workloads):
        raise PinchError(tr("The card asks for {measure!r}, which this Pinch does not know.", measure=query.measure))
    if query.grid:
        return grid_cards.make(book, cells[0], query.grid, query.measure, query.low_share)
    offers = OfferChoice(query.price, query.rates)
    result = compare_book(
        book, CompareChoice(tuple(cells), query.workload_ids, query.measure, query.delta, offers=offers)
    )
    unequal = UnequalPairs(book)
    result = with_worth(unequal, result)
    if not result.rows:
        raise PinchError(tr("None of its cells has a run of its workloads that counts."))
    shown = ShownComparison(result, query.by_score, query.absolute, query.subject, slots)
    runs = [p for c in cells for w in query.workload_ids for p in c.points.get(w, ())]
    typed = [r for c in cells for w in query.workload_ids for r in c.results.get(w, ())]
    if kind is CardKind.DUMBBELL:
        return replace(_pairs(query, book, shown, runs, unequal), typed=typed)
    if kind is CardKind.SHARES:  # they are set beside each other, not judged
        rows = _shares_of(result)
        return Found(
            shares_words(rows), shares_chart(rows), shares_table(rows), runs, _method(query, kind), typed=typed
        )
    finding, chart = _drawn(kind, shown)
    method = [*_method(query, kind), *_order_notes(result)]
    return Found(finding, chart, table_of(shown), runs, method, (result,), typed=typed)


def chosen_cells(query: CellsQuery, cells: Sequence[BenchCell]) -> list[BenchCell]:
    """The cells of a query among those that the book has now, in its order.

    Raises
    ------
    PinchError : none of them is there any more.
    """
    found = [c for wanted in query.cells if (c := _like(wanted, cells)) is not None]
    if not found:
        raise PinchError(tr("None of its cells is in the book any more."))
    return list(dict.fromkeys(found))


def query_of(shown: ShownComparison) -> CellsQuery:
    """The query by which a card shows what the Compare page shows."""
    choice = shown.result.choice
    return CellsQuery(
        cells=tuple(cell_query(c) for c in choice.cells),
        workload_ids=choice.workload_ids,
        measure=choice.measure,
        delta=choice.delta,
        by_score=shown.by_score,
        absolute=shown.absolute,
        subject=shown.subject,
        price=choice.offers.which,
        rates=choice.offers.rates,
    )


def cell_query(cell: BenchCell) -> CellQuery:
    """A cell as a card remembers it."""
    key = cell.key
    return CellQuery(
        setting_id=key.setting_id, room_c=key.room_c, builds=key.builds, origin=key.origin, variant_id=key.variant_id
    )


def _like(wanted: CellQuery, cells: Sequence[BenchCell]) -> BenchCell | None:
    """The cell that is meant; the middle of a room may have moved with new runs."""
    own = [
        c
        for c in cells
        if (c.key.setting_id, c.key.builds, c.key.origin, c.key.variant_id)
        == (wanted.setting_id, wanted.builds, wanted.origin, wanted.variant_id)
    ]
    if wanted.room_c is None:
        return next((c for c in own if c.key.room_c is None), None)
    near = [c for c in own if c.key.room_c is not None and abs(c.key.room_c - wanted.room_c) <= SAME_ROOM_K]
    return min(near, key=lambda c: abs((c.key.room_c or 0.0) - (wanted.room_c or 0.0)), default=None)


def _drawn(kind: CardKind, shown: ShownComparison) -> tuple[str, Drawn]:
    if kind is CardKind.SLOPE:
        chart = slope_chart(shown)
        return chart.title, chart
    if kind is CardKind.MONEY:
        money = money_chart(shown)
        if money is None:
            raise PinchError(tr("It needs two devices with prices in one currency; note them on the Bench page."))
        return " ".join(money_words(shown)) or money.title, money
    if kind is CardKind.TABLE:
        return saying.against_words(shown), verdict_table(shown)
    return saying.against_words(shown), saying.bars(shown)


def _shares_of(result: CompareResult) -> list[tuple[str, Sequence[RunPoint]]]:
    """The runs of each cell under each workload."""
    return [
        (f"{c.cell.name}" + (f": {row.workload.name}" if len(result.rows) > 1 else ""), points)
        for row in result.rows
        for c in row.cells
        if (points := c.cell.points.get(row.workload.id))
    ]


def _method(query: CellsQuery, kind: CardKind) -> list[str]:
    if kind is CardKind.SHARES:
        return [tr("numbers: % of the load")]
    words = [tr("differences below {delta:g} % do not matter", delta=100 * query.delta)]
    if kind in (CardKind.BARS, CardKind.DUMBBELL):
        words.append(tr("strokes: 95 % intervals"))
    lows = [LOW_NAMES[key].split(", ")[1] for key in keys_of(query.measure) if key in LOW_NAMES]
    words += [tr("lows by the school “{school}”", school=school) for school in dict.fromkeys(lows)]
    return words


def _order_notes(result: CompareResult) -> list[str]:
    """Which differences are not those of the two numbers beside them, and what was measured."""
    found = [
        f"{c.cell.name}, {name}{taken_out(c.verdict)}"
        for name, row in saying.named_rows(result)
        for c in row.cells
        if c.verdict is not None and taken_out(c.verdict)
    ]
    more = [tr("and {found} more differences by the order of the runs", found=len(found) - MOST_ORDERED)]
    return [*found[:MOST_ORDERED], *(more if len(found) > MOST_ORDERED else [])]


def pairs_of(cells: Sequence[BenchCell]) -> list[tuple[BenchCell, BenchCell]]:
    """What belongs together: mains and battery of a device at the nearest limits where both are there, else the first
    with each other."""
    battery = [c for c in cells if not c.setting.mains]
    pairs = []
    for b in battery:
        mains = [c for c in cells if c.setting.mains and c.device.id == b.device.id]
        if mains:
            limit = b.setting.sustained_w or 0.0
            pairs.append((min(mains, key=lambda c: abs((c.setting.sustained_w or 0.0) - limit)), b))
    return pairs or [(cells[0], c) for c in cells[1:]]


def _pairs(
    query: CellsQuery, book: BookPoints, shown: ShownComparison, runs: Sequence[RunPoint], unequal: UnequalPairs
) -> Found:
    """Each pair compared by itself, all on one axis."""
    pairs = pairs_of(shown.result.choice.cells)
    if not pairs:
        raise PinchError(tr("A pair needs two cells."))
    results = [
        with_worth(unequal, compare_book(book, CompareChoice(pair, query.workload_ids, query.measure, query.delta)))
        for pair in pairs
    ]
    found = [
        (pair, row, *ends)
        for pair, result in zip(pairs, results, strict=True)
        for row in result.rows
        if (ends := _ends(row, pair)) is not None
    ]
    if not found:
        raise PinchError(tr("The cells of its pairs share no workload."))
    works = {row.workload.id for _, row, _, _ in found}
    one_unit = len(works) == 1
    rows = []
    for pair, row, a, b in found:
        by = 1.0 if one_unit else 100.0 / a.score.mean
        assert b.verdict is not None
        rows.append(
            Dumbbell(
                _pair_name(pair, row.workload, len(pairs) > 1, not one_unit),
                _ball(a, by),
                _ball(b, by),
                shown.slots.get(pair[1].device.id, 0),
                verdict_words(b.verdict, saying.difference(b, row, replace(shown, result=results[pairs.index(pair)]))),
                b.verdict.answer.is_decided,
            )
        )
    names = _end_names(pairs)
    what = _measured_name(found[0][1])
    x_title = f"{found[0][1].workload.name}{f', {what}' if what else ''}" if one_unit else ""
    x_title = x_title or f"{what or tr('Score')}, {names[0]} = 100"
    unit = _unit(found[0][1]) if one_unit else "%"
    words = _pairs_words(found, names, len(pairs) > 1, not one_unit)
    chart = DumbbellChart(words, names, x_title, unit, tuple(rows), alternative=pairs_in_words(rows, names))
    if names == SUPPLIES:  # what is compared does not speak against the pair
        results = [_without(result, "supply") for result in results]
    tables = [table_of(replace(shown, result=result)) for result in results]
    table = Table("cells", COLUMNS, tuple(dict.fromkeys(row for t in tables for row in t.rows)))
    return Found(words, chart, table, runs, _method(query, CardKind.DUMBBELL), tuple(results))


def _without(result: CompareResult, key: str) -> CompareResult:
    """A comparison without one kind of difference."""
    return replace(result, unfair=tuple(u for u in result.unfair if u.difference.key != key))


def _ends(row: WorkRow, pair: tuple[BenchCell, BenchCell]) -> tuple[Compared, Compared] | None:
    own = {c.cell.name: c for c in row.cells}
    first, second = own.get(pair[0].name), own.get(pair[1].name)
    return (first, second) if first is not None and second is not None and second.verdict is not None else None


def _pair_name(pair: tuple[BenchCell, BenchCell], workload: Workload, many: bool, works: bool) -> str:
    first, second = (c.setting.name for c in pair)
    setting = first if second.startswith(first) else f"{first}, {second}"
    if not many:
        return workload.name if works else setting
    name = f"{pair[1].device.name}, {setting}"
    return f"{name}: {workload.name}" if works else name


def _end_names(pairs: Sequence[tuple[BenchCell, BenchCell]]) -> tuple[str, str]:
    if all(a.setting.mains and not b.setting.mains for a, b in pairs):
        return SUPPLIES
    if len(pairs) == 1:
        return pairs[0][0].name, pairs[0][1].name
    return pairs[0][0].name, tr("the other")


def _ball(c: Compared, by: float) -> Ball:
    low, high = c.score.interval()
    return Ball(c.score.mean * by, low * by, high * by)


def _pairs_words(
    found: Sequence[tuple[tuple[BenchCell, BenchCell], WorkRow, Compared, Compared]],
    names: tuple[str, str],
    many: bool,
    works: bool,
) -> str:
    """What the second ends keep of the first."""
    devices = {pair[1].device.name for pair, *_ in found}
    told = []
    for pair, row, _, b in found[:3]:
        assert b.verdict is not None
        which = _pair_name(pair, row.workload, many, works) if many else row.workload.name
        if many and len(devices) == 1:
            which = which.removeprefix(f"{pair[1].device.name}, ")
        told.append(f"{which}: {_kept(b.verdict)}")
    what = _measured_name(found[0][1])
    many_keep = tr(
        "{devices} devices on battery keep of their {what} on mains", devices=len(devices), what=what or tr("score")
    )
    one_keeps = tr(
        "{device} on battery keeps of its {what} on mains", device=found[0][0][1].device.name, what=what or tr("score")
    )
    lead = one_keeps if len(devices) == 1 else many_keep
    lead = lead if names == SUPPLIES else ""
    more = tr("; and {found} more", found=len(found) - 3) if len(found) > 3 else ""
    if lead:
        return f"{lead}: {'; '.join(told)}{more}."
    by = tr(" by {what}", what=what) if what else ""
    return tr(
        "{upper}{rest} against {baseline}{by}: {told}{more}.",
        upper=names[1][0].upper(),
        rest=names[1][1:],
        baseline=names[0],
        by=by,
        told="; ".join(told),
        more=more,
    )


def _kept(v: Verdict) -> str:
    if v.answer.is_decided:
        return f"{numeral(100 * v.ratio, '.0f')} %{taken_out(v)}"
    return f"{numeral(100 * v.ratio, '.0f')} % ({verdict_words(v)})"


def _unit(row: WorkRow) -> str:
    return row.metric.unit + (tr(", less is better") if row.less_is_better else "")


def slope_chart(shown: ShownComparison) -> SlopeChart:
    """Each workload from cell to cell, % of the first; more is better."""
    result = shown.result
    columns = tuple(c.name for c in result.choice.cells)
    lines: list[SlopeLine] = []
    for row in result.rows:
        own = {c.cell.name: c for c in row.cells}
        if result.baseline.name not in own:
            continue
        values = [
            100.0 if name == columns[0] else 100.0 * v.ratio if (v := _verdict(own.get(name))) else math.nan
            for name in columns
        ]
        last = next((own[name] for name in reversed(columns) if name in own and own[name].verdict), None)
        if last is not None and last.verdict is not None:
            words = f"{percent(last.verdict.ratio)} ({verdict_words(last.verdict)})"
            sure = last.verdict.answer.is_decided
            lines.append(SlopeLine(row.workload.name, tuple(values), words, sure))
    words = saying.headline(shown, result.choice.cells[-1])
    what = _measured_name(result.rows[0]) if result.rows else ""
    y_title = f"{what or tr('Score')}, {columns[0]} = 100 %"
    slot = shown.slots.get(result.choice.cells[-1].device.id, 0)
    return SlopeChart(words, columns, tuple(lines), y_title, slot, alternative=slopes_in_words(columns, lines))


def _measured_name(row: WorkRow) -> str:
    """The metric of a row, where it is not what its workload is about; else empty."""
    return "" if row.metric.key in MAIN else row.metric.name


def _verdict(c: Compared | None) -> Verdict | None:
    return c.verdict if c else None


def verdict_table(shown: ShownComparison) -> TableChart:
    """Cells and their verdicts as they are printed."""
    headings = (
        *(
            Heading(tr("Workload"), words=True),
            Heading(tr("Cell"), words=True),
            Heading(tr("score")),
            Heading(tr("unit"), words=True),
        ),
        *(
            Heading(tr("runs")),
            Heading(tr("measured"), "W"),
            Heading(tr("answer"), words=True),
            Heading(tr("difference"), words=True),
        ),
    )
    rows: list[tuple[str, ...]] = []
    strong: set[int] = set()
    for name, row in saying.named_rows(shown.result):
        for c in row.cells:
            watts = "" if c.beside.power_w is None else numeral(c.beside.power_w, ".1f")
            base = tr("baseline") if len(row.cells) > 1 else ""
            answer = verdict_words(c.verdict) if c.verdict else base
            if c.cell.device.id == shown.subject:
                strong.add(len(rows))
            unit = row.metric.unit
            head = (name, c.cell.name, row.printed[c.cell.name], unit, c.score.behind_briefly, watts)
            rows.append((*head, answer, saying.difference(c, row, shown)))
    for name, index in shown.result.indexes.items():
        if len(index.workloads) > 1:
            works, told = tr("Index over {extent}", extent=index.extent), (index_interval(index), percent(index.ratio))
            rows.append((works, name, plain(100.0 * index.ratio), "%", "", "", *told))
    return TableChart("", headings, tuple(rows), frozenset(strong), alternative=in_words(headings, rows))


def table_of(shown: ShownComparison) -> Table:
    """Scores and verdicts as numbers."""
    rows = []
    for row in shown.result.rows:
        unit = row.metric.unit
        for c in row.cells:
            low, high = c.score.interval()
            v = c.verdict
            ratios = (None, None, None) if v is None else tuple(_percent(x) for x in (v.ratio, v.low, v.high))
            against = (shown.result.baseline.name, verdict_words(v)) if v else ("", tr("baseline"))
            runs = None if c.score.of_units else c.score.runs
            score = (c.score.mean, unit, finite(low), finite(high), runs, c.beside.power_w)
            units = 100.0 * c.yields[0].share if c.yields else None
            rows.append((row.workload.name, c.cell.name, *score, *against, *ratios, c.told or "own test", units))
    base = shown.result.baseline.name
    for name, index in shown.result.indexes.items():
        if len(index.workloads) < 2:
            continue
        ends = (finite(100.0 * index.low), finite(100.0 * index.high))
        ratios = (_percent(index.ratio), _percent(index.low), _percent(index.high))
        of = tr("index over {extent}", extent=index.extent)
        rows.append((of, name, 100.0 * index.ratio, "%", *ends, None, None, base, "index", *ratios, "", None))
    return Table("cells", COLUMNS, tuple(rows))


def _percent(ratio: float) -> float | None:
    return finite(100.0 * (ratio - 1.0))
