"""Headers of logs in seven languages: read as they are meant, or asked about, never silently other.

The list was written by hand for these tests; what its columns hold is made here.
"""

import csv
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.analysis.digesting import digest_of
from pinch.bench.records import Device, Run, now
from pinch.core.frames import with_frame_rate
from pinch.core.judge import judge
from pinch.core.runlog import runlog_from_columns
from pinch.sources.logs.mapping import SURE, ShownColumn, guess
from pinch.sources.logs.read import read_log_file
from pinch.ui.logs.state import began_words, length_words
from tests.in_folder import CommandCase, InFolder

HEADERS = Path(__file__).parent / "data" / "headers.csv"
USUAL = {
    "power": (4, 28, 45), "clock": (800, 3200, 4600), "temp": (40, 70, 92), "load": (0, 83, 100),
    "speed": (0, 2400, 4100),
    "rate": (40, 61, 75), "time": (12, 16.6, 40), "charge": (4, 55, 100), "energy": (4, 30, 55), "level": (24, 36, 44),
    "voltage": (0.7, 1.1, 1.3), "current": (-3, 2, 4), "throttle": (0, 0, 1), "dropped": (0, 0, 1),
}  # fmt: skip


def values_of(header: str, channel: str) -> tuple[float, float, float]:
    """What a column of this header shows: lowest, median, highest."""
    words = header.casefold()
    if channel == "":
        return 1, 500, 1000
    parts = channel.split(".")
    quantity = "throttle" if "throttle" in parts else next(p for p in reversed(parts) if p in USUAL)
    low, middle, high = USUAL[quantity]
    if channel == "ambient.temp":
        return 21, 22, 23
    if channel in ("wall.voltage", "battery.voltage"):
        return (225, 230, 235) if channel == "wall.voltage" else (11, 12, 13)
    factor = 1e-3 if "ghz" in words else 1e3 if "mw" in words or "mv" in words or " ma" in words else 1.0
    if "°f" in words:
        return low * 1.8 + 32, middle * 1.8 + 32, high * 1.8 + 32
    return low * factor, middle * factor, high * factor


class TestHeaders(unittest.TestCase):
    def test_every_header_is_read_as_it_is_meant_or_asked_about(self) -> None:
        asked = right = 0
        with HEADERS.open(encoding="utf-8", newline="") as file:
            rows = list(csv.DictReader(file))
        self.assertGreater(len(rows), 400)
        for row in rows:
            header, channel = row["header"], row["channel"]
            if channel in ("time", "date"):
                continue
            with self.subTest(header=header):
                (use,) = guess([header], [""], [ShownColumn(*values_of(header, channel))])
                got = "" if use.channel.startswith("extra.") else use.channel
                if got and use.score < SURE:
                    asked += 1
                else:
                    self.assertEqual(got, channel)
                    right += 1
        self.assertLess(asked, 0.05 * right, "asking about everything would be no answer")

    def test_the_charge_tells_which_way_a_battery_flows(self) -> None:
        """Power is above zero while it flows out (the convention of FORMATS)."""
        out, into = ShownColumn(-18.0, -12.0, -11.0, 0.3), ShownColumn(11.0, 12.0, 18.0, -0.2)
        for name, power, charge, factor, sure in (
            ("Akku [W]", out, -60.0, -1.0, True),
            ("Akku [W]", out, 60.0, 1.0, True),
            ("Akku [W]", into, 60.0, -1.0, True),
            ("Akku [mW]", into, -60.0, 1e-3, True),
            ("Akku [W]", out, -0.5, -1.0, False),
            ("battery.power", out, -60.0, 1.0, True),
        ):
            used, _ = guess([name, "Ladung [%]"], ["", ""], [power, ShownColumn(40.0, 70.0, 100.0, charge)])
            self.assertEqual((used.channel, used.factor), ("battery.power", factor), used.why)
            self.assertEqual(used.score >= SURE, sure, used.why)

    def test_a_rate_that_nobody_logs_is_asked_about(self) -> None:
        (use,) = guess(["FPS"], [""], [ShownColumn(0.05, 0.07, 0.1)])
        self.assertLess(use.score, SURE)
        self.assertIn("0.05", use.why)


class TestLogs(InFolder):
    def log(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path

    def test_times_by_every_name_of_the_list(self) -> None:
        with HEADERS.open(encoding="utf-8", newline="") as file:
            names = [row["header"] for row in csv.DictReader(file) if row["channel"] == "time"]
        for name in names:
            factor = 1000 if "ms" in name else 1
            rows = "".join(f"{t * factor};{20 + t % 3}\n" for t in range(1, 60))
            with self.subTest(name):
                found = read_log_file(self.log("a.csv", f"{name};CPU Power [W]\n{rows}"))
                self.assertAlmostEqual(float(found.log.series["cpu.power"].t[-1]), 59.0, places=3)

    def test_a_date_column_with_whole_stamps_is_the_time(self) -> None:
        rows = "".join(f"2026-09-14T20:15:{s:02},{20 + s % 3}\n" for s in range(50))
        found = read_log_file(self.log("b.csv", f"Datum,CPU Leistung [W]\n{rows}"))
        self.assertEqual(float(found.log.series["cpu.power"].t[-1]), 49.0)
        assert found.started is not None
        self.assertEqual(f"{found.started:%Y-%m-%d %H:%M}", "2026-09-14 20:15")

    def test_cores_without_a_summary_get_one(self) -> None:
        rows = "".join(f"{t},{60 + t % 5},{70 - t % 3},{3000 + t},{3200}\n" for t in range(60))
        head = "Time [s],Core 0 Temp [°C],Core 1 Temp [°C],Core 0 Clock [MHz],Core 1 Clock [MHz]"
        found = read_log_file(self.log("c.csv", f"{head}\n{rows}"))
        t = np.arange(60)
        np.testing.assert_allclose(found.log.series["cpu.temp"].values, np.maximum(60 + t % 5, 70 - t % 3))
        np.testing.assert_allclose(found.log.series["cpu.clock"].values, (6200 + t) / 2)
        self.assertTrue(any("highest temperature of 2 cores" in w for w in found.warnings))

    def test_words_tell_frames_apart_or_are_named(self) -> None:
        """Two shown frames of 10 ms for each drawn one are 50 drawn a second; each tenth pair lacks its second."""
        kinds = ["drawn", "interpolated"] * 200
        for lost in range(19, 400, 20):
            kinds[lost] = "dropped"
        rows = "".join(f"{0.01 * (n + 1):.2f},10.0,{kind},{'AB'[n // 200]},scene\n" for n, kind in enumerate(kinds))
        found = read_log_file(self.log("k.csv", f"time_s,frametime_ms,how,part,name\n{rows}"))
        flags = found.log.series
        self.assertEqual([int(flags[f"frame.{name}"].values.sum()) for name in ("generated", "dropped")], [180, 20])
        frames = judge(with_frame_rate(found.log)).frames
        assert frames is not None
        self.assertAlmostEqual(frames.average_fps, 400 * 0.55 / 4.0, delta=0.3)
        self.assertEqual([w for w in found.warnings if "words" in w], ["part holds words (A and B) and is not used."])
        again = read_log_file(self.folder / "k.csv", found.mapping)
        self.assertEqual(list(again.log.series), list(flags))

    def test_how_long_it_is_counts_from_its_own_start(self) -> None:
        log = runlog_from_columns(np.array([60.0, 100.0, 185.0]), {"cpu.power": np.ones(3)})
        self.assertEqual(length_words(mock.Mock(**{"read.log": log})), "2:05")
        self.assertEqual(began_words(None, 45_296.0), "12:34:56")

    def test_charge_and_battery_watts_alone_are_a_rundown(self) -> None:
        t = np.arange(0.0, 7200.0, 10.0)
        watts = 14.0 + 0.5 * np.sin(t / 60.0)
        left = 50.0 - np.cumsum(watts) * 10.0 / 3600.0
        log = runlog_from_columns(t, {"battery.power": watts, "battery.charge": np.floor(100 * left / 50.0)})
        device = Device(kept_id=1, name="A", battery={"full_wh": 50.0})  # type: ignore[arg-type]
        run = Run(kept_id=1, device_id=1, setting_id=1, workload_id=1, started=now())
        digest = digest_of(run, log, judge(log), device)
        assert digest.rundown is not None
        self.assertAlmostEqual(digest.rundown.draw_w or 0.0, 14.0, delta=0.5)


class TestNothingToJudge(CommandCase):
    def test_it_is_said_with_the_name_of_the_file(self) -> None:
        path = self.folder / "volts.csv"
        path.write_text("Time [s],CPU Voltage [V]\n" + "".join(f"{t},{1 + t % 2 / 10}\n" for t in range(60)))
        names = ("--device", "A", "--setting", "B", "--workload", "C", "--book", self.folder / "a.pinch")
        status, out, _ = self.run_command("import", path, *names, "--json")
        self.assertEqual(status, 1)
        self.assertIn("volts.csv: nothing in it can be judged", out)
