"""`pinch records BOOK --out FILE | --add FILE`: devices, settings, workloads, protocols and plans as JSON."""

import argparse
from pathlib import Path

from pinch.bench.book import open_book
from pinch.bench.exchange import add_exchange, exchange_of, read_exchange, write_exchange
from pinch.bench.undo import UndoStack
from pinch.cli.books import open_or_create


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path, help="a book; --add makes it where there is none")
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument("--out", type=Path, metavar="FILE", help="write all records that are not archived to FILE")
    what.add_argument("--add", type=Path, metavar="FILE", help="add the records of FILE, under new names where taken")


def run(args: argparse.Namespace) -> int:
    if args.out:
        book = open_book(args.book)
        try:
            write_exchange(exchange_of(book), args.out)
        finally:
            book.close()
        return 0
    exchange = read_exchange(args.add)
    book = open_or_create(args.book)
    try:
        with UndoStack(book).step("add records"):  # all of it, or nothing
            plans = add_exchange(book, exchange)
    finally:
        book.close()
    print(
        f"{len(exchange.devices)} devices, {len(exchange.workloads)} workloads, {len(exchange.protocols)} protocols "
        f"and {len(plans)} plans are in {args.book}."
    )
    return 0
