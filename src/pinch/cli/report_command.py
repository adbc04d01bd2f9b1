"""`pinch report --book BOOK --out DIR`: the report of a book, the pictures of its deck, tables, and the open data."""

import argparse
import json
import re
from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from pinch.bench.cards import Private, Report
from pinch.bench.licences import LICENCES
from pinch.charts.chart_files import ENDINGS, SIZES
from pinch.charts.theme import DARK, LIGHT, Theme
from pinch.cli.books import open_for_work
from pinch.cli.heard import heard
from pinch.cli.list_options import add_private, chosen_of, private_of
from pinch.core.errors import PinchError
from pinch.narrative.cards.concerns import Concern, Weight, concerns
from pinch.narrative.cards.deck import Deck
from pinch.publish.pictures import PictureChoice
from pinch.publish.publication import TABLES, PublishChoice, private_in, write_deck
from pinch.publish.report import FORMS, ReportChoice
from pinch.publish.reportpackage import PackageChoice
from pinch.publish.reveal import write_reveal
from pinch.runs.consent import check_consent, wishes_of
from pinch.runs.whole_book import read_deck


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True)
    parser.add_argument("--out", type=Path, metavar="DIR", help="an empty folder, or one of an earlier report")
    for option, known, usual, what in (
        ("--forms", FORMS, tuple(FORMS), "forms of the report"),
        ("--pictures", tuple(ENDINGS), ("png",), "kinds of the pictures of the deck"),
        ("--tables", TABLES, TABLES, "kinds of the tables, a sheet a card"),
    ):
        words = f"{what}, of {', '.join(known)}; 'none' for none"
        parser.add_argument(option, default=",".join(usual), metavar="LIST", help=words)
    parser.add_argument("--no-data", action="store_true", help="leave out the open data")
    parser.add_argument("--size", choices=[_pixels(size) for size in SIZES.values()], default="1920x1080")
    parser.add_argument("--dark", action="store_true", help="pictures on dark paper")
    parser.add_argument(
        "--date", default="", metavar="YYYY-MM-DD", help="date of the report; today where none is given"
    )
    parser.add_argument("--template", type=Path, metavar="FILE", help="a template of your own for the HTML and PDF")
    parser.add_argument("--licence", choices=sorted(LICENCES), help="of the data; else as the report has it")
    add_private(parser)
    parser.add_argument(
        "--check",
        action="store_true",
        help="write nothing; say what an editor would stop, and end with 1 where something does",
    )
    parser.add_argument("--sequence", type=int, metavar="CARD", help="only this card, as numbered pictures for a video")
    parser.add_argument("--frames", type=int, default=125, help="pictures of a sequence")
    parser.add_argument("--replace", action="store_true", help="also files that no report wrote, or that were changed")
    parser.add_argument("--json", action="store_true")


STOPPED = 1
"""What the check ends with where something would be stopped."""


def run(args: argparse.Namespace) -> int:
    if args.out is None and not args.check:
        raise PinchError("Say with --out where the report goes, or ask with --check what an editor would stop.")
    if args.date and not re.fullmatch(r"\d{4}-\d{2}-\d{2}", args.date):
        raise PinchError(f"--date {args.date}: a date is written as YYYY-MM-DD.")
    choice, allowed = _choice(args), private_of(args)
    deck = read_deck(args.book)
    found = concerns(deck)
    if args.check:
        _tell(args.json, [], [], found, [])
        return STOPPED if any(concern.weight is Weight.STOP for concern in found) else 0
    book = open_for_work(args.book)
    try:
        if args.sequence is not None:
            _tell(args.json, _sequence(deck, args), [], [], [])
            return 0
        chosen = _as_the_report_has_it(choice, args, allowed, deck.report)
        with heard("the report written") as progress:
            written = write_deck(book, deck, args.out, chosen, progress)
        private = [f"{c.what}: {c.count}" for c in private_in(book, deck)]
    finally:
        book.close()
    _tell(args.json, written.paths, written.left_out, found, private)
    return 0


def _as_the_report_has_it(
    choice: PublishChoice, args: argparse.Namespace, allowed: tuple[Private, ...], report: Report
) -> PublishChoice:
    """What is written, with what the report says where nothing was said here."""
    if args.template is None:
        check_consent(args.book, wishes_of(report))
    template = args.template or (Path(report.template) if report.template else None)
    data = PackageChoice(args.licence or report.licence, allowed or report.private)
    return replace(
        choice, report=replace(choice.report, template=template), data=data if choice.data is not None else None
    )


def _choice(args: argparse.Namespace) -> PublishChoice:
    pictures = chosen_of("--pictures", args.pictures, tuple(ENDINGS))
    return PublishChoice(
        ReportChoice(chosen_of("--forms", args.forms, tuple(FORMS))),
        PictureChoice(pictures, _size(args.size), _theme(args)) if pictures else None,
        chosen_of("--tables", args.tables, TABLES),
        None if args.no_data else PackageChoice(),
        args.date,
        args.replace,
    )


def _sequence(deck: Deck, args: argparse.Namespace) -> list[Path]:
    if not 1 <= args.sequence <= len(deck.contents):
        raise PinchError(f"--sequence {args.sequence}: the deck has cards 1 to {len(deck.contents)}.")
    content = deck.contents[args.sequence - 1]
    if content.face is None:
        raise PinchError(f"Card {args.sequence} shows nothing: {content.problem}")
    return write_reveal(content.face, args.out, args.frames, _size(args.size), _theme(args))


def _theme(args: argparse.Namespace) -> Theme:
    return DARK if args.dark else LIGHT


def _pixels(size: tuple[int, int]) -> str:
    return f"{size[0]}x{size[1]}"


def _size(words: str) -> tuple[int, int]:
    wide, high = words.split("x")
    return int(wide), int(high)


def _as_told(concern: Concern) -> dict[str, object]:
    claim = concern.claim
    evidence = {"true_of": claim.n, "out_of": claim.of, "runs": claim.runs, "results": claim.results}
    return {"code": claim.code, "weight": concern.weight.name.lower(), "text": claim.words, **evidence}


def _tell(
    as_json: bool, paths: Sequence[Path], left_out: Sequence[str], found: Sequence[Concern], private: Sequence[str]
) -> None:
    if as_json:
        told = {
            "written": [str(path) for path in paths],
            "left_out": list(left_out),
            "private": list(private),
            "warnings": [_as_told(c) for c in found],
        }
        print(json.dumps(told, ensure_ascii=False))
        return
    for path in paths:
        print(path)
    for words in left_out:
        print(f"left out: {words}")
    for c in found:
        print(f"{c.weight.name.lower()}: {c.words}")
