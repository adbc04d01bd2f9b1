"""What the pages know, apart from Qt: cards, live values, rows, headlines, the session's subject."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication

from pinch.analysis.curves import CurveSeries, ScaleChoice, ScaleResult, scale_book
from pinch.analysis.judging import JudgeDesk
from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.scene_records import records_of_scene
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.digests import Digest
from pinch.bench.records import Device, ExitStatus, Pass, Run, Setting, Workload, now
from pinch.core.errors import PinchError
from pinch.core.frames import with_frame_rate
from pinch.core.judge import judge
from pinch.core.known import Known
from pinch.core.runlog import RunLog, Series
from pinch.narrative import curve_words
from pinch.recorder.course import Course
from pinch.recorder.recorder import News, Phase
from pinch.rig import catalogue
from pinch.rig.device import simulate_run
from pinch.runs.whole_book import read_points
from pinch.ui.app import make_application
from pinch.ui.background import Job
from pinch.ui.changes import Changes
from pinch.ui.judge.facts import frame_facts
from pinch.ui.judge.state import JudgedRun
from pinch.ui.run.state import LiveRun, large_value
from pinch.ui.scale import state as scale_state
from pinch.ui.session import Session
from pinch.ui.shell.context_strip import run_words
from tests import made
from tests.waiting import PATIENCE_S

DEVICE = Device(id=1, name="Gannet", status="pre-production")
SETTING = Setting(id=1, device_id=1, name="Full", sustained_w=45.0)
WORK = Workload(id=1, name="Tile Render", score_unit="tiles/s")


def run(**fields: object) -> Run:
    start = {
        "id": 1,
        "device_id": 1,
        "setting_id": 1,
        "workload_id": 1,
        "started": now(),
        "status": ExitStatus.COMPLETE,
    }
    return Run(**{**start, **fields})


def judged_run(log: RunLog, **fields: object) -> JudgedRun:
    return JudgedRun(run(**fields), DEVICE, SETTING, WORK, log, judge(log, Known(temp_limit_c=95.0)))


class TestRecordsOfAScene(unittest.TestCase):
    def test_several_records_stand_in_place_of_one(self) -> None:
        lows = {"low_1.percentile": 40.0}
        runs = [
            RunPoint(run(id=n), DEVICE, SETTING, WORK, Digest(rate=60.0, lows={"low_1.percentile": low}), 22.0)
            for n, low in enumerate((40.0, 41.0, 42.0, 47.0), 1)
        ]
        other = RunPoint(run(id=9, ambient_c=30.0), DEVICE, SETTING, WORK, Digest(rate=50.0, lows=lows), 30.0)
        book = BookPoints((*runs[:2], other), (DEVICE,), (WORK,), {}, ())
        self.assertEqual(records_of_scene(book, runs[0].run), {}, "two of this room are too few")
        found = records_of_scene(replace(book, points=(*runs, other)), runs[0].run)["low_1.percentile"]
        low, high = found.interval()
        logs = np.log([40.0, 41.0, 42.0, 47.0])
        reach = 3.182446 * logs.std(ddof=1) / 2.0  # Student's t of 3, NIST e-Handbook 1.3.6.7.2
        self.assertAlmostEqual(math.log(high / low), 2 * reach, places=5)
        t = np.arange(1.0, 1201.0) / 20.0
        of_frames = with_frame_rate(
            RunLog({"frame.time": Series("frame.time", t, np.where(np.arange(1200) % 7 == 0, 52.0, 49.67))})
        )
        shown = replace(judged_run(of_frames), records={"low_1.percentile": found})
        fact = frame_facts(shown)[0]
        self.assertRegex(fact.values[0], r"^19\.2 fps \(4 records: 3\d\.\d to 4\d\.\d\)$")
        self.assertNotIn("records", fact.values[1])
        assert fact.explanation is not None
        self.assertIn("4 records of this scene come to 42.5 fps", fact.explanation.uncertainty)


class TestCards(unittest.TestCase):
    def setUp(self) -> None:
        log = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 900, seed=6).log
        self.shown = judged_run(log, ambient_c=22.0)
        self.cards = {c.caption: c for c in self.shown.cards()}

    def test_values_are_printed_as_the_figures_are(self) -> None:
        figures, cards = self.shown.judged.figures, self.cards
        self.assertEqual(cards["Sustained power"].value, f"{figures['cpu.power'].sustained.value:.1f}")
        self.assertEqual(cards["Sustained clock"].value, f"{figures['cpu.clock'].sustained.value / 1000:.2f}")
        self.assertEqual(cards["Sustained clock"].unit, "GHz")
        self.assertEqual(cards["Score rate"].unit, "tiles/s")
        self.assertEqual(cards["Power held"].value, f"{100 * figures['cpu.power'].hold:.0f}")
        self.assertIn("claimed 45", cards["Sustained power"].second)
        self.assertIn("window 28 s", cards["Burst power"].second)
        self.assertRegex(cards["Temperature"].second, r"^\d+ K to limit(, peak \d+)?$")

    def test_the_footnote_names_conditions_and_status(self) -> None:
        for words in ("Tile Render", "room 22 °C", "mains", "pre-production unit"):
            self.assertIn(words, self.shown.footnote)
        self.assertIn("room not noted", judged_run(made.two_level()).footnote)

    def test_the_strip_answers_at_every_second_of_the_load(self) -> None:
        judged = self.shown.judged
        for t in range(int(judged.load_start_s) + 2, int(judged.load_end_s), 37):
            self.assertIsNotNone(self.shown.explain_at(t + 0.5), t)
        self.assertIsNone(self.shown.explain_at(5.0))

    def test_a_void_or_cut_off_run_says_so_first(self) -> None:
        self.assertTrue(judged_run(made.two_level(), void="Lid closed.").headline.startswith("Void: Lid closed. Held"))
        self.assertIn("no stop", judged_run(made.two_level(), status=None).overview()[1])

    def test_no_burst_and_no_limit_are_said(self) -> None:
        log = made.two_level(burst=0)
        cards = {c.caption: c for c in JudgedRun(run(), DEVICE, SETTING, WORK, log, judge(log)).cards()}
        self.assertEqual((cards["Burst power"].value, cards["Burst power"].second), ("none", "no burst in this run"))
        self.assertEqual(cards["Temperature"].second, "limit not known")

    def test_at_the_limit(self) -> None:
        log = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 900, 38.0).log
        cards = {c.caption: c for c in judged_run(log).cards()}
        self.assertEqual(cards["Temperature"].second, "at its limit, peak 96")


class TestLive(unittest.TestCase):
    def test_news_are_taken_in(self) -> None:
        live = LiveRun("score.rate", Course(15.0, 300.0))
        live.note(News(Phase.IDLE, 3.0, {"cpu.power": 4.0, "cpu.temp": math.nan}, ("no fan",)))
        live.note(News(Phase.LOAD, 16.0, {"cpu.power": 64.0, "cpu.load": 100.0, "probe.load": 0.2}))
        self.assertEqual(live.series["cpu.power"].values.tolist(), [4.0, 64.0])
        self.assertEqual(live.series["cpu.power"].t.tolist(), [3.0, 16.0])
        self.assertNotIn("cpu.temp", live.values)
        self.assertEqual(live.words, "Under load, 0:16 of 5:15")
        self.assertEqual((live.probe_cost, live.notes), (0.2, ["no fan"]))

    def test_what_is_missing_is_replaced_by_load(self) -> None:
        live = LiveRun("score.rate", Course(0.0, 60.0))
        live.note(News(Phase.LOAD, 5.0, {"cpu.load": 99.0, "cpu.clock": 2700.0}))
        self.assertEqual([c for c, _ in live.shown_channels()], ["cpu.load", "cpu.clock", "score.rate"])

    def test_a_long_run_stays_light(self) -> None:
        live = LiveRun("score.rate", Course(0.0, 1e5))
        for t in range(9000):
            live.note(News(Phase.LOAD, float(t), {"cpu.power": float(t % 4)}))
        thin = live.series["cpu.power"]
        self.assertEqual((len(thin.t), thin.width), (2250, 4))
        self.assertEqual(set(thin.values), {1.5}, "means of whole neighbours, nothing picked")
        self.assertEqual((thin.t[0], thin.t[-1]), (1.5, 8997.5), "the whole run stays in view")

    def test_large_values(self) -> None:
        self.assertEqual(large_value("cpu.clock", 3456.0), ("3.46", "GHz"))
        self.assertEqual(large_value("cpu.power", 45.04), ("45.0", "W"))
        self.assertEqual(large_value("score.rate", 7265.1), ("7265", "1/s"))
        self.assertEqual(large_value("cpu.temp", None), ("–", "°C"))


class TestScaleState(unittest.TestCase):
    def result(self, watts: list[float], scores: list[float], **choice: object) -> ScaleResult:
        points = [
            RunPoint(
                run(id=i, repeat=1, void="lid" if s < 0 else ""),
                DEVICE,
                Setting(id=i, device_id=1, name=f"{w:g}", sustained_w=w),
                WORK,
                Digest(state="settled", power_w=w * 1.06, rate=abs(s), shares={"sustained-power": 1.0}),
                22.0,
            )
            for i, (w, s) in enumerate(zip(watts, scores, strict=True))
        ]
        book = BookPoints(tuple(points), (DEVICE,), (WORK,), {}, ())
        return scale_book(book, ScaleChoice((1,), (1,), **choice))  # type: ignore[arg-type]

    def test_rows_by_measured_watts_with_the_claim_beside(self) -> None:
        rows = scale_state.setting_rows(self.result([30, 10, 20], [9, 5, 8]))
        self.assertEqual([r.cells[0] for r in rows], ["10", "20", "30"])
        self.assertEqual({r.cells[4] for r in rows}, {"+6 %"})
        self.assertEqual(rows[0].cells[3], "10.6", "no spread of a single run")

    def test_headlines(self) -> None:
        def headline(*of: list[float]) -> str:
            return curve_words.headline(self.result(*of), 1)

        self.assertIn("reaches 95 % of its best", headline([10, 20, 30], [5, 8, 9]))
        self.assertIn("already gives 95 %", headline([10, 20, 30], [9, 9.1, 9.1]))
        self.assertIn("no curve yet", headline([10, 20], [5, 8]))
        self.assertIn("no run", headline([10], [-5]))
        self.assertIn("No run", headline([], []))

    def test_the_margin_repeats_what_was_left_out(self) -> None:
        result = self.result([10, 20, 30, 40], [5, 8, 9, -1])
        row = scale_state.spot_rows(result)[0]
        spot = row.explained(5)
        assert spot is not None and row.explanation is not None
        self.assertIn("40, run 1: void: lid", spot.cautions)
        self.assertIn("No interval", spot.uncertainty)
        self.assertEqual(spot.formula[0], "0.95 × 9 = 8.55 tiles/s")
        self.assertIn("No setting was repeated", row.explanation.uncertainty)
        self.assertEqual(row.cells[-1], "power, clock and heat")

    def test_a_target_beyond_what_was_measured(self) -> None:
        row = scale_state.target_rows(self.result([10, 20, 30], [5, 8, 9], target=12.0, low_share=0.8))[0]
        self.assertEqual(row.cells[1], "not measured")
        self.assertIn("Its lows are not known", row.cells[4])
        watts = scale_state.target_rows(self.result([10, 20, 30], [5, 8, 9], target=8.0))[0].cells[1]
        self.assertAlmostEqual(float(watts.split()[0]), 21.2, delta=0.3)


class SessionCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.pinch"
        book, *self.cell = made.book_with_cell(self.path)
        self.fill(book)
        self.session = Session(book)
        self.addCleanup(self.session.close)

    def fill(self, book: Book) -> None:
        """Two runs of the cell, one without a rate of work."""
        for log in (made.two_level(), made.two_level(p1=30.0)):
            runlogs.add_log(book, made.new_run(book, *self.cell), log)


class TestSession(SessionCase):
    def test_it_opens_on_a_run(self) -> None:
        self.assertEqual(self.session.run.repeat, 1)  # type: ignore[union-attr]
        self.session.step_run(1)
        self.session.step_run(1)
        self.assertEqual(self.session.run.repeat, 2)  # type: ignore[union-attr]

    def test_what_does_not_fit_together_is_let_go(self) -> None:
        other = self.session.book.save(Device(name="Limpet"))
        self.session.choose(other.id, self.cell[1].id, self.cell[2].id, 1)
        self.assertEqual((self.session.subject.setting_id, self.session.subject.run_id), (None, None))

    def test_events_come_once_a_change(self) -> None:
        heard: list[str] = []
        self.session.subject_changed.connect(lambda: heard.append("subject"))
        self.session.records_changed.connect(lambda: heard.append("records"))
        s = self.session.subject
        self.session.choose(s.device_id, s.setting_id, s.workload_id, s.run_id)
        self.assertEqual(heard, [])
        Changes(self.session).keep_notes(1, "warm")
        self.assertEqual(heard, ["records"])
        Changes(self.session).keep_notes(1, "warm")
        self.assertEqual(heard, ["records"], "no change, no step")

    def test_devices_keep_their_colours(self) -> None:
        added = [self.session.book.save(Device(name=n)).id or 0 for n in ("Limpet", "Gannet")]
        self.assertEqual([self.session.slot(i) for i in (self.cell[0].id or 0, *added)], [0, 1, 2])

    def test_the_desk_judges_a_grown_run_anew(self) -> None:
        desk, first = JudgeDesk(self.session.book), self.session.run
        assert first is not None
        _, judged = desk.judge(first)
        self.assertIs(desk.judge(first)[1], judged)
        stream = runlogs.add_stream(self.session.book, first.id or 0, ["fan.1.speed"])
        runlogs.append(self.session.book, stream, made.np.array([1.0]), [made.np.array([900.0])])
        self.assertIsNot(desk.judge(first)[1], judged)

    def scaled(self, work: Workload) -> CurveSeries:
        points = read_points(self.path)
        points = replace(points, workloads=(work,), points=tuple(replace(p, workload=work) for p in points.points))
        return scale_book(points, ScaleChoice((self.cell[0].id or 0,), (work.id or 0,))).series[0]

    def test_scaling_says_why_a_run_is_left_out(self) -> None:
        for run in self.session.book.runs():
            self.session.book.save(run.model_copy(update={"status": ExitStatus.COMPLETE}))
        found = self.scaled(self.cell[2])
        self.assertEqual((len(found.points), len(found.left_out)), (0, 2))
        self.assertIn("no rate of work and no score", found.left_out[0].text)

    def test_scores_of_passes_stand_where_no_rate_was_logged(self) -> None:
        work = self.cell[2]
        first = self.session.book.runs()[0]
        warm, second = Pass(start_s=1, end_s=5, warm_up=True, score=9.0), Pass(start_s=5, end_s=9, score=41.0)
        passes = (warm, second, Pass(start_s=9, end_s=12, score=43.0))
        self.session.book.save(first.model_copy(update={"passes": passes, "status": ExitStatus.COMPLETE}))
        self.assertEqual([p.score for p in self.scaled(work).points], [42.0])
        slow = work.model_copy(update={"higher_is_better": False, "score_unit": "s"})
        self.assertEqual([p.score for p in self.scaled(slow).points], [3600 / 42.0], "times an hour")

    def test_run_words(self) -> None:
        words = run_words(run(ambient_c=31.0, void="lid", repeat=3), "Even")
        self.assertTrue(words.startswith("Even, 3 · "))
        self.assertTrue(words.endswith("31 °C · void"))
        self.assertIn("no stop", run_words(run(status=None)))


class TestJob(unittest.TestCase):
    def setUp(self) -> None:
        self.app = make_application()

    def outcome(self, job: Job) -> list[tuple[str, object]]:
        heard: list[tuple[str, object]] = []
        job.finished.connect(lambda result: heard.append(("finished", result)))
        job.failed.connect(lambda text: heard.append(("failed", text)))
        job.start()
        job.wait(PATIENCE_S)
        QCoreApplication.processEvents()
        return heard

    def test_result_and_failure(self) -> None:
        self.assertEqual(self.outcome(Job("Testing", lambda go_on: go_on(0.5))), [("finished", True)])

        def fails(_: object) -> None:
            raise PinchError("The disk is full.")

        self.assertEqual(self.outcome(Job("Testing", fails)), [("failed", "The disk is full.")])

    def test_a_cancelled_job_says_nothing(self) -> None:
        job = Job("Testing", lambda go_on: go_on(0.5))
        job.cancel()
        self.assertEqual(self.outcome(job), [])
