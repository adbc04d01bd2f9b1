"""The report of a book: its cards in sections, with all that a reader has to know to judge them."""

import hashlib
from collections.abc import Sequence

from msgspec.structs import replace

from pinch import __version__
from pinch.analysis.comparing import Unfair
from pinch.analysis.modes import ModeRow, ModesSheet, modes_sheet
from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.references import is_own
from pinch.bench.book import Book
from pinch.bench.cards import CardKind
from pinch.bench.digests import log_hash
from pinch.bench.licences import LICENCES
from pinch.bench.records import Device, Result, standing
from pinch.charts.table_chart import Heading, TableChart
from pinch.core.errors import PinchError
from pinch.core.fairness import FairnessGrade
from pinch.core.printing import counted
from pinch.language import numeral, tr
from pinch.narrative import mode_words as modes_saying
from pinch.narrative.cards.bench_cards import price_words, units_words
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.deck import Deck
from pinch.narrative.cards.mode_cards import sheet_chart, workloads_of
from pinch.narrative.claims import Claim, of_runs
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.price_words import money_words
from pinch.narrative.report_claims import data_claims, limit_claims, tested_claims
from pinch.narrative.report_heat import heat_claims, sound_claim
from pinch.narrative.report_pictures import pictures_section, with_pictures
from pinch.narrative.report_results import battery_table, rank_claims, results_tables, untested_claims
from pinch.narrative.story import Story, StoryFigure, StorySection

QUIET_DB = 35.0
_OWN_SECTION = {
    CardKind.SHEET: "modes",
    CardKind.HEAT: "heat",
    CardKind.SOUND: "sound",
    CardKind.WALL: "power",
    CardKind.BATTERY: "power",
}
"""Cards that stand in the section of their subject; all others answer questions."""


def story_of(book: Book, deck: Deck, day: str) -> Story:
    """The report, dated `day`.

    Raises
    ------
    PinchError : the deck has no card for it.
    """
    shown = [c for c in deck.contents if c.card.in_report and c.found is not None]
    if not shown:
        raise PinchError(tr("The deck has no card with something to show; send one from any page with Ctrl+K."))
    report = deck.report
    left_out = tuple(f"{c.card.name}: {c.problem}" for c in deck.contents if c.card.in_report and c.found is None)
    return Story(
        report.title or tr("A report without a title"),
        report.standfirst,
        report.publication,
        report.author,
        report.edition,
        day,
        LICENCES.get(report.licence, (report.licence, "")),
        tuple(with_pictures(sections_of(deck), pictures_section(book, _tested(deck), runs_behind(deck)))),
        __version__,
        fingerprint(book, runs_behind(deck), deck),
        left_out,
    )


def sections_of(deck: Deck) -> list[StorySection]:
    """The sections of a report that have something to say, in their order."""
    report, points = deck.report, deck.points
    shown = [c for c in deck.contents if c.card.in_report and c.found is not None]
    subject = _subject(deck, shown)
    runs, typed = runs_behind(deck), typed_behind(deck)
    devices = _tested(deck)
    tested_here = points.tested_here
    here = [d for d in devices if d.id in tested_here]
    figures = _figures(shown, points)
    sheet = _sheet(points, subject)
    sections = [
        StorySection("verdict", tr("Verdict"), written=_lines(report.verdict)),
        StorySection("for", tr("What speaks for it"), items=_lines(report.speaks_for)),
        StorySection("against", tr("What speaks against it"), items=_lines(report.speaks_against)),
        StorySection("glance", tr("At a glance"), items=tuple(c.finding for c in shown)),
        _devices(devices, here, report.disclosure),
        _method(points, runs),
        StorySection("questions", tr("Questions and answers"), figures=figures.get("questions", ())),
        StorySection(
            "results",
            tr("All results"),
            claims=tuple(rank_claims(points, subject, devices)) if subject is not None else (),
            tables=results_tables(points, devices),
        ),
        _modes(subject, sheet, figures.get("modes", ())),
        _heat(subject, points, sheet, figures.get("heat", ())),
        _sound(sheet, figures.get("sound", ())),
        _power(subject, points, sheet, figures.get("power", ())),
        _fairness(shown),
        _prices(devices, shown),
        StorySection("untested", tr("What was not tested"), listed=tuple(untested_claims(points, here))),
        _limits(shown, runs, typed, here, points),
        _data(points, runs, typed),
    ]
    return [s for s in sections if not s.is_empty]


def _lines(text: str) -> tuple[str, ...]:
    """The lines of somebody's own words."""
    return tuple(line.strip() for line in text.splitlines() if line.strip())


def _tested(deck: Deck) -> list[Device]:
    """The devices that the report is about: those of its cards."""
    shown = [c.found for c in deck.contents if c.card.in_report and c.found is not None]
    used = {p.run.device_id for found in shown for p in found.runs} | {r.device_id for f in shown for r in f.typed}
    return [d for d in deck.points.devices if d.id in used and is_own(d.id)]


def fingerprint(book: Book, runs: Sequence[RunPoint], deck: Deck) -> str:
    """A short name of all that the report rests on: the same logs, records and cards give the same."""
    digest = hashlib.sha256()
    for p in sorted(runs, key=lambda p: p.run.id):
        digest.update(f"{log_hash(book, p.run.id)}{p.run}{p.device}{p.setting}{p.workload}".encode())
    for content in deck.contents:
        digest.update(content.card.model_dump_json().encode())
    digest.update(deck.report.model_dump_json().encode())
    return digest.hexdigest()[:12]


def _subject(deck: Deck, shown: Sequence[CardContent]) -> Device | None:
    """The device that the report is of: as chosen, else that of the most cards, one that was tested before others."""
    by_id = {d.id: d for d in deck.points.devices}
    devices = [p.device for c in shown if c.found for p in c.found.runs]
    devices += [by_id[r.device_id] for c in shown for r in _typed_of(c) if r.device_id in by_id]
    chosen, here = by_id.get(deck.report.device_id or 0), deck.points.tested_here
    return chosen or max(devices, key=lambda d: (devices.count(d), d.id in here), default=None)


def runs_behind(deck: Deck) -> list[RunPoint]:
    """All runs of this book behind the cards of the report and its table of all results, each once, oldest first."""
    devices = {d.id for d in _tested(deck)}
    ids = {p.run.id for c in deck.contents if c.card.in_report and c.found for p in c.found.runs}
    ids |= {p.run.id for p in deck.points.points if p.run.device_id in devices and not p.why_not}
    return [p for p in deck.points.points if p.run.id in ids and is_own(p.run.id)]


def typed_behind(deck: Deck) -> list[Result]:
    """All typed results of this book behind the cards of the report and its table of all results, each once."""
    devices = {d.id for d in _tested(deck)}
    found = {r.id: r for c in deck.contents if c.card.in_report for r in _typed_of(c)}
    found |= {r.id: r for r in deck.points.results if r.device_id in devices and is_own(r.id)}
    return [found[number] for number in sorted(found)]


def _typed_of(content: CardContent) -> list[Result]:
    """The typed results of this book behind a card."""
    found = {r.id: r for r in (content.found.typed if content.found else ()) if is_own(r.id)}
    return list(found.values())


def _finding_claim(content: CardContent, points: BookPoints) -> Claim:
    """What a card says, of which runs and results it says it, out of all of its devices and workloads."""
    assert content.found is not None
    runs = [p for p in content.found.runs if is_own(p.run.id)]
    cells = {(p.run.device_id, p.run.workload_id) for p in runs}
    beside = [p for p in points.points if (p.run.device_id, p.run.workload_id) in cells and is_own(p.run.id)]
    typed = _typed_of(content)
    code = tr("card: {kind}{what}", kind=content.card.kind, what=tr(", by hand") if content.edited else "")
    ids = tuple(dict.fromkeys(p.run.id for p in runs))
    results = tuple(r.id for r in typed)
    return Claim(code, content.finding, len(ids) + len(results), len(beside) + len(results), ids, results)


def _figures(shown: Sequence[CardContent], points: BookPoints) -> dict[str, tuple[StoryFigure, ...]]:
    """The figures by section, numbered in the order in which they stand on the page."""
    order = ("questions", "modes", "heat", "sound", "power")
    placed = sorted(shown, key=lambda c: order.index(_OWN_SECTION.get(c.card.kind, "questions")))
    found: dict[str, list[StoryFigure]] = {}
    for number, c in enumerate(placed, 1):
        assert c.face is not None
        words = (c.card.name, c.finding, c.face.chart, _with_edit(c), c.face.alternative, c.edited)
        noted = (replace(claim, code=f"note: {claim.code}") for claim in c.claims)
        said = _finding_claim(c, points)
        drawn = replace(said, code=f"picture: {c.card.kind}", words=c.face.chart.alternative)
        figure = StoryFigure(number, *words, (said, *noted, drawn))
        found.setdefault(_OWN_SECTION.get(c.card.kind, "questions"), []).append(figure)
    return {key: tuple(own) for key, own in found.items()}


def _with_edit(c: CardContent) -> tuple[str, ...]:
    """The notes; a sentence that somebody wrote stands beside the composed one."""
    return (*c.notes, tr("the figures say: {composed}", composed=c.composed)) if c.edited else c.notes


def _devices(devices: Sequence[Device], here: Sequence[Device], disclosure: str) -> StorySection:
    """All devices of a report; those that were not `here` are known by what others tell."""
    rows = [
        (
            d.name,
            d.chip,
            " / ".join(numeral(w, "g") for w in (d.claims.sustained_w, d.claims.burst_w) if w),
            _memory(d),
            (standing(d) or tr("not noted")) if d in here else tr("told by others"),
            ", ".join(f"{b.what} {b.version or b.date}" for b in d.builds),
        )
        for d in devices
    ]
    headings = (
        *(Heading(tr("Device"), words=True), Heading(tr("chip"), words=True), Heading(tr("claimed"), "W")),
        *(Heading(tr("memory"), words=True), Heading(tr("unit"), words=True), Heading(tr("builds"), words=True)),
    )
    told = len(devices) - len(here)
    others = (
        tr(
            "{told} {what} known only by what others tell.",
            told=counted(told, "device"),
            what=tr("is") if told == 1 else tr("are"),
        )
        if told
        else ""
    )
    words = (units_words(here) if here else "", others, disclosure)
    table = (TableChart("", headings, tuple(rows)),) if rows else ()
    return StorySection("devices", tr("The devices and how they came"), tuple(filter(None, words)), tables=table)


def _memory(d: Device) -> str:
    m = d.memory
    speed = tr("{speed_mts:g} MT/s", speed_mts=m.speed_mts) if m.speed_mts else ""
    return " ".join(filter(None, (tr("{size_gb:g} GB", size_gb=m.size_gb) if m.size_gb else "", m.kind, speed)))


def _method(points: BookPoints, runs: Sequence[RunPoint]) -> StorySection:
    """What protocols ask for as far as runs name them, what was done, and how differences are called."""
    claims = tested_claims(runs, list(points.protocols.values()))
    words = tr(
        "A difference is called faster or slower only where the 95 % interval excludes none and"
        " it is as large as matters; a tie is a result."
    )
    return StorySection("method", tr("How it was tested"), (words,), claims=tuple(claims))


def _sheet(points: BookPoints, subject: Device | None) -> ModesSheet | None:
    """The sheet of the subject under the workload that it has most settings of, in the room of most of its runs."""
    works = workloads_of(points, subject) if subject is not None else []
    if subject is None or not works:
        return None
    rooms = [
        p.room_c
        for p in points.points
        if p.run.device_id == subject.id and p.run.workload_id == works[0].id and p.room_c is not None
    ]
    room = max(sorted(set(rooms)), key=rooms.count) if rooms else None
    return modes_sheet(points, subject, works[0], room)


def _modes(subject: Device | None, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]) -> StorySection:
    if subject is None or sheet is None or figures:
        return StorySection("modes", tr("The modes at a glance"), figures=figures)
    table = sheet_chart(sheet)
    claim = _of_sheet("modes", modes_saying.headline(sheet, 0.9), sheet, sheet.rows)
    titled = TableChart(f"{sheet.device.name}, {sheet.workload.name}", table.headings, table.rows, table.strong)
    return StorySection("modes", tr("The modes at a glance"), claims=(claim,), tables=(titled,))


def _of_sheet(code: str, words: str, sheet: ModesSheet, rows: Sequence[ModeRow]) -> Claim:
    """What is said of some settings of a sheet."""
    return Claim(code, words, len(rows), len(sheet.rows), tuple(p.run.id for r in rows for p in r.runs))


def _heat(
    subject: Device | None, points: BookPoints, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]
) -> StorySection:
    claims = () if subject is None else tuple(heat_claims(subject, points.points, sheet))
    return StorySection("heat", tr("Heat"), claims=claims, figures=figures)


def _sound(sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]) -> StorySection:
    claim = None if sheet is None else sound_claim(sheet)
    if sheet is None or claim is None:
        return StorySection("sound", tr("Sound"), figures=figures)
    read = [r for r in sheet.rows if r.noise is not None]
    limit = _of_sheet("quiet", modes_saying.sound_words(sheet, QUIET_DB), sheet, read)
    return StorySection("sound", tr("Sound"), claims=(claim, limit), figures=figures)


def _power(
    subject: Device | None, points: BookPoints, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]
) -> StorySection:
    told = []
    if subject is not None and sheet is not None:
        own = modes_saying.own_points(points, subject.id)
        walls = [p for p in own if p.setting.mains and not p.why_unusable and p.digest.wall_w is not None]
        words = f"{subject.name}: {modes_saying.wall_words(sheet, own, points.instruments)}"
        told.append(of_runs("wall", words, walls, own))
        if sheet.lasting is not None:
            line = sheet.lasting.line
            lasts = modes_saying.battery_words(sheet, round((line.x_low + line.x_high) / 2))
            told.append(of_runs("battery", lasts, [p for p in own if not p.setting.mains], own))
        if without := modes_saying.not_on_battery(sheet):
            told.append(Claim("not-on-battery", without, 1, 1))
    table = battery_table(points, subject) if subject is not None else None
    tables = (table,) if table is not None else ()
    return StorySection("power", tr("Power and battery"), claims=tuple(told), tables=tables, figures=figures)


def _fairness(shown: Sequence[CardContent]) -> StorySection:
    """Every difference of conditions behind the comparisons, once."""
    rows = dict.fromkeys(
        (u.cell.name, result.baseline.name, u.difference.what, u.difference.a, u.difference.b, _verdict(u))
        for c in shown
        if c.found
        for result in c.found.compared
        for u in result.unfair
        if u.difference.grade is not FairnessGrade.HARMLESS
    )
    if not rows:
        return StorySection("fairness", tr("What is not alike"))
    headings = tuple(
        Heading(name, words=True)
        for name in (tr("Cell"), "against", "what", tr("it has"), tr("the other"), tr("what that does"))
    )
    words = tr("What differed beside what was compared. An unfair pair is compared all the same, with this in view.")
    return StorySection("fairness", tr("What is not alike"), (words,), tables=(TableChart("", headings, tuple(rows)),))


def _verdict(unfair: Unfair) -> str:
    d = unfair.difference
    words = tr("holds the other back") if d.holds_baseline_back else d.effect
    return tr("accepted: {accepted}", accepted=unfair.accepted) if unfair.accepted else words


def _prices(devices: Sequence[Device], shown: Sequence[CardContent]) -> StorySection:
    offers = sorted(
        ((o.date, d.name, o) for d in devices for o in d.offers if o.price is not None), key=lambda found: found[:2]
    )
    told = [
        Claim("price", f"{name}: {price_words(o)}{f', {o.configuration}' if o.configuration else ''}.", 1, len(offers))
        for _, name, o in offers
    ]
    pairs = [
        of_runs("money", words, runs, runs)
        for c in shown
        if c.found and c.card.kind in (CardKind.BARS, CardKind.SLOPE, CardKind.MONEY)
        for result in c.found.compared
        for words in money_words(ShownComparison(result, True, False, None, {}))
        if (runs := [p for p in c.found.runs if is_own(p.run.id)]) or c.found.typed
    ]
    return StorySection(
        "prices", tr("Prices"), listed=tuple({claim.words: claim for claim in (*told, *pairs)}.values())
    )


def _limits(
    shown: Sequence[CardContent],
    runs: Sequence[RunPoint],
    typed: Sequence[Result],
    devices: Sequence[Device],
    points: BookPoints,
) -> StorySection:
    """What this test cannot say: everything that speaks against its figures."""
    left_out = [p for p in points.points if p.why_not and any(d.id == p.run.device_id for d in devices)]
    claims = limit_claims(runs, typed, devices, left_out)
    unfair = [u for c in shown if c.found for r in c.found.compared for u in r.unfair]
    is_unlike = any(u.is_open and u.difference.grade is FairnessGrade.HOLDS_BACK for u in unfair)
    words = tr("Some comparisons are not like for like; what differs stands under “What is not alike”.")
    return StorySection(
        "limits", tr("What this test cannot say"), items=(words,) if is_unlike else (), listed=tuple(claims)
    )


def _data(points: BookPoints, runs: Sequence[RunPoint], typed: Sequence[Result]) -> StorySection:
    builds = dict.fromkeys(
        f"{p.device.name}: {b.what} {' '.join(filter(None, (b.version, f'({b.date})' if b.date else '')))}"
        for p in runs
        for b in (p.run.builds or p.device.builds)
    )
    readings = sum(len(points.readings.get(p.run.id, ())) for p in runs)
    logs = "logs, " if any(p.run.summary is None for p in runs) else ""
    where = tr(
        "The {logs}{what}results and tables are in the data package beside the report.",
        logs=logs,
        what=tr("readings, ") if readings else "",
    )
    claims = tuple(data_claims(runs, typed, readings))
    return StorySection("data", tr("Data and versions"), (where,), items=tuple(builds), claims=claims)
