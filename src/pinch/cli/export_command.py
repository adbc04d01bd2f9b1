"""`pinch export BOOK RUN FOLDER`: a run as CSV with datapackage.json."""

import argparse
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import open_book
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.publish.datapackage import LICENCES, write_run_package


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path)
    parser.add_argument("run", type=int, help="number of the run")
    parser.add_argument("folder", type=Path, help="folder for the package")
    parser.add_argument("--licence", choices=sorted(LICENCES), default="CC-BY-4.0")


def run(args: argparse.Namespace) -> int:
    book = open_book(args.book)
    try:
        chosen = book.get(Run, args.run)
        records = (
            book.get(Device, chosen.device_id),
            book.get(Setting, chosen.setting_id),
            book.get(Workload, chosen.workload_id),
        )
        log = runlogs.read_log(book, args.run)
        readings = book.readings(args.run)
        print(write_run_package(log, args.folder, f"run-{args.run}", *records, chosen, readings, args.licence))
    finally:
        book.close()
    return 0
