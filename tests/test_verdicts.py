"""Causes, limits and kinds that a log shows without being told, on logs made by hand; and bad logs."""

import unittest

import numpy as np
from scipy.stats import binomtest

from pinch.core.errors import DataError
from pinch.core.framecap import find_cap
from pinch.core.framekinds import DROPPED, frame_kinds, wilson
from pinch.core.frames import FRAME_TIME, GENERATED
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.runlog import FloatArray, RunLog, Series, runlog_from_columns
from pinch.narrative.finding import finding

RNG = np.random.default_rng(11)
N = 620
T = np.arange(1.0, N + 1.0)
LOAD = T > 20


def wander(n: int = N, share: float = 0.02) -> FloatArray:
    """Work that wanders slowly."""
    found = np.zeros(n)
    for i in range(1, n):
        found[i] = 0.9 * found[i - 1] + RNG.normal(0.0, share * 0.44)
    return 1.0 + found


def judged(known: Known | None = None, **columns: FloatArray) -> Judgement:
    return judge(runlog_from_columns(T, {k.replace("_", "."): v for k, v in columns.items()}), known)


def warmed(power: FloatArray, r: float = 1.5, tau: float = 60.0, room: float = 22.0) -> FloatArray:
    above = np.empty(len(power))
    above[0] = r * power[0]
    for i in range(1, len(power)):
        above[i] = above[i - 1] + (r * power[i] - above[i - 1]) / tau
    return room + above


class TestCauses(unittest.TestCase):
    def test_a_cap_that_nobody_told(self) -> None:
        rate = np.where(LOAD, 60.0 + RNG.normal(0.0, 0.15, N), np.nan)
        rate[200:215] = 47.0
        power = np.where(LOAD, 18.0 * wander(), 3.0)
        j = judged(cpu_power=power, frame_rate=rate, gpu_load=np.where(LOAD, 70.0, 1.0))
        self.assertGreater(j.limiter_share["frame-cap"], 0.95)
        free = np.where(LOAD, 61.3 * wander(share=0.004), np.nan)
        self.assertTrue(np.isnan(find_cap(free, np.full(N, np.nan), LOAD)), "steady, but no usual cap and not sharp")
        self.assertTrue(np.isnan(find_cap(rate, np.where(LOAD, 99.0, 1.0), LOAD)), "graphics have no time left")
        self.assertAlmostEqual(find_cap(rate, np.full(N, np.nan), LOAD), 60.0, delta=0.1)
        # Refresh rates of screens and their halves: common practice, no source.
        for cap in (24.0, 30.0, 40.0, 60.0, 72.0, 90.0, 120.0, 144.0, 165.0, 240.0):
            self.assertEqual(find_cap(np.full(N, cap), np.full(N, np.nan), LOAD), cap)
        short = np.arange(N) < 20  # just the least that is looked at
        self.assertEqual(find_cap(np.where(short, 60.0, np.nan), np.full(N, np.nan), short), 60.0)
        self.assertTrue(np.isnan(find_cap(np.where(short, 60.0, np.nan), np.full(N, np.nan), np.arange(N) < 19)))
        between = np.where(np.arange(N) % 2, 42.1, 41.9)
        self.assertTrue(np.isnan(find_cap(between, np.full(N, np.nan), LOAD)), "42 is none of them")
        self.assertAlmostEqual(find_cap(between, np.full(N, 60.0), LOAD), 42.0, delta=0.11, msg="unless graphics wait")

    def test_graphics_at_their_bound_or_at_the_power_limit(self) -> None:
        gpu, load = np.where(LOAD, 98.0, 1.0), np.where(LOAD, 45.0, 2.0)
        rate = np.where(LOAD, 70.0 * wander(), np.nan)
        free = judged(soc_power=np.where(LOAD, 14.0 * wander(), 3.0), gpu_load=gpu, cpu_load=load, frame_rate=rate)
        self.assertGreater(free.limiter_share["graphics-bound"], 0.95)
        pinned = np.where(LOAD, 15.0 + RNG.normal(0.0, 0.02, N), 3.0)
        held = judged(soc_power=pinned, gpu_load=gpu, cpu_load=load, frame_rate=rate)
        self.assertGreater(held.limiter_share["sustained-power"], 0.95)

    def test_a_burst_that_heat_ended_and_the_limit_after_it(self) -> None:
        power = np.where(LOAD, 35.0, 4.0) + RNG.normal(0.0, 0.05, N)
        power[20:32] = 64.0
        power[32:60] = 64.0 - np.linspace(4.0, 24.0, 28)
        temp = np.where(T < 33, 40.0 + 55.0 * np.clip((T - 20) / 12, 0, 1), 95.0)
        temp[60:] = 88.0
        j = judged(Known(95.0, None, 22.0), cpu_power=power, cpu_temp=temp)
        self.assertTrue(j.limits.bounded)
        self.assertAlmostEqual(j.limits.sustained.value, 35.0, delta=0.2)
        heat = [s for s in j.limiters if s.cause == "heat"]
        self.assertAlmostEqual(heat[0].start_s, 32.0, delta=2.0)
        self.assertAlmostEqual(heat[-1].end_s, 60.0, delta=2.0)
        self.assertIn("95.0 °C", heat[0].evidence)
        self.assertIn("on average", heat[0].evidence)

    def test_a_limit_between_two_stretches_of_heat(self) -> None:
        power = np.where(LOAD, 40.0, 4.0) + RNG.normal(0.0, 0.05, N)
        power[20:40] = 70.0
        power[40:52] = np.linspace(66.0, 55.0, 12)
        power[200:] = 40.0 - 8.0 * (1.0 - np.exp(-(T[200:] - 200.0) / 40.0))
        temp = np.clip(40.0 + (T - 20) * 3.0, 40.0, 95.0)
        temp[52:200] = np.linspace(80.0, 94.5, 148)
        j = judged(Known(95.0, None, 22.0), cpu_power=power, cpu_temp=temp)
        self.assertAlmostEqual(j.plateaus[1].power_w, 40.0, delta=0.3)
        named = [s.cause for s in j.limiters if s.start_s <= 120 < s.end_s]
        self.assertEqual(named, ["sustained-power"])
        self.assertGreater(j.limiter_share["heat"], 0.5)

    def test_passes_that_follow_each_other_are_no_saw_tooth(self) -> None:
        power, load = np.where(LOAD, 30.0, 4.0), np.where(LOAD, 100.0, 2.0)
        for start in range(100, 600, 80):
            power[start : start + 8], load[start : start + 8] = 4.0, 2.0
            power[start + 8 : start + 12] = 45.0
        j = judged(cpu_power=power + RNG.normal(0.0, 0.05, N), cpu_load=load, cpu_clock=power * 80.0)
        self.assertIsNone(j.sawtooth)

    def test_what_cannot_be_seen_is_said(self) -> None:
        j = judged(cpu_power=np.where(LOAD, 30.0, 4.0), frame_rate=np.where(LOAD, 60.0, np.nan))
        self.assertLessEqual({"no-temp", "no-clock", "no-gpu-load"}, {w.code for w in j.warnings})


class TestFigures(unittest.TestCase):
    def test_a_hot_core_that_the_mean_hides(self) -> None:
        cores = {f"cpu_core_{n}_temp": np.where(LOAD, 60.0, 30.0) for n in range(4)}
        cores["cpu_core_2_temp"] = np.where(LOAD, 94.0, 32.0)  # common practice, no source: 30 K above the mean occurs
        j = judged(cpu_power=np.where(LOAD, 30.0, 4.0), **cores)
        assert j.hot_core is not None
        self.assertEqual((j.hot_core.number, j.hot_core.hottest_c, j.hot_core.mean_c), (2, 94.0, 68.5))
        self.assertIn("Core 2 is 26 K above", " ".join(w.text for w in j.warnings))

    def test_the_first_minutes_and_the_rest(self) -> None:
        for minutes in (2, 5):
            power = np.where(LOAD, 40.0, 4.0)
            power[20 + 60 * minutes :] = 33.4  # common practice, no source: a warm room costs about a sixth
            found = judged(cpu_power=power).early_late["cpu.power"]
            self.assertEqual(found.first_min, minutes)
            self.assertAlmostEqual(found.early, 40.0)
        self.assertEqual(judged(cpu_power=np.where(LOAD, 40.0, 4.0)).early_late["cpu.power"].first_min, 5)
        self.assertAlmostEqual(found.kept, 33.4 / 40.0, places=6)

    def test_a_window_by_hand(self) -> None:
        power = np.where(LOAD, 40.0, 4.0)
        power[400:] = 30.0
        j = judged(Known(window_s=(100.0, 300.0)), cpu_power=power)
        self.assertEqual((j.settled.start_s, j.settled.end_s, j.settled.decided_by), (100.0, 300.0, "the operator"))
        self.assertAlmostEqual(j.figures["cpu.power"].sustained.value, 40.0)
        self.assertIn("window-by-hand", [w.code for w in j.warnings])

    def test_the_sentence(self) -> None:
        power = np.where(LOAD, 34.8, 4.0) + RNG.normal(0.0, 0.02, N)
        power[20:27] = 64.0
        clock = np.where(LOAD, 3210.0 * wander(share=0.001), 800.0)
        clock[20:27] = 4170.0
        temp = np.where(LOAD, 81.0 - 40.0 * np.exp(-(T - 20.0) / 40.0), 41.0)
        words = finding(judged(Known(95.0, None, 22.0), cpu_power=power, cpu_clock=clock, cpu_temp=temp), 35.0)
        self.assertEqual(
            words,
            "Held 34.8 W (claimed 35) after a 7 s burst at 64 W; 3.21 GHz sustained, 77 % of burst; heat-limited 0 % "
            "of the load; settled at 81 °C, 14 K below its limit. For 99 % of the load it was held by its sustained "
            "power limit.",
        )


class TestFrameKinds(unittest.TestCase):
    def log(self, **flags: FloatArray) -> RunLog:
        ms = np.tile([8.0, 9.0], 600)
        t = np.cumsum(ms) / 1000.0
        series = {FRAME_TIME: Series(FRAME_TIME, t, ms)}
        return RunLog({**series, **{k: Series(k, t, v) for k, v in flags.items()}})

    def test_generated_frames_are_told_apart(self) -> None:
        kinds = frame_kinds(self.log(**{GENERATED: np.tile([0.0, 1.0], 600)}), 0.0, 99.0)
        assert kinds is not None and kinds.generated is not None
        np.testing.assert_allclose(kinds.drawn_ms, [8.0, *[17.0] * 599], err_msg="from one drawn frame to the next")
        self.assertAlmostEqual(kinds.shown_fps, 1000.0 / 8.5)
        self.assertEqual((kinds.generated.count, kinds.generated.of), (600, 1200))

    def test_dropped_frames_have_an_interval(self) -> None:
        kinds = frame_kinds(self.log(**{DROPPED: np.arange(1200) % 100 == 0}), 0.0, 99.0)
        assert kinds is not None and kinds.dropped is not None
        self.assertEqual(kinds.dropped.value, 0.01)
        for count, of in ((12, 1200), (0, 50), (81, 263)):
            reference = binomtest(count, of).proportion_ci(method="wilson")
            np.testing.assert_allclose(wilson(count, of), (reference.low, reference.high), atol=1e-12)


class TestBadLogs(unittest.TestCase):
    def test_what_can_be_had_is_had_and_the_rest_has_a_code(self) -> None:
        power = np.where(LOAD, 35.0, 4.0) + RNG.normal(0.0, 0.1, N)
        temp = warmed(power)
        holes = power.copy()
        holes[100:300] = np.nan
        for name, code, columns in (
            ("no power", "no-power", {"cpu_temp": temp, "cpu_clock": power * 90}),
            ("no room", "no-ambient", {"cpu_power": power, "cpu_temp": temp}),
            ("no idle", "no-idle", {"cpu_power": np.full(N, 35.0)}),
            ("all idle", "all-idle", {"cpu_power": np.full(N, 4.0), "cpu_load": np.full(N, 2.0)}),
            ("holes", "gap", {"cpu_power": holes, "cpu_temp": temp}),
            ("constant", "no-heat", {"cpu_power": np.full(N, 35.0), "cpu_temp": np.full(N, 60.0)}),
            ("negative", "implausible", {"cpu_power": -power}),
            ("kelvin", "implausible", {"cpu_power": power, "cpu_temp": temp + 273.15}),
        ):
            with self.subTest(name):
                self.assertIn(code, [w.code for w in judged(**columns).warnings])

    def test_one_sample_a_minute_and_twenty_a_second(self) -> None:
        power = np.where(LOAD, 35.0, 4.0) + RNG.normal(0.0, 0.1, N)
        for step in (60.0, 0.05):
            j = judge(runlog_from_columns(T * step, {"cpu.power": power}))
            self.assertAlmostEqual(j.figures["cpu.power"].sustained.value, 35.0, delta=0.1)

    def test_no_log_at_random_brings_it_down(self) -> None:
        names = ["cpu.power", "cpu.temp", "cpu.clock", "cpu.load", "gpu.load", "frame.rate", "frame.time", "score.rate"]
        names += [
            "cpu.throttle.count",
            "cpu.core.1.temp",
            "cpu.core.2.temp",
            "ambient.temp",
            "wall.power",
            "fan.1.speed",
        ]
        for seed in range(60):
            rng = np.random.default_rng(seed)
            n = int(rng.integers(1, 300))
            t = np.cumsum(rng.exponential(rng.choice([0.05, 1.0, 30.0]), n) + 1e-3)
            columns = {}
            for name in rng.choice(names, int(rng.integers(1, 8)), replace=False):
                kinds = (rng.normal(50, 20, n), np.full(n, rng.normal(0, 50)), np.where(t > t[n // 3], 40.0, 2.0))
                values = np.where(rng.random(n) < rng.choice([0.0, 0.3, 0.95]), np.nan, kinds[rng.integers(3)])
                if np.isfinite(values).any():
                    columns[str(name)] = values
            with self.subTest(seed=seed):
                try:
                    self.assertTrue(finding(judge(runlog_from_columns(t, columns))))
                except DataError as error:
                    self.assertTrue(error.reason)
