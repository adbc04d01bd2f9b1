"""`pinch export --book BOOK --to FOLDER|FILE [--run N]`: a book as open files or tables, or one run as a data package
or Parquet."""

import argparse
from collections.abc import Sequence
from pathlib import Path

from pinch.analysis.results import results_of
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.licences import LICENCES
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.cli.books import open_for_work
from pinch.cli.list_options import add_private, private_of
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.narrative.book_tables import book_tables, results_table
from pinch.narrative.tabled_runs import all_tabled
from pinch.publish.datapackage import about_run, write_parquet, write_run_package
from pinch.publish.open_files import write_book_folder
from pinch.publish.table_files import write_tables
from pinch.runs.whole_book import read_points
from pinch.sources.parquet_log import is_parquet


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True)
    parser.add_argument(
        "--to",
        type=Path,
        required=True,
        metavar="FOLDER|FILE",
        help="a folder for the whole book or one run; runs, figures and readings as .xlsx, .ods, .json or .csv; one "
        "run as .parquet",
    )
    parser.add_argument("--run", type=int, metavar="N", help="only this run, as CSV with datapackage.json or Parquet")
    parser.add_argument("--licence", choices=sorted(LICENCES), default="CC-BY-4.0", help="of the data package")
    add_private(parser)


def run(args: argparse.Namespace) -> int:
    book = open_for_work(args.book)
    try:
        for line in _written(book, args):
            print(line)
    finally:
        book.close()
    return 0


def _written(book: Book, args: argparse.Namespace) -> Sequence[object]:
    if args.run is not None:
        return _one_run(book, args)
    if is_parquet(args.to):
        raise PinchError(f"{args.to}: say with --run which run becomes Parquet.")
    if args.to.suffix and not args.to.is_dir():
        results = results_table(results_of(read_points(args.book)))
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
