#!/usr/bin/env python3
"""How long it takes to take things in: .venv/bin/python bench/intake.py

A table of 5,000 results understood, taken, and taken again; 300 runs completed at once; 200 logs of 1 MB.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from pinch.bench.opening import create_book
from pinch.bench.records import Device, Run, Setting, Workload, now
from pinch.intake.arrivals import add_arrivals, arrivals_of, read_batch
from pinch.intake.completing import Completion, complete_runs
from pinch.intake.filing import NamePattern
from pinch.intake.table_roles import guess_roles
from pinch.intake.told_results import add_told
from pinch.intake.told_rows import Told, told_rows
from pinch.sources.sheets import sheet_of_text

T = TypeVar("T")
PRESETS = ("low", "medium", "high", "ultra")


def timed(what: str, work: Callable[[], T]) -> T:
    begun = time.perf_counter()
    found = work()
    print(f"{what:<44}{time.perf_counter() - begun:8.2f} s", flush=True)
    return found


def table() -> str:
    rows = [
        f"Device {d};Full;Game {g};{preset};{60 + g},5;{50 + g};{40 + g}"
        for d in range(5)
        for g in range(84)
        for preset in PRESETS
    ]
    return "\n".join(["Device;Mode;Game;Preset;Average [fps];1% low;0.1% low", *rows])


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        book = create_book(folder / "a.pinch")
        text = table()

        def understood() -> tuple[Told, ...]:
            sheet = sheet_of_text(text, "t")
            return told_rows(sheet, guess_roles(sheet), {}).rows

        rows = timed("5,040 results understood", understood)

        def taken() -> None:
            with book.change():
                add_told(book, rows, "t")

        timed("taken into a book", taken)
        timed("the same again", taken)
        device = book.save(Device(name="A"))
        setting = book.save(Setting(device_id=device.id, name="B"))
        work = book.save(Workload(name="C"))
        ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        runs = [book.save(Run(**ids, repeat=n, started=now())) for n in range(1, 301)]

        def completed() -> None:
            with book.change():
                complete_runs(book, runs, Completion(ambient_c=22.0, note="late", day="2026-09-14"))

        timed("300 runs completed", completed)
        logs = []
        for n in range(int(sys.argv[1]) if len(sys.argv) > 1 else 200):
            path = folder / f"log {n}.csv"
            body = "".join(f"{t},{20 + (t * 7 + n) % 9},{3000 + t % 50},{60 + t % 9},99\n" for t in range(47_000))
            path.write_text(f"Time [s],CPU Power [W],CPU Clock [MHz],CPU Temp [°C],CPU Load [%]\n{body}")
            logs.append(path)
        size = sum(path.stat().st_size for path in logs) / 1e6
        batch = timed(f"{len(logs)} logs of {size:.0f} MB in all read", lambda: read_batch(logs))

        def added() -> None:
            with book.change():
                there = arrivals_of(batch.read, book, NamePattern("log {repeat}"))
                said = [a.filed.saying("device", "A").saying("setting", "B").saying("workload", "C") for a in there]
                add_arrivals(book, [type(a)(a.path, a.read, f) for a, f in zip(there, said, strict=True)])

        timed("added", added)
        book.close()


if __name__ == "__main__":
    main()
