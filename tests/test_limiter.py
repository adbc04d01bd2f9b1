"""What held the machine back: cuts, decoding and evidence, each against something that shares no line with it."""

import itertools
import math
import unittest

import numpy as np
from msgspec.structs import replace
from scipy.special import logsumexp

from pinch.core import cuts, decoding, power_parts, sensors
from pinch.core.causes import Cause
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.narrative.finding import finding
from pinch.rig import catalogue
from pinch.rig.device import simulate_run
from tests import made

try:
    import ruptures
except ImportError:  # there is none for the newest Python
    ruptures = None

RNG = np.random.default_rng(11)
WIDE = {"cpu.power": 1.0, "cpu.clock": 50.0}


def warmed(power: FloatArray, r: float = 0.9, tau: float = 60.0, room: float = 22.0) -> FloatArray:
    """Temperatures of a first-order path, °C."""
    above = np.empty(len(power))
    above[0] = r * power[0]
    for i in range(1, len(power)):
        above[i] = above[i - 1] + (r * power[i] - above[i - 1]) / tau
    return room + above + 0.1 * RNG.standard_normal(len(power))


def run_of(power: FloatArray, **more: FloatArray) -> RunLog:
    """A log of a processor at work after 20 s of rest; its clock goes with power, and both have a little noise."""
    whole = np.concatenate([np.full(20, 4.0), power])
    work = 1.0 + 0.01 * np.sin(np.arange(len(whole)) / 9.0)
    clock = np.where(whole > 5.0, 900.0 * (whole / work) ** 0.42, 800.0) * (1 + 0.002 * RNG.standard_normal(len(whole)))
    columns = {"cpu_power": whole + 0.05 * RNG.standard_normal(len(whole)), "cpu_clock": clock}
    columns["cpu_load"] = np.where(whole > 5.0, 100.0, 2.0)
    return made.log(**{**columns, "cpu_temp": warmed(whole), **more})


def held_by(j: Judgement, at_s: float) -> Cause:
    return next(s.cause for s in j.limiters if s.start_s <= at_s < s.end_s)


class TestCuts(unittest.TestCase):
    @unittest.skipIf(ruptures is None, "needs ruptures")
    def test_the_same_cuts_as_the_package_ruptures(self) -> None:
        for seed in range(6):
            rng = np.random.default_rng(seed)
            levels = np.repeat(rng.integers(0, 12, 7), rng.integers(5, 30, 7)).astype(float)
            series = np.stack([levels, levels[::-1]]) + 0.6 * rng.standard_normal((2, len(levels)))
            penalty = 4.0 * math.log(len(levels))
            n = len(levels)
            found = cuts.optimal_cuts(series, penalty, list(range(1, n)))
            theirs = ruptures.Pelt(model="l2", min_size=3, jump=1).fit(series.T).predict(pen=penalty)
            self.assertEqual(found[1:], theirs, seed)

    def test_the_nile_falls_in_1898(self) -> None:
        # Cobb, Biometrika 65 (1978): the yearly flow at Aswan, 1871–1970, changes after 1898.
        flow = np.loadtxt("tests/data/nile.csv", delimiter=",", skiprows=1, usecols=1)
        scaled = (flow / 130.0)[None, :]
        self.assertEqual(cuts.optimal_cuts(scaled, 8.0, list(range(1, 100))), [0, 28, 100])

    def test_an_outlier_and_noise_make_no_stretch(self) -> None:
        quiet = RNG.standard_normal(300)
        quiet[120] = 40.0
        self.assertEqual(cuts.cuts_of(quiet[None, :], np.ones(1)), [0, 300])
        self.assertEqual(cuts.cuts_of(np.ones((1, 4)), np.ones(1)), [0, 4], "too short for two")


class TestDecoding(unittest.TestCase):
    def test_path_and_chances_as_by_enumeration(self) -> None:
        def stay(seconds: FloatArray) -> FloatArray:
            return -np.log1p(20.0 / seconds)

        for m, seed in itertools.product((1, 2, 4, 6), range(3)):
            rng = np.random.default_rng([m, seed])
            says, seconds, change = rng.normal(0, 2, (m, 3)), rng.uniform(3, 40, m), rng.uniform(0.5, 3, m - 1)
            scores = {}
            for path in itertools.product(range(3), repeat=m):
                score, at = 0.0, 0
                for state, group in itertools.groupby(path):
                    length = len(list(group))
                    score += says[at : at + length, state].sum() + stay(seconds[at : at + length].sum())
                    score -= change[at - 1] if at else 0.0
                    at += length
                scores[path] = float(score)
            found = decoding.decode(says, seconds, change, stay)
            self.assertEqual(found.path, list(max(scores, key=scores.__getitem__)))
            total = logsumexp(list(scores.values()))
            for stretch, state in itertools.product(range(m), range(3)):
                share = sum(math.exp(s - total) for path, s in scores.items() if path[stretch] == state)
                self.assertAlmostEqual(found.chance[stretch, state], share, places=9)


class TestMechanisms(unittest.TestCase):
    def test_three_levels_each_with_its_time(self) -> None:
        power = np.concatenate([np.full(28, 45.0), np.full(12, 33.0), np.full(900, 30.0)])
        j = judge(run_of(power))
        self.assertEqual(
            [(round(p.power_w), str(p.kind)) for p in j.plateaus][::2], [(45, "burst-power"), (30, "sustained-power")]
        )
        self.assertEqual([round(p.start_s) for p in j.plateaus], [20, 48, 60])
        self.assertAlmostEqual(j.limits.sustained.value, 30.0, delta=0.1)
        self.assertAlmostEqual(j.limits.burst_s.value, 28.0, delta=0.5)

    def test_a_step_late_in_the_load_is_seen(self) -> None:
        power = np.concatenate([np.full(700, 40.0), np.full(200, 33.0)])
        j = judge(run_of(power))
        self.assertGreaterEqual(j.settled.start_s, 719.0)
        self.assertAlmostEqual(j.figures["cpu.power"].sustained.value, 33.0, delta=0.1)
        cut = judge(run_of(power[:730]))
        self.assertEqual(cut.settled.state, "drifting", "half a minute is too short to be what it holds")
        self.assertIn("cpu.power", cut.settled.drifting)

    def test_a_cool_machine_at_a_flat_limit_is_not_held_by_heat(self) -> None:
        power = np.concatenate([np.full(20, 60.0), np.full(600, 47.9)])
        whole = np.concatenate([np.full(20, 4.0), power])
        j = judge(run_of(power, cpu_temp=warmed(whole, 0.62, 15.0)))
        self.assertNotIn(Cause.HEAT, j.limiter_share)
        self.assertGreater(j.limiter_share[Cause.SUSTAINED_POWER], 0.95)

    def test_heat_where_the_temperature_stands_and_power_gives_way(self) -> None:
        power = np.concatenate([np.full(120, 50.0), 38.0 + 12.0 * np.exp(-np.arange(600) / 90.0)])
        whole = np.concatenate([np.full(20, 4.0), power])
        temp = np.minimum(warmed(whole, 1.92, 84.0), 95.0 + 0.2 * RNG.standard_normal(len(whole)))
        j = judge(run_of(power, cpu_temp=temp))
        self.assertEqual(held_by(j, 100.0), Cause.SUSTAINED_POWER)
        self.assertEqual(held_by(j, 500.0), Cause.HEAT)
        self.assertAlmostEqual(j.levels.temp_limit_c, 95.0, delta=0.6)
        noted = judge(run_of(power, cpu_temp=temp), Known(temp_limit_c=105.0))
        self.assertEqual(held_by(noted, 500.0), Cause.HEAT, "held, whatever limit was noted")

    def test_deep_cuts_at_a_temperature_are_heat_and_no_faults(self) -> None:
        tooth = np.concatenate([np.full(25, 50.0), np.full(15, 18.0)])
        power = np.concatenate([np.full(80, 50.0), *[tooth[::-1]] * 14])
        whole = np.concatenate([np.full(20, 4.0), power])
        j = judge(run_of(power, cpu_temp=np.clip(warmed(whole, 1.9, 25.0), None, 96.0)))
        self.assertEqual(j.collapses, ())
        self.assertAlmostEqual(j.limiter_share[Cause.HEAT], 15 / 40, delta=0.08)
        self.assertIn("every 40 s; between", finding(j))

    def test_power_that_is_told_late_makes_no_burst_the_limit(self) -> None:
        log = run_of(np.concatenate([np.full(30, 60.0), np.full(400, 35.0)]))
        power = log.series["cpu.power"]
        late = Series("cpu.power", power.t, np.concatenate([power.values[:3], power.values[:-3]]))
        j = judge(RunLog({**log.series, "cpu.power": late}))
        self.assertEqual(j.sensors["cpu.power"].lag_s, 3.0)
        self.assertAlmostEqual(j.limits.sustained.value, 35.0, delta=0.2)
        self.assertAlmostEqual(j.limits.burst_s.value, 30.0, delta=3.5)

    def test_what_the_machine_says_itself_decides(self) -> None:
        for name, cause in (
            ("heat", Cause.HEAT),
            ("current", Cause.CURRENT),
            ("supply", Cause.SUPPLY),
            ("skin", Cause.SKIN),
            ("outside", Cause.OUTSIDE),
        ):
            flag = np.zeros(420)
            flag[200:300] = 1.0
            log = run_of(np.full(400, 35.0), **{f"gpu_throttle_{name}": flag})
            j = judge(log)
            self.assertEqual((held_by(j, 250.0), held_by(j, 150.0)), (cause, Cause.SUSTAINED_POWER), name)
            self.assertIn("the machine said", j.limiters[1].evidence)

    def test_a_limit_that_firmware_moves_is_told(self) -> None:
        limit = np.repeat([28.0, 15.0, 20.0], 140)
        j = judge(run_of(np.full(400, 35.0), soc_power_limit=limit))
        (told,) = [n.text for n in j.warnings if n.code == "limit-moved"]
        self.assertIn("soc.power.limit was 28 W at first, 15 W from 141 s, 20 W from 281 s.", told)

    def test_what_no_temperature_tells_may_be_heat(self) -> None:
        fall = np.concatenate([np.full(120, 45.0), 36.0 + 3.0 * np.exp(-np.arange(300) / 25.0)])
        j = judge(
            made.log(**{n.replace(".", "_"): s.values for n, s in run_of(fall).series.items() if n != "cpu.temp"})
        )
        late = next(s for s in j.limiters if s.start_s <= 400.0 < s.end_s)
        self.assertEqual({late.cause, late.second}, {Cause.SUSTAINED_POWER, Cause.HEAT})
        self.assertTrue(late.is_arguable)

    def test_a_clock_and_a_power_that_both_stand_on_wide_steps_are_arguable(self) -> None:
        flat = run_of(np.full(400, 7.0))
        wide = {n: np.round(s.values / step) * step for n, s in flat.series.items() if (step := WIDE.get(n, 1e-3))}
        j = judge(made.log(**{name.replace(".", "_"): values for name, values in wide.items()}))
        middle = next(s for s in j.limiters if s.start_s <= 200.0 < s.end_s)
        self.assertEqual({middle.cause, middle.second}, {Cause.SUSTAINED_POWER, Cause.CLOCK_CEILING})
        self.assertTrue(middle.is_arguable)

    def test_power_that_sinks_with_the_charge_by_the_steps_of_its_sensor(self) -> None:
        charge = np.round(np.linspace(90.0, 40.0, 820))
        power = np.round(np.linspace(14.4, 9.6, 800))
        j = judge(run_of(power, cpu_power=np.concatenate([np.full(20, 4.0), power]), battery_charge=charge))
        self.assertGreater(j.limiter_share.get(Cause.SUPPLY, 0.0), 0.5)

    def test_graphics_that_were_locked_stand_at_the_lock(self) -> None:
        device, name = catalogue.LIMPET, "45 W, graphics lock 1.8"
        log = simulate_run(device, device.setting(name), catalogue.LANTERN, 300, 31.0).log
        told = Known(temp_limit_c=95.0, shares_budget=True, graphics_ceiling_mhz=1800.0)
        self.assertGreater(judge(log, told).limiter_share[Cause.CLOCK_CEILING], 0.95)
        j = judge(log, replace(told, graphics_ceiling_mhz=None))
        self.assertGreater(j.limiter_share[Cause.GRAPHICS_BOUND], 0.95)
        self.assertTrue(math.isnan(j.temp_limit_c), "the limit of the processor is not that of the graphics")
        free = simulate_run(device, device.setting("45 W"), catalogue.LANTERN, 600, 31.0).log
        hot = judge(free, replace(told, graphics_ceiling_mhz=None))
        self.assertEqual((hot.levels.temp_channel, round(hot.temp_limit_c)), ("gpu.temp", 90))
        self.assertIn("held by the heat of its graphics", finding(hot))

    def test_a_short_run_at_one_level_is_arguable(self) -> None:
        j = judge(run_of(np.full(50, 45.0)))
        whole = max(j.limiters, key=lambda s: s.length_s)
        self.assertTrue(whole.is_arguable)
        self.assertEqual({whole.cause, whole.second}, {Cause.BURST_POWER, Cause.SUSTAINED_POWER})


class TestGraphics(unittest.TestCase):
    def game(self, clock: FloatArray, temp: FloatArray, power: FloatArray, **more: FloatArray) -> RunLog:
        n = len(clock)
        rest = np.arange(n) < 20
        rate = np.where(rest, np.nan, 0.037 * clock * (1.0 + 0.04 * np.sin(np.arange(n) / 7.0)))
        columns = {"gpu_clock": clock, "gpu_temp": temp, "gpu_load": np.where(rest, 1.0, 98.0), "soc_power": power}
        columns |= {"cpu_clock": np.full(n, 3000.0), "cpu_load": np.full(n, 40.0), "frame_rate": rate}
        return made.log(**{**columns, **more})

    def test_graphics_that_pay_for_their_temperature_are_held_by_it(self) -> None:
        n = 820
        fall = 1150.0 + 500.0 * np.exp(-np.maximum(np.arange(n) - 140.0, 0.0) / 120.0)
        clock = np.where(np.arange(n) < 20, 300.0, fall) + 3.0 * RNG.standard_normal(n)
        temp = np.minimum(30.0 + 60.0 * (1.0 - np.exp(-np.maximum(np.arange(n) - 20.0, 0.0) / 70.0)), 78.0)
        power = np.where(np.arange(n) < 20, 4.0, 25.0 * (clock / 1650.0) ** 2.2)
        j = judge(self.game(clock, temp + 0.1 * RNG.standard_normal(n), power))
        self.assertEqual((j.governs, j.clock, j.temp), ("gpu", "gpu.clock", "gpu.temp"))
        self.assertEqual(held_by(j, 600.0), Cause.HEAT)
        self.assertEqual(j.limiters[-1].part, "gpu")
        self.assertGreater(j.limiter_share[Cause.HEAT], 0.7)
        self.assertIn("cpu", j.parts)

    def test_a_sum_that_is_held_is_the_budget(self) -> None:
        n = 400
        cpu = np.where(np.arange(n) < 20, 1.5, 6.0 + 1.2 * np.sin(np.arange(n) / 11.0)) + 0.02 * RNG.standard_normal(n)
        gpu = np.where(np.arange(n) < 20, 0.5, 15.0 - cpu) + 0.02 * RNG.standard_normal(n)
        log = made.log(cpu_power=cpu, gpu_power=gpu)
        whole = power_parts.with_parts(log)
        self.assertAlmostEqual(float(np.median(whole.log.series["soc.power"].values)), 15.0, delta=0.05)
        self.assertEqual([note.code for note in whole.notes], ["summed"])
        apart = power_parts.with_parts(log, shares=False)
        self.assertTrue(apart.is_separate and "soc.power" not in apart.log.series)

    def test_a_power_that_contains_graphics_is_not_added_to_them(self) -> None:
        gpu = 10.0 + 4.0 * np.sin(np.arange(400) / 15.0)
        whole = power_parts.with_parts(made.log(cpu_power=gpu + 6.0 + 0.1 * RNG.standard_normal(400), gpu_power=gpu))
        self.assertEqual(whole.notes, ())
        beside = 20.0 + 3.0 * gpu
        self.assertFalse(power_parts.contains(beside, gpu), "what rises by three watts for one works beside it")
        free = power_parts.with_parts(made.log(cpu_power=20.0 + RNG.standard_normal(400), gpu_power=gpu))
        self.assertEqual([note.code for note in free.notes], [power_parts.UNCLEAR], "asked, not assumed")


class TestSensors(unittest.TestCase):
    def test_zeros_and_lone_spikes_are_not_used_and_short_bursts_are(self) -> None:
        log = run_of(np.full(400, 35.0))
        power = log.series["cpu.power"].values.copy()
        power[[100, 200, 300]] = 0.0, 250.0, 0.0
        j = judge(RunLog({**log.series, "cpu.power": Series("cpu.power", log.series["cpu.power"].t, power)}))
        self.assertEqual(j.sensors["cpu.power"].spikes, 3)
        self.assertAlmostEqual(j.figures["cpu.power"].sustained.value, 35.0, delta=0.05)
        self.assertIn("spikes", [w.code for w in j.warnings])
        brief = run_of(np.concatenate([np.full(4, 60.0), np.full(900, 35.0)]))
        self.assertEqual(sensors.cleaned(brief)[1], {})

    def test_values_that_are_repeated_and_steps_are_told(self) -> None:
        log = run_of(np.full(300, 35.0))
        power = log.series["cpu.power"]
        held = Series("cpu.power", power.t, np.repeat(power.values[::5], 5)[: len(power.t)])
        temp = replace(log.series["cpu.temp"], values=np.round(log.series["cpu.temp"].values))
        found = judge(RunLog({**log.series, "cpu.power": held, "cpu.temp": temp})).sensors
        self.assertAlmostEqual(found["cpu.power"].period_s, 5.0, delta=0.2)
        self.assertEqual(found["cpu.temp"].step, 1.0)

    def test_volts_times_amperes_and_cores_stand_for_what_is_missing(self) -> None:
        log = run_of(np.concatenate([np.full(30, 60.0), np.full(400, 35.0)]))
        series = dict(log.series)
        power, temp = series.pop("cpu.power"), series.pop("cpu.temp")
        series["cpu.voltage"] = Series("cpu.voltage", power.t, np.full(len(power.t), 1.25))
        series["cpu.current"] = Series("cpu.current", power.t, power.values / 1.25)
        for core in (0, 1):
            name = f"cpu.core.{core}.temp"
            series[name] = Series(name, temp.t, temp.values - 5.0 * core)
        j = judge(RunLog(series))
        self.assertAlmostEqual(j.limits.sustained.value, 35.0, delta=0.1)
        self.assertAlmostEqual(j.ranges["cpu.temp"].load.high, float(temp.values.max()), delta=0.3)
        self.assertEqual({"volts-amperes", "of-cores"} - {w.code for w in j.warnings}, set())


class TestBadInput(unittest.TestCase):
    def test_what_can_be_had_is_given_and_the_rest_is_not(self) -> None:
        n = 400
        odd = {
            "constant": made.log(cpu_power=np.full(n, 20.0), cpu_clock=np.full(n, 3000.0), cpu_temp=np.full(n, 60.0)),
            "a limit below rest": made.log(cpu_power=np.concatenate([np.full(100, 9.0), np.full(300, 6.0)])),
            "three seconds": made.log(cpu_power=np.array([4.0, 30.0, 30.0]), cpu_temp=np.array([30.0, 40.0, 41.0])),
            "one part only": made.log(gpu_clock=np.full(n, 1500.0), gpu_load=np.full(n, 99.0)),
            "flags that contradict": made.log(
                cpu_power=np.full(n, 20.0), cpu_throttle_heat=np.ones(n), cpu_throttle_power=np.ones(n)
            ),
        }
        for name, log in odd.items():
            with self.subTest(name):
                j = judge(log)
                self.assertAlmostEqual(sum(j.limiter_share.values()), 1.0, places=6)
                self.assertTrue(all(0.0 <= s.p <= 1.0 for s in j.limiters))
                self.assertNotIn(Cause.SKIN, j.limiter_share)

    def test_twenty_hours(self) -> None:
        n = 72_000
        power = np.where(np.arange(n) < 40, 60.0, 35.0) + 0.05 * RNG.standard_normal(n)
        j = judge(run_of(power))
        self.assertAlmostEqual(j.limits.sustained.value, 35.0, delta=0.1)
