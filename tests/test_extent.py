"""What of a run counts: all of a scene, by sums done here; passes; and that a fault cannot win."""

import unittest
from itertools import accumulate
from random import Random

import numpy as np

from pinch.analysis.digesting import digest_of
from pinch.analysis.judging import known_of
from pinch.analysis.points import RunPoint
from pinch.bench.records import Counts, Device, ExitStatus, Pass, Run, Setting, WorkKind, Workload, now
from pinch.core.errors import DataError
from pinch.core.extent import Extent
from pinch.core.figures import SettledState
from pinch.core.frames import GENERATED, with_frame_rate
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.metrics import AVERAGE
from pinch.core.runlog import RunLog, Series
from pinch.narrative.finding import finding
from tests import made

SCENE = Known(extent=Extent.SCENE)
DEVICE, SETTING = Device(id=1, name="Sandpiper 14"), Setting(id=1, device_id=1, name="Full")


def frames(*parts: tuple[float, float]) -> list[float]:
    """Frame times in ms: so many seconds at such a rate, one part after the other."""
    return [1000.0 / rate for seconds, rate in parts for _ in range(round(seconds * rate))]


def frame_log(ms: list[float], **others: np.ndarray) -> RunLog:
    """A log of single frames, with channels of one sample a second beside them."""
    ends = np.array(list(accumulate(ms))) / 1000.0
    series = {"frame.time": Series("frame.time", ends, np.array(ms))}
    for name, values in others.items():
        channel = name.replace("__", ".")
        series[channel] = Series(channel, np.arange(1.0, len(values) + 1), values)
    return with_frame_rate(RunLog(series))


def rate_of(j: Judgement) -> float:
    """What its average rate is."""
    assert j.rate is not None
    return j.figures[j.rate].sustained.value


class TestScenes(unittest.TestCase):
    def test_made_scenes_are_frames_over_time(self) -> None:
        for seed in range(30):
            chance = Random(seed)
            parts = [(chance.uniform(3, 40), chance.choice([3.0, 9.0, 25.0, 60.0, 140.0])) for _ in range(6)]
            ms = frames(*parts)
            by_hand = 1000.0 * len(ms) / sum(ms)
            self.assertAlmostEqual(rate_of(judge(frame_log(ms), SCENE)), by_hand, delta=1e-6 * by_hand, msg=str(seed))

    def test_a_slow_stretch_is_part_of_the_scene(self) -> None:
        """One that stood at 5 fps for 8 s of 70 is slower than one that did not; the same by counting frames."""
        even, halting = frames((70, 80)), frames((31, 80), (8, 5), (31, 80))
        found = [rate_of(judge(frame_log(ms), SCENE)) for ms in (even, halting)]
        self.assertAlmostEqual(found[0], 80.0, delta=0.01)
        self.assertAlmostEqual(found[1], (62 * 80 + 40) / 70, delta=0.02)

    def test_rates_without_frames_count_from_first_to_last_work(self) -> None:
        rate = np.concatenate([np.zeros(20), np.full(30, 90.0), np.zeros(10), np.full(30, 60.0), np.zeros(40)])
        power = np.concatenate([np.full(20, 5.0), np.full(70, 40.0), np.full(40, 5.0)])
        j = judge(made.log(frame_rate=rate, cpu_power=power), SCENE)
        self.assertAlmostEqual(rate_of(j), (30 * 90 + 30 * 60) / 70, places=6)
        self.assertAlmostEqual(j.figures["cpu.power"].sustained.value, 40.0, places=6)
        self.assertEqual(j.duration_s, 70.0)

    def test_passes_count_without_warm_up_and_waits(self) -> None:
        rate = np.concatenate([np.full(60, 200.0), np.zeros(30), np.full(60, 100.0), np.zeros(30), np.full(60, 50.0)])
        j = judge(made.log(frame_rate=rate), Known(extent=Extent.SCENE, passes_s=((90.0, 150.0), (180.0, 240.0))))
        self.assertAlmostEqual(rate_of(j), 75.0, places=6)

    def test_a_scene_in_two_passes_is_the_scene(self) -> None:
        log = frame_log(frames((40, 90), (20, 30), (40, 70)))
        whole = rate_of(judge(log, SCENE))
        halves = Known(extent=Extent.SCENE, passes_s=((0.0, 47.0), (47.0, 101.0)))
        self.assertAlmostEqual(rate_of(judge(log, halves)), whole, delta=1e-9)

    def test_the_rate_is_of_drawn_frames(self) -> None:
        """Every second of 120 frames a second is made up: 60 were drawn."""
        log = frame_log([1000.0 / 120.0] * 120 * 60)
        ends = log.series["frame.time"].t
        flags = Series(GENERATED, ends, (np.arange(len(ends)) % 2 == 0).astype(float))
        told = with_frame_rate(RunLog({"frame.time": log.series["frame.time"], GENERATED: flags}))
        for known in (SCENE, Known()):
            self.assertAlmostEqual(rate_of(judge(told, known)), 60.0, delta=0.02)
        kinds = judge(told, SCENE).kinds
        assert kinds is not None
        self.assertAlmostEqual(kinds.shown_fps, 120.0, delta=0.05)

    def test_energy_of_a_pass(self) -> None:
        """Two passes of 60 s at 36 W are 0.6 Wh each (arithmetic)."""
        power = np.concatenate([np.full(60, 36.0), np.full(30, 4.0), np.full(60, 36.0)])
        passes = (Pass(start_s=0, end_s=60, score=60.0), Pass(start_s=90, end_s=150, score=60.0))
        task = Workload(id=1, name="Chart Export", kind=WorkKind.TASK, score_unit="s", higher_is_better=False)
        figures = point(made.log(cpu_power=power, wall_power=1.25 * power), task, passes=passes).digest.figures
        self.assertAlmostEqual(figures["energy_pass"], 0.6, places=6)
        self.assertAlmostEqual(figures["energy_pass_wall"], 0.75, places=6)

    def test_words_say_what_counted(self) -> None:
        log = made.two_level(rest=60)
        j = judge(log, SCENE)
        self.assertIs(j.settled.state, SettledState.SCENE)
        words = finding(j)
        self.assertIn("on average over all 90 s", words)
        self.assertNotIn("GHz sustained", words)
        self.assertNotIn("Held", words)
        said = next(n.text for n in j.warnings if n.code == "scene")
        self.assertIn("All 90 s of the scene count, 33 % of it burst", said)
        by_hand = judge(log, Known(extent=Extent.SCENE, window_s=(60.0, 100.0)))
        self.assertIn("by hand", " ".join(n.text for n in by_hand.warnings))

    def test_what_cannot_be_seen_is_said_of_frames_alone(self) -> None:
        codes = {
            name: {
                n.code for n in judge(made.log(**{name: np.full(60, 50.0), "cpu_power": np.full(60, 20.0)})).warnings
            }
            for name in ("frame_rate", "score_rate")
        }
        self.assertIn("no-gpu-load", codes["frame_rate"])
        self.assertNotIn("no-gpu-load", codes["score_rate"])

    def test_nothing_in_the_log_ends_in_a_sentence(self) -> None:
        with self.assertRaises(DataError):
            judge(made.log(cpu_temp=np.full(30, 50.0)), SCENE)
        still = judge(made.log(frame_rate=np.zeros(30)), SCENE)
        self.assertEqual(rate_of(still), 0.0)

    def test_the_kind_says_what_counts_and_the_operator_may_differ(self) -> None:
        self.assertIs(Workload(name="a", kind=WorkKind.GAME).extent, Extent.SCENE)
        self.assertIs(Workload(name="a", kind=WorkKind.ALL_CORE).extent, Extent.SOAK)
        self.assertIs(Workload(name="a", kind=WorkKind.GAME, counts=Counts.SOAK).extent, Extent.SOAK)
        run = point(made.two_level(), passes=(Pass(start_s=0, end_s=9, warm_up=True), Pass(start_s=9, end_s=20))).run
        self.assertEqual(known_of(DEVICE, SETTING, Workload(name="a"), run).passes_s, ((9.0, 20.0),))


def point(log: RunLog, work: Workload | None = None, **fields: object) -> RunPoint:
    """A run with this log, judged as its workload wants it."""
    work = work or Workload(id=1, name="Tile Render", kind=WorkKind.ALL_CORE)
    run = Run(id=1, device_id=1, setting_id=1, workload_id=1, started=now(), status=ExitStatus.COMPLETE, **fields)
    judged = judge(log, known_of(DEVICE, SETTING, work, run))
    return RunPoint(run, DEVICE, SETTING, work, digest_of(run, log, judged, DEVICE), None)


def soak(rate: np.ndarray, power: np.ndarray) -> RunLog:
    return made.log(score_rate=rate, cpu_power=power, cpu_load=np.where(power > 10, 100.0, 2.0))


class TestFaults(unittest.TestCase):
    def test_a_mode_that_stood_still_cannot_win(self) -> None:
        """It runs a fifth faster, but stands still for 486 of 1200 s."""
        steady = point(soak(np.full(1200, 100.0), np.full(1200, 40.0)))
        rate = np.full(1200, 121.8)
        rate[300:786] = 0.0
        halting = point(soak(rate, np.where(rate > 0, 48.0, 4.0)))
        self.assertAlmostEqual(steady.value_of(AVERAGE) or 0.0, 100.0, delta=0.01)
        self.assertAlmostEqual(halting.value_of(AVERAGE) or 0.0, 121.8 * 714 / 1200, delta=0.8)
        self.assertAlmostEqual(halting.off_share, -486 / 1200, delta=0.01)
        self.assertAlmostEqual(halting.power_w or 0.0, (714 * 48 + 486 * 4) / 1200, delta=0.4)

    def test_waits_between_passes_are_no_standstill(self) -> None:
        rate = np.tile(np.concatenate([np.full(100, 80.0), np.zeros(50)]), 6)
        log = soak(rate, np.where(rate > 0, 40.0, 4.0))
        with_waits = Workload(id=1, name="Loop", kind=WorkKind.ALL_CORE, passes=6, pause_s=50.0, length_s=100.0)
        self.assertEqual(point(log, with_waits).off_share, 0.0)
        self.assertLess(point(log).off_share, -0.2)

    def test_one_that_falls_is_compared_by_all_of_its_load(self) -> None:
        fall = np.concatenate([np.full(600, 100.0), np.full(600, 90.0)])
        p = point(soak(fall, fall * 0.4))
        self.assertAlmostEqual(p.value_of(AVERAGE) or 0.0, 95.0, delta=0.5)

    def test_repeats_of_a_short_benchmark_all_count_alike(self) -> None:
        """Where the window of 75 s begins hangs on chance; none of the repeats is called settled."""
        rng = np.random.default_rng(3)
        states = {
            point(soak(20.0 + rng.normal(0, 0.4, 75), 40.0 + rng.normal(0, 0.5, 75))).digest.state for _ in range(12)
        }
        self.assertEqual(states, {SettledState.TOO_SHORT})

    def test_a_burst_is_no_fault(self) -> None:
        rate = np.concatenate([np.full(60, 150.0), np.full(540, 100.0)])
        p = point(soak(rate, rate * 0.4))
        self.assertEqual(p.off_share, 0.0)
        self.assertAlmostEqual(p.value_of(AVERAGE) or 0.0, 100.0, delta=0.1)

    def test_a_benchmark_of_75_s_is_a_result(self) -> None:
        p = point(soak(np.full(75, 20.0), np.full(75, 40.0)))
        self.assertEqual(p.why_not, "")
        self.assertAlmostEqual(p.rate or 0.0, 20.0)
        short = point(made.two_level(rest=25))
        self.assertEqual(short.digest.state, SettledState.TOO_SHORT)
        self.assertEqual(short.why_unusable, "")
        self.assertAlmostEqual(short.digest.seconds or 0.0, 55.0, delta=1.0)


if __name__ == "__main__":
    unittest.main()
