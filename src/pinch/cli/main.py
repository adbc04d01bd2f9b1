"""`pinch COMMAND …`. Exit status: 0 success, 2 wrong use or unreadable input, 1 anything else."""

import argparse
import importlib
import logging
import sys
from collections.abc import Collection
from pathlib import Path
from typing import Protocol

from pinch import __version__
from pinch.cli.heard import ENDED
from pinch.core.errors import PinchError
from pinch.core.faults import fault_of
from pinch.core.lasting import lasting
from pinch.runs.log_file import keep_log, log_path

COMMANDS = {
    "open": "open the window, with a book or without",
    "demo": "open the window with the demo book",
    "probe": "print the sensors as CSV, one row a sample",
    "sensors": "what this machine tells, from where and to whom, and the ways to what is lacking",
    "record": "record a run into a book",
    "judge": "judge a log",
    "frames": "average, lows and stutters of a frame log",
    "scale": "score against measured watts from a table or a book: curves, sweet spots, crossovers",
    "predict": "what a device would do under a limit, in a room or with a cooler that nobody has tried",
    "compare": "faster, a tie, or can't tell: cells of a table or of a book set against each other",
    "results": "every result of a book: value, unit, runs behind it, whose it is",
    "plan": "the run sheet of a plan",
    "ask": "questions of a book: where they stand, and the bench time that answers them",
    "records": "exchange devices, settings, workloads, protocols and plans as JSON",
    "rig": "start a simulated device",
    "convert": "anybody's log as a log of Pinch",
    "import": "add logs in any dialect to a book as runs",
    "set": "say of runs what was missing: room, day, score, device, setting, workload, builds …",
    "reading": "keep a value that was read by hand during a run",
    "reference": "lay other books beside one, to compare with and cite",
    "card": "put cards into the chart deck, list and remove them",
    "report": "write the report of a book, the pictures of its deck, tables and the open data",
    "desktop": "put Pinch into the desktop's menus, for this user or for all, and out of them again",
    "export": "write a book as open files or tables, or a run as CSV with datapackage.json or Parquet",
}
WRONG_USE = 2
log = logging.getLogger(__name__)


class Command(Protocol):
    """What a module of this package offers."""

    def configure(self, parser: argparse.ArgumentParser) -> None:
        """Declare the arguments."""

    def run(self, args: argparse.Namespace) -> int:
        """Do the work; returns the exit status."""


def _shared_options() -> argparse.ArgumentParser:
    shared = argparse.ArgumentParser(add_help=False, allow_abbrev=False)
    shared.add_argument("--log-file", type=Path, metavar="FILE", help="where Pinch notes its own mistakes")
    shared.add_argument("--verbose", action="store_true", help="say on standard error what the log has")
    return shared


def _module_of(name: str) -> Command:
    with lasting():
        module: Command = importlib.import_module(f"pinch.cli.{name}_command")
    return module


def parser_of(wanted: Collection[str], shared: argparse.ArgumentParser | None = None) -> argparse.ArgumentParser:
    """The parser, with the arguments of those commands that are wanted: each costs the loading of its module."""
    parser = argparse.ArgumentParser(
        prog="pinch", description="Bench work for people who review computers.", parents=[shared or _shared_options()]
    )
    parser.add_argument("--version", action="version", version=f"pinch {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", required=True)
    for name, text in COMMANDS.items():
        sub = commands.add_parser(name, help=text, description=text[0].upper() + text[1:] + ".")
        if name in wanted:
            _module_of(name).configure(sub)
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Entry point of the `pinch` command."""
    words = sys.argv[1:] if arguments is None else arguments
    shared = _shared_options()
    wide, words = shared.parse_known_args(words)
    words = words or ["open"]
    args = parser_of(words[:1], shared).parse_args(words)
    chosen = _module_of(words[0])
    try:
        keep_log(wide.log_file, wide.verbose)
    except OSError as error:
        print(f"pinch: {wide.log_file or log_path()}: the log cannot be written ({error.strerror}).", file=sys.stderr)
        if wide.log_file is not None:
            return WRONG_USE
    try:
        return chosen.run(args)
    except PinchError as error:
        print(f"pinch: {error}", file=sys.stderr)
        return WRONG_USE
    except BrokenPipeError:
        return 0
    except KeyboardInterrupt:
        print(f"pinch {words[0]}: it was ended before it was done.", file=sys.stderr)
        return ENDED
    except Exception as error:
        doing = f"pinch {words[0]}"
        log.error(doing, exc_info=error)
        told = fault_of(error, doing).sentence
        print(f"pinch: {told} {wide.log_file or log_path()} has the details.", file=sys.stderr)
        return 1
