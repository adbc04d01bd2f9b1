"""`pinch import BOOK LOG`: a Pinch CSV log becomes a run."""

import argparse
from pathlib import Path

from pinch import compose
from pinch.cli.books import open_or_create
from pinch.core.channels import rate_channel
from pinch.sources.runlog_csv import read_run_log


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path, help="the book; it is made where there is none")
    parser.add_argument("log", type=Path, help="a Pinch CSV log")
    parser.add_argument("--device", required=True, help="device; a new name makes one")
    parser.add_argument("--setting", required=True, help="setting; a new name makes one")
    parser.add_argument("--workload", required=True, help="workload; a new name makes one")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")


def run(args: argparse.Namespace) -> int:
    log = read_run_log(args.log)
    rate = rate_channel(log.series) or "score.rate"
    book = open_or_create(args.book)
    try:
        records = compose.find_or_add(book, args.device, args.setting, args.watts, args.workload, rate)
        added = compose.import_log(book, log, *records, args.log.name)
        print(f"run {added.id}: {added.samples} values from {args.log.name}")
    finally:
        book.close()
    return 0
