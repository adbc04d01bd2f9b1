"""`pinch scale CSV [--json]`: score against measured watts, a curve a device."""

import argparse
import csv
import io
from pathlib import Path
from typing import Any

from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.scaling import Point, Scaling, cells_by_power, scale
from pinch.sources.runlog_csv import read_text

COLUMNS = ("device", "power_W", "score")


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("csv", type=Path, help="a table with the columns device, power_W, score")
    parser.add_argument("--target", type=float, metavar="SCORE", help="least watts for this score")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    results: dict[str, Scaling] = {}
    for device, points in read_points(args.csv).items():
        try:
            results[device] = scale(points, args.target)
        except DataError as error:
            raise DataError(str(args.csv), f"{device}: {error.reason}") from None
    if args.json:
        every = [Note(w.code, f"{name}: {w.text}") for name, s in results.items() for w in s.warnings]
        document = {"devices": {n: _scaling_json(s, args.target) for n, s in results.items()}}
        print_json({**document, "crossovers": None, "warnings": warnings_json(every)})
    else:
        for device, scaling in results.items():
            _print_plain(device, scaling)
    return 0


def read_points(path: Path) -> dict[str, list[Point]]:
    """Points by device, repeats found by their nearness in power.

    Raises
    ------
    DataError : the table cannot be used; the sentence names the line.
    """
    rows = csv.DictReader(io.StringIO(read_text(path)))
    missing = [name for name in COLUMNS if name not in (rows.fieldnames or [])]
    if missing:
        raise DataError(str(path), f"there is no column {missing[0]!r}", 1)
    values: dict[str, list[tuple[float, float]]] = {}
    for row in rows:
        device = (row["device"] or "").strip()
        if not device:
            raise DataError(str(path), "the row names no device", rows.line_num)
        values.setdefault(device, []).append(
            (_cell(path, row, "power_W", rows.line_num), _cell(path, row, "score", rows.line_num))
        )
    if not values:
        raise DataError(str(path), "it has a header but no rows")
    points = {}
    for device, pairs in values.items():
        names = cells_by_power([p for p, _ in pairs])
        points[device] = [Point(name, p, s) for name, (p, s) in zip(names, pairs, strict=True)]
    return points


def _cell(path: Path, row: dict[str, str], column: str, line: int) -> float:
    text = row[column] or ""
    try:
        value = float(text)
    except ValueError:
        raise DataError(str(path), f"{column} is {text!r}, not a number", line) from None
    if number(value) is None or value <= 0:
        raise DataError(str(path), f"{column} is {text}, it must be above 0", line)
    return value


def _scaling_json(s: Scaling, target: float | None) -> dict[str, Any]:
    band = s.band
    curve = [[number(x) for x in row] for row in zip(band.power, band.score, band.low, band.high, strict=True)]
    low, high = number(s.nearly_all.low_w), number(s.nearly_all.high_w)
    interval = None if low is None or high is None else [low, high]
    return {
        "curve": curve,
        "exponent": None,
        "sweet_spots": {
            "knee": None,
            "efficiency": None,
            "95%": {"power_W": number(s.nearly_all.power_w), "ci": interval},
            "marginal": None,
        },
        "target": None if target is None else {"power_W": number(s.target_w), "extrapolated": False},
        "next_point_W": None,
    }


def _print_plain(device: str, s: Scaling) -> None:
    print(f"{device}: 95 % of the best score at {s.nearly_all.power_w:.1f} W")
    for cell in s.cells:
        print(f"  {cell.power_w:8.2f} W {cell.score:12.5g}")
    for warning in s.warnings:
        print(f"  note: {warning.text}")
