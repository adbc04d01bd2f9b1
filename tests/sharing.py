"""Test modules shared out among processes: each takes the next one when it is through with its last."""

import io
import logging
import multiprocessing
import os
import sys
import traceback
import unittest
from dataclasses import dataclass
from multiprocessing.process import BaseProcess
from multiprocessing.queues import Queue
from pathlib import Path
from queue import Empty

from tests.judged_once import judge_once


@dataclass
class Outcome:
    """What became of some modules, with the output of those that failed."""

    ran: int = 0
    failed: int = 0
    skipped: int = 0
    output: str = ""

    def add(self, other: "Outcome") -> None:
        """Count another one in."""
        self.ran += other.ran
        self.failed += other.failed
        self.skipped += other.skipped
        self.output += other.output


def run_module(name: str, stream: io.TextIOBase | None = None) -> Outcome:
    """Run one module; its output goes to `stream`, else into the outcome where something failed."""
    own = io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(stream or own, verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    output = f"== {name}\n{own.getvalue()}" if failed and stream is None else ""
    return Outcome(result.testsRun, failed, len(result.skipped), output)


def at_home(home: Path) -> None:
    """Keep what tests leave behind in a folder of their own."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    for name in ("CACHE", "DATA", "CONFIG", "STATE"):
        os.environ[f"XDG_{name}_HOME"] = str(home / name.lower())
    logging.getLogger("pinch").addHandler(logging.NullHandler())  # mistakes that tests make on purpose


def work(wanted: "Queue[str]", outcomes: "Queue[Outcome]", home: Path) -> None:
    """Run modules until there are no more."""
    at_home(home)
    os.environ["PINCH_TESTS"] = str(home.parent)  # what is made once for all processes
    judge_once(home.parent / "judged")
    while name := wanted.get():
        try:
            outcomes.put(run_module(name))
        except BaseException:
            outcomes.put(Outcome(1, 1, 0, f"== {name}\n{traceback.format_exc()}"))
            raise
    outcomes.close()
    outcomes.join_thread()
    os._exit(0)  # to take hundreds of windows of Qt apart together with Python itself ended in a fault now and then


def next_outcome(outcomes: "Queue[Outcome]", alive: list[BaseProcess]) -> Outcome:
    """What a process has to tell next; one that died in the middle of a module failed it."""
    while True:
        try:
            return outcomes.get(timeout=1.0)
        except Empty:
            for worker in [w for w in alive if w.exitcode]:
                alive.remove(worker)
                return Outcome(1, 1, 0, f"== {worker.name} died with exit status {worker.exitcode}\n")


def run_shared(names: list[str], processes: int, home: Path) -> Outcome:
    """Run modules in several processes."""
    context = multiprocessing.get_context("spawn")
    wanted: Queue[str] = context.Queue()
    outcomes: Queue[Outcome] = context.Queue()
    for name in [*names, *[""] * processes]:
        wanted.put(name)
    workers = [
        context.Process(target=work, args=(wanted, outcomes, home / str(number)), name=f"tests {number}")
        for number in range(processes)
    ]
    for worker in workers:
        worker.start()
    total, alive = Outcome(), list(workers)
    for done in range(1, len(names) + 1):
        outcome = next_outcome(outcomes, alive)
        print(f"\r{done} of {len(names)} modules", end="", file=sys.stderr, flush=True)
        print(f"\n{outcome.output}" if outcome.output else "", end="", file=sys.stderr, flush=True)
        total.add(outcome)
    for worker in workers:
        worker.join()
    print(file=sys.stderr)
    return total
