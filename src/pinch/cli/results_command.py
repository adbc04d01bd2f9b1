"""`pinch results --book FILE [--device --workload --variant --metric] [--json]`: every result of a book."""

import argparse
from pathlib import Path
from typing import Any

from pinch.analysis.results import BookResult, chosen_results, name_out, results_of
from pinch.cli.numbers import number, print_json
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import UNKNOWN, counted, plain
from pinch.runs.whole_book import read_points


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    for name in ("device", "workload", "variant", "metric"):
        parser.add_argument(f"--{name}", default="", metavar="NAME", help=f"only of this {name}")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    everything = results_of(read_points(args.book))
    found = chosen_results(everything, args.device, args.workload, args.variant, args.metric)
    if args.json:
        print_json({"results": [result_json(r) for r in found], "warnings": []})
        return 0
    for r in found:
        value = plain(r.value, 5) if r.value is not None else UNKNOWN
        shown = f"{r.low:g}–{r.high:g}" if r.value is None and r.low is not None else value
        words = [f"{r.device.name}, {r.setting.name}", r.workload.name, r.metric.name]
        about = [str(r.origin), counted(r.n, "run"), str(r.extent), r.left_out]
        print(f"{shown:>12} {r.metric.unit:<8} {' · '.join(words)} ({', '.join(filter(None, about))})")
    if not found:
        print("No result is of these names." if everything else "The book has no results yet.")
    return 0


def result_json(r: BookResult) -> dict[str, Any]:
    """The stable keys of docs/formats.md."""
    return {
        "device": r.device.name,
        "setting": r.setting.name,
        "workload": r.workload.name,
        "variant": r.variant,
        "metric": name_out(r.metric),
        "school": LOW_NAMES[r.metric.key].partition(", ")[2] if r.metric.key in LOW_NAMES else None,
        "unit": r.metric.unit,
        "better": str(r.metric.better),
        "value": None if r.value is None else number(r.value),
        "low": None if r.low is None else number(r.low),
        "high": None if r.high is None else number(r.high),
        "n": r.n,
        "sd": None if r.spread is None else number(r.spread),
        "units": r.units,
        "origin": str(r.origin),
        "author": r.author,
        "day": r.day or None,
        "extent": str(r.extent),
        "run": r.run_id,
        "left_out": r.left_out,
    }
