"""`pinch open [BOOK]`: the window."""

import argparse
from pathlib import Path

from pinch.bench.opening import open_book
from pinch.cli.show_window import open_window


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path, nargs="?", help="a book; without one, your own is opened")


def run(args: argparse.Namespace) -> int:
    if args.book is not None:
        open_book(args.book).close()  # says here what is wrong with it, rather than in a window
    return open_window(args.book)
