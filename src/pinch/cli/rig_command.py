"""`pinch rig`: a simulated device that shows its pretend tree until interrupted."""

import argparse
import sys
import time
from pathlib import Path

from pinch.bench.records import Device, Setting, Workload
from pinch.core.errors import PinchError
from pinch.recorder.processes import WorkProcess
from pinch.rig import catalogue
from pinch.rig.device import SimulatedRun, simulate_run
from pinch.runs.sourcing import RunRequest, rig_command
from pinch.sources.runlog_csv import write_run_log


def configure(parser: argparse.ArgumentParser) -> None:
    keys = ", ".join(d.key for d in catalogue.DEVICES)
    parser.add_argument("--device", default=catalogue.DEVICES[0].key, help=f"one of {keys}")
    parser.add_argument("--setting", help="its setting (the first)")
    parser.add_argument("--work", default=catalogue.TILE.name, help="what it runs once it is loaded")
    parser.add_argument("--tree", type=Path, default=Path("pinch-rig"), help="folder for the pretend tree (pinch-rig)")
    parser.add_argument("--time-scale", type=float, default=1.0, help="simulated seconds per real second")
    parser.add_argument("--ambient", type=float, default=22.0, metavar="C", help="room temperature, °C")
    parser.add_argument("--load-after", type=float, metavar="S", help="put it to work after so many real seconds")
    parser.add_argument("--duration", type=float, metavar="S", help="end after so many real seconds")
    parser.add_argument("--log", type=Path, metavar="FILE", help="make a log at once, as CSV, and end")
    parser.add_argument("--truth", type=Path, metavar="FILE", help="with --log: what limited it at each second, as CSV")
    parser.add_argument("--length", type=int, default=600, metavar="S", help="with --log: seconds of load (600)")
    parser.add_argument("--list", action="store_true", help="list devices, settings and work, and end")
    parser.add_argument("--seed", type=int, default=1, help="seed of its noise")


def run(args: argparse.Namespace) -> int:
    device = catalogue.device(args.device)
    if args.list:
        _list()
        return 0
    setting = device.setting(args.setting or device.settings[0].name)
    if args.log is not None:
        made = simulate_run(device, setting, catalogue.work(args.work), args.length, args.ambient, args.seed)
        _write_files(made, args.log, args.truth)
        return 0
    request = RunRequest(
        Device(name=device.name, rig=device.key),
        Setting(device_id=0, name=setting.name),
        Workload(name=catalogue.work(args.work).name),
        3600.0,
        ambient_c=args.ambient,
        time_scale=args.time_scale,
    )
    args.tree.mkdir(parents=True, exist_ok=True)
    process = WorkProcess(rig_command(request, args.seed, args.tree), ready_line=True)
    process.open()
    print(
        f"{device.name}, {setting.name}: pinch probe --root {args.tree} --time-scale {args.time_scale:g}",
        file=sys.stderr,
    )
    try:
        _serve(process, args.load_after, args.duration)
    finally:
        process.close()
    return 0


def _write_files(made: SimulatedRun, log: Path, truth: Path | None) -> None:
    try:
        with open(log, "w", encoding="utf-8") as file:
            write_run_log(made.log, file)
        if truth is not None:
            rows = "".join(f"{second + 1},{cause}\n" for second, cause in enumerate(made.truth))
            truth.write_text("t_s,cause\n" + rows, encoding="utf-8")
    except OSError as error:
        raise PinchError(f"{error.filename}: it cannot be written ({error.strerror}).") from None


def _serve(process: WorkProcess, load_after: float | None, duration: float | None) -> None:
    begun = time.monotonic()
    while duration is None or time.monotonic() - begun < duration:
        if load_after is not None and time.monotonic() - begun >= load_after:
            process.start()
            load_after = None
        for sample in process.read():
            print(f"{sample.clock_s:.1f},{sample.values[0]:.3f}", flush=True)
        time.sleep(0.05)


def _list() -> None:
    for device in catalogue.DEVICES:
        print(f"{device.key}: {device.name}, {device.form}")
        for setting in device.settings:
            print(f"  {setting.name}: {setting.sustained_w:g} W sustained, {setting.burst_w:g} W burst")
    print("work: " + "; ".join(w.name for w in catalogue.WORK))
