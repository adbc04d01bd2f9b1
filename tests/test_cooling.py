"""Time constants against the solution of the linear circuit, and against the coolers of the rig."""

import math
import unittest

import numpy as np
from scipy import optimize, signal

from pinch.core.cooling import HeatFit, fit_heat
from pinch.core.errors import DataError
from pinch.rig import catalogue
from pinch.rig.catalogue import RigDevice
from pinch.rig.device import simulate_run


def two_terms(t: np.ndarray, watts: float, start: float) -> np.ndarray:
    """Warm-up of two first-order parts after a step of power (textbook: R·P·(1 − e^(−t/τ)))."""
    since = np.maximum(0.0, t - start)
    return 22.0 + watts * (0.4 * (1 - np.exp(-since / 8.0)) + 1.1 * (1 - np.exp(-since / 150.0)))


class TestFit(unittest.TestCase):
    def test_a_step_gives_its_constants_back(self) -> None:
        t = np.arange(1.0, 1201.0)
        power = np.where(t <= 60.0, 0.0, 20.0)
        fit = fit_heat(t, power, two_terms(t, 20.0, 60.0))
        np.testing.assert_allclose(fit.tau, [8.0, 150.0], rtol=1e-3)
        np.testing.assert_allclose(fit.r, [0.4, 1.1], rtol=1e-3)
        self.assertAlmostEqual(fit.base_c, 22.0, places=2)
        self.assertLess(fit.rms_k, 0.01)

    def test_the_path_as_scipy_simulates_it(self) -> None:
        power = np.repeat([5.0, 45.0, 30.0, 12.0, 38.0], [40, 90, 200, 60, 110])
        r, tau = np.array([0.4, 1.1]), np.array([8.0, 150.0])
        fit = HeatFit(r, tau, 22.0, 0.0, np.zeros(2), 0.0)
        above, t = np.append(power, power[-1]) - power[0], np.arange(len(power) + 1.0)
        parts = [signal.lsim(([a], [b, 1.0]), above, t, interp=False)[1] for a, b in zip(r, tau, strict=True)]
        np.testing.assert_allclose(fit.temperature(power, 1.0), 22.0 + 1.5 * power[0] + sum(parts)[1:], atol=1e-9)

    def test_no_other_constants_leave_less_as_scipy_searches_them(self) -> None:
        rng = np.random.default_rng(5)
        t = np.arange(1.0, 701.0)  # all of a record as short as this is fitted
        power = np.where(t <= 30.0, 2.0, 30.0) + rng.normal(0, 0.5, len(t))
        temp = two_terms(t, 28.0, 30.0) + rng.normal(0, 0.3, len(t))
        fit = fit_heat(t, power, temp)

        def left(tau: np.ndarray) -> float:
            filters = [signal.lfilter([1 - k], [1, -k], power - power[0]) for k in np.exp(-1.0 / np.exp(tau))]
            columns = np.column_stack([*(f + power[0] for f in filters), np.ones(len(t)), -np.ones(len(t))])
            return float(optimize.nnls(columns, temp)[1])

        options = {"xatol": 1e-9, "fatol": 1e-12, "maxiter": 2000}
        found = optimize.minimize(left, np.log([5.0, 100.0]), method="Nelder-Mead", options=options)
        self.assertEqual(len(fit.tau), 2)
        np.testing.assert_allclose(fit.tau, np.exp(found.x), rtol=1e-3)
        self.assertAlmostEqual(fit.rms_k, found.fun / math.sqrt(len(t)), places=7)

    def test_rounding_moves_nothing(self) -> None:
        even = simulate_run(catalogue.GANNET, catalogue.GANNET.setting("20 W"), catalogue.TILE, 900, 22.0, 1).log.even()
        power, temp = even.columns["cpu.power"], even.columns["cpu.temp"]
        fits = [fit_heat(even.starts, power * (1.0 + by), temp, 22.0, 1.0) for by in (0.0, 1e-13, -3e-13)]
        for other in fits[1:]:
            np.testing.assert_allclose(other.tau, fits[0].tau, rtol=1e-8)

    def test_one_part_needs_one_term(self) -> None:
        t = np.arange(1.0, 901.0)
        power = np.where(t <= 30.0, 2.0, 30.0)
        rng = np.random.default_rng(3)
        temp = 25.0 + 0.9 * 2.0 + 0.9 * 28.0 * (1 - np.exp(-np.maximum(0.0, t - 30.0) / 90.0))
        fit = fit_heat(t, power, temp + rng.normal(0, 0.2, len(t)))
        self.assertEqual(len(fit.tau), 1)
        self.assertAlmostEqual(fit.tau[0], 90.0, delta=3.0)
        self.assertAlmostEqual(fit.r[0], 0.9, delta=0.02)
        self.assertAlmostEqual(fit.rms_k, 0.2, delta=0.03)

    def test_the_rigs_coolers_are_found(self) -> None:
        # truth: the eigenvalues of the two-node circuit die–sink–ambient and the sum of its resistances
        for device, setting in ((catalogue.SANDPIPER, "Full"), (catalogue.LIMPET, "Stock"), (catalogue.GANNET, "20 W")):
            with self.subTest(device.name):
                even = simulate_run(device, device.setting(setting), catalogue.TILE, 900, 22.0, 1).log.even()
                fit = fit_heat(even.starts, even.columns["cpu.power"], even.columns["cpu.temp"])
                np.testing.assert_allclose(fit.tau, true_taus(device), rtol=0.04)
                whole = device.cooler.die_r + device.cooler.sink_r
                self.assertAlmostEqual(float(fit.r.sum()), whole, delta=0.02)
                self.assertAlmostEqual(fit.base_c, 22.0, delta=0.2)

    def test_a_gap_does_not_spoil_it(self) -> None:
        t = np.arange(1.0, 1201.0)
        power, temp = np.where(t <= 60.0, 0.0, 20.0), two_terms(t, 20.0, 60.0)
        temp[300:340] = np.nan
        power[300:340] = np.nan
        np.testing.assert_allclose(fit_heat(t, power, temp).tau, [8.0, 150.0], rtol=5e-3)

    def test_a_power_sensor_that_tells_none_is_refused(self) -> None:
        t = np.arange(1.0, 601.0)
        for offset_u in (0.0, 1.0):
            with self.assertRaisesRegex(DataError, "power or temperature does not change"):
                fit_heat(t, np.zeros(600), 22.0 + 5.0 * (1.0 - np.exp(-t / 50.0)), 22.0, offset_u)

    def test_what_tells_nothing_is_refused(self) -> None:
        t = np.arange(1.0, 601.0)
        warm = two_terms(t, 20.0, 60.0)
        for words, arguments in (
            ("too short", (t[:60], np.ones(60), warm[:60])),
            ("does not change", (t, np.full(600, 5.0), warm)),
            ("does not change", (t, np.full(600, np.nan), warm)),
            ("does not follow", (t, np.where(t < 60, 20.0, 1.0), warm)),
        ):
            with self.subTest(words), self.assertRaisesRegex(DataError, words):
                fit_heat(*arguments)


class TestCoolDown(unittest.TestCase):
    def test_one_term_by_hand(self) -> None:
        fit = HeatFit(np.array([1.5]), np.array([100.0]), 22.0, 0.1, np.zeros(1), 0.01)
        # 1.5 K/W × 40 W = 60 K; to 2 K: 100 s × ln 30
        self.assertAlmostEqual(fit.cool_down_s(44.0, 4.0, 2.0), 100.0 * math.log(30.0), places=3)

    def test_two_terms_decay_together(self) -> None:
        fit = HeatFit(np.array([0.5, 1.0]), np.array([5.0, 120.0]), 22.0, 0.1, np.zeros(2), 0.01)
        wait = fit.cool_down_s(30.0, 0.0, 2.0)
        left = 15.0 * math.exp(-wait / 5.0) + 30.0 * math.exp(-wait / 120.0)
        self.assertAlmostEqual(left, 2.0, places=6)

    def test_what_is_not_hot_needs_no_wait(self) -> None:
        fit = HeatFit(np.array([0.5]), np.array([50.0]), 22.0, 0.1, np.zeros(1), 0.01)
        self.assertEqual(fit.cool_down_s(6.0, 4.0, 2.0), 0.0)
        self.assertEqual(fit.cool_down_s(3.0, 4.0, 2.0), 0.0)


def true_taus(device: RigDevice) -> np.ndarray:
    cooler = device.cooler
    g1, g2 = 1.0 / cooler.die_r, 1.0 / cooler.sink_r
    rate = np.array([[-g1 / cooler.die_c, g1 / cooler.die_c], [g1 / cooler.sink_c, -(g1 + g2) / cooler.sink_c]])
    return np.sort(-1.0 / np.linalg.eigvals(rate))
