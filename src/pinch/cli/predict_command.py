"""`pinch predict --book FILE --device NAME --workload NAME`: what a device would do under a limit, in a room, with a
cooler that nobody has tried, by the twin of its own runs."""

import argparse
import math
from pathlib import Path
from typing import Any

from pinch.cli.books import named
from pinch.cli.numbers import number, print_json
from pinch.core.errors import DataError

MOST_MINUTES = 1440.0


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--device", required=True, metavar="NAME")
    parser.add_argument("--workload", required=True, metavar="NAME")
    parser.add_argument("--limit", type=float, default=math.nan, metavar="W", help="sustained limit on power")
    parser.add_argument("--ambient", type=float, default=math.nan, metavar="C", help="room; usually that of most runs")
    parser.add_argument("--fan", default="", metavar="NAME", help="fan profile or mode; usually that of most runs")
    parser.add_argument("--lock", type=float, default=math.nan, metavar="MHZ", help="a clock that is locked")
    parser.add_argument("--cooling", type=float, default=0.0, metavar="%", help="how much more the cooler carries")
    parser.add_argument("--minutes", type=float, default=30.0, metavar="MIN", help="length of the run; usual: 30")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    from pinch.analysis.foreseen import foresee
    from pinch.core.twin_runs import Change
    from pinch.narrative import twin_words
    from pinch.runs.twinning import read_twin
    from pinch.runs.whole_book import read_points

    _check(args)
    points = read_points(args.book)
    device = named(points.devices, args.device, "device", lambda d: d.name)
    workload = named(points.workloads, args.workload, "workload", lambda w: w.name)
    change = Change(args.limit, args.ambient, args.fan, args.lock, args.cooling / 100.0)
    found = foresee(read_twin(args.book, points, device, workload), change, 60.0 * args.minutes)
    if args.json:
        print_json(_json(found))
        return 0
    print(twin_words.headline(found))
    for row in twin_words.rows(found):
        print(f"{row.name:30} {row.value:>12}   {row.interval:24} {row.miss}".rstrip())
    for note in twin_words.notes(found):
        print(note)
    return 0


def _check(args: argparse.Namespace) -> None:
    for name, value, least, most in (
        ("--limit", args.limit, 0.5, 1000.0),
        ("--ambient", args.ambient, -40.0, 80.0),
        ("--lock", args.lock, 50.0, 20000.0),
        ("--cooling", args.cooling, -90.0, 900.0),
        ("--minutes", args.minutes, 1.0, MOST_MINUTES),
    ):
        if not math.isnan(value) and not least <= value <= most:
            raise DataError(name, f"it is {value:g}, it must be from {least:g} to {most:g}")


def _interval(figure: Any) -> dict[str, Any] | None:
    if figure is None or not figure.known:
        return None
    return {"value": number(figure.value), "low": number(figure.low), "high": number(figure.high)}


def _json(found: Any) -> dict[str, Any]:
    from pinch.narrative import twin_words

    told = found.told
    figures = {
        "power_W": told.power,
        "clock_MHz": told.clock,
        "temp_C": told.temp,
        "score": twin_words.score(found),
        "battery_min": found.battery,
        "burst_s": found.course.burst if found.course else None,
        "heat_after_s": found.course.heat if found.course else None,
    }
    intervals = {name: _interval(figure) for name, figure in figures.items()}
    misses = {
        name: {"rms": number(m.rms), "most": number(m.most), "cells": m.n, "held": m.held}
        for name, m in found.misses.items()
    }
    course = found.course
    rows = [] if course is None else zip(course.t, course.power, course.temp, strict=True)
    return {
        "predicted": True,
        "figures": intervals,
        "score_unit": twin_words.score(found).unit,
        "limiter": told.kind,
        "limiter_certainty": number(told.certainty),
        "left_out_error": misses,
        "rests_on": list(told.rests_on),
        "course": [[number(float(x)) for x in row] for row in rows],
        "warnings": [{"code": "predicted", "text": text} for text in twin_words.notes(found)],
    }
