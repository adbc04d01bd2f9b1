#!/usr/bin/env python3
"""Kills Pinch at random moments and looks at what is left: .venv/bin/python bench/crashes.py [KILLS]

Shared out evenly over the recorder on the command line, the window, the probe, the load, an import of logs, an import
of a folder, a migration, undo and publishing. After each kill the book is opened: it must be whole, its earlier runs
untouched, and the cut run there with all but the last second of what had come; an import, a migration and a step of
undo are whole or have not happened; files are whole or absent; no child outlives its parent by more than three seconds.
"""

import contextlib
import hashlib
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
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
RECORDING = ("recorder", "window", "probe", "load")
WORKING = ("logs", "folder", "migration", "undo", "report")
VICTIMS = (*RECORDING, *WORKING)
LOGS, MOST_WAIT_S, AT_ONCE = 12, 1.2, 2 * (os.cpu_count() or 1)
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
name = "Built-in load, one core" if sys.argv[2] == "load" else "By hand"
work = next(w for w in book.workloads() if w.name == name)
request = RunRequest(device, setting, work, 600.0, 0.2 if sys.argv[2] == "load" else 1.0, interval_s=0.1)
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
    from pinch.ui.run.page import RunPage
    window.show_page(window.page(RunPage))
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
    orphans: int = 0
    finished: bool = False


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
    victim, chance = VICTIMS[number % len(VICTIMS)], random.Random(number)
    with tempfile.TemporaryDirectory() as folder:
        return (kill_recording if victim in RECORDING else kill_work)(Path(folder), victim, chance)


def kill_recording(folder: Path, victim: str, chance: random.Random) -> Found:
    path = folder / "a.pinch"
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
    family = psutil.Process(process.pid).children(recursive=True)
    if victim in ("probe", "load"):
        for child in family:
            with contextlib.suppress(psutil.Error):
                if any(f"{victim}.py" in word or f"sources.{victim}" in word for word in child.cmdline()):
                    child.kill()
        process.wait(20)
    else:
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
    reader.join(5)
    found = look(path, victim, before, heard)
    found.orphans = len(psutil.wait_procs(family, 3.0)[1])
    return found


def kill_work(folder: Path, victim: str, chance: random.Random) -> Found:
    """Kill what works on a book, and look at what is left."""
    path = folder / "a.pinch"
    command = prepare(folder, path, victim)
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(chance.uniform(0.1, MOST_WAIT_S))
    family = psutil.Process(process.pid).children(recursive=True) if process.poll() is None else []
    found = Found(victim, finished=process.poll() is not None)
    process.kill()
    process.wait()
    found.orphans = len(psutil.wait_procs(family, 3.0)[1])
    try:
        found.damaged = LOOKS[victim](folder, path)
    except Exception as error:  # noqa: BLE001 - whatever it is, it is damage
        found.damaged = f"{type(error).__name__}: {error}"
    return found


MIGRATE = """
import sys
from pathlib import Path
from pinch.bench.opening import open_book
open_book(Path(sys.argv[1]))
"""
UNDO = """
import sys
from pathlib import Path
from pinch.bench import runlogs
from pinch.bench.opening import open_book
from pinch.bench.records import now
from pinch.bench.undo import UndoStack
book = open_book(Path(sys.argv[1]))
undo, run = UndoStack(book), book.runs()[0]
log = runlogs.read_log(book, run.id)
while True:
    with undo.step("add a run"):
        runlogs.add_log(book, book.save(run.as_new()), log)
    undo.undo()
    undo.redo()
"""


def prepare(folder: Path, path: Path, victim: str) -> list[str]:
    """Lay out what the victim works on; returns its command."""
    pinch = [sys.executable, "-m", "pinch"]
    if victim == "logs":
        make_book(path)
        (folder / "logs").mkdir()
        t, columns = _columns()
        for n in range(LOGS):
            rows = "\n".join(f"{a},{b},{c}" for a, b, c in zip(t, *columns.values(), strict=True))
            (folder / "logs" / f"{n}.csv").write_text(f"t_s,{','.join(columns)}\n{rows}\n")
        names = ("--device", "A", "--setting", "B", "--workload", "C")
        return [*pinch, "import", str(folder / "logs"), "--book", str(path), *names]
    if victim == "folder":
        make_book(folder / "source.pinch")
        export = [*pinch, "export", "--book", folder / "source.pinch", "--to", folder / "open"]
        subprocess.run(export, check=True, stdout=subprocess.DEVNULL)
        return [*pinch, "import", str(folder / "open"), "--book", str(path)]
    make_book(path)
    if victim == "migration":
        with contextlib.closing(sqlite3.connect(path)) as old:
            old.executescript("DROP TABLE card; DROP TABLE report; DROP TABLE result; PRAGMA user_version = 6")
        return [sys.executable, "-c", MIGRATE, str(path)]
    if victim == "undo":
        return [sys.executable, "-c", UNDO, str(path)]
    return [*pinch, "export", "--book", str(path), "--to", str(folder / "tables.xlsx")]


def _runs_are_whole(path: Path, counts: tuple[int, ...] | None) -> str:
    with contextlib.closing(open_book(path)) as book:
        runs = book.runs()
        half = [r.id for r in runs if r.status is None or not r.samples or not runlogs.read_log(book, r.id).samples]
    if half:
        return f"runs {half} are half there"
    return "" if counts is None or len(runs) in counts else f"{len(runs)} runs are there"


def look_at_folder(folder: Path, path: Path) -> str:
    """No book, or a whole one; a second import goes well and leaves nothing hidden."""
    if path.exists() and (wrong := _runs_are_whole(path, (1,))):
        return wrong
    if not path.exists():
        again = [sys.executable, "-m", "pinch", "import", folder / "open", "--book", path]
        subprocess.run(again, check=True, stdout=subprocess.DEVNULL)
    hidden = [p.name for p in folder.iterdir() if p.name.startswith(".")]
    return f"left behind: {hidden}" if hidden else _runs_are_whole(path, (1,))


def look_at_table(folder: Path, path: Path) -> str:
    target = folder / "tables.xlsx"
    if target.exists():
        with zipfile.ZipFile(target) as packed:
            return "" if packed.testzip() is None else "the file is broken"
    return _runs_are_whole(path, (1,))


LOOKS = {
    "logs": lambda folder, path: _runs_are_whole(path, (1, 1 + LOGS)),
    "folder": look_at_folder,
    "migration": lambda folder, path: _runs_are_whole(path, (1,)),
    "undo": lambda folder, path: _runs_are_whole(path, None),
    "report": look_at_table,
}


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
            wanted = ExitStatus.FAILED if victim in ("probe", "load") else None
            if run.status is not wanted:
                found.damaged = f"the run is {run.status}, not {wanted}"
            if victim in ("probe", "load") and "has ended" not in run.reason:
                found.damaged = f"the reason is {run.reason!r}"
            if wanted is None:
                runlogs.stop_run(book, run, ExitStatus.FAILED, "cut off; kept as it was.")
    except Exception as error:  # noqa: BLE001 - whatever it is, it is damage
        found.damaged = f"{type(error).__name__}: {error}"
    return found


def main() -> None:
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    results: list[Found] = []
    with ThreadPoolExecutor(AT_ONCE) as pool:
        for found in pool.map(kill_one, range(kills)):
            results.append(found)
            print(f"\r{len(results)} of {kills}", end="", file=sys.stderr, flush=True)
    for victim in VICTIMS:
        own = [r for r in results if r.victim == victim]
        damaged = [r.damaged for r in own if r.damaged]
        lost = sorted(r.lost_s for r in own)
        words = f"lost at most {lost[-1]:.2f} s (goal 1), " if victim in RECORDING else ""
        late = f"{sum(r.finished for r in own)} came too late, " if victim in WORKING else ""
        orphans = sum(r.orphans for r in own)
        print(f"{victim}: {len(own)} kills, {late}{len(damaged)} damaged (goal 0), {words}{orphans} orphans (goal 0)")
        for reason in damaged[:5]:
            print(f"  {reason}")


main()
