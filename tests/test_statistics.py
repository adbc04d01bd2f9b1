"""Statistics against certified values: NIST StRD, the NIST/SEMATECH e-Handbook, identities."""

import csv
import math
import unittest
from pathlib import Path

import numpy as np
from scipy import ndimage
from scipy.stats import linregress, theilslopes

from pinch.core import changepoint, nearby, robust, settle
from pinch.core.running import Running

DATA = Path(__file__).parent / "data"


def lew() -> np.ndarray:
    return np.loadtxt(DATA / "lew.csv")


class TestSerialCorrelation(unittest.TestCase):
    def test_lew_mean_sd_and_lag_one(self) -> None:
        # NIST StRD, univariate set Lew: certified mean −177.435, sd 277.332168044316, r1 −0.307304800605679.
        values = lew()
        self.assertEqual(len(values), 200)
        self.assertAlmostEqual(values.mean(), -177.435, places=9)
        self.assertAlmostEqual(values.std(ddof=1), 277.332168044316, places=9)
        self.assertAlmostEqual(robust.autocorrelation(values, 1)[0], -0.307304800605679, places=12)

    def test_lew_fifty_lags(self) -> None:
        # e-Handbook 1.3.5.12 prints the first 50 lags to two decimals.
        printed = np.loadtxt(DATA / "lew_acf_nist.csv")[1:]
        np.testing.assert_allclose(robust.autocorrelation(lew(), len(printed)), printed, atol=0.006)

    def test_a_big_offset_does_not_hurt(self) -> None:
        # NIST StRD NumAcc4 (from memory): 1e7 + 0.2, then 1e7 + 0.1 and 1e7 + 0.3 five hundred times; r1 = −0.999.
        values = 1e7 + np.array([0.2] + [0.1, 0.3] * 500)
        self.assertAlmostEqual(robust.autocorrelation(values, 1)[0], -0.999, places=6)
        self.assertAlmostEqual(values.std(ddof=1), 0.1, places=7)

    def test_constant_values_have_no_correlation(self) -> None:
        np.testing.assert_array_equal(robust.autocorrelation(np.full(50, 45.123), 3), [0, 0, 0])

    def test_effective_number_of_samples(self) -> None:
        # Identity n(1 − r)/(1 + r).
        self.assertAlmostEqual(robust.effective_samples(100, 0.5), 33.3333, places=4)
        self.assertAlmostEqual(robust.effective_samples(1000, 0.9), 52.6316, places=4)

    def test_effective_number_by_simulation(self) -> None:
        rng = np.random.default_rng(11)
        means = []
        for _ in range(2000):
            e = rng.standard_normal(400)
            x = np.empty(400)
            x[0] = e[0] / np.sqrt(1 - 0.36)
            for i in range(1, 400):
                x[i] = 0.6 * x[i - 1] + e[i]
            means.append(x.mean())
        variance = 1 / (1 - 0.36)
        self.assertAlmostEqual(variance / np.var(means) / robust.effective_samples(400, 0.6), 1.0, delta=0.08)


class TestScaleAndSlope(unittest.TestCase):
    def test_mad_of_a_normal_sample_is_its_sd(self) -> None:
        # 1/z(0.75) = 1.482602218505602, a closed form.
        self.assertAlmostEqual(robust.MAD_TO_SD, 1.482602218505602, places=15)
        values = np.random.default_rng(5).normal(20, 3, 20000)
        self.assertAlmostEqual(robust.mad_sd(values), 3.0, delta=0.06)

    def test_noise_is_blind_to_slow_change(self) -> None:
        rng = np.random.default_rng(6)
        values = np.linspace(0, 500, 5000) + rng.normal(0, 2, 5000)
        self.assertAlmostEqual(robust.noise_sd(values), 2.0, delta=0.1)

    def test_slope_on_a_certified_line(self) -> None:
        # NIST StRD Norris: slope 1.00211681802045. Theil–Sen is another estimator: it must agree within its interval.
        rows = [line.split() for line in (DATA / "Norris.dat").read_text().splitlines()]
        pairs = np.array([[float(x) for x in r] for r in rows if len(r) == 2 and all(_number(x) for x in r)])[-36:]
        order = np.argsort(pairs[:, 1])
        y, x = pairs[order].T
        self.assertAlmostEqual(linregress(x, y).slope, 1.00211681802045, places=12)
        slope = robust.theil_sen(x, y)
        self.assertTrue(slope.low <= 1.00211681802045 <= slope.high)
        self.assertAlmostEqual(slope.value, 1.0021168, delta=0.002)

    def test_slope_and_interval_as_scipy_has_them(self) -> None:
        # scipy.stats.theilslopes as the reference, with and without tied values.
        rng = np.random.default_rng(10)
        for digits in (6, 0):
            t, v = np.arange(40.0), np.round(rng.normal(0, 3, 40) + 0.05 * np.arange(40), digits)
            ours, theirs = robust.theil_sen(t, v), theilslopes(v, t)
            self.assertAlmostEqual(ours.value, theirs.slope, places=12)
            self.assertAlmostEqual(ours.low, theirs.low_slope, places=12)
            self.assertAlmostEqual(ours.high, theirs.high_slope, places=12)

    def test_no_slope_in_noise_and_a_slope_in_a_drift(self) -> None:
        rng = np.random.default_rng(8)
        t, noise = np.arange(600.0), rng.normal(0, 1, 600)
        self.assertTrue(robust.theil_sen(t, noise).holds_zero)
        self.assertFalse(robust.theil_sen(t, noise + 0.01 * t).holds_zero)


def _number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


class TestRunning(unittest.TestCase):
    """Against `math.fsum`, which sums exactly, and the two-pass formula on exact deviations."""

    def both(self, values: list[float]) -> tuple[Running, float, float]:
        running = Running()
        for value in values:
            running.add(value)
        mean = math.fsum(values) / len(values)
        return running, mean, math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1))

    def test_a_day_of_small_wobbles_on_a_large_level(self) -> None:
        rng = np.random.default_rng(4)
        running, mean, deviation = self.both((1e9 + 1e-3 * rng.standard_normal(86_400)).tolist())
        self.assertAlmostEqual(running.mean, mean, delta=2e-7)
        self.assertAlmostEqual(running.deviation / deviation, 1.0, places=5)

    def test_nist_numacc4(self) -> None:
        # NIST StRD univariate, NumAcc4: certified mean 10000000.2, standard deviation 0.1.
        values = [10000000.2] + [10000000.1, 10000000.3] * 500
        running, _, _ = self.both(values)
        self.assertAlmostEqual(running.mean, 10000000.2, places=8)
        self.assertAlmostEqual(running.deviation, 0.1, places=7)
        self.assertEqual((running.count, running.low, running.high), (1001, 10000000.1, 10000000.3))

    def test_large_terms_that_cancel(self) -> None:
        running, mean, _ = self.both([1e16, 1.0, -1e16, 1.0] * 50)
        self.assertAlmostEqual(running.mean, mean, delta=0.6)
        running.add(math.nan)
        self.assertEqual(running.count, 200)
        self.assertTrue(math.isnan(Running().mean))
        self.assertTrue(math.isnan(Running().deviation))


class TestChangePoint(unittest.TestCase):
    def test_nile(self) -> None:
        # Cobb 1978, Biometrika 65: the flow of the Nile falls after 1898; means 1097.75 and 849.9722; the residual
        # sums 2835157 and 1597457 are those of R's strucchange example (from memory).
        with open(DATA / "nile.csv") as file:
            rows = [r for r in csv.reader(file) if r and r[0].strip('"').isdigit()]
        years, flow = np.array([[float(r[-2]), float(r[-1])] for r in rows]).T
        split = changepoint.best_split(flow)
        self.assertEqual(years[split.index - 1], 1898)
        self.assertAlmostEqual(split.before, 1097.75, places=2)
        self.assertAlmostEqual(split.after, 849.9722, places=4)
        self.assertAlmostEqual(split.rss_one, 2835157, delta=1)
        self.assertAlmostEqual(split.rss_two, 1597457, delta=1)

    def test_first_level_of_three(self) -> None:
        rng = np.random.default_rng(9)
        values = np.concatenate([np.full(30, 64.0), np.full(100, 45.0), np.full(200, 37.0)]) + rng.normal(0, 0.3, 330)
        self.assertEqual(changepoint.first_level(values, 0.04), 30)

    def test_one_level_has_no_first(self) -> None:
        self.assertIsNone(changepoint.first_level(np.random.default_rng(1).normal(45, 0.5, 400), 0.04))


class TestTransient(unittest.TestCase):
    def test_known_transient_is_cut_exactly(self) -> None:
        # White 1997: 20 samples of 10, then ±1; the least marginal standard error leaves out just those 20.
        values = np.concatenate([np.full(20, 10.0), np.tile([1.0, -1.0], 90)])
        self.assertEqual(settle.mser(values, batch=1), 20)
        self.assertEqual(settle.mser(values), 20)

    def test_first_order_decay(self) -> None:
        # Golden value of two routes: 50 + 30 e^(−t/40) ± 0.5, d = 159; untruncated bias 2.025104, remaining 0.050607.
        t = np.arange(600.0)
        values = 50 + 30 * np.exp(-t / 40) + np.where(t % 2 == 0, 0.5, -0.5)
        self.assertEqual(settle.mser(values, batch=1), 159)
        self.assertAlmostEqual(values.mean() - 50, 2.025104, places=6)
        self.assertAlmostEqual(values[159:].mean() - 50, 0.050607, delta=0.002)

    def test_at_most_half_is_cut(self) -> None:
        self.assertLessEqual(settle.mser(np.linspace(0, 100, 1000)), 500)


class TestNearby(unittest.TestCase):
    def test_as_scipy_filters(self) -> None:
        rng = np.random.default_rng(2)
        for n in (2, 7, 300):
            x, two = rng.normal(size=n), rng.normal(size=(2, n))
            past = ndimage.maximum_filter1d(x, 13, origin=6, mode="nearest")
            np.testing.assert_array_equal(nearby.running_max(x, 12, 0), past)
            np.testing.assert_array_equal(nearby.running_min(x, 3, 3), ndimage.minimum_filter1d(x, 7, mode="nearest"))
            np.testing.assert_allclose(nearby.running_mean(x, 2), ndimage.uniform_filter1d(x, 5, mode="nearest"))
            middle = ndimage.median_filter(two, size=(1, 5), mode="nearest")
            np.testing.assert_array_equal(nearby.running_median(two, 2), middle)

    def test_holes_are_filled_and_the_ends_stay(self) -> None:
        mask = np.array([1, 1, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0, 1], dtype=bool)
        filled = np.array([1, 1, 1, 1, 1, 0, 0, 0, 0, 0, 1, 1, 1], dtype=bool)
        np.testing.assert_array_equal(nearby.closed(mask, 2), filled)
        inside = np.pad(mask, 5)
        np.testing.assert_array_equal(nearby.closed(inside, 2), ndimage.binary_closing(inside, np.ones(5, dtype=bool)))
