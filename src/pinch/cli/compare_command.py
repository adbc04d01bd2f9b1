"""`pinch compare [CSV | --book FILE] [--json]`: which cell is faster than which, which tie, and what cannot be told."""

import argparse
from datetime import UTC, datetime
from itertools import combinations
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from pinch.cli import compare_book
from pinch.cli.csv_rows import CsvRow, read_lines
from pinch.cli.numbers import print_json, warnings_json
from pinch.cli.verdict_json import verdict_json
from pinch.core.cell_scores import CellScore, PooledScatter, cell_score, pooled_scatter
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.printing import in_percent
from pinch.core.run_order import RunPlace, places_of
from pinch.core.verdict import Verdict, judge_together
from pinch.narrative.verdict_words import would_tell

COLUMNS = ("cell", "score")
TRUE, FALSE = {"1", "true", "yes"}, {"", "0", "false", "no"}


def configure(parser: argparse.ArgumentParser) -> None:
    table_help = "a table with the columns cell, score and, if wanted, lower_is_better and time"
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
    table = read_cells(args.csv)
    cells, directions, warnings = table.cells(), table.directions, table.left_out
    pooled = pooled_scatter(list(cells.values()))
    pairs = []
    for less in (False, True):
        names = [(a, b) for a, b in combinations(cells, 2) if directions[a] == directions[b] == less]
        own = [(cells[a], cells[b]) for a, b in names]
        pairs += [
            (a, b, v) for (a, b), v in zip(names, judge_together(own, args.delta / 100.0, less, pooled), strict=True)
        ]
    warnings += _warnings(cells, directions, pooled)
    if any(v.answer.is_decided and v.ordered is None for _, _, v in pairs):
        words = "When the runs were made is not told (a column time), so that no drift and no other day can be seen."
        warnings.append(Note("no-times", words))
    if args.json:
        print_json({"pairs": [_pair_json(*pair) for pair in pairs], "warnings": warnings_json(warnings)})
    else:
        for pair in pairs:
            print(_pair_words(*pair))
        for warning in warnings:
            print(f"note: {warning.text}")
    return 0


class CellTable(Struct):
    """Scores by cell, when each was made (None: not told), whether a lower one is better by cell, and rows that were
    left out."""

    scores: dict[str, list[float]] = field(default_factory=dict)
    times: dict[str, list["ToldTime | None"]] = field(default_factory=dict)
    directions: dict[str, bool] = field(default_factory=dict)
    left_out: list[Note] = field(default_factory=list)

    def cells(self) -> dict[str, CellScore]:
        """What each cell comes to; the places of its runs where the time of all of them is told."""
        told = [(name, t) for name, times in self.times.items() for t in times if t is not None]
        places = places_of([t.s for _, t in told], [t.day for _, t in told], [t.exact for _, t in told])
        of_cell: dict[str, list[RunPlace]] = {}
        for (name, _), place in zip(told, places, strict=True):
            of_cell.setdefault(name, []).append(place)
        return {
            name: cell_score(own, () if None in self.times[name] else of_cell[name])
            for name, own in self.scores.items()
        }


class ToldTime(Struct, frozen=True):
    """When a run was made: s, the number of its day, and whether more than the day is told."""

    s: float
    day: int
    exact: bool


def _told(line: CsvRow) -> ToldTime | None:
    """The time of a row: a date, a date with a time, or seconds since whenever."""
    text = line.cells.get("time", "").strip()
    if not text:
        return None
    try:
        return ToldTime(float(text), int(float(text) // 86400.0), True)
    except (ValueError, OverflowError):
        pass
    try:
        when = datetime.fromisoformat(text)
    except ValueError:
        words = f"time is {text!r}, neither a date, a date with a time, nor a number of seconds"
        raise DataError(str(line.path), words, line.number) from None
    exact = len(text) > len("2026-01-01")
    moment = (when if exact else when.replace(hour=12)).replace(tzinfo=when.tzinfo or UTC)
    return ToldTime(moment.timestamp(), when.date().toordinal(), exact)


def read_cells(path: Path) -> CellTable:
    """The cells of a table.

    Raises
    ------
    DataError : the table cannot be used; the sentence names the line.
    """
    table = CellTable()
    for line in read_lines(path, COLUMNS):
        name, score = line.text("cell", "cell"), line.value("score")
        less = _direction(line)
        if table.directions.setdefault(name, less) != less:
            raise DataError(str(path), f"for some rows of {name} lower is better, for others higher", line.number)
        if score > 0:
            table.scores.setdefault(name, []).append(score)
            table.times.setdefault(name, []).append(_told(line))
        else:
            words = f"line {line.number}: a score of {score:g} makes no ratio; the row is left out."
            table.left_out.append(Note("left-out", words))
    return table


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
        scatter = in_percent(pooled.sd)
        words = f"{single}: a single run; scatter borrowed from the repeated cells ({scatter}) decides nothing."
        found.append(Note("single-runs", words))
    return found


def _pair_json(a: str, b: str, v: Verdict) -> dict[str, Any]:
    return {"a": a, "b": b, "ratio": v.ratio, **verdict_json(v)}


def _pair_words(a: str, b: str, v: Verdict) -> str:
    interval = f" ({100 * (v.low - 1):+.1f} to {100 * (v.high - 1):+.1f} %)" if v.has_interval else ""
    words = f"; {v.words}" if v.words else ""
    return f"{a} against {b}: {100 * (v.ratio - 1):+.1f} %{interval}: {v.answer.phrase}{would_tell(v)}{words}"
