"""The built-in load: a small kit of steady work in child processes (`sources.load_kit` says what each part does).

    python -m pinch.sources.load [--kind KIND] [--threads N] [--interval S] [--graphics] [--frames FILE]

Commands on standard input, a line each: `start`, `stop`; its end ends the load, so that it never outlives Pinch. While
loaded, standard output gets a line `clock_s,rate` an interval: seconds since boot, and work units done each second.
With `--graphics` they are kept busy too, and a line `# …` says by what, or why not. A scene writes its frames to a file
instead, and ends where it cannot be drawn.
"""

import argparse
import ctypes
import mmap
import os
import select
import signal
import subprocess
import sys
import threading
import time

for _library in ("OPENBLAS", "OMP", "MKL"):
    os.environ[f"{_library}_NUM_THREADS"] = "1"  # one process a core; must be set before NumPy loads

import numpy as np  # noqa: E402

from pinch.sources import load_kit  # noqa: E402

_PR_SET_PDEATHSIG = 1


class Crew:
    """The worker processes and the counters they share: one double a worker, work units done."""

    def __init__(self, kind: str, threads: int) -> None:
        self._kind, self._threads = kind, threads
        self._shared = mmap.mmap(-1, 8 * max(1, threads))
        self._counts = np.frombuffer(self._shared, dtype=np.float64)
        self._children: list[int] = []

    @property
    def done(self) -> float:
        """Work units done since the crew was made."""
        return float(self._counts.sum())

    @property
    def working(self) -> bool:
        """Whether workers are running."""
        return bool(self._children)

    def start(self) -> None:
        """Put every worker to work."""
        if self._children:
            return
        parent = os.getpid()
        for number in range(self._threads):
            child = os.fork()
            if child == 0:
                _work(self._kind, self._counts, number, parent)
            self._children.append(child)

    def stop(self) -> None:
        """End all workers."""
        for child in self._children:
            os.kill(child, signal.SIGKILL)
        for child in self._children:
            os.waitpid(child, 0)
        self._children.clear()


class GraphicsLoad:
    """The process that keeps graphics busy; `start` it after the workers, which must not hold its line open. With
    `frames` it draws the scene and writes its frames there."""

    def __init__(self, frames: str = "") -> None:
        self._process: subprocess.Popen[str] | None = None
        self._frames = frames

    def start(self) -> None:
        """Begin to draw."""
        command = [sys.executable, "-m", "pinch.sources.graphics"]
        command += ["--frames", self._frames] if self._frames else []
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        threading.Thread(target=self._tell, args=(self._process,), daemon=True).start()

    @property
    def failed(self) -> bool:
        """Whether it has ended by itself; it said why."""
        return self._process is not None and self._process.poll() is not None

    def stop(self) -> None:
        """Draw no more."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None

    @staticmethod
    def _tell(process: "subprocess.Popen[str]") -> None:
        assert process.stdout is not None
        said = process.stdout.readline().strip()
        if said:
            print(f"# {said}", flush=True)


def _work(kind: str, counts: load_kit.Counts, number: int, parent: int) -> None:
    """Never returns. The kernel kills the worker when its parent dies, however that happens."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    load_kit.work(kind, counts, number, lambda: os.getppid() == parent)
    os._exit(0)


def serve(crew: Crew, graphics: GraphicsLoad | None, interval_s: float) -> None:
    """Obey commands and report until standard input ends."""
    clock = _clock()
    due, last = clock + interval_s, (clock, crew.done)
    while True:
        ready, _, _ = select.select([sys.stdin], [], [], max(0.0, due - _clock()))
        if ready:
            command = sys.stdin.readline()
            if not command:
                return
            if command.strip() == "start":
                crew.start()
                if graphics is not None:
                    graphics.start()
                last = (_clock(), crew.done)
                due = last[0] + interval_s
            elif command.strip() == "stop":
                if graphics is not None:
                    graphics.stop()
                crew.stop()
        if graphics is not None and graphics.failed:
            return
        if _clock() >= due:
            now = (_clock(), crew.done)
            if crew.working:
                print(f"{now[0]:.4f},{(now[1] - last[1]) / (now[0] - last[0]):.3f}", flush=True)
            last, due = now, due + interval_s


def _clock() -> float:
    return time.clock_gettime(time.CLOCK_BOOTTIME)


def main() -> int:
    """Entry point of the load process."""
    parser = argparse.ArgumentParser(description="The built-in load; commands on standard input.")
    parser.add_argument("--kind", choices=tuple(load_kit.KIT), default="cores")
    parser.add_argument("--threads", type=int, default=0)
    parser.add_argument("--interval", type=float, default=1.0)
    parser.add_argument("--graphics", action="store_true")
    parser.add_argument("--frames", default="")
    args = parser.parse_args()
    workers = load_kit.KIT[args.kind].workers
    crew = Crew(args.kind, (args.threads or len(os.sched_getaffinity(0))) if workers is None else workers)
    graphics = GraphicsLoad(args.frames) if args.graphics or args.kind == "scene" else None
    try:
        serve(crew, graphics, args.interval)
    except (BrokenPipeError, KeyboardInterrupt):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    finally:
        if graphics is not None:
            graphics.stop()
        crew.stop()
    return 0


if __name__ == "__main__":
    sys.exit(main())
