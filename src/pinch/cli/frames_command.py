"""`pinch frames FILE [--json]`: what the frames of a log felt like."""

import argparse
import math
from pathlib import Path
from typing import Any

from pinch.cli.convert_command import mapping_of
from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.framekinds import frame_kinds
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.framestats import FrameFigures, Lows, frame_figures
from pinch.sources.logs.read import read_log_file


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="a frame log: single frames, in any dialect")
    parser.add_argument("--map", type=Path, metavar="FILE", help="how its columns are to be understood, as JSON")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    found = read_log_file(args.file, mapping_of(args.map))
    if FRAME_TIME not in found.log.series:
        lossy = FRAME_RATE in found.log.series
        why = "it tells rates, not single frames: lows cannot be had" if lossy else "it has no times of single frames"
        raise DataError(str(args.file), why)
    kinds, times = frame_kinds(found.log, -math.inf, math.inf), found.log.series[FRAME_TIME].values
    figures = frame_figures(kinds.drawn_ms if kinds is not None and kinds.is_mixed else times)
    noticed = list(kinds.notes if kinds is not None else ())
    noticed += [Note("log", text) for text in found.warnings] + [Note("not-sure", text) for text in found.questions]
    if args.json:
        print_json({**frames_json(figures), "warnings": warnings_json((*figures.notes, *noticed))})
    else:
        print_frames(figures)
        for note in (*figures.notes, *noticed):
            print(f"  note: {note.text}")
    return 0


def frames_json(f: FrameFigures) -> dict[str, Any]:
    """The stable keys of docs/formats.md."""
    return {
        "frames": f.frames,
        "duration_s": number(f.duration_s),
        "average_fps": number(f.average_fps),
        "median_fps": number(f.median_fps),
        "low_1": _lows_json(f.low_1),
        "low_0_1": _lows_json(f.low_01),
        "lowest_1s_fps": number(f.lowest_1s),
        "highest_1s_fps": number(f.highest_1s),
        "time_beyond_s": {limit: number(s) for limit, s in f.beyond_s.items()},
        "stutters": f.stutters,
        "cv": number(f.cv),
        "consistency": number(f.consistency),
        "stretches": {name: number(own) for name, own in f.stretches.items()},
        "ci": {name: [number(i.low), number(i.high)] for name, i in f.intervals.items()},
    }


def _lows_json(lows: Lows) -> dict[str, Any]:
    return {
        "percentile": number(lows.percentile),
        "mean_of_worst": number(lows.mean_of_worst),
        "time_share": number(lows.time_share),
    }


def print_frames(f: FrameFigures) -> None:
    """Average, lows, stutters and long frames in plain words."""
    print(f"{f.frames} frames in {f.duration_s:.1f} s: {f.average_fps:.2f} fps on average")
    for name, lows in (("1 % low", f.low_1), ("0.1 % low", f.low_01)):
        print(
            f"  {name:<9} {lows.percentile:.2f} fps (percentile), {lows.mean_of_worst:.2f} (mean of worst), "
            f"{lows.time_share:.2f} (time share)"
        )
    beyond = ", ".join(f"{s:.2f} s beyond {limit} ms" for limit, s in f.beyond_s.items())
    print(f"  {f.stutters} stutters; {beyond}")
