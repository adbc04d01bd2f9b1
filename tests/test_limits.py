"""Burst, limits and window of a two-level limiter, against the closed form and against the rig."""

import math
import unittest

import numpy as np

from pinch.core.figures import Estimate
from pinch.core.judge import judge
from pinch.core.known import Known
from pinch.core.limits import burst_length_s, window_from_burst
from pinch.rig import catalogue
from pinch.rig.device import simulate_run
from pinch.rig.hardware import TwoLevelLimiter
from tests import made


class TestClosedForm(unittest.TestCase):
    def test_burst_length(self) -> None:
        # First-order equation τ dA/dt = P − A: t = τ ln((P2 − P0)/(P2 − P1)); 28 s, 5 → 35 under 60 W: 22.0768 s.
        self.assertAlmostEqual(burst_length_s(5, 35, 60, 28), 22.0768, places=4)
        self.assertAlmostEqual(burst_length_s(0, 30, 60, 28), 28 * math.log(2), places=9)
        self.assertTrue(math.isnan(burst_length_s(5, 60, 35, 28)))

    def test_window_is_its_inverse(self) -> None:
        length = Estimate(burst_length_s(5, 35, 60, 28), 0.1, "s")
        tau = window_from_burst(5, Estimate(35, 0.0, "W"), Estimate(60, 0.0, "W"), length)
        self.assertAlmostEqual(tau.value, 28.0, places=9)
        self.assertAlmostEqual(tau.u, 0.1 / math.log(55 / 25), places=9)

    def test_window_uncertainty_by_simulation(self) -> None:
        # JCGM 101: propagation by simulation must agree with the first-order formula.
        rng = np.random.default_rng(2)
        p1, p2, tb = rng.normal(35, 0.1, 40000), rng.normal(60, 0.1, 40000), rng.normal(22.08, 0.15, 40000)
        simulated = np.std(tb / np.log((p2 - 5) / (p2 - p1)))
        tau = window_from_burst(5, Estimate(35, 0.1, "W"), Estimate(60, 0.1, "W"), Estimate(22.08, 0.15, "s"))
        self.assertAlmostEqual(tau.u / simulated, 1.0, delta=0.03)

    def test_stepwise_limiter_keeps_the_closed_form(self) -> None:
        dt, limiter = 0.01, TwoLevelLimiter(35.0, 60.0, 28.0, 0.01)
        limiter.average_w = 5.0
        seconds = 0.0
        while limiter.allowed_w() > 59.9:
            limiter.step(60.0)
            seconds += dt
        self.assertAlmostEqual(seconds, 22.0768, delta=2 * dt)
        for _ in range(5000):
            limiter.step(limiter.allowed_w())
        self.assertAlmostEqual(limiter.allowed_w(), 35.0, places=6)


class TestRecovered(unittest.TestCase):
    def test_limits_of_every_clean_setting_of_the_rig(self) -> None:
        for name in ("Even", "Full", "22 W", "35 W"):
            with self.subTest(name):
                setting = catalogue.SANDPIPER.setting(name)
                log = simulate_run(catalogue.SANDPIPER, setting, catalogue.TILE, 400, seed=3).log
                limits = judge(log, Known(temp_limit_c=95.0)).limits
                self.assertAlmostEqual(limits.burst.value, setting.burst_w, delta=0.01 * setting.burst_w)
                self.assertAlmostEqual(limits.sustained.value, setting.sustained_w, delta=0.02 * setting.sustained_w)
                self.assertLess(abs(limits.window_s.value - 28.0), max(2.5 * limits.window_s.u, 1.0))
                self.assertFalse(limits.bounded)

    def test_a_log_that_begins_under_load_claims_no_window(self) -> None:
        judged = judge(made.two_level(idle=0))
        self.assertTrue(math.isnan(judged.limits.window_s.value))
        self.assertAlmostEqual(judged.limits.burst.value, 60.0, delta=0.2)
        self.assertIn("no-idle", [w.code for w in judged.warnings])

    def test_part_of_a_second_is_not_lost(self) -> None:
        # The burst ends 0.4 s into a bin: that bin's mean gives it away.
        p = np.concatenate([np.full(20, 4.0), np.full(30, 60.0), [0.4 * 60 + 0.6 * 35], np.full(300, 35.0)])
        p += np.random.default_rng(1).normal(0, 0.02, len(p))
        self.assertAlmostEqual(judge(made.log(cpu_power=p)).limits.burst_s.value, 30.4, delta=0.1)

    def test_no_burst_without_a_higher_plateau(self) -> None:
        judged = judge(made.two_level(burst=30, p2=35.5, p1=35.0))
        self.assertFalse(judged.limits.burst.known)
        self.assertAlmostEqual(judged.figures["cpu.power"].hold, 1.0, delta=0.03)
