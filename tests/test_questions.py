"""Questions: sequential bounds against published tables, errors in spite of looking, planning, window and command."""

import contextlib
import io
import json
import math
import shutil
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pinch.analysis.asking import questions_asked
from pinch.bench.bench_questions import Asks, ReviewQuestion
from pinch.bench.cards import CellsQuery
from pinch.bench.opening import open_book
from pinch.bench.plans import OrderRule
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload
from pinch.bench.summaries import Summary
from pinch.cli.main import main
from pinch.core.errors import PinchError
from pinch.core.sequential import BoundShape, bound_at, bounds, wald
from pinch.core.standing import LOOKS, NEITHER, NO, YES, KnownScatter, Stand, best_of, duel, level, precision
from pinch.narrative.question_words import answer_words, names_in, standing_words
from pinch.runs.question_plan import PLAN_NAME, keep_plan, plan_questions
from pinch.runs.whole_book import read_points
from pinch.ui.compare.page import ComparePage
from pinch.ui.plan.ask_dialog import AskDialog
from pinch.ui.plan.page import PlanPage
from pinch.ui.plan.view import QUESTIONS
from pinch.ui.publish.page import PublishPage
from tests.in_folder import InFolder
from tests.window_case import WindowCase, demo_book

TILE = "Tile Render, all cores"
KNOWN = KnownScatter(0.008, 30.0)


class TestBounds(unittest.TestCase):
    def test_published_tables(self) -> None:
        # Two-sided 5 %: Pocock's and O'Brien and Fleming's, as in Jennison and Turnbull 2000, tables 2.1 and 2.3 (from
        # memory).
        for looks, flat, falling in ((2, 2.178, 1.977), (3, 2.289, 2.004), (4, 2.361, 2.024), (5, 2.413, 2.040)):
            self.assertAlmostEqual(bounds(looks, 0.05, BoundShape.FLAT)[0], flat, places=3)
            self.assertAlmostEqual(bounds(looks, 0.05, BoundShape.FALLING)[-1], falling, places=3)
        self.assertAlmostEqual(bounds(10, 0.05, BoundShape.FLAT)[0], 2.555, places=3)
        self.assertAlmostEqual(bounds(5, 0.01, BoundShape.FLAT)[0], 2.986, places=3)
        self.assertAlmostEqual(bounds(1, 0.05, BoundShape.FLAT)[0], 1.959964, places=5)

    def test_student_for_a_scatter_that_is_estimated(self) -> None:
        normal = bounds(5, 0.05, BoundShape.FLAT)[0]
        self.assertAlmostEqual(bound_at(1, 5, 0.05, BoundShape.FLAT, math.inf), normal)
        self.assertAlmostEqual(bound_at(1, 1, 0.05, BoundShape.FLAT, 4.0), 2.776, places=3)  # Student's table
        self.assertGreater(bound_at(9, 5, 0.05, BoundShape.FLAT, 6.0), normal)

    def test_wald_against_a_walk(self) -> None:
        # Wald's closed forms leave out how far the walk passes its bounds, so the walk is a little longer.
        test, rng = wald(0.5, 0.05, 0.10), np.random.default_rng(5)
        for mean, expected in ((0.5, test.expected_under_shift), (0.0, test.expected_under_none)):
            lengths, wrong = [], 0
            for _ in range(1500):
                ratio, n = 0.0, 0
                while test.low < ratio < test.high:
                    n += 1
                    ratio += 0.5 * (rng.normal(mean) - 0.25)
                lengths.append(n)
                wrong += (ratio >= test.high) != (mean > 0)
            self.assertTrue(expected * 0.95 < np.mean(lengths) < expected * 1.30, (expected, np.mean(lengths)))
            self.assertLess(wrong / 1500, 0.10 if mean else 0.05)


class TestStanding(unittest.TestCase):
    def runs(self, gap: float, rng: np.random.Generator, known: KnownScatter) -> tuple[int | None, int]:
        a: list[float] = []
        b: list[float] = []
        while True:
            a.append(math.exp(gap + 0.008 * rng.standard_normal()))
            b.append(math.exp(0.008 * rng.standard_normal()))
            found = duel(np.array(a), np.array(b), 0.03, 0.95, known)
            if not found.is_open:
                return found.choice, len(a)

    def test_errors_hold_in_spite_of_looking(self) -> None:
        rng = np.random.default_rng(8)
        for known in (KNOWN, KnownScatter()):
            same = [self.runs(0.0, rng, known)[0] for _ in range(400)]
            self.assertLess(sum(c in (0, 1) for c in same) / 400, 0.075)  # 5 % and 2.3 standard errors of 400 trials
            apart = [self.runs(0.03, rng, known)[0] for _ in range(400)]
            self.assertLess(sum(c in (1, NEITHER) for c in apart) / 400, 0.075)

    def test_large_differences_take_one_run_each_where_the_scatter_is_known(self) -> None:
        one, other = np.array([1.1]), np.array([1.0])
        self.assertEqual(duel(one, other, 0.03, 0.95, KNOWN).choice, 0)
        self.assertEqual(duel(other, one, 0.03, 0.95, KNOWN).choice, 1)
        self.assertTrue(duel(one, other, 0.03, 0.95, KnownScatter()).is_open)
        self.assertTrue(duel(one, other, 0.03, 0.95, KnownScatter(0.008, 2.0)).is_open)

    def test_what_cannot_be_answered_is_given_up(self) -> None:
        noisy = KnownScatter(0.08, 30.0)
        a, b = np.array([1.00, 1.10, 0.95]), np.array([1.02, 0.97, 1.05])
        self.assertEqual(duel(a, b, 0.03, 0.95, noisy).stand, Stand.CANNOT)
        self.assertTrue(duel(a[:2], b[:2], 0.03, 0.95, noisy).is_open)
        begin = duel(np.array([]), b, 0.03, 0.95, noisy)
        self.assertEqual((begin.stand, begin.more), (Stand.OPEN, 1))

    def test_thresholds_precision_and_the_best_of_several(self) -> None:
        quiet = KnownScatter(0.004, 30.0)
        self.assertEqual(level(np.array([35.2, 35.1]), 34.3, 0.95, quiet).choice, YES)
        self.assertEqual(level(np.array([33.0, 33.1]), 34.3, 0.95, quiet).choice, NO)
        self.assertTrue(level(np.array([34.3]), 34.3, 0.95, quiet).is_open)
        self.assertEqual(precision(np.array([120.0, 121.0]), 0.02, 0.95, quiet).choice, YES)
        self.assertGreater(precision(np.array([120.0]), 0.002, 0.95, quiet).more, LOOKS - 3)
        found = best_of([np.array([1.0]), np.array([1.1]), np.array([0.9])], 0.03, 0.95, quiet)
        self.assertEqual([s.is_open for s in found], [False, False, False])
        self.assertEqual(found[1].choice, 0)


class TestBook(InFolder):
    """A book whose runs are told, without logs: the questions need measured ones, so these only plan."""

    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "asked.pinch"
        shutil.copy(demo_book(), self.path)
        self.book = open_book(self.path)
        self.addCleanup(self.book.close)
        for asked in self.book.questions():
            self.book.delete(asked)
        self.devices = {d.name: d for d in self.book.devices()}
        self.works = {w.name: w.id for w in self.book.workloads()}

    def setting(self, device: str, name: str) -> int:
        return next(s.id for s in self.book.settings(self.devices[device].id) if s.name == name)

    def ask(self, asks: Asks, work: str = TILE, **more: object) -> ReviewQuestion:
        return self.book.save(ReviewQuestion(name="q", asks=asks, workload_id=self.works[work], **more))  # type: ignore[arg-type]

    def plan(self, keep: bool = False):  # type: ignore[no-untyped-def]
        asked = questions_asked(read_points(self.path), self.book.questions())
        if keep:
            keep_plan(self.book, asked)
        return plan_questions(self.book, asked, datetime.now(UTC))

    def test_what_the_book_answers_already(self) -> None:
        faster = self.ask(Asks.FASTER, setting_ids=(self.setting("Gannet", "20 W"), self.setting("Limpet", "20 W")))
        self.ask(Asks.SWEET_SPOT, device_ids=(self.devices["Gannet"].id,))
        self.ask(Asks.HOLDS, setting_ids=(self.setting("Limpet", "Stock"),), room_c=31.0)
        self.ask(Asks.HOLDS, setting_ids=(self.setting("Limpet", "54 W"),))
        self.ask(Asks.LEAST_WATTS, "Skerry Run", device_ids=(self.devices["Gannet"].id,), fps=50.0)
        found, names = self.plan(), names_in(self.book)
        self.assertEqual([a.standing.stand for a in found.asked], [Stand.ANSWERED] * 5)
        words = [answer_words(a, names) for a in found.asked]
        self.assertRegex(words[0], r"Limpet, 20 W is faster than Gannet, 20 W at .*: \+7\.\d % \(\+5")
        self.assertIn("does not hold its watts", words[3])
        self.assertRegex(words[4], r"Gannet needs 15\.\d W .* for 50 fps")
        self.assertIsNone(found.sheet)
        points = {p.run.id: p for p in read_points(self.path).points}
        self.assertEqual({points[n].setting.name for n in found.asked[0].run_ids}, {"20 W"})
        self.assertGreater(found.saved_s(found.asked[0], self.book), 0.0)
        self.book.delete(faster)
        self.assertEqual(len(self.plan().asked), 4)

    def test_open_questions_share_their_runs_and_take_turns(self) -> None:
        pair = (self.setting("Gannet", "20 W"), self.setting("Limpet", "20 W"))
        self.ask(Asks.FASTER, "Chart Export", setting_ids=pair)
        alone = self.plan()
        self.ask(Asks.FASTER, "Chart Export", setting_ids=(pair[1], self.setting("Sandpiper 14", "22 W")))
        both = self.plan(keep=True)
        plan = next(p for p in self.book.plans() if p.name == PLAN_NAME)
        self.assertEqual((len(plan.cells), plan.order), (3, OrderRule.BALANCED))
        self.assertLess(both.left_s, 2.0 * alone.left_s)
        self.assertAlmostEqual(sum(both.costs.values()), both.left_s, places=3)
        self.assertTrue(both.least_s <= both.left_s <= both.most_s)
        again = self.plan(keep=True)
        self.assertEqual(len(self.book.plans()), len({p.id for p in self.book.plans()}))
        self.assertEqual(again.left_s, both.left_s, "kept once more it is the same plan")

    def test_runs_answer_and_the_rest_is_planned_anew(self) -> None:
        pair = (self.setting("Gannet", "20 W"), self.setting("Limpet", "20 W"))
        question = self.ask(Asks.FASTER, "Chart Export", setting_ids=pair)
        self.assertIn("Begins with a pilot", standing_words(self.plan().asked[0], names_in(self.book)))
        template = next(r for r in self.book.runs() if r.summary is None and r.setting_id == pair[0])
        points, made = read_points(self.path), []
        like = next(p for p in points.points if p.run.id == template.id)
        for n, (setting_id, rate) in enumerate(((pair[0], 100.0), (pair[1], 108.0)) * 2):
            run = template.model_copy(update={"kept_id": 90_000 + n, "setting_id": setting_id})
            setting = self.book.get(Setting, setting_id)
            work = self.book.get(Workload, question.workload_id)
            digest = like.digest.model_copy(update={"rate": rate * (1.0 + 0.001 * n), "whole_rate": None})
            made.append(type(like)(run, self.book.get(Device, setting.device_id), setting, work, digest, 22.0))
        before = questions_asked(points, [question])[0]
        self.assertTrue(before.standing.is_open and sum(n.runs for n in before.needs) == 4)
        with_runs = replace(points, points=(*points.points, *made))
        after = questions_asked(with_runs, [question])[0]
        self.assertEqual(
            (after.standing.stand, after.standing.choice, after.needs), (Stand.ANSWERED, 0, ()), "it is a time"
        )

    def test_a_told_score_answers_nothing(self) -> None:
        pair = (self.setting("Gannet", "20 W"), self.setting("Limpet", "20 W"))
        for n, setting_id in enumerate(pair * 3):
            ids = {"device_id": self.book.get(Setting, setting_id).device_id, "setting_id": setting_id}
            self.book.save(
                Run(
                    **ids,
                    workload_id=self.works["Chart Export"],
                    repeat=n + 1,
                    started=datetime.now(UTC) + timedelta(hours=n),
                    status=ExitStatus.COMPLETE,
                    summary=Summary(score=100.0 + 20.0 * (n % 2)),
                )
            )
        self.ask(Asks.FASTER, "Chart Export", setting_ids=pair)
        self.assertEqual(self.plan().asked[0].run_ids, ())

    def test_what_makes_no_question(self) -> None:
        own = self.setting("Gannet", "20 W")
        for fields, why in (
            ({"asks": Asks.FASTER, "setting_ids": (own, own)}, "2 to 2 different settings"),
            ({"asks": Asks.CROSSES, "device_ids": (1,)}, "2 different devices"),
            ({"asks": Asks.LEAST_WATTS, "device_ids": (1,)}, "needs the rate"),
            ({"asks": Asks.SWEET_SPOT, "device_ids": (1,), "rule": "best"}, "no rule of that name"),
        ):
            with self.assertRaisesRegex(ValueError, why):
                ReviewQuestion(name="q", workload_id=1, **fields)  # type: ignore[arg-type]
        gone = self.ask(Asks.FASTER, setting_ids=(own, 99_999))
        lost = self.ask(Asks.HOLDS, setting_ids=(99_999,))
        for found in questions_asked(read_points(self.path), [gone, lost]):
            self.assertEqual((found.standing.stand, "not in the book" in found.standing.reason), (Stand.CANNOT, True))

    def test_the_command(self) -> None:
        asked = Path(self.folder / "q.json")
        asked.write_text(
            json.dumps({"asks": "which is faster", "workload": TILE, "settings": ["Gannet / 20 W", "Limpet / 20 W"]})
        )
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["ask", str(asked), "--book", str(self.path), "--json"]), 0)
        found = json.loads(out.getvalue())["questions"][0]
        self.assertEqual((found["stand"], found["asks"], found["needs"]), ("answered", "which is faster", []))
        self.assertEqual(main(["ask", "--book", str(self.path), "--remove", str(found["id"])]), 0)
        for text, why in (
            ('{"asks": "why"}', "asks"),
            ('{"asks": "sweet spot", "workload": "nothing", "devices": ["Gannet"]}', "There is no workload called"),
            (json.dumps({"asks": "sweet spot", "workload": TILE}), "1 different devices"),
        ):
            asked.write_text(text)
            err = io.StringIO()
            with contextlib.redirect_stderr(err):
                self.assertEqual(main(["ask", str(asked), "--book", str(self.path)]), 2)
            self.assertIn(str(asked), err.getvalue())
            self.assertIn(why, err.getvalue())
        self.assertEqual(self.book.questions(), [], "what was wrong has left nothing")


class TestWindow(WindowCase):
    demo = True

    def page(self) -> PlanPage:
        page = self.window.page(PlanPage)
        self.window.show_page(page)
        page.view.tabs.setCurrentIndex(QUESTIONS)
        return page

    def ask(self, work: str, pair: tuple[str, str]) -> ReviewQuestion:
        book = self.session.book
        settings = {f"{d.name}, {s.name}": s.id for d in book.devices() for s in book.settings(d.id)}
        workload = next(w for w in book.workloads() if w.name == work)
        ids = (settings[pair[0]], settings[pair[1]])
        return ReviewQuestion(name="q", asks=Asks.FASTER, workload_id=workload.id, setting_ids=ids)

    def test_asked_answered_and_planned(self) -> None:
        page, book = self.page(), self.session.book
        for q in book.questions():
            page.asking.drop(q)
        page.asking.ask(self.ask(TILE, ("Gannet, 20 W", "Limpet, 20 W")))
        self.window.show_page(page)
        self.wait_for(lambda: page.view.questions.table.rowCount() == 1)
        self.assertEqual(page.view.questions.table.item(0, 0).text(), "answered")  # type: ignore[union-attr]
        sent = self.window.sent_by_page()
        self.assertIn("Limpet, 20 W is faster than Gannet, 20 W", sent.finding)
        with self.assertRaisesRegex(PinchError, "No question needs a run now"):
            page.plan_questions()
        page.asking.ask(self.ask("Chart Export", ("Gannet, 20 W", "Limpet, 20 W")))
        self.window.show_page(page)
        self.wait_for(lambda: page.view.questions.table.rowCount() == 2)
        page.plan_questions()
        self.wait_for(lambda: page.control.sheet is not None and page.control.sheet.plan.name == PLAN_NAME)
        self.assertEqual(len(page.control.sheet.sheet.runs), 4)  # type: ignore[union-attr]
        self.window.undo()
        self.assertNotIn(PLAN_NAME, [p.name for p in book.plans()])

    def test_asked_from_a_comparison_and_from_a_card(self) -> None:
        book, before = self.session.book, len(self.session.book.questions())
        page = self.window.page(ComparePage)
        self.choose("Gannet", "20 W", TILE)
        self.window.show_page(page)
        self.wait_for(lambda: page.view.comparison is not None)
        rows = [n for n, row in enumerate(page.view.verdicts.rows) if row.of is not None]
        page.view.verdicts.setCurrentCell(rows[1], 0)
        base = page.control.chosen[0].setting.id
        page.view.ask_chosen()
        asked = book.questions()[before:]
        self.assertEqual([q.asks for q in asked], [Asks.FASTER])
        self.assertEqual(asked[0].setting_ids[1], base)
        publish = self.window.page(PublishPage)
        self.window.show_page(publish)
        self.wait_for(lambda: publish.view.shown is not None)
        contents = publish.view.shown.deck.contents  # type: ignore[union-attr]
        compares = next(c for c in contents if isinstance(c.card.query, CellsQuery) and len(c.card.query.cells) > 1)
        publish.view.go_to_card(compares.card.id)
        publish.ask()
        self.assertEqual(len(book.questions()), before + 2)
        publish.view.go_to_card(contents[0].card.id)
        with self.assertRaisesRegex(PinchError, "does not compare two settings"):
            publish.ask()

    def test_the_form_gives_what_was_typed(self) -> None:
        book = self.session.book
        devices = book.devices()
        settings = [s for d in devices for s in book.settings(d.id)]
        dialog = AskDialog(devices, settings, book.workloads(), (devices[0].id, settings[1].id, None), self.window)
        dialog.asks.setCurrentIndex(list(Asks).index(Asks.LOCK))
        dialog.accept()
        self.assertIn("2 to 12 different settings", dialog.error.text())
        dialog.asks.setCurrentIndex(list(Asks).index(Asks.HOLDS))
        dialog.watts.setValue(25.0)
        dialog.room.setValue(30.0)
        dialog.accept()
        q = dialog.question
        assert q is not None
        self.assertEqual((q.asks, q.setting_ids, q.watts, q.room_c), (Asks.HOLDS, (settings[1].id,), 25.0, 30.0))


if __name__ == "__main__":
    unittest.main()
