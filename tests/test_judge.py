"""Judging: window, figures and limiter, against made logs and against the truth that the rig knows."""

import math
import unittest

import numpy as np
from scipy import signal

from pinch.core.collapse import find_collapse
from pinch.core.errors import DataError
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.runlog import RunLog, Series
from pinch.core.sawtooth import find_sawtooth
from pinch.narrative import explain_runs
from pinch.narrative.finding import finding
from pinch.rig import catalogue
from pinch.rig.catalogue import RigDevice, RigWork
from pinch.rig.device import SimulatedRun, simulate_run
from tests import made


def simulated(device: RigDevice, setting: str, work: RigWork, load_s: int, room: float = 22.0) -> SimulatedRun:
    return simulate_run(device, device.setting(setting), work, load_s, room, seed=5)


def known(device: RigDevice, room: float = 22.0, cap: float | None = None) -> Known:
    return Known(device.chip.temp_limit_c, None, room, cap)


def agreement(run: SimulatedRun, judged: Judgement) -> float:
    """Share of loaded seconds in which Pinch names the cause that the rig knows."""
    named = [""] * len(run.truth)
    for s in judged.limiters:
        named[round(s.start_s) : round(s.end_s)] = [s.cause] * round(s.end_s - s.start_s)
    loaded = range(int(run.load_start_s), len(run.truth))
    return sum(named[i] == run.truth[i] for i in loaded) / len(loaded)


class TestFigures(unittest.TestCase):
    def setUp(self) -> None:
        self.judged = judge(made.two_level())

    def test_load_and_window(self) -> None:
        self.assertAlmostEqual(self.judged.load_start_s, 20, delta=0.1)
        self.assertEqual(self.judged.load_end_s, 450)
        self.assertEqual(self.judged.settled.state, "settled")
        self.assertGreaterEqual(self.judged.settled.start_s, 50)

    def test_sustained_burst_and_hold(self) -> None:
        power = self.judged.figures["cpu.power"]
        self.assertAlmostEqual(power.sustained.value, 35.0, delta=0.02)
        self.assertAlmostEqual(power.burst, 60.0, delta=0.05)
        self.assertAlmostEqual(power.hold, 35 / 60, delta=0.002)
        self.assertTrue(math.isnan(self.judged.figures["cpu.temp"].hold))

    def test_standard_error_counts_serial_correlation(self) -> None:
        rng = np.random.default_rng(4)
        wobble = np.zeros(1000)
        for i in range(1, 1000):
            wobble[i] = 0.95 * wobble[i - 1] + rng.normal(0, 0.1)
        power = np.concatenate([np.full(20, 4.0), 35 + wobble])
        f = judge(made.log(cpu_power=power)).figures["cpu.power"]
        self.assertGreater(f.sustained.u, 3 * (f.p95 - f.p05) / 3.29 / math.sqrt(f.n))
        self.assertLess(f.n_effective, f.n / 10)

    def test_first_ten_seconds_stand_for_a_missing_burst(self) -> None:
        f = judge(made.two_level(burst=0)).figures["cpu.power"]
        self.assertAlmostEqual(f.burst, 35.0, delta=0.1)

    def test_pauses_are_waiting_and_not_in_the_mean(self) -> None:
        power, load = np.full(600, 40.0), np.full(600, 100.0)
        power[:20], load[:20] = 4.0, 1.0
        for start in (200, 300, 400, 500):
            power[start : start + 20], load[start : start + 20] = 6.0, 2.0
        power += np.random.default_rng(3).normal(0, 0.05, 600)
        judged = judge(made.log(cpu_power=power, cpu_load=load))
        self.assertAlmostEqual(judged.figures["cpu.power"].sustained.value, 40.0, delta=0.05)
        self.assertAlmostEqual(judged.limiter_share["waiting"], 80 / 580, delta=0.01)
        self.assertLess(judged.settled.active_share, 0.95)


class TestStates(unittest.TestCase):
    def test_short_run(self) -> None:
        judged = judge(simulated(catalogue.SANDPIPER, "Even", catalogue.TILE, 60).log)
        self.assertEqual(judged.settled.state, "too-short")
        self.assertIn("too short", finding(judged))

    def test_drifting_run_names_what_drifts(self) -> None:
        judged = judge(simulated(catalogue.SANDPIPER, "Hush", catalogue.TILE, 300).log)
        self.assertEqual(judged.settled.state, "drifting")
        self.assertEqual(judged.settled.drifting, ("cpu.temp",))
        self.assertGreater(judged.settled.slopes["cpu.temp"], 1.5)

    def test_settled_run(self) -> None:
        judged = judge(simulated(catalogue.SANDPIPER, "Full", catalogue.TILE, 900).log)
        self.assertEqual(judged.settled.state, "settled")
        self.assertLessEqual(judged.settled.start_s, 20 + 600)

    def test_a_gap_is_reported(self) -> None:
        log = made.two_level()
        kept = {}
        for name, s in log.series.items():
            have = (s.t <= 200) | (s.t >= 240)
            kept[name] = Series(name, s.t[have], s.values[have])
        judged = judge(RunLog(kept))
        self.assertEqual([(g.start_s, g.end_s) for g in judged.gaps], [(200, 240)])
        self.assertAlmostEqual(judged.figures["cpu.power"].sustained.value, 35.0, delta=0.02)
        self.assertNotIn("waiting", judged.limiter_share)
        self.assertAlmostEqual(judged.limiter_share["unknown"], 39 / 430, delta=0.01)

    def test_nothing_to_judge(self) -> None:
        with self.assertRaises(DataError):
            judge(made.log(ambient_temp=np.full(50, 22.0)))


class TestLimiterAgainstTruth(unittest.TestCase):
    def check(
        self, device: RigDevice, setting: str, work: RigWork, load_s: int, room: float, least: float
    ) -> Judgement:
        run = simulated(device, setting, work, load_s, room)
        judged = judge(run.log, known(device, room, work.cap))
        self.assertGreaterEqual(agreement(run, judged), least, f"{setting}: {judged.limiter_share}")
        return judged

    def test_two_level_limiter(self) -> None:
        for name in ("Hush", "Even", "Full", "22 W"):
            with self.subTest(name):
                self.check(catalogue.SANDPIPER, name, catalogue.TILE, 600, 22.0, 0.98)

    def test_clock_ceiling(self) -> None:
        judged = self.check(catalogue.SANDPIPER, "Full", catalogue.TILE_ONE, 400, 22.0, 0.98)
        self.assertGreater(judged.limiter_share["clock-ceiling"], 0.98)

    def test_heat_saw_tooth(self) -> None:
        judged = self.check(catalogue.LIMPET, "45 W", catalogue.TILE, 600, 31.0, 0.9)
        self.assertGreater(judged.limiter_share["heat"], 0.3)
        self.assertGreater(judged.throttle.events, 3)
        self.assertAlmostEqual(judged.limits.sustained.value, 45.0, delta=1.0)

    def test_smooth_heat(self) -> None:
        judged = self.check(catalogue.SANDPIPER, "Full", catalogue.TILE, 900, 38.0, 0.85)
        self.assertGreater(judged.limiter_share["heat"], 0.6)

    def test_heat_limit_is_recovered_where_it_is_not_given(self) -> None:
        run = simulated(catalogue.SANDPIPER, "Full", catalogue.TILE, 900, 38.0)
        judged = judge(run.log)
        self.assertAlmostEqual(judged.levels.temp_limit_c, catalogue.TARN_T8.temp_limit_c, delta=1.0)
        self.assertGreater(judged.limiter_share["heat"], 0.6)

    def test_a_temperature_that_merely_settles_is_no_limit(self) -> None:
        judged = judge(simulated(catalogue.SANDPIPER, "Full", catalogue.TILE, 900).log)
        self.assertTrue(math.isnan(judged.levels.temp_limit_c))
        self.assertNotIn("heat", judged.limiter_share)

    def test_frame_cap(self) -> None:
        judged = self.check(catalogue.SANDPIPER, "Full", catalogue.SKERRY_CAPPED, 300, 22.0, 0.9)
        self.assertGreater(judged.limiter_share["frame-cap"], 0.9)

    def test_throttle_counter_is_direct_evidence(self) -> None:
        log = made.two_level()
        count = np.zeros(450)
        count[300:] = np.minimum(np.arange(150), 10)
        with_counter = dict(log.series) | {
            "cpu.throttle.count": Series("cpu.throttle.count", np.arange(1.0, 451.0), count)
        }
        judged = judge(RunLog(with_counter))
        heat = [s for s in judged.limiters if s.cause == "heat"]
        self.assertEqual(judged.throttle.events, 10)
        self.assertAlmostEqual(heat[0].start_s, 301, delta=2)

    def test_missing_channels_are_said(self) -> None:
        judged = judge(made.log(cpu_load=np.r_[np.zeros(20), np.full(200, 100.0)]))
        self.assertEqual(set(judged.limiter_share), {"unknown"})
        self.assertLessEqual({"no-power", "no-temp", "unknown-limiter"}, {w.code for w in judged.warnings})


def coarse(log: RunLog, seed: int) -> RunLog:
    """The log as cheaper sensors give it: 1 °C and 1 W steps, power averaged over 2 s, noise of 2 %, 1 % and 2 %."""
    rng, series = np.random.default_rng(seed), {}
    for name, s in log.series.items():
        values, noise = s.values, rng.standard_normal(len(s.values))
        if name == "cpu.power":
            values = np.convolve(values * (1 + 0.02 * noise), [0.5, 0.5])[: len(values)].round()
        elif name == "cpu.clock":
            values = (values * (1 + 0.01 * noise) / 25).round() * 25
        elif name == "cpu.temp":
            values = values.round()
        elif name == "score.rate":
            values = values * (1 + 0.02 * noise)
        series[name] = Series(name, s.t, values)
    return RunLog(series)


class TestCoarseSensors(unittest.TestCase):
    def test_the_same_verdicts(self) -> None:
        for device, setting, work, room, least in (
            (catalogue.SANDPIPER, "Full", catalogue.TILE, 22.0, 0.97),
            (catalogue.SANDPIPER, "Hush", catalogue.TILE, 22.0, 0.97),
            (catalogue.SANDPIPER, "Full", catalogue.TILE, 38.0, 0.9),
            (catalogue.LIMPET, "45 W", catalogue.TILE, 31.0, 0.78),  # recovering after a cut is heat as well
            (catalogue.LIMPET, "Stock", catalogue.TILE, 22.0, 0.97),
        ):
            run = simulated(device, setting, work, 900, room)
            judged = judge(coarse(run.log, 3), known(device, room))
            with self.subTest(f"{device.name}, {setting}, {room} °C"):
                self.assertGreaterEqual(agreement(run, judged), least, judged.limiter_share)
                precise = judge(run.log, known(device, room)).figures["cpu.power"].sustained.value
                self.assertAlmostEqual(judged.figures["cpu.power"].sustained.value, precise, delta=0.02 * precise)

    def test_a_sample_every_two_seconds(self) -> None:
        run = simulated(catalogue.SANDPIPER, "Full", catalogue.TILE, 900)
        half = {n: Series(n, s.t[1::2], s.values[1::2]) for n, s in run.log.series.items()}
        judged = judge(RunLog(half), known(catalogue.SANDPIPER))
        self.assertEqual(judged.gaps, ())
        self.assertGreater(agreement(run, judged), 0.97)
        self.assertAlmostEqual(judged.limits.window_s.value, 28.0, delta=2.5)


class TestSawtooth(unittest.TestCase):
    def test_a_known_triangle(self) -> None:
        # A triangle of period 37 s between 2500 and 4500 MHz, with noise: 5 % to 95 % of a triangle is 90 % of it.
        t = np.arange(800.0)
        values = 2500 + 2000 * np.abs(2 * ((t / 37) % 1) - 1) + np.random.default_rng(2).normal(0, 30, 800)
        found = find_sawtooth(values, 1.0)
        assert found is not None
        self.assertAlmostEqual(found.period_s, 37, delta=1)
        self.assertAlmostEqual(found.swing, 1800, delta=60)
        for period in (11.0, 23.0, 54.0):  # at the highest peak of scipy's periodogram, as well as its bins allow
            t = np.arange(1600.0)
            tooth = (
                3000 + 900 * signal.sawtooth(2 * np.pi * t / period, 0.3) + np.random.default_rng(5).normal(0, 40, 1600)
            )
            found = find_sawtooth(tooth, 1.0)
            each, strength = signal.periodogram(tooth, nfft=32_768, detrend="linear")
            assert found is not None
            self.assertAlmostEqual(found.period_s, 1.0 / float(each[strength.argmax()]), delta=0.03 * period + 0.5)

    def test_noise_drift_and_a_step_are_none(self) -> None:
        rng, t = np.random.default_rng(3), np.arange(600.0)
        for values in (rng.normal(3500, 20, 600), 3500 - t + rng.normal(0, 5, 600), np.full(600, 3500.0)):
            self.assertIsNone(find_sawtooth(values, 1.0))

    def test_period_of_the_rig_and_its_window(self) -> None:
        run = simulated(catalogue.LIMPET, "45 W", catalogue.TILE, 900, 31.0)
        judged = judge(run.log, known(catalogue.LIMPET))
        heat = np.array([c == "heat" for c in run.truth])
        begins = np.flatnonzero(heat[1:] & ~heat[:-1])
        assert judged.sawtooth is not None
        self.assertAlmostEqual(judged.sawtooth.period_s, float(np.median(np.diff(begins))), delta=1.5)
        # The flat stretch before the first tooth is no part of the settled window.
        self.assertGreaterEqual(judged.settled.start_s, begins[0] - judged.sawtooth.period_s)
        self.assertEqual(judged.settled.state, "settled")


class TestCollapse(unittest.TestCase):
    def test_faults_are_found_and_cut_out(self) -> None:
        log = made.two_level()
        power = log.series["cpu.power"]
        values = power.values.copy()
        values[300:308] = 8.0
        judged = judge(RunLog({**log.series, "cpu.power": Series("cpu.power", power.t, values)}))
        self.assertEqual([(c.start_s, c.end_s) for c in judged.collapses], [(300, 308)])
        self.assertAlmostEqual(judged.figures["cpu.power"].sustained.value, 35.0, delta=0.02)
        self.assertIn("collapsed once", finding(judged))

    def test_two_seconds_are_not_a_collapse(self) -> None:
        power = np.full(50, 40.0)
        power[20:22] = 5.0
        always, never, clock = np.ones(50, dtype=bool), np.zeros(50, dtype=bool), np.full(50, np.nan)
        self.assertFalse(find_collapse(power, clock, always, never, 0, 1.0).any())
        power[22] = 5.0
        self.assertEqual(int(find_collapse(power, clock, always, never, 0, 1.0).sum()), 3)
        self.assertFalse(find_collapse(power, np.full(50, 3e3), always, never, 0, 1.0).any(), "less work, no fault")
        self.assertFalse(find_collapse(power, clock, always, always, 0, 1.0).any(), "a cut at a temperature")

    def test_clock_lock_cures_it(self) -> None:
        faulty = judge(
            simulated(catalogue.LIMPET, "Firmware 54, faulty", catalogue.TILE, 600, 31.0).log, known(catalogue.LIMPET)
        )
        cured = simulated(catalogue.LIMPET, "Firmware 54, clock lock 3.1", catalogue.TILE, 600, 31.0)
        self.assertEqual(faulty.collapses, (), "a cut that follows the temperature is heat")
        self.assertGreater(faulty.limiter_share["heat"], 0.5)
        healed = judge(cured.log, known(catalogue.LIMPET))
        self.assertNotIn("heat", healed.limiter_share)
        done = [j.figures["score.rate"].sustained.value for j in (faulty, healed)]
        self.assertGreater(done[1], 1.02 * done[0], "locked lower, it does more")


class TestWords(unittest.TestCase):
    def setUp(self) -> None:
        self.judged = judge(simulated(catalogue.SANDPIPER, "Full", catalogue.TILE, 900).log, known(catalogue.SANDPIPER))

    def test_the_sentence_says_what_the_figures_say(self) -> None:
        words = finding(self.judged, 45.0)
        power = self.judged.figures["cpu.power"].sustained.value
        self.assertIn(f"Held {power:.1f} W (claimed 45)", words)
        self.assertIn(f"{self.judged.limits.burst_s.value:.0f} s burst", words)
        self.assertIn("sustained power limit", words)

    def test_the_burst_formula_holds_with_its_own_numbers(self) -> None:
        lines = explain_runs.explain_burst(self.judged, explain_runs.ClaimedLimits(45.0, 64.0, 28.0)).formula
        limits = self.judged.limits
        redone = limits.burst_s.value / math.log(
            (limits.burst.value - limits.idle_w) / (limits.burst.value - limits.sustained.value)
        )
        self.assertIn(f"= {redone:.1f} ±", lines[-2])
        by_label = 28 * math.log((64 - limits.idle_w) / (64 - 45))
        self.assertEqual(lines[-1], f"by its label: {by_label:.1f} s at 64 W, τ 28 s")
        nothing = explain_runs.explain_burst(self.judged, explain_runs.ClaimedLimits(None, None, None))
        self.assertIn("±", nothing.formula[-1])

    def test_every_figure_explains_itself(self) -> None:
        for name in self.judged.figures:
            e = explain_runs.explain_sustained(self.judged, name)
            self.assertTrue(e.meaning and e.window and e.method, name)
        e = explain_runs.explain_temperature(self.judged)
        room = 95.0 - self.judged.figures["cpu.temp"].sustained.value
        self.assertIn(f"headroom = {room:.1f} K", e.formula)

    def test_a_segment_gives_its_evidence(self) -> None:
        e = explain_runs.explain_segment(self.judged, self.judged.limiters[-1])
        self.assertIn("W to within", e.meaning)
