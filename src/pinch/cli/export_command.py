"""`pinch export --book BOOK --to FOLDER [--run N]`: a book as open files, or one run as a data package."""

import argparse
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book, open_book
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.publish.bookfolder import write_book_folder
from pinch.publish.datapackage import LICENCES, write_run_package


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True)
    parser.add_argument("--to", type=Path, required=True, metavar="FOLDER", help="it is made where there is none")
    parser.add_argument("--run", type=int, metavar="N", help="only this run, as CSV with datapackage.json")
    parser.add_argument("--licence", choices=sorted(LICENCES), default="CC-BY-4.0", help="of the data package")


def run(args: argparse.Namespace) -> int:
    book = open_book(args.book)
    try:
        if args.run is None:
            print(f"{args.to}: {write_book_folder(book, args.to)} runs")
        else:
            print(_package(book, args))
    finally:
        book.close()
    return 0


def _package(book: Book, args: argparse.Namespace) -> Path:
    chosen = book.get(Run, args.run)
    records = (
        book.get(Device, chosen.device_id),
        book.get(Setting, chosen.setting_id),
        book.get(Workload, chosen.workload_id),
    )
    log, readings = runlogs.read_log(book, args.run), book.readings(args.run)
    return write_run_package(log, args.to, f"run-{args.run}", *records, chosen, readings, args.licence)
