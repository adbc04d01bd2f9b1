"""Cards of the modes of a device: the sheet, what held each, wall, battery and sound."""

from collections.abc import Mapping, Sequence

from pinch.analysis.draws import Draw, battery_draws, wall_draws
from pinch.analysis.modes import ModeRow, ModesSheet, modes_sheet
from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.cards import CardKind, ModesQuery
from pinch.bench.records import Device, Workload
from pinch.charts.face import Drawn
from pinch.charts.table_chart import Heading, TableChart, in_words
from pinch.core.errors import PinchError
from pinch.core.printing import in_column
from pinch.language import marked, tr
from pinch.narrative import mode_words as saying
from pinch.narrative.cards.content import Found
from pinch.narrative.cards.share_cards import shares_chart, shares_table, shares_words

FIGURES = (
    *((marked("claimed"), "W", "g"), (marked("settled"), "W", ".1f"), (marked("burst"), "W", ".1f")),
    *((marked("clock held"), "%", ".0f"), (marked("clock"), "GHz", ".2f"), (marked("chip"), "°C", ".0f")),
    *((marked("to its limit"), "K", ".0f"), (marked("score"), "", ".4g"), (marked("for each watt"), "", ".3g")),
    *((marked("level"), "dB(A)", ".1f"), (marked("hottest surface"), "°C", ".1f"), (marked("wall"), "W", ".1f")),
    *((marked("full battery"), "min", ".0f"), (marked("runs"), "", "d")),
)
"""Name, unit and form of the figures of a setting."""


def make(query: ModesQuery, kind: CardKind, book: BookPoints, slots: Mapping[int, int]) -> Found:
    """The card of a query.

    Raises
    ------
    PinchError : there is nothing to show.
    """
    device = next((d for d in book.devices if d.id == query.device_id), None)
    workload = next((w for w in book.workloads if w.id == query.workload_id), None)
    if device is None or workload is None:
        raise PinchError(tr("Its device or its workload is not in the book any more."))
    sheet = modes_sheet(book, device, workload, query.room_c, query.grade)
    if not sheet.rows:
        raise PinchError(
            tr("{device} has no run of {workload} that counts in the book.", device=device.name, workload=workload.name)
        )
    return _found(query, kind, book, sheet, slots.get(device.id, 0))


def _found(query: ModesQuery, kind: CardKind, book: BookPoints, sheet: ModesSheet, slot: int) -> Found:
    runs = [p for r in sheet.rows for p in r.runs]
    own = saying.own_points(book, sheet.device.id)
    table = table_of(sheet)
    if kind is CardKind.SHARES:
        rows = [(r.setting.name, r.runs) for r in sheet.rows]
        finding = f"{sheet.device.name}, {sheet.workload.name}: {_small(shares_words(rows))}"
        return Found(finding, shares_chart(rows), shares_table(rows), runs, ["numbers: % of the load"])
    chart: Drawn | None = sheet_chart(sheet)
    finding, method = saying.headline(sheet, query.share), [tr("settings are named by what they claim")]
    method += [tr("~: by the line")] if any(r.wall_w is None and r.wall_by_line is not None for r in sheet.rows) else []
    if kind is CardKind.WALL:
        draws = wall_draws(own)
        runs, table = _runs_of(draws), _draws_table(draws, "wall")
        chart = saying.wall_chart(sheet, own, book.instruments, slot)
        finding, method = saying.wall_words(sheet, own, book.instruments), [tr("wall and package watts as measured")]
    elif kind is CardKind.BATTERY:
        draws = battery_draws(own)
        runs, table = _runs_of(draws), _draws_table(draws, "battery")
        chart = saying.battery_chart(sheet, own, slot, query.package_w)
        finding, method = saying.battery_words(sheet, query.package_w), [tr("draw of the battery over package watts")]
    elif kind is CardKind.SOUND:
        chart = saying.sound_chart(sheet, query.limit_db, slot)
        finding, method = saying.quiet_words(sheet, query.limit_db), _sound_method(sheet, query)
    if kind is not CardKind.SHEET:
        finding = f"{sheet.device.name}: {_small(finding)}"
    if chart is None:
        raise PinchError(
            tr("{device} has nothing measured for this: {what}.", device=sheet.device.name, what=finding.rstrip("."))
        )
    return Found(finding, chart, table, runs, method)


def _runs_of(draws: Sequence[Draw]) -> list[RunPoint]:
    return list({d.of.run.id: d.of for d in draws}.values())


def _draws_table(draws: Sequence[Draw], source: str) -> Table:
    """What is drawn, as numbers."""
    columns = (
        *(Column("device"), Column("workload"), Column("setting"), Column("run"), Column("at rest")),
        *(Column("package", "W"), Column(source, "W")),
    )
    rows: list[tuple[Cell, ...]] = [
        (
            *(d.of.device.name, d.of.workload.name, d.of.setting.name, d.of.run.id, d.at_rest),
            *(d.package_w, d.drawn_w),
        )
        for d in draws
    ]
    return Table(source, columns, tuple(rows))


def _sound_method(sheet: ModesSheet, query: ModesQuery) -> list[str]:
    distances = sorted({d for r in sheet.rows if r.noise for d in r.noise.distances})
    where = (
        tr("at {words}", words=", ".join(tr("{d:g} cm", d=d / 10) for d in distances))
        if distances
        else tr("at a distance that is not noted")
    )
    off = [r.noise.corrected is not None for r in sheet.rows if r.noise]
    room = tr("the room taken off by {grade}", grade=query.grade) + (
        "" if all(off) else tr(", where its level is known")
    )
    return [room if any(off) else tr("levels as read, with the room in them"), tr("levels {where}", where=where)]


def _small(words: str) -> str:
    """A sentence that goes on after a colon."""
    return words[0].lower() + words[1:]


def figures_of(row: ModeRow) -> tuple[float | int | None, ...]:
    """The figures of a setting in the order of `FIGURES`, None where one cannot be had."""
    hold = None if row.hold is None else 100.0 * row.hold
    clock = None if row.clock_mhz is None else row.clock_mhz / 1000.0
    wall = row.wall_w if row.wall_w is not None else row.wall_by_line
    return (
        *(row.setting.sustained_w, row.power_w, row.burst_w, hold, clock, row.temp_c, row.headroom_k, row.score),
        *(row.per_watt, row.noise.level if row.noise else None, row.hottest.touch.temp_c if row.hottest else None),
        *(wall, row.battery_min[0] if row.battery_min else None, len(row.runs)),
    )


def sheet_chart(sheet: ModesSheet) -> TableChart:
    """The sheet as it is printed; figures that no setting has are left out."""
    rows = [figures_of(r) for r in sheet.rows]
    kept = [n for n in range(len(FIGURES)) if any(row[n] is not None for row in rows)]
    units = [_unit(sheet.workload, name, unit) for name, unit, _ in FIGURES]
    headings = (
        Heading(tr("Setting"), words=True),
        *(Heading(tr(FIGURES[n][0]), units[n]) for n in kept),
    )
    columns = {n: in_column([row[n] for row in rows], FIGURES[n][2]) for n in kept}
    cells = [(r.setting.name, *(_shown(r, n, columns[n][place]) for n in kept)) for place, r in enumerate(sheet.rows)]
    return TableChart("", headings, tuple(cells), alternative=in_words(headings, cells))


def _shown(row: ModeRow, place: int, shown: str) -> str:
    if not shown:
        return ""
    name = FIGURES[place][0]
    if name == "wall" and row.wall_w is None:
        return f"~ {shown}"
    bound = name == "level" and row.noise and row.noise.corrected and row.noise.corrected.upper_bound
    return f"≤ {shown}" if bound else shown


def _unit(workload: Workload, name: str, unit: str) -> str:
    own = workload.score_unit if workload.higher_is_better else tr("times an hour")
    return {"score": own, "for each watt": f"{own}/W"}.get(name, unit)


def table_of(sheet: ModesSheet) -> Table:
    """The sheet as numbers."""
    columns = (
        Column("device"),
        Column("workload"),
        Column("setting"),
        *(Column(name, _unit(sheet.workload, name, unit)) for name, unit, _ in FIGURES),
        Column("marks"),
    )
    rows: list[tuple[Cell, ...]] = [
        (sheet.device.name, sheet.workload.name, r.setting.name, *figures_of(r), ", ".join(r.marks)) for r in sheet.rows
    ]
    return Table("modes", columns, tuple(rows))


def workloads_of(book: BookPoints, device: Device) -> list[Workload]:
    """The workloads that a device has runs of, those with most settings first."""
    settings: dict[int, set[int]] = {}
    for p in book.points:
        if p.run.device_id == device.id and not p.why_unusable:
            settings.setdefault(p.run.workload_id, set()).add(p.run.setting_id)
    by_id = {w.id: w for w in book.workloads}
    return [by_id[w] for w in sorted(settings, key=lambda w: (-len(settings[w]), w))]
