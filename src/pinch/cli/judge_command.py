"""`pinch judge LOG [--json]`: what a run held, and what held it back."""

import argparse
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from pinch.cli.convert_command import mapping_of
from pinch.cli.frames_command import frames_json, print_frames
from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.alignment import joined
from pinch.core.errors import DataError
from pinch.core.extent import Extent
from pinch.core.figures import ChannelFigures, Note, Segment
from pinch.core.frames import FRAME_TIME, with_frame_rate
from pinch.core.heat import Heat
from pinch.core.judge import Judgement, PartJudgement, judge
from pinch.core.known import Known
from pinch.core.printing import plain
from pinch.core.ranges import Spread
from pinch.core.sensors import SensorModel
from pinch.intake.pairing import pair_of
from pinch.narrative.finding import finding
from pinch.sources.logs.read import read_log_file

SHARED = {"yes": True, "no": False}
EXTENT_HELP = "what counts: all of a scene, or the settled window of a soak (default)"


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("log", type=Path, help="a log: a table of text in any dialect")
    parser.add_argument("--frames", type=Path, metavar="FILE", help="a frame log of the same run, begun with it")
    parser.add_argument("--map", type=Path, metavar="FILE", help="how the log's columns are to be understood, as JSON")
    parser.add_argument("--ambient", type=float, metavar="C", help="room temperature, °C")
    parser.add_argument("--temp-limit", type=float, metavar="C", help="temperature limit of the chip, °C")
    parser.add_argument("--clock-ceiling", type=float, metavar="MHZ", help="highest clock it may reach, MHz")
    parser.add_argument("--frame-cap", type=float, metavar="FPS", help="frame cap that was set, frames per second")
    parser.add_argument("--shared", choices=["yes", "no"], help="whether graphics share the processor's power budget")
    parser.add_argument("--extent", choices=[str(e) for e in Extent], default=Extent.SOAK, help=EXTENT_HELP)
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    found = read_log_file(args.log, mapping_of(args.map))
    log, shift, notices = found.log, None, list(found.warnings)
    if args.frames is not None:
        frames = read_log_file(args.frames)
        if FRAME_TIME not in frames.log.series:
            raise DataError(str(args.frames), "it has no times of single frames")
        pair = pair_of(args.log, found, args.frames, frames)
        log = joined(log, frames.log, pair.offset_s)
        notices += frames.warnings
        shift = Note("frames", f"The frames are shifted by {plain(pair.offset_s, 6)} s, {pair.how}.")
    try:
        told = (args.temp_limit, args.clock_ceiling, args.ambient, args.frame_cap)
        judged = judge(
            with_frame_rate(log), Known(*told, extent=Extent(args.extent), shares_budget=SHARED.get(args.shared))
        )
    except DataError as error:
        raise DataError(str(args.log), error.reason) from None
    noticed = [Note("log", text) for text in notices] + [Note("not-sure", text) for text in found.questions]
    noticed += [shift] if shift else []
    judged = replace(judged, warnings=(*judged.warnings, *noticed))
    if args.json:
        print_json(judgement_json(judged))
    else:
        _print_plain(judged)
    return 0


def judgement_json(j: Judgement) -> dict[str, Any]:
    """The stable keys of docs/formats.md."""
    throttle = {"first_heat_s": number(j.throttle.first_heat_s), "events": j.throttle.events}
    return {
        "load_start_s": number(j.load_start_s),
        "duration_s": number(j.duration_s),
        "settled": {
            "state": j.settled.state,
            "start_s": number(j.settled.start_s),
            "end_s": number(j.settled.end_s),
            "active_share": number(j.settled.active_share),
        },
        "figures": {name: _figures_json(f) for name, f in j.figures.items()},
        "limits": {
            "burst_W": number(j.limits.burst.value),
            "sustained_W": number(j.limits.sustained.value),
            "burst_s": number(j.limits.burst_s.value),
            "window_s": number(j.limits.window_s.value),
            "window_u": number(j.limits.window_s.u),
            "bounded": j.limits.bounded,
        },
        "limiters": [_segment_json(s) for s in j.limiters],
        "limiter_share": {cause: number(share) for cause, share in j.limiter_share.items()},
        "throttle": throttle,
        "sawtooth": _sawtooth_json(j),
        "collapse": [{"start_s": number(c.start_s), "end_s": number(c.end_s)} for c in j.collapses],
        "heat": _heat_json(j.heat),
        "frames": None if j.frames is None else frames_json(j.frames),
        "hot_core": None
        if j.hot_core is None
        else {"core": j.hot_core.number, "C": number(j.hot_core.hottest_c), "mean_C": number(j.hot_core.mean_c)},
        "early_late": {
            name: {"first_min": e.first_min, "first": number(e.early), "after": number(e.late), "unit": e.unit}
            for name, e in j.early_late.items()
        },
        "whole_load": {name: number(mean) for name, mean in j.whole_load.items()},
        "range": {name: {"idle": _spread_json(r.idle), "load": _spread_json(r.load)} for name, r in j.ranges.items()},
        "levels": [
            {"watts": number(p.power_w), "start_s": number(p.start_s), "end_s": number(p.end_s), "kind": p.kind}
            for p in j.plateaus
        ],
        "sensors": {name: _sensor_json(m) for name, m in j.sensors.items()},
        "governs": j.governs,
        "parts": {name: _part_json(part, j) for name, part in j.parts.items()},
        "gaps": [{"start_s": number(g.start_s), "end_s": number(g.end_s)} for g in j.gaps],
        "warnings": warnings_json(j.warnings),
    }


def _segment_json(s: Segment) -> dict[str, Any]:
    return {
        "start_s": number(s.start_s),
        "end_s": number(s.end_s),
        "cause": s.cause,
        "p": number(s.p),
        "part": s.part,
        "second": {"cause": s.second, "p": number(s.second_p)},
        "evidence": s.evidence,
    }


def _spread_json(s: Spread) -> dict[str, Any]:
    return {"mean": number(s.mean), "min": number(s.low), "max": number(s.high)}


def _sensor_json(m: SensorModel) -> dict[str, Any]:
    return {
        "period_s": number(m.period_s),
        "lag_s": number(m.lag_s),
        "step": number(m.step),
        "noise": number(m.noise),
        "stale": number(m.stale),
        "spikes": m.spikes,
    }


def _part_json(part: PartJudgement, j: Judgement) -> dict[str, Any]:
    named = [name for name in (part.power, part.clock, part.temp) if name is not None]
    return {
        "figures": {name: _figures_json(j.figures[name]) for name in named if name in j.figures},
        "limits": {"sustained_W": number(part.sustained_w), "temp_limit_C": number(part.levels.temp_limit_c)},
        "limiters": [_segment_json(s) for s in part.limiters],
        "limiter_share": {cause: number(share) for cause, share in part.limiter_share.items()},
    }


def _heat_json(heat: Heat | None) -> dict[str, Any] | None:
    if heat is None:
        return None
    return {
        "r_th_K_per_W": number(heat.r_th.value),
        "u": number(heat.r_th.u),
        "tau_s": [number(x) for x in heat.tau_s],
        "r_K_per_W": [number(float(x)) for x in heat.fit.r],
        "offset_fitted": heat.offset_fitted,
        "room_C": number(heat.room_c),
        "rms_K": number(heat.fit.rms_k),
        "headroom_K": number(heat.headroom_k),
        "coolable_W": number(heat.coolable_w.value),
        "coolable_u": number(heat.coolable_w.u),
        "coolable_25_W": number(heat.coolable_25_w.value),
        "temp_25_C": number(heat.normal_c),
        "end_C": number(heat.end_c),
        "more_s": number(heat.more_s),
        "cool_down_s": number(heat.cool_down_s),
    }


def _sawtooth_json(j: Judgement) -> dict[str, Any] | None:
    if j.sawtooth is None or j.clock is None:
        return None
    return {"period_s": number(j.sawtooth.period_s), "clock_pp_MHz": number(j.sawtooth.swing)}


def _figures_json(f: ChannelFigures) -> dict[str, Any]:
    return {
        "sustained": number(f.sustained.value),
        "u": number(f.sustained.u),
        "median": number(f.median),
        "p05": number(f.p05),
        "p95": number(f.p95),
        "burst": number(f.burst),
        "hold": number(f.hold),
        "unit": f.unit,
    }


def _print_plain(j: Judgement) -> None:
    print(finding(j))
    print(f"Settled window {j.settled.start_s:.0f} s to {j.settled.end_s:.0f} s: {j.settled.state}")
    for name, f in j.figures.items():
        hold = f", hold {100 * f.hold:.0f} %" if number(f.hold) is not None else ""
        if f.sustained.known:
            print(f"  {name:<16} {f.sustained.value:10.2f} ± {plain(f.sustained.u, 2)} {f.unit}{hold}")
    if j.heat is not None:
        times = ", ".join(f"{tau:.0f} s" for tau in j.heat.tau_s)
        print(f"Heat: {j.heat.r_th.value:.3f} ± {plain(j.heat.r_th.u, 1)} K/W in {times}", end="")
        print(f"; carries {j.heat.coolable_w.value:.1f} W" if j.heat.coolable_w.known else "")
    if j.frames is not None:
        print_frames(j.frames)
    for warning in j.warnings:
        print(f"  note: {warning.text}")
