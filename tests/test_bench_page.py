"""The Bench page in the real window: entering by keyboard, drafts, questions, copies, archive, ladder, search."""

import json
import unittest
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QInputDialog, QLineEdit

from pinch.bench.parts import Claims
from pinch.bench.records import Came, Device, Form, Protocol, Setting, Workload
from pinch.ui.bench.page import BenchPage
from pinch.ui.bench.state import items
from pinch.ui.book_actions import BookActions
from pinch.ui.dialogs import LadderDialog
from pinch.ui.judge.page import JudgePage
from pinch.ui.page_protocol import RecordsTarget
from pinch.ui.private_dialog import PrivateDialog
from tests.window_case import WindowCase

CONTROL = Qt.KeyboardModifier.ControlModifier
SHIFT = CONTROL | Qt.KeyboardModifier.ShiftModifier


class BenchCase(WindowCase):
    """Typing into the fields of the form as a person does: every key reaches the field, Enter ends the entry."""

    def type_into(self, path: str, text: str) -> None:
        edit = self.window.page(BenchPage).view.form.edits[path]
        if isinstance(edit.editor, QComboBox):
            edit.editor.setFocus()
            edit.editor.setCurrentText(text)
            edit.editor.activated.emit(edit.editor.currentIndex())
        else:
            assert isinstance(edit.editor, QLineEdit)
            edit.editor.setFocus()
            edit.editor.selectAll()
            QTest.keyClicks(edit.editor, text)
            if not text:
                QTest.keyClick(edit.editor, Qt.Key.Key_Delete)
            QTest.keyClick(edit.editor, Qt.Key.Key_Return)
        QApplication.processEvents()

    def message(self, path: str) -> str:
        return self.window.page(BenchPage).view.form.edits[path].message.text()

    def new(self, kind: type) -> None:
        self.window.go_to(RecordsTarget(kind))
        QTest.keyClick(self.window, Qt.Key.Key_N, SHIFT)
        QApplication.processEvents()


class TestEntering(BenchCase):
    def test_an_empty_book_says_what_to_do_first(self) -> None:
        self.assertIsInstance(self.window.shown_page, BenchPage)
        self.assertIn("No device yet", self.window.page(BenchPage).view.headline.text())
        self.assertTrue(self.window.page(BenchPage).view.computer.isVisible())
        for kind, words in ((Setting, "Choose a device first"), (Workload, "No workload"), (Protocol, "No protocol")):
            self.window.go_to(RecordsTarget(kind))
            self.assertIn(words, self.window.page(BenchPage).view.headline.text())

    def test_a_device_is_entered_field_by_field(self) -> None:
        self.new(Device)
        for path, text in (
            ("name", "Gannet"),
            ("form", "handheld"),
            ("came", "lent"),
            ("battery.full_wh", "47,2 Wh"),
            ("mass_kg", "690 g"),
            ("display.pixels", "1920x1200"),
            ("claims.lowest_w", "7"),
            ("claims.highest_w", "30 W"),
        ):
            self.type_into(path, text)
        self.window.page(BenchPage).view.form.adders["exclusions"].click()
        self.type_into("exclusions.0.aspect", "limits")
        self.type_into("exclusions.0.value", "> 25")
        device = self.session.book.devices()[0]
        self.assertEqual((device.name, device.form, device.came), ("Gannet", Form.HANDHELD, Came.LENT))
        self.assertEqual((device.battery.full_wh, device.mass_kg, device.display.pixels), (47.2, 0.69, "1920×1200"))
        self.assertEqual((device.exclusions[0].value, device.exclusions[0].other), ("> 25", "battery"))
        self.assertIn("Every figure says: lent", self.window.margin.text)
        self.assertEqual(self.window.page(BenchPage).view.headline.text(), "Gannet")

    def test_nothing_typed_is_thrown_away(self) -> None:
        self.new(Device)
        self.type_into("battery.design_wh", "sixty")
        self.assertIn("not a number in Wh", self.message("battery.design_wh"))
        self.type_into("claims.sustained_w", "45")
        self.type_into("claims.burst_w", "28")
        self.assertIn("burst limit is below", self.message("claims.burst_w"))
        path = self.session.book.path
        self.session.create(self.folder / "other.pinch")
        self.session.open(path)
        self.window.show_page(self.window.page(BenchPage))
        edits = self.window.page(BenchPage).view.form.edits
        self.assertEqual((edits["battery.design_wh"].text, edits["claims.burst_w"].text), ("sixty", "28"))
        self.assertIn("not a number", self.message("battery.design_wh"))
        self.type_into("claims.sustained_w", "15")
        self.assertEqual(self.session.book.devices()[0].claims, Claims(sustained_w=15, burst_w=28))
        self.assertEqual(self.message("claims.burst_w"), "")

    def test_what_seems_wrong_is_asked_and_kept(self) -> None:
        self.new(Device)
        self.type_into("form", "laptop")
        self.type_into("battery.design_wh", "500")
        self.assertIn("more than a laptop usually has", self.message("battery.design_wh"))
        self.type_into("temp_limit_c", "203 °F")
        self.assertIn("was °F meant", self.message("temp_limit_c"))
        device = self.session.book.devices()[0]
        self.assertEqual((device.battery.design_wh, device.temp_limit_c), (500.0, 95.0))
        self.type_into("temp_limit_c", "95")
        self.assertEqual(self.message("temp_limit_c"), "")

    def test_every_entry_can_be_undone(self) -> None:
        self.new(Workload)
        self.type_into("name", "Tile Render")
        self.type_into("length_s", "15 min")
        self.type_into("passes", "many")
        for _ in range(3):
            self.window.undo()
        self.assertEqual(self.session.book.workloads()[0].name, "New workload")
        self.assertEqual(self.window.page(BenchPage).view.form.edits["passes"].text, "1")
        for _ in range(3):
            self.window.redo()
        self.assertEqual(self.session.book.workloads()[0].length_s, 900.0)
        self.assertEqual(self.window.page(BenchPage).view.form.edits["passes"].text, "many")
        self.window.undo()
        self.window.undo()
        self.window.undo()
        self.window.undo()
        self.assertEqual(self.session.book.workloads(), [])

    def test_raised_limits_show_the_caution(self) -> None:
        device = self.session.book.save(Device(name="Limpet", claims=Claims(sustained_w=35)))
        self.session.choose(device.id, None, None, None)
        self.new(Setting)
        form = self.window.page(BenchPage).view.form

        def shown() -> str:
            inside = form.widget()
            assert inside is not None
            return " ".join(w.text() for w in inside.findChildren(type(self.window.page(BenchPage).view.headline)))

        self.type_into("sustained_w", "35")
        self.assertNotIn("follow the maker's instructions", shown())
        self.type_into("sustained_w", "54")
        self.assertIn("follow the maker's instructions", shown())

    def test_leaving_the_field_keeps_what_was_typed_at_the_end(self) -> None:
        self.new(Protocol)
        edit = self.window.page(BenchPage).view.form.edits["background"].editor
        edit.setFocus()
        QTest.keyClicks(edit, "updates off")
        self.window.close()
        self.assertEqual(self.session.book.protocols()[0].background, "updates off")


class TestOnTheDemo(BenchCase):
    demo = True

    def setUp(self) -> None:
        super().setUp()
        self.choose("Gannet", "20 W", "Skerry Run")
        self.window.go_to(RecordsTarget(Device))

    def test_a_device_is_copied_with_its_settings(self) -> None:
        book = self.session.book
        before = book.settings(self.session.subject.device_id or 0)
        QTest.keyClick(self.window, Qt.Key.Key_D, SHIFT)
        copied = self.session.device
        assert copied is not None
        self.assertEqual((copied.name, copied.rig, copied.battery.full_wh), ("Gannet (2)", None, 47.2))
        self.assertEqual([s.name for s in book.settings(copied.id or 0)], [s.name for s in before])
        self.assertEqual(book.runs(copied.id), [])
        self.window.undo()
        self.assertEqual(len(book.devices()), 4)

    def test_archive_hides_it_and_brings_it_back(self) -> None:
        view, book = self.window.page(BenchPage).view, self.session.book
        QTest.keyClick(self.window, Qt.Key.Key_A, SHIFT)
        self.assertEqual([view.list.item(n).text().split("\n")[0] for n in range(view.list.count())][-1], "Limpet")
        self.assertEqual(len(book.devices()), 4, "nothing is deleted")
        self.assertEqual(self.window.spine.entries[0].accessibleName(), "Bench 3 devices")
        view.archived.click()
        self.assertEqual(view.list.count(), 4)
        view.archive.click()
        self.assertFalse(book.devices()[3].archived)
        view.archive.click()
        device = book.devices()[0]
        book.save(device.model_copy(update={"name": "New device", "archived": True}))
        self.window.page(BenchPage).control.new()
        self.assertEqual(book.devices()[-1].name, "New device (2)", "what is hidden keeps its name")

    def test_search_looks_at_names_details_and_notes(self) -> None:
        view = self.window.page(BenchPage).view
        QTest.keyClick(self.window, Qt.Key.Key_F, CONTROL)
        self.assertTrue(view.search.hasFocus())
        for words, found in (("noisy", ["Gannet"]), ("tarn laptop", ["Sandpiper 14"]), ("xyz", [])):
            view.search.setText(words)
            names = [view.list.item(n).text().split("\n")[0] for n in range(view.list.count())]
            self.assertEqual([n for n in names if n in ("Gannet", "Sandpiper 14", "Limpet")], found)
        self.assertIn("Nothing is found", view.headline.text())

    def test_the_list_is_walked_by_keyboard(self) -> None:
        view = self.window.page(BenchPage).view
        view.list.setFocus()
        QTest.keyClick(view.list, Qt.Key.Key_Up)
        self.assertEqual(self.session.device and self.session.device.name, "Limpet")
        QTest.keyClick(view.list, Qt.Key.Key_Home)
        self.assertEqual(view.headline.text(), "Sandpiper 14")

    def test_a_ladder_of_settings(self) -> None:
        device = self.session.device
        assert device is not None
        dialog = LadderDialog(device, self.window)
        self.assertEqual((dialog.low.text(), dialog.high.text()), ("7 W", "30 W"))
        dialog.count.setText("4")
        dialog.steps.setCurrentIndex(1)
        self.assertEqual(dialog.preview.text(), "7 W, 15 W, 22 W, 30 W")
        dialog.listed.setText("18/8,5/30 W")
        self.assertEqual(dialog.preview.text(), "8.5 W, 18 W, 30 W")
        dialog.listed.setText("18/90")
        self.assertIn("90 W cannot be set", dialog.preview.text())
        dialog.listed.clear()
        dialog.high.setText("3 W")
        self.assertIn("does not", dialog.preview.text())
        dialog.accept()
        self.assertEqual(dialog.result(), 0)
        made = self.window.page(BenchPage).control.make_ladder([7, 15, 22, 30])
        names = [s.name for s in self.session.book.settings(device.id or 0)]
        self.assertEqual((made, names[-2:]), (2, ["15 W", "22 W"]), "7 W and 30 W are there already")
        self.window.safely(lambda: self.window.page(BenchPage).control.make_ladder([7, 15, 22, 30]))
        self.assertIn("all of these settings already", self.window.notices.words.text())

    def test_settings_of_another_device(self) -> None:
        with mock.patch.object(QInputDialog, "getItem", return_value=("Sandpiper 14", True)):
            self.window.page(BenchPage).copy_settings()
        names = [s.name for s in self.session.book.settings(self.session.subject.device_id or 0)]
        on_battery = ["Hush on battery", "18 W on battery", "Even on battery"]
        self.assertEqual(
            names[-10:], ["Hush", "Even", "Full", *on_battery, "18 W", "22 W", "35 W", "Firmware 1.10, stairs"]
        )
        self.window.undo()
        self.assertEqual(len(self.session.book.settings(self.session.subject.device_id or 0)), 12)

    def test_the_protocol_prints_as_methodology(self) -> None:
        self.window.go_to(RecordsTarget(Protocol))
        self.assertIn("It asks for a room of 22 °C ± 1 K", self.window.margin.text)
        self.type_into("ambient_c", "24")
        self.assertIn("It asks for a room of 24 °C ± 1 K", self.window.margin.text)

    def test_records_go_out_and_come_in(self) -> None:
        path = self.folder / "bench.json"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            with mock.patch.object(PrivateDialog, "exec", lambda dialog: 0):
                self.window.part(BookActions).write_records()
            self.assertFalse(path.exists(), "whoever thinks better of it writes nothing")
            with mock.patch.object(PrivateDialog, "exec", lambda dialog: 1):
                self.window.part(BookActions).write_records()
        self.assertEqual(len(json.loads(path.read_text())["devices"]), 4)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.window.part(BookActions).add_records()
        self.assertEqual(len(self.session.book.devices()), 8)
        self.window.undo()
        self.assertEqual(len(self.session.book.devices()), 4)
        path.write_text("{}]")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.window.safely(self.window.part(BookActions).add_records)
        self.assertIn("it is not JSON", self.window.notices.words.text())

    def test_status_and_how_it_came_follow_into_the_charts(self) -> None:
        self.window.show_page(self.window.page(JudgePage))
        self.wait_for(lambda: self.window.page(JudgePage).view.shown is not None)
        shown = self.window.page(JudgePage).view.shown
        assert shown is not None
        self.assertIn("pre-production unit, lent", shown.footnote)
        self.assertIn("Skerry Run (built-in scene)", shown.footnote)


class TestItems(unittest.TestCase):
    def test_settings_need_a_device(self) -> None:
        self.assertEqual(items(mock.Mock(), Setting, None, "", False), [])
