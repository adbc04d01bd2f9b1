"""Following frame logs: half rows, rotation, columns, and where frames stand in time."""

import unittest

import numpy as np

from pinch.core.alignment import first_frame_s
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_RATE, FRAME_TIME, frame_rate, with_frame_rate
from pinch.core.runlog import RunLog, Series
from pinch.recorder.side import FrameSource
from pinch.rig.frame_maker import FrameMaker
from pinch.sources.frame_log import Frame, FrameLog
from tests.in_folder import InFolder


class TestFollowing(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "frames.csv"
        self.now = 100.0

    def follow(self, pattern: str = "frames.csv", column: str = "", pace: float = 1.0) -> FrameLog:
        log = FrameLog(str(self.folder / pattern), column, lambda: self.now, pace)
        self.addCleanup(log.close)
        log.open()
        return log

    def write(self, text: str, seconds: float = 1.0) -> None:
        with self.path.open("a", encoding="utf-8") as file:
            file.write(text)
        self.now += seconds

    def all_of(self, log: FrameLog) -> list[Frame]:
        """What is there, once the first rows are let go."""
        frames = log.read()
        self.now += 1.0
        return frames + log.read()

    def ms(self, log: FrameLog) -> list[float]:
        return [f.ms for f in self.all_of(log)]

    def test_appended_rows_halves_and_what_was_there_before(self) -> None:
        self.write("frame_ms\n5\n6\n7")
        log = self.follow()
        self.write(".5\n16.6\n8.")
        self.assertEqual(self.ms(log), [7.5, 16.6])
        self.write("3\n\n9\n")
        self.assertEqual(self.ms(log), [8.3, 9.0])
        self.assertEqual(log.left_out, 0)

    def test_a_log_that_comes_later_is_rotated_and_begun_anew(self) -> None:
        log = self.follow()
        self.assertIn("not there yet", log.notes[0])
        self.assertEqual(log.read(), [])
        self.write("t_s,frame_ms\n1,10\n")
        self.assertEqual(self.ms(log), [10.0])
        self.path.rename(self.folder / "frames.1.csv")
        self.write("t_s,frame_ms\n1,11\n2,12\n3,12\n")
        self.assertEqual(self.ms(log), [11.0, 12.0, 12.0])
        self.path.write_text("t_s,frame_ms\n1,13\n")
        self.assertEqual(self.ms(log), [13.0])
        self.assertIn("begun anew", log.notes[-1])

    def test_the_newest_of_several(self) -> None:
        import os

        log = self.follow("*.csv")
        for number, name in enumerate(("a.csv", "b.csv")):
            (self.folder / name).write_text(f"frame_ms\n{10 + number}\n")
            os.utime(self.folder / name, (1000 + number, 1000 + number))
            self.assertEqual(self.ms(log), [10.0 + number])

    def test_columns(self) -> None:
        for text, column, expected in (
            ("16.7\n33.4\n", "", [16.7, 33.4]),
            ("FRAME_MS\n16.7\n", "", [16.7]),
            ('scene;"took";gpu\nharbour;16,7;99\n', "took", [16.7]),
            ("t\tms\n0\t7.0\nt\tms\n0\t8.0\n", "ms", [7.0, 8.0]),
            ("frame_ms\n-3\nnan\n1e9\n0\n4\n", "", [4.0]),
        ):
            with self.subTest(text=text):
                self.path.unlink(missing_ok=True)
                log = self.follow(column=column)
                self.write(text)
                self.assertEqual(self.ms(log), expected)

    def test_that_frames_are_told_apart_is_said_once(self) -> None:
        log = self.follow()
        self.write("frame_ms,kind\n8.0,drawn\n8.0,generated\n")
        self.assertEqual(self.ms(log), [8.0, 8.0])
        self.write("8.0,generated\n")
        self.ms(log)
        said = [n for n in log.notes if "all count as drawn" in n]
        self.assertEqual(len(said), 1)

    def test_a_log_without_frames_is_said_once_and_the_run_goes_on(self) -> None:
        self.write("time,power\n1,2\n")
        with self.assertRaisesRegex(PinchError, "no column frame_ms; it has time, power"):
            self.follow().read()
        source = FrameSource(str(self.path), "")
        source.open()
        self.assertEqual((source.read(), source.read()), ([], []))
        self.assertEqual(len(source.notes()), 1)
        source.close()

    def test_a_row_without_end_is_refused(self) -> None:
        log = self.follow()
        self.write("frame_ms\n" + "9" * 3_000_000)
        with self.assertRaisesRegex(PinchError, "row of more than 1 MB"):
            for _ in range(4):
                log.read()

    def test_frames_stand_where_they_ended(self) -> None:
        """A writer that hands over blocks late: the block with the least delay tells the time."""
        log = self.follow()
        delays = iter([0.30, 0.02, 0.25, 0.1])
        frames: list[Frame] = []
        for second in range(4):
            self.now = 100.0 + second + 1.0 + next(delays)
            self.write("".join("20\n" for _ in range(50)), 0.0)
            frames += log.read()
        self.assertEqual(len(frames), 200)
        ends = np.array([f.local_s for f in frames])
        np.testing.assert_allclose(ends, 100.0 + 0.02 + 0.02 * np.arange(1, 201), atol=1e-9)

    def test_a_pause_is_a_hole_and_not_a_delay(self) -> None:
        log = self.follow()
        frames: list[Frame] = []
        for at in (101.0, 102.0, 112.0, 113.0):
            self.now = at
            self.write("".join("20\n" for _ in range(50)), 0.0)
            frames += log.read()
        ends = [f.local_s for f in frames]
        self.assertAlmostEqual(ends[99], 102.0)
        self.assertAlmostEqual(ends[100], 111.02)
        self.assertAlmostEqual(ends[-1], 113.0)
        self.assertEqual(ends, sorted(ends))


class TestRate(unittest.TestCase):
    def test_frames_over_time_and_never_a_mean_of_rates(self) -> None:
        # Second by second 10 ms and 30 ms frames in turn: 50 frames a second; the mean of momentary rates is 66.7.
        ms = np.tile([10.0, 30.0], 250)
        seconds, rate = frame_rate(np.cumsum(ms) / 1000.0, ms)
        np.testing.assert_allclose(rate, 50.0)
        np.testing.assert_allclose(seconds, np.arange(1.0, 11.0)[: len(seconds)])

    def test_a_pause_lowers_nothing(self) -> None:
        ms = np.full(500, 20.0)
        t = np.cumsum(ms) / 1000.0
        t[250:] += 7.3
        seconds, rate = frame_rate(t, ms)
        np.testing.assert_allclose(rate, 50.0, rtol=1e-6)
        self.assertNotIn(8.0, seconds.tolist(), "nothing is said of a second without frames")

    def test_a_log_begins_with_the_first_of_all_its_channels(self) -> None:
        late, early = np.arange(5.0, 9.0), np.arange(3.5, 30.0, 3.0)
        log = RunLog({"a": Series("a", late, late), "b": Series("b", early, early), "c": Series("c", late, late)})
        self.assertEqual(first_frame_s(log), 0.5, "the time that its first sample stands for is its own")

    def test_a_log_gets_its_rate_only_where_it_has_none(self) -> None:
        ms = np.full(300, 20.0)
        frames = Series(FRAME_TIME, np.cumsum(ms) / 1000.0, ms)
        made = with_frame_rate(RunLog({FRAME_TIME: frames}))
        np.testing.assert_allclose(made.series[FRAME_RATE].values, 50.0)
        own = Series(FRAME_RATE, np.array([1.0]), np.array([9.0]))
        self.assertIs(with_frame_rate(RunLog({FRAME_TIME: frames, FRAME_RATE: own})).series[FRAME_RATE], own)

    def test_the_rig_makes_as_many_frames_as_it_says(self) -> None:
        maker = FrameMaker(3)
        made = [f for _ in range(600) for f in maker.advance(60.0, 0.1)]
        self.assertAlmostEqual(len(made) / 60.0, 60.0, delta=2.0)
        ends = np.array([t for t, _ in made])
        np.testing.assert_allclose(np.diff(ends), [ms / 1000.0 for _, ms in made[1:]], atol=1e-9)
        maker.go_to(100.0)
        self.assertGreater(maker.advance(60.0, 0.1)[0][0], 100.0, "after a pause")
