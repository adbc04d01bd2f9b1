"""The Judge page's parts: frames, heat, all runs, overlay, events, the window by hand; and the digests behind."""

import contextlib
import pickle
import sqlite3
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPicture
from PyQt6.QtWidgets import QApplication, QInputDialog
from pyqtgraph import AxisItem

from pinch.bench.digests import Digest, KeptDigest, keep_digests, read_digests
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, Run
from pinch.bench.runlogs import add_log, read_log
from pinch.core.method import METHOD, changes_since
from pinch.core.progress import CancelledError
from pinch.core.runlog import runlog_from_columns
from pinch.intake.belonging import import_log
from pinch.intake.shelf import Shelf
from pinch.runs import run_digests
from pinch.runs.whole_book import digest_book
from pinch.ui.bench.page import BenchPage
from pinch.ui.judge import list_control
from pinch.ui.judge.channels_dialog import ChannelsMeantDialog
from pinch.ui.judge.facts import _apart, overlay
from pinch.ui.judge.listing import run_listing
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.runs_pane import RunsModel
from pinch.ui.judge.view import FRAMES, HEAT, OVERLAY, RUNS, TIME
from pinch.ui.searching import Search
from pinch.ui.shell.methods import methods_text
from tests.in_folder import InFolder
from tests.window_case import WindowCase


class TestDigests(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.pinch"
        book = create_book(self.path)
        self.addCleanup(book.close)
        self.book = book
        records = Shelf(book).place(("Limpet", "Stock", "Tile Render", ""), 35.0)
        t = np.arange(1.0, 401.0)
        power = np.where(t > 20, 35.0, 4.0) + 0.05 * np.sin(t)
        self.run_made = import_log(book, runlog_from_columns(t, {"cpu.power": power}), *records, "a.csv")

    def test_judged_once_and_again_where_something_changed(self) -> None:
        with mock.patch.object(run_digests, "digest_of", wraps=run_digests.digest_of) as judged:
            first = digest_book(self.path)
            self.assertAlmostEqual(first.digests[1].power_w or 0.0, 35.0, delta=0.1)
            self.assertEqual((digest_book(self.path).digests, judged.call_count), (first.digests, 1))
            device = self.book.get(Device, self.run_made.device_id)
            self.book.save(device.model_copy(update={"temp_limit_c": 95.0}))
            digest_book(self.path)
            self.assertEqual(judged.call_count, 2)
            self.book.save(self.book.get(Run, 1).model_copy(update={"void": "lid closed"}))
            self.assertIn("void", digest_book(self.path).digests[1].flags)

    def test_a_new_method_says_what_it_moved(self) -> None:
        digest_book(self.path)
        kept = read_digests(self.book)[1]
        older = kept.digest.model_copy(update={"power_w": 34.0, "state": "drifting"})
        keep_digests(self.book, {1: KeptDigest(older, kept.key)})
        moved = digest_book(self.path).moved
        self.assertEqual([m.run_id for m in moved], [1, 1])
        self.assertEqual(moved[0].words, "window drifting → settled")
        self.assertRegex(moved[1].words, r"sustained power 34 W → 35(\.\d+)? W")
        self.assertEqual(digest_book(self.path).moved, ())
        older = kept.digest.model_copy(update={"shares": {"heat": 1.0}})
        keep_digests(self.book, {1: KeptDigest(older, "of another form", 2)})
        found = digest_book(self.path)
        self.assertEqual((found.since, found.moved[0].words), (2, "held by heat → sustained-power"))
        self.assertEqual(len(changes_since(2)), METHOD - 2)

    def test_figures_are_kept_and_sent_as_a_dictionary_is(self) -> None:
        told = {"b": 0.1, "a": -3.0, "c": 1e300}
        digest, other = Digest(figures=told), Digest(figures={"b": 0.2, "a": -3.0, "c": 1e300})
        for back in (Digest.model_validate_json(digest.model_dump_json()), pickle.loads(pickle.dumps(digest))):
            self.assertEqual((back, list(back.figures.items())), (digest, list(told.items())))
            self.assertEqual((back.figures.get("d"), "d" in back.figures, {**back.figures}), (None, False, told))
        self.assertNotEqual(digest, other)

    def add_runs(self, number: int) -> None:
        run, log = self.run_made, read_log(self.book, 1)
        for n in range(number):
            add_log(self.book, self.book.save(run.model_copy(update={"kept_id": None, "repeat": n + 2})), log)

    def test_many_runs_are_judged_by_processes_as_they_are_here(self) -> None:
        self.add_runs(3)
        here = digest_book(self.path).digests
        with self.book.change() as connection:
            connection.execute("DELETE FROM judged")
        shares: list[float] = []
        with mock.patch.object(run_digests, "MANY", 1), mock.patch.object(run_digests, "BATCH", 1):
            there = digest_book(self.path, lambda share: shares.append(share) is None).digests
        self.assertEqual(there, here)
        self.assertEqual(shares, sorted(shares))
        with mock.patch.object(run_digests, "digest_of", side_effect=AssertionError("judged again")):
            self.assertEqual(digest_book(self.path).digests, here)

    def test_what_was_judged_before_an_end_is_kept(self) -> None:
        self.add_runs(3)
        with self.assertRaises(CancelledError):
            digest_book(self.path, lambda share: share < 0.5)
        self.assertTrue(read_digests(self.book))
        self.assertLess(len(read_digests(self.book)), len(self.book.runs()))

    def test_a_damaged_digest_is_worked_out_again(self) -> None:
        digest_book(self.path)
        with self.book.change() as connection:
            connection.execute('UPDATE judged SET record = \'{"power_w": "x"}\'')
        self.assertEqual(read_digests(self.book), {})
        self.assertEqual(digest_book(self.path).digests[1].state, "settled")

    def test_the_filter(self) -> None:
        (row,) = run_listing(self.book, {1: Digest(flags=("heat",))}).rows
        for words, kept in (("", True), ("limpet heat", True), ("limpet -heat", False), ("gannet", False), ("-", True)):
            self.assertEqual(Search(words).keeps(row.text), kept, words)

    def test_days_have_their_year_where_runs_are_of_several(self) -> None:
        model, started = RunsModel(), datetime(2026, 9, 3, 10, 37, tzinfo=UTC)
        run = self.run_made.model_copy(update={"started": started, "undated": False})
        older = run.model_copy(update={"kept_id": None, "repeat": 2, "started": started.replace(year=2025)})
        undated = older.model_copy(update={"repeat": 3, "started": started.replace(year=1999), "undated": True})
        for added, shown in ((run, ["3 Sep 10:37"]), (undated, ["3 Sep 10:37", "no day"]),
                             (older, ["2026-09-03", "2025-09-03", "no day"])):  # fmt: skip
            self.book.save(added)
            model.show_listing(run_listing(self.book, {}))
            self.assertEqual([model.data(model.index(n, 0)) for n in range(model.rowCount())], shown)


class TestPage(WindowCase):
    demo = True

    def setUp(self) -> None:
        super().setUp()
        self.view = self.window.page(JudgePage).view

    def open(self, device: str, setting: str, workload: str, run: int = 0) -> None:
        self.choose(device, setting, workload, run)
        self.window.show_page(self.window.page(JudgePage))
        self.wait_for(lambda: self.view.shown is not None and self.view.shown.setting.name == setting)

    def test_whose_budget_it_is_is_asked_once(self) -> None:
        limpet = next(d for d in self.session.book.devices() if d.name == "Limpet")
        graphics = limpet.graphics.model_copy(update={"shared": None})
        self.session.change("forget", lambda: self.session.book.save(limpet.model_copy(update={"graphics": graphics})))
        self.open("Limpet", "45 W, graphics lock 1.8", "Lantern Deep")
        self.assertTrue(self.view.budget.isVisible())
        self.assertIn("for its graphics", self.view.headline.text())
        self.view.budget.shared.click()
        self.wait_for(lambda: self.view.shown is not None and not self.view.shown.asks_budget)
        self.assertFalse(self.view.budget.isVisible())
        self.assertIs(self.session.book.get(Device, limpet.id).graphics.shared, True)
        self.assertEqual(next(c.card.value for c in self.view.cards), "31.6")
        self.session.undo()
        self.assertIsNone(self.session.book.get(Device, limpet.id).graphics.shared)

    def test_frames_and_heat_are_shown_and_explained(self) -> None:
        self.open("Gannet", "20 W", "Skerry Run")
        self.view.tabs.setCurrentIndex(FRAMES)
        self.assertRegex(self.view.frames.nothing.text(), r"\d\d,\d\d\d frames in 10:00: 57\.\d fps on average")
        table = self.view.frames.table
        self.assertEqual([table.item(r, 0).text() for r in range(2)], ["1 % low", "0.1 % low"])  # type: ignore[union-attr]
        table.selectRow(0)
        self.assertIn("Three schools of the 1 % low", self.window.margin.text)
        self.window.points.ready.emit()
        self.assertIn("Three schools of the 1 % low", self.window.margin.text, "other runs are no reason to turn away")
        self.assertEqual(self.window.chart_shown().panels[0].key, "frame-time")  # type: ignore[union-attr]
        self.view.tabs.setCurrentIndex(HEAT)
        self.view.heat.table.selectRow(0)
        self.assertIn("ΣRᵢ = ", self.window.margin.text)
        self.assertRegex(self.view.heat.nothing.text(), r"2\.\d\d K for each watt; it carries 3\d\.\d W")
        self.open("Limpet", "20 W", "Skerry Run")
        self.view.tabs.setCurrentIndex(FRAMES)
        self.assertIn("Only rates of frames were logged", self.view.frames.nothing.text())
        self.assertFalse(self.view.frames.table.isVisible())

    def test_charts_of_a_small_window_scroll_and_their_axes_tell_a_scale(self) -> None:
        self.window.resize(1024, 640)
        self.open("Limpet", "45 W", "Tile Render, all cores")
        for tab, view in ((TIME, self.view.chart), (HEAT, self.view.heat.fit)):
            self.view.tabs.setCurrentIndex(tab)
            self.wait_for(lambda view=view: view.visibleRegion().boundingRect().height() < view.height())
            assert view.chart is not None
            for plot in view.plots[-len(view.chart.panels) :]:
                self.assertGreater(plot.getViewBox().height(), 20.0)
                numbers, words = (self.heights(plot.getAxis(side)) for side in ("left", "right"))
                self.assertGreaterEqual(len(numbers), 2)
                self.assertGreater(min(np.diff(numbers)), 11.0)
                self.assertGreater(min(np.diff(words), default=99.0), 11.0)

    def heights(self, axis: AxisItem) -> list[float]:
        """Where the words of an axis stand, px from the top."""
        picture = QPicture()
        painter = QPainter(picture)
        _, _, texts = axis.generateDrawSpecs(painter)
        painter.end()
        return sorted(place.center().y() for place, _, _ in texts)

    def test_events_values_and_the_methods(self) -> None:
        self.open("Limpet", "45 W", "Tile Render, all cores", 1)
        self.view.step_event(1)
        self.view.step_event(1)
        self.assertRegex(self.view.values.text(), r"^0:2\d · .* W · [\d,]+ MHz · .*held by its sustained power limit$")
        self.assertIn("on average", self.window.margin.text)
        self.view.step_event(-1)
        self.assertIn("held by its burst power limit", self.view.values.text())
        self.window.show_methods()
        self.assertTrue(self.window.methods.go_to("limiter"))
        self.assertFalse(self.window.methods.go_to("no-such-section"))
        self.window.methods.close()

    def test_every_explanation_names_a_section_of_the_methods(self) -> None:
        import re

        root = Path(__file__).resolve().parents[1] / "src" / "pinch"
        named = set()
        for path in (root / "narrative").glob("explain_*.py"):
            named |= set(re.findall(r'^\s+"([a-z-]+)",\n(?:\s+(?:tuple|\(|cautions)|\s+\))', path.read_text(), re.M))
        sections = {h.casefold() for h in re.findall(r"^## (.+)$", methods_text(), re.M)}
        self.assertGreater(len(named), 4)
        self.assertEqual({n for n in named if n.replace("-", " ") not in sections}, set())

    def test_the_window_is_dragged_and_taken_back(self) -> None:
        self.open("Limpet", "45 W", "Tile Render, all cores", 1)
        self.view.move_window.click()
        self.wait_for(lambda: self.view.chart._windows)
        region = self.view.chart._windows[0]
        self.assertTrue(region.movable)
        with mock.patch.object(QInputDialog, "getText", return_value=("before the heat", True)):
            region.setRegion((60.0, 190.0))  # tells by itself that it was moved
            self.wait_for(lambda: self.session.run is not None and self.session.run.window is not None)
        run = self.session.run
        assert run is not None and run.window is not None
        self.assertEqual((run.window.start_s, run.window.end_s, run.window.reason), (60.0, 190.0, "before the heat"))
        assert self.view.shown is not None
        self.assertAlmostEqual(self.view.shown.judged.figures["cpu.power"].sustained.value, 45.0, delta=1.0)
        self.assertIn("before the heat", self.window.margin.text)
        self.window.undo()
        self.assertIsNone(self.session.book.get(Run, run.id or 0).window)
        with mock.patch.object(QInputDialog, "getText", return_value=("", False)):
            self.view.chart.window_dragged.emit(60.0, 190.0)
        self.assertIsNone(self.session.run.window if self.session.run else None)

    def test_of_a_large_book_the_newest_runs_are_there_at_once(self) -> None:
        page, runs = self.window.page(JudgePage), self.view.runs
        newest = [run.id for run in self.session.book.runs()][::-1]
        with mock.patch.object(list_control, "AT_ONCE", 3):
            self.window.show_page(page)
            page.show_runs()
            self.assertEqual([row.run.id for row in runs.shown], newest[:3])
            self.assertEqual(runs.words.text(), "The newest 3 of 105 runs; the others are being read …")
            self.wait_for(lambda: page.digesting.job is None and len(runs.shown) == 105 and runs.shown[0].digest)
            self.assertEqual([row.run.id for row in runs.shown], newest)
            self.assertEqual(runs.table.verticalScrollBar().value(), 0, "it does not jump to the run that is looked at")
            run = self.session.book.get(Run, newest[0])
            self.session.change("void", lambda: self.session.book.save(run.model_copy(update={"void": "a fan stood"})))
            self.assertEqual(len(runs.shown), 105, "what was there stays until the new list is")
            self.wait_for(lambda: "2 void" in runs.words.text())

    def test_all_runs_sorted_filtered_opened_and_laid_over_each_other(self) -> None:
        self.window.show_page(self.window.page(JudgePage))
        self.window.page(JudgePage).show_runs()
        self.wait_for(lambda: self.window.page(JudgePage).digesting.job is None)
        runs = self.view.runs
        self.assertRegex(runs.words.text(), r"^105 runs: 3 drifting, 1 short, \d+ heat, 1 gap, 1 void\.$")
        runs.filter.setText("limpet firmware")
        self.assertEqual(
            sorted(row.setting for row in runs.shown), ["Firmware 54, clock lock 3.1", "Firmware 54, faulty"]
        )
        runs.table.sortByColumn(5, Qt.SortOrder.AscendingOrder)
        watts = [row.digest.power_w for row in runs.shown if row.digest]
        self.assertEqual(watts, sorted(watts))  # type: ignore[type-var]
        runs.choose([row.run.id or 0 for row in runs.shown])
        self.window.page(JudgePage).overlay_chosen()
        self.assertEqual(self.view.tabs.currentIndex(), OVERLAY)
        table = self.view.overlay.table
        rows = {table.item(r, 0).text(): table.item(r, 2).text() for r in range(table.rowCount())}  # type: ignore[union-attr]
        self.assertRegex(rows["Power"], r"^3\d\.\d W \(\+\d\.\d, \+\d+\.\d %\)$")
        self.assertNotIn("%", rows["Temperature"], "a temperature has no percentage")
        self.assertIn("(+", rows["Rate"], "it is faster")
        self.assertIn("(+", rows["Rate over all of the load"], "without cuts it is faster: the clock lock cures it")
        self.view.tabs.setCurrentIndex(RUNS)
        runs.choose([])
        self.window.safely(self.window.page(JudgePage).overlay_chosen)
        self.assertIn("Choose two to 6 runs", self.window.notices.words.text())
        self.view.tabs.setCurrentIndex(RUNS)
        runs.table.activated.emit(runs.table.model().index(0, 0))  # type: ignore[union-attr]
        self.assertEqual((self.view.tabs.currentIndex(), self.session.setting.name),  # type: ignore[union-attr]
                         (TIME, "Firmware 54, faulty"))  # fmt: skip

    def test_a_tiny_base_shows_the_difference_first(self) -> None:
        self.open("Gannet", "7 W", "Skerry Run")
        slow = self.view.shown
        self.open("Gannet", "10 W", "Skerry Run")
        assert slow is not None and self.view.shown is not None
        _, names, differences = overlay([slow, self.view.shown])
        self.assertEqual(names, ("7 W", "10 W"))
        low = next(d for d in differences if d.name == "1 % low")
        self.assertIn("%", low.values[1])
        self.assertEqual(_apart(12.0, 18.0, "fps", 1), " (+6.0, −27.8 ms)")
        self.assertEqual(_apart(60.0, 66.0, "fps", 1), " (+6.0, +10.0 %)")

    def test_what_a_channel_is_can_be_typed_and_what_it_shows_cannot(self) -> None:
        dialog = ChannelsMeantDialog(read_log(self.session.book, self.session.book.runs()[3].id), self.window)
        items = [dialog.table.item(0, column) for column in range(4)]
        typed = [bool(item.flags() & Qt.ItemFlag.ItemIsEditable) for item in items if item is not None]
        self.assertEqual(typed, [False, False, True, True])

    def test_a_run_that_is_shown_is_drawn_again_only_where_something_is_new(self) -> None:
        self.open("Limpet", "Stock", "Tile Render, all cores")
        run = self.session.run
        assert run is not None
        with mock.patch.object(self.view.chart, "show_chart", wraps=self.view.chart.show_chart) as drawn:
            self.window.show_page(self.window.page(BenchPage))
            self.window.show_page(self.window.page(JudgePage))
            self.assertEqual(drawn.call_count, 0)
            self.session.change("warmer", lambda: self.session.book.save(run.model_copy(update={"void": "door open"})))
            self.wait_for(lambda: "Void: door open" in self.view.headline.text())
            self.assertEqual(drawn.call_count, 1)
            self.window.switch_theme()
            self.assertEqual(drawn.call_count, 2)
            self.window.switch_theme()

    def test_the_finding_is_copied(self) -> None:
        self.open("Limpet", "Stock", "Tile Render, all cores")
        self.window.copy_finding()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        self.assertIn("Held 3", clipboard.text())


class TestOldBooks(InFolder):
    def test_digests_are_made_for_a_book_that_has_none(self) -> None:
        target = self.folder / "old.pinch"
        with contextlib.closing(sqlite3.connect(target)) as old:
            old.executescript((Path(__file__).parent / "data" / "book-v1.sql").read_text())
        found = digest_book(target)
        self.assertEqual(len(found.digests), len(open_book(target).runs()))
