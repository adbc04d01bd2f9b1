"""The probe: reads the sensors that Linux offers and prints one CSV row a sample. Standard library only.

    pinch probe [--root DIR] [--interval S] [--duration S] [--time-scale X] [--since-boot]

It can be sent to another machine as one program: `pinch probe --as-program | ssh host python3 -`. Each file is opened
once and re-read with `pread`; the schedule is absolute. A sensor that vanishes leaves its cell empty and is named once
on standard error. Power from an energy counter is the mean since the row before, so that nothing between two samples
is missed. How the machine is set stands in lines that begin with `#`: at first, and where it changes.
"""

import argparse
import math
import os
import sys
import time
from collections.abc import Sequence

from pinch.sources.probe.discovery import find_all
from pinch.sources.probe.inventory import listing_of
from pinch.sources.probe.kernel_files import SLOW_S, SensorFile, Tree, fetch_each, say
from pinch.sources.probe.kernel_numbers import Columns
from pinch.sources.probe.limits_in_force import find_states
from pinch.sources.probe.reading_only import only_read

WRONG_USE = 2
RETRIES = 3
LEAST_APART = 0.1
"""Of an interval, between two rows."""
LOOK_S = 0.5
"""Between two looks at what grows."""


class Clock:
    """Seconds since boot, of this machine or, below another root, of the tree's own /proc/uptime."""

    def __init__(self, tree: Tree) -> None:
        self.file: SensorFile | None = None
        if os.path.abspath(tree.root) != "/" and os.path.exists(tree.path("proc/uptime")):
            self.file = SensorFile(tree.path("proc/uptime"))

    def now(self) -> float | None:
        if self.file is None:
            return time.clock_gettime(time.CLOCK_BOOTTIME)
        fetch_each((self.file,))
        self.file.check_still_there()
        words = self.file.text.split()
        return float(words[0]) if words else None


def fetch_all(clock: Clock, files: Sequence[SensorFile], after: float) -> float | None:
    """Re-read all files at one moment later than `after`; returns that moment, None where none was found.

    A simulated clock that ticks during the sweep would mix two moments: then it is read again.
    """
    for _ in range(RETRIES):
        moment = clock.now()
        if moment is not None and moment > after:
            fetch_each(files)
            if clock.file is None or clock.now() == moment:
                return moment
        time.sleep(0.0005)
    return None


class States:
    """How the machine is set, in words: all of it at first, then what changes."""

    def __init__(self, files: dict[str, SensorFile]) -> None:
        self.files, self.before = files, dict[str, str]()

    def say_changes(self, t: float) -> None:
        now = {what: " ".join(file.text.split()) for what, file in self.files.items()}
        changed = {what: text for what, text in now.items() if text and text != self.before.get(what)}
        if changed and not self.before:
            print(f"# {t:.3f} set so: {', '.join(f'{what} {text}' for what, text in changed.items())}", flush=True)
        elif changed:
            for what, text in changed.items():
                print(f"# {t:.3f} {what}: {self.before.get(what, 'not told')} → {text}", flush=True)
        self.before |= changed


def next_row(begun: float, now: float) -> int:
    """The next place on the schedule, where the row before was `begun`, counted in intervals as `now` is. A row that
    came late is followed by no other within a tenth of an interval, in which counters tell nothing."""
    return math.ceil(max(begun + LEAST_APART, now))


def sample(clock: Clock, tree: Tree, columns: Columns, states: States, args: argparse.Namespace) -> None:
    """Print the header, then rows on an absolute schedule until the duration, in the clock's seconds, is over."""
    sensors = list(columns.sensors.values())
    first = fetch_all(clock, [*tree.files, *tree.slow], -1.0)
    if first is None:
        say("the clock of the tree does not answer")
        return
    for sensor in sensors:
        sensor.read(first)  # only sets the counters' starting points
    print(",".join(["t_s", *columns.sensors]), flush=True)
    every = args.interval / args.time_scale
    start, last, slow_due, begun = time.monotonic(), first, first + SLOW_S, 0.0
    states.say_changes(first if args.since_boot else 0.0)
    while args.duration is None or last - first < args.duration - 1e-3:
        number = next_row(begun / every, (time.monotonic() - start) / every)
        time.sleep(max(0.0, start + number * every - time.monotonic()))
        begun = time.monotonic() - start
        moment = fetch_all(clock, tree.files, last)
        if moment is not None:
            last = moment
            t = moment if args.since_boot else moment - first
            if moment >= slow_due:
                slow_due = moment + SLOW_S
                fetch_each(tree.slow)
                states.say_changes(t)
            print(",".join([f"{t:.3f}", *[sensor.cell(moment) for sensor in sensors]]), flush=True)
        elif clock.file is not None and clock.file.data is None:
            say("the tree is gone; the record ends here")
            return


def values_now(clock: Clock, tree: Tree, columns: Columns) -> dict[str, float | None]:
    """One value of each channel; counters are looked at twice."""
    first = fetch_all(clock, tree.files, -1.0)
    if first is None:
        return {}
    for sensor in columns.sensors.values():
        sensor.read(first)
    time.sleep(LOOK_S)
    moment = fetch_all(clock, tree.files, first) or first
    return {name: sensor.read(moment) for name, sensor in columns.sensors.items()}


def positive(text: str) -> float:
    value = float(text)
    if not 0 < value < 1e9:
        raise argparse.ArgumentTypeError(f"{text} is not a positive number")
    return value


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--root", default="/", help="read this tree instead of /")
    parser.add_argument("--interval", type=positive, default=1.0, help="seconds between samples (1)")
    parser.add_argument("--duration", type=positive, default=None, help="seconds to run (until stopped)")
    parser.add_argument("--time-scale", type=positive, default=1.0, help="simulated seconds per real second (1)")
    parser.add_argument("--since-boot", action="store_true", help="count t_s from boot, not from the start")
    parser.add_argument("--list", action="store_true", help="say as JSON what is read from where, and what is lacking")


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="pinch probe", description="Print the sensors as CSV, one row a sample.")
    configure(parser)
    return run(parser.parse_args(arguments))


def run(args: argparse.Namespace) -> int:
    if not os.path.isdir(args.root):
        say(f"{args.root}: there is no such folder")
        return WRONG_USE
    gone = os.open(os.devnull, os.O_WRONLY)
    if os.geteuid() == 0:
        only_read()
    tree = Tree(args.root)
    columns = find_all(tree, args.time_scale)
    states = States(find_states(tree))
    try:
        if args.list:
            print(listing_of(tree, columns, states.files, values_now(Clock(tree), tree, columns)))
        else:
            sample(Clock(tree), tree, columns, states, args)
    except (BrokenPipeError, KeyboardInterrupt):
        # The reader has gone: the end of the record, not an error. Keeps Python from flushing into the void.
        os.dup2(gone, sys.stdout.fileno())
    return 0
