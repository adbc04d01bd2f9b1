"""A device's twin: against simulators that share no code with it, its refusals, the command and the window."""

import contextlib
import io
import json
import math
import sys
import unittest
from pathlib import Path

import numpy as np
from scipy.integrate import solve_ivp

from pinch.cli.main import main
from pinch.core.predictive import Term, fit_law
from pinch.core.twin import Twin, twin_of
from pinch.core.twin_course import course_of
from pinch.core.twin_runs import HEAT, LIMIT, WORK, Change, TwinRefusedError, TwinRun
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import WHAT_IF
from pinch.ui.scale.page import ScalePage
from pinch.ui.scale.view import WHAT_IF as WHAT_IF_ON_SCALE
from tests.window_case import WindowCase, demo_book

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))
from twins import SIMULATORS, ask

TILE = "Tile Render, all cores"
TARGETS = {"power": 0.02, "clock": 0.015, "temp": 2.0, "score": 0.02}


def plain_run(limit_w: float, room_c: float = 20.0, **other: object) -> TwinRun:
    """A device of 1 K/W without scatter: clock and score go with the square root of the watts."""
    usual = {
        "cell": f"{limit_w:g} W in {room_c:g}",
        "limit_w": limit_w,
        "power_w": limit_w,
        "clock_mhz": 1000.0 * math.sqrt(limit_w),
        "score": math.sqrt(limit_w),
        "temp_c": room_c + limit_w,
        "room_c": room_c,
        "cause": "sustained-power",
        "burst_w": 100.0,
        "burst_s": 10.0 * math.log((100.0 - 5.0) / (100.0 - limit_w)),
        "idle_w": 5.0,
        "r": (0.3, 0.7),
        "tau": (10.0, 120.0),
    }
    return TwinRun(**{**usual, **other})  # type: ignore[arg-type]


PLAIN = tuple(plain_run(w) for w in (10.0, 20.0, 30.0, 40.0))
HOT = plain_run(80.0, cause="heat", power_w=55.0, temp_c=75.0, clock_mhz=1000 * math.sqrt(55.0), score=math.sqrt(55.0))


class TestLaw(unittest.TestCase):
    def test_without_prior_knowledge_it_is_least_squares(self) -> None:
        rng = np.random.default_rng(3)
        x = np.linspace(-1.0, 1.0, 40)
        rows, y = np.column_stack([np.ones(40), x]), 3.0 - 2.0 * x + 0.1 * rng.standard_normal(40)
        law = fit_law(rows, y, (Term(0.0, 1e4), Term(0.0, 1e4)), 0.1, 1e-6)
        wanted, left, *_ = np.linalg.lstsq(rows, y, rcond=None)
        np.testing.assert_allclose(law.mean, wanted, rtol=1e-5)
        self.assertAlmostEqual(law.sd, math.sqrt(float(left[0]) / 38), places=5)
        self.assertAlmostEqual(law.dof, 38.0, places=3)

    def test_one_point_leaves_what_was_known(self) -> None:
        law = fit_law(np.array([[1.0, 0.0]]), np.array([5.0]), (Term(0.0, 100.0), Term(2.0, 0.5)), 0.1, 4.0)
        self.assertAlmostEqual(float(law.mean[1]), 2.0)
        self.assertAlmostEqual(float(law.covariance[1, 1]), 0.25)


class TestSimulators(unittest.TestCase):
    def test_unseen_limits_of_devices_that_it_has_not_seen(self) -> None:
        # Three simulators without a line of its code; wanted: watts 2 %, clock 1.5 %, 2 K, score 2 %.
        for make in SIMULATORS:
            told = [one for seed in range(6) for one in ask(make, 500 + seed) if one.what == "inside"]
            self.assertGreaterEqual(len(told), 14)
            for name, most in TARGETS.items():
                rms = math.sqrt(sum(one.offs[name] ** 2 for one in told) / len(told))
                self.assertLess(rms, most, f"{make.__name__}, {name}")
                held = sum(one.held[name] for one in told) / len(told)
                self.assertGreaterEqual(held, 0.8, f"{make.__name__}, {name}")


class TestTwin(unittest.TestCase):
    def test_a_limit_between_others(self) -> None:
        told = Twin(PLAIN).predict(Change(limit_w=25.0))
        for figure, value in ((told.power, 25.0), (told.clock, 5000.0), (told.temp, 45.0), (told.score, 5.0)):
            self.assertAlmostEqual(figure.value / value, 1.0, delta=0.006)
            self.assertLess(figure.low, value)
            self.assertLess(value, figure.high)
        self.assertEqual((told.kind, told.certainty), (LIMIT, 1.0))

    def test_heat_in_a_warmer_room_and_with_a_better_cooler(self) -> None:
        # Heat holds 75 °C at 1 K/W: 75 − 28 = 47 W, and 10 % more with a cooler that carries so much more.
        twin = Twin((*PLAIN, HOT))
        told = twin.predict(Change(limit_w=55.0, room_c=28.0))
        self.assertEqual(told.kind, HEAT)
        self.assertAlmostEqual(told.power.value, 47.0, delta=0.4)
        better = twin.predict(Change(limit_w=60.0, room_c=28.0, cooling=0.1))
        self.assertAlmostEqual(better.power.value, 51.7, delta=0.4)

    def test_work_that_wants_no_more_and_a_lock(self) -> None:
        free = plain_run(90.0, cause="clock-ceiling", power_w=45.0, temp_c=65.0, clock_mhz=6708.0, score=6.708)
        told = Twin((*PLAIN, free)).predict(Change(limit_w=70.0))
        self.assertEqual(told.kind, WORK)
        self.assertAlmostEqual(told.power.value, 45.0, delta=0.7)
        locked = Twin((*PLAIN, free)).predict(Change(lock_mhz=5000.0))
        self.assertAlmostEqual(locked.power.value, 25.0, delta=0.4)

    def test_where_the_runs_do_not_reach_it_says_which_run_would_open_it(self) -> None:
        odd = plain_run(20.0, cause="skin", cell="at the skin's limit")
        for runs, change, why in (
            (PLAIN, Change(limit_w=50.0), r"It would draw 50.0 W, and was measured from 10.0 to 40.0 W: a run at 50 W"),
            (PLAIN, Change(limit_w=25.0, room_c=31.0), "within 10 K of a room of 31 °C.*nearest was in 20 °C"),
            (PLAIN, Change(limit_w=40.0, room_c=28.0), "8 K more than any run, and its heat limit is not known"),
            (PLAIN, Change(limit_w=25.0, fan="silent"), "with the fan at silent: one run with it opens this"),
            (PLAIN, Change(), "Without a limit nothing says how much it would draw"),
            (PLAIN[:2], Change(limit_w=15.0), "at three different watts, there are 2"),
            (
                (*PLAIN, odd),
                Change(limit_w=20.0),
                "held by surface heat, which a twin does not follow",
            ),
        ):
            with self.assertRaisesRegex(TwinRefusedError, why):
                Twin(runs).predict(change)
        with self.assertRaisesRegex(TwinRefusedError, "no run has met its heat limit of 50 °C"):
            Twin(PLAIN, limit_c=50.0).predict(Change(limit_w=40.0, room_c=24.0))
        with self.assertRaisesRegex(TwinRefusedError, "no settled run"):
            twin_of([plain_run(0.0)])

    def test_cells_that_are_left_out_say_how_good_it_is(self) -> None:
        worse = tuple(plain_run(r.limit_w, score=r.score * (1.1 if r.limit_w == 20.0 else 1.0)) for r in PLAIN)
        good, bad = Twin(PLAIN).misses["score"], Twin(worse).misses["score"]
        self.assertEqual(good.n, 2, "the least and the most watts are out of reach of the others")
        self.assertLess(good.most, 0.01)
        self.assertGreater(bad.most, 0.07)


class TestCourse(unittest.TestCase):
    def test_burst_and_warming_are_those_of_the_equations(self) -> None:
        twin = Twin(PLAIN)
        told = twin.predict(Change(limit_w=25.0))
        course = course_of(twin, told, 900.0)
        wanted = 10.0 * math.log((100.0 - 5.0) / (100.0 - 25.0))
        self.assertAlmostEqual(course.burst.value, wanted, delta=0.4)
        self.assertFalse(course.heat.known)

        def warms(t: float, x: np.ndarray) -> list[float]:
            power = 100.0 if t < wanted else 25.0
            return [(0.3 * power - x[0]) / 10.0, (0.7 * power - x[1]) / 120.0]

        solved = solve_ivp(warms, (0.0, 900.0), [1.5, 3.5], t_eval=course.t[1:], max_step=0.5)
        self.assertLess(float(np.abs(course.temp[:-1] - 20.0 - solved.y.sum(axis=0)).max()), 1.0)

    def test_the_time_until_heat_holds_it(self) -> None:
        twin = Twin((*PLAIN, HOT))
        course = course_of(twin, twin.predict(Change(limit_w=58.0, room_c=24.0)), 1800.0)
        # At 58 W and 1 K/W: 0.3 · 58 at once, 75 − 24 = 51 K when 0.7 · 58 · (1 − e^(−t/120)) + what it began with is.
        slow = (51.0 - 17.4) / 40.6
        expected = -120.0 * math.log((1.0 - slow) / (1.0 - 3.5 / 40.6))
        self.assertAlmostEqual(course.heat.value, expected, delta=0.2 * expected)
        self.assertEqual(course.meets_heat, 1.0)
        self.assertLess(float(course.temp.max()), 76.0)

    def test_without_logs_there_is_no_course(self) -> None:
        twin = Twin(tuple(plain_run(r.limit_w, r=(), tau=()) for r in PLAIN))
        with self.assertRaisesRegex(TwinRefusedError, "how fast it warms"):
            course_of(twin, twin.predict(Change(limit_w=25.0)), 900.0)


class TestCommand(unittest.TestCase):
    def say(self, *more: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        words = ["predict", "--book", str(demo_book()), "--workload", TILE, *more]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(words)
        return status, out.getvalue(), err.getvalue()

    def test_it_says_that_it_is_predicted_and_how_far_such_predictions_are_off(self) -> None:
        status, out, _ = self.say("--device", "Gannet", "--limit", "18", "--json")
        found = json.loads(out)
        self.assertEqual((status, found["predicted"], found["limiter"]), (0, True, "limit"))
        self.assertAlmostEqual(found["figures"]["power_W"]["value"], 18.0, delta=0.2)
        self.assertGreaterEqual(found["left_out_error"]["clock"]["cells"], 4)
        # The rig draws 4.5 W beside the package on battery: 60 · 47.2 Wh / 22.5 W.
        self.assertAlmostEqual(found["figures"]["battery_min"]["value"], 60 * 47.2 / 22.5, delta=1.0)
        plain = self.say("--device", "Gannet", "--limit", "18")[1]
        self.assertTrue(plain.startswith("Predicted, not measured: at a limit of 18 W"), plain)
        self.assertIn("Over time: its burst limit for 4 s, then its limit on power.", plain)
        hot = self.say("--device", "Limpet", "--limit", "54", "--ambient", "30")[1]
        self.assertRegex(hot, r"then its limit on power until [1-3]:\d\d, then its heat limit\.")

    def test_what_it_refuses_and_what_makes_no_sense(self) -> None:
        for words, why in (
            (("--device", "Gannet", "--limit", "60"), "no run has met its heat limit of 92 °C"),
            (("--device", "Limpet", "--limit", "45", "--ambient", "48"), "No run was made within 10 K"),
            (("--device", "Gannet", "--limit", "0"), "--limit: it is 0, it must be from 0.5 to 1000"),
            (
                (
                    "--device",
                    "nobody",
                ),
                "There is no device called 'nobody'",
            ),
        ):
            status, _, err = self.say(*words)
            self.assertEqual(status, 2)
            self.assertIn(why, err)


class TestWindow(WindowCase):
    demo = True

    def setUp(self) -> None:
        super().setUp()
        self.choose("Gannet", "20 W", TILE)

    def test_asked_beside_a_run(self) -> None:
        page = self.window.page(JudgePage)
        self.window.show_page(page)
        page.view.tabs.setCurrentIndex(WHAT_IF)
        pane = page.view.what_if
        self.wait_for(lambda: page.what_if.found is not None)
        self.assertEqual(pane.limit.value(), 20.0)
        pane.limit.setValue(18.0)
        self.wait_for(lambda: "limit of 18" in pane.words.text())
        chart = self.window.chart_shown()
        labels = [line.label for line in chart.panels[0].lines]  # type: ignore[union-attr]
        self.assertEqual((labels[0], labels[1].endswith("measured")), ("predicted", True))
        self.assertTrue(chart.panels[0].bands[0].hatched)  # type: ignore[union-attr]
        pane.table.setCurrentCell(0, 1)
        self.assertIn("predicted", self.window.margin.text)
        pane.limit.setValue(300.0)
        self.wait_for(lambda: "Heat would hold it" in pane.words.text())
        self.assertFalse(pane.table.isVisible())

    def test_on_scale_a_place_that_nobody_measured_is_marked(self) -> None:
        page = self.window.page(ScalePage)
        self.window.show_page(page)
        self.wait_for(lambda: page.view.result is not None)
        page.view.tabs.setCurrentIndex(WHAT_IF_ON_SCALE)
        self.wait_for(lambda: page.view.predicted is not None)
        dots = [d for d in page.view.drawn().panels[0].dots if d.predicted]
        self.assertEqual(len(dots), 1)
        self.assertIn("predicted", dots[0].texts[0])
        page.view.tabs.setCurrentIndex(0)
        self.assertFalse(any(d.predicted for d in page.view.drawn().panels[0].dots))


if __name__ == "__main__":
    unittest.main()
