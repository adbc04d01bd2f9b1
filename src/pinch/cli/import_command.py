"""`pinch import PATH… --book FILE`: logs in any dialect become runs, scores of a table runs without a log; what cannot
be read is said, the rest goes on. A folder that holds a book as open files becomes that book again."""

import argparse
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from pinch.bench.summaries import Origin
from pinch.cli.books import changed_whole
from pinch.cli.convert_command import mapping_of, tell
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.arrivals import Batch, add_arrivals, arrivals_of, files_in, read_batch
from pinch.intake.book_folder import is_book_folder, read_book_folder
from pinch.intake.filing import Filed, NamePattern
from pinch.intake.score_tables import Role, RoleMapping, guess_roles, key_of, read_roles, told_scores
from pinch.intake.told_scores import add_told
from pinch.sources.archive import opened
from pinch.sources.logs.memory import recall
from pinch.sources.sheets import is_spreadsheet, read_sheet


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("paths", type=Path, nargs="+", metavar="PATH", help="logs, folders of them, or ZIP archives")
    parser.add_argument("--book", type=Path, required=True, help="the book; it is made where there is none")
    parser.add_argument("--device", default="", help="device of the logs; a new name makes one")
    parser.add_argument("--setting", default="", help="its setting; a new name makes one")
    parser.add_argument("--workload", default="", help="what was run; a new name makes one")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")
    parser.add_argument(
        "--names",
        default="",
        metavar="PATTERN",
        help="how the files are named, such as {device}_{setting}_{workload}_{repeat}; without it the names in the "
        "book are looked for",
    )
    parser.add_argument("--map", type=Path, metavar="FILE", help="how the columns are to be understood, as JSON")
    parser.add_argument("--scores", action="store_true", help="the files are tables of scores; spreadsheets always are")
    parser.add_argument("--whose", choices=[str(o) for o in Origin], default="", help="whose figures the scores are")
    parser.add_argument("--by", default="", metavar="NAME", help="who tells the scores")
    parser.add_argument("--dated", default="", metavar="DAY", help="of when the scores are, such as 2026-09-14")


def run(args: argparse.Namespace) -> int:
    if len(args.paths) == 1 and is_book_folder(args.paths[0]):
        print(f"{args.book}: {read_book_folder(args.paths[0], args.book)} runs")
        return 0
    tables = [path for path in args.paths if args.scores or is_spreadsheet(path)]
    logs = [path for path in args.paths if path not in tables]
    refused = [*(_add_tables(args, tables) if tables else []), *(_add_logs(args, logs) if logs else [])]
    for reason in refused:
        print(f"pinch: {reason}", file=sys.stderr)
    return 2 if refused else 0


def _add_tables(args: argparse.Namespace, paths: Sequence[Path]) -> list[str]:
    """Add the scores of tables; returns a sentence for each that cannot be read."""
    said = {
        Role.DEVICE: args.device,
        Role.SETTING: args.setting,
        Role.WORKLOAD: args.workload,
        Role.ORIGIN: args.whose,
        Role.BY: args.by,
        Role.DATED: args.dated,
    }
    refused = []
    told = {}
    for path in paths:
        try:
            sheet = read_sheet(path)
            roles = read_roles(args.map, sheet) if args.map else recall(key_of(sheet), RoleMapping)
            told[path] = told_scores(sheet, roles or _guessed(guess_roles(sheet)), said)
        except PinchError as error:
            refused.append(str(error))
    if told:
        with changed_whole(args.book) as book:
            done = [(path, added) for path, rows in told.items() for added in add_told(book, rows, path.name)]
        for path, added in done:
            what = f"run {added.run.id}" if added.run is not None else f"{counted(len(added.results), 'result')}"
            print(f"{what}: {path.name}, {added.words}")
    return refused


def _guessed(roles: RoleMapping) -> RoleMapping:
    for use in roles.columns:
        if use.doubtful:
            print(f"pinch: not sure: {use.column}: is it the {use.role}? Say it with --map.", file=sys.stderr)
    return roles


def _add_logs(args: argparse.Namespace, there: Sequence[Path]) -> list[str]:
    """Add logs; returns a sentence for each that cannot be read, or does not say where it belongs."""
    pattern, mapping = NamePattern(args.names), mapping_of(args.map)
    with opened(there) as paths:
        batch = read_batch(files_in(paths), mapping)
        refused = list(batch.refused)
        if batch.read:
            refused += _add(args, batch, pattern)
    return refused


def _add(args: argparse.Namespace, batch: Batch, pattern: NamePattern) -> list[str]:
    """Add what says where it belongs, all of it or nothing; returns a sentence for each log that does not."""
    said = Filed(args.device, args.setting, args.workload)
    with changed_whole(args.book) as book:
        arrivals = [
            replace(a, filed=said.over(a.filed), claimed_w=args.watts) for a in arrivals_of(batch.read, book, pattern)
        ]
        placed = [a for a in arrivals if a.filed.whole]
        for arrival in placed:
            for found in (arrival.read, *([arrival.beside] if arrival.beside else [])):
                tell(found)
        done = add_arrivals(book, placed)
    for added in done:
        print(f"run {added.run.id}: {added.words}, {added.run.samples} values")
    return [
        f"{a.path}: {a.open[0]} Its name does not say; use --device, --setting, --workload or --names."
        for a in arrivals
        if not a.filed.whole
    ]
