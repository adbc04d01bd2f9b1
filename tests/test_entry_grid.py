"""Results typed in a grid: by hand in the window, from an empty book and beside what is there."""

import unittest
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import cell_value
from pinch.bench.entry import read_value
from pinch.bench.records import Result
from pinch.bench.summaries import Origin
from pinch.bench.variants import own_name
from pinch.core.errors import PinchError
from pinch.intake.entry_grid import Side
from pinch.runs.whole_book import read_points
from pinch.ui.compare.page import ComparePage
from pinch.ui.results.grid_dialog import GridDialog
from tests.window_case import WindowCase

GAMES = [f"Game {n}" for n in range(1, 13)]
PRESETS = ["low", "medium", "high", "highest"]


class TestValues(unittest.TestCase):
    def test_a_value_or_a_range_in_the_unit(self) -> None:
        for text, unit, ends in (
            ("62,4", "fps", (62.4,)),
            ("41.6–42", "fps", (41.6, 42.0)),
            ("41.6 - 42", "", (41.6, 42.0)),
            ("-3", "mV", (-3.0,)),
            ("5:52", "s", (352.0,)),
            ("5:52—6:10", "s", (352.0, 370.0)),
            ("1,240", "", (1.24,)),
        ):
            with self.subTest(text=text):
                self.assertEqual(read_value(text, unit).ends, ends)
        self.assertIn("1240", read_value("1,240", "").question)
        with self.assertRaisesRegex(PinchError, "not a number"):
            read_value("abc", "fps")


class TestGridFromAnEmptyBook(WindowCase):
    def dialog(self, held: dict[Side, str] | None = None) -> GridDialog:
        dialog = GridDialog(self.session.book, held or {}, self.session.change, self.window)
        self.addCleanup(dialog.deleteLater)
        return dialog

    def test_twelve_games_at_four_presets(self) -> None:
        dialog = self.dialog()
        for game in GAMES:
            dialog.rows.another.setText(game)
            QTest.keyClick(dialog.rows.another, Qt.Key.Key_Return)
        dialog.columns.set_side(Side.VARIANT)
        dialog.columns.side_chosen.emit()
        for preset in PRESETS:
            dialog.columns.another.setText(preset)
            QTest.keyClick(dialog.columns.another, Qt.Key.Key_Return)
        self.assertEqual((dialog.table.rowCount(), dialog.table.columnCount()), (12, 4))
        dialog.table.setCurrentCell(0, 0)
        dialog.table.paste("100\t80\t60\t40\n")
        self.assertIn("Which device", dialog.error.text())
        dialog.held[Side.DEVICE].setCurrentText("Unit A")
        dialog.held[Side.SETTING].setCurrentText("Plugged in")
        dialog.held[Side.METRIC].setCurrentText("low_1.percentile")
        rates = [[120 - 5 * g - 20 * p for p in range(4)] for g in range(12)]
        dialog.table.setCurrentCell(0, 0)
        dialog.table.paste("\n".join("\t".join(map(str, row)) for row in rates))
        self.assertIn(
            "48 results: 48 new. The book gets the device Unit A, the setting Plugged in", dialog.words.text()
        )
        dialog.keep()
        book = self.session.book
        self.assertEqual(dialog.words.text()[:10], "48 results")
        self.assertEqual((len(book.results()), len(book.devices()), len(book.workloads())), (48, 1, 12 + 48))
        (cell,) = cells_of(read_points(book.path))
        for g, game in enumerate(GAMES):
            root = next(w for w in book.workloads() if w.name == game)
            own = {own_name(w): w for w in book.workloads() if w.variant_of == root.id}
            self.assertEqual([cell_value(cell, own[p], "low_1.percentile") for p in PRESETS], rates[g])
        self.window.undo()
        self.assertEqual((book.results(), book.devices(), book.workloads()), ([], [], []))

    def test_what_stands_there_is_changed_taken_away_or_left(self) -> None:
        book, work = self.session.book, {Side.DEVICE: "Unit A", Side.SETTING: "15 W"}
        dialog = self.dialog()
        for side, name in work.items():
            dialog.held[side].setCurrentText(name)
        for name in ("Render", "Export", "Pack"):
            dialog.rows.another.setText(name)
            QTest.keyClick(dialog.rows.another, Qt.Key.Key_Return)
        dialog.columns.another.setText("Graphics")
        QTest.keyClick(dialog.columns.another, Qt.Key.Key_Return)
        dialog.n.setText("3")
        dialog.table.setCurrentCell(0, 0)
        dialog.table.paste("612\n14021\n7.5")
        dialog.keep()
        self.assertEqual([(r.metric, r.value, r.n) for r in book.results()],
                         [("Graphics", 612, 3), ("Graphics", 14021, 3), ("Graphics", 7.5, 3)])  # fmt: skip
        twice = next(r for r in book.results() if r.value == 7.5)
        book.save(twice.as_new(value=7.7))
        again = self.dialog({**work, Side.WORKLOAD: "Render"})
        again.columns.offer(again._offered(Side.METRIC), ["Graphics"])
        again._rebuild()
        self.assertEqual([again.table.text_of((r, 0)) for r in range(3)], ["612", "14021", "2 results"])
        again.table.setCurrentCell(0, 0)
        again.table.paste("640–650\n\n9")
        self.assertIn("2 results: 1 changed, 1 taken away.", again.words.text())
        again.keep()
        self.assertEqual(
            sorted((r.value or 0, r.low or 0, r.n) for r in book.results()), [(0, 640, 3), (7.5, 0, 3), (7.7, 0, 3)]
        )
        again.origin.setCurrentText(str(Origin.MAKER))
        self.assertEqual([again.table.text_of((r, 0)) for r in range(3)], ["", "", ""], "nobody else told any")

    def test_typed_fields_outlive_other_columns_and_are_asked_about(self) -> None:
        dialog = self.dialog({Side.DEVICE: "Unit A", Side.SETTING: "15 W"})
        dialog.rows.another.setText("Render")
        QTest.keyClick(dialog.rows.another, Qt.Key.Key_Return)
        for metric in ("One", "Two"):
            dialog.columns.another.setText(metric)
            QTest.keyClick(dialog.columns.another, Qt.Key.Key_Return)
        dialog.table.setCurrentCell(0, 0)
        dialog.table.paste("5\tx1\t9")
        self.assertIn("Render, Two: 'x1' is not a number", dialog.error.text())
        self.assertFalse(dialog.keep_button.isEnabled())
        self.assertIn("1 copied cell found no row", dialog.words.text())
        two = dialog.columns.list.item(1)
        assert two is not None
        two.setCheckState(Qt.CheckState.Unchecked)
        self.assertIn("1 typed field not shown here now", dialog.words.text())
        self.assertTrue(dialog.keep_button.isEnabled())
        no = QMessageBox.StandardButton.No
        with mock.patch.object(QMessageBox, "question", return_value=no) as asked:
            dialog.show()
            dialog.reject()
            self.assertTrue(dialog.isVisible())
        self.assertIn("2 typed fields are not kept yet.", asked.call_args.args)
        dialog.keep()
        self.assertEqual([r.value for r in self.session.book.results()], [5.0])

    def test_enter_goes_down_and_to_the_next_column(self) -> None:
        dialog = self.dialog({Side.DEVICE: "Unit A", Side.SETTING: "15 W"})
        for name in ("Render", "Export"):
            dialog.rows.another.setText(name)
            QTest.keyClick(dialog.rows.another, Qt.Key.Key_Return)
        for metric in ("One", "Two"):
            dialog.columns.another.setText(metric)
            QTest.keyClick(dialog.columns.another, Qt.Key.Key_Return)
        dialog.show()
        table = dialog.table
        table.setFocus()
        table.setCurrentCell(0, 0)
        for text in "123":
            QTest.keyClicks(table.viewport(), text)
            editor = table.viewport().focusWidget() or table.focusWidget()  # type: ignore[union-attr]
            QTest.keyClick(editor, Qt.Key.Key_Return)
            self.app.processEvents()  # the editor is closed later
        self.assertEqual([table.text_of(at) for at in ((0, 0), (1, 0), (0, 1))], ["1", "2", "3"])
        dialog._typed.clear()


class TestGridOfTheDemo(WindowCase):
    demo = True

    def test_it_begins_with_what_the_strip_names(self) -> None:
        book = self.session.book
        gannet = next(d for d in book.devices() if d.name == "Gannet")
        setting = next(s for s in book.settings(gannet.id) if s.name == "16 W")
        lantern = next(w for w in book.workloads() if w.name == "Lantern Deep")
        self.session.choose(gannet.id, setting.id, lantern.id, None)
        before = len(book.results())

        def type_one(dialog: GridDialog) -> int:
            rows = [t.key for t in dialog.rows.ticked]
            columns = [t.key for t in dialog.columns.ticked]
            self.assertEqual(dialog.held[Side.METRIC].currentText(), "average, fps")
            at = rows.index("Lantern Deep"), columns.index("low")
            self.assertEqual(dialog.table.text_of(at), "71.2")
            dialog.table.setCurrentCell(rows.index("Pack Ice"), columns.index("capped at 40"))
            dialog.table.paste("39.9 fps")
            dialog.keep()
            return 0

        with mock.patch.object(GridDialog, "exec", type_one):
            self.window.page(ComparePage).type_grid()
        new: Result = book.results()[-1]
        work = next(w for w in book.workloads() if w.id == new.workload_id)
        self.assertEqual((len(book.results()), work.name, new.value), (before + 1, "Pack Ice, capped at 40", 39.9))
