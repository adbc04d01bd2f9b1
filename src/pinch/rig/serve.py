"""A simulated device as a process of its own.

    python -m pinch.rig.serve --device KEY --setting NAME --work NAME --tree DIR [--time-scale X] …

It writes its pretend tree in simulated time and obeys the same commands as the built-in load: `start`, `stop` on
standard input, whose end ends it; while loaded it prints `clock_s,rate` for each simulated second. `truth` prints what
limits it now, `meter off` and `meter on` silence its mains meter and let it speak again.

Beside the tree lie the port of the meter (`meter.port`) and, of a workload with frames, the log of their times
(`frames.csv`).
"""

import argparse
import os
import queue
import sys
import threading
import time
from pathlib import Path

from pinch.core.errors import PinchError
from pinch.rig import catalogue
from pinch.rig.device import STEP_S, SimulatedDevice
from pinch.rig.frame_maker import FrameMaker
from pinch.rig.meter_stand_in import RigMeter, wall_w
from pinch.rig.tree import pretend_tree

METER_PORT, FRAMES = "meter.port", "frames.csv"
SHORTEST_TICK_S = 0.004
"""Real seconds between two states shown: more often, and the rig would disturb the machine."""


def serve(args: argparse.Namespace) -> None:
    """Run the device until standard input ends."""
    device = catalogue.device(args.device)
    work = catalogue.work(args.work)
    sim = SimulatedDevice(device, device.setting(args.setting), args.ambient, args.seed)
    tree = pretend_tree(Path(args.tree), device, device.setting(args.setting))
    tree.show(sim.state())
    meter = RigMeter(lambda: wall_w(sim.state().power_w))
    (Path(args.tree) / METER_PORT).write_text(f"{meter.port}\n", encoding="ascii")
    frames = FrameLogWriter(Path(args.tree) / FRAMES, args.seed) if work.channel == "frame.rate" else None
    print("ready", flush=True)
    commands: queue.SimpleQueue[str] = queue.SimpleQueue()
    threading.Thread(target=_read_commands, args=(commands,), daemon=True).start()
    begun, loaded_since, done = time.monotonic(), None, 0.0
    tick = max(STEP_S, round(SHORTEST_TICK_S * args.time_scale / STEP_S) * STEP_S)
    while True:
        while not commands.empty():
            command = commands.get()
            if command == "end":
                tree.close()
                meter.close()
                return
            if command in ("meter off", "meter on"):
                meter.silent = command == "meter off"
            if command == "truth":
                print(f"# truth {sim.state().truth}", flush=True)
            if command == "start":
                sim.start(work)
                loaded_since, done = sim.clock_s, sim.state().work_done
            elif command == "stop":
                sim.stop()
                loaded_since = None
        behind = (time.monotonic() - begun) * args.time_scale - sim.clock_s
        if behind < tick:
            time.sleep((tick - behind) / args.time_scale)
            continue
        advanced = int(behind / STEP_S + 1e-6) * STEP_S
        sim.advance(advanced)
        state = sim.state()
        tree.show(state)
        if loaded_since is not None and frames is not None:
            frames.write(sim.rate_now, sim.clock_s, advanced)
        if loaded_since is not None and state.clock_s - loaded_since >= 1.0 - 1e-6:
            rate = (state.work_done - done) / (state.clock_s - loaded_since)
            print(f"{state.clock_s + 100.0:.3f},{rate:.3f}", flush=True)
            loaded_since, done = state.clock_s, state.work_done


class FrameLogWriter:
    """The frame log beside the tree: `t_s,frame_ms`, a row a frame."""

    def __init__(self, path: Path, seed: int) -> None:
        self._file = path.open("w", encoding="ascii")
        self._file.write("t_s,frame_ms\n")
        self._file.flush()
        self._maker = FrameMaker(seed)

    def write(self, rate: float, clock_s: float, seconds: float) -> None:
        """Write the frames of the last `seconds` of work, which end at a moment of the device's clock."""
        self._maker.go_to(clock_s - seconds)
        for t, ms in self._maker.advance(rate, seconds):
            self._file.write(f"{t:.5f},{ms:.3f}\n")
        self._file.flush()


def _read_commands(commands: "queue.SimpleQueue[str]") -> None:
    for line in sys.stdin:
        commands.put(line.strip())
    commands.put("end")


def main() -> int:
    """Entry point of the rig's process."""
    parser = argparse.ArgumentParser(description="A simulated device; commands on standard input.")
    parser.add_argument("--device", required=True)
    parser.add_argument("--setting", required=True)
    parser.add_argument("--work", required=True)
    parser.add_argument("--tree", required=True)
    parser.add_argument("--time-scale", type=float, default=1.0)
    parser.add_argument("--ambient", type=float, default=22.0)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    try:
        serve(args)
    except (BrokenPipeError, KeyboardInterrupt):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    except PinchError as error:
        sys.stderr.write(f"{error}\n")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
