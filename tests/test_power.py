"""Lines, energy, walls, rundowns, the year, sound, touch and budgets."""

import math
import unittest
from pathlib import Path

import numpy as np

from pinch.core.budget import budget_of, quantity
from pinch.core.energy import energy_of
from pinch.core.errors import DataError
from pinch.core.line import fit_line
from pinch.core.rundown import Rundown, judge_rundown
from pinch.core.runlog import FloatArray, Series
from pinch.core.sound import Grade, fan_line, level_mean, level_sum, without_room
from pinch.core.touch import Contact, Material, judge_touch
from pinch.core.walls import WallPoint, wall_line
from pinch.core.yearly import PROFILES, typical_year

DATA = Path(__file__).parent / "data"


class TestLine(unittest.TestCase):
    def test_certified_regression(self) -> None:
        # NIST StRD Norris, with its certified values.
        text = (DATA / "Norris.dat").read_text().splitlines()
        rows = np.array([[float(x) for x in line.split()] for line in text[60:] if len(line.split()) == 2])
        line = fit_line(rows[:, 1], rows[:, 0])
        self.assertEqual(line.n, 36)
        self.assertAlmostEqual(line.slope, 1.00211681802045, delta=1e-11)
        self.assertAlmostEqual(line.intercept, -0.262323073774029, delta=1e-9)
        self.assertAlmostEqual(line.u_slope, 0.429796848199937e-3, delta=1e-12)
        self.assertAlmostEqual(line.u_intercept, 0.232818234301152, delta=1e-10)
        self.assertAlmostEqual(line.residual_sd, 0.884796396144373, delta=1e-10)

    def test_calibration_line_of_the_guide(self) -> None:
        # JCGM 100:2008, H.3 (a thermometer's correction, t₀ = 20 °C): b(30 °C) = −0.1494 °C, u 0.0041 °C.
        rows = np.loadtxt(DATA / "gum_h3.csv", delimiter=",", skiprows=1)
        line = fit_line(rows[:, 0] - 20.0, rows[:, 1])
        self.assertAlmostEqual(line.intercept, -0.1712, delta=5e-5)
        self.assertAlmostEqual(line.u_intercept, 0.0029, delta=5e-5)
        self.assertAlmostEqual(line.slope, 0.00218, delta=5e-6)
        self.assertAlmostEqual(line.at(10.0).value, -0.1494, delta=5e-5)
        self.assertAlmostEqual(line.at(10.0).u, 0.0041, delta=5e-5)

    def test_no_line(self) -> None:
        with self.assertRaisesRegex(DataError, "three points"):
            fit_line(np.array([1.0, 2.0]), np.array([1.0, 2.0]))
        with self.assertRaisesRegex(DataError, "one place"):
            fit_line(np.full(5, 3.0), np.arange(5.0))


class TestEnergy(unittest.TestCase):
    def test_trapezoid_of_a_ramp_and_of_a_decay(self) -> None:
        # Exact on a ramp at uneven times: 119 J; on e^−t with h = 0.1 it is (1 − 1/e)(h/2) coth(h/2) (Euler–Maclaurin).
        t = np.array([0.0, 1, 3, 3.5, 4.5, 6, 7])
        self.assertAlmostEqual(energy_of(t, 10 + 2 * t).joules, 119.0)
        t = np.linspace(0, 1, 11)
        closed = (1 - math.exp(-1)) * 0.05 / math.tanh(0.05)
        self.assertAlmostEqual(energy_of(t, np.exp(-t)).joules, closed, places=12)

    def test_a_gap_is_left_out_and_said(self) -> None:
        t = np.concatenate([np.arange(0.0, 100.0), np.arange(400.0, 500.0)])
        energy = energy_of(t, np.full(len(t), 36.0))
        self.assertAlmostEqual(energy.joules, 36.0 * 198)
        self.assertAlmostEqual(energy.coverage, 198 / 499)
        self.assertAlmostEqual(energy.mean_w, 36.0)


class TestWall(unittest.TestCase):
    def test_efficiency_and_floor_come_back(self) -> None:
        rng = np.random.default_rng(3)
        package = np.linspace(4, 50, 40)
        wall = (package + 5.0) / 0.88 * (1 + 0.005 * rng.standard_normal(40))
        found = wall_line([WallPoint(p, w, "run") for p, w in zip(package, wall, strict=True)])
        self.assertLess(abs(found.efficiency.value - 0.88), 3 * found.efficiency.u)
        self.assertLess(abs(found.floor_w.value - 5.0 / 0.88), 3 * found.floor_w.u)
        self.assertEqual(found.notes, ())

    def test_what_cannot_be_is_said(self) -> None:
        found = wall_line([WallPoint(p, 0.5 * p + 1, f"run {p}") for p in (10, 20, 30, 40)])
        self.assertEqual([n.code for n in found.notes], ["efficiency", "below-package"])


class TestRundown(unittest.TestCase):
    def series(self, name: str, t: FloatArray, values: FloatArray) -> Series:
        return Series(name, t, values)

    def rundown(self, draw: float = 12.0, hours: float = 1.5, **given: object) -> Rundown:
        """A 48 Wh battery from 90 %, its charge shown in whole per cent."""
        t = np.arange(0.0, 3600.0 * hours, 10.0)
        left = 0.9 * 48.0 - draw * t / 3600.0
        charge = self.series("battery.charge", t, np.round(100 * left / 48.0))
        power = self.series("battery.power", t, np.full(len(t), draw))
        energy = self.series("battery.energy", t, np.round(left, 2))
        parts = {"energy": energy, "power": power, "full_wh": 48.0, "design_wh": 50.0} | given
        return judge_rundown(charge, **parts)  # type: ignore[arg-type]

    def test_a_known_draw(self) -> None:
        found = self.rundown()
        self.assertAlmostEqual(found.draw_w.value, 12.0, delta=0.02)
        self.assertAlmostEqual(found.power_w.value, 12.0, places=6)
        self.assertAlmostEqual(found.runtime_h.value, 4.0, delta=0.02)
        low, high = found.runtime_interval
        self.assertTrue(low < 4.01 and high > 3.99)
        self.assertAlmostEqual(found.minutes_per_wh, 5.0, delta=0.01)
        self.assertAlmostEqual(found.wear, 0.04)
        self.assertEqual(found.notes, ())

    def test_rule_of_the_trade(self) -> None:
        # A 45.6 Wh pack gone in 57 minutes is 48 W of draw, far above a 28 W limit (common practice, no source).
        t = np.linspace(0, 57 * 60, 200)
        found = judge_rundown(self.series("battery.charge", t, 100 * (1 - t / t[-1])), full_wh=45.6)
        self.assertAlmostEqual(found.draw_w.value, 48.0, places=6)

    def test_draws_that_disagree_are_flagged(self) -> None:
        t = np.arange(0.0, 3600.0, 10.0)
        found = self.rundown(power=self.series("battery.power", t, np.full(len(t), 10.0)))
        self.assertEqual([n.code for n in found.notes], ["disagree"])

    def test_charging_and_sleep_are_left_out(self) -> None:
        t = np.concatenate([np.arange(0.0, 1800.0, 10), np.arange(1800.0, 2400.0, 10), np.arange(9600.0, 11400.0, 10)])
        level = np.concatenate([90 - t[:180] / 180, 80 + (t[180:240] - 1800) / 60, 88 - (t[240:] - 9600) / 180])
        found = judge_rundown(self.series("battery.charge", t, level), full_wh=48.0)
        self.assertEqual({n.code for n in found.notes}, {"charging", "suspended"})
        self.assertAlmostEqual(found.draw_w.value, 9.6, delta=0.3)  # 20 % of 48 Wh an hour
        self.assertLess(found.hours, 1.2)
        self.assertAlmostEqual(found.runtime_h.value, 5.0, delta=0.05, msg="what was left out takes no charge either")

    def test_without_capacity_there_are_no_watts_but_a_runtime(self) -> None:
        found = self.rundown(energy=None, full_wh=None, design_wh=None)
        self.assertTrue(math.isnan(found.draw_w.value))
        self.assertAlmostEqual(found.runtime_h.value, 4.0, delta=0.02)
        self.assertIn("no-capacity", [n.code for n in found.notes])

    def test_a_sagging_rate(self) -> None:
        t = np.arange(0.0, 5400.0, 10.0)
        rate = self.series("score.rate", t, np.where(t > 3600, 8.0, 10.0))
        self.assertAlmostEqual(self.rundown(rate=rate).sag, 0.8, delta=0.02)

    def test_no_rundown(self) -> None:
        t = np.arange(0.0, 100.0, 10.0)
        with self.assertRaisesRegex(DataError, "does not fall"):
            judge_rundown(self.series("battery.charge", t, np.full(10, 50.0)))


class TestYear(unittest.TestCase):
    def test_published_weights(self) -> None:
        # ENERGY STAR Computers v6 to v8, conventional; weights from memory, arithmetic exact: 29.565 and 107.748 kWh.
        for profile, watts, kwh in ((PROFILES[0], (0.5, 1, 5, 8), 29.565), (PROFILES[1], (1, 2, 20, 25), 107.748)):
            year = typical_year(watts, profile.weights, 0.3)
            self.assertAlmostEqual(year.kwh, kwh, places=6)
            self.assertAlmostEqual(year.cost, 0.3 * kwh, places=6)
        with self.assertRaisesRegex(DataError, "add up to 0.9"):
            typical_year((1, 1), (0.5, 0.4))


class TestSound(unittest.TestCase):
    def test_sums_and_means_are_energetic(self) -> None:
        # ISO 3744, equation form: 60 + 60 = 63.0103, 60 + 50 = 60.4139, mean of 30 and 40 = 37.4036 dB.
        self.assertAlmostEqual(level_sum([60, 60]), 63.0103, places=4)
        self.assertAlmostEqual(level_sum([60, 50]), 60.4139, places=4)
        self.assertAlmostEqual(level_mean([30, 40]), 37.4036, places=4)
        self.assertAlmostEqual(level_sum([40] * 10), 50.0)

    def test_the_room_is_taken_off_by_grade(self) -> None:
        # K₁ of ISO 3744:2010, 8.2.3 for 3, 6, 10 dB: 3.0206, 1.2563, 0.4576 dB; rules by grade from memory.
        self.assertAlmostEqual(without_room(33.2, 30.0).level, 30.3715, places=4)
        self.assertAlmostEqual(without_room(36.0, 30.0).correction, 1.2563, places=4)
        self.assertAlmostEqual(without_room(36.0, 30.0, Grade.ENGINEERING).correction, 1.2563, places=4)
        self.assertEqual(without_room(41.0, 30.0).correction, 0.0)
        self.assertAlmostEqual(without_room(41.0, 30.0, Grade.ENGINEERING).correction, 0.3594, places=4)
        near = without_room(32.0, 30.0)
        self.assertEqual((near.level, near.upper_bound), (29.0, True))
        self.assertEqual(without_room(35.0, 30.0, Grade.ENGINEERING).level, 33.7)
        self.assertTrue(without_room(29.0, 30.0).upper_bound)
        self.assertIn("not above the room", without_room(29.0, 30.0).words)

    def test_fan_law(self) -> None:
        # 50 lg of the speed's ratio: twice the speed is 15.05 dB (fan-law handbooks).
        speed = np.array([1500.0, 2000, 3000, 4000])
        line = fan_line(speed, 20 + 50 * np.log10(speed / 1500))
        self.assertAlmostEqual(line.slope * math.log10(2), 15.0515, places=4)


class TestTouch(unittest.TestCase):
    def test_limits_by_material_and_time(self) -> None:
        # ISO 13732-1:2006 (51, 56, 60 °C for a minute; 48; 43) and IEC 62368-1 table 38 (60, 71, 77), from memory.
        for temp, material, longest in (
            (42.9, Material.METAL, Contact.HOURS),
            (47.9, Material.METAL, Contact.TEN_MINUTES),
            (50.9, Material.METAL, Contact.MINUTE),
            (51.1, Material.METAL, Contact.TOUCHED),
            (59.9, Material.PLASTIC, Contact.MINUTE),
            (71.1, Material.GLASS, None),
        ):
            self.assertEqual(judge_touch(temp, material).longest, longest)

    def test_rise_and_normalised(self) -> None:
        touch = judge_touch(47.0, room_c=31.0)
        self.assertEqual((touch.rise_k, touch.at_25_c), (16.0, 41.0))

    def test_traps_are_asked_back(self) -> None:
        self.assertIn("Were these °F (42 °C)?", judge_touch(108.0).question)
        self.assertIn("colder than the room", judge_touch(20.0, room_c=24.0).question)
        chip = judge_touch((74 - 32) / 1.8, room_c=22.0, chip_c=95.0)
        self.assertIn("Was it °C?", chip.question)
        self.assertEqual(
            [bool(judge_touch(23.0, room_c=22.0, chip_c=chip).question) for chip in (70.0, 70.1)], [False, True]
        )
        self.assertEqual(judge_touch(41.0, room_c=22.0, chip_c=95.0).question, "")


class TestBudget(unittest.TestCase):
    def test_a_meter_of_the_guide(self) -> None:
        # JCGM 100:2008, 4.3.7 example 2 and 5.1.5: u(A) 12 µV and 8.7 µV of the voltmeter make 15 µV.
        v = quantity(0.928571, 12e-6, "repeats") + quantity(0.0, 8.66e-6, "voltmeter")
        budget = budget_of(v, "V")
        self.assertAlmostEqual(budget.result.u, 15e-6, delta=0.25e-6)
        self.assertEqual([p.name for p in budget.parts], ["repeats", "voltmeter"])
        self.assertAlmostEqual(sum(p.share for p in budget.parts), 1.0)

    def test_parts_of_a_quotient(self) -> None:
        budget = budget_of(quantity(60.0, 0.12, "score") / quantity(30.0, 0.09, "meter"), "1/W")
        self.assertAlmostEqual(budget.result.u / budget.result.value, math.hypot(0.002, 0.003))
        self.assertAlmostEqual(budget.parts[0].share, 9 / 13)
        self.assertEqual(budget_of(2.0, "").parts, ())
