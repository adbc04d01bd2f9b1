"""`pinch records BOOK --out FILE | --add FILE`: devices, settings, workloads, protocols and plans as JSON."""

import argparse
import sys
from pathlib import Path

from pinch.bench.exchange import add_exchange, exchange_of, read_exchange, write_exchange
from pinch.cli.books import changed_whole, open_for_work
from pinch.cli.list_options import add_private, private_of
from pinch.publish.private import exchange_counts, open_exchange


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path, help="a book; --add makes it where there is none")
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument("--out", type=Path, metavar="FILE", help="write all records that are not archived to FILE")
    what.add_argument("--add", type=Path, metavar="FILE", help="add the records of FILE, under new names where taken")
    add_private(parser)


def run(args: argparse.Namespace) -> int:
    if args.out:
        book = open_for_work(args.book)
        try:
            exchange, allowed = exchange_of(book), private_of(args)
            for found in exchange_counts(exchange):
                word = "written" if found.what in allowed else "left out (--with)"
                print(f"{found.what}: {found.count}, {word}", file=sys.stderr)
            write_exchange(open_exchange(exchange, allowed), args.out)
        finally:
            book.close()
        return 0
    exchange = read_exchange(args.add)
    with changed_whole(args.book) as book:
        plans = add_exchange(book, exchange)
    print(
        f"{len(exchange.devices)} devices, {len(exchange.workloads)} workloads, {len(exchange.protocols)} protocols "
        f"and {len(plans)} plans are in {args.book}."
    )
    return 0
