"""The Modes page in words: what each tab says, and what is said where something is wrong or missing."""

import unittest

from pinch.analysis.modes import ModesSheet, idle_power, modes_sheet
from pinch.analysis.points import BookPoints
from pinch.bench.digests import RundownDigest
from pinch.bench.parts import Aspect, Exclusion, Sensors
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import Setting, WorkKind, Workload
from pinch.core.touch import Material
from pinch.narrative import cautions, explain_modes
from pinch.narrative import mode_words as saying
from pinch.ui.modes import state
from tests.test_points import AWAY, FULL, GAME, HUSH, NEW, TASK, Made

METER = Instrument(name="Mains meter", measures=Quantity.WALL, of_reading=0.5, of_range=0.1, range=50.0)


def limit(number: int, watts: float, **fields: object) -> Setting:
    return Setting.model_validate(
        {"id": 60 + number, "device_id": 1, "name": f"{watts:g} W", "sustained_w": watts, **fields}
    )


class TestLocks(unittest.TestCase):
    def test_the_lock_that_holds_the_most_beside_none(self) -> None:
        m = Made()
        for n, (lock, rate, heat) in enumerate(((None, 50.0, 0.6), (3100.0, 54.0, 0.0), (2800.0, 51.0, 0.0))):
            shares = {"heat": heat, "sustained-power": 1.0 - heat}
            named = {"clock_ceiling_mhz": lock, "name": f"lock {lock or 'none'}"}
            m.add(limit(n, 45.0, **named), rate, digest={"temp_c": 90.0 - n, "shares": shares})
        words = saying.headline(modes_sheet(m.book(), NEW, GAME), 0.9)
        told = "Of 2 clock locks lock 3100.0 holds the most: 54 fps at 45.0 W, 89 °C, 0 % of the load held by heat; "
        self.assertIn(f"{told}50 without a lock, 60 % of it by heat (1 run against 1).", words)
        m.add(limit(0, 45.0, name="lock none"), 60.0, digest={"shares": {"heat": 0.0}})
        self.assertIn("No lock holds more than lock none", saying.headline(modes_sheet(m.book(), NEW, GAME), 0.9))

    def test_what_differs_in_more_or_ran_elsewhere_is_no_lock(self) -> None:
        m = Made()
        m.add(limit(0, 45.0), 50.0)
        m.add(limit(1, 35.0, clock_ceiling_mhz=3100.0), 54.0)
        m.add(limit(2, 45.0, clock_ceiling_mhz=3100.0, name="warm"), 54.0, room=31.0)
        self.assertNotIn("lock", saying.headline(modes_sheet(m.book(), NEW, GAME), 0.9).split(".", 1)[1])


class TestWall(unittest.TestCase):
    def made(self, efficiency: float = 0.9) -> tuple[ModesSheet, BookPoints]:
        m = Made()
        for n, watts in enumerate((10.0, 20.0, 30.0, 45.0)):
            digest = {
                "power_w": watts,
                "wall_w": (watts + 5) / efficiency,
                "idle_w": 3.0,
                "idle_wall_w": 8 / efficiency,
            }
            for luck in (0.99, 1.01):
                m.add(limit(n, watts), 10 * watts**0.5 * luck, digest=digest)
        book = m.book(instruments=(METER,))
        return modes_sheet(book, NEW, GAME), book

    def test_words_and_rows(self) -> None:
        sheet, book = self.made()
        words = saying.wall_words(sheet, saying.own_points(book, 1), book.instruments)
        self.assertTrue(words.startswith("90.0 ± 2 % of each watt at the wall arrive; 5.56 ± 0.04 W"), words)
        self.assertIn("At rest 8.9 W.", words)
        rows = state.wall_rows(sheet)
        self.assertEqual([r.cells[0] for r in rows], ["10 W", "20 W", "30 W", "45 W"])
        self.assertEqual(rows[0].cells[1:5], ("10", "10.0", "16.7", "6.7"))
        self.assertEqual(rows[0].cells[5], f"{15 / 0.9 / 10**1.5:.4g} J")
        chart = saying.wall_chart(sheet, saying.own_points(book, 1), book.instruments, 2)
        assert chart is not None
        self.assertEqual((len(chart.panels[0].dots[0].x), chart.panels[0].lines[0].slot), (16, 2))

    def test_the_meter_and_the_regression_share_the_uncertainty(self) -> None:
        sheet, book = self.made()
        assert sheet.wall is not None
        budget = explain_modes.efficiency_budget(sheet.wall, NEW, book.instruments)
        self.assertEqual([p.name for p in budget.parts][:2], ["the package sensor", "Mains meter"])
        self.assertAlmostEqual(sum(p.share for p in budget.parts), 1.0)
        # 0.5 % of the reading and 0.1 % of 50 W, even within that (JCGM 100, 4.3.7); the line is exact here.
        at_floor = (0.005 * sheet.wall.floor_w.value + 0.05) / 3**0.5
        self.assertAlmostEqual(saying.floor_budget(sheet.wall, NEW, book.instruments).result.u, at_floor, places=6)
        own = NEW.model_copy(update={"sensors": Sensors(power_percent=0.1)})
        self.assertLess(explain_modes.efficiency_budget(sheet.wall, own, book.instruments).result.u, budget.result.u)
        explained = explain_modes.explain_line(sheet, book.instruments)
        assert explained is not None
        self.assertIn("efficiency = 1 / slope = 90.00 %", explained.formula)
        self.assertIn(cautions.MAINS, explained.cautions)

    def test_a_charging_battery_is_questioned(self) -> None:
        sheet, book = self.made(efficiency=0.5)
        self.assertIn("50 % of a watt at the wall would arrive", saying.wall_words(sheet, [], book.instruments))

    def test_beyond_the_range_of_the_meter(self) -> None:
        sheet, book = self.made()
        explained = explain_modes.explain_wall(sheet, sheet.rows[-1], book.instruments)
        assert explained is not None
        self.assertIn("beyond the range of Mains meter (50 W)", explained.cautions[0])
        self.assertIn("run to run", explained.uncertainty)

    def test_watt_hours_of_a_task(self) -> None:
        m = Made()
        m.add(FULL, 90.0, TASK, digest={"wall_w": 60.0})
        (row,) = state.wall_rows(modes_sheet(m.book(), NEW, TASK))
        self.assertEqual(row.cells[5], "1.5 Wh a task")

    def test_a_shared_budget_is_parted(self) -> None:
        m = Made()
        m.add(FULL, 60.0, digest={"wall_w": 60.0, "cpu_w": 18.0, "gpu_w": 22.0, "gpu_load": 93.0})
        (row,) = state.wall_rows(modes_sheet(m.book(), NEW, GAME))
        self.assertEqual(row.cells[6], "processor 18.0 W, graphics 22.0 W, 7 % of its time left")

    def test_nothing_logged_and_idle_runs(self) -> None:
        m = Made()
        m.add(FULL, 60.0)
        sheet = modes_sheet(m.book(), NEW, GAME)
        self.assertIn("No run on mains has both", saying.wall_words(sheet, [], ()))
        self.assertIsNone(saying.wall_chart(sheet, [], (), 0))
        rest = Workload(id=9, name="Rest", kind=WorkKind.IDLE)
        own = [m.add(FULL, 1.0, rest, digest={"wall_w": 7.5}), m.add(FULL, 1.0, digest={"idle_wall_w": 9.0})]
        self.assertEqual(idle_power(own).value, 7.5, "runs at rest before what stood before a load")
        self.assertEqual(idle_power(own[1:]).value, 9.0)


class TestBattery(unittest.TestCase):
    def made(self) -> ModesSheet:
        m = Made()
        m.add(HUSH, 40.0)
        rundown = RundownDigest(from_charge=90, to_charge=60, draw_w=20.0, power_w=20.1, runtime_h=3.0, low_h=2.9,
                                high_h=3.1, wear=0.05, sag=0.9, notes=("It slept.",))  # fmt: skip
        m.add(AWAY, 36.0, digest={"power_w": 15.0, "battery_w": 20.0, "rundown": rundown})
        for n, watts in enumerate((10.0, 25.0)):
            m.add(limit(n, watts, mains=False), 30.0, digest={"power_w": watts, "battery_w": watts + 5.0})
        barred = (Exclusion(aspect=Aspect.MODE, value="Full", never_with=Aspect.SUPPLY, other="battery"),)
        return modes_sheet(m.book(), NEW.model_copy(update={"exclusions": barred}), GAME)

    def test_a_rundown_and_what_is_kept_of_mains(self) -> None:
        (row,) = state.battery_rows(self.made())
        cells = ("90 → 60", "20.0", "20.1", "3 h 00 min", "2 h 54 min to 3 h 06 min", "3.00", "90.0", "It slept.")
        self.assertEqual(row.cells[1:], cells)
        assert row.explanation is not None
        self.assertIn("90 % of its rate at the beginning", " ".join(row.explanation.cautions))
        self.assertIn(cautions.BATTERY, row.explanation.cautions)

    def test_how_long_and_what_is_barred(self) -> None:
        sheet = self.made()
        words = saying.battery_words(sheet, 15.0)
        self.assertIn("gives 20.0 W and lasts 3 h 00 min", words)
        self.assertIn("3.00 min for each Wh", words)
        self.assertIn("95 % of its design", words)
        self.assertIn("outside what was measured on battery (10.0 to 25.0 W)", saying.battery_words(sheet, 30.0))
        self.assertEqual(saying.not_on_battery(sheet), "Not to be had on battery: mode Full.")
        chart = saying.battery_chart(sheet, list(sheet.rundowns), 0, 15.0)
        assert chart is not None
        self.assertEqual(chart.reader, 15.0)
        minutes = explain_modes.explain_minutes(sheet, sheet.rows[0])
        assert minutes is not None
        self.assertIn("60 Wh", minutes.formula[0])

    def test_too_few_runs_on_battery(self) -> None:
        m = Made()
        m.add(AWAY, 36.0, digest={"power_w": 15.0, "battery_w": 20.0})
        sheet = modes_sheet(m.book(), NEW, GAME)
        self.assertIn("No curve of draw", saying.battery_words(sheet, 15.0))
        self.assertIn("three settings", saying.battery_words(modes_sheet(Made().book(), NEW, GAME), 15.0))


class TestSoundAndTouch(unittest.TestCase):
    def made(self) -> ModesSheet:
        m = Made()
        for n, (watts, level) in enumerate(((10.0, 31.0), (20.0, 36.0), (30.0, 44.0))):
            p = m.add(limit(n, watts), 10 * watts**0.5, digest={"power_w": watts, "temp_c": 90.0})
            m.read(p, Quantity.NOISE, level, distance_mm=500.0, instrument="Level meter", u=0.8)
            m.read(p, Quantity.NOISE, 30.0, place="room")
            m.read(p, Quantity.SURFACE, 22.5 if n == 0 else 20.0 + 1.2 * watts, place="back", u=0.5)
        return modes_sheet(m.book(), NEW, GAME)

    def test_levels_bounds_and_the_limit(self) -> None:
        sheet = self.made()
        rows = state.sound_rows(sheet, 35.0)
        self.assertEqual([r.cells[1] for r in rows], ["≤ 28.0", "34.7", "44.0"])
        self.assertEqual([r.aside for r in rows], [False, False, True])
        self.assertEqual(rows[1].cells[7], "the best at or below the limit")
        self.assertEqual(rows[0].cells[4:6], ("50 cm", "Level meter"))
        self.assertIn("the best is 20 W, 82 % of the best score", saying.sound_words(sheet, 35.0))
        self.assertIn("No setting", saying.sound_words(sheet, 20.0))
        chart = saying.sound_chart(sheet, 35.0, 1)
        assert chart is not None
        self.assertEqual((chart.panels[0].rules[0].at, chart.x_from_zero), (35.0, False))
        explained = rows[0].explanation
        assert explained is not None
        self.assertIn("at or near the room", " ".join(explained.formula))
        self.assertIn("level meter 100 %", explained.uncertainty)

    def test_the_headline_says_at_most_where_it_is_a_bound(self) -> None:
        self.assertIn("10 W (at most 28.0 dB(A))", saying.headline(self.made(), 0.5))
        self.assertIn("no run", saying.headline(modes_sheet(Made().book(), NEW, GAME), 0.9))

    def test_surfaces_in_both_units_and_other_materials(self) -> None:
        hot = self.made().rows[2]
        (row,) = state.touch_rows(hot, False)
        self.assertEqual(row.cells[:5], ("back", "56.0 °C", "34.0", "59.0 °C", "held for a minute"))
        (metal,) = state.touch_rows(hot, True, Material.METAL)
        self.assertEqual((metal.cells[1], metal.cells[4]), ("132.8 °F", "touched for up to ten seconds"))
        assert row.explanation is not None
        self.assertIn(cautions.TOUCH, row.explanation.cautions)
        self.assertEqual(state.touch_rows(None, False), [])

    def test_a_surface_that_stays_cold_beside_a_hot_chip_is_asked_back(self) -> None:
        (row,) = state.touch_rows(self.made().rows[0], False)
        self.assertIn("Hardly warmer than the room while the chip was at 90 °C", row.cells[5])

    def test_a_sheet_row_sorts_and_explains(self) -> None:
        rows = state.mode_rows(self.made(), ())
        self.assertEqual(rows[0].cells[8], "≤ 28.0")
        self.assertEqual([r.keys[1] for r in rows], [10.0, 20.0, 30.0])
        self.assertTrue(all(r.explained(8) and r.explained(9) for r in rows))
        assert rows[0].explanation is not None
        self.assertIn("a single run", rows[0].explanation.formula[0])
