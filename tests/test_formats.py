"""Files in and out: Pinch's CSV, the data package, charts as pictures."""

import io
import json
import math
import pickle
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

import numpy as np
from frictionless import Package, validate
from hypothesis import given, settings
from hypothesis import strategies as st

from pinch.bench.cards import Private
from pinch.bench.readings import Quantity, Reading
from pinch.bench.records import Device, Run, Setting, Workload, now
from pinch.charts.chart_files import write_chart
from pinch.charts.draw.frame import draw_face
from pinch.charts.face import face_of
from pinch.charts.placing import clock_step, round_values
from pinch.charts.scale_chart import DrawnSeries, MeasuredSetting, Second, scaling_chart
from pinch.charts.spec import Chart, Line, Panel, Rule, minutes, unbroken
from pinch.charts.theme import DARK, LIGHT
from pinch.charts.timeline_chart import timeline_chart
from pinch.core.errors import DataError, PinchError
from pinch.core.judge import judge
from pinch.core.ladder import Point
from pinch.core.runlog import Mark, RunLog, Series
from pinch.core.scaling import scale
from pinch.publish.datapackage import write_run_package
from pinch.sources.runlog_csv import read_run_log, write_run_log
from tests import made
from tests.in_folder import InFolder

HEADER = "t_s,cpu.power,cpu.temp\n"
BAD_LOGS = {
    "empty": (b"", "empty"),
    "binary": (b"t_s,cpu.power\n1,2\n\x00\x01\x02", "line 3: it is not text"),
    "not utf-8": (b"t_s,cpu.power\n1,2\n2,\xff\xfe\n", "line 3: it is not UTF-8"),
    "only a header": (HEADER.encode(), "no samples"),
    "other first column": (b"time,cpu.power\n1,2\n", "line 1: the first column"),
    "no channel": (b"t_s\n1\n", "nothing else"),
    "odd channel": (b"t_s,Power (W)\n1,2\n", "line 1: 'Power .W.' is not a channel name"),
    "channel twice": (b"t_s,cpu.power,cpu.power\n1,2,3\n", "stands there twice"),
    "truncated": ((HEADER + "1,2,3\n2,3").encode(), "line 3: the row has 2 cells, the header 3"),
    "not a number": ((HEADER + "1,2,3\n2,hot,3\n").encode(), "line 3: 'hot' is not a number"),
    "no time": ((HEADER + ",2,3\n").encode(), "line 2: the row has no time"),
    "infinite": ((HEADER + "1,inf,3\n").encode(), "line 2: a value is infinite"),
    "backwards": ((HEADER + "1,2,3\n5,2,3\n4,2,3\n").encode(), "line 4: time goes back, from 5 s to 4 s"),
    "twice": ((HEADER + "1,2,3\n1,2,3\n").encode(), "line 3: time stands still"),
    "open quote": ((HEADER + '1,"2,3\n').encode(), "broken|number|cells"),
    "no sample": ((HEADER + "1,,\n2,,\n").encode(), "not one sample"),
}


class TestRunLogCsv(InFolder):
    def test_every_bad_log_is_one_sentence_with_its_place(self) -> None:
        path = self.folder / "log.csv"
        for name, (data, reason) in BAD_LOGS.items():
            with self.subTest(name):
                path.write_bytes(data)
                with self.assertRaisesRegex(DataError, reason) as caught:
                    read_run_log(path)
                self.assertTrue(str(caught.exception).startswith(str(path)))
                self.assertNotIn("\n", str(caught.exception))
        with self.assertRaisesRegex(DataError, "no such file"):
            read_run_log(self.folder / "none.csv")
        with self.assertRaisesRegex(DataError, "not a plain file"):
            read_run_log(self.folder)

    def test_round_trip_is_lossless(self) -> None:
        rng = np.random.default_rng(4)
        log = made.log(cpu_power=rng.uniform(0, 70, 300), cpu_temp=np.where(rng.uniform(size=300) < 0.2, np.nan, 71.25))
        own_rate = Series("score.rate", np.array([10.5, 11.5]), np.array([1 / 3, 2 / 3]))
        log = RunLog({**log.series, "score.rate": own_rate})
        text = io.StringIO()
        write_run_log(log, text)
        path = self.folder / "log.csv"
        path.write_text("\ufeff" + text.getvalue(), encoding="utf-8")
        back = read_run_log(path)
        self.assertEqual(set(back.series), set(log.series))
        for name, s in log.series.items():
            np.testing.assert_array_equal(back.series[name].t, s.t)
            np.testing.assert_array_equal(back.series[name].values, s.values)


class TestDataPackage(InFolder):
    def write(self, folder: Path, allowed: tuple[Private, ...] = (), **run: object) -> Path:
        device = Device(name="Sandpiper 14", notes="serial 123", rig="sandpiper")
        setting = Setting(device_id=1, name="Even", sustained_w=28, notes="private")
        fields = {"device_id": 1, "setting_id": 1, "workload_id": 1, "started": now(), "notes": "private", **run}
        log = RunLog(made.two_level().series, (Mark(30.0, "door opened"),))
        records = (device, setting, Workload(name="Tile Render"), Run(**fields))
        return write_run_package(log, folder, "run-1", *records, allowed=allowed)

    def test_valid_by_the_reference_library(self) -> None:
        table = self.write(self.folder / "new")
        descriptor = table.parent / "datapackage.json"
        report = validate(str(descriptor))
        self.assertTrue(report.valid, report.flatten(["type", "note"]))
        package = Package(str(descriptor))
        rows = package.resources[0].read_rows()
        self.assertEqual(len(rows), 450)
        self.assertEqual(float(rows[99]["cpu.power"]), read_run_log(table).series["cpu.power"].values[99])
        units = {
            f["name"]: f.get("unit") for f in json.loads(descriptor.read_text())["resources"][0]["schema"]["fields"]
        }
        self.assertEqual((units["t_s"], units["cpu.power"], units["cpu.clock"]), ("s", "W", "MHz"))

    def test_frames_and_readings_have_tables_of_their_own(self) -> None:
        ms = np.array([16.6, 16.7, 33.4])
        frames = Series("frame.time", 10.0 + np.cumsum(ms) / 1000.0, ms)
        log = RunLog({**made.two_level().series, "frame.time": frames})
        fields = {"run_id": 1, "taken": now(), "t_s": 95.0, "quantity": Quantity.NOISE, "value": 41.5, "u": 0.58}
        records = (Device(name="A", reach="ssh host-at-home python3 -"), Setting(device_id=1, name="B"))
        work = Workload(name="C", command="/home/somebody/run", frame_log="/home/somebody/f.csv")
        run = Run(device_id=1, setting_id=1, workload_id=1, started=now())
        reading = Reading(**fields, instrument="Level meter")  # type: ignore[arg-type]
        write_run_package(log, self.folder, "run-1", *records, work, run, [reading])
        report = validate(str(self.folder / "datapackage.json"))
        self.assertTrue(report.valid, report.flatten(["type", "note"]))
        package = Package(str(self.folder / "datapackage.json"))
        self.assertEqual([r.name for r in package.resources], ["run-1", "run-1-frames", "run-1-readings"])
        kept = [(float(r["t_s"]), float(r["frame_ms"])) for r in package.resources[1].read_rows()]
        self.assertEqual(kept, list(zip(frames.t, frames.values, strict=True)))
        row = package.resources[2].read_rows()[0]
        self.assertEqual((float(row["value"]), row["unit"], row["quantity"]), (41.5, "dB(A)", "noise level"))
        text = (self.folder / "datapackage.json").read_text()
        self.assertNotIn("somebody", text)
        self.assertNotIn("host-at-home", text)

    def test_private_words_stay_at_home(self) -> None:
        text = (self.write(self.folder).parent / "datapackage.json").read_text()
        self.assertNotIn("serial", text)
        self.assertNotIn("private", text)
        self.assertNotIn("door opened", text)
        self.assertIn("CC-BY-4.0", text)

    def test_what_is_private_goes_out_where_it_is_asked_for(self) -> None:
        void = {"void": "the lid was shut", "reason": "stopped for lunch", "in_spite_of": ("Room: 31 °C",)}
        closed = json.loads((self.write(self.folder / "a", **void).parent / "datapackage.json").read_text())["pinch"]
        self.assertEqual((closed["run"]["void"], "reason" in closed["run"], closed["marks"]), (True, False, []))
        self.assertNotIn("in_spite_of", closed["run"])
        allowed = (Private.MARKS, Private.CHECKS)
        path = self.write(self.folder / "b", allowed=allowed, **void).parent / "datapackage.json"
        opened = json.loads(path.read_text())["pinch"]
        self.assertEqual((opened["run"]["void"], opened["run"]["reason"]), (void["void"], void["reason"]))
        self.assertEqual(opened["marks"], [{"t_s": 30.0, "text": "door opened"}])
        self.assertEqual(opened["run"]["in_spite_of"], ["Room: 31 °C"])
        self.assertNotIn("serial", path.read_text())

    def test_another_package_is_not_overwritten(self) -> None:
        (self.folder / "datapackage.json").write_text("{}")
        with self.assertRaisesRegex(PinchError, "another data package"):
            self.write(self.folder)
        self.assertEqual((self.folder / "datapackage.json").read_text(), "{}")

    def test_nothing_half_written(self) -> None:
        with (
            mock.patch("os.replace", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(PinchError, "cannot be written"),
        ):
            self.write(self.folder)
        self.assertEqual(list(self.folder.iterdir()), [])


class TestSpec(unittest.TestCase):
    def panel(self, from_zero: bool, *rules: Rule) -> Panel:
        return Panel(
            "T", "°C", (Line(np.arange(3.0), np.array([40.0, np.nan, 60.0])),), rules=rules, from_zero=from_zero
        )

    def test_all_that_is_drawn_is_in_view(self) -> None:
        self.assertEqual(self.panel(True).y_range, (0.0, 66.0))
        self.assertEqual(self.panel(False).y_range, (38.0, 62.0))
        low, high = self.panel(False, Rule(95.0, "limit"), Rule(22.0, "room"), Rule(500.0, "x", upright=True)).y_range
        self.assertTrue(low < 22.0 and 95.0 < high < 110.0)
        self.assertEqual(Panel("empty", "").y_range, (0.0, 1.0))

    def test_numbers_stay_with_their_units(self) -> None:
        self.assertEqual(unbroken("For 92 % at 45.0 W, 3 s"), "For 92\u00a0% at 45.0\u00a0W, 3\u00a0s")
        self.assertEqual(unbroken("2 Ways, 5 settings"), "2 Ways, 5 settings")

    def test_ticks_of_a_time_axis_are_round_and_few(self) -> None:
        for span, most, step in ((900, 10, 120), (60, 10, 10), (3600, 6, 600), (5, 10, 1)):
            self.assertEqual(clock_step(span, most), step)

    def test_values_of_an_axis_are_round_have_room_and_tell_its_scale(self) -> None:
        self.assertEqual(round_values(0.0, 6.4, 0.8), [0, 1, 2, 3, 4, 5, 6])
        self.assertEqual(round_values(-0.31, 0.31, 0.3), [-0.2, 0.2])
        self.assertEqual(round_values(-1.2, 1.2, 1.0), [-1, 0, 1])
        self.assertEqual(round_values(16.3, 22.4, 2.3), [18, 22])
        self.assertEqual(round_values(1000.4, 1000.6, 0.06), [1000.4, 1000.5, 1000.6])
        for nothing in ((5.0, 5.0, 0.1), (0.0, math.inf, 1.0), (0.0, 1.0, 0.0), (0.0, 1.0, 2.0), (0.0, 4e-322, 1e-322)):
            self.assertEqual(round_values(*nothing), [])

    @settings(deadline=None)
    @given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6), st.floats(1.5, 12.0))
    def test_there_are_always_two_values_and_never_too_near(self, low: float, span: float, most: float) -> None:
        values = round_values(low, low + span, span / most)
        slack = 1e-6 * span + 1e-9 * abs(low)
        self.assertGreaterEqual(len(values), 2)
        self.assertTrue(low - slack <= values[0] and values[-1] <= low + span + slack)
        self.assertGreaterEqual(min(np.diff(values)), span / most - slack)


class TestCharts(InFolder):
    def timeline(self) -> Chart:
        log = RunLog(made.two_level().series, (Mark(100.0, "door opened"),))
        return timeline_chart(log, judge(log), "Held 35 W", 35.0, footnote="room 22 °C")

    def scaling(self) -> Chart:
        watts = np.array([10.0, 20, 30, 40])
        settings = [MeasuredSetting(f"{w:g} W", w + 0.3, 10 * w**0.5, w) for w in watts.tolist()]
        runs = [Setting(device_id=1, name=s.name) for s in settings]
        fitted = scale([Point(s.name, s.power_w, s.score) for s in settings])
        series = DrawnSeries(
            *("Gannet", 3, False, watts + 0.3, 10 * watts**0.5, runs, settings, ()),
            *(fitted.ladder, None, fitted.nearly_all),
        )
        return scaling_chart("Curve", [series], "Score", "1/s", "Power", Second.EFFICIENCY, reader_w=20.0)

    def test_the_file_draws_the_very_data_of_the_spec(self) -> None:
        for chart in (self.timeline(), self.scaling()):
            figure = draw_face(face_of(chart), LIGHT)
            axes = figure.axes[-len(chart.panels) :]
            for panel, axis in zip(chart.panels, axes, strict=True):
                drawn = [line.get_xydata() for line in axis.lines]
                for line in panel.lines:
                    wanted = np.column_stack([line.x, line.y])
                    self.assertTrue(any(np.array_equal(d, wanted, equal_nan=True) for d in drawn), panel.title)
                for dots in panel.dots:
                    self.assertTrue(any(np.array_equal(d, np.column_stack([dots.x, dots.y])) for d in drawn))

    def test_the_spec_says_what_the_judgement_says(self) -> None:
        chart = self.timeline()
        self.assertEqual([p.key for p in chart.panels], ["power", "clock", "temp"])
        self.assertEqual({s.cause for s in chart.strip}, {"burst-power", "sustained-power"})
        self.assertEqual(chart.panels[0].rules[0].words, "claimed 35")
        self.assertIn("sustained power", chart.alternative)

    def test_claimed_watts_stand_beside_the_measured(self) -> None:
        light, measured, spot = self.scaling().panels[0].dots
        self.assertTrue(spot.spot)
        np.testing.assert_allclose(light.x, [10, 20, 30, 40])
        np.testing.assert_allclose(measured.x, [10.3, 20.3, 30.3, 40.3])
        self.assertTrue(light.light and not measured.light)
        self.assertEqual(measured.texts[2], "Gannet, 30\u00a0W")
        self.assertEqual(pickle.loads(pickle.dumps(measured.texts[1:3])), ("Gannet, 20\u00a0W", "Gannet, 30\u00a0W"))

    def test_gaps_break_the_line(self) -> None:
        log = made.two_level()
        kept = {
            n: Series(n, s.t[(s.t < 200) | (s.t > 250)], s.values[(s.t < 200) | (s.t > 250)])
            for n, s in log.series.items()
        }
        chart = timeline_chart(RunLog(kept), judge(RunLog(kept)), "gap")
        self.assertTrue(np.isnan(chart.panels[0].lines[0].y).any())
        self.assertEqual(len(chart.gaps), 1)

    def test_png_has_its_size_and_svg_real_text(self) -> None:
        png, svg = self.folder / "a.png", self.folder / "a.svg"
        write_chart(self.timeline(), png, DARK)
        write_chart(self.timeline(), svg)
        data = png.read_bytes()
        self.assertEqual((int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big")), (1280, 720))
        texts = [e.text for e in ET.parse(svg).iter("{http://www.w3.org/2000/svg}text")]
        for words in ("Held 35\u00a0W", "Power, W", "claimed 35", "What held it"):
            self.assertIn(words, [(t or "").strip() for t in texts])
        again = self.folder / "b.svg"
        write_chart(self.timeline(), again)
        self.assertEqual(svg.read_bytes(), again.read_bytes())

    def test_wrong_endings_and_places_are_one_sentence(self) -> None:
        for path, reason in (
            (self.folder / "a.bmp", "svg or .pdf"),
            (self.folder / "no" / "a.png", "cannot be written"),
        ):
            with self.assertRaisesRegex(PinchError, reason):
                write_chart(self.timeline(), path)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_minutes(self) -> None:
        self.assertEqual([minutes(x) for x in (0, 59.6, 61, 3600, -5)], ["0:00", "1:00", "1:01", "1:00:00", "−0:05"])
