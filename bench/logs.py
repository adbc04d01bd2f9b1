#!/usr/bin/env python3
"""What reading somebody's log costs: .venv/bin/python bench/logs.py [FUZZ]

Random damage to small logs, of which every one must be read or refused in a sentence; a sensor log of 100 MB beside
`pandas.read_csv` of the same file, which reads it in threads, and in one, in processes of their own; ten million frame
times, read and summarised; how soon reading ends when nobody wants it any more.
"""

import contextlib
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

from pinch.core.errors import DataError
from pinch.core.frames import FRAME_TIME
from pinch.core.framestats import frame_figures
from pinch.core.progress import CancelledError
from pinch.intake.table_roles import Role, guess_roles
from pinch.intake.told_rows import told_rows
from pinch.sources.logs.read import read_any_log
from pinch.sources.sheets import sheet_of_text

ROWS = 550_000
MEASURE = """
import re, sys, time
from pathlib import Path
import pandas
from pinch.sources.logs.read import read_any_log
path = Path(sys.argv[1])
start = time.perf_counter()
if sys.argv[2] == "pandas":
    pandas.read_csv(path, engine="c")
elif sys.argv[2] == "one thread":
    with path.open("rb") as file:
        pandas.read_csv(file, engine="c")
else:
    read_any_log(path)
status = Path("/proc/self/status").read_text()  # the most of getrusage may be that of who began this process
print(time.perf_counter() - start, int(re.search(r"VmHWM:\\s+(\\d+)", status)[1]) / 1e3)
"""
SEEDS = (
    "t_s,cpu.power,cpu.temp\n1,40,50\n2,41,\n3,42,52\n",
    "Datum;Uhrzeit;CPU-Leistung [W];Takt [GHz]\n01.09.2026;23:59:59;40,5;3,2\n02.09.2026;00:00:00;41,5;3,1\n",
    "Logger\n\nElapsed [ms],Power [W],Fan\n0,40,1200\n1000,41,1300\nElapsed [ms],Power [W],Fan\n0,40,1\n\nMax,2\n",
    "frame_ms\n16.7\n16.6\n33.3\n",
    "Time\tPackage (J)\n03/04/2026 10:00:00\t100\n03/04/2026 10:00:01\t140\n",
)


TABLES = (
    "Device,Mode,Test,Score,Runs,Date,Source,Package W\nA,B,C,1204.5,3,2026-09-03,own test,20.1\n",
    "Gerät;Profil;Test;Lauf 1;Lauf 2;Leistung [W];Quelle;Einheiten\nA;20 W;X;61,5;62,1;20,1;Hersteller;6\n",
    "fps\tNote\n61.25\twindow open\n1,204\t=1+1\n",
)


def large_log() -> None:
    rng = np.random.default_rng(0)
    columns = {"Time [s]": np.arange(ROWS) * 0.1}
    for n in range(12):
        columns[f"Core {n} Clock [MHz]"] = np.round(rng.normal(3000, 100, ROWS), 1)
        columns[f"Core {n} Temp [°C]"] = np.round(rng.normal(70, 5, ROWS), 2)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.csv"
        pd.DataFrame(columns).to_csv(path, index=False)
        size = path.stat().st_size / 1e6
        taken = {}
        for who in ("pandas", "one thread", "pinch"):
            command = [sys.executable, "-c", MEASURE, str(path), who]
            said = [subprocess.run(command, capture_output=True, text=True).stdout.split() for _ in range(5)]
            taken[who] = min(float(seconds) for seconds, _ in said), float(said[0][1])
        (ours, memory), (theirs, _), (alone, _) = taken["pinch"], taken["pandas"], taken["one thread"]
        print(f"sensor log of {size:.0f} MB: {ours:.2f} s, pandas {theirs:.2f} s, ratio {ours / theirs:.1f} (≤ 1.5)")
        print(f"  its C engine in one thread, from an open file: {alone:.2f} s, ratio {ours / alone:.1f}")
        print(f"  peak memory {memory:.0f} MB, {memory / size:.1f} × the file (≤ 3)")


def many_frames(count: int = 10_000_000) -> None:
    """Beside the same numbers from binary, parted, and the text parse of pyarrow."""
    import pyarrow.csv

    ms = np.round(np.random.default_rng(0).gamma(40.0, 16.7 / 40.0, count), 3)
    with tempfile.TemporaryDirectory() as folder:
        text, binary = Path(folder) / "frames.csv", Path(folder) / "frames.bin"
        pd.DataFrame({"frame_ms": ms}).to_csv(text, index=False)
        ms.tofile(binary)
        start = time.perf_counter()
        np.partition(np.fromfile(binary), int(0.99 * count))
        pyarrow.csv.read_csv(text)
        theirs = time.perf_counter() - start
        start = time.perf_counter()
        found = read_any_log(text).log
        read = time.perf_counter()
        frame_figures(found.series[FRAME_TIME].values)
        ours, figures = time.perf_counter() - start, time.perf_counter() - read
    print(f"{count} frames: {ours:.2f} s, of that figures {figures:.2f} s; reference {theirs:.2f} s", end="")
    print(f", ratio {ours / theirs:.1f} (≤ 3)")


def cancelling() -> None:
    """From the moment that nobody wants the rest until the reader has ended, s."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.csv"
        rows = pd.DataFrame(np.random.default_rng(0).normal(50.0, 1.0, (300_000, 25)).round(2))
        rows.columns = ["Time [s]", *(f"Core {n} Temp [°C]" for n in range(24))]
        rows["Time [s]"] = np.arange(len(rows)) * 0.1
        rows.to_csv(path, index=False)
        worst = 0.0
        for asked_s in (0.05, 0.2, 0.4, 0.6, 0.8):
            begun = time.perf_counter()
            with contextlib.suppress(CancelledError):
                read_any_log(path, progress=lambda _, until=begun + asked_s: time.perf_counter() < until)
                continue
            worst = max(worst, time.perf_counter() - begun - asked_s)
    print(f"a log of {rows.size / 1e6:.1f} million values is let go of within {worst:.2f} s (≤ 0.5)")


def damaged(seed: bytes, chance: random.Random) -> bytes:
    data = bytearray(seed)
    for _ in range(chance.choice((1, 1, 2, 3, 8))):
        at = chance.randrange(len(data) + 1)
        kind = chance.randrange(4)
        if kind == 0:
            data[at:at] = bytes([chance.choice(b",;\t\n\r\"'.-:/0129eE\x00\xff\xc3 []()%")])
        elif kind == 1 and at < len(data):
            data[at] = chance.randrange(256)
        elif kind == 2:
            del data[at : at + chance.randint(1, 6)]
        else:
            data[at:at] = data[: chance.randint(1, 40)]
    return bytes(data)


def fuzz(count: int, seed: int = 1) -> None:
    chance, start = random.Random(seed), time.perf_counter()
    read = refused = crashed = 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "fuzz.csv"
        for number in range(count):
            path.write_bytes(damaged(chance.choice(SEEDS).encode(chance.choice(("utf-8", "utf-16", "cp1252"))), chance))
            try:
                read_any_log(path)
                read += 1
            except DataError:
                refused += 1
            except Exception as error:  # noqa: BLE001 - whatever it is, it is a crash
                crashed += 1
                print(f"input {number}: {type(error).__name__}: {error}: {path.read_bytes()!r}"[:400])
    took = time.perf_counter() - start
    print(f"{count} damaged logs: {read} read, {refused} refused, {crashed} crashes (goal 0), {took:.0f} s")


def fuzz_scores(count: int, seed: int = 1) -> None:
    """The same for tables of scores."""
    chance, start = random.Random(seed), time.perf_counter()
    read = refused = crashed = 0
    for number in range(count):
        text = damaged(chance.choice(TABLES).encode(), chance).decode("utf-8", "replace")
        try:
            sheet = sheet_of_text(text, "table")
            told_rows(sheet, guess_roles(sheet), {Role.DEVICE: "A", Role.SETTING: "B", Role.WORKLOAD: "C"})
            read += 1
        except DataError:
            refused += 1
        except Exception as error:  # noqa: BLE001 - whatever it is, it is a crash
            crashed += 1
            print(f"table {number}: {type(error).__name__}: {error}: {text!r}"[:400])
    took = time.perf_counter() - start
    print(f"{count} damaged tables: {read} read, {refused} refused, {crashed} crashes (goal 0), {took:.0f} s")


if __name__ == "__main__":
    fuzz(int(sys.argv[1]) if len(sys.argv) > 1 else 20_000)
    fuzz_scores(20_000)
    large_log()
    many_frames()
    cancelling()
