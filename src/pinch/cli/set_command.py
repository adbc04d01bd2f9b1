"""`pinch set run ID… KEY=VALUE… --book FILE`: what is said of runs afterwards, one or many at once, and what is put
right of their logs."""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.records import Run
from pinch.cli.books import changed_existing
from pinch.cli.numbers import print_json
from pinch.core.channels import is_channel_name
from pinch.core.errors import PinchError
from pinch.intake.completing import KEYS, Completed, Completion, complete_runs, completed_words, read_completion
from pinch.intake.reworking import ChannelMeant, join_runs, read_meant, remove_runs, rework_channels

JOIN, REMOVE = "join", "remove"


class _Said(Struct, frozen=True):
    """What is said of runs: of themselves, of their channels, the run that is joined to them, whether they leave."""

    completion: Completion
    channels: dict[str, ChannelMeant]
    joined: str | None
    removed: bool


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("what", choices=("run",), help="what is spoken of")
    more = "a channel with what it is (cpu.power=gpu.power*0.001; nothing leaves it out), join=ID, remove=yes"
    words = f"numbers of runs, then what is said: {', '.join(KEYS)}, {more}"
    parser.add_argument("said", nargs="+", metavar="ID|KEY=VALUE", help=words)
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    ids = [word for word in args.said if word.isdigit()]
    pairs = [word.partition("=") for word in args.said if not word.isdigit()]
    wrong = next((key for key, sign, _ in pairs if not sign), None)
    if wrong is not None:
        raise PinchError(f"{wrong!r} is neither the number of a run nor key=value.")
    if not ids or not pairs:
        raise PinchError("Name runs by their numbers, and say something of them, such as ambient=22.")
    said = _read({key: value for key, _, value in pairs})
    if said.joined is not None and len(ids) != 1:
        raise PinchError("Name the one run that another is joined to.")
    with changed_existing(args.book) as book:
        chosen = _runs(book, ids)
        done = _keep(book, chosen, said)
    if args.json:
        warnings = [{"code": "left-out", "text": text} for text in done.problems]
        print_json({"runs": [r.id for r in done.runs], "warnings": warnings})
    else:
        print(completed_words(done))
        for problem in done.problems:
            print(f"pinch: {problem}", file=sys.stderr)
    return 1 if done.problems else 0


def _read(typed: dict[str, str]) -> _Said:
    channels = {key: read_meant(text) for key, text in typed.items() if is_channel_name(key)}
    if typed.get(REMOVE, "yes") != "yes":
        raise PinchError(f"remove={typed[REMOVE]}: only remove=yes removes a run.")
    rest = {key: text for key, text in typed.items() if key not in (JOIN, REMOVE, *channels)}
    return _Said(read_completion(rest), channels, typed.get(JOIN), REMOVE in typed)


def _runs(book: Book, numbers: Sequence[str]) -> list[Run]:
    there = {str(r.id): r for r in book.runs()}
    missing = next((number for number in numbers if number not in there), None)
    if missing is not None:
        raise PinchError(f"{book.path}: there is no run {missing}.")
    return [there[number] for number in numbers]


def _keep(book: Book, runs: Sequence[Run], said: _Said) -> Completed:
    if said.channels:
        runs = [rework_channels(book, r, said.channels) for r in runs]
    if said.joined is not None:
        runs = [join_runs(book, runs[0], *_runs(book, [said.joined]))]
    done = complete_runs(book, runs, said.completion)
    if said.removed:
        remove_runs(book, done.runs)
    return done
