#!/usr/bin/env python3
"""Kills recordings at random moments and looks at what is left: .venv/bin/python bench/crashes.py [KILLS]

A third each over the recorder on the command line, the window, and the probe. After each kill the book is opened: it
must be whole, its earlier runs untouched, and the cut run there with all but the last second of what had come.
"""

import contextlib
import hashlib
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import psutil

from pinch.bench import runlogs
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload, now
from pinch.core.runlog import runlog_from_columns
from pinch.runs.devices import add_this_computer

INTERVAL_S = 0.1
VICTIMS = ("recorder", "window", "probe")
CHILD = """
import os, sys
from pathlib import Path
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pinch.bench.opening import open_book
from pinch.runs.recording import begin_recording
from pinch.runs.sourcing import RunRequest
book = open_book(Path(sys.argv[1]))
device = next(d for d in book.devices() if d.local)
setting = book.settings(device.id)[0]
work = next(w for w in book.workloads() if w.name == "By hand")
request = RunRequest(device, setting, work, 600.0, 1.0, interval_s=0.1)
def tell(news):
    if "probe.load" in news.values:
        os.write(1, f"{news.t_s}\\n".encode())
if sys.argv[2] == "window":
    from pinch.ui.app import make_application
    from pinch.ui.session import Session
    from pinch.ui.window import MainWindow
    app = make_application()
    window = MainWindow(Session(book))
    window.show()
    window.show_page(2)
    window.page(RunPage).recording.start(request)
    window.session.recording._recorder.listen(tell)
    app.exec()
else:
    begin_recording(book, request, [tell]).wait()
"""


@dataclass
class Found:
    """What was left after a kill."""

    victim: str
    damaged: str = ""
    lost_s: float = 0.0


def make_book(path: Path) -> str:
    """A book with an earlier run; returns the hash of its log."""
    with contextlib.closing(create_book(path)) as book:
        device = add_this_computer(book)
        work = book.save(Workload(name="By hand"))
        other = book.save(Device(name="Other"))
        setting = book.save(Setting(device_id=other.id or 0, name="Only"))
        ids = {"device_id": other.id, "setting_id": setting.id, "workload_id": work.id}
        run = book.save(Run(**ids, started=now()))  # type: ignore[arg-type]
        runlogs.add_log(book, run, runlog_from_columns(*_columns()))
        assert device.local
        return _hash(path)


def _columns():  # type: ignore[no-untyped-def]
    import numpy as np

    t = np.arange(1.0, 901.0)
    return t, {"cpu.power": 40.0 + np.sin(t), "cpu.temp": 60.0 + np.cos(t)}


def _hash(path: Path) -> str:
    """The log of the first run, as one number."""
    with contextlib.closing(open_book(path)) as book:
        log = runlogs.read_log(book, 1)
        return hashlib.sha256(b"".join(s.t.tobytes() + s.values.tobytes() for s in log.series.values())).hexdigest()


def kill_one(number: int) -> Found:
    victim = VICTIMS[number % len(VICTIMS)]
    chance = random.Random(number)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.pinch"
        before = make_book(path)
        command = [sys.executable, "-c", CHILD, str(path), victim]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        heard: list[float] = []
        reader = threading.Thread(target=lambda: heard.extend(float(x) for x in process.stdout or ()), daemon=True)
        reader.start()
        until = time.monotonic() + 60
        while not heard and time.monotonic() < until:
            time.sleep(0.02)
        time.sleep(chance.uniform(0.0, 4.0))
        if victim == "probe":
            for child in psutil.Process(process.pid).children():
                if any("probe.py" in word for word in child.cmdline()):
                    child.kill()
            process.wait(20)
        else:
            os.kill(process.pid, signal.SIGKILL)
            process.wait()
        reader.join(5)
        return look(path, victim, before, heard)


def look(path: Path, victim: str, before: str, heard: list[float]) -> Found:
    found = Found(victim)
    try:
        if _hash(path) != before:
            found.damaged = "an earlier run has changed"
        with contextlib.closing(open_book(path)) as book:
            run = book.runs()[-1]
            log = runlogs.read_log(book, run.id or 0)
            last = log.span_s[1] if log.samples else heard[0] - INTERVAL_S  # the first sample stands at 1 s
            found.lost_s = heard[-1] - last
            wanted = ExitStatus.FAILED if victim == "probe" else None
            if run.status is not wanted:
                found.damaged = f"the run is {run.status}, not {wanted}"
            if victim == "probe" and "probe has ended" not in run.reason:
                found.damaged = f"the reason is {run.reason!r}"
            if victim != "probe":
                runlogs.stop_run(book, run, ExitStatus.FAILED, "cut off; kept as it was.")
    except Exception as error:  # noqa: BLE001 - whatever it is, it is damage
        found.damaged = f"{type(error).__name__}: {error}"
    return found


def main() -> None:
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(kill_one, range(kills)))
    for victim in VICTIMS:
        own = [r for r in results if r.victim == victim]
        damaged = [r.damaged for r in own if r.damaged]
        lost = sorted(r.lost_s for r in own)
        print(
            f"{victim}: {len(own)} kills, {len(damaged)} damaged (goal 0), lost at most {lost[-1]:.2f} s (goal 1), "
            f"median {lost[len(lost) // 2]:.2f} s, more than 1 s {sum(x > 1.0 for x in lost)} times"
        )
        for words in damaged[:5]:
            print(f"  {words}")


main()
