#!/usr/bin/env python3
"""The figures that Pinch wants to reach, measured on this machine: .venv/bin/python bench/figures.py [NAME …]

Each line gives the figure, its goal, and a reference of the same machine (a fixed piece of pure Python and NumPy work),
so that runs on different machines can be compared.
"""

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from datetime import timedelta
from multiprocessing import get_context
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
ROOT = Path(__file__).resolve().parent.parent
PROBE = ROOT / "src" / "pinch" / "sources" / "probe"

import numpy as np
import psutil

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.curves import ScaleChoice, scale_book
from pinch.analysis.modes import modes_sheet
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench import runlogs
from pinch.bench.digests import Digest
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload, now
from pinch.charts.scale_chart import Second
from pinch.core.framestats import frame_figures
from pinch.core.judge import judge
from pinch.core.runlog import RunLog, runlog_from_columns
from pinch.core.walls import WallPoint, wall_line
from pinch.narrative import curve_words
from pinch.rig import catalogue
from pinch.rig.demo import make_demo_book
from pinch.rig.device import SimulatedDevice, simulate_run
from pinch.rig.tree import PretendTree
from pinch.ui.judge.page import JudgePage
from pinch.ui.scale import state


def best(work: object, times: int = 5) -> float:
    """Least wall time of several tries, s."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        work()  # type: ignore[operator]
        taken.append(time.perf_counter() - start)
    return min(taken)


def reference() -> float:
    """A fixed piece of work: a million additions in Python and a sort of a million doubles, s."""
    values = np.random.default_rng(0).standard_normal(1_000_000)

    def work() -> None:
        total = 0
        for i in range(1_000_000):
            total += i
        np.sort(values)

    return best(work)


def say(name: str, value: str, goal: str) -> None:
    print(f"{name:<52} {value:>22}   goal {goal}", flush=True)


def hour_log(channels: int) -> RunLog:
    log = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 3580).log
    columns = {name: np.interp(np.arange(1.0, 3601), s.t, s.values) for name, s in log.series.items()}
    rng = np.random.default_rng(1)
    for i in range(channels - len(columns)):
        columns[f"cpu.core.{i}.clock"] = np.round(columns["cpu.clock"] + rng.normal(0, 20, 3600))
    return runlog_from_columns(np.arange(1.0, 3601), columns)


def probe_cost() -> None:
    with tempfile.TemporaryDirectory() as folder:
        sim = SimulatedDevice(catalogue.SANDPIPER, catalogue.SANDPIPER.settings[0])
        tree = PretendTree(Path(folder), catalogue.SANDPIPER)
        tree.show(sim.state())
        for i in range(60 - 19):
            path = Path(folder) / f"sys/class/hwmon/hwmon9/temp{i + 1}_input"
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text("50000\n")
        (Path(folder) / "proc/uptime").unlink()  # its own clock, as on a real machine
        process = subprocess.Popen(
            [sys.executable, "-I", "-S", str(PROBE), "--root", folder], stdout=subprocess.PIPE, text=True
        )
        assert process.stdout is not None
        channels = len(process.stdout.readline().split(",")) - 1
        process.stdout.readline()
        watched = psutil.Process(process.pid)
        before = watched.cpu_times()
        for _ in range(20):
            process.stdout.readline()
        after = watched.cpu_times()
        share = 100 * (after.user + after.system - before.user - before.system) / 20
        say(f"probe at 1 Hz, {channels} channels, % of a core", f"{share:.2f}", "≤ 1")
        say("probe, resident memory, MB", f"{watched.memory_info().rss / 1e6:.1f}", "≤ 25")
        process.kill()
        process.communicate()
        tree.close()


def judging() -> None:
    log = hour_log(20)
    judge(log)
    say("judging one hour × 20 channels, s", f"{best(lambda: judge(log)):.3f}", "≤ 0.3")
    t = np.arange(1, 36_001) * 0.1
    rng = np.random.default_rng(2)
    fast = {name: np.interp(t, s.t, s.values) + rng.normal(0, 1e-3, len(t)) for name, s in hour_log(60).series.items()}
    tenth = runlog_from_columns(t, fast)
    say("judging one hour × 60 channels at 10 Hz, s", f"{best(lambda: judge(tenth)):.3f}", "≤ 0.5")
    ms = rng.gamma(40.0, 16.7 / 40.0, 10_000_000)
    own, parted = best(lambda: frame_figures(ms)), best(lambda: np.partition(ms, len(ms) // 2))
    say("figures of 10 million frames, in partitions of them", f"{own:.2f} / {parted:.2f} = {own / parted:.1f}", "≤ 3")


def all_runs() -> None:
    """500 runs judged in the background while the interface goes on, and how long a run takes to open."""
    from PyQt6.QtCore import QTimer

    from pinch.ui.app import make_application
    from pinch.ui.session import Session
    from pinch.ui.window import MainWindow

    app = make_application()
    made = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 580).log
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "runs.pinch"
        with contextlib.closing(create_book(path)) as book:
            device = book.save(Device(name="A", temp_limit_c=95.0)).id or 0
            ids = {
                "device_id": device,
                "setting_id": book.save(Setting(device_id=device, name="B")).id,
                "workload_id": book.save(Workload(name="C")).id,
            }
            for n in range(500):
                run = Run(**ids, started=now(), repeat=n + 1, ambient_c=22.0, status=ExitStatus.COMPLETE)  # type: ignore[arg-type]
                runlogs.add_log(book, book.save(run), made)
        window = MainWindow(Session(open_book(path)))
        window.show()
        app.processEvents()
        beats: list[float] = []
        pulse = QTimer()
        pulse.setInterval(5)
        pulse.timeout.connect(lambda: beats.append(time.perf_counter()))
        window.show_page(window.page(JudgePage))
        window.page(JudgePage).show_runs()
        pulse.start()
        start = time.perf_counter()
        while window.page(JudgePage).digesting.job is not None:
            app.processEvents()
            time.sleep(0.001)
        took, late = time.perf_counter() - start, np.diff(beats) - 0.005
        say("500 runs judged in the background, s", f"{took:.0f}", "none")
        say("the same, interface late by at most (99 %), ms", f"{1e3 * np.percentile(late, 99):.0f}", "≤ 50")
        window.page(JudgePage).view.tabs.setCurrentIndex(0)
        runs = window.session.book.runs()[10:20]
        taken = []
        for run in runs:
            start = time.perf_counter()
            window.session.choose_run(run.id or 0)
            app.processEvents()
            taken.append(time.perf_counter() - start)
        say("a run opens, ms", f"{1e3 * float(np.median(taken)):.0f}", "≤ 150")
        window.close()
        window.session.close()


def bytes_a_sample() -> None:
    with tempfile.TemporaryDirectory() as folder, contextlib.closing(create_book(Path(folder) / "a.pinch")) as book:
        device = book.save(Device(name="A"))
        setting = book.save(Setting(device_id=device.id or 0, name="B"))
        work = book.save(Workload(name="C"))
        ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        empty = book.path.stat().st_size
        samples = 0
        for _ in range(4):
            run = runlogs.add_log(book, book.save(Run(**ids, started=now())), hour_log(20))  # type: ignore[arg-type]
            samples += run.samples or 0
        book.connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        say("book, bytes a sample", f"{(book.path.stat().st_size - empty) / samples:.2f}", "≤ 4")


STARTUP = """
import os, time
start = time.perf_counter()
from pathlib import Path
from pinch.core.lasting import lasting
with lasting():
    from pinch.bench.opening import open_book
    from pinch.ui.app import make_application
    from pinch.ui.session import Session
    from pinch.ui.window import MainWindow
import sys
app = make_application()
window = MainWindow(Session(open_book(Path(sys.argv[1]))))
window.show()
app.processEvents()
print(time.perf_counter() - start, flush=True)
os._exit(0)  # nothing is to be saved, and Qt need not be taken down
"""


BARE = """
import os
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.show()
app.processEvents()
os._exit(0)
"""


def startup() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.pinch"
        taken = best(lambda: make_demo_book(path), 1)
        say("making the demo book, s", f"{taken:.1f}", "seconds")

        compiled = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}  # as for a user
        compiled["PYTHONPYCACHEPREFIX"] = str(Path(folder) / "compiled")

        def once(script: str) -> None:
            subprocess.run([sys.executable, "-c", script, str(path)], check=True, capture_output=True, env=compiled)

        once(STARTUP)
        say("a bare window of the toolkit, whole process, s", f"{best(lambda: once(BARE), 6):.2f}", "none")
        say("window usable, whole process with the demo book, s", f"{best(lambda: once(STARTUP), 6):.2f}", "≤ 0.5")


def planning() -> None:
    from pinch.bench.planning import PlanBench, make_plan
    from pinch.bench.plans import Cell, OrderRule, Plan, PlanSession
    from pinch.bench.records import Protocol

    settings = {
        n: Setting(id=n, device_id=1, name=f"{n}", sustained_w=5.0 + n, memory_speed_mts=6000.0 + 800 * (n % 3))
        for n in range(1, 11)
    }
    workloads = {n: Workload(id=n, name=f"w{n}", length_s=300.0 * n) for n in (1, 2)}
    bench = PlanBench({1: Device(id=1, name="A")}, settings, workloads, Protocol(id=1, name="P", readings_min=2))
    at = now()
    cells = [Cell(setting_id=s, workload_id=w, repeats=10, priority=1 + s % 3) for s in settings for w in workloads]
    for order in OrderRule:
        plan = Plan(name="P", order=order, cells=tuple(cells), created=at)
        sheet = make_plan(plan, bench, at).sheet
        steps = f"{len(sheet.runs)} runs, {len(sheet.steps)} steps"
        say(f"planning {steps}, {order}, s", f"{best(lambda p=plan: make_plan(p, bench, at)):.3f}", "≤ 0.3")
    evenings = tuple(PlanSession(start=at + timedelta(days=n), minutes=180.0) for n in range(5))
    plan = Plan(name="P", cells=tuple(cells), created=at, sessions=evenings)
    left = len(make_plan(plan, bench, at).sheet.left_out)
    say(
        f"the same cut to five evenings ({left} left out), s",
        f"{best(lambda: make_plan(plan, bench, at)):.3f}",
        "≤ 0.3",
    )


OPENING = """
import os, sys, time
from pathlib import Path
from pinch.bench.opening import open_book
from pinch.ui.app import make_application
from pinch.ui.bench.page import BenchPage
from pinch.ui.session import Session
from pinch.ui.window import MainWindow
app = make_application()
start = time.perf_counter()
window = MainWindow(Session(open_book(Path(sys.argv[1]))))
window.show_page(window.page(BenchPage))
window.show()
app.processEvents()
print(time.perf_counter() - start, flush=True)
os._exit(0)  # nothing is to be saved, and Qt need not be taken down
"""


def large_book() -> None:
    with tempfile.TemporaryDirectory() as folder:
        empty, large = Path(folder) / "empty.pinch", Path(folder) / "large.pinch"
        create_book(empty).close()
        with contextlib.closing(create_book(large)) as book:
            works = [book.save(Workload(name=f"w{n}")).id or 0 for n in range(5)]
            log = runlog_from_columns(np.arange(1.0, 61.0), {"cpu.power": np.full(60, 20.0)})
            for n in range(60):
                device = book.save(Device(name=f"device {n}")).id or 0
                for m in range(10):
                    setting = book.save(Setting(device_id=device, name=f"{m}", sustained_w=5.0 + m)).id or 0
                    for work in works:
                        ids = {"device_id": device, "setting_id": setting, "workload_id": work}
                        runlogs.add_log(book, book.save(Run(**ids, started=now())), log)
        taken = {}
        for path in (empty, large):

            def once(path: Path = path) -> float:
                done = subprocess.run([sys.executable, "-c", OPENING, str(path)], check=True, capture_output=True)
                return float(done.stdout)

            taken[path] = min(once() for _ in range(3))
        say("Bench with 60 devices, 3000 runs later than empty, s", f"{taken[large] - taken[empty]:.2f}", "≤ 1")


def many_points(devices: int, workloads: int, limits: int, repeats: int) -> BookPoints:
    """A book's points without its logs: laws with some noise, a device faster than the one before."""
    rng = np.random.default_rng(5)
    made_devices = [Device(id=d + 1, name=f"Device {d + 1}") for d in range(devices)]
    works = [Workload(id=w + 1, name=f"Work {w + 1}") for w in range(workloads)]
    points = []
    for d, device in enumerate(made_devices):
        settings = [Setting(id=d * limits + n + 1, device_id=d + 1, name=f"{7 + 4 * n} W", sustained_w=7 + 4 * n)
                    for n in range(limits)]  # fmt: skip
        for work in works:
            for setting in settings:
                for repeat in range(repeats):
                    watts = (setting.sustained_w or 0.0) * (1 + 0.003 * rng.standard_normal())
                    rate = 10 * (1 + 0.03 * d) * (watts - 3) ** 0.45 * (1 + 0.008 * rng.standard_normal())
                    run = Run(id=len(points) + 1, device_id=d + 1, setting_id=setting.id or 0, workload_id=work.id or 0,
                              repeat=repeat + 1, started=now(), ambient_c=22, status=ExitStatus.COMPLETE)  # fmt: skip
                    digest = Digest(state="settled", power_w=watts, rate=rate, shares={"sustained-power": 1.0})
                    points.append(RunPoint(run, device, setting, work, digest, 22.0))
    return BookPoints(tuple(points), tuple(made_devices), tuple(works), {}, ())


def scaling() -> None:
    import scipy.interpolate
    import scipy.optimize  # noqa: F401

    book = many_points(8, 12, 9, 5)
    all_of = ScaleChoice(tuple(range(1, 9)), tuple(range(1, 13)))
    taken = best(lambda: scale_book(book, all_of), 3)
    say("curves of 8 devices × 12 workloads × 9 limits × 5", f"{taken:.2f} s", "≤ 1 s")
    result = scale_book(book, ScaleChoice(tuple(range(1, 9)), (1,)))
    slots = {d: d - 1 for d in range(1, 9)}
    rows = [state.spot_rows, state.crossing_rows, state.setting_rows, state.group_rows]

    def toggle() -> None:
        curve_words.chart(result, slots, 1, "knee", Second.GAIN, 20.0)
        for of in rows:
            of(result)
        state.reader_rows(result, 20.0)

    say("a toggle of 8 curves: chart spec and all tables", f"{1e3 * best(toggle):.0f} ms", "≤ 100 ms")
    of_modes = many_points(1, 10, 12, 5)
    every = [modes_sheet(of_modes, of_modes.devices[0], w) for w in of_modes.workloads]
    assert all(len(sheet.rows) == 12 for sheet in every)

    def sheets() -> None:
        for work in of_modes.workloads:
            modes_sheet(of_modes, of_modes.devices[0], work)

    say("modes sheets of 12 settings × 10 workloads × 5", f"{1e3 * best(sheets):.0f} ms", "≤ 200 ms")
    package = np.random.default_rng(1).uniform(5, 50, 3000)
    walls = [WallPoint(float(p), float((p + 5) / 0.9), "run") for p in package]
    say("wall line of 3,000 runs", f"{1e3 * best(lambda: wall_line(walls)):.1f} ms", "≤ 200 ms")
    large = many_points(8, 5, 25, 3)
    cells = cells_of(large)
    choice = CompareChoice(tuple(cells[:200]), (1, 2, 3, 4, 5))
    words = f"{len(choice.cells)} cells compared under 5 workloads, {len(large.points)} runs"
    say(words, f"{1e3 * best(lambda: compare_book(large, choice), 3):.0f} ms", "≤ 300 ms")
    one = CompareChoice(tuple(cells[:200]), (1,))
    say("the same under 1 workload", f"{1e3 * best(lambda: compare_book(large, one), 3):.0f} ms", "≤ 300 ms")
    say("its cells found", f"{1e3 * best(lambda: cells_of(large), 3):.0f} ms", "≤ 300 ms")


def panning() -> None:
    from pinch.charts.spec import Chart, Line, Panel
    from pinch.ui.app import make_application
    from pinch.ui.plots.chart_view import ChartView

    app = make_application()
    log = hour_log(8)
    panels = tuple(Panel(s.channel, "", (Line(s.t, s.values),)) for s in list(log.series.values())[:8])
    view = ChartView()
    view.resize(880, 640)
    view.show()
    view.show_chart(Chart("hour", panels, "Time", "min:s", clock=True))
    app.processEvents()
    frames = 60
    start = time.perf_counter()
    for i in range(frames):
        view.plots[0].setXRange(10 * i, 10 * i + 1800, padding=0)
        app.processEvents()  # paints once
    rate = frames / (time.perf_counter() - start)
    say("panning one hour × 8 channels, frames a second", f"{rate:.0f}", "≥ 30")


def make_half_a_day(path: Path) -> None:
    """A book with one run of twelve hours at 10 Hz × 60 channels."""
    seconds = 12 * 3600
    made = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, seconds - 20).log
    t, rng = np.arange(1, 10 * seconds + 1) * 0.1, np.random.default_rng(1)
    columns = {
        n: np.round(np.interp(t, s.t, s.values) + rng.normal(0, 0.02, len(t)), 3) for n, s in made.series.items()
    }
    for i in range(60 - len(columns)):
        columns[f"cpu.core.{i}.clock"] = np.round(columns["cpu.clock"] + rng.normal(0, 20, len(t)))
    with contextlib.closing(create_book(path)) as book:
        device = book.save(Device(name="A")).id or 0
        ids = {"device_id": device, "setting_id": book.save(Setting(device_id=device, name="B")).id}
        run = Run(**ids, workload_id=book.save(Workload(name="C")).id, started=now())  # type: ignore[arg-type]
        runlogs.add_log(book, book.save(run), runlog_from_columns(t, columns))


def half_a_day() -> None:
    """That run opened, panned and zoomed."""
    from pinch.ui.app import make_application
    from pinch.ui.session import Session
    from pinch.ui.window import MainWindow

    app = make_application()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.pinch"
        making = get_context("spawn").Process(target=make_half_a_day, args=(path,))  # its memory is not ours
        making.start()
        making.join()
        window = MainWindow(Session(open_book(path)))
        window.show()
        page = window.page(JudgePage)
        begun, held = time.perf_counter(), [0.0]
        window.show_page(page)
        while page.view.shown is None:
            start = time.perf_counter()
            app.processEvents()
            held.append(time.perf_counter() - start)
            time.sleep(0.002)
        app.processEvents()
        say("12 h at 10 Hz × 60 channels opened, s", f"{time.perf_counter() - begun:.1f}", "none")
        say("the same, the window held for at most, s", f"{max(held):.2f}", "0.05")
        say("the same, resident memory, MB", f"{psutil.Process().memory_info().rss / 1e6:.0f}", "none")
        start = time.perf_counter()
        for i in range(60):
            page.view.chart.plots[0].setXRange(600 * i, 600 * i + 14400 / (1 + i / 10), padding=0)
            app.processEvents()
        say("the same, panned and zoomed, frames a second", f"{60 / (time.perf_counter() - start):.0f}", "≥ 60")
        window.close()
        window.session.close()


def main() -> None:
    say("reference work of this machine, s", f"{reference():.3f}", "none")
    wanted = sys.argv[1:]
    figures = (probe_cost, judging, all_runs, bytes_a_sample, startup, planning, large_book, scaling, panning)
    for figure in (*figures, half_a_day):
        if not wanted or figure.__name__ in wanted:
            figure()


if __name__ == "__main__":
    main()
