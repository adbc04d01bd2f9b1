"""`pinch export --book BOOK … --to FOLDER|FILE [--run N | --archive]`: a book as open files or tables, one run as a
data package or Parquet, or many books as one data set."""

import argparse
import contextlib
from collections.abc import Sequence
from pathlib import Path

from pinch.analysis.points import points_of
from pinch.analysis.results import results_of
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.licences import LICENCES
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.cli.books import open_for_work
from pinch.cli.heard import heard
from pinch.cli.list_options import add_private, private_of
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.narrative.book_tables import book_tables, results_table
from pinch.narrative.tabled_runs import all_tabled
from pinch.publish.datapackage import about_run, write_parquet, write_run_package
from pinch.publish.open_files import write_book_folder
from pinch.publish.parquet_archive import add_to_archive
from pinch.publish.table_files import write_tables
from pinch.runs.whole_book import digest_book, read_points
from pinch.sources.parquet_log import is_parquet


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True, nargs="+", help="several only into an archive")
    parser.add_argument(
        "--to",
        type=Path,
        required=True,
        metavar="FOLDER|FILE",
        help="a folder for the whole book or one run; runs, figures and readings as .xlsx, .ods, .json or .csv; one "
        "run as .parquet",
    )
    parser.add_argument("--run", type=int, metavar="N", help="only this run, as CSV with datapackage.json or Parquet")
    parser.add_argument(
        "--archive",
        action="store_true",
        help="add the books to an archive, one data set of Parquet files for many books",
    )
    parser.add_argument(
        "--as", dest="name", default="", metavar="NAME", help="of the book in the archive; usual: its file"
    )
    parser.add_argument("--licence", choices=sorted(LICENCES), default="CC-BY-4.0", help="of the data package")
    add_private(parser)


def run(args: argparse.Namespace) -> int:
    if not args.archive and (len(args.book) > 1 or args.name):
        raise PinchError("Several books, or a name for one, go into an archive only: add --archive.")
    if args.name and len(args.book) > 1:
        raise PinchError("Two books cannot have one name; add them one by one.")
    for path in args.book:
        with contextlib.closing(open_for_work(path)) as book:
            for line in _archived(book, path, args) if args.archive else _written(book, path, args):
                print(line)
    return 0


def _archived(book: Book, path: Path, args: argparse.Namespace) -> Sequence[object]:
    points = points_of(book, digest_book(path).digests)
    with heard(f"{path.name} written") as progress:
        return [f"{args.to}: {add_to_archive(book, points, args.to, args.name, progress).words}"]


def _written(book: Book, path: Path, args: argparse.Namespace) -> Sequence[object]:
    if args.run is not None:
        return _one_run(book, args)
    if is_parquet(args.to):
        raise PinchError(f"{args.to}: say with --run which run becomes Parquet.")
    if args.to.suffix and not args.to.is_dir():
        results = results_table(results_of(read_points(path)))
        return write_tables((*book_tables(all_tabled(book)), results), args.to)
    return [f"{args.to}: {counted(write_book_folder(book, args.to), 'run')}"]


def _one_run(book: Book, args: argparse.Namespace) -> Sequence[object]:
    run = book.get(Run, args.run)
    records = (
        book.get(Device, run.device_id),
        book.get(Setting, run.setting_id),
        book.get(Workload, run.workload_id),
        run,
    )
    log = runlogs.read_log(book, args.run)
    if is_parquet(args.to):
        return write_parquet(log, args.to, about_run(*records, args.licence))
    readings, allowed = book.readings(args.run), private_of(args)
    return [write_run_package(log, args.to, f"run-{args.run}", *records, readings, args.licence, allowed)]
