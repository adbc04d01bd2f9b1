"""`pinch open [BOOK]`: the window."""

import argparse
from pathlib import Path

from pinch.cli.show_window import open_window


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("book", type=Path, nargs="?", help="a book; without one, your own is opened")


def run(args: argparse.Namespace) -> int:
    return open_window(args.book)
