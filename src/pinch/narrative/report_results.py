"""The results of a report in one table, where its device stands among the others, how long its battery lasts, and what
was not tested."""

import math
from collections.abc import Iterator, Mapping, Sequence

from pinch.analysis.cells import BenchCell, cells_of
from pinch.analysis.comparing import CompareChoice, Compared, CompareResult, WorkRow, cell_value, compare_book
from pinch.analysis.modes import ModeRow, modes_sheet
from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.work_metrics import BOTH
from pinch.bench.readings import Quantity
from pinch.bench.records import Device, Setting, Workload
from pinch.charts.table_chart import Heading, TableChart
from pinch.core.metrics import AVERAGE, LOW_NAMES, SCORE, Metric
from pinch.core.printing import counted, listed, number_word
from pinch.core.verdict import Answer
from pinch.language import numeral, tr
from pinch.narrative.cards.mode_cards import workloads_of
from pinch.narrative.claims import Claim
from pinch.narrative.mode_words import hours_words
from pinch.narrative.verdict_words import taken_out, why_no_interval

LOW = "low_1.percentile"
MOST_NAMED = 6


def results_tables(points: BookPoints, devices: Sequence[Device]) -> tuple[TableChart, ...]:
    """Every result of some devices, a table a workload with all of its variants, and how it was set: cell, average and
    low, runs, watts, and the place among those of the same room and origin."""
    cells = [c for c in cells_of(points) if c.device in devices]
    works = [w for w in points.workloads if any(w.id in c.workload_ids for c in cells)]
    measure = f"{AVERAGE}{BOTH}{LOW}"
    result = compare_book(points, CompareChoice(tuple(cells), tuple(w.id for w in works), measure))
    by_root: dict[int, list[Workload]] = {}
    for w in works:
        by_root.setdefault(w.root_id, []).append(w)
    names = {w.id: w.name for w in points.workloads}
    return tuple(
        table
        for root, variants in by_root.items()
        for table in _tables_of(result, variants, names[root] if len(variants) > 1 else variants[0].name)
    )


def _tables_of(result: CompareResult, variants: Sequence[Workload], name: str) -> Iterator[TableChart]:
    """The tables of a workload, or of all variants of one: a table a metric, with its low beside it."""
    several = len(variants) > 1
    by_metric: dict[tuple[Metric, bool], list[tuple[Workload, WorkRow, Mapping[str, str]]]] = {}
    for workload in variants:
        own = [row for row in result.rows if row.workload.id == workload.id]
        lows = next((row for row in own if row.metric.key in LOW_NAMES), None)
        for row in own:
            if row is not lows:
                found = by_metric.setdefault((row.metric, row.less_is_better), [])
                found.append((workload, row, lows.printed if lows is not None else {}))
    for (metric, less_is_better), found in by_metric.items():
        has_low = any(low_of for _, _, low_of in found)
        low = (Heading(LOW_NAMES[LOW], metric.unit),) if has_low else ()
        figures = (Heading(tr("result"), metric.unit), *low, Heading(tr("runs")), Heading(tr("measured"), "W"))
        variant = (Heading(tr("variant"), words=True),) if several else ()
        headings = (Heading(tr("Cell"), words=True), *variant, *figures, Heading(tr("place by the mean, in its room")))
        unit = metric.unit + (tr(", less is better") if less_is_better else "")
        title = name if several else ", ".join(filter(None, (name, set_words(variants[0]))))
        rows = [
            (cell, *((", ".join(filter(None, (w.variant, set_words(w)))),) if several else ()), *cells)
            for w, row, low_of in found
            for cell, *cells in _rows(row, low_of if has_low else None)
        ]
        yield TableChart(f"{title}: {unit}" if unit else title, headings, tuple(rows))


def _rows(row: WorkRow, low_of: Mapping[str, str] | None) -> Iterator[tuple[str, ...]]:
    """The cells of a workload under a metric, the best first; with a column of their lows where there is one."""
    for c in row.ranked:
        watts = "" if c.beside.power_w is None else numeral(c.beside.power_w, ".1f")
        lowest = (low_of.get(c.cell.name, ""),) if low_of is not None else ()
        yield c.cell.name, row.printed[c.cell.name], *lowest, c.score.behind_briefly, watts, _place(c, row)


def set_words(w: Workload) -> str:
    """How a workload is set beside what its name says: resolution, preset, upscaling with what it is worked out at,
    made frames, cap."""
    inner = tr(" from {inner_resolution}", inner_resolution=w.inner_resolution) if w.inner_resolution else ""
    cap = tr("cap {frame_cap_fps:g} fps", frame_cap_fps=w.frame_cap_fps) if w.frame_cap_fps else ""
    parts = (w.resolution, w.preset, f"{w.upscaling}{inner}" if w.upscaling else inner.strip(), w.frame_generation, cap)
    return ", ".join(part for part in parts if part and part not in w.name.split(", "))


def _place(of: Compared, row: WorkRow) -> str:
    """The place among the cells of the same room that are the same's figures, 1 for the best; cells of one mean share
    theirs. Of a room that nobody noted it is told only where none was."""
    room, whose = of.cell.key.room_c, of.cell.key.origin
    rooms = {c.cell.key.room_c for c in row.cells if c.cell.key.origin == whose}
    beside = [c for c in row.ranked if (c.cell.key.room_c, c.cell.key.origin) == (room, whose)]
    if room is None and len(rooms) > 1:
        return ""
    means = [c.score.mean for c in beside]
    return tr("{index} of {means}", index=means.index(of.score.mean) + 1, means=len(means)) if len(means) > 1 else ""


def rank_claims(points: BookPoints, subject: Device, devices: Sequence[Device]) -> list[Claim]:
    """Workload by workload, how the device at its best setting stands to the others at theirs, in one room."""
    cells = cells_of(points)
    told, unjudged = list[Claim](), list[CompareResult]()
    for workload in points.workloads:
        rooms = [c.key.room_c for c in cells if c.device == subject and workload.id in c.workload_ids]
        if not rooms:
            continue
        room = max(dict.fromkeys(rooms), key=rooms.count)
        best = [
            cell
            for d in (subject, *(d for d in devices if d != subject))
            if (cell := _best(workload, [c for c in cells if c.device == d and c.key.room_c == room]))
        ]
        if len(best) > 1 and best[0].device == subject:
            result = compare_book(points, CompareChoice(tuple(best), (workload.id,)))
            claim = _rank(result, workload)
            told += [claim] if claim is not None else []
            unjudged += [result] if claim is None and any(c.verdict for r in result.rows for c in r.cells) else []
    return told + ([_unjudged(unjudged, len(told) + len(unjudged))] if unjudged else [])


def _unjudged(results: Sequence[CompareResult], compared: int) -> Claim:
    """Under which workloads nothing tells who is ahead."""
    names = [r.rows[0].workload.name for r in results]
    named = (
        listed(names)
        if len(names) <= MOST_NAMED
        else tr("{names} and {more} more workloads", names=", ".join(names[:3]), more=len(names) - 3)
    )
    why = tr("no difference can be judged without repeats, or a word on how far they scatter")
    cells = [(c, r.rows[0].workload.id) for r in results for c in r.choice.cells]
    runs = tuple(p.run.id for c, w in cells for p in c.points.get(w, ()))
    typed = tuple(x.id for c, w in cells for x in c.results.get(w, ()))
    return Claim(
        "rank-unjudged",
        tr("Who is ahead under {named} is not told: {why}.", named=named, why=why),
        len(names),
        compared,
        runs,
        typed,
    )


def _best(workload: Workload, cells: Sequence[BenchCell]) -> BenchCell | None:
    """The cell with the best mean."""
    found = {c: cell_value(c, workload, AVERAGE) or cell_value(c, workload, SCORE) for c in cells}
    means = {c: mean for c, mean in found.items() if mean is not None}
    if not means:
        return None
    return max(means, key=lambda c: means[c]) if workload.higher_is_better else min(means, key=lambda c: means[c])


def _rank(result: CompareResult, workload: Workload) -> Claim | None:
    if not result.rows:
        return None
    row, base = result.rows[0], result.baseline
    against = [(c.cell, c.verdict) for c in row.cells if c.verdict is not None]
    if not against:
        return None
    of = {
        # A verdict is of the other against this one.
        tr("ahead of"): Answer.SLOWER,
        tr("behind"): Answer.FASTER,
        tr("level with"): Answer.TIE,
        tr("not to be told apart from"): Answer.CANNOT_TELL,
    }
    known = [(c, v) for c, v in against if v.answer is not Answer.CANNOT_TELL or v.has_interval]
    if not known:
        return None
    told = {words: [f"{c.name}{taken_out(v)}" for c, v in known if v.answer is is_so] for words, is_so in of.items()}
    for c, v in against:
        if (c, v) not in known:
            told.setdefault(
                tr("not judged ({why_no_interval}) against", why_no_interval=why_no_interval(v)), []
            ).append(c.name)
    parts = [f"{words} {listed(names)}" for words, names in told.items() if names]
    many = (
        tr("the other device")
        if len(against) == 1
        else tr("{number_word} other devices", number_word=number_word(len(against)))
    )
    printed = f"{row.printed[base.name]} {row.metric.unit}".rstrip()
    words = tr(
        "{workload}, each at its best setting: {base} ({printed}) against {many}: {parts}.",
        workload=workload.name,
        base=base.name,
        printed=printed,
        many=many,
        parts="; ".join(parts),
    )
    runs = tuple(p.run.id for c in result.choice.cells for p in c.points.get(workload.id, ()))
    typed = tuple(r.id for c in result.choice.cells for r in c.results.get(workload.id, ()))
    return Claim("rank", words, len(told[tr("ahead of")]), len(against), runs, typed)


def battery_table(points: BookPoints, subject: Device) -> TableChart | None:
    """Minutes of a full battery by setting and use; None where nothing tells of them."""
    rows = [
        (row.setting.name, workload.name, *_lasting(row))
        for workload in workloads_of(points, subject)
        for row in modes_sheet(points, subject, workload, None).rows
        if row.battery_min is not None and math.isfinite(row.battery_min[0])
    ]
    if not rows:
        return None
    headings = (
        *(Heading(tr("Setting"), words=True), Heading(tr("use"), words=True), Heading(tr("package"), "W")),
        *(Heading(tr("full battery lasts")), Heading(tr("how it is known"), words=True)),
    )
    return TableChart(tr("{subject} on its battery, by mode and use", subject=subject.name), headings, tuple(rows))


def _lasting(row: ModeRow) -> tuple[str, str, str]:
    assert row.battery_min is not None
    value, low, high = (hours_words(minutes / 60.0) for minutes in row.battery_min)
    between = tr(" ({low} to {high})", low=low, high=high) if low != high else ""
    on_battery = not row.setting.mains
    known = (
        tr("run on battery, draw by the line over watts")
        if on_battery
        else tr("run on mains, draw by the line over watts")
    )
    return numeral(row.power_w, ".1f") if row.power_w is not None else "", f"{value}{between}", known


def untested_claims(points: BookPoints, devices: Sequence[Device]) -> list[Claim]:
    """What of these devices has no run or reading that counts."""
    counting = [p for p in points.points if not p.why_not and p.run.summary is None]
    settings = [(d, s) for d, s in points.settings if d in devices]
    told = [*_never_run(settings, counting, points), *_pairs(settings, counting, devices)]
    on_battery = {p.run.device_id for p in counting if not p.setting.mains}
    mobile = [d for d in devices if d.battery.usable_wh]
    told += _lacking("battery", tr("ran on battery"), mobile, on_battery, tr("No device with a battery"))
    return told + _unmeasured(counting, points, devices)


def _unmeasured(counting: Sequence[RunPoint], points: BookPoints, devices: Sequence[Device]) -> list[Claim]:
    """Of which devices nobody measured the wall, the noise or a surface."""
    read = {p.run.device_id: set[Quantity]() for p in counting}
    for p in counting:
        read[p.run.device_id] |= {r.quantity for r in points.readings.get(p.run.id, ())}
    told = []
    wall = {p.run.device_id for p in counting if p.digest.wall_w is not None or "wall.power.load_mean" in p.read}
    noise = {d for d, found in read.items() if Quantity.NOISE in found}
    surface = {d for d, found in read.items() if Quantity.SURFACE in found}
    surface |= {p.run.device_id for p in counting if p.digest.surfaces}
    noise |= {p.run.device_id for p in counting if "noise.level.load_mean" in p.read}
    for code, words, there in (
        ("wall", tr("had its watts at the wall measured"), wall),
        ("noise", tr("had its noise measured"), noise),
        ("surface", tr("had a surface measured"), surface),
    ):
        told += _lacking(code, words, devices, there)
    return told


def _lacking(
    code: str, what: str, devices: Sequence[Device], there: set[int], none: str = tr("No device")
) -> list[Claim]:
    """Which devices have no such thing; nothing where all have it."""
    without = [d for d in devices if d.id not in there]
    if not without:
        return []
    if len(without) == len(devices):
        who = none if len(devices) > 1 else tr("{devices} never", devices=devices[0].name)
        return [Claim(f"no-{code}", f"{who} {what}.", len(without), len(devices))]
    words = tr("{name} never {what}.", name=listed([d.name for d in without]), what=what)
    return [Claim(f"no-{code}", words, len(without), len(devices))]


def _never_run(
    settings: Sequence[tuple[Device, Setting]], counting: Sequence[RunPoint], points: BookPoints
) -> list[Claim]:
    run = {p.run.setting_id for p in counting} | {r.setting_id for r in points.results}
    run |= {p.run.setting_id for p in points.points if p.run.summary is not None and not p.why_not}
    never = [f"{d.name}, {s.name}" for d, s in settings if s.id not in run]
    if not never:
        return []
    more = tr(" and {never} more", never=len(never) - MOST_NAMED) if len(never) > MOST_NAMED else ""
    have = tr("has") if len(never) == 1 else tr("have")
    words = tr(
        "{never} of {settings} {have} no result: ",
        never=len(never),
        settings=counted(len(settings), "setting"),
        have=have,
    )
    named = "; ".join(never[:MOST_NAMED])
    return [Claim("never-run", f"{words}{named}{more}.", len(never), len(settings))]


def _pairs(
    settings: Sequence[tuple[Device, Setting]], counting: Sequence[RunPoint], devices: Sequence[Device]
) -> list[Claim]:
    """How many pairs of setting and workload were run, device by device, where not all were."""
    works = {p.run.workload_id for p in counting if p.device in devices}
    told = []
    for d in devices:
        own = [s for owner, s in settings if owner == d]
        run = {(p.run.setting_id, p.run.workload_id) for p in counting if p.device == d}
        of = len(own) * len(works)
        if 0 < len(run) < of:
            words = tr(
                "{name}: {run} of {of} pairs of its {own} and the {works} of this test {what} run; "
                "nothing is said of the others.",
                name=d.name,
                run=len(run),
                of=of,
                own=counted(len(own), "setting"),
                works=counted(len(works), "workload"),
                what=tr("was") if len(run) == 1 else tr("were"),
            )
            told.append(Claim("pairs", words, len(run), of, tuple(p.run.id for p in counting if p.device == d)))
    return told
