"""`pinch set run ID… KEY=VALUE… --book FILE`: what is said of runs afterwards, one or many at once."""

import argparse
import sys
from pathlib import Path

from pinch.bench.records import Run
from pinch.cli.books import changed_existing
from pinch.cli.numbers import print_json
from pinch.core.errors import PinchError
from pinch.intake.completing import KEYS, complete_runs, completed_words, read_completion


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("what", choices=("run",), help="what is spoken of")
    keys = ", ".join(KEYS)
    parser.add_argument("said", nargs="+", metavar="ID|KEY=VALUE", help=f"numbers of runs, then what is said: {keys}")
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
    said = read_completion({key: value for key, _, value in pairs})
    with changed_existing(args.book) as book:
        there = {r.id: r for r in book.runs()}
        missing = [number for number in ids if int(number) not in there]
        if missing:
            raise PinchError(f"{args.book}: there is no run {missing[0]}.")
        chosen: list[Run] = [there[int(number)] for number in ids]
        done = complete_runs(book, chosen, said)
    if args.json:
        warnings = [{"code": "left-out", "text": text} for text in done.problems]
        print_json({"runs": [r.id for r in done.runs], "warnings": warnings})
    else:
        print(completed_words(done))
        for problem in done.problems:
            print(f"pinch: {problem}", file=sys.stderr)
    return 1 if done.problems else 0
