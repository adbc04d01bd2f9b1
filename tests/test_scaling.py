"""The concave curve and the 95 % rule."""

import math
import unittest

import numpy as np
from scipy.optimize import minimize

from pinch.core.concave import fit_concave
from pinch.core.errors import DataError
from pinch.core.scaling import Point, cells_by_power, scale


def points(power: list[float], score: list[float]) -> list[Point]:
    return [Point(f"{p:g} W", p, s) for p, s in zip(power, score, strict=True)]


class TestCurve(unittest.TestCase):
    def test_concave_points_are_kept_as_they_are(self) -> None:
        p = np.array([7.0, 10, 15, 20, 30, 45])
        np.testing.assert_allclose(fit_concave(p, np.sqrt(p)).score, np.sqrt(p), rtol=1e-9)

    def test_same_as_a_general_solver(self) -> None:
        # The same least-squares problem given to scipy's SLSQP with explicit shape constraints: an independent route.
        rng = np.random.default_rng(12)
        p = np.array([7.0, 9, 12, 16, 21, 27, 35])
        for _ in range(5):
            y = 40 * p**0.4 + rng.normal(0, 6, len(p))
            shape = [{"type": "ineq", "fun": lambda g: np.diff(g)}]
            shape += [{"type": "ineq", "fun": lambda g: -np.diff(np.diff(g) / np.diff(p))}]
            options = {"maxiter": 500, "ftol": 1e-14}
            solved = minimize(lambda g, y=y: ((g - y) ** 2).sum(), np.sort(y), constraints=shape, options=options)
            ours = fit_concave(p, y)
            self.assertLessEqual(((ours.score - y) ** 2).sum(), solved.fun * (1 + 1e-6))
            np.testing.assert_allclose(ours.score, solved.x, rtol=2e-3)

    def test_shape_holds_whatever_the_points(self) -> None:
        rng = np.random.default_rng(13)
        for _ in range(30):
            p = np.sort(rng.uniform(5, 60, 9))
            curve = fit_concave(p, rng.uniform(0, 100, 9))
            slopes = np.diff(curve.score) / np.diff(curve.power)
            self.assertTrue((slopes >= -1e-9).all())
            self.assertTrue((np.diff(slopes) <= 1e-6 * max(1.0, np.abs(slopes).max())).all())

    def test_nothing_is_said_outside_the_measured_range(self) -> None:
        curve = fit_concave(np.array([10.0, 20, 30]), np.array([1.0, 2, 2.5]))
        self.assertTrue(np.isnan(curve.at(np.array([9.9, 30.1]))).all())
        self.assertTrue(math.isnan(curve.least_power_for(2.6)))

    def test_two_powers_make_no_curve(self) -> None:
        with self.assertRaisesRegex(DataError, "three different powers"):
            fit_concave(np.array([10.0, 10, 20]), np.array([1.0, 1, 2]))


class TestSweetSpot(unittest.TestCase):
    def test_95_percent_of_a_known_curve(self) -> None:
        # y = 1 − e^(−P/10) on a fine ladder: 0.95 of the best at 50 W is at −10 ln(1 − 0.95 (1 − e^(−5))), closed form.
        p = np.arange(2.0, 51.0)
        s = scale(points(list(p), list(100 * (1 - np.exp(-p / 10)))))
        self.assertAlmostEqual(s.nearly_all.power_w, -10 * math.log(1 - 0.95 * (1 - math.exp(-5))), delta=0.05)

    def test_interval_covers_the_truth_and_needs_repeats(self) -> None:
        rng = np.random.default_rng(14)
        watts = [8.0, 12, 18, 26, 36, 48]
        truth = scale(points(watts, [10 * w**0.5 for w in watts])).nearly_all.power_w
        runs = [
            Point(f"{w:g}", w * (1 + rng.normal(0, 0.003)), 10 * w**0.5 * (1 + rng.normal(0, 0.01)))
            for w in watts
            for _ in range(5)
        ]
        s = scale(runs)
        self.assertTrue(s.nearly_all.low_w <= truth <= s.nearly_all.high_w)
        self.assertLess(s.nearly_all.high_w - s.nearly_all.low_w, 8)
        self.assertEqual(scale(runs).nearly_all, s.nearly_all, "fixed seed")
        single = scale(points(watts, [10 * w**0.5 for w in watts]))
        self.assertTrue(math.isnan(single.nearly_all.low_w))
        self.assertIn("single-runs", [w.code for w in single.warnings])

    def test_target(self) -> None:
        s = scale(points([10, 20, 30, 40], [30, 50, 62, 70]), target=60)
        self.assertTrue(20 < s.target_w < 30)
        self.assertTrue(math.isnan(scale(points([10, 20, 30], [30, 50, 62]), target=63).target_w))

    def test_more_watts_and_slower_is_flagged(self) -> None:
        s = scale(points([10, 20, 30, 40], [30, 50, 62, 55]))
        self.assertIn("falling", [w.code for w in s.warnings])

    def test_a_flat_curve_says_so(self) -> None:
        s = scale(points([10, 20, 30], [99, 100, 100]))
        self.assertEqual(s.nearly_all.power_w, 10)
        self.assertIn("flat", [w.code for w in s.warnings])

    def test_nonsense_is_refused(self) -> None:
        for power, score in ((-5.0, 10.0), (float("nan"), 10.0), (10.0, float("inf"))):
            with self.assertRaises(DataError):
                scale([*points([10, 20, 30], [1, 2, 3]), Point("x", power, score)])

    def test_repeats_are_found_by_their_power(self) -> None:
        self.assertEqual(cells_by_power([20.1, 10, 10.1, 20]), ["point 2", "point 1", "point 1", "point 2"])
