"""Any command as a workload: passes of it, one after the other, in a process of its own that watches over it.

    python -m pinch.sources.command [--passes N] [--pause S] [--timeout S] [--folder DIR] [--pattern RE] -- WORDS…

Commands on standard input, a line each: `start`, `stop`; its end kills the command with all that it started, so that it
never outlives Pinch. Standard output gets `begun,N` and `ended,N,wall_s,exit_status,score` (empty: none), then `over`.
The command is run without a shell. The score is the last match of the pattern's group `score` in a line that it says.
"""

import argparse
import contextlib
import os
import re
import signal
import subprocess
import sys
import threading
import time

from pinch.language import tr

LONGEST_LINE = 65536
GRACE_S = 2.0
_NUMBER = re.compile(r"[-+]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?")


class Watched:
    """A command that can be ended from another thread, with everything it has started."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._lock = threading.Lock()
        self.stopped = threading.Event()

    def run(
        self, words: list[str], folder: str | None, timeout_s: float | None, pattern: str
    ) -> tuple[float, int, str]:
        """One pass; returns its wall time in s, exit status (negative: a signal; 124: it took too long) and score."""
        begun = time.monotonic()
        with self._lock:
            if self.stopped.is_set():
                return 0.0, -signal.SIGTERM, ""
            self._process = subprocess.Popen(
                words,
                cwd=folder,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
                errors="replace",
                start_new_session=True,
            )
        clock = threading.Timer(timeout_s, self.kill) if timeout_s else None
        if clock is not None:
            clock.start()
        score = self._listen(pattern)
        status = self._process.wait()
        wall = time.monotonic() - begun
        if clock is not None:
            clock.cancel()
            if status < 0 and not self.stopped.is_set() and wall >= (timeout_s or 0.0):
                status = 124
        return wall, status, score

    def stop(self) -> None:
        """No more passes, and the one under way ends."""
        self.stopped.set()
        with self._lock:
            self.kill()

    def kill(self) -> None:
        """End the process and its children: by asking, then by force."""
        process = self._process
        if process is None:
            return
        for sign in (signal.SIGTERM, signal.SIGKILL):
            try:
                os.killpg(process.pid, sign)  # what it has started may outlive it, and hold its output open
            except (ProcessLookupError, PermissionError):
                return
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(GRACE_S)
            time.sleep(0.05)

    def _listen(self, pattern: str) -> str:
        """Read all that the command says; the score in it."""
        assert self._process is not None and self._process.stdout is not None
        wanted = re.compile(pattern) if pattern else None
        score = ""
        while line := self._process.stdout.readline(LONGEST_LINE):
            found = wanted.search(line) if wanted else None
            if found and (number := _NUMBER.search((found["score"] or "").replace(",", "."))):
                score = number.group()
        self._process.stdout.close()
        return score


def main(arguments: list[str] | None = None) -> int:
    """Entry point."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--passes", type=int, default=1)
    parser.add_argument("--pause", type=float, default=0.0)
    parser.add_argument("--timeout", type=float)
    parser.add_argument("--folder")
    parser.add_argument("--pattern", default="")
    parser.add_argument("words", nargs="+")
    args = parser.parse_args(arguments)
    watched, go = Watched(), threading.Event()
    threading.Thread(target=_obey, args=(watched, go), daemon=True).start()
    go.wait()
    for number in range(1, args.passes + 1):
        if watched.stopped.is_set() or (number > 1 and watched.stopped.wait(args.pause)):
            break
        print(f"begun,{number}", flush=True)
        try:
            wall, status, score = watched.run(args.words, args.folder, args.timeout, args.pattern)
        except OSError as error:
            print(
                tr("{args} cannot be started: {strerror}", args=args.words[0], strerror=error.strerror),
                file=sys.stderr,
                flush=True,
            )
            return 1
        print(f"ended,{number},{wall:.3f},{status},{score}", flush=True)
        if status != 0:
            break
    print("over", flush=True)
    return 0


def _obey(watched: Watched, go: threading.Event) -> None:
    for line in sys.stdin:
        if line.strip() == "start":
            go.set()
        elif line.strip() == "stop":
            break
    watched.stop()
    go.set()


if __name__ == "__main__":
    sys.exit(main())
