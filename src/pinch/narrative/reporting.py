"""The report of a book: its cards in sections, with all that a reader has to know to judge them."""

import hashlib
from collections.abc import Sequence

from pinch import __version__
from pinch.analysis.comparing import Unfair
from pinch.analysis.modes import ModesSheet, modes_sheet
from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.references import is_own
from pinch.bench.book import Book
from pinch.bench.cards import CardKind
from pinch.bench.digests import log_hash
from pinch.bench.licences import LICENCES
from pinch.bench.records import Came, Device, Protocol, Run, Status, live, standing
from pinch.charts.table_chart import Heading, TableChart
from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.core.fairness import GRADE_WORDS, FairnessGrade
from pinch.core.figures import SettledState
from pinch.core.printing import with_article
from pinch.narrative import cautions
from pinch.narrative import mode_words as modes_saying
from pinch.narrative.cards.bench_cards import price_words, units_words
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.deck import Deck
from pinch.narrative.cards.mode_cards import sheet_chart, workloads_of
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.methodology import methodology
from pinch.narrative.price_words import money_words
from pinch.narrative.story import Story, StoryFigure, StorySection

QUIET_DB = 35.0
LEAST_HELD = 0.05
"""Of the load: a run that heat held for less is not spoken of as held by it."""
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
        raise PinchError("The deck has no card with something to show; send one from any page with Ctrl+K.")
    report, points = deck.report, deck.points
    subject = _subject(deck, shown)
    runs = runs_behind(deck)
    figures = _figures(shown)
    sheet = _sheet(points, subject)
    sections = [
        StorySection("glance", "At a glance", points=tuple(c.finding for c in shown)),
        _devices(points, runs, report.disclosure),
        _method(book, runs),
        StorySection("questions", "Questions and answers", figures=figures.get("questions", ())),
        _modes(subject, sheet, figures.get("modes", ())),
        _heat(subject, points, sheet, figures.get("heat", ())),
        _sound(subject, sheet, figures.get("sound", ())),
        _power(subject, points, sheet, figures.get("power", ())),
        _fairness(shown),
        _prices(points, runs, shown),
        _limits(shown, runs, points),
        _data(book, runs),
    ]
    left_out = tuple(f"{c.card.name}: {c.problem}" for c in deck.contents if c.card.in_report and c.found is None)
    return Story(
        report.title or "A report without a title",
        report.standfirst,
        report.publication,
        report.author,
        report.edition,
        day,
        LICENCES.get(report.licence, (report.licence, "")),
        tuple(s for s in sections if not s.is_empty),
        __version__,
        fingerprint(book, runs, deck),
        left_out,
    )


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
    """The device that the report is of: as chosen, else that of the most cards."""
    devices = [p.device for c in shown if c.found for p in c.found.runs]
    chosen = next((d for d in deck.points.devices if d.id == deck.report.device_id), None)
    return chosen or (max(devices, key=devices.count) if devices else None)


def runs_behind(deck: Deck) -> list[RunPoint]:
    """All runs of this book behind the cards of the report, each once, oldest first."""
    ids = {p.run.id for c in deck.contents if c.card.in_report and c.found for p in c.found.runs}
    return [p for p in deck.points.points if p.run.id in ids and is_own(p.run.id)]


def _figures(shown: Sequence[CardContent]) -> dict[str, tuple[StoryFigure, ...]]:
    """The figures by section, numbered in the order in which they stand on the page."""
    order = ("questions", "modes", "heat", "sound", "power")
    placed = sorted(shown, key=lambda c: order.index(_OWN_SECTION.get(c.card.kind, "questions")))
    found: dict[str, list[StoryFigure]] = {}
    for number, c in enumerate(placed, 1):
        assert c.face is not None
        figure = StoryFigure(number, c.card.name, c.finding, c.face.chart, _with_edit(c), c.face.alternative, c.edited)
        found.setdefault(_OWN_SECTION.get(c.card.kind, "questions"), []).append(figure)
    return {key: tuple(own) for key, own in found.items()}


def _with_edit(c: CardContent) -> tuple[str, ...]:
    """The notes; a sentence that somebody wrote stands beside the composed one."""
    return (*c.notes, f"the figures say: {c.composed}") if c.edited else c.notes


def _devices(points: BookPoints, runs: Sequence[RunPoint], disclosure: str) -> StorySection:
    devices = [d for d in points.devices if any(p.run.device_id == d.id for p in runs)]
    rows = [
        (
            d.name,
            d.chip,
            " / ".join(f"{w:g}" for w in (d.claims.sustained_w, d.claims.burst_w) if w),
            _memory(d),
            standing(d) or "not noted",
            ", ".join(f"{b.what} {b.version or b.date}" for b in d.builds),
        )
        for d in devices
    ]
    headings = (
        *(Heading("Device", words=True), Heading("chip", words=True), Heading("claimed", "W")),
        *(Heading("memory", words=True), Heading("unit", words=True), Heading("builds", words=True)),
    )
    words = (units_words(devices), disclosure) if devices else (disclosure,)
    table = (TableChart("", headings, tuple(rows)),) if rows else ()
    return StorySection("devices", "The devices and how they came", tuple(filter(None, words)), tables=table)


def _memory(d: Device) -> str:
    m = d.memory
    speed = f"{m.speed_mts:g} MT/s" if m.speed_mts else ""
    return " ".join(filter(None, (f"{m.size_gb:g} GB" if m.size_gb else "", m.kind, speed)))


def _method(book: Book, runs: Sequence[RunPoint]) -> StorySection:
    """The methodology of each protocol that runs were made under, else of those that the book has."""
    used = {p.run.protocol_id for p in runs if p.run.protocol_id is not None}
    protocols: list[Protocol] = [p for p in book.protocols() if p.id in used] or live(book.protocols())
    words = [f"{p.name}: {methodology(p)}" if len(protocols) > 1 else methodology(p) for p in protocols]
    words += [
        "Watts are those that were measured; the watts of a label are a name. A difference is called faster or slower "
        "only where the 95 % interval excludes none and it is as large as matters; a tie is a result."
    ]
    return StorySection("method", "How it was tested", tuple(words))


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
        return StorySection("modes", "The modes at a glance", figures=figures)
    table = sheet_chart(sheet)
    words = modes_saying.headline(sheet, 0.9)
    titled = TableChart(f"{sheet.device.name}, {sheet.workload.name}", table.headings, table.rows, table.strong)
    return StorySection("modes", "The modes at a glance", (words,), tables=(titled,))


def _heat(
    subject: Device | None, points: BookPoints, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]
) -> StorySection:
    told = [] if subject is None else [*_resistance_words(subject, points), _held_by_heat(subject, points)]
    told += _surface_words(sheet)
    return StorySection("heat", "Heat", tuple(told), figures=figures)


def _resistance_words(subject: Device, points: BookPoints) -> list[str]:
    """The cooler of the subject, over all of its runs that tell it."""
    own = [p for p in points.points if p.run.device_id == subject.id and p.digest.r_th and not p.why_not]
    if not own:
        return []
    resistance = sorted(p.digest.r_th or 0.0 for p in own)
    middle = resistance[len(resistance) // 2]
    told = [
        f"{subject.name}: each watt makes the chip {middle:.2f} K hotter (median of {len(own)} runs, "
        f"{resistance[0]:.2f} to {resistance[-1]:.2f} K/W)."
    ]
    if subject.temp_limit_c:
        at = [f"{(subject.temp_limit_c - room) / middle:.0f} W in a room of {room:g} °C" for room in (25, 35)]
        told.append(f"At its limit of {subject.temp_limit_c:g} °C that carries {' and '.join(at)}.")
    return told


def _held_by_heat(subject: Device, points: BookPoints) -> str:
    """How many of its runs heat held."""
    own = [p for p in points.points if p.run.device_id == subject.id]
    held = [p for p in own if p.digest.shares.get(Cause.HEAT, 0.0) >= LEAST_HELD]
    return f"{len(held)} of its runs were held by heat for a part of the load." if held else "No run was held by heat."


def _surface_words(sheet: ModesSheet | None) -> list[str]:
    """The hottest surface that was read."""
    hottest = [(r.hottest, r.setting.name) for r in (sheet.rows if sheet else ()) if r.hottest is not None]
    if not hottest:
        return []
    surface, setting = max(hottest, key=lambda found: found[0].touch.temp_c)
    t = surface.touch
    contact = f"within its limit when {t.longest}" if t.longest else "above the limit of even a short touch"
    return [
        f"The hottest surface that was read is the {surface.place.replace('_', ' ')} at {setting}: "
        f"{t.temp_c:.1f} °C, {contact}. {cautions.TOUCH_READ}"
    ]


def _sound(subject: Device | None, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]) -> StorySection:
    known = [r for r in (sheet.rows if sheet else ()) if r.noise is not None]
    if sheet is None or not known:
        return StorySection("sound", "Sound", figures=figures)
    levels = ", ".join(f"{r.setting.name} {r.noise.level:.1f} dB(A)" for r in known if r.noise)
    distances = sorted({d for r in known if r.noise for d in r.noise.distances})
    where = f"at {', '.join(f'{d / 10:g} cm' for d in distances)}" if distances else "at a distance that is not noted"
    words = f"{sheet.device.name}, {where}, the room taken off: {levels}."
    limit = modes_saying.sound_words(sheet, QUIET_DB)
    return StorySection("sound", "Sound", (words, limit), figures=figures)


def _power(
    subject: Device | None, points: BookPoints, sheet: ModesSheet | None, figures: tuple[StoryFigure, ...]
) -> StorySection:
    told = []
    if subject is not None and sheet is not None:
        own = modes_saying.own_points(points, subject.id)
        told.append(f"{subject.name}: {modes_saying.wall_words(sheet, own, points.instruments)}")
        if sheet.lasting is not None:
            line = sheet.lasting.line
            told.append(modes_saying.battery_words(sheet, round((line.x_low + line.x_high) / 2)))
        told.append(modes_saying.not_on_battery(sheet))
    return StorySection("power", "Power and battery", tuple(filter(None, told)), figures=figures)


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
        return StorySection("fairness", "What is not alike")
    headings = tuple(
        Heading(name, words=True) for name in ("Cell", "against", "what", "it has", "the other", "what that does")
    )
    words = "What differed beside what was compared. An unfair pair is compared all the same, with this in view."
    return StorySection("fairness", "What is not alike", (words,), tables=(TableChart("", headings, tuple(rows)),))


def _verdict(unfair: Unfair) -> str:
    words = GRADE_WORDS[unfair.difference.grade]
    return f"accepted: {unfair.accepted}" if unfair.accepted else words


def _prices(points: BookPoints, runs: Sequence[RunPoint], shown: Sequence[CardContent]) -> StorySection:
    devices = [d for d in points.devices if any(p.run.device_id == d.id for p in runs)]
    offers = sorted(
        ((o.date, d.name, o) for d in devices for o in d.offers if o.price is not None), key=lambda found: found[:2]
    )
    told = [f"{name}: {price_words(o)}{f', {o.configuration}' if o.configuration else ''}." for _, name, o in offers]
    pairs = [
        words
        for c in shown
        if c.found and c.card.kind in (CardKind.BARS, CardKind.SLOPE, CardKind.MONEY)
        for result in c.found.compared
        for words in money_words(ShownComparison(result, True, False, None, {}))
    ]
    return StorySection("prices", "Prices", points=tuple(dict.fromkeys((*told, *pairs))))


def _limits(shown: Sequence[CardContent], runs: Sequence[RunPoint], points: BookPoints) -> StorySection:
    """What this test cannot say: everything that speaks against its figures."""
    devices = list(dict.fromkeys(p.device for p in runs))
    told = [*_limits_of_runs(runs), *_limits_of_units(devices)]
    scores = [p for p in runs if p.run.summary is not None]
    told += [f"{len(scores)} scores are told by others, not measured here."] if scores else []
    left_out = [p for p in points.points if p.why_not and any(d.id == p.run.device_id for d in devices)]
    told += [f"Left out: {'; '.join(_why(p) for p in left_out[:6])}."] if left_out else []
    unfair = [u for c in shown if c.found for r in c.found.compared for u in r.unfair]
    if any(u.is_open and u.difference.grade is FairnessGrade.HOLDS_BACK for u in unfair):
        told.append("Some comparisons are not like for like; what differs stands under “What is not alike”.")
    one_each = "One unit of each device was tested; units differ among themselves."
    return StorySection("limits", "What this test cannot say", points=(*told, one_each))


def _limits_of_runs(runs: Sequence[RunPoint]) -> list[str]:
    """Runs that had not settled, stand alone, have gaps, or a window by hand."""
    told = []
    drifting = [p for p in runs if p.digest.state == SettledState.DRIFTING]
    if drifting:
        figures = "its figures" if len(drifting) == 1 else "figures"
        told.append(f"{_named(drifting)} had not settled: {figures} still moved.")
    cells: dict[tuple[int, int, float | None], list[RunPoint]] = {}
    for p in runs:
        if p.run.summary is None:
            cells.setdefault((p.run.setting_id, p.run.workload_id, p.room_c), []).append(p)
    single = [own[0] for own in cells.values() if len(own) == 1]
    if single:
        told.append(f"{len(single)} of {len(cells)} cells rest on a single run: {_named(single)}.")
    gaps = [p for p in runs if "gap" in p.digest.flags]
    told += [f"There are gaps in the log of {_named(gaps)}; nothing is filled in."] if gaps else []
    by_hand = [p for p in runs if p.run.window is not None]
    return [*told, *([f"The settled window of {_named(by_hand)} was chosen by hand."] if by_hand else [])]


def _limits_of_units(devices: Sequence[Device]) -> list[str]:
    """Units that are not those that are sold, or came in a way that is not noted."""
    early = [d for d in devices if d.status is not Status.RETAIL]
    told = [f"{d.name} is {with_article(str(d.status))} unit: one that is sold may do otherwise." for d in early]
    return [*told, *(f"How {d.name} came is not noted." for d in devices if d.came is Came.UNKNOWN)]


def _why(p: RunPoint) -> str:
    return f"{p.device.name}, {p.workload.name}, {p.name}: {p.why_not.rstrip('.')}"


def _named(runs: Sequence[RunPoint]) -> str:
    names = [f"{p.device.name}, {p.name}" for p in runs]
    return "; ".join(names) if len(names) <= 4 else f"{'; '.join(names[:3])} and {len(names) - 3} more"


def _data(book: Book, runs: Sequence[RunPoint]) -> StorySection:
    own: list[Run] = [p.run for p in runs]
    days = sorted(r.started.date() for r in own)
    words = f"{len(own)} runs of {days[0]} to {days[-1]} stand behind this report." if days else ""
    builds = dict.fromkeys(
        f"{p.device.name}: {b.what} {' '.join(filter(None, (b.version, f'({b.date})' if b.date else '')))}"
        for p in runs
        for b in (p.run.builds or p.device.builds)
    )
    method = (
        "Every figure is worked out from the logs of its runs; none is typed in. The logs, readings and tables are in "
        "the data package beside the report."
    )
    return StorySection("data", "Data and versions", tuple(filter(None, (words, method))), points=tuple(builds))
