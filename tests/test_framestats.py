"""Figures of frames against closed forms, other packages, and a slow computation of the same."""

import math

import numpy as np
from scipy.stats import hmean, skew
from scipy.stats.mstats import mquantiles

from pinch.core.errors import DataError
from pinch.core.framestats import _acceleration, frame_figures
from pinch.core.selecting import FEW, PIECE, median_of, places_in, upper_tail
from pinch.core.stutters import find_stutters
from pinch.core.tinybase import is_tiny_base
from tests.in_folder import CommandCase, InFolder

SLOW_ONES = np.concatenate([np.full(990, 10.0), np.full(10, 50.0)])


class TestFigures(InFolder):
    def test_averages_and_lows_of_a_hand_made_series(self) -> None:
        # Identities; the series and its values are those of the project's list of checks (F1, F2).
        found = frame_figures(SLOW_ONES)
        self.assertAlmostEqual(found.average_fps, 96.153846, places=6)
        self.assertAlmostEqual(found.average_fps, float(hmean(1000.0 / SLOW_ONES)), places=9)
        self.assertAlmostEqual(found.low_1.percentile, 96.153846, places=5)
        self.assertAlmostEqual(found.low_1.mean_of_worst, 20.0)
        self.assertAlmostEqual(found.low_1.time_share, 20.0)
        self.assertAlmostEqual(found.beyond_s["33.3"] / found.duration_s, 0.0480769, places=6)
        stall = frame_figures(np.append(np.full(59, 10.0), 410.0))
        self.assertAlmostEqual(stall.average_fps, 60.0)
        self.assertEqual((stall.stutters, stall.intervals), (1, {}))
        self.assertEqual([n.code for n in stall.notes], ["few-frames-0.01", "few-frames-0.001", "short-frames"])

    def test_percentages_of_very_little(self) -> None:
        # Common practice, no source: below 15 fps, and for lows that differ by less than 5 fps.
        for base, other, of_low, tiny in (
            (14.9, 40, False, True), (15, 40, False, False), (60, 64.9, True, True), (60, 65, True, False),
            (60, 55.1, True, True), (60, 61, False, False),
        ):  # fmt: skip
            self.assertEqual(is_tiny_base(base, other, of_low), tiny, (base, other, of_low))

    def test_percentiles_are_of_type_7(self) -> None:
        # Hyndman and Fan's type 7 by scipy's masked statistics (alphap = betap = 1) and by NumPy.
        rng = np.random.default_rng(3)
        for n in (30, 1000, 36_000, FEW + 7):
            ms = rng.gamma(20.0, 0.8, n)
            found = frame_figures(ms)
            with self.subTest(n):
                for share, lows in ((0.01, found.low_1), (0.001, found.low_01)):
                    own = float(mquantiles(ms, [1.0 - share], 1.0, 1.0)[0])
                    self.assertAlmostEqual(lows.percentile, 1000.0 / own, places=8)
                    worst = np.sort(ms)[-int(np.ceil(share * n - 1e-9)) :]
                    self.assertAlmostEqual(lows.mean_of_worst, 1000.0 / worst.mean(), places=8)
                    falling = np.sort(ms)[::-1]
                    reached = np.flatnonzero(np.cumsum(falling) >= share * ms.sum())[0]
                    self.assertAlmostEqual(lows.time_share, 1000.0 / falling[reached], places=8)
                self.assertAlmostEqual(found.median_fps, 1000.0 / float(np.median(ms)), places=9)
                self.assertAlmostEqual(found.cv, float(ms.std() / ms.mean()), places=12)
                self.assertAlmostEqual(found.beyond_s["16.7"], ms[ms > 16.7].sum() / 1000.0, places=6)

    def test_seconds_share_the_frames_across_their_borders(self) -> None:
        found = frame_figures(np.full(40, 400.0))
        self.assertAlmostEqual(found.lowest_1s, 2.5)
        self.assertAlmostEqual(found.highest_1s, 2.5)
        two = frame_figures(np.concatenate([np.full(100, 10.0), np.full(25, 40.0)]))
        self.assertEqual((round(two.lowest_1s, 6), round(two.highest_1s, 6)), (25.0, 100.0))

    def test_intervals_hold_the_truth_as_often_as_they_say(self) -> None:
        # Frames whose level wanders (AR(1) of a second), so that neighbours are alike; truth from a very long record.
        rng = np.random.default_rng(8)

        def series(n: int) -> np.ndarray:
            level = np.empty(n)
            level[0] = 0.0
            steps = rng.normal(0.0, 0.02, n)
            for i in range(1, n):
                level[i] = 0.9 * level[i - 1] + steps[i]
            return 12.0 * np.exp(level) * rng.gamma(60.0, 1 / 60.0, n)

        long = frame_figures(series(400_000))
        truth = {"average_fps": long.average_fps, "low_1.percentile": long.low_1.percentile}
        inside = dict.fromkeys(truth, 0)
        for _ in range(60):
            found = frame_figures(series(8_000)).intervals
            for name, value in truth.items():
                inside[name] += found[name].low <= value <= found[name].high
        for name, times in inside.items():
            with self.subTest(name):
                self.assertGreaterEqual(times, 48, "of 60; 95 % would be 57, short blocks give a little less")

    def test_the_interval_of_the_worst_leans_as_they_do(self) -> None:
        # Of a mean, Efron's acceleration is a sixth of its skewness: scipy's sample skewness over the root of n.
        worst = np.random.default_rng(3).standard_exponential(200)
        self.assertAlmostEqual(_acceleration(worst, 1), float(skew(worst)) / 6.0 / math.sqrt(200), places=12)
        found = frame_figures(14.0 * np.exp(0.06 * np.random.default_rng(4).standard_t(4, 18_000)))
        value, interval = found.low_1.mean_of_worst, found.intervals["low_1.mean_of_worst"]
        self.assertGreater(value / interval.low, interval.high / value, "it may be slower rather than faster")

    def test_what_is_no_frame_is_refused(self) -> None:
        for ms, reason in ((np.empty(0), "there are none"), (np.array([1.0, 0.0]), "took no time")):
            with self.subTest(reason), self.assertRaisesRegex(DataError, reason):
                frame_figures(ms)
        with self.assertRaisesRegex(DataError, "no finite time"):
            frame_figures(np.array([1.0, np.inf]))


class TestStutters(InFolder):
    def test_as_a_slow_running_median_says(self) -> None:
        rng = np.random.default_rng(5)
        ms = np.concatenate([rng.gamma(50.0, 5 / 50, 4000), rng.gamma(50.0, 20 / 50, 3000)])
        ms[rng.choice(len(ms), 60, replace=False)] *= rng.uniform(2.0, 6.0, 60)
        ends = np.cumsum(ms)
        middles = ends - 0.5 * ms
        slow = []
        before = -2
        for i, x in enumerate(ms):
            median = np.median(ms[np.abs(middles - middles[i]) <= 500.0])
            if x > max(2.5 * median, median + 8.0):
                if before != i - 1:  # of long frames in a row the first
                    slow.append(i)
                before = i
        found = find_stutters(ms, ends)
        self.assertGreater(len(slow), 30)
        self.assertLessEqual(len(set(slow) ^ set(found.tolist())), 2)

    def test_a_steady_series_has_none_and_one_long_pause_is_one(self) -> None:
        self.assertEqual(len(find_stutters(np.full(5000, 16.7), np.cumsum(np.full(5000, 16.7)))), 0)
        ms = np.full(600, 10.0)
        ms[300] = 5000.0
        self.assertEqual(find_stutters(ms, np.cumsum(ms)).tolist(), [300])


class TestSelecting(InFolder):
    def test_exact_whatever_the_values(self) -> None:
        rng = np.random.default_rng(2)
        for values in (
            rng.normal(size=FEW + 1),
            np.repeat([1.0, 2.0], FEW),
            np.arange(2.0 * FEW)[::-1].copy(),
            np.full(FEW + 5, 3.0),
            np.exp(rng.normal(0, 5, FEW + 100)),
        ):
            self.assertEqual(median_of(values), float(np.median(values)))
            least = len(values) // 20
            places = upper_tail(values, least)
            self.assertGreaterEqual(len(places), least)
            left = np.delete(values, places)
            self.assertTrue(len(left) == 0 or left.max() < values[places].min())

    def test_places_of_marks_are_those_of_one_search(self) -> None:
        rng = np.random.default_rng(3)
        for n in (1, PIECE, PIECE + 1, 2 * PIECE + 5):
            rising = np.sort(rng.integers(0, 60, n)).astype(float)
            marks = np.arange(-2.0, 65.0)
            np.testing.assert_array_equal(places_in(rising, marks), np.searchsorted(rising, marks))


class TestCommand(CommandCase):
    def test_frames_of_any_dialect(self) -> None:
        path = self.folder / "frames.txt"
        path.write_text("Bildzeit [ms];x\n" + "".join(f"{ms:.1f};1\n".replace(".", ",") for ms in SLOW_ONES))
        found = self.json_of("frames", path)
        self.assertEqual((found["frames"], found["stutters"]), (1000, 1))
        self.assertAlmostEqual(found["low_1"]["mean_of_worst"], 20.0)
        self.assertEqual(set(found["time_beyond_s"]), {"16.7", "33.3", "50"})
        self.assertEqual([w["code"] for w in found["warnings"]][:1], ["few-frames-0.001"])
        self.assertNotIn("average_fps", found["ci"], "ten seconds cannot tell")
        _, out, _ = self.run_command("frames", path)
        self.assertIn("96.15 fps on average", out)
        path.write_text("frame time [ms]\n" + "".join(f"{ms:.1f}\n" for ms in np.tile(SLOW_ONES, 6)))
        found = self.json_of("frames", path)
        low, high = found["ci"]["average_fps"]
        self.assertTrue(low <= found["average_fps"] <= high)
        path.write_text("time [s],fps\n1,60\n2,61\n")
        status, _, err = self.run_command("frames", path)
        self.assertEqual((status, "rates, not single frames" in err), (2, True))
