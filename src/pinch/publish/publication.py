"""Everything that leaves the bench with a report: its forms, the pictures of the deck, tables, and the open data."""

from collections.abc import Collection, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path
from typing import TypeVar

from msgspec import Struct, field
from msgspec.structs import replace

from pinch.analysis.judged_beside import JudgedBeside
from pinch.analysis.plain_tables import Column, Table
from pinch.analysis.points import RunPoint
from pinch.analysis.results import BookResult, results_of
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.cards import Private
from pinch.bench.records import Device, Record, Result, Setting, Workload
from pinch.bench.scratch import scratch_folder
from pinch.core.errors import PinchError
from pinch.core.progress import Progress, part_of, unheard
from pinch.language import tr
from pinch.narrative.book_tables import book_tables, results_table
from pinch.narrative.cards.deck import Deck
from pinch.narrative.claims import Claim
from pinch.narrative.reporting import runs_behind, story_of, typed_behind
from pinch.narrative.story import Story
from pinch.narrative.tabled_runs import tabled_runs
from pinch.publish.pictures import Picture, PictureChoice, Written, file_name, write_pictures
from pinch.publish.private import Behind, PrivateCount, open_chart, private_counts
from pinch.publish.report import ReportChoice, begin_report
from pinch.publish.report_folder import check_free, take_in
from pinch.publish.reportpackage import Package, PackageChoice, write_report_package
from pinch.publish.table_files import write_tables

R = TypeVar("R", bound=Record)

LONGEST_SHEET = 31
"""Letters of a sheet's name in a spreadsheet (ECMA-376; from memory)."""
PICTURES, DATA = "deck", "data"
TABLES = ("xlsx", "ods", "csv")
CONTENTS = (
    *(Column("number"), Column("title"), Column(tr("drawn as")), Column("finding"), Column(tr("as composed"))),
    *(Column("edited"), Column(tr("in the report")), Column("notes")),
)


class PublishChoice(Struct, frozen=True):
    """What is written: forms of the report, kinds of pictures (none: no deck), kinds of tables, and the open data;
    `replaces`: also in place of files that others wrote or changed."""

    report: ReportChoice = field(default_factory=ReportChoice)
    pictures: PictureChoice | None = field(default_factory=PictureChoice)
    tables: tuple[str, ...] = TABLES
    data: PackageChoice | None = field(default_factory=PackageChoice)
    day: str = ""
    replaces: bool = False


def write_deck(book: Book, deck: Deck, folder: Path, choice: PublishChoice, progress: Progress = unheard) -> Written:
    """Write all that is chosen of a deck into a folder, once all of it is made: an earlier report is replaced as a
    whole.

    Raises
    ------
    PinchError : there is no card, a file cannot be written, or one is in the way; what was there before is whole.
    CancelledError : `progress` answered False; nothing was changed.
    """
    check_free(folder, choice.replaces)
    with scratch_folder() as made:
        left_out = _write_parts(book, deck, made, choice, progress)
        return Written(tuple(take_in(made, folder, choice.replaces)), tuple(dict.fromkeys(left_out)))


def _write_parts(book: Book, deck: Deck, folder: Path, choice: PublishChoice, progress: Progress) -> list[str]:
    """Write all that is chosen; returns what is left out."""
    left_out: list[str] = []
    day = choice.day or f"{date.today():%Y-%m-%d}"
    deck = _open_deck(deck, deck.report.private if choice.data is None else choice.data.private)
    judged_too = [p.run for p in runs_behind(deck)] if choice.data is not None else []
    with JudgedBeside(book, judged_too) as judged, ThreadPoolExecutor(1) as beside:
        story = story_of(book, deck, day) if choice.report.forms or choice.data is not None else None
        report = None
        if choice.report.forms and story is not None:
            report = begin_report(story, choice.report, beside, part_of(progress, 0.0, 0.2))
            left_out += story.left_out
        if choice.pictures is not None:
            made = write_pictures(pictures_of(deck), folder / PICTURES, choice.pictures, part_of(progress, 0.2, 0.6))
            left_out += made.left_out
        for kind in choice.tables:
            write_tables(report_tables(deck), _table_path(folder, kind))
        if choice.data is not None and story is not None:
            package = package_of(book, deck, story, judged)
            write_report_package(package, folder / DATA, choice.data, part_of(progress, 0.6, 0.8))
        if report is not None:
            report.write(folder, part_of(progress, 0.8, 1.0))
    return left_out


def _open_deck(deck: Deck, allowed: Collection[Private]) -> Deck:
    """A deck with its charts as they may leave."""
    contents = tuple(
        c if c.face is None else replace(c, face=replace(c.face, chart=open_chart(c.face.chart, allowed)))
        for c in deck.contents
    )
    return replace(deck, contents=contents)


def _table_path(folder: Path, kind: str) -> Path:
    """Where tables of a kind go: CSV is a file a table, and has a folder."""
    if kind not in TABLES:
        raise PinchError(tr("Tables are written as {tables}, not as {kind}.", tables=", ".join(TABLES), kind=kind))
    path = folder / "tables" / "card.csv" if kind == "csv" else folder / f"tables.{kind}"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise PinchError(
            tr("{parent}: it cannot be made ({strerror}).", parent=path.parent, strerror=error.strerror)
        ) from None
    return path


def pictures_of(deck: Deck) -> list[Picture]:
    """The cards of a deck as pictures, numbered in their order."""
    return [Picture(n, c.card.name, c.face, c.problem) for n, c in enumerate(deck.contents, 1)]


def report_tables(deck: Deck) -> tuple[Table, ...]:
    """One sheet a question, with one of contents before them."""
    rows = tuple(
        (n, c.card.name, str(c.card.kind), c.finding, c.composed, c.edited, c.card.in_report, " · ".join(c.notes))
        for n, c in enumerate(deck.contents, 1)
    )
    named = [Table("contents", CONTENTS, rows)]
    for picture, content in zip(pictures_of(deck), deck.contents, strict=True):
        if content.found is not None:
            named.append(replace(content.found.table, name=file_name(picture)[:LONGEST_SHEET].rstrip("-")))
    return tuple(named)


def claims_table(claims: Sequence[tuple[str, Claim]]) -> Table:
    """What the report says beside its cards, sentence by sentence, with what each rests on."""
    columns = ("section", "claim", "sentence", "true_of", "out_of", "runs", "results")
    rows = tuple(
        (section, c.code, c.words, c.n, c.of, " ".join(map(str, c.runs)), " ".join(map(str, c.results)))
        for section, c in claims
    )
    return Table("claims", tuple(map(Column, columns)), rows)


def private_in(book: Book, deck: Deck) -> list[PrivateCount]:
    """What private things stand behind the report of a deck."""
    return private_counts(behind(book, runs_behind(deck), typed_behind(deck)))


def behind(book: Book, points: Sequence[RunPoint], typed: Sequence[Result] = ()) -> Behind:
    """All records behind some runs and typed results."""
    protocols = {p.run.protocol_id for p in points}
    readings = book.readings_by_run()
    return Behind(
        _each_once(book, Device, (p.device for p in points), (r.device_id for r in typed)),
        _each_once(book, Setting, (p.setting for p in points), (r.setting_id for r in typed)),
        _each_once(book, Workload, (p.workload for p in points), (r.workload_id for r in typed)),
        [p for p in book.protocols() if p.id in protocols] or book.protocols(),
        book.instruments(),
        [p.run for p in points],
        [r for p in points for r in readings.get(p.run.id, ())],
        sum(len(runlogs.marks_of(book, p.run.id)) for p in points),
    )


def _each_once(book: Book, kind: type[R], known: Iterable[R], ids: Iterable[int]) -> list[R]:
    """Records that are known, and those of further numbers."""
    found = {record.id: record for record in known}
    return [*found.values(), *(book.get(kind, number) for number in dict.fromkeys(ids) if number not in found)]


def _cell(result: BookResult) -> tuple[int, int]:
    return result.device.id, result.workload.id


def package_of(book: Book, deck: Deck, story: Story, judged: JudgedBeside) -> Package:
    """The open data of a report, whose story it is, with the judgements of the runs behind it.

    Raises
    ------
    PinchError : nothing stands behind it.
    """
    points, typed = runs_behind(deck), typed_behind(deck)
    if not points and not typed:
        raise PinchError(tr("No run and no result stands behind this deck, so there is no data to write."))
    ids = {p.run.id for p in points}
    tabled = tabled_runs(book, judged, [p.run for p in points])
    cards = report_tables(deck)
    shown = {(p.device.id, p.workload.id) for p in points} | {(r.device_id, r.workload_id) for r in typed}
    results = [r for r in results_of(deck.points) if r.run_id in ids or (r.run_id is None and _cell(r) in shown)]
    named = (replace(t, name=f"card-{t.name}" if n else "cards") for n, t in enumerate(cards))
    tables = (*book_tables(tabled), results_table(results), claims_table(story.claims), *named)
    return Package(
        deck.report.title or book.path.stem,
        deck.report.standfirst,
        story.author,
        story.publication,
        story.day,
        behind(book, points, typed),
        tables,
        lambda run_id: runlogs.read_log(book, run_id),
    )
