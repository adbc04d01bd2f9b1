"""The recorder: phases, essential keeping, cosmetic showing, and clean-up on every way out."""

import contextlib
import math
import os
import signal
import tempfile
import threading
import time
import unittest
from collections.abc import Callable, Sequence
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.bench import runlogs
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus, Pass, Run, Workload
from pinch.core.errors import PinchError
from pinch.core.judge import judge
from pinch.core.runlog import FloatArray, Mark
from pinch.recorder.alarms import Alarm
from pinch.recorder.child_rows import Sample, never
from pinch.recorder.clock import ClockWatch, SharedClock
from pinch.recorder.course import Course
from pinch.recorder.processes import ProbeProcess, WorkPass, WorkProgress
from pinch.recorder.recorder import NEXT, News, Phase, Recorder
from pinch.recorder.side import SideSample, SideSource
from pinch.runs.devices import ALL_CORES, add_rig, add_this_computer
from pinch.runs.recording import Recording, begin_recording
from pinch.runs.sourcing import RunRequest
from tests.waiting import PATIENCE_S, wait_until


class Script:
    """A sample source and a work source in one, on a clock that the test turns: one sample a call."""

    def __init__(self, fail_at: int | None = None) -> None:
        self.clock, self.fail_at = 1000.0, fail_at
        self.far = WorkProgress()
        self.told: list[str] = []
        self.happened: list[str] = []
        self.closed = 0

    def open(self, given_up: Callable[[], bool] = never) -> tuple[str, ...]:
        return ("cpu.power", "probe.load")

    def read(self, wait_s: float = 0.0) -> list[Sample]:
        if wait_s == 0.0:
            return [Sample(self.clock - 0.2, (5.0,))] if self.told[-1:] == ["start"] else []
        self.clock += 1.0
        if self.fail_at is not None and self.clock >= 1000 + self.fail_at:
            raise PinchError("The probe has ended.")
        return [Sample(self.clock, (40.0 if self.told else 4.0, math.nan))]

    def notes(self) -> list[str]:
        return ["no fan"]

    def events(self) -> list[str]:
        happened, self.happened = self.happened, []
        return happened

    def progress(self) -> WorkProgress:
        return self.far

    def start(self) -> None:
        self.told.append("start")

    def stop(self) -> None:
        self.told.append("stop")

    def close(self) -> None:
        self.closed += 1


class Shelf:
    """A keeper in memory; fails after so many calls where asked to."""

    def __init__(self, fail_after: int | None = None) -> None:
        self.fail_after = fail_after
        self.rows: dict[int, list[tuple[float, ...]]] = {}
        self.marks: list[Mark] = []
        self.ends: list[tuple[ExitStatus, str]] = []

    def begin(self, channels: Sequence[str]) -> int:
        self.rows[len(self.rows)] = []
        return len(self.rows) - 1

    def keep(self, stream: int, t: FloatArray, columns: list[FloatArray]) -> None:
        if self.fail_after is not None and len(self.rows[0]) >= self.fail_after:
            raise PinchError("the disk is full.")
        self.rows[stream] += list(zip(t.tolist(), *[c.tolist() for c in columns], strict=True))

    def mark(self, mark: Mark) -> None:
        self.marks.append(mark)

    def notes(self) -> list[str]:
        return []

    def end(self, status: ExitStatus, reason: str, passes: tuple[Pass, ...]) -> None:
        self.ends.append((status, reason))
        self.passes = passes


class Aside:
    """A meter with a sample for each of the script's, a quarter of a second earlier."""

    channels = ("wall.power",)

    def __init__(self, script: Script) -> None:
        self.script, self.closed = script, False

    def open(self) -> None:
        self.told = ["the meter is silent"]

    def read(self) -> list[SideSample]:
        return [SideSample(self.script.clock - 900.25, (62.0,))]

    def notes(self) -> list[str]:
        return []

    def events(self) -> list[str]:
        told, self.told = self.told, []
        return told

    def close(self) -> None:
        self.closed = True


def recorder(
    script: Script, shelf: Shelf, load_s: float = 30.0, alarms: Sequence[Alarm] = (), sides: Sequence[SideSource] = ()
) -> Recorder:
    return Recorder(script, script, shelf, "score.rate", Course(10.0, load_s), alarms, sides)


class TestPhases(unittest.TestCase):
    def test_idle_load_and_stop_by_the_sources_clock(self) -> None:
        script, shelf = Script(), Shelf()
        self.assertEqual(recorder(script, shelf).run(), ExitStatus.COMPLETE)
        self.assertEqual(script.told, ["start", "stop"])
        t = [row[0] for row in shelf.rows[0]]
        self.assertEqual(t, list(np.arange(1.0, 41.0)))
        self.assertEqual([row[1] for row in shelf.rows[0]], [4.0] * 10 + [40.0] * 30)
        self.assertAlmostEqual(shelf.rows[1][0][0], 9.8)
        self.assertEqual(shelf.ends, [(ExitStatus.COMPLETE, "")])
        self.assertGreaterEqual(script.closed, 2)

    def test_every_phase_but_the_last_leads_on(self) -> None:
        self.assertEqual(set(NEXT), set(Phase))
        self.assertEqual([p for p in Phase if not NEXT[p]], [Phase.ENDED])

    def test_passes_are_noted_and_the_last_ends_the_run(self) -> None:
        script, shelf = Script(), Shelf()

        class Timed(Script):
            def progress(self) -> WorkProgress:
                since = self.clock - 1010.0
                over = tuple(WorkPass(100.0 + n, 0) for n in range(3) if since >= 10 * (n + 1))
                return WorkProgress(min(3, 1 + int(max(0.0, since) // 10)) if since > 0 else 0, 3, over, len(over) == 3)

        script = Timed()
        made = Recorder(script, script, shelf, "score.rate", Course(10.0, math.inf, warm_up_pass=True))
        self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual([p.score for p in shelf.passes], [100.0, 101.0, 102.0])
        self.assertEqual([p.warm_up for p in shelf.passes], [True, False, False])
        self.assertEqual([p.end_s - p.start_s for p in shelf.passes][1:], [10.0, 10.0])
        self.assertEqual([m.text for m in shelf.marks], ["pass 2 begins", "pass 3 begins"])
        self.assertEqual(script.told, ["start", "stop"])

    def test_work_that_fails_fails_the_run(self) -> None:
        script, shelf = Script(), Shelf()
        script.far = WorkProgress(1, 1, (WorkPass(None, 3),), False, "The command ended with exit status 3.")
        self.assertEqual(recorder(script, shelf).run(), ExitStatus.FAILED)
        self.assertEqual(shelf.ends, [(ExitStatus.FAILED, "The command ended with exit status 3.")])
        self.assertEqual(shelf.passes[0].exit_status, 3)

    def test_the_operator_says_when_work_by_hand_is_over(self) -> None:
        script, shelf = Script(), Shelf()
        made = Recorder(script, script, shelf, "score.rate", Course(5.0, math.inf))
        made.listen(lambda news: made.finish() if news.t_s >= 60 else None)
        self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual(len(shelf.rows[0]), 60)

    def test_an_alarm_ends_the_load_and_says_why(self) -> None:
        script, shelf = Script(), Shelf()
        alarm = Alarm("cpu.power", 39.0)
        made = recorder(script, shelf, alarms=[alarm, Alarm("fan.1.speed", 1.0)])
        self.assertEqual(made.run(), ExitStatus.FAILED)
        self.assertEqual(len(shelf.rows[0]), 13, "three samples in a row")
        self.assertEqual(shelf.marks[0].text, "alarm: cpu.power is 40.0, above 39")
        self.assertIn("ended by an alarm", shelf.ends[0][1])
        self.assertGreaterEqual(script.closed, 2, "the load ends")
        self.assertTrue(Alarm("battery.charge", 20.0, above=False).rings(19.0))
        self.assertFalse(alarm.rings(math.nan))

    def test_timed_passes_with_waits_are_unattended(self) -> None:
        script, shelf, heard = Script(), Shelf(), list[News]()
        course = Course(10.0, 20.0, passes=3, pause_s=5.0, warm_up_pass=True)
        made = Recorder(script, script, shelf, "score.rate", course)
        made.listen(heard.append)
        self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual(script.told, ["start", "stop"] * 3)
        self.assertEqual([(p.start_s, p.end_s) for p in shelf.passes], [(10.0, 30.0), (35.0, 55.0), (60.0, 80.0)])
        self.assertEqual([(p.warm_up, p.score) for p in shelf.passes], [(True, 5.0), (False, 5.0), (False, 5.0)])
        self.assertEqual([(m.t_s, m.text) for m in shelf.marks], [(35.0, "pass 2 begins"), (60.0, "pass 3 begins")])
        self.assertEqual(course.total_s, 80.0)
        self.assertIn(Phase.PAUSE, {news.phase for news in heard})
        self.assertFalse([row for row in shelf.rows[1] if 31.0 < row[0] < 34.0], "no rate between passes")

    def test_a_run_goes_on_later_than_it_began(self) -> None:
        script, shelf = Script(), Shelf()
        made = Recorder(script, script, shelf, "score.rate", Course(10.0, 20.0, from_s=600.0))
        self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual((shelf.rows[0][0][0], shelf.rows[0][-1][0]), (601.0, 630.0))
        self.assertEqual([(p.start_s, p.end_s, p.score) for p in shelf.passes], [(610.0, 630.0, 5.0)])

    def test_a_value_read_by_hand_rings_at_once_and_a_pattern_watches_many(self) -> None:
        script, shelf = Script(), Shelf()
        alarm = Alarm("skin.*", 48.0)
        made = recorder(script, shelf, load_s=1e6, alarms=[alarm])
        heard: list[News] = []
        made.listen(heard.append)
        made.listen(lambda news: made.heed("skin.palm.temp", 47.0) if news.t_s == 15.0 else None)
        made.listen(lambda news: made.heed("skin.exhaust.temp", 55.0) if news.t_s == 20.0 else None)
        self.assertEqual(made.run(), ExitStatus.FAILED)
        self.assertEqual(len(shelf.rows[0]), 20)
        self.assertIn("skin.exhaust.temp is 55.0, above 48", heard[-1].alarm)
        self.assertEqual(script.told[-1], "stop", "the load ends")

    def test_sides_are_kept_on_the_time_of_the_run(self) -> None:
        script, shelf, heard = Script(), Shelf(), list[News]()
        side = Aside(script)
        made = recorder(script, shelf, sides=[side], alarms=[Alarm("wall.power", 500.0)])
        made.listen(heard.append)
        with mock.patch("pinch.recorder.recorder.local_s", lambda: script.clock - 900.0):
            self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual(shelf.rows[1][:3], [(0.75, 62.0), (1.75, 62.0), (2.75, 62.0)])
        self.assertEqual([m.text for m in shelf.marks], ["the meter is silent"])
        self.assertIn(62.0, [news.values.get("wall.power") for news in heard])
        self.assertTrue(side.closed)

    def test_a_channel_that_two_tell_is_kept_and_heard_of_under_a_number(self) -> None:
        class Twin(Aside):
            channels = ("cpu.power",)

        script, shelf, heard = Script(), Shelf(), list[News]()
        made = recorder(script, shelf, sides=[Twin(script)])
        made.listen(heard.append)
        with mock.patch("pinch.recorder.recorder.local_s", lambda: script.clock - 900.0):
            made.run()
        self.assertEqual({news.values["cpu.power.2"] for news in heard if "cpu.power.2" in news.values}, {62.0})
        self.assertNotIn(62.0, [news.values.get("cpu.power") for news in heard])

    def test_no_frame_is_lost_where_the_clocks_are_joined_anew(self) -> None:
        class Frames(Aside):
            """Sixteen frames a sample, while the clock that they are seen by goes back and forth by 20 ms."""

            channels = ("frame.time",)

            def read(self) -> list[SideSample]:
                late = 0.02 * (int(self.script.clock) % 2)
                return [SideSample(self.script.clock - 900.0 - late - 0.001 * n, (1.0,)) for n in range(16, 0, -1)]

        script, shelf = Script(), Shelf()
        with mock.patch("pinch.recorder.recorder.local_s", lambda: script.clock - 900.0):
            self.assertEqual(recorder(script, shelf, sides=[Frames(script)]).run(), ExitStatus.COMPLETE)
        t = [row[0] for row in shelf.rows[1]]
        self.assertEqual(len(t), 16 * 40)
        self.assertTrue((np.diff(t) > 0).all())

    def test_the_course_goes_on_while_the_device_is_out_of_reach(self) -> None:
        class Cut(Script):
            local = 50.0

            def read(self, wait_s: float = 0.0) -> list[Sample]:
                self.local += 1.0 if wait_s else 0.0
                return super().read(wait_s) if self.local < 70.0 or not wait_s else []

        script, shelf = Cut(), Shelf()
        with mock.patch("pinch.recorder.recorder.local_s", lambda: script.local):
            self.assertEqual(recorder(script, shelf, load_s=30.0).run(), ExitStatus.COMPLETE)
        self.assertEqual(len(shelf.rows[0]), 19)
        self.assertEqual(script.told, ["start", "stop"], "it was stopped when its time had come")
        self.assertAlmostEqual(script.local, 50.0 + 40.0, delta=1.5)

    def test_sleep_and_a_set_clock_become_marks(self) -> None:
        with mock.patch.object(
            ClockWatch, "_offsets", side_effect=[(0.0, 5.0), (0.2, 5.1), (90.2, 5.1), (90.2, -60.0)]
        ):
            watch = ClockWatch()
            self.assertEqual(watch.news(), [])
            self.assertEqual(watch.news(), ["this computer slept for 90 s"])
            self.assertIn("the wall clock was set by -65.1 s", watch.news()[0])

    def test_the_sample_with_the_least_delay_tells_the_clock(self) -> None:
        clock = SharedClock(2.0)
        self.assertIsNone(clock.at(10.0))
        for delay, at in ((0.3, 10.0), (0.01, 11.0), (0.2, 12.0)):
            clock.saw(1000.0 + 2.0 * at, at + delay)
        self.assertAlmostEqual(clock.at(20.0) or 0.0, 1040.0 - 0.02)

    def test_a_dying_source_keeps_what_came(self) -> None:
        script, shelf = Script(fail_at=25), Shelf()
        self.assertEqual(recorder(script, shelf).run(), ExitStatus.FAILED)
        self.assertEqual(len(shelf.rows[0]), 24)
        self.assertEqual(shelf.ends[0], (ExitStatus.FAILED, "The probe has ended."))
        self.assertGreaterEqual(script.closed, 2)

    def test_keeping_is_essential(self) -> None:
        script, shelf, heard = Script(), Shelf(fail_after=20), list[News]()
        made = recorder(script, shelf)
        made.listen(heard.append)
        with mock.patch("pinch.recorder.keeping.FLUSH_S", 0.0):
            self.assertEqual(made.run(), ExitStatus.FAILED)
        self.assertEqual(len(shelf.rows[0]), 20)
        self.assertEqual((heard[-1].status, heard[-1].reason), (ExitStatus.FAILED, "the disk is full."))
        self.assertGreaterEqual(script.closed, 2, "the load ends all the same")

    def test_showing_is_cosmetic(self) -> None:
        script, shelf, calls = Script(), Shelf(), list[News]()

        def broken(news: News) -> None:
            calls.append(news)
            raise RuntimeError("a chart failed")

        made, heard = recorder(script, shelf), list[News]()
        made.listen(broken)
        made.listen(heard.append)
        self.assertEqual(made.run(), ExitStatus.COMPLETE)
        self.assertEqual(len(calls), 1)
        self.assertGreater(len(heard), 40)
        self.assertEqual({n for news in heard for n in news.notes}, {"no fan"})

    def test_marks_and_stopping(self) -> None:
        script, shelf = Script(), Shelf()
        made = recorder(script, shelf, load_s=1e6)

        def act(news: News) -> None:
            if news.t_s == 15.0 and "cpu.power" in news.values:
                made.mark("lid closed")
                script.happened.append("governor: performance → powersave")
            if news.t_s == 25.0:
                made.stop()

        made.listen(act)
        self.assertEqual(made.run(), ExitStatus.STOPPED)
        self.assertEqual(
            [(m.t_s, m.text) for m in shelf.marks],
            [(15.0, t) for t in ("governor: performance → powersave", "lid closed")],
        )
        self.assertEqual(len(shelf.rows[0]), 25)

    def test_a_stamp_that_does_not_go_forward_is_left_out(self) -> None:
        class Stuttering(Script):
            def read(self, wait_s: float = 0.0) -> list[Sample]:
                samples = super().read(wait_s)
                return [*samples, *samples] if wait_s else []

        shelf = Shelf()
        recorder(Stuttering(), shelf).run()
        self.assertEqual([row[0] for row in shelf.rows[0]], list(np.arange(1.0, 41.0)))


class TestForReal(unittest.TestCase):
    """The rig and this very machine, through the same probe, recorder and book."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.book = create_book(Path(folder.name) / "a.pinch")
        self.addCleanup(self.book.close)

    def rig_request(self, load_s: float, scale: float = 60.0) -> RunRequest:
        add_rig(self.book)
        device = next(d for d in self.book.devices() if d.rig == "sandpiper")
        setting = next(s for s in self.book.settings(device.id or 0) if s.name == "Full")
        work = next(w for w in self.book.workloads() if w.name.startswith("Tile Render, all"))
        return RunRequest(device, setting, work, load_s, 15.0, 22.0, scale)

    def wait_for_rows(self, recording: Recording, rows: int) -> None:
        wait_until(lambda: runlogs.log_size(self.book, recording.run.id or 0)[1] >= rows)

    def test_rig_run_recorded_through_its_tree(self) -> None:
        recording = begin_recording(self.book, self.rig_request(240.0, 12.0))
        recording.mark("begun")
        self.assertTrue(recording.wait(PATIENCE_S))
        run = self.book.get(Run, recording.run.id or 0)
        self.assertEqual(run.status, ExitStatus.COMPLETE, run.reason)
        log = runlogs.read_log(self.book, run.id or 0)
        self.assertEqual([m.text for m in log.marks], ["begun"])
        judged = judge(log)
        self.assertAlmostEqual(judged.figures["cpu.power"].sustained.value, 45.0, delta=1.5)
        if not judged.gaps:  # a busy test machine leaves some at twelve times the speed, and a burst may lie in them
            self.assertAlmostEqual(judged.limits.window_s.value, 28.0, delta=5.0)
        self.assertTrue(14.0 < judged.load_start_s < 40.0, "a busy test machine may be late, never early")
        self.assertEqual(next(iter(judged.limiter_share)), "sustained-power")

    def test_this_machine_under_the_built_in_load(self) -> None:
        device = add_this_computer(self.book)
        setting = self.book.settings(device.id or 0)[0]
        work = next(w for w in self.book.workloads() if w.name == ALL_CORES.name)
        recording = begin_recording(self.book, RunRequest(device, setting, work, 8.0, 3.0))
        self.assertTrue(recording.wait(PATIENCE_S))
        run = self.book.get(Run, recording.run.id or 0)
        self.assertEqual(run.status, ExitStatus.COMPLETE, run.reason)
        log = runlogs.read_log(self.book, run.id or 0)
        self.assertGreaterEqual(len(log.series["score.rate"].t), 3)
        self.assertGreater(np.median(log.series["score.rate"].values), 50)
        load = log.series["cpu.load"]
        self.assertGreater(load.values[(load.t > 6) & (load.t < 10)].mean(), 50)
        self.assertLess(log.series["probe.load"].values.max(), 20)  # a machine lent to others takes longer for it
        self.assertLess(judge(log).load_start_s, 9.0)

    def test_a_killed_probe_ends_the_run_and_keeps_it(self) -> None:
        recording = begin_recording(self.book, self.rig_request(3600.0, 10.0))
        self.wait_for_rows(recording, 20)
        probe = recording._recorder._samples
        assert isinstance(probe, ProbeProcess) and probe._process is not None
        os.kill(probe._process.pid, signal.SIGKILL)
        self.assertTrue(recording.wait(PATIENCE_S))
        run = self.book.get(Run, recording.run.id or 0)
        self.assertEqual(run.status, ExitStatus.FAILED)
        self.assertIn("probe has ended", run.reason)
        self.assertGreater(run.samples or 0, 50)

    def test_two_books_of_one_file_while_recording(self) -> None:
        recording = begin_recording(self.book, self.rig_request(600.0))
        self.wait_for_rows(recording, 20)
        grown = []
        with contextlib.closing(open_book(self.book.path)) as other:
            for _ in range(4):
                time.sleep(0.8)
                grown.append(runlogs.log_size(other, recording.run.id or 0)[1])
                self.book.save(Device(name=f"device {len(grown)}"))
        recording.stop()
        self.assertTrue(recording.wait(PATIENCE_S))
        self.assertEqual(grown, sorted(grown))
        self.assertGreater(grown[-1], grown[0])
        self.assertEqual(recording.status, ExitStatus.STOPPED)
        self.assertEqual([t.name for t in threading.enumerate() if t.name == "recorder"], [])

    def test_absurd_requests_are_refused_before_anything_is_kept(self) -> None:
        request = self.rig_request(0.0)
        with self.assertRaisesRegex(PinchError, "length of a run"):
            begin_recording(self.book, request)
        with self.assertRaisesRegex(PinchError, "60 times"):
            begin_recording(self.book, self.rig_request(60.0, 1000.0))
        other = RunRequest(request.device, request.setting, Workload(id=1, name="Nothing"), 60.0)
        with self.assertRaisesRegex(PinchError, "no workload called Nothing"):
            begin_recording(self.book, other)
        self.assertEqual(self.book.runs(), [])
