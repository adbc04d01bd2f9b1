"""The rig: its physics against closed forms and scipy, its tree against the probe's own reading."""

import math
import unittest

import numpy as np
from scipy.integrate import solve_ivp

from pinch.core.errors import PinchError
from pinch.rig import catalogue
from pinch.rig.device import SimulatedDevice, simulate_run
from pinch.rig.hardware import Cooler, HeatControl, HeatGovernor, HeatPath, StairsLimiter


class TestHeatPath(unittest.TestCase):
    COOLER = Cooler(die_r=0.5, sink_r=1.5, die_c=20.0, sink_c=200.0)

    def test_two_nodes_against_solve_ivp(self) -> None:
        def rate(_: float, y: np.ndarray) -> list[float]:
            flow = (y[0] - y[1]) / 0.5
            return [(15 - flow) / 20, (flow - y[1] / 1.5) / 200]

        solved = solve_ivp(rate, (0, 600), [0, 0], rtol=1e-10, atol=1e-10, t_eval=np.arange(0, 601, 60.0))
        path = HeatPath(self.COOLER, 25.0, 0.1)
        for i, t in enumerate(solved.t):
            self.assertAlmostEqual(path.die_c - 25, solved.y[0][i], places=6, msg=f"{t} s")
            self.assertAlmostEqual(path.sink_c - 25, solved.y[1][i], places=6)
            for _ in range(600):
                path.step(15.0)

    def test_published_shape_of_the_same_network(self) -> None:
        # Closed form of the two-node network: final rises 30.0 and 22.5 K; T1 at 10 s 4.816233, at 300 s 20.364534.
        path = HeatPath(self.COOLER, 0.0, 0.1)
        seen = {}
        for step in range(1, 60001):
            path.step(15.0)
            if step in (100, 3000):
                seen[step] = path.die_c
        self.assertAlmostEqual(seen[100], 4.816233, places=5)
        self.assertAlmostEqual(seen[3000], 20.364534, places=5)
        self.assertAlmostEqual(path.die_c, 30.0, places=5)
        self.assertAlmostEqual(path.sink_c, 22.5, places=5)


class TestChip(unittest.TestCase):
    def test_clock_and_power_are_inverse(self) -> None:
        chip = catalogue.TARN_T8
        for watts in (12.0, 28.0, 45.0):
            clock = chip.clock_for(watts, 70.0, 1.0, chip.ceiling_ghz)
            self.assertAlmostEqual(chip.power_at(clock, 70.0, 1.0), watts, delta=0.02)

    def test_leakage_costs_clock(self) -> None:
        chip = catalogue.TARN_T8
        self.assertLess(chip.clock_for(28.0, 90.0, 1.0, 5.0), chip.clock_for(28.0, 40.0, 1.0, 5.0))

    def test_smooth_governor_holds_the_limit(self) -> None:
        path, dt = HeatPath(Cooler(0.5, 1.5, 10.0, 60.0), 30.0, 0.1), 0.1
        governor = HeatGovernor(HeatControl(), 90.0, 60.0, 4.0, dt)
        for _ in range(20000):
            power = min(55.0, governor.allowed_w())
            path.step(power)
            governor.step(path.die_c, power)
        self.assertAlmostEqual(path.die_c, 90.0, delta=0.5)
        self.assertAlmostEqual(power, 30.0, delta=0.5)  # (90 − 30) / 2 K/W


class TestDevice(unittest.TestCase):
    def test_same_seed_same_numbers(self) -> None:
        setting = catalogue.GANNET.setting("16 W")
        one, two, other = (simulate_run(catalogue.GANNET, setting, catalogue.TILE, 60, seed=s) for s in (4, 4, 5))
        for name, series in one.log.series.items():
            np.testing.assert_array_equal(series.values, two.log.series[name].values)
        self.assertFalse(np.array_equal(one.log.series["cpu.power"].values, other.log.series["cpu.power"].values))

    def test_energy_is_the_sum_of_power(self) -> None:
        sim = SimulatedDevice(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Even"))
        sim.start(catalogue.TILE)
        before, total = sim.state().energy_j, 0.0
        for _ in range(300):
            sim.advance(0.1)
            total += sim.state().power_w * 0.1
        self.assertAlmostEqual(sim.state().energy_j - before, total, places=6)

    def test_settled_temperature_follows_the_resistances(self) -> None:
        run = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 1500)
        rise = run.log.series["cpu.temp"].values[-100:].mean() - 22.0
        watts = run.log.series["cpu.power"].values[-100:].mean()
        self.assertAlmostEqual(rise / watts, 0.42 + 0.98, delta=0.02)

    def test_frame_cap_holds_and_saves_power(self) -> None:
        setting = catalogue.SANDPIPER.setting("Full")
        capped = simulate_run(catalogue.SANDPIPER, setting, catalogue.SKERRY_CAPPED, 120).log
        free = simulate_run(catalogue.SANDPIPER, setting, catalogue.SKERRY, 120).log
        self.assertAlmostEqual(np.nanmean(capped.series["frame.rate"].values[-60:]), 40.0, delta=0.8)
        self.assertLess(
            capped.series["cpu.power"].values[-60:].mean(), 0.7 * free.series["cpu.power"].values[-60:].mean()
        )

    def test_graphics_share_the_budget_and_a_lock_keeps_them_from_their_limit(self) -> None:
        shared = simulate_run(catalogue.GANNET, catalogue.GANNET.setting("20 W"), catalogue.LANTERN, 120).log.series
        total = shared["cpu.power"].values[-60:] + shared["gpu.power"].values[-60:]
        self.assertAlmostEqual(float(total.mean()), 20.0, delta=0.3)
        free, locked = (
            simulate_run(catalogue.LIMPET, catalogue.LIMPET.setting(name), catalogue.LANTERN, 600, 31.0).log.series
            for name in ("45 W", "45 W, graphics lock 1.8")
        )
        limit = catalogue.T8_GRAPHICS.temp_limit_c
        self.assertAlmostEqual(float(free["gpu.temp"].values.max()), limit, delta=0.6)
        self.assertLess(float(locked["gpu.temp"].values.max()), limit)
        self.assertAlmostEqual(float(locked["gpu.clock"].values[-300:].mean()), 1800.0, delta=2.0)
        with self.assertRaisesRegex(PinchError, "no graphics that Lantern Deep could run on"):
            simulate_run(catalogue.SANDPIPER_OLD, catalogue.SANDPIPER_OLD.setting("Full"), catalogue.LANTERN, 2)

    def test_stairs_go_by_the_time_under_load(self) -> None:
        limiter = StairsLimiter(30.0, ((45.0, 28.0), (36.0, 100.0)), 1.0)
        limiter.rest(2.5)
        seen = []
        for power in (*[4.0] * 9, *[40.0] * 120, 4.0, 40.0):
            seen.append(limiter.allowed_w())
            limiter.step(power)
        self.assertEqual([seen.count(w) for w in (45.0, 36.0, 30.0)], [9 + 28 + 1, 72, 131 - 38 - 72])

    def test_pauses_rest(self) -> None:
        run = simulate_run(catalogue.LIMPET, catalogue.LIMPET.setting("Stock"), catalogue.TILE, 120, pauses=((60, 80),))
        self.assertLess(run.log.series["cpu.power"].values[20 + 65 : 20 + 79].max(), 6.0)
        self.assertEqual(set(run.truth[20 + 62 : 20 + 78]), {"waiting"})

    def test_unknown_names_list_the_known_ones(self) -> None:
        with self.assertRaisesRegex(PinchError, "sandpiper"):
            catalogue.device("nothing")
        with self.assertRaisesRegex(PinchError, "Hush"):
            catalogue.SANDPIPER.setting("Loud")
        self.assertEqual(catalogue.device("Limpet").key, "limpet")

    def test_burst_of_a_device_keeps_the_closed_form(self) -> None:
        run = simulate_run(catalogue.SANDPIPER_OLD, catalogue.SANDPIPER_OLD.setting("Full"), catalogue.TILE, 100)
        bursts = sum(t == "burst-power" for t in run.truth)
        power = run.log.series["cpu.power"].values
        expected = 28 * math.log((50 - power[:15].mean()) / (50 - power[-30:].mean()))
        self.assertAlmostEqual(bursts, expected, delta=1.0)
