#!/usr/bin/env python3
"""How long comparing takes in a large book: .venv/bin/python bench/results.py

Made points of 3,000 and of 30,000 runs with eight metrics each: the cells of the book, a comparison of five devices
under all workloads by average and 1 % low, the curves of three devices, and a grid of 24 games by four presets.
"""

import random
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.curves import ScaleChoice, scale_book
from pinch.analysis.grid import Across, grid_of
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.digests import Digest
from pinch.bench.records import Device, ExitStatus, Result, Run, Setting, WorkKind, Workload
from pinch.core.metrics import AVERAGE
from pinch.narrative.matrix_words import matrix_rows

LOW = "low_1.percentile"
FIRST_DAY = datetime(2026, 9, 1, tzinfo=UTC)
DEVICES, SETTINGS, WORKS = 10, 10, 10
GAMES, PRESETS = 24, 4


def made_book(runs: int) -> BookPoints:
    """Points of so many runs, spread evenly over devices, settings and workloads."""
    chance = random.Random(1)
    devices = tuple(Device(id=n, name=f"Device {n}") for n in range(1, DEVICES + 1))
    settings = {
        (d.id, n): Setting(id=d.id * 100 + n, device_id=d.id, name=f"{5 * n} W", sustained_w=5.0 * n)
        for d in devices
        for n in range(1, SETTINGS + 1)
    }
    shape = {"kind": WorkKind.GAME, "rate_channel": "frame.rate", "score_unit": "fps"}
    works = tuple(Workload(id=n, name=f"Game {n}", **shape) for n in range(1, WORKS + 1))
    points = []
    for number in range(1, runs + 1):
        device, work = devices[number % DEVICES], works[number // DEVICES % WORKS]
        setting = settings[device.id, number // (DEVICES * WORKS) % SETTINGS + 1]
        watts = (setting.sustained_w or 1.0) * chance.gauss(1.0, 0.01)
        rate = 20.0 * watts**0.5 * chance.gauss(1.0, 0.01)
        digest = Digest(
            state="scene",
            power_w=watts,
            rate=rate,
            lows={LOW: 0.7 * rate},
            figures={f"cpu.temp.{s}": 60.0 for s in ("idle_mean", "load_mean", "load_max")} | {"lowest_1s": 0.6 * rate},
            shares={"sustained-power": 1.0},
        )
        ids = {"id": number, "device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        started = FIRST_DAY + timedelta(minutes=number)
        run = Run(**ids, started=started, status=ExitStatus.COMPLETE, ambient_c=22.0)
        points.append(RunPoint(run, device, setting, work, digest, 22.0))
    return BookPoints(tuple(points), devices, works, {}, ())


def games_book() -> BookPoints:
    """Typed averages and lows of one device under 24 games with four presets each."""
    device, setting = Device(id=1, name="Device"), Setting(id=1, device_id=1, name="Stock")
    shape = {"kind": WorkKind.GAME, "rate_channel": "frame.rate", "score_unit": "fps"}
    works, results = [], []
    for game in range(GAMES):
        for preset in range(PRESETS):
            number = 1 + game * PRESETS + preset
            root = {"variant_of": number - preset, "variant": f"preset {preset}"} if preset else {}
            works.append(Workload(id=number, name=f"Game {game}, {preset}", **shape, **root))
            for metric, value in ((AVERAGE, 60.0 + game + 5 * preset), (LOW, 40.0 + game)):
                results.append(Result(device_id=1, setting_id=1, workload_id=number, metric=metric, value=value))
    return BookPoints((), (device,), tuple(works), {}, (), results=tuple(results), settings=((device, setting),))


def took(work: Callable[[], object]) -> float:
    """The quickest of five, ms."""
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        work()
        times.append(1000.0 * (time.perf_counter() - begun))
    return min(times)


def main() -> None:
    for runs in (3_000, 30_000):
        book = made_book(runs)
        cells = cells_of(book)
        chosen = tuple({c.device.id: c for c in cells}.values())[:5]
        ids = tuple(w.id for w in book.workloads)
        choice = CompareChoice(chosen, ids, f"{AVERAGE}+{LOW}")
        scaled = ScaleChoice((1, 2, 3), (1,))
        print(f"{runs:,} runs: cells {took(partial(cells_of, book)):.0f} ms, ", end="")
        print(f"comparing {took(partial(compare_book, book, choice)):.0f} ms (goal 100 at 3,000), ", end="")
        print(f"curves {took(partial(scale_book, book, scaled)):.0f} ms (goal 100 at 3,000)")
    book = games_book()
    (cell,) = cells_of(book)
    print(f"{GAMES} games by {PRESETS} presets: ", end="")
    print(f"{took(lambda: matrix_rows(grid_of(book, [cell], cell, Across.VARIANT, LOW), 0.6)):.0f} ms (goal 150)")


if __name__ == "__main__":
    main()
