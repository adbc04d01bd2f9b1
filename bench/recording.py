#!/usr/bin/env python3
"""The figures of recording, measured on this machine: .venv/bin/python bench/recording.py

The probe beside a C program that reads the same files; its regularity under full load; twelve simulated hours through
recorder, book and live page (a name runs one of them). The C program needs a compiler (`cc`); without one that line is
left out.
"""

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from itertools import cycle
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
HERE = Path(__file__).resolve().parent
PROBE = HERE.parent / "src" / "pinch" / "sources" / "probe"
FILES, CHANNELS = 110, 60

import numpy as np
import psutil

from pinch.bench.opening import create_book
from pinch.bench.records import Device, Run, Setting, Workload, now
from pinch.recorder.child_rows import Sample, never
from pinch.recorder.course import Course
from pinch.recorder.processes import HandWork
from pinch.recorder.recorder import News, Phase, Recorder
from pinch.rig import catalogue
from pinch.rig.device import SimulatedDevice
from pinch.rig.tree import FirmwareTree
from pinch.runs.patient_keeper import PatientKeeper
from pinch.sources.probe.discovery import find_all
from pinch.sources.probe.kernel_files import Tree


def say(name: str, value: str, goal: str) -> None:
    print(f"{name:<58} {value:>22}   goal {goal}", flush=True)


def cpu_ns(pid: int) -> int:
    """Time on a processor so far, ns."""
    return int(Path(f"/proc/{pid}/schedstat").read_text().split()[0])


def cost_us(command: list[str], skip: int, samples: int) -> tuple[float, float]:
    """Processor time a line of output in µs, and resident memory in MB."""
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert process.stdout is not None
    for _ in range(skip):
        process.stdout.readline()
    before = cpu_ns(process.pid)
    for _ in range(samples):
        process.stdout.readline()
    cost, memory = (cpu_ns(process.pid) - before) / samples / 1e3, psutil.Process(process.pid).memory_info().rss / 1e6
    process.kill()
    process.communicate()
    return cost, memory


def kernel_numbers() -> list[Path]:
    """Files in which the kernel of this machine tells a number: what one of them costs to read, both pay."""
    return sorted(Path("/sys/class/net").glob("*/statistics/*"))


def probe_beside_c() -> None:
    with tempfile.TemporaryDirectory() as folder:
        base = Path(folder) / "sys/class/hwmon/hwmon9"
        base.mkdir(parents=True)
        (base / "name").write_text("board\n")
        for n, answers in zip(range(FILES), cycle(kernel_numbers())):
            (base / f"temp{n + 1}_input").symlink_to(answers)
        tree = FirmwareTree(Path(folder), catalogue.GANNET, 20.0)  # a table of the firmware with ten channels more
        tree.show(SimulatedDevice(catalogue.GANNET, catalogue.GANNET.setting("20 W")).state())
        (Path(folder) / "proc/uptime").unlink()
        read = Tree(folder)
        find_all(read, 1.0)
        paths = [Path(file.path) for file in read.files]
        probe = [sys.executable, "-I", "-S", str(PROBE), "--root", folder, "--interval"]
        ours, memory = cost_us([*probe, "1"], 3, 20)
        say(f"probe, {len(paths)} files at 1 Hz, µs of a core a sample", f"{ours:.0f}", "≤ 10000 (1 % of a core)")
        say("probe, resident memory, MB", f"{memory:.1f}", "≤ 20")
        compiler = shutil.which("cc")
        if compiler is None:
            return
        program = str(Path(folder) / "reference")
        subprocess.run([compiler, "-O2", "-o", program, str(HERE / "reference.c")], check=True)
        for milliseconds, skip, samples in ((1000, 3, 20), (100, 5, 100)):
            ours, _ = cost_us([*probe, str(milliseconds / 1000)], skip, samples)
            theirs, _ = cost_us([program, str(milliseconds), "100000", *map(str, paths)], skip, samples)
            ratio = f"{ours:.0f} / {theirs:.0f} = {ours / theirs:.1f}"
            say(f"the same beside C with pread, every {milliseconds} ms", ratio, "≤ 1.5")


def regularity(samples: int = 600) -> None:
    load = subprocess.Popen(
        [sys.executable, "-m", "pinch.sources.load"], stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True
    )
    assert load.stdin is not None
    load.stdin.write("start\n")
    load.stdin.flush()
    time.sleep(1.0)
    command = [sys.executable, "-I", "-S", str(PROBE), "--interval", "0.1", "--since-boot"]
    probe = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert probe.stdout is not None
    probe.stdout.readline()
    t = np.array([float(probe.stdout.readline().split(",")[0]) for _ in range(samples)])
    probe.kill()
    probe.communicate()
    load.stdin.close()
    load.wait()
    number = np.round((t - t[0]) / 0.1)
    late = (t - t[0]) - 0.1 * number
    late -= np.percentile(late, 5)  # the first sample may itself have been late
    lost = int(number[-1]) + 1 - samples
    share = 100 * float(np.mean(late <= 0.010))
    say("10 Hz with every core loaded, % within 10 ms of schedule", f"{share:.1f}", "≥ 99")
    say("the same, 99th percentile of lateness, ms", f"{1000 * float(np.percentile(late, 99)):.1f}", "≤ 5")
    say("the same, samples lost", f"{lost}", "0")


class Day:
    """A source that has a day at once: every sample is there when it is asked for."""

    def __init__(self, seconds: int) -> None:
        self._left, self._clock = seconds, 1000.0
        self._rng = np.random.default_rng(0)

    def open(self, given_up: Callable[[], bool] = never) -> tuple[str, ...]:
        return ("cpu.power", "cpu.clock", "cpu.temp", "cpu.load", *(f"cpu.core.{n}.clock" for n in range(CHANNELS - 4)))

    def read(self, wait_s: float) -> list[Sample]:
        self._clock += 1.0
        return [Sample(self._clock, tuple(self._rng.normal(50.0, 1.0, CHANNELS)))]

    def notes(self) -> list[str]:
        return []

    def events(self) -> list[str]:
        return []

    def close(self) -> None:
        """There is nothing to close."""


def memory_mb() -> float:
    return psutil.Process().memory_info().rss / 1e6


def twelve_hours() -> None:
    from pinch.ui.app import make_application
    from pinch.ui.run.live import LiveView
    from pinch.ui.run.state import LiveRun

    app = make_application()
    seconds = 12 * 3600
    with tempfile.TemporaryDirectory() as folder, contextlib.closing(create_book(Path(folder) / "a.pinch")) as book:
        device = book.save(Device(name="A"))
        ids = {
            "device_id": device.id,
            "setting_id": book.save(Setting(device_id=device.id or 0, name="B")).id,
            "workload_id": book.save(Workload(name="C")).id,
        }
        run = book.save(Run(**ids, started=now()))  # type: ignore[arg-type]
        course = Course(15.0, seconds - 16.0)
        keeper = PatientKeeper(book.path, run.id or 0)
        recorder = Recorder(Day(seconds), HandWork(), keeper, "score.rate", course)
        live, view = LiveRun("score.rate", course), LiveView()
        view.resize(860, 560)
        view.show()
        at_first: list[float] = []

        def hear(news: News) -> None:
            live.note(news)
            if news.t_s and round(news.t_s) % 600 == 0:
                view.refresh(live, 0)
                app.processEvents()
            if round(news.t_s) == 600 and not at_first:
                at_first.append(memory_mb())

        recorder.listen(hear)
        begun = time.perf_counter()
        recorder.run()
        took, kept = time.perf_counter() - begun, book.get(Run, run.id or 0).samples
        say(
            f"12 h at 1 Hz × {CHANNELS} channels ({kept} values), memory growth, MB",
            f"{memory_mb() - at_first[0]:.1f}",
            "≤ 20",
        )
        say("the same, processor time of recording and keeping, s", f"{took:.0f}", "none")


def live_page() -> None:
    from pinch.ui.app import make_application
    from pinch.ui.run.live import LiveView
    from pinch.ui.run.state import LiveRun

    app = make_application()
    view, live = LiveView(), LiveRun("score.rate", Course(0.0, 3600.0))
    view.resize(860, 560)
    view.show()
    app.processEvents()
    rng = np.random.default_rng(0)
    names = ["cpu.power", "cpu.clock", "cpu.temp", "score.rate", *(f"cpu.core.{n}.clock" for n in range(CHANNELS - 4))]
    for n in range(30_000):
        live.note(News(Phase.LOAD, 0.1 * n, dict.fromkeys(names, 50.0 + float(rng.normal()))))
    begun, at_work = time.perf_counter(), time.thread_time()
    n = 30_000
    while time.perf_counter() - begun < 20.0:
        for _ in range(2):  # the bridge hands over what came in a fifth of a second
            live.note(News(Phase.LOAD, 0.1 * n, dict(zip(names, rng.normal(50.0, 1.0, CHANNELS), strict=True))))
            n += 1
        view.refresh(live, 0)
        app.processEvents()
        time.sleep(max(0.0, begun + 0.1 * (n - 30_000) - time.perf_counter()))
    share = 100 * (time.thread_time() - at_work) / (time.perf_counter() - begun)
    say(f"live page at 10 Hz × {CHANNELS} channels, % of a core", f"{share:.1f}", "≤ 10")


def main() -> None:
    """Each figure in a process of its own, so that none weighs on the memory of another."""
    figures = {figure.__name__: figure for figure in (probe_beside_c, regularity, live_page, twelve_hours)}
    if len(sys.argv) > 1:
        figures[sys.argv[1]]()
        return
    for name in figures:
        subprocess.run([sys.executable, __file__, name], check=True)


if __name__ == "__main__":
    main()
