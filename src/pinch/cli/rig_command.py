"""`pinch rig`: a simulated device that shows its pretend tree until interrupted."""

import argparse
import sys
import time
from pathlib import Path

from pinch import compose
from pinch.bench.records import Device, Setting, Workload
from pinch.recorder.sources import WorkProcess
from pinch.rig import catalogue


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
    parser.add_argument("--list", action="store_true", help="list devices, settings and work, and end")
    parser.add_argument("--seed", type=int, default=1, help="seed of its noise")


def run(args: argparse.Namespace) -> int:
    device = catalogue.device(args.device)
    if args.list:
        _list()
        return 0
    setting = device.setting(args.setting or device.settings[0].name)
    request = compose.RunRequest(
        Device(name=device.name, rig=device.key),
        Setting(device_id=0, name=setting.name),
        Workload(name=catalogue.work(args.work).name),
        3600.0,
        ambient_c=args.ambient,
        time_scale=args.time_scale,
    )
    args.tree.mkdir(parents=True, exist_ok=True)
    process = WorkProcess(compose.rig_command(request, args.seed, args.tree), ready_line=True)
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
