"""`pinch compare --book FILE`: cells of a book set against each other along an axis."""

import argparse
from collections.abc import Callable, Sequence
from itertools import combinations
from typing import Any

from pinch.analysis.axes import CompareAxis, along, widest_base
from pinch.analysis.cells import BenchCell, cells_of
from pinch.analysis.comparing import CompareChoice, CompareResult, WorkRow, compare_book
from pinch.analysis.points import BookPoints
from pinch.analysis.unequal_pairs import UnequalPairs
from pinch.analysis.work_metrics import is_known
from pinch.bench.records import Workload
from pinch.bench.variants import variants_of
from pinch.cli.books import named
from pinch.cli.numbers import number, print_json
from pinch.cli.verdict_json import verdict_json
from pinch.core.errors import DataError, PinchError
from pinch.core.fairness import GRADE_WORDS
from pinch.core.unit_yield import UnitYield
from pinch.core.verdict import judge_together
from pinch.narrative.compare_words import headline, rank_words, row_title, shown_plainly
from pinch.narrative.unequal_words import with_worth
from pinch.runs.whole_book import read_points

WHERE: dict[str, Callable[[BenchCell], str]] = {
    "device": lambda c: c.device.name,
    "setting": lambda c: c.setting.name,
    "supply": lambda c: "mains" if c.setting.mains else "battery",
    "origin": lambda c: c.key.origin,
    "room": lambda c: "" if c.key.room_c is None else f"{c.key.room_c:g}",
    "limit": lambda c: "" if c.setting.sustained_w is None else f"{c.setting.sustained_w:g}",
}
"""What `--where key=value` holds a cell to."""


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--metric", default="average", metavar="NAME", help="what is compared; two with + between")
    parser.add_argument("--along", choices=[str(a) for a in CompareAxis], help="what the comparison runs along")
    parser.add_argument("--workload", action="append", default=[], metavar="NAME", help="may stand several times")
    parser.add_argument("--where", action="append", default=[], metavar="KEY=VALUE", help=f"hold {', '.join(WHERE)}")
    parser.add_argument("--baseline", default="", metavar="NAME", help="the cell that the others are set against")


def run(args: argparse.Namespace) -> int:
    book = read_points(args.book)
    if not is_known(args.metric, book.workloads):
        raise DataError("--metric", f"there is none of the name {args.metric!r}")
    result = compared(book, args)
    left_out = [{"run": p.run.id, "why": p.why_not} for p in book.points if p.why_not]
    if args.json:
        print_json(result_json(result) | {"left_out": left_out})
        return 0
    print(headline(shown_plainly(result)))
    for row in result.rows:
        print(f"\n{row_title(row)}")
        for c in row.cells:
            print(f"  {row.printed[c.cell.name]:>12}  {c.cell.name} ({rank_words(c, row)})")
    for u in result.unfair:
        print(f"note: {u.cell.name}: {u.difference.words} ({u.difference.effect})")
    return 0


def compared(book: BookPoints, args: argparse.Namespace) -> CompareResult:
    """The comparison that the arguments ask for.

    Raises
    ------
    PinchError : nothing of the book is of these names.
    """
    axis = next((a for a in CompareAxis if a == args.along), None)
    cells, ids = _asked(book, args, axis)
    if not cells:
        raise PinchError(f"{args.book}: nothing in it has a result of these names.")
    base = _cell(cells, args.baseline) if args.baseline else cells[0]
    if axis is not None:
        number = next(number for number in ids if number in base.workload_ids)
        base = base if args.baseline else widest_base(axis, cells, cells, number) or base
        cells = along(axis, cells, base, number)
        base = cells[0] if cells else base
    chosen = (base, *(c for c in cells if c is not base))
    choice = CompareChoice(chosen, ids, args.metric, args.delta / 100.0, axis)
    return with_worth(UnequalPairs(book), compare_book(book, choice))


def _asked(
    book: BookPoints, args: argparse.Namespace, axis: CompareAxis | None
) -> tuple[list[BenchCell], tuple[int, ...]]:
    """The cells and the workloads by number that the arguments speak of."""
    cells = [c for c in cells_of(book, axis is CompareAxis.VARIANT) if all(_holds(c, where) for where in args.where)]
    there = {number for c in cells for number in c.workload_ids}
    asked = [_workload(name, book.workloads, axis) for name in args.workload]
    works = [w for own in asked for w in ([own] if own.id in there else variants_of(own.root_id, book.workloads))]
    ids = tuple(dict.fromkeys(w.id for w in works or book.workloads if w.id in there))
    return [c for c in cells if c.workload_ids & set(ids)], ids


def _cell(cells: Sequence[BenchCell], name: str) -> BenchCell:
    """The cell of that name, or the only one of the device of that name."""
    own = [c for c in cells if c.device.name == name]
    return own[0] if len(own) == 1 else named(cells, name, "cell", lambda c: c.name)


def _workload(name: str, workloads: Sequence[Workload], axis: CompareAxis | None) -> Workload:
    found = named(workloads, name, "workload", lambda w: w.name)
    if axis is CompareAxis.VARIANT and found.variant_of is not None:
        return next((w for w in workloads if w.id == found.variant_of), found)
    return found


def _holds(cell: BenchCell, where: str) -> bool:
    key, sign, value = where.partition("=")
    if not sign or key not in WHERE:
        raise DataError("--where", f"{where!r} is not one of {', '.join(WHERE)} with a value, such as supply=mains")
    return WHERE[key](cell) == value


def result_json(result: CompareResult) -> dict[str, Any]:
    """The stable keys of docs/formats.md."""
    return {
        "pairs": [pair for row in result.rows for pair in _pairs(row, result)],
        "cells": [
            {
                "name": c.cell.name,
                "workload": row.workload.name,
                "metric": row.metric.key,
                "value": number(c.score.mean),
                "n": c.score.runs,
                "of_units": c.score.of_units,
                "unit": row.metric.unit,
                "rank": row.rank(c),
                "units": [_yield_json(y) for y in c.yields],
            }
            for row in result.rows
            for c in row.cells
        ],
        "fairness": [
            {
                "cell": u.cell.name,
                "key": u.difference.key,
                "mine": u.difference.a,
                "baseline": u.difference.b,
                "weight": GRADE_WORDS[u.difference.grade],
            }
            for u in result.unfair
        ],
        "index": {
            name: {
                "ratio": number(index.ratio),
                "ci": [number(index.low), number(index.high)] if index.low == index.low else None,
                "workloads": list(index.workloads),
                "not_shared": list(index.not_shared),
            }
            for name, index in result.indexes.items()
        }
        or None,
        "warnings": [],
    }


def _yield_json(y: UnitYield) -> dict[str, Any]:
    low, high = y.interval
    ci = [number(low), number(high)] if low == low else None
    return {"of": y.what, "mine": y.units, "baseline": y.base_units, "share": number(y.share), "ci": ci}


def _pairs(row: WorkRow, result: CompareResult) -> list[dict[str, Any]]:
    """Every pair of a row; the ratio speaks of a against b."""
    found = []
    pairs = list(combinations(row.cells, 2))
    scores = [(a.score, b.score) for a, b in pairs]
    answers = judge_together(scores, result.choice.delta, row.less_is_better, row.pooled)
    for (a, b), v in zip(pairs, answers, strict=True):
        pair = {"a": a.cell.name, "b": b.cell.name, "workload": row.workload.name, "metric": row.metric.key}
        found.append({**pair, "ratio": number(v.ratio), **verdict_json(v)})
    return found
