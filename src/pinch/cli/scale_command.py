"""`pinch scale CSV [--target FPS] [--json]`: score against measured watts, a curve a device, and where they cross."""

import argparse
from pathlib import Path
from typing import Any

import numpy as np

from pinch.cli.books import named
from pinch.cli.csv_rows import read_lines
from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.crossing import Crossover, Pairing, all_pairs
from pinch.core.curve_shape import LAW
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.ladder import Point, cells_by_power
from pinch.core.printing import counted
from pinch.core.scaling import Scaling, scale
from pinch.core.sweetspots import PROMISES, SweetSpot
from pinch.core.targets import Target

COLUMNS = ("device", "power_W", "score")


def configure(parser: argparse.ArgumentParser) -> None:
    table_help = "a table with the columns device, power_W, score and, if wanted, low_1"
    parser.add_argument("csv", type=Path, nargs="?", help=table_help)
    parser.add_argument("--book", type=Path, metavar="FILE", help="the runs of a book instead, of one workload")
    parser.add_argument("--workload", default="", metavar="NAME", help="the workload of the book")
    parser.add_argument("--target", type=float, metavar="FPS", help="least watts for this score")
    parser.add_argument(
        "--low", type=float, default=0.0, metavar="%", help="share of the target that the 1 %% low has to reach"
    )
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    if not 0 <= args.low <= 100:
        raise DataError("--low", f"it is {args.low:g}, it must be from 0 to 100 %")
    if (args.book is None) == (args.csv is None):
        raise DataError("scale", "name either a table or --book FILE with --workload NAME")
    points, warnings = points_of_book(args.book, args.workload) if args.book else read_points(args.csv)
    results: dict[str, Scaling | None] = {}
    for device, own in points.items():
        try:
            results[device] = scale(own, args.target, args.low / 100.0)
        except DataError as error:
            results[device] = None
            warnings.append(Note("no-curve", f"{device}: {error.reason}."))
    curves = {name: s for name, s in results.items() if s is not None}
    warnings += [Note(w.code, f"{name}: {w.text}") for name, s in curves.items() for w in s.warnings]
    pairings = all_pairs({name: s.ladder for name, s in curves.items()})
    warnings += [Note("crossing", f"{p.a} and {p.b}: {p.words}") for p in pairings if p.words]
    if args.json:
        devices = {name: _scaling_json(s, args.target) for name, s in results.items()}
        crossovers = [_crossover_json(p, c) for p in pairings for c in p.crossings]
        print_json({"devices": devices, "crossovers": crossovers, "warnings": warnings_json(warnings)})
    else:
        _print_plain(results, pairings, warnings)
    return 0


def read_points(path: Path) -> tuple[dict[str, list[Point]], list[Note]]:
    """Points by device, repeats found by their nearness in power, and rows that were left out.

    Raises
    ------
    DataError : the table cannot be used; the sentence names the line.
    """
    values: dict[str, list[tuple[float, float, float]]] = {}
    left_out = []
    for line in read_lines(path, COLUMNS):
        device, power, score = line.text("device", "device"), line.value("power_W"), line.value("score")
        low = line.value("low_1") if line.cells.get("low_1", "").strip() else float("nan")
        rows = values.setdefault(device, [])
        if power > 0 and score > 0:
            rows.append((power, score, low))
        else:
            words = f"line {line.number}: {power:g} W and a score of {score:g} are no point; the row is left out."
            left_out.append(Note("left-out", words))
    points = {}
    for device, triples in values.items():
        names = cells_by_power([p for p, _, _ in triples])
        points[device] = [Point(name, *triple) for name, triple in zip(names, triples, strict=True)]
    return points, left_out


def points_of_book(path: Path, name: str) -> tuple[dict[str, list[Point]], list[Note]]:
    """The measured points of a workload by device, and what is left out; told figures make curves of their own.

    Raises
    ------
    PinchError : the book has no such workload.
    """
    from pinch.analysis.curves import ScaleChoice, core_points, scale_book
    from pinch.runs.whole_book import read_points as read_book

    book = read_book(path)
    workload = named(book.workloads, name, "workload", lambda w: w.name)
    choice = ScaleChoice(tuple(d.id for d in book.devices), (workload.id,))
    series = scale_book(book, choice).series
    points = {s.name: core_points(s.points, choice) for s in series if s.points}
    return points, [Note(n.code, f"{s.name}: {n.text}") for s in series for n in s.left_out]


def _scaling_json(s: Scaling | None, target: float | None) -> dict[str, Any]:
    if s is None:
        unknown = {"power_W": None, "extrapolated": False} if target is not None else None
        keys = dict.fromkeys(("exponent", "shape", "next_point_W"))
        return {"curve": [], **keys, "sweet_spots": dict.fromkeys(PROMISES), "target": unknown}
    low, high = s.ladder.band
    rows = zip(s.ladder.power, s.ladder.score, low, high, strict=True)
    return {
        "curve": [[number(x) for x in row] for row in rows],
        "exponent": number(s.ladder.exponent),
        "shape": s.ladder.shape,
        "sweet_spots": {rule: _spot_json(spot) for rule, spot in s.spots.items()},
        "target": None if s.target is None else _target_json(s.target),
        "next_point_W": number(s.next_w),
    }


def _spot_json(spot: SweetSpot) -> dict[str, Any]:
    return {"power_W": number(spot.power_w), "ci": _ci(spot.low_w, spot.high_w), "edge": spot.edge or None}


def _target_json(target: Target) -> dict[str, Any]:
    return {
        "power_W": number(target.power_w),
        "ci": _ci(target.low_w, target.high_w),
        "extrapolated": False,
        "note": target.words,
    }


def _crossover_json(p: Pairing, c: Crossover) -> dict[str, Any]:
    place = {"power_W": number(c.power_w), "ci": _ci(c.low_w, c.high_w)}
    return {"a": p.a, "b": p.b, **place, "leads_below": c.below, "leads_above": c.above}


def _ci(low: float, high: float) -> list[float | None] | None:
    return [number(low), number(high)] if np.isfinite(low) and np.isfinite(high) else None


def _print_plain(results: dict[str, Scaling | None], pairings: list[Pairing], warnings: list[Note]) -> None:
    for device, s in results.items():
        if s is None:
            continue
        law = f"exponent {s.ladder.exponent:.2f}" if s.ladder.shape == LAW else s.ladder.shape
        print(f"{device}: {law} ({s.ladder.why})")
        for rung in s.ladder.rungs:
            print(f"  {rung.power_w:8.2f} W {rung.score:12.5g}  {counted(rung.runs, 'run')}")
        for rule, spot in s.spots.items():
            print(f"  {PROMISES[rule]} ({rule}): {_watts(spot.power_w, spot.low_w, spot.high_w)}")
        if s.target is not None:
            found = _watts(s.target.power_w, s.target.low_w, s.target.high_w)
            print(f"  {s.target.wanted:g}: {' '.join(filter(None, (found, s.target.words)))}")
        print(f"  next to measure: {s.next_w:.1f} W")
    for c in (c for p in pairings for c in p.crossings):
        print(f"{c.below} leads below, {c.above} above {_watts(c.power_w, c.low_w, c.high_w)}")
    for warning in warnings:
        print(f"note: {warning.text}")


def _watts(power_w: float, low_w: float, high_w: float) -> str:
    if not np.isfinite(power_w):
        return ""
    interval = f" ({low_w:.1f} to {high_w:.1f})" if np.isfinite(low_w) else ""
    return f"{power_w:.1f} W{interval}"
