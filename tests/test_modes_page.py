"""The Modes page on the demo book: true watts, sound, surfaces and minutes of every mode."""

import unittest

from pinch.analysis.curves import Axis
from pinch.analysis.modes import best_below, modes_sheet, quietest
from pinch.bench.parts import Battery
from pinch.bench.readings import Instrument, Quantity, Reading
from pinch.bench.records import Device, now
from pinch.narrative import mode_words as saying
from pinch.runs.whole_book import read_points
from pinch.ui.modes import state
from pinch.ui.modes.page import ModesPage
from pinch.ui.modes.view import BATTERY, SOUND, TOUCH, WALL
from pinch.ui.run.reading_dialog import reading_question
from pinch.ui.scale.page import ScalePage
from tests.window_case import WindowCase, demo_book

TILE = "Tile Render, all cores"


class TestSheet(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.points = read_points(demo_book())
        work = next(w for w in cls.points.workloads if w.name == TILE)
        cls.sheets = {d.name: modes_sheet(cls.points, d, work, 22.0) for d in cls.points.devices}

    def test_wall_line_is_that_of_the_rig(self) -> None:
        # The rig's adapter passes 90 % and its board takes 5 W: (P + 5) / 0.9.
        for sheet in self.sheets.values():
            assert sheet.wall is not None
            self.assertAlmostEqual(sheet.wall.efficiency.value, 0.90, delta=0.005)
            self.assertAlmostEqual(sheet.wall.floor_w.value, 5 / 0.9, delta=0.1)

    def test_runtime_at_15_w(self) -> None:
        # The rig draws 4.5 W beside the package on battery: 47.2 Wh / 19.5 W.
        lasting = self.sheets["Gannet"].lasting
        assert lasting is not None
        value, low, high = lasting.hours(15.0)
        self.assertAlmostEqual(value, 47.2 / 19.5, delta=0.03)
        self.assertTrue(low <= value <= high)
        self.assertIn("outside what was measured", saying.battery_words(self.sheets["Gannet"], 45.0))

    def test_quietest_that_keeps_most_and_the_quiet_limit(self) -> None:
        rows = self.sheets["Gannet"].rows
        quiet, best = quietest(rows, 0.90), best_below(rows, 36.0)
        assert quiet is not None and best is not None and quiet.noise is not None and best.noise is not None
        self.assertEqual((quiet.setting.name, best.setting.name), ("25 W", "13 W"))
        louder = [r for r in rows if r.noise and r.noise.level < quiet.noise.level]
        top = max(r.score or 0.0 for r in rows)
        self.assertTrue(all((r.score or 0.0) < 0.9 * top for r in louder))
        self.assertIsNone(best_below(rows, 10.0))

    def test_a_mode_that_is_not_its_label_is_marked(self) -> None:
        marks = {r.setting.name: r.marks for r in self.sheets["Limpet"].rows}
        self.assertIn("−26 % of its label", marks["54 W"])
        self.assertEqual(marks["Stock"], ())

    def test_fan_law_of_the_rig(self) -> None:
        # The demo's fan is 50 lg n beside a room of 21.5 dB(A), whose part flattens the quiet end.
        fan = self.sheets["Gannet"].fan
        assert fan is not None
        self.assertTrue(42 < fan.slope < 52)

    def test_without_capacity_it_says_so(self) -> None:
        gannet = next(d for d in self.points.devices if d.name == "Gannet")
        bare: Device = gannet.model_copy(update={"battery": Battery()})
        sheet = modes_sheet(self.points, bare, self.sheets["Gannet"].workload, 22.0)
        self.assertIn("capacity of the battery is not known", saying.battery_words(sheet, 15.0))

    def test_what_a_cell_says(self) -> None:
        sheet = self.sheets["Sandpiper 14"]
        row = next(r for r in state.mode_rows(sheet, self.points.instruments) if r.cells[0] == "Even")
        wall, minutes = row.explained(10), row.explained(11)
        assert wall is not None and minutes is not None
        self.assertIn("Mains meter", wall.uncertainty)
        self.assertIn("run to run", wall.uncertainty)
        self.assertIn("60.4 Wh", minutes.formula[0])
        on_battery = next(r for r in state.mode_rows(sheet, self.points.instruments) if r.cells[0] == "Hush on battery")
        self.assertTrue(on_battery.cells[10].startswith("~"), "the wall by the line, not measured")
        self.assertIn("mode Full", saying.not_on_battery(sheet))


class TestReadings(unittest.TestCase):
    def reading(self, **fields: object) -> Reading:
        return Reading.model_validate({"run_id": 1, "taken": now(), "t_s": 0.0, **fields})

    def test_unlikely_readings_are_asked_back(self) -> None:
        surface = self.reading(quantity=Quantity.SURFACE, value=108.0)
        self.assertIn("Were these °F", reading_question(surface, None))
        meter = Instrument(name="Meter", of_range=0.1, range=300.0)
        self.assertIn(
            "beyond the range of Meter", reading_question(self.reading(quantity=Quantity.WALL, value=320), meter)
        )
        self.assertEqual(reading_question(self.reading(quantity=Quantity.WALL, value=30), meter), "")


class TestPage(WindowCase):
    demo = True

    def open(self, device: str) -> None:
        self.choose(device, None, TILE)
        self.window.show_page(self.window.page(ModesPage))
        self.wait_for(lambda: self.window.page(ModesPage).view.sheet is not None)

    def test_every_mode_of_a_laptop(self) -> None:
        self.open("Sandpiper 14")
        view = self.window.page(ModesPage).view
        self.assertIn("the quietest that keeps 90\u00a0% of the score is Full", view.headline.text())
        view.share.setValue(75.0)
        self.assertIn("is Even", view.headline.text())
        view.modes.sort_by(8)
        view.modes.sort_by(8)
        levels = [float(r.cells[8]) for r in view.modes.rows]
        self.assertEqual(levels, sorted(levels, reverse=True))
        view.modes.cellActivated.emit(0, 0)
        self.assertEqual((self.window.shown_page.name, self.session.setting.name), ("Judge", "Full"))  # type: ignore[union-attr]

    def test_battery_sound_and_touch_of_a_handheld(self) -> None:
        self.open("Gannet")
        view = self.window.page(ModesPage).view
        view.tabs.setCurrentIndex(BATTERY)
        self.assertRegex(view.battery_words.text(), r"lasts 2 h 25 min")
        view.battery_chart.reader_moved.emit(20.0)
        self.assertEqual(view.at_w.value(), 20.0)
        self.assertIn("24.5\u00a0W", view.battery_words.text())
        part = next(r for r in view.rundowns.rows if "Cabin loop" in r.cells[0])
        self.assertEqual(part.cells[1], "96 → 56")
        view.tabs.setCurrentIndex(SOUND)
        view.limit.setValue(36.0)
        self.assertIn("the best is 13\u00a0W", view.sound_words.text())
        view.tabs.setCurrentIndex(TOUCH)
        hottest = view.touch.rows[0]
        self.assertEqual((hottest.cells[0], hottest.cells[4]), ("exhaust", "touched for up to ten seconds"))
        view.fahrenheit.setChecked(True)
        self.assertTrue(view.touch.rows[0].cells[1].endswith("°F"))
        self.assertIn("exhaust", view.outline.accessibleName())
        view.tabs.setCurrentIndex(WALL)
        self.assertIs(self.window.chart_shown(), view.wall_chart.chart)
        self.assertRegex(self.window.margin.text, r"Mains meter \d+ %; the regression \d+ % of the variance")

    def test_the_year(self) -> None:
        self.open("Sandpiper 14")
        year = self.window.page(ModesPage).view.year
        for spin, watts in zip(year.watts, (0.5, 1.0, 5.0, 8.0), strict=True):
            spin.setValue(watts)
        self.assertTrue(year.result.text().startswith("29.5"), year.result.text())
        year.weights[0].setValue(50.0)
        self.assertIn("add up to 1.25", year.result.text())

    def test_score_over_noise(self) -> None:
        self.choose("Gannet", None, TILE)
        self.window.show_page(self.window.page(ScalePage))
        view = self.window.page(ScalePage).view
        self.wait_for(lambda: view.result is not None)
        view.changed.emit({"axis": Axis.NOISE})
        self.wait_for(lambda: view.result is not None and view.result.choice.axis is Axis.NOISE)
        chart = view.chart.chart
        assert chart is not None and view.result is not None
        self.assertEqual((chart.x_unit, chart.x_from_zero), ("dB(A)", False))
        self.assertIn("no noise was read", view.result.series[0].left_out[0].text)
        self.assertGreaterEqual(len(chart.panels[0].lines), 3)

    def test_nothing_to_show(self) -> None:
        self.choose("Gannet", None, "Rest")
        self.window.show_page(self.window.page(ModesPage))
        self.wait_for(lambda: self.window.page(ModesPage).view.sheet is not None)
        self.assertIn("no run", self.window.page(ModesPage).view.headline.text())
