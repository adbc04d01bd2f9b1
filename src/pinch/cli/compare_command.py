"""`pinch compare [CSV | --book FILE] [--json]`: which cell is faster than which, which tie, and what cannot be told."""

import argparse
from itertools import combinations
from pathlib import Path
from typing import Any

from pinch.cli import compare_book
from pinch.cli.csv_rows import CsvRow, read_lines
from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.printing import counted, in_percent
from pinch.core.verdict import CellScore, PooledScatter, Verdict, cell_score, judge_pair, pooled_scatter

COLUMNS = ("cell", "score")
TRUE, FALSE = {"1", "true", "yes"}, {"", "0", "false", "no"}


def configure(parser: argparse.ArgumentParser) -> None:
    table_help = "a table with the columns cell, score and, if wanted, lower_is_better"
    parser.add_argument("csv", type=Path, nargs="?", help=table_help)
    parser.add_argument("--book", type=Path, metavar="FILE", help="compare cells of a book instead")
    compare_book.configure(parser)
    parser.add_argument("--delta", type=float, default=3.0, metavar="%", help="smallest difference that matters")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    if not 0 < args.delta < 100:
        raise DataError("--delta", f"it is {args.delta:g}, it must be above 0 and below 100 %")
    if (args.book is None) == (args.csv is None):
        raise DataError("compare", "name either a table or --book FILE")
    if args.book is not None:
        return compare_book.run(args)
    scores, directions, warnings = read_cells(args.csv)
    cells = {name: cell_score(values) for name, values in scores.items()}
    pooled = pooled_scatter(list(cells.values()))
    pairs = [
        (a, b, judge_pair(cells[a], cells[b], args.delta / 100.0, directions[a], pooled))
        for a, b in combinations(cells, 2)
        if directions[a] == directions[b]
    ]
    warnings += _warnings(cells, directions, pooled)
    if args.json:
        print_json({"pairs": [_pair_json(*pair) for pair in pairs], "warnings": warnings_json(warnings)})
    else:
        for pair in pairs:
            print(_pair_words(*pair))
        for warning in warnings:
            print(f"note: {warning.text}")
    return 0


def read_cells(path: Path) -> tuple[dict[str, list[float]], dict[str, bool], list[Note]]:
    """Scores by cell, whether a lower one is better by cell, and rows that were left out.

    Raises
    ------
    DataError : the table cannot be used; the sentence names the line.
    """
    scores: dict[str, list[float]] = {}
    directions: dict[str, bool] = {}
    left_out = []
    for line in read_lines(path, COLUMNS):
        name, score = line.text("cell", "cell"), line.value("score")
        less = _direction(line)
        if directions.setdefault(name, less) != less:
            raise DataError(str(path), f"for some rows of {name} lower is better, for others higher", line.number)
        if score > 0:
            scores.setdefault(name, []).append(score)
        else:
            words = f"line {line.number}: a score of {score:g} makes no ratio; the row is left out."
            left_out.append(Note("left-out", words))
    return scores, directions, left_out


def _direction(line: CsvRow) -> bool:
    word = line.cells.get("lower_is_better", "").strip().casefold()
    if word not in TRUE | FALSE:
        raise DataError(str(line.path), f"lower_is_better is {word!r}, not true or false", line.number)
    return word in TRUE


def _warnings(cells: dict[str, CellScore], directions: dict[str, bool], pooled: PooledScatter) -> list[Note]:
    found = []
    if len(cells) < 2:
        found.append(Note("one-cell", "There is one cell at most, so nothing to compare."))
    if len({directions[name] for name in cells}) > 1:
        words = "For some cells lower is better, for others higher: those are not compared with each other."
        found.append(Note("mixed-directions", words))
    single = ", ".join(name for name, cell in cells.items() if cell.runs == 1)
    if single and pooled.df == 0:
        found.append(Note("single-runs", f"No cell was repeated ({single}), so no interval can be claimed."))
    elif single:
        words = f"{single}: a single run; its scatter is borrowed from the repeated cells ({in_percent(pooled.sd)})."
        found.append(Note("single-runs", words))
    return found


def _pair_json(a: str, b: str, v: Verdict) -> dict[str, Any]:
    ci = [number(v.low), number(v.high)] if v.has_interval else None
    return {"a": a, "b": b, "ratio": v.ratio, "ci": ci, "answer": v.answer, "more_runs": v.more_runs, "note": v.words}


def _pair_words(a: str, b: str, v: Verdict) -> str:
    interval = f" ({100 * (v.low - 1):+.1f} to {100 * (v.high - 1):+.1f} %)" if v.has_interval else ""
    more = f", {counted(v.more_runs, 'more run')} of each" if v.more_runs else ""
    words = f"; {v.words}" if v.words else ""
    return f"{a} against {b}: {100 * (v.ratio - 1):+.1f} %{interval}: {v.answer.phrase}{more}{words}"
