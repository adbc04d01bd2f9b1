"""Logs of the rig as twenty unfriendly loggers would have written them, in one folder."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from itertools import count
from pathlib import Path

import numpy as np

from pinch.core.runlog import FloatArray, RunLog
from pinch.rig import catalogue
from pinch.rig.device import simulate_run

LENGTH_S = 180
BEGAN = datetime(2026, 9, 14, 20, 15, 0)
ASKED = ("gigahertz.csv", "either_way.csv")
"""Those that nobody can understand without asking."""
REFUSED = "goes_back.csv"
PAIRS = {"Limpet 54 W Skerry Run sensors.csv": "Limpet 54 W Skerry Run frames.csv", "hall_a.csv": "hall_b.csv"}
LATE_S = 41.5
"""The second pair's frames began so much later, by their own clock."""


def truth(setting: str = "Stock") -> RunLog:
    """What all of them saw."""
    return simulate_run(catalogue.LIMPET, catalogue.LIMPET.setting(setting), catalogue.TILE, LENGTH_S).log


def write_strangers(folder: Path) -> RunLog:
    """Fill `folder`/Limpet/Stock/Tile Render, all cores with twenty files and more; returns what they saw."""
    log = truth()
    t = log.series["cpu.power"].t
    power, clock, temp, load = (
        np.interp(t, log.series[n].t, log.series[n].values) for n in ("cpu.power", "cpu.clock", "cpu.temp", "cpu.load")
    )
    place = folder / "Limpet" / "Stock" / "Tile Render, all cores"
    place.mkdir(parents=True)
    shorter = count(1)
    shared = [_texts(column) for column in (t - t[0], power, clock, temp)]
    stamps = [BEGAN + timedelta(seconds=float(s - t[0])) for s in t]

    def put(name: str, head: str, columns: Sequence[Sequence[str]], *, sep: str = ",", **more: str) -> None:
        rows = [sep.join(row) for row in zip(*columns, strict=True)][: -next(shorter)]  # no two are the same log
        body = "\n".join([*rows[:60], *more.get("middle", "").splitlines(), *rows[60:]])
        text = f"{more.get('before', '')}{head}\n{body}\n{more.get('after', '')}"
        (place / name).write_bytes(text.encode(more.get("encoding", "utf-8")))

    s, p, c, h = shared
    comma = [[cell.replace(".", ",") for cell in column] for column in shared]
    plain = "Time [s],CPU Power [W],CPU Clock [MHz],CPU Temperature [°C]"
    words = "Zeit [s];CPU Leistung [W];CPU Takt [MHz];CPU Temperatur [°C]"
    put("commas.csv", words, comma, sep=";", encoding="cp1252")
    put("wide.tsv", plain.replace(",", "\t"), shared, sep="\t", encoding="utf-16")
    put("marked.csv", plain, shared, encoding="utf-8-sig")
    put("milliseconds.csv", plain.replace("[s]", "[ms]"), [_texts(1000 * (t - t[0])), p, c, h])
    put("zoned.csv", plain.replace("Time [s]", "Timestamp"), [[f"{d.isoformat()}Z" for d in stamps], p, c, h])
    epoch = [f"{(d - datetime(1970, 1, 1)).total_seconds():.1f}" for d in stamps]
    put("epoch.csv", plain.replace("Time [s]", "Timestamp"), [epoch, p, c, h])
    put("unit_row.csv", "Time,CPU Power,CPU Clock,CPU Temperature", shared, before="", middle="")
    text = (place / "unit_row.csv").read_text().replace("Temperature\n", "Temperature\ns,W,MHz,°C\n", 1)
    (place / "unit_row.csv").write_text(text)
    warm, small = _texts(temp * 1.8 + 32), _texts(1000 * power)
    put("far.csv", "Time [s],CPU Power [mW],CPU Clock [MHz],CPU Temp (°F)", [s, small, c, warm])
    put("restarted.csv", plain, shared, middle=plain)
    put(
        "summed_up.csv",
        plain,
        shared,
        before="Werkbank 3\nlogger 2.1\n\n",
        after="\nMaximum,64.1,4400,88\nEnd of log\n",
    )
    put("cut.csv", plain, shared, after=f"{LENGTH_S + 50:.0f}.0,3")
    apart = [f'"{int(v):,}"' for v in clock]
    put("thousands.csv", plain, [s, p, apart, h])
    put("twice.csv", f"{plain},CPU Power [W]", [*shared, _texts(power + 0.5)])
    holes = ["-" if i % 7 == 3 else v for i, v in enumerate(p)]
    flags = ["Yes" if v > 90 else "No" for v in temp]
    put("holes.csv", f"{plain},Thermal throttling [Yes/No]", [s, holes, c, h, flags])
    put("late_header.csv", plain, shared, before="".join(f"# remark {n}\n" for n in range(25)))
    joules = _texts(np.cumsum(power * np.diff(t, prepend=t[0] - 1.0)))
    put("counted.csv", "Time [s],CPU Package Energy [J],CPU Clock [MHz],CPU Temperature [°C]", [s, joules, c, h])
    put("shares.csv", f"{plain},CPU usage", [*shared, _texts(load / 100.0)])
    put("gigahertz.csv", "Time [s],CPU Power [W],CPU frequency,CPU Temperature [°C]", [s, p, _texts(clock / 1000), h])
    dated = [f"{d.day - 9:02}/{d.month:02}/{d.year} {d:%H:%M:%S}" for d in stamps]
    put("either_way.csv", plain.replace("Time [s]", "Timestamp"), [dated, p, c, h])
    put(REFUSED, plain, [[*s[:50], *s[:5], *s[55:]], p, c, h])
    _write_pairs(folder, log, (s, p, c, h), plain)
    return log


def _write_pairs(folder: Path, log: RunLog, columns: Sequence[Sequence[str]], head: str) -> None:
    """One pair that its names tell and only the load aligns, and one that its clocks tell."""
    first, second = PAIRS.items()
    _, p, c, h = columns
    rows = "\n".join(",".join(row) for row in zip(*columns, strict=True))
    (folder / first[0]).write_text(f"{head}\n{rows}\n")
    (folder / first[1]).write_text("Frame time (ms)\n" + "20.0\n" * (50 * LENGTH_S))
    start = log.series["cpu.power"].t
    stamps = [f"{BEGAN + timedelta(days=1, seconds=float(s)):%Y-%m-%d %H:%M:%S}" for s in start - start[0]]
    rows = "\n".join(",".join(row) for row in zip(stamps, p, c, h, strict=True))
    (folder / second[0]).write_text(f"{head.replace('Time [s]', 'When')}\n{rows}\n")
    ends = LATE_S + np.arange(1, 40 * 100) * 0.025
    drawn = [f"{(BEGAN + timedelta(days=1, seconds=float(e))).isoformat(timespec='milliseconds')},25.0" for e in ends]
    (folder / second[1]).write_text("Timestamp,Frame time (ms)\n" + "\n".join(drawn) + "\n")


def _texts(values: FloatArray) -> list[str]:
    return [f"{v:.3f}" for v in values]
