"""Logs and records made for tests."""

from pathlib import Path

import numpy as np

from pinch.bench.book import Book
from pinch.bench.opening import create_book
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload, now
from pinch.core.runlog import FloatArray, RunLog, runlog_from_columns


def log(**columns: FloatArray) -> RunLog:
    """A 1 Hz log; `cpu_power=…` becomes `cpu.power`."""
    n = len(next(iter(columns.values())))
    return runlog_from_columns(
        np.arange(1.0, n + 1.0), {k.replace("_", "."): np.asarray(v, float) for k, v in columns.items()}
    )


def two_level(
    idle: int = 20, burst: int = 30, rest: int = 400, p0: float = 4.0, p2: float = 60.0, p1: float = 35.0
) -> RunLog:
    """Idle, a burst and a sustained level, clock and temperature to match, with a little noise."""
    rng = np.random.default_rng(7)
    power = np.concatenate([np.full(idle, p0), np.full(burst, p2), np.full(rest, p1)])
    power += 0.05 * rng.standard_normal(len(power))
    clock = np.concatenate([np.full(idle, 800.0), np.full(burst, 4200.0), np.full(rest, 3500.0)])
    clock += 5.0 * rng.standard_normal(len(clock))
    temp = np.concatenate([np.full(idle, 35.0), np.full(burst, 75.0), np.full(rest, 70.0)])
    temp += 0.2 * rng.standard_normal(len(temp))
    return log(
        cpu_power=power, cpu_clock=clock, cpu_temp=temp, cpu_load=np.where(np.arange(len(power)) < idle, 1.0, 100.0)
    )


def book_with_cell(path: Path) -> tuple[Book, Device, Setting, Workload]:
    """A book with one device, setting and workload."""
    book = create_book(path)
    device = book.save(Device(name="Sandpiper 14"))
    setting = book.save(Setting(device_id=device.id or 0, name="Even", sustained_w=28.0))
    return book, device, setting, book.save(Workload(name="Tile Render, all cores"))


def new_run(book: Book, device: Device, setting: Setting, workload: Workload, status: ExitStatus | None = None) -> Run:
    """A run of that cell without a log."""
    ids = (device.id or 0, setting.id or 0, workload.id or 0)
    repeat = book.next_repeat(*ids)
    run = Run(device_id=ids[0], setting_id=ids[1], workload_id=ids[2], started=now(), repeat=repeat, status=status)
    return book.save(run)
