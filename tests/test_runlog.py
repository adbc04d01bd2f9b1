"""The log: time-weighted bins, gaps, coverage, channel names."""

import unittest

import numpy as np

from pinch.core.channels import is_channel_name, power_channel, unit_of
from pinch.core.errors import DataError
from pinch.core.phases import find_burst, find_load
from pinch.core.runlog import EvenLog, RunLog, Series, gaps_of, runlog_from_columns


def series(t: list[float], values: list[float]) -> Series:
    return Series("cpu.power", np.array(t), np.array(values))


class TestBins(unittest.TestCase):
    def test_one_sample_a_bin_is_the_sample_itself(self) -> None:
        even = RunLog({"cpu.power": series([1, 2, 3, 4], [5, 6, 7, 8])}).even()
        np.testing.assert_allclose(even.columns["cpu.power"], [5, 6, 7, 8])
        np.testing.assert_allclose(even.starts, [0, 1, 2, 3])

    def test_bins_are_time_weighted_not_picked(self) -> None:
        # 0.25 s at 10 W and 0.75 s at 50 W are 40 W, whatever the number of samples (definition of a mean).
        t = [0.25, 1.0, 1.25, 2.0, 2.25, 3.0]
        even = RunLog({"cpu.power": series(t, [10, 50, 10, 50, 10, 50])}).even()
        np.testing.assert_allclose(even.columns["cpu.power"][-2:], [40, 40])

    def test_total_energy_is_kept_at_any_rate(self) -> None:
        rng = np.random.default_rng(3)
        t = np.cumsum(rng.uniform(0.3, 0.9, 500))
        p = rng.uniform(5, 60, 500)
        even = RunLog({"cpu.power": Series("cpu.power", t, p)}).even()
        width = np.diff(t, prepend=t[0] - np.median(np.diff(t)))
        binned = even.columns["cpu.power"][1:-1].sum()
        inside = (t > even.edges[1]) & (t <= even.edges[-2])
        self.assertAlmostEqual(binned, float((p * width)[inside].sum()), delta=2 * 60)

    def test_no_mean_spans_a_gap(self) -> None:
        t = [1, 2, 3, 4, 20, 21, 22]
        log = RunLog({"cpu.power": series(t, [10] * 4 + [50] * 3)})
        even = log.even()
        self.assertTrue(np.isnan(even.columns["cpu.power"][4:19]).all())
        self.assertEqual(even.columns["cpu.power"][19], 50)
        self.assertAlmostEqual(even.coverage["cpu.power"], 7 / 22)
        gap = gaps_of(log.series["cpu.power"])[0]
        self.assertEqual((gap.start_s, gap.end_s), (4, 20))

    def test_a_channel_with_its_own_rate_has_its_own_bins(self) -> None:
        slow = Series("fan.1.speed", np.array([5.0, 10.0, 15.0]), np.array([1000.0, 2000.0, 3000.0]))
        even = RunLog({"cpu.power": series(list(range(1, 16)), [7] * 15), "fan.1.speed": slow}).even()
        np.testing.assert_allclose(even.columns["fan.1.speed"], [1000] * 5 + [2000] * 5 + [3000] * 5)

    def test_missing_cells_are_no_samples(self) -> None:
        log = runlog_from_columns(np.arange(1.0, 5.0), {"cpu.power": np.array([1.0, np.nan, 3.0, np.nan])})
        np.testing.assert_allclose(log.series["cpu.power"].t, [1, 3])
        self.assertEqual(log.samples, 2)

    def test_an_empty_log_says_so(self) -> None:
        with self.assertRaises(DataError):
            RunLog({}).even()


class TestChannels(unittest.TestCase):
    def test_units_follow_the_quantity(self) -> None:
        names = ("cpu.core.3.clock", "cpu.power.cores", "battery.energy", "cpu.throttle.count", "noise.level")
        self.assertEqual([unit_of(n) for n in names], ["MHz", "W", "Wh", "", "dB(A)"])

    def test_whole_package_goes_before_the_processor(self) -> None:
        self.assertEqual(power_channel({"cpu.power": 1, "soc.power": 1}), "soc.power")
        self.assertIsNone(power_channel({"wall.power": 1}))

    def test_names_have_a_component_and_a_quantity(self) -> None:
        self.assertTrue(is_channel_name("fan.1.speed"))
        for wrong in ("power", "CPU.power", "cpu..power", "cpu.power; DROP", ""):
            self.assertFalse(is_channel_name(wrong), wrong)


class TestPhases(unittest.TestCase):
    """Load and burst by their definitions in docs/methods.md (common practice, no source)."""

    def even(self, power: list[float], load: list[float] | None = None) -> EvenLog:
        t = np.arange(1.0, len(power) + 1.0)
        columns = {"cpu.power": np.array(power)} | ({"cpu.load": np.array(load)} if load else {})
        return runlog_from_columns(t, columns).even()

    def test_the_first_bin_gives_away_when_load_began(self) -> None:
        load = find_load(self.even([4.0] * 20 + [0.75 * 4 + 0.25 * 44] + [44.0] * 60), "cpu.power")
        self.assertEqual((load.first, load.last, load.idle), (20, 81, 4.0))
        self.assertAlmostEqual(load.onset, 0.25)

    def test_a_blip_before_the_load_is_not_the_load(self) -> None:
        load = find_load(self.even([4.0] * 10 + [30.0, 30.0] + [4.0] * 10 + [44.0] * 60), "cpu.power")
        self.assertEqual(load.first, 22)

    def test_a_rise_counts_once_it_is_held_for_three_seconds_whatever_the_bins(self) -> None:
        power = [4.0] * 20 + [30.0] * 4 + [4.0] * 20 + [44.0] * 120  # a blip of two seconds, in bins of half a second
        log = runlog_from_columns(np.arange(1.0, len(power) + 1.0) / 2.0, {"cpu.power": np.array(power)}).even(0.5)
        self.assertAlmostEqual(float(log.starts[find_load(log, "cpu.power").first]), 22.0)

    def test_cooling_down_is_not_part_of_it(self) -> None:
        load = find_load(self.even([4.0] * 10 + [44.0] * 60 + [4.0] * 30), "cpu.power")
        self.assertEqual((load.first, load.last), (10, 70))
        self.assertEqual(int(load.active.sum()), 60)

    def test_a_steady_log_is_all_load(self) -> None:
        load = find_load(self.even([44.0, 44.2, 43.9] * 20), "cpu.power")
        self.assertEqual((load.first, load.last), (0, 60))
        self.assertTrue(np.isnan(load.idle))

    def test_work_that_goes_on_in_a_fault_is_active(self) -> None:
        power, busy = [4.0] * 10 + [44.0] * 30 + [5.0] * 10 + [44.0] * 30, [1.0] * 10 + [100.0] * 70
        self.assertEqual(int(find_load(self.even(power, busy), "cpu.power").active.sum()), 70)
        self.assertEqual(int(find_load(self.even(power), "cpu.power").active.sum()), 60)

    def test_a_burst_is_at_least_four_percent_higher(self) -> None:
        rng = np.random.default_rng(5)
        for level, found in ((1.10, True), (1.02, False)):
            power = np.concatenate([np.full(25, 40 * level), np.full(200, 40.0)]) + rng.normal(0, 0.05, 225)
            self.assertEqual(find_burst(power), 25 if found else None)

    def test_the_rise_itself_is_not_the_burst(self) -> None:
        power = np.concatenate([[20.0, 45.0], np.full(25, 60.0), np.full(200, 40.0)])
        power += np.random.default_rng(6).normal(0, 0.05, len(power))
        self.assertEqual(find_burst(power), 27)
