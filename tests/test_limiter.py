"""What held the machine back, second by second: the rules that decide between two causes that look alike."""

import math
import unittest
from dataclasses import fields, replace

import numpy as np

from pinch.core import limiter
from pinch.core.causes import Cause
from pinch.core.limiter import Levels, Signals
from pinch.core.runlog import FloatArray

NAN = float("nan")
RNG = np.random.default_rng(11)


def signals(n: int, **channels: FloatArray | float | bool) -> Signals:
    """A load of n seconds in which what is not given was not logged, nothing is capped and no flag is up."""
    always = {"active": True, "logged": True, "capped": False, "heat_flag": False, "power_flag": False}
    given = {f.name: channels.get(f.name, always.get(f.name, NAN)) for f in fields(Signals)}
    return Signals(**{name: np.broadcast_to(np.asarray(value), n).copy() for name, value in given.items()})


def levels(**known: float) -> Levels:
    """Levels of which only those that are given are known."""
    none = {"burst_w": NAN, "sustained_w": NAN, "temp_limit_c": NAN, "ceiling_mhz": NAN}
    tolerances = {"power_tolerance_w": 0.2, "temp_tolerance_k": 2.0, "clock_tolerance_mhz": 10.0}
    return Levels(**{**none, **tolerances, "burst_bins": 0, "temp_given": False, "ceiling_given": False, **known})  # type: ignore[arg-type]


def causes(s: Signals, at: Levels) -> set[Cause]:
    """The causes that the seconds speak for."""
    return {limiter.CAUSES[k] for k in np.argmax(limiter.classify(s, at), axis=1)}


class TestClassify(unittest.TestCase):
    def test_busy_graphics_at_the_ceiling_hold_only_a_processor_that_waits(self) -> None:
        at = levels(ceiling_mhz=4000.0)
        for load, expected in ((100.0, Cause.CLOCK_CEILING), (60.0, Cause.GRAPHICS_BOUND)):
            s = signals(20, power=20.0, clock=4000.0, load=load, gpu_load=98.0)
            self.assertEqual(causes(s, at), {expected}, load)
        below = signals(20, power=20.0, clock=3000.0, load=100.0, gpu_load=98.0)
        self.assertEqual(causes(below, at), {Cause.GRAPHICS_BOUND}, "away from its ceiling a busy processor waits too")
        idle_gpu = signals(20, power=20.0, clock=3000.0, load=60.0, gpu_load=50.0)
        self.assertEqual(causes(idle_gpu, at), {Cause.WAITING})

    def test_at_a_power_level_neither_graphics_nor_waiting_is_the_cause(self) -> None:
        s = signals(20, power=35.4, clock=3000.0, load=60.0, gpu_load=99.0)
        self.assertEqual(causes(s, levels(sustained_w=35.0)), {Cause.SUSTAINED_POWER})
        self.assertEqual(causes(replace(s, power=s.power + 1.5), levels(sustained_w=35.0)), {Cause.GRAPHICS_BOUND})

    def test_heat_needs_less_power_than_the_limit_gives(self) -> None:
        at = levels(sustained_w=35.0, temp_limit_c=95.0)
        hot = signals(20, power=35.0, clock=3000.0, load=100.0, temp=95.0)
        self.assertEqual(causes(hot, at), {Cause.SUSTAINED_POWER}, "as hot as allowed, and yet all its power")
        self.assertEqual(causes(replace(hot, power=hot.power - 5), at), {Cause.HEAT})
        cool = replace(hot, power=hot.power - 5, temp=hot.temp - 20)
        self.assertEqual(causes(cool, at), {Cause.UNKNOWN}, "less power, cool, busy: nothing explains it")

    def test_what_the_log_says_itself_comes_first(self) -> None:
        s = signals(20, power=20.0, clock=3000.0, load=100.0, temp=60.0)
        self.assertEqual(causes(replace(s, heat_flag=~s.heat_flag), levels()), {Cause.HEAT})
        self.assertEqual(causes(replace(s, power_flag=~s.power_flag), levels()), {Cause.SUSTAINED_POWER})
        self.assertEqual(causes(s, levels()), {Cause.UNKNOWN})

    def test_burst_and_steady_level_that_are_too_close_are_told_by_time(self) -> None:
        s = signals(40, power=np.where(np.arange(40) < 10, 36.0, 35.0), clock=3000.0, load=100.0)
        found = np.argmax(limiter.classify(s, levels(burst_w=36.0, sustained_w=35.0, burst_bins=10)), axis=1)
        self.assertEqual({limiter.CAUSES[k] for k in found[:10]}, {Cause.BURST_POWER})
        self.assertEqual({limiter.CAUSES[k] for k in found[11:]}, {Cause.SUSTAINED_POWER})

    def test_a_blip_of_two_seconds_joins_its_neighbours_and_three_do_not(self) -> None:
        for length, expected in ((2, 1), (3, 3)):
            power = np.full(60, 35.0)
            power[30 : 30 + length] = 20.0
            s = signals(60, power=power, clock=3000.0, load=100.0)
            found = limiter.smooth(limiter.classify(s, levels(sustained_w=35.0)))
            parts = limiter.segments(found, np.arange(60.0), 1.0, levels(sustained_w=35.0), s)
            self.assertEqual(len(parts), expected)
            self.assertAlmostEqual(sum(limiter.shares(parts).values()), 1.0)


class TestLevels(unittest.TestCase):
    def heating(self, end_w: float, steady_c: float = 95.0) -> Signals:
        """Ten minutes that begin at 45 W and get to a temperature, where power goes to `end_w`."""
        t = np.arange(600.0)
        temp = np.minimum(steady_c, 50.0 + (steady_c - 50.0) * t / 120.0)
        power = np.interp(t, [0.0, 120.0, 240.0, 600.0], [45.0, 45.0, end_w, end_w])
        noise = RNG.standard_normal((2, 600))
        return signals(600, power=power + 0.05 * noise[0], temp=temp + 0.1 * noise[1], load=100.0, clock=80.0 * power)

    def limit_of(self, s: Signals) -> float:
        return limiter.recover_temp_limit(s, np.ones(len(s.power), dtype=bool), 0, limiter.TEMP_K)

    def test_a_limit_is_where_power_gave_way(self) -> None:
        self.assertAlmostEqual(self.limit_of(self.heating(30.0)), 95.0, delta=0.5)

    def test_either_sign_of_giving_way_is_enough(self) -> None:
        t = np.arange(600.0)
        noise = 0.05 * RNG.standard_normal(600)
        soon = signals(600, power=np.where(t < 15, 45.0, 30.0) + noise, temp=np.minimum(95.0, 80 + 3 * t), load=100.0)
        self.assertAlmostEqual(
            self.limit_of(soon), 95.0, delta=0.5, msg="hot at once, too soon to have drawn more cool"
        )
        temp = np.where(t < 60, 80.0, np.minimum(95.0, 80.0 + (t - 60)))
        rest = signals(600, power=np.where(t < 60, 45.0, 30.0) + noise, temp=temp, load=100.0)
        self.assertAlmostEqual(self.limit_of(rest), 95.0, delta=0.5, msg="it drew more while it was cooler")

    def test_a_temperature_that_merely_settles_is_no_limit(self) -> None:
        self.assertTrue(math.isnan(self.limit_of(self.heating(45.0))))

    def test_a_saw_tooth_shows_its_limit(self) -> None:
        t = np.arange(600) % 40
        temp = np.where(t < 15, 95.0 - 0.3 * t, 90.5 + 0.18 * (t - 15))
        s = signals(600, power=np.where(t < 15, 20.0, 45.0) + 0.1 * RNG.standard_normal(600), temp=temp, load=100.0)
        self.assertAlmostEqual(self.limit_of(s), 95.0, delta=1.5)

    def test_a_few_seconds_tell_no_limit(self) -> None:
        s = self.heating(30.0)
        short = Signals(**{f.name: getattr(s, f.name)[: limiter.LATE_BINS - 1] for f in fields(Signals)})
        self.assertTrue(math.isnan(self.limit_of(short)))

    def test_a_clock_that_stands_still_while_power_wanders_is_at_its_ceiling(self) -> None:
        t = np.arange(300.0)
        wandering = 30.0 + 3.0 * np.sin(t / 25.0)
        still = signals(300, power=wandering, clock=4200.0, load=100.0)
        self.assertAlmostEqual(limiter.recover_ceiling(still, 10.0), 4200.0)
        limited = signals(300, power=30.0, clock=4000.0 + 300.0 * np.sin(t / 25.0), load=100.0)
        self.assertTrue(math.isnan(limiter.recover_ceiling(limited, 10.0)), "at a power limit the clock wanders")

    def test_the_steady_level_is_the_one_that_was_kept_longest(self) -> None:
        power = np.concatenate([np.full(30, 60.0), np.full(100, 35.0), np.full(40, 28.0)])
        self.assertEqual(limiter.steady_level(power), 35.0)
        self.assertTrue(math.isnan(limiter.steady_level(np.linspace(10.0, 60.0, 100))), "a ramp keeps none")
        self.assertTrue(math.isnan(limiter.steady_level(np.full(limiter.LEVEL_BINS - 1, 35.0))))

    def test_a_higher_level_that_was_held_is_the_limit(self) -> None:
        power = np.concatenate([np.full(30, 40.0), np.full(200, 28.0)])
        s = signals(230, power=power, load=100.0, clock=3000.0, temp=60.0)
        found = limiter.find_levels(s, 0, None, None)
        self.assertEqual((found.sustained_w, found.temp_given), (40.0, False))
        self.assertTrue(limiter.find_levels(s, 0, 95.0, None).temp_given)
