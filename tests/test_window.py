"""The real window, driven offscreen: record, judge, chart, export, change, undo."""

import contextlib
import csv
import gc
import io
import re
import sqlite3
import tempfile
import threading
import unittest
import weakref
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QFontDatabase
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QFileDialog, QInputDialog

from pinch.analysis.judging import judge_from_file
from pinch.bench.book import Book
from pinch.bench.opening import create_book
from pinch.bench.records import Device, ExitStatus
from pinch.core.errors import PinchError
from pinch.core.progress import Progress, tell
from pinch.intake.arrivals import Arrival
from pinch.intake.filing import Filed
from pinch.runs.demo_book import demo_as_made, demo_copy
from pinch.sources.logs.read import read_log_file
from pinch.sources.runlog_csv import read_run_log, write_run_log
from pinch.ui import look
from pinch.ui.app import make_application
from pinch.ui.bench.page import BenchPage
from pinch.ui.book_actions import BookActions
from pinch.ui.judge.page import JudgePage
from pinch.ui.logs.actions import LogActions
from pinch.ui.private_dialog import PrivateDialog
from pinch.ui.run.page import RunPage
from pinch.ui.scale.page import ScalePage
from pinch.ui.scale.view import SETTINGS
from pinch.ui.session import Session
from pinch.ui.slow_change import SlowChange
from pinch.ui.window import MainWindow
from tests import made
from tests.window_case import WindowCase

TILE = "Tile Render, all cores"


class TestFromNothing(WindowCase):
    """A fresh book: from the first device to an exported chart."""

    def test_the_whole_way_of_a_rig_run(self) -> None:
        window, view = self.window, self.window.page(RunPage).view
        self.assertIsInstance(window.shown_page, BenchPage)
        window.show_page(window.page(RunPage))
        self.assertIn("no device yet", view.headline.text())
        self.assertFalse(view.start.isEnabled())
        view.add_rig.click()
        self.choose("Sandpiper 14", "Full", TILE, None)
        self.assertIn(f"Ready to run {TILE} on Sandpiper 14 at Full (45 W).", view.headline.text())
        view.length.setValue(6.0)
        view.rest.setValue(15.0)
        view.room.setValue(22.0)
        view.pace.setCurrentIndex(2)
        view.start.click()
        self.wait_for(lambda: "Under load" in view.headline.text())
        self.assertFalse(view.start.isEnabled())
        view.mark.click()
        with mock.patch.object(QInputDialog, "getText", return_value=("door opened", True)):
            window.page(RunPage).mark_with_text()
        live = window.page(RunPage).recording.live
        assert live is not None
        self.wait_for(lambda: re.fullmatch(r"(64|4[45])\.\d", view.live.values["cpu.power"].value.text()))
        self.wait_for(lambda: len(live.series["cpu.power"].t) > 80)
        self.assertIn("19 channels", window.footer.rate.text())
        self.assertIn("recording", window.spine.entries[2].accessibleName())
        self.wait_for(lambda: not self.session.recording_now and "is in the book" in window.notices.words.text())
        view.judge.click()
        self.assertIsInstance(window.shown_page, JudgePage)
        shown = window.page(JudgePage).view.shown
        assert shown is not None
        self.assertEqual(shown.run.status, ExitStatus.COMPLETE)
        self.assertEqual([m.text for m in shown.log.marks], ["mark 1", "door opened"])
        # Not more of it: at this pace a machine that stands still for a second makes holes of a minute.
        self.assertIn("of the load it was held by", window.page(JudgePage).view.headline.text())
        self.write_and_check(window)

    def write_and_check(self, window: MainWindow) -> None:
        for name in ("chart.png", "chart.svg"):
            path = self.folder / name
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                window.write_chart()
            self.wait_for(path.exists)
            self.assertGreater(path.stat().st_size, 10_000)
        target = self.folder / "package"
        with (
            mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(target)),
            mock.patch.object(PrivateDialog, "exec", lambda dialog: 1),
        ):
            window.page(JudgePage).write_log()
        self.wait_for((target / "datapackage.json").exists)
        shown = window.page(JudgePage).view.shown
        assert shown is not None
        back = read_run_log(target / f"run-{shown.run.id}.csv")
        for name in ("cpu.load", "score.rate"):
            np.testing.assert_array_equal(back.series[name].values, shown.log.series[name].values)

    def test_this_computer_is_recorded_and_judged(self) -> None:
        window, view = self.window, self.window.page(RunPage).view
        window.show_page(window.page(RunPage))
        view.add_computer.click()
        view.length.setValue(0.1)
        view.rest.setValue(2.0)
        view.ask_start()
        self.wait_for(lambda: "is in the book" in window.notices.words.text())
        window.show_page(window.page(JudgePage))
        shown = window.page(JudgePage).view.shown
        assert shown is not None
        self.assertIn("score.rate", shown.log.series)
        self.assertEqual(shown.judged.settled.state, "too-short")
        captions = [card.card.caption for card in window.page(JudgePage).view.cards]
        self.assertIn("Score rate", captions)
        self.write_and_check(window)

    def test_a_run_can_be_stopped_and_is_kept(self) -> None:
        self.window.show_page(self.window.page(RunPage))
        self.window.page(RunPage).view.add_rig.click()
        self.window.page(RunPage).view.pace.setCurrentIndex(2)
        self.window.page(RunPage).view.start.click()
        self.wait_for(lambda: "Under load" in self.window.page(RunPage).view.headline.text())
        QTest.keyClick(self.window, Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
        self.wait_for(lambda: "Stopped; the run is kept" in self.window.notices.words.text())
        self.assertEqual(self.session.book.runs()[0].status, ExitStatus.STOPPED)

    def test_closing_the_window_ends_the_recording(self) -> None:
        self.window.show_page(self.window.page(RunPage))
        self.window.page(RunPage).view.add_rig.click()
        self.window.page(RunPage).view.start.click()
        self.wait_for(
            lambda: self.window.page(RunPage).recording.live and self.window.page(RunPage).recording.live.series
        )
        self.window.close()
        self.assertFalse(self.session.recording_now)
        self.assertEqual(self.session.book.runs()[0].status, ExitStatus.STOPPED)

    def test_a_log_becomes_a_run_and_undo_takes_it_back(self) -> None:
        path = self.folder / "log.csv"
        with open(path, "w", encoding="utf-8") as file:
            write_run_log(made.two_level(), file)
        where = Filed("Limpet", "Stock", "Tile Render")
        self.window.part(LogActions).importing.add([Arrival(path, read_log_file(path), where, claimed_w=35.0)], [])
        with self.assertRaisesRegex(PinchError, "still being changed: add log.csv"):
            self.session.change("other", lambda: None)
        self.wait_for_change()
        self.assertEqual(self.session.book.runs()[0].source, "log.csv")
        self.window.show_page(self.window.page(JudgePage))
        self.assertIn("Held 35.0\u00a0W (claimed 35)", self.window.page(JudgePage).view.headline.text())
        self.window.undo()
        self.assertEqual((self.session.book.runs(), self.session.book.devices()), ([], []))
        self.assertIn("no run here yet", self.window.page(JudgePage).view.headline.text())
        self.window.redo()
        self.assertEqual(len(self.session.book.runs()), 1)

    def test_a_slow_change_that_is_ended_or_fails_leaves_nothing(self) -> None:
        slow, closed = SlowChange(self.window), threading.Event()

        def work(book: Book, progress: Progress) -> None:
            book.save(Device(name="Curlew"))
            closed.wait(10.0)
            tell(progress, 0.5)
            raise PinchError("It does not go.")

        slow.begin("Adding", "add it", work, self.fail)
        self.window.notices.closed.emit()
        closed.set()
        self.wait_for_change()
        self.assertFalse(self.window.notices.isVisible())
        slow.begin("Adding", "add it", work, self.fail)
        self.wait_for_change()
        self.assertEqual(self.window.notices.words.text(), "It does not go.")
        self.assertEqual((self.session.book.devices(), self.session.undo_stack.next_undo), ([], None))

    def test_a_bad_log_is_said_and_adds_nothing(self) -> None:
        path = self.folder / "log.csv"
        path.write_text("t_s,cpu.power\n1,2\n1,x\n")
        with mock.patch.object(QFileDialog, "getOpenFileNames", return_value=([str(path)], "")):
            self.window.safely(self.window.part(LogActions).import_log)
        self.wait_for(lambda: "line 3" in self.window.notices.words.text())
        self.assertIn("line 3: 'x' is not a number", self.window.notices.words.text())
        self.assertEqual(self.session.book.devices(), [])


class TestDemoBook(WindowCase):
    demo = True

    def card(self, caption: str) -> QAbstractButton:
        return next(c for c in self.window.page(JudgePage).view.cards if c.card.caption == caption)

    def test_clicking_a_figure_explains_it_with_its_numbers(self) -> None:
        self.choose("Sandpiper 14", "Full", TILE)
        QTest.mouseClick(self.card("Burst power"), Qt.MouseButton.LeftButton)
        text = self.window.margin.text
        self.assertIn("by its label: 3", text)
        judged = self.window.page(JudgePage).view.shown.judged  # type: ignore[union-attr]
        self.assertIn("τ = t_b / ln((P2 − P0) / (P2 − P1))", text)
        self.assertIn(f"= {judged.limits.window_s.value:.1f} ± {judged.limits.window_s.u:.1f} s", text)
        QTest.keyClick(self.card("Temperature"), Qt.Key.Key_Space)
        self.assertIn("headroom", self.window.margin.text)

    def test_a_long_log_is_judged_in_the_background(self) -> None:
        self.choose("Gannet", "16 W", "Skerry Run")
        self.wait_for(lambda: self.window.page(JudgePage).view.shown is not None)
        whole = judge_from_file
        with (
            mock.patch("pinch.ui.judge.control.AT_ONCE_ROWS", 0),
            mock.patch("pinch.ui.judge.control.judge_from_file", side_effect=whole) as background,
        ):
            self.choose("Limpet", "Stock", TILE)
            self.wait_for(lambda: self.window.page(JudgePage).view.shown is not None)
        self.assertEqual(background.call_count, 1)
        self.assertEqual(self.window.page(JudgePage).view.shown.device.name, "Limpet")  # type: ignore[union-attr]

    def test_clicking_the_strip_gives_the_evidence(self) -> None:
        self.choose("Limpet", "45 W", TILE, -1)
        heat = next(s for s in self.window.page(JudgePage).view.shown.judged.limiters if s.cause == "heat")  # type: ignore[union-attr]
        strip = self.window.page(JudgePage).view.chart.plots[0].getViewBox()
        scene = strip.mapViewToScene(QPointF((heat.start_s + heat.end_s) / 2, 0.5))
        graphics = self.window.page(JudgePage).view.chart.graphics
        QTest.mouseClick(graphics.viewport(), Qt.MouseButton.LeftButton, pos=graphics.mapFromScene(scene))
        self.wait_for(lambda: "Held by heat" in self.window.margin.text)
        self.assertIn(f"{heat.start_s:.0f} s to {heat.end_s:.0f} s", self.window.margin.text)

    def test_the_screen_draws_the_very_data_of_the_spec(self) -> None:
        self.choose("Sandpiper 14", "Even", TILE)
        view = self.window.page(JudgePage).view.chart
        assert view.chart is not None
        for panel, plot in zip(view.chart.panels, view.plots[1:], strict=True):
            x, y = plot.listDataItems()[0].getOriginalDataset()
            np.testing.assert_array_equal(x, panel.lines[0].x)
            np.testing.assert_array_equal(y, panel.lines[0].y)

    def test_every_run_of_the_demo_can_be_looked_at(self) -> None:
        states, causes = set(), set()
        runs = self.session.book.runs()
        for run in (*runs[::4], *runs[-24:]):  # of each kind some, and all the odd ones
            self.session.choose_run(run.id or 0)
            self.wait_for(lambda: self.window.page(JudgePage).view.shown is not None)
            shown = self.window.page(JudgePage).view.shown
            assert shown is not None
            self.assertEqual(shown.run.id, run.id)
            states.add(shown.judged.settled.state)
            causes |= set(shown.judged.limiter_share)
        self.assertEqual(states, {"settled", "drifting", "too-short", "scene"})
        self.assertLessEqual({"burst-power", "sustained-power", "heat", "clock-ceiling", "frame-cap"}, causes)

    def test_the_scale_page_stands_at_measured_watts(self) -> None:
        self.choose("Sandpiper 14", None, TILE)
        self.window.show_page(self.window.page(ScalePage))
        view = self.window.page(ScalePage).view
        self.wait_for(lambda: view.result is not None)
        result = view.result
        assert result is not None
        self.assertEqual(len(result.series), 4, "all devices that were tested with it")
        own = result.series[0]
        hush = [p for p in own.points if p.of.setting.name == "Hush"]
        self.assertAlmostEqual(hush[0].power_w, 15.9, delta=0.5)
        self.assertIn("reaches 95\u00a0%", view.headline.text())
        self.assertIn("0.95 ×", self.window.margin.text)
        self.assertEqual({p.of.run.ambient_c for p in own.points}, {22.0}, "one room at a time")
        view.tabs.setCurrentIndex(SETTINGS)
        cells = view.settings.rows[1].cells
        self.assertEqual((cells[0], cells[2]), ("Hush", "15"))
        self.assertRegex(cells[4], r"^\+[4-8] %$")
        view.settings.cellActivated.emit(1, 0)
        self.assertIsInstance(self.window.shown_page, JudgePage)
        self.assertEqual(self.session.setting.name, "Hush")  # type: ignore[union-attr]

    def test_void_and_short_runs_are_left_out_with_their_reason(self) -> None:
        self.choose("Sandpiper 14", None, TILE)
        self.window.show_page(self.window.page(ScalePage))
        self.wait_for(lambda: self.window.page(ScalePage).view.result is not None)
        reasons = " ".join(w.text for s in self.window.page(ScalePage).view.result.series for w in s.left_out)  # type: ignore[union-attr]
        self.assertIn("too short to settle", reasons)

    def test_notes_void_and_remove_can_be_undone(self) -> None:
        self.choose("Sandpiper 14", "Even", TILE)
        before = self.session.run
        self.window.margin.notes.setPlainText("fan fixed")
        self.session.step_run(1)  # leaving the run keeps what was typed for it, and only for it
        self.assertNotEqual(self.window.margin.notes.toPlainText(), "fan fixed")
        self.session.step_run(-1)
        self.assertEqual(self.session.run.notes, "fan fixed")  # type: ignore[union-attr]
        self.window.changes.void_run("lid closed")
        self.assertTrue(self.window.page(JudgePage).view.headline.text().startswith("Void: lid closed."))
        count = len(self.session.book.runs())
        self.window.changes.remove_run()
        self.assertEqual(len(self.session.book.runs()), count - 1)
        for label in ("remove run", "make run void", "change notes"):
            self.assertIn(label, self.window._actions["Undo"].text())
            self.window.undo()
        self.session.choose_run(before.id or 0)  # type: ignore[union-attr]
        self.assertEqual(self.session.run, before)

    def test_a_change_does_not_wait_long_for_another_program(self) -> None:
        self.assertEqual(self.session.book.query("PRAGMA busy_timeout")[0][0], 400)
        self.choose("Sandpiper 14", "Even", TILE)
        with contextlib.closing(sqlite3.connect(self.session.book.path)) as other:
            other.execute("BEGIN IMMEDIATE")
            self.window.safely(lambda: self.window.changes.void_run("lid closed"))
        self.assertIn("in use by another program", self.window.notices.words.text())
        self.assertFalse(self.session.run.void)  # type: ignore[union-attr]

    def test_the_demo_is_opened_as_a_copy_and_made_new_again(self) -> None:
        actions = self.window.part(BookActions)
        with mock.patch("platformdirs.user_cache_dir", return_value=str(self.folder)):
            demo_as_made().parent.mkdir(parents=True)
            self.session.book.copy_to(demo_as_made())
            actions.open_demo()
            self.assertEqual(self.session.book.path, demo_copy())
            self.session.change("add", lambda: self.session.book.save(Device(name="Petrel")))
            left = len(self.session.book.devices())
            actions.open_demo()
            self.assertEqual(len(self.session.book.devices()), left, "what was changed stays")
            with mock.patch("pinch.ui.book_actions.agrees", return_value=False):
                actions.renew_demo()
            self.assertEqual(len(self.session.book.devices()), left)
            with mock.patch("pinch.ui.book_actions.agrees", return_value=True):
                actions.renew_demo()
            self.assertEqual(len(self.session.book.devices()), left - 1, "as it was made")
            self.assertEqual(self.session.book.path, demo_copy())

    def test_the_strip_keeps_the_subject_between_pages(self) -> None:
        self.choose("Gannet", "16 W", "Skerry Run", 1)
        for page in (4, 0, 2, 1, 3):
            QTest.keyClick(self.window, Qt.Key(Qt.Key.Key_1 + page), Qt.KeyboardModifier.AltModifier)
            self.assertIs(self.window.shown_page, self.window.pages[page])
        strip = self.window.strip
        self.assertEqual(
            [p.box.currentText() for p in (strip.device, strip.setting, strip.workload)],
            ["Gannet", "16 W", "Skerry Run"],
        )
        self.window._actions["Previous run"].trigger()
        self.assertTrue(strip.run.box.currentText().startswith("1 ·"))
        self.choose("Sandpiper 14", "Even", TILE)
        for step, number in (("Next run", 2), ("Next run", 3), ("Previous run", 2)):
            self.window._actions[step].trigger()
            self.assertTrue(strip.run.box.currentText().startswith(f"{number} ·"), step)

    def test_both_themes_and_a_small_window(self) -> None:
        self.window.resize(1024, 700)
        self.window.switch_theme()
        self.addCleanup(lambda: look.apply(make_application(), "light"))
        self.assertEqual(look.theme().name, "dark")
        self.app.processEvents()
        self.assertLessEqual(self.window.width(), 1024)
        image = self.window.grab().toImage()
        self.assertEqual(image.pixelColor(500, 690).name().upper(), look.theme().spine)

    def test_copy_open_and_new_book(self) -> None:
        target = self.folder / "copy"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.window.part(BookActions).copy_book()
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(self.folder / "new.pinch"), "")):
            self.window.part(BookActions).new_book()
        self.assertEqual(self.session.book.devices(), [])
        self.assertEqual(self.window.footer.book.text(), "new.pinch · saved")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(target) + ".pinch", "")):
            self.window.part(BookActions).open_book()
        self.assertEqual(len(self.session.book.devices()), 4)
        (self.folder / "bad.pinch").write_text("x" * 200)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(self.folder / "bad.pinch"), "")):
            self.window.safely(self.window.part(BookActions).open_book)
        self.assertIn("not a book of Pinch", self.window.notices.words.text())
        self.assertEqual(len(self.session.book.devices()), 4, "the open book stays")

    def test_a_cut_run_is_told_of_and_closed(self) -> None:
        run = self.session.run
        assert run is not None
        self.session.book.save(run.model_copy(update={"status": None, "samples": None}))
        path = self.session.book.path
        self.session.create(self.folder / "other.pinch")
        self.session.open(path)
        self.assertIn(f"Run {run.id} has no stop", self.window.notices.words.text())
        self.session.choose_run(run.id or 0)
        self.window.changes.close_cut_run()
        closed = self.session.run
        assert closed is not None
        self.assertEqual((closed.status, closed.samples), (ExitStatus.FAILED, run.samples))
        self.window.safely(self.window.changes.close_cut_run)
        self.assertIn("nothing to close", self.window.notices.words.text())

    def test_copying_the_finding(self) -> None:
        self.window.copy_finding()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        self.assertEqual(clipboard.text(), self.window.page(JudgePage).view.headline.text())

    def test_every_control_has_an_accessible_name(self) -> None:
        for page in (0, 1, 2, 3, 4):
            self.window.show_page(self.window.pages[page])
            for button in self.window.findChildren(QAbstractButton):
                if button.isVisible():
                    self.assertTrue(button.text() or button.accessibleName(), button)


class TestWindowItself(unittest.TestCase):
    def test_shipped_fonts_are_loaded(self) -> None:
        make_application()
        self.assertLessEqual({"Karla", "B612"}, set(QFontDatabase.families()))

    def test_a_closed_window_dies(self) -> None:
        app = make_application()
        with tempfile.TemporaryDirectory() as folder:
            session = Session(create_book(Path(folder) / "a.pinch"))
            window = MainWindow(session)
            window.show()
            reference = weakref.ref(window.page(JudgePage).view)
            window.close()
            window.deleteLater()
            session.close()
            del window, session
            for _ in range(3):  # a deletion may defer others
                app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
                app.processEvents()
                gc.collect()
            self.assertIsNone(reference())

    def test_csv_module_reads_what_the_window_writes(self) -> None:
        # RFC 4180 as Python's csv module reads it: the header and each row have the same number of cells.
        text = io.StringIO()
        write_run_log(made.two_level(), text)
        rows = list(csv.reader(io.StringIO(text.getvalue()), strict=True))
        self.assertEqual({len(row) for row in rows}, {len(rows[0])})
