"""`pinch reference add PATH | list | remove NAME --book FILE`: books laid beside one, to compare with and cite."""

import argparse
from pathlib import Path

from pinch.bench.records import Reference, checked
from pinch.cli.books import changed_existing, named
from pinch.cli.numbers import print_json
from pinch.core.errors import PinchError
from pinch.runs.whole_book import check_beside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("do", choices=("add", "list", "remove"))
    parser.add_argument(
        "what",
        nargs="?",
        default="",
        metavar="PATH|NAME",
        help="the book, or the folder of an archive; or its name here",
    )
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--name", default="", help="what it is called here; else the name of its file")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    if args.do != "list" and not args.what:
        raise PinchError(f"Name the book to {args.do}.")
    with changed_existing(args.book) as book:
        if args.do == "add":
            other = Path(args.what).absolute()
            check_beside(other)
            if other.samefile(args.book):
                raise PinchError(f"{args.book}: a book is not laid beside itself.")
            name = args.name or other.stem
            if any(r.name == name for r in book.references()):
                raise PinchError(f"{args.book}: a book called {name!r} lies beside it already; give --name.")
            book.save(checked(Reference, "The reference", name=name, path=str(other)))
        elif args.do == "remove":
            book.delete(named(book.references(), args.what, "reference", lambda r: r.name))
        there = book.references()
    if args.json:
        print_json({"references": [{"name": r.name, "path": r.path} for r in there], "warnings": []})
    else:
        for r in there:
            print(f"{r.name}: {r.path}")
    return 0
