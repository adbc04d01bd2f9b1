"""`pinch demo`: the window with the demo book, which is made at the first start."""

import argparse
import sys
from pathlib import Path

from pinch.cli.show_window import open_window


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, help="only write the demo book to this file")


def run(args: argparse.Namespace) -> int:
    if args.book is None:
        return open_window(None, demo=True)
    from pinch.rig.demo import make_demo_book

    make_demo_book(args.book)
    print(f"{args.book} written", file=sys.stderr)
    return 0
