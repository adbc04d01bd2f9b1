"""A simulated device as a process of its own.

    python -m pinch.rig.serve --device KEY --setting NAME --work NAME --tree DIR [--time-scale X] …

It writes its pretend tree in simulated time and obeys the same commands as the built-in load: `start`, `stop` on
standard input, whose end ends it; while loaded it prints `clock_s,rate` for each simulated second. `truth` prints what
limits it now.
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
from pinch.rig.tree import PretendTree

SHORTEST_TICK_S = 0.004
"""Real seconds between two states shown: more often, and the rig would disturb the machine."""


def serve(args: argparse.Namespace) -> None:
    """Run the device until standard input ends."""
    device = catalogue.device(args.device)
    work = catalogue.work(args.work)
    sim = SimulatedDevice(device, device.setting(args.setting), args.ambient, args.seed)
    tree = PretendTree(Path(args.tree), device)
    tree.show(sim.state())
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
                return
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
        sim.advance(int(behind / STEP_S + 1e-6) * STEP_S)
        state = sim.state()
        tree.show(state)
        if loaded_since is not None and state.clock_s - loaded_since >= 1.0 - 1e-6:
            rate = (state.work_done - done) / (state.clock_s - loaded_since)
            print(f"{state.clock_s + 100.0:.3f},{rate:.3f}", flush=True)
            loaded_since, done = state.clock_s, state.work_done


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
