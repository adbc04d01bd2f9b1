"""`pinch convert LOG OUT.csv`: anybody's log as a log of Pinch."""

import argparse
import io
import sys
from pathlib import Path

from pinch.bench.files import write_model, write_whole
from pinch.sources.logs.mapping import ColumnMapping, read_mapping
from pinch.sources.logs.read import ReadLog, read_log_file
from pinch.sources.runlog_csv import write_run_log


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("log", type=Path, help="a log: a table of text in any dialect")
    parser.add_argument("out", type=Path, help="the CSV to write, in Pinch's own form")
    parser.add_argument("--map", type=Path, metavar="FILE", help="how its columns are to be understood, as JSON")
    parser.add_argument("--write-map", type=Path, metavar="FILE", help="write how they were understood, for editing")


def run(args: argparse.Namespace) -> int:
    found = read_log_file(args.log, mapping_of(args.map))
    tell(found)
    text = io.StringIO()
    write_run_log(found.log, text)
    write_whole(args.out, text.getvalue().encode())
    if args.write_map is not None:
        write_model(found.mapping, args.write_map)
    print(f"{args.out}: {len(found.log.series)} channels, {found.log.samples} values")
    return 0


def mapping_of(path: Path | None) -> ColumnMapping | None:
    """The mapping of `--map`, where it is given."""
    return None if path is None else read_mapping(path)


def tell(found: ReadLog) -> None:
    """Say on standard error what was noticed, and what was guessed."""
    for warning in found.warnings:
        print(f"pinch: {warning}", file=sys.stderr)
    for question in found.questions:
        print(f"pinch: not sure: {question} Say it with --map.", file=sys.stderr)
