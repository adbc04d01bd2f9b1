"""`pinch import PATH… --book FILE`: logs in any dialect become runs; what cannot be read is said, the rest goes on. A
folder that holds a book as open files becomes that book again."""

import argparse
import sys
from pathlib import Path

from pinch import compose
from pinch.cli.books import open_or_create
from pinch.cli.convert_command import mapping_of, tell
from pinch.core.channels import rate_channel
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import with_frame_rate
from pinch.publish.bookfolder import is_book_folder, read_book_folder
from pinch.sources.logs.read import ReadLog, read_log_file

ENDINGS = (".csv", ".tsv", ".txt", ".log", ".dat")


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("paths", type=Path, nargs="+", metavar="PATH", help="logs, or folders of them")
    parser.add_argument("--book", type=Path, required=True, help="the book; it is made where there is none")
    parser.add_argument("--device", help="device of the logs; a new name makes one")
    parser.add_argument("--setting", help="its setting; a new name makes one")
    parser.add_argument("--workload", help="what was run; a new name makes one")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")
    parser.add_argument("--map", type=Path, metavar="FILE", help="how the columns are to be understood, as JSON")


def run(args: argparse.Namespace) -> int:
    if len(args.paths) == 1 and is_book_folder(args.paths[0]):
        print(f"{args.book}: {read_book_folder(args.paths[0], args.book)} runs")
        return 0
    if None in (args.device, args.setting, args.workload):
        raise PinchError("Say where the logs belong: --device, --setting and --workload.")
    mapping, read, refused = mapping_of(args.map), list[tuple[Path, ReadLog]](), list[DataError]()
    for path in files_in(args.paths):
        try:
            read.append((path, read_log_file(path, mapping)))
        except DataError as error:
            refused.append(error)
    for reason in refused:
        print(f"pinch: {reason}", file=sys.stderr)
    if read:
        _add(args, read)
    return 2 if refused else 0


def files_in(paths: list[Path]) -> list[Path]:
    """The logs that are meant: files as they are named, and those of folders by their endings.

    Raises
    ------
    DataError : there are none.
    """
    found = []
    for path in paths:
        inside = [p for p in sorted(path.rglob("*")) if p.suffix.casefold() in ENDINGS] if path.is_dir() else [path]
        found += inside
    if not found:
        raise DataError(str(paths[0]), f"there are no logs in it ({', '.join(ENDINGS)})")
    return found


def _add(args: argparse.Namespace, read: list[tuple[Path, ReadLog]]) -> None:
    book = open_or_create(args.book)
    try:
        for path, found in read:
            tell(found)
            rate = rate_channel(with_frame_rate(found.log).series) or "score.rate"
            records = compose.find_or_add(book, args.device, args.setting, args.watts, args.workload, rate)
            added = compose.import_log(book, found.log, *records, path.name, found.started, found.notes)
            print(f"run {added.id}: {added.samples} values from {path.name}")
    finally:
        book.close()
