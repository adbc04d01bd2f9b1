"""The heat of a run: against a two-node network's closed form, statistics of repeated noise, and what is said without a
room."""

import math
import unittest
from pathlib import Path

import numpy as np
from scipy.signal import lfilter

from pinch.core.cooling import _fit, _Record, fit_heat
from pinch.core.errors import DataError
from pinch.core.heat import Heat, find_heat
from pinch.core.runlog import FloatArray, RunLog, Series

R, TAU = np.array([0.4, 1.2]), np.array([8.0, 140.0])
ROOM = 22.0


def answer(power: FloatArray, r: FloatArray = R, tau: FloatArray = TAU, start: FloatArray | None = None) -> FloatArray:
    """Temperature above the room for power held over each second, by the recursion of each term."""
    keep = np.exp(-1.0 / tau)
    state = np.asarray(r * power[0] if start is None else start, dtype=float)
    found = []
    for watts in power:
        state = keep * state + (1.0 - keep) * r * watts
        found.append(float(state.sum()))
    return np.array(found)


def log_of(power: FloatArray, temp: FloatArray, **more: FloatArray) -> RunLog:
    t = np.arange(1.0, len(power) + 1.0)
    columns = {"cpu.power": power, "cpu.temp": temp, **{k.replace("_", "."): v for k, v in more.items()}}
    return RunLog({name: Series(name, t, values) for name, values in columns.items()})


def heat_of(log: RunLog, room: float | None = ROOM, limit: float = 95.0, pinned: bool = False) -> Heat:
    return find_heat(log.even(1.0), "cpu.power", "cpu.temp", room, limit, 70.0, 30.0, pinned)


def step(load_s: int = 1200, watts: float = 30.0) -> FloatArray:
    return np.concatenate([np.full(30, 4.0), np.full(load_s, watts)])


class TestResistance(unittest.TestCase):
    def test_a_two_node_network(self) -> None:
        # R1 0.5, R2 1.5 K/W, C1 20, C2 200 J/K: closed form of its time constants, 9.0652306 and 330.9347694 s, and of
        # its Foster terms (Cauer to Foster, partial fractions); values of the project's list of checks, H2.
        tau = np.array([9.0652306, 330.9347694])
        a = np.array([[1.0, 1.0], [1.0 / tau[0], 1.0 / tau[1]]])
        r = np.linalg.solve(a, [2.0, 1.0 / 20.0])  # ΣR and the initial slope 1/C1
        power = np.concatenate([np.zeros(20), np.full(2400, 15.0)])
        above = answer(power, r, tau)
        self.assertAlmostEqual(above[20 + 60 - 1], 10.092803, delta=0.01)
        self.assertAlmostEqual(above[20 + 600 - 1], 26.107983, delta=0.01)
        temp = 25.0 + above + np.random.default_rng(2).normal(0.0, 0.2, len(power))
        heat = heat_of(log_of(power, temp), 25.0)
        self.assertAlmostEqual(heat.r_th.value / 2.0, 1.0, delta=0.01)
        np.testing.assert_allclose(heat.tau_s, tau, rtol=0.06)
        self.assertAlmostEqual(heat.fit.rms_k, 0.2, delta=0.02)

    def test_a_saturating_rise_that_is_certified(self) -> None:
        # NIST StRD Misra1a, y = b1 (1 − exp(−b2 x)): the answer of one term to a step of 1 W, b1 its R and 1/b2 its τ.
        lines = (Path(__file__).parent / "data" / "Misra1a.dat").read_text().splitlines()
        y, x = np.array([line.split() for line in lines[60:74]], dtype=float).T
        power, temp = np.ones(7700), np.full(7700, np.nan)
        power[0], rows = 0.0, np.round(x / 0.1).astype(int)
        temp[rows] = y
        fit, _ = _fit(_Record(power, temp, rows, 0.1, 0.0, noise_k=30.0), 1)  # at rest when it begins
        self.assertAlmostEqual(float(fit.r[0]) / 2.3894212918e02, 1.0, delta=2e-3)
        self.assertAlmostEqual(1.0 / float(fit.tau[0]) / 5.5015643181e-04, 1.0, delta=2e-3)
        self.assertAlmostEqual(fit.rms_k**2 * 14 / 1.2455138894e-01, 1.0, delta=3e-3)
        self.assertGreater(fit.r_th_u, 2.7070075241e00, "not narrower: what is left may be alike")

    def test_a_record_that_begins_hot(self) -> None:
        power = np.concatenate([np.full(200, 4.0), np.full(900, 25.0)])
        temp = ROOM + answer(power, start=R * 30.0)
        temp += np.random.default_rng(1).normal(0.0, 0.2, len(temp))
        self.assertAlmostEqual(heat_of(log_of(power, temp)).r_th.value / 1.6, 1.0, delta=0.02)

    def test_the_uncertainty_says_how_far_it_is_off(self) -> None:
        off = []
        for seed in range(24):
            rng = np.random.default_rng(seed)
            power = step(500)
            temp = ROOM + answer(power) + rng.normal(0.0, 0.5, len(power))
            fit = fit_heat(np.arange(len(power), dtype=float), power, temp, ROOM)
            off.append((fit.r_th - 1.6) / fit.r_th_u)
        self.assertLess(float(np.sqrt(np.mean(np.square(off)))), 1.6, "about 1 where it is right")
        self.assertGreater(float(np.sqrt(np.mean(np.square(off)))), 0.5)

    def test_a_warm_start_takes_no_resistance_for_an_offset(self) -> None:
        # Steps of 1 K and noise that is alike over 5 s: this record looks as if it had begun warm, with 11 K of offset.
        rng = np.random.default_rng(27)
        power = np.concatenate([np.full(60, 4.0), np.full(1200, 8.0)])
        noise = lfilter([0.3 * math.sqrt(1.0 - math.exp(-0.4))], [1.0, -math.exp(-0.2)], rng.normal(size=1260))
        r, room = np.array([0.8, 2.5]) * rng.uniform(0.8, 1.25, 2), ROOM + rng.uniform(-1.0, 1.0)
        temp = room + answer(power, r, np.array([6.0, 230.0]) * rng.uniform(0.8, 1.25, 2)) + noise
        heat = heat_of(log_of(np.round(power + rng.normal(0.0, 0.15, 1260), 1), np.round(temp)))
        self.assertLess(abs(heat.fit.offset_k), 3.4, "sensor and room may be off by 1.1 K")
        self.assertLess(abs(heat.r_th.value - r.sum()), 3.0 * heat.r_th.u)

    def test_the_fan_splits_the_record(self) -> None:
        power = step(1700)
        slow = np.arange(len(power)) < 600
        temp = np.where(slow, ROOM + 1.3 * answer(power), 0.0)
        state = 1.3 * R * power[599]
        temp[600:] = ROOM + answer(power[600:], start=state)
        fan = np.where(slow, 2000.0, 4000.0)
        heat = heat_of(log_of(power, temp, fan_1_speed=fan))
        self.assertAlmostEqual(heat.r_th.value / 1.6, 1.0, delta=0.02)
        self.assertEqual([n.code for n in heat.notes], ["fan-changed"])
        self.assertAlmostEqual(heat.start_s, 600.0, delta=3.0)

    def test_too_little_is_refused(self) -> None:
        with self.assertRaisesRegex(DataError, "does not change"):
            heat_of(log_of(np.full(400, 30.0), np.full(400, 60.0)))


class TestFigures(unittest.TestCase):
    def setUp(self) -> None:
        power = step()
        self.temp = ROOM + answer(power)
        self.log = log_of(power, self.temp)

    def test_coolable_power_headroom_and_25_degrees(self) -> None:
        heat = heat_of(self.log)
        self.assertAlmostEqual(heat.coolable_w.value, (95.0 - 22.0) / 1.6, delta=0.1)
        self.assertAlmostEqual(heat.coolable_25_w.value, 70.0 / 1.6, delta=0.1)
        self.assertAlmostEqual(heat.headroom_k, 25.0)
        self.assertAlmostEqual(heat.normal_c, 73.0, msg="70 °C in a room of 22 is 73 in one of 25")
        pinned = heat_of(self.log, pinned=True)
        self.assertTrue(math.isnan(pinned.normal_c), "a pinned temperature is not moved")

    def test_without_a_room(self) -> None:
        heat = heat_of(self.log, None)
        self.assertTrue(heat.offset_fitted)
        self.assertAlmostEqual(heat.room_c, ROOM, delta=0.3)
        self.assertFalse(heat.coolable_25_w.known)
        self.assertEqual([n.code for n in heat.notes], ["no-ambient"])
        told = log_of(step(), self.temp, ambient_temp=np.full(len(self.temp), ROOM))
        self.assertFalse(heat_of(told, None).offset_fitted, "the log itself tells the room")

    def test_where_a_drifting_run_leads_and_when(self) -> None:
        power = step(200)
        heat = heat_of(log_of(power, ROOM + answer(power)))
        self.assertAlmostEqual(heat.end_c, ROOM + 1.6 * 30.0, delta=0.5)
        slow_left = 1.2 * 26.0 * math.exp(-200.0 / 140.0)  # K that the slow term still lacks
        self.assertAlmostEqual(heat.more_s, 140.0 * math.log(slow_left) + 60.0, delta=15.0)
        self.assertEqual(heat_of(self.log).more_s, 0.0)

    def test_cool_down_by_superposed_decay(self) -> None:
        heat = heat_of(self.log)
        t = heat.cool_down_s
        left = 26.0 * float(R @ np.exp(-t / TAU))
        self.assertAlmostEqual(left, 2.0, delta=0.05)
