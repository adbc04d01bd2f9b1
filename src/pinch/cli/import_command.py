"""`pinch import PATH… --book FILE`: logs in any dialect become runs; what cannot be read is said, the rest goes on. A
folder that holds a book as open files becomes that book again."""

import argparse
import sys
from dataclasses import replace
from pathlib import Path

from pinch import compose
from pinch.bench.book import Book
from pinch.bench.filing import Filed, NamePattern
from pinch.cli.books import open_or_create
from pinch.cli.convert_command import mapping_of, tell
from pinch.publish.bookfolder import is_book_folder, read_book_folder
from pinch.sources.archive import opened


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("paths", type=Path, nargs="+", metavar="PATH", help="logs, folders of them, or ZIP archives")
    parser.add_argument("--book", type=Path, required=True, help="the book; it is made where there is none")
    parser.add_argument("--device", default="", help="device of the logs; a new name makes one")
    parser.add_argument("--setting", default="", help="its setting; a new name makes one")
    parser.add_argument("--workload", default="", help="what was run; a new name makes one")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")
    parser.add_argument(
        "--names",
        default="",
        metavar="PATTERN",
        help="how the files are named, such as {device}_{setting}_{workload}_{repeat}; without it the names in the "
        "book are looked for",
    )
    parser.add_argument("--map", type=Path, metavar="FILE", help="how the columns are to be understood, as JSON")


def run(args: argparse.Namespace) -> int:
    if len(args.paths) == 1 and is_book_folder(args.paths[0]):
        print(f"{args.book}: {read_book_folder(args.paths[0], args.book)} runs")
        return 0
    pattern, mapping = NamePattern(args.names), mapping_of(args.map)
    with opened(args.paths) as paths:
        batch = compose.read_batch(compose.files_in(paths), mapping)
        refused = list(batch.refused)
        if batch.read:
            book = open_or_create(args.book)
            try:
                refused += _add(args, batch, book, pattern)
            finally:
                book.close()
    for reason in refused:
        print(f"pinch: {reason}", file=sys.stderr)
    return 2 if refused else 0


def _add(args: argparse.Namespace, batch: compose.Batch, book: Book, pattern: NamePattern) -> list[str]:
    """Add what says where it belongs; returns a sentence for each log that does not."""
    said = Filed(args.device, args.setting, args.workload)
    arrivals = [
        replace(a, filed=said.over(a.filed), claimed_w=args.watts)
        for a in compose.arrivals_of(batch.read, book, pattern)
    ]
    placed = [a for a in arrivals if a.filed.whole]
    for arrival in placed:
        for found in (arrival.read, *([arrival.beside] if arrival.beside else [])):
            tell(found)
    for added in compose.add_arrivals(book, placed):
        print(f"run {added.run.id}: {added.words}, {added.run.samples} values")
    return [
        f"{a.path}: {a.open[0]} Its name does not say; use --device, --setting, --workload or --names."
        for a in arrivals
        if not a.filed.whole
    ]
