"""The Publish page, driven as its users do; and that screen and file show the same."""

import unittest
from unittest import mock

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QGraphicsView, QInputDialog

from pinch.bench.cards import CardKind, Private, UnitsQuery
from pinch.charts.chart_files import face_bytes
from pinch.charts.draw.frame import draw_face
from pinch.charts.face import face_of
from pinch.charts.spec import Chart, Line, Panel
from pinch.charts.theme import LIGHT
from pinch.core.errors import PinchError
from pinch.narrative.cards.content import CardContent
from pinch.ui.app import make_application
from pinch.ui.bench.page import BenchPage
from pinch.ui.compare.page import ComparePage
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import FRAMES, HEAT, OVERLAY
from pinch.ui.modes.page import ModesPage
from pinch.ui.page_protocol import Page
from pinch.ui.plan.page import PlanPage
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.publish.page import PublishPage
from pinch.ui.publish.view import CHECK, DECK, REPORT, PublishView
from pinch.ui.scale.page import ScalePage
from tests.test_report import cabin_test
from tests.waiting import wait_until
from tests.window_case import WindowCase

TILE, GAME = "Tile Render, all cores", "Skerry Run"


class PublishCase(WindowCase):
    demo = True

    @property
    def view(self) -> PublishView:
        return self.window.page(PublishPage).view

    def publish(self) -> None:
        """Show the page with its deck and the picture of the chosen card."""
        self.window.show_page(self.window.page(PublishPage))
        self.settle()

    def settle(self) -> None:
        """Wait until the deck is that of the book."""
        self.wait_for(lambda: self.view.shown is not None and self.cards == self.session.book.cards())

    @property
    def cards(self) -> list[object]:
        assert self.view.shown is not None
        return [c.card for c in self.view.shown.deck.contents]

    def content(self, number: int) -> CardContent:
        assert self.view.shown is not None
        return self.view.shown.deck.contents[number - 1]

    def send(self, page: type[Page]) -> CardKind:
        """Ctrl+K on a page; returns the kind of the new card."""
        before = len(self.session.book.cards())
        self.window.show_page(self.window.page(page))
        self.wait_for(lambda: self.window.points.points is not None)
        self.app.processEvents()
        QTest.keyClick(self.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.wait_for(lambda: len(self.session.book.cards()) > before)
        cards = self.session.book.cards()
        self.assertEqual(len(cards), before + 1, self.window.notices.words.text())
        self.assertTrue(cards[-1].seen, "what was agreed to is kept")
        return cards[-1].kind


class TestDeck(PublishCase):
    def test_cards_pictures_words_and_undo(self) -> None:
        self.publish()
        self.assertIn("15 cards, 12 in the report. Before publishing: ", self.view.headline.text())
        self.assertEqual(self.view.deck.list.count(), 15)
        self.wait_for(lambda: not self.view.deck.picture.image.isNull())
        face = self.content(1).face
        assert face is not None
        file = QImage.fromData(face_bytes(face, "png", LIGHT), "PNG")
        self.assertEqual(self.view.deck.picture.image, file, "the picture is the very file")
        self.assertIn("Sandpiper 14", self.view.deck.picture.accessibleDescription())
        self.view.deck.list.setCurrentRow(3)
        deck = self.view.deck
        composed = deck.finding.toPlainText()
        deck.finding.setPlainText("Limpet flies,\n99 % faster.")
        deck.finding.left.emit()
        self.settle()
        self.assertEqual(self.content(4).finding, "Limpet flies, 99 % faster.")
        item = deck.list.item(3)
        assert item is not None and self.view.shown is not None
        self.assertIn("edited", item.toolTip())
        self.assertIn(composed[:40], deck.status.text())
        self.assertTrue(any(c.code == "edited" and "99" in c.words for c in self.view.shown.concerns))
        deck.as_composed.click()
        self.settle()
        self.assertFalse(self.content(4).edited)
        self.window.undo()
        self.window.undo()
        self.settle()
        self.assertEqual(self.content(4).finding, composed)

    def test_order_removal_kind_and_the_report(self) -> None:
        self.publish()
        first = [c.card.name for c in self.view.shown.deck.contents] if self.view.shown else []
        self.view.deck.choose(self.content(2).card.id)
        QTest.keyClick(self.window, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        self.assertEqual([self.content(n).card.name for n in (1, 2)], [first[1], first[0]])
        self.assertEqual(self.view.deck.list.currentRow(), 0, "the card stays chosen")
        self.view.deck.in_report.click()
        self.settle()
        self.assertFalse(self.content(1).card.in_report)
        kind = self.view.deck.kind
        kind.setCurrentIndex(kind.findData(str(CardKind.EFFICIENCY)))
        kind.activated.emit(kind.currentIndex())
        self.wait_for(lambda: self.session.book.cards()[0].kind is CardKind.EFFICIENCY)
        self.settle()
        self.assertEqual(self.content(1).card.seen, self.content(1).composed, "one's own change is agreed to")
        self.view.deck.remove_chosen()
        self.settle()
        self.assertEqual(self.view.deck.list.count(), 14)
        for _ in range(4):
            self.window.undo()
        self.settle()
        self.assertEqual([c.card.name for c in self.view.shown.deck.contents] if self.view.shown else [], first)

    def test_new_runs_change_a_finding_and_it_says_so(self) -> None:
        self.publish()
        card = self.content(9).card
        self.window.page(PublishPage).control.change(card.id or 0, seen="Something else was found.")
        self.settle()
        self.view.go_to_card(card.id or 0)
        self.assertIn("its finding changed", self.view.deck.list.item(8).toolTip())  # type: ignore[union-attr]
        self.assertIn("Something else was found.", self.view.deck.status.text())
        self.window.page(PublishPage).agree()
        self.settle()
        self.assertFalse(self.content(9).moved)

    def test_one_card_is_written_and_its_finding_copied(self) -> None:
        self.publish()
        self.view.go_to_card(self.content(7).card.id or 0)
        path = self.folder / "card.svg"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")) as asked:
            self.window.write_chart()
        self.assertEqual(asked.call_args.args[2], "07-what-holds-the-mini-pc-below-deck.png")
        self.wait_for(path.exists)
        face = self.content(7).face
        assert face is not None
        self.assertEqual(path.read_bytes(), face_bytes(face, "svg", LIGHT))
        self.window.copy_finding()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        self.assertEqual(clipboard.text(), self.content(7).finding)

    def test_keys_of_text_stay_with_the_text(self) -> None:
        self.publish()
        self.view.deck.finding.setFocus()
        self.view.deck.finding.selectAll()
        control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
        QTest.keyClick(self.view.deck.finding, Qt.Key.Key_Delete, control)
        self.assertEqual((self.view.deck.finding.toPlainText(), len(self.session.book.cards())), ("", 15))
        self.view.deck.list.setFocus()
        QTest.keyClick(self.window, Qt.Key.Key_Delete, control | shift)
        self.assertEqual(len(self.session.book.cards()), 14)

    def test_what_will_not_do_is_said(self) -> None:
        self.publish()
        self.view.deck.title.setText("")
        self.view.deck.title.editingFinished.emit()
        self.assertIn("A card needs a title", self.window.notices.words.text())
        QTest.keyClick(self.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.assertIn("are here already", self.window.notices.words.text())

    def test_the_clipboard_has_picture_and_words(self) -> None:
        self.publish()
        self.window.page(PublishPage).copy_picture()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        data = clipboard.mimeData()
        assert data is not None
        self.assertTrue(data.hasImage() and data.hasFormat("image/svg+xml"))
        self.assertIn("4 units", data.text())


class TestSending(PublishCase):
    def test_every_page_is_sent_by_one_key(self) -> None:
        self.choose("Limpet", "45 W", TILE)
        self.assertEqual(self.send(BenchPage), CardKind.TABLE)
        self.assertEqual(self.send(PlanPage), CardKind.TABLE)
        self.assertEqual(self.send(JudgePage), CardKind.TIMELINE)
        self.wait_for(lambda: self.window.page(JudgePage).view.shown is not None)
        self.window.page(JudgePage).view.tabs.setCurrentIndex(HEAT)
        self.assertEqual(self.send(JudgePage), CardKind.HEAT)
        self.choose("Gannet", "16 W", GAME)
        self.window.page(JudgePage).view.tabs.setCurrentIndex(FRAMES)
        self.assertEqual(self.send(JudgePage), CardKind.FRAMES)
        self.window.show_page(self.window.page(ScalePage))
        self.wait_for(lambda: self.window.page(ScalePage).view.result is not None)
        self.assertEqual(self.send(ScalePage), CardKind.CURVES)
        self.window.show_page(self.window.page(ComparePage))
        self.wait_for(lambda: self.window.page(ComparePage).view.shown is not None)
        self.assertEqual(self.send(ComparePage), CardKind.BARS)
        self.window.show_page(self.window.page(ModesPage))
        self.wait_for(lambda: self.window.page(ModesPage).view.sheet is not None)
        self.assertEqual(self.send(ModesPage), CardKind.SHEET)
        self.publish()
        self.assertEqual(self.view.deck.list.count(), 23)
        self.assertFalse(any(c.problem for c in self.view.shown.deck.contents) if self.view.shown else True)
        self.assertIn("23 cards", self.window.spine.entries[7].accessibleName())

    def test_a_card_shows_what_the_page_shows(self) -> None:
        self.choose("Gannet", None, GAME)
        self.window.show_page(self.window.page(ScalePage))
        self.wait_for(lambda: self.window.page(ScalePage).view.result is not None)
        shown = self.window.page(ScalePage).view.drawn()
        self.send(ScalePage)
        self.publish()
        found = self.content(16).found
        assert found is not None and isinstance(found.chart, Chart)
        self.assertEqual(found.finding, shown.title)
        for own, other in zip(found.chart.panels[0].lines, shown.panels[0].lines, strict=True):
            np.testing.assert_array_equal(own.y, other.y)

    def test_quick_sends_keep_their_order(self) -> None:
        self.publish()
        control = self.window.page(PublishPage).control
        devices = [d.id for d in self.session.book.devices()]
        kept = len(self.session.book.cards())
        for number in devices[:3]:
            control.send(CardKind.TABLE, UnitsQuery(device_ids=(number,)))
        self.wait_for(lambda: len(self.session.book.cards()) == kept + 3)
        sent = [card.query.device_ids for card in self.session.book.cards()[kept:]]  # type: ignore[union-attr]
        self.assertEqual(sent, [(number,) for number in devices[:3]])

    def test_nothing_to_send_is_said(self) -> None:
        self.window.page(JudgePage).view.tabs.setCurrentIndex(OVERLAY)
        self.window.show_page(self.window.page(JudgePage))
        with self.assertRaisesRegex(PinchError, "Lay runs over each other first"):
            self.window.page(PublishPage).send()


class TestReportAndCheck(PublishCase):
    def test_words_are_kept_and_private_things_listed(self) -> None:
        self.publish()
        self.view.tabs.setCurrentIndex(REPORT)
        report = self.view.report
        report.lines["author"].setText("The crew")
        report.lines["author"].editingFinished.emit()
        self.settle()
        self.assertEqual(self.session.book.report().author, "The crew")
        self.assertRegex(report.private[Private.NOTES].text(), r"^notes \(\d+\)$")
        self.assertIn("For example:", report.private[Private.NOTES].toolTip())
        self.assertFalse(report.private[Private.NOTES].isChecked())
        report.private[Private.NOTES].click()
        self.assertEqual(self.session.book.report().private, (Private.NOTES,))
        self.window.undo()
        self.assertEqual(self.session.book.report().private, ())

    def test_every_concern_leads_to_its_place(self) -> None:
        self.publish()
        self.window.page(PublishPage).check()
        self.assertEqual(self.view.tabs.currentIndex(), CHECK)
        assert self.view.shown is not None
        concerns = self.view.shown.concerns
        self.assertEqual(len(self.view.concerns.rows), len(concerns))
        card = next(c for c in concerns if c.place.run_id is None and c.place.card_id is not None)
        self.window.page(PublishPage).open_concern(card)
        self.assertEqual((self.view.tabs.currentIndex(), self.view.deck.chosen_id), (DECK, card.place.card_id))
        run = next(c for c in concerns if c.place.run_id is not None)
        self.window.page(PublishPage).open_concern(run)
        self.assertEqual((self.window.shown_page.name, self.session.subject.run_id), ("Judge", run.place.run_id))

    def test_the_report_is_written_with_progress_and_can_be_ended(self) -> None:
        self.publish()
        for box in (*self.view.report.forms.values(), *self.view.report.pictures.values(), self.view.report.data):
            box.setChecked(False)
        self.view.report.forms["plain"].setChecked(True)
        out = self.folder / "out"
        told: list[object] = []
        self.window.page(PublishPage).control.written.connect(told.append)
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(out)):
            self.window.page(PublishPage).write_report()
            with self.assertRaisesRegex(PinchError, "being written already"):
                self.window.page(PublishPage).write_report()
            self.wait_for(lambda: told)
            self.assertTrue((out / "report-plain.html").exists() and (out / "tables.xlsx").exists())
            self.assertIn("files are written", self.window.notices.words.text())
            (out / "report-plain.html").write_text("put right by hand")
            with mock.patch("pinch.ui.publish.page.agrees", return_value=False) as asked:
                self.window.page(PublishPage).write_report()
            self.assertIn("report-plain.html was changed", asked.call_args[0][2])
            self.assertFalse(self.window.page(PublishPage).control.busy)
            with mock.patch("pinch.ui.publish.page.agrees", return_value=True):
                self.window.page(PublishPage).write_deck()
            self.window.page(PublishPage).control.end_writing()
            self.assertEqual((out / "report-plain.html").read_text(), "put right by hand")
        self.assertFalse(self.window.page(PublishPage).control.busy)
        self.assertIn("are whole", self.window.notices.words.text())
        self.assertFalse(self.view.progress.isVisible())

    def test_a_sequence_and_a_template_are_asked_for(self) -> None:
        self.publish()
        self.view.go_to_card(self.content(6).card.id or 0)
        folder, told = self.folder / "s", list[object]()
        self.window.page(PublishPage).control.written.connect(told.append)
        with (
            mock.patch.object(QInputDialog, "getInt", return_value=(2, True)),
            mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(folder)),
        ):
            self.window.page(PublishPage).write_sequence()
            self.wait_for(lambda: told)
        self.assertEqual(len(list(folder.iterdir())), 2)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=("/a/mine.html", "")):
            self.window.page(PublishPage).choose_template()
        self.assertEqual(self.session.book.report().template, "/a/mine.html")


class TestEmpty(WindowCase):
    def test_an_empty_deck_says_what_to_do(self) -> None:
        self.window.show_page(self.window.page(PublishPage))
        self.wait_for(lambda: self.window.page(PublishPage).view.shown is not None)
        self.assertIn("Ctrl+K", self.window.page(PublishPage).view.headline.text())
        with self.assertRaisesRegex(PinchError, "no card to write yet"):
            self.window.page(PublishPage).control.write(self.folder, mock.Mock())
        self.window.show_page(self.window.page(BenchPage))
        with self.assertRaisesRegex(PinchError, "no device to send"):
            self.window.page(PublishPage).send()

    def test_pages_are_built_at_their_first_visit(self) -> None:
        made = {page.name for page in self.window.pages if page.is_made}
        self.assertEqual(made, {"Bench", "Plan", "Run", "Judge"})
        self.window.switch_theme()
        self.window.switch_theme()
        self.window.show_page(self.window.page(ModesPage))
        self.assertTrue(self.window.page(ModesPage).is_made)
        self.assertIs(self.window.desk.currentWidget(), self.window.page(ModesPage).view)

    def test_the_others_are_built_one_at_a_time_while_nobody_waits_and_none_while_it_is_measured(self) -> None:
        shown, counts = self.window.shown_page, [4]

        def next_is_made() -> bool:
            counts.append(sum(page.is_made for page in self.window.pages))
            return counts[-1] > counts[-2]

        self.window._before_long.timeout.emit()
        self.wait_for(next_is_made)
        self.assertEqual(counts[-1], 5)
        self.window.quiet()
        timers = self.window._before_long, self.window._ahead._timer
        self.assertFalse(any(timer.isActive() for timer in timers))
        self.window._before_long.timeout.emit()
        self.wait_for(lambda: not any(timer.isActive() for timer in timers))
        self.assertTrue(all(page.is_made for page in self.window.pages))
        self.assertIs(self.window.shown_page, shown)
        self.assertEqual([self.window.desk.widget(n) for n in range(8)], [page.view for page in self.window.pages])


class TestScreenAndFile(unittest.TestCase):
    """The same spec gives the same data and the same reach on screen and in a file."""

    def test_overlaid_runs_are_named_above_their_chart(self) -> None:
        make_application()
        t = np.arange(5.0)
        panel = Panel("Power", "W", (Line(t, t, 0), Line(t, 2 * t, 7, dashed=True)))
        view, seen = ChartView(), list[str]()
        for names in ("one", "two"):  # the second has the same axes, and other names
            chart = Chart("a title", (panel,), "Time", "min:s", clock=True, key=((names, 0), (f"{names} <b>", 7)))
            view.show_chart(chart)
            seen.append(view.plots[0].titleLabel.text)
            svg = face_bytes(face_of(chart), "svg").decode()
            self.assertIn(f">{names}</text>", svg)
            self.assertIn(f">{names} &lt;b&gt;</text>", svg)
        for own, other, title in zip(("one", "two"), ("two", "one"), seen, strict=True):
            self.assertIn(f"── {own}", title)
            self.assertIn(f"╌╌ {own} &lt;b&gt;", title)
            self.assertNotIn(other, title)

    def test_of_charts_that_follow_each_other_the_last_is_drawn(self) -> None:
        app = make_application()
        found = (content.found for content in cabin_test()[0].contents)
        charts = [of.chart for of in found if of and isinstance(of.chart, Chart)]
        last = next(chart for chart in charts if chart.strip)
        first = next(chart for chart in charts if chart.x_range != last.x_range)
        view = ChartView()
        view.resize(900, 600)

        def waits() -> bool:
            return view.graphics.viewportUpdateMode() is QGraphicsView.ViewportUpdateMode.NoViewportUpdate

        for chart in (last, first, last):
            view.show_chart(chart)
        app.processEvents()
        self.assertTrue(waits(), "nothing is painted before all is there")
        seen = view.grab().toImage().pixelColor(view.rect().center())
        self.assertGreater(seen.lightness(), 200, "but what has to be painted is: it is not black")
        view.show_chart(first)
        wait_until(lambda: not waits(), app.processEvents)
        self.assertTrue(view._turns.under_way, "what came meanwhile is drawn after it")
        view.show_chart(last)
        wait_until(lambda: not view._turns.under_way, app.processEvents)
        curves = [i for plot in view.plots for i in plot.items if isinstance(i, pg.PlotDataItem)]
        self.assertEqual(len(curves), sum(len(panel.lines) for panel in last.panels))
        self.assertEqual(view.graphics.ci.geometry().height(), view.graphics.height(), "it takes all the room")
        low, high = last.x_range
        view.plots[0].setXRange(low, (low + high) / 2, padding=0)
        for keep in (True, True):
            view.show_chart(last, keep_range=keep)
        np.testing.assert_allclose(view.plots[0].getViewBox().viewRange()[0], (low, (low + high) / 2))
        view.show_chart(first)
        view.clear()
        app.processEvents()
        self.assertEqual((view.plots, view.chart, waits()), ([], None, False))

    def test_lines_points_and_ranges(self) -> None:
        make_application()
        charts = [c.found.chart for c in cabin_test()[0].contents if c.found and isinstance(c.found.chart, Chart)]
        self.assertGreaterEqual(len(charts), 4)
        for chart in charts:
            view = ChartView()
            view.resize(900, 600)
            view.show_chart(chart)
            figure = draw_face(face_of(chart), LIGHT)
            axes = figure.axes[-len(chart.panels) :]
            plots = view.plots[-len(chart.panels) :]
            for panel, axis, plot in zip(chart.panels, axes, plots, strict=True):
                on_file = [np.asarray(line.get_xydata(), dtype=float) for line in axis.lines]
                curves = [i for i in plot.items if isinstance(i, pg.PlotDataItem)]
                self.assertEqual(len(curves), len(panel.lines))
                for curve in curves:
                    drawn = np.column_stack(curve.getOriginalDataset())
                    self.assertTrue(any(np.array_equal(drawn, other, equal_nan=True) for other in on_file), panel.title)
                for points in (i for i in plot.items if isinstance(i, pg.ScatterPlotItem)):
                    drawn = np.column_stack(points.getData())
                    self.assertTrue(any(np.array_equal(drawn, other) for other in on_file), panel.title)
                low, high = plot.getViewBox().viewRange()[1]
                np.testing.assert_allclose(axis.get_ylim(), (low, high), rtol=1e-9)
                np.testing.assert_allclose(axis.get_xlim(), chart.x_range)
            np.testing.assert_allclose(view.plots[0].getViewBox().viewRange()[0], chart.x_range, rtol=1e-9)
