"""What people expect of any program on a desktop: decimal signs, keys, copied tables, what is remembered."""

import zipfile
from datetime import UTC, date, datetime
from pathlib import Path
from unittest import mock

import python_calamine
from PyQt6.QtCore import QLocale, QRectF, Qt
from PyQt6.QtGui import QColor, QGuiApplication, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMessageBox, QTableView, QVBoxLayout, QWidget
from pyqtgraph import TextItem

from pinch.analysis.plain_tables import Column, Table
from pinch.bench.records import Device
from pinch.publish.table_files import write_tables
from pinch.rig.demo_bench import THREE_EVENINGS, date_plans_anew
from pinch.ui import look
from pinch.ui.every_table import chosen_rows, copy, headings, write_shown
from pinch.ui.file_dialogs import save_name, with_ending
from pinch.ui.menus import mnemonics
from pinch.ui.number_box import NumberBox
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.preferences import NOTIFY, PAGE, THEME, Key, Preferences
from pinch.ui.program_actions import ProgramActions
from pinch.ui.row_table import RowTable
from pinch.ui.scale.page import ScalePage
from pinch.ui.settings_dialog import SettingsDialog
from pinch.ui.shell.finder import Finder
from pinch.ui.tab_order import chain
from pinch.ui.table_rows import TableRow
from tests.in_folder import InFolder
from tests.window_case import WindowCase


class TestNumbers(WindowCase):
    def test_both_decimal_signs_whatever_the_country(self) -> None:
        for country in ("de_DE", "C"):
            QLocale.setDefault(QLocale(country))
            self.addCleanup(QLocale.setDefault, QLocale.c())
            for typed, value in (("12.5", 12.5), ("12,5", 12.5), ("0,75", 0.8), ("7 W", 7.0), ("0.02 kW", 20.0)):
                box = NumberBox("Watts", 0.0, 500.0, 3.0, unit="W", before="at ")
                self._type(box, typed)
                self.assertEqual((country, typed, box.value()), (country, typed, value))

    def test_what_can_be_meant_otherwise_is_refused(self) -> None:
        for typed in ("1,234", "watts", "900", "5 °C", ""):
            box = NumberBox("Watts", 0.0, 500.0, 3.0, unit="W")
            self._type(box, typed)
            self.assertEqual((typed, box.value(), box.text()), (typed, 3.0, "3.0 W"))

    def test_every_field_of_the_window_reads_so(self) -> None:
        for page in self.window.pages:
            self.window.show_page(page)
        boxes = self.window.findChildren(NumberBox)
        self.assertGreater(len(boxes), 12)
        self.assertEqual([b for b in boxes if not b.accessibleName()], [])

    def _type(self, box: NumberBox, text: str) -> None:
        box.show()
        field = box.findChild(QLineEdit)
        assert field is not None
        field.selectAll()
        QTest.keyClick(field, Qt.Key.Key_Delete)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        box.close()


class TestTables(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.table = RowTable("Watts", ("device", "power", "hidden"))
        rows = [("Gannet", "12.5", "x"), ("<b>Tern</b>", "−3", "y"), ("Knot", "n/a", "z")]
        self.table.show_rows([TableRow(cells) for cells in rows])
        self.table.hideColumn(2)

    def test_tab_leaves_every_table(self) -> None:
        for page in self.window.pages:
            self.window.show_page(page)
        tables = self.window.findChildren(QTableView)
        self.assertGreater(len(tables), 10)
        self.assertEqual([t.accessibleName() for t in tables if t.tabKeyNavigation()], [])
        both, after = QWidget(), QLineEdit()
        column = QVBoxLayout(both)
        column.addWidget(self.table)
        column.addWidget(after)
        both.show()
        both.activateWindow()
        self.table.setFocus()
        self.table.setCurrentCell(0, 0)
        QTest.keyClick(self.table, Qt.Key.Key_Tab)
        self.assertIs(both.focusWidget(), after)
        both.close()

    def test_rows_are_copied_with_their_headings(self) -> None:
        self.table.show()  # what every table does it is given when it is shown
        self.table.selectRow(1)
        copied = next(a for a in self.table.actions() if a.shortcut() == QKeySequence("Ctrl+C"))
        copied.trigger()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        data = clipboard.mimeData()
        assert data is not None
        self.assertEqual(data.text(), "device\tpower\n<b>Tern</b>\t−3")
        self.assertIn("<td>&lt;b&gt;Tern&lt;/b&gt;</td><td>−3</td>", data.html())
        self.table.clearSelection()
        self.assertEqual(chosen_rows(self.table), [1], "the present one")
        copy(self.table, range(3))
        self.assertEqual(len(clipboard.text().splitlines()), 4)
        self.table.close()

    def test_what_is_shown_can_be_written(self) -> None:
        write_shown(self.table, self.folder / "t.csv")
        self.assertEqual(
            (self.folder / "t.csv").read_text().splitlines()[1:], ["Gannet,12.5", "<b>Tern</b>,-3", "Knot,n/a"]
        )
        write_shown(self.table, self.folder / "t.xlsx")
        book = python_calamine.CalamineWorkbook.from_path(str(self.folder / "t.xlsx"))
        self.assertEqual(book.get_sheet_by_index(0).to_python()[1], ["Gannet", 12.5])


class TestFiles(InFolder):
    def test_spreadsheets_show_days_decimals_and_yes(self) -> None:
        moment = datetime(2026, 9, 1, 12, 30, tzinfo=UTC)
        columns = (Column("started"), Column("day"), Column("power", "W"), Column("n"), Column("mains"))
        table = Table(
            "runs", columns, ((moment, date(2026, 9, 1), 12.34567890123, 3, True), (None, None, 0.5, None, False))
        )
        write_tables((table,), self.folder / "t.xlsx")
        book = python_calamine.CalamineWorkbook.from_path(str(self.folder / "t.xlsx"))
        self.assertEqual(book.get_sheet_by_index(0).to_python()[1][1:], [date(2026, 9, 1), 12.34567890123, 3.0, True])
        with zipfile.ZipFile(self.folder / "t.xlsx") as archive:
            self.assertIn('formatCode="yyyy\\-mm\\-dd"'.replace("\\", ""), archive.read("xl/styles.xml").decode())
        write_tables((table,), self.folder / "t.ods")
        with zipfile.ZipFile(self.folder / "t.ods") as archive:
            text = archive.read("content.xml").decode()
        for part in ("<number:boolean/>", "<number:minutes", 'number:decimal-places="2"', "style:column-width="):
            self.assertIn(part, text)
        day = next(cell for cell in text.split("<table:table-cell ") if "2026-09-01" in cell and "T12" not in cell)
        self.assertIn('table:style-name="day"', day)


def header_height(table: RowTable) -> int:
    view = table.viewport()
    return view.y() - table.first_column.y() if view is not None else 0


class TestRemembered(WindowCase):
    def test_a_name_gets_its_ending_and_a_place_that_cannot_be_is_asked_again(self) -> None:
        gone, good = str(self.folder / "gone" / "a"), str(self.folder / "a")
        kind = "Pictures (*.png *.svg)"
        asked = mock.patch.object(QFileDialog, "getSaveFileName", side_effect=[(gone, kind), (good, kind)])
        with asked, mock.patch.object(QMessageBox, "warning") as warned:
            self.assertEqual(save_name(self.window, "Write", "x.png", kind), Path(f"{good}.png"))
        self.assertIn("There is no folder", warned.call_args.args[2])
        offered = mock.patch.object(QFileDialog, "getSaveFileName", return_value=("", ""))
        with offered as asked_again:
            save_name(self.window, "Write", "y.png", kind)
        self.assertEqual(asked_again.call_args.args[2], str(self.folder / "y.png"), "it begins where the last one was")
        named = {name: with_ending(Path(name), kind).name for name in ("test 1.2", "a.svg", "a.SVG")}
        self.assertEqual(named, {"test 1.2": "test 1.2.png", "a.svg": "a.svg", "a.SVG": "a.SVG"})

    def test_page_book_and_theme_come_back(self) -> None:
        file = self.folder / "pinch.ini"
        kept = Preferences(file)
        self.window.preferences = kept
        kept.opened(self.session.book.path)
        self.addCleanup(look.apply, self.app, "light")
        self.window.show_page(self.window.pages[4])
        self.window.switch_theme()
        self.window.close()
        again = Preferences(file)
        self.assertEqual((again.get(PAGE), again.get(THEME)), (self.window.pages[4].name, "dark"))
        self.assertEqual(again.recent, [self.session.book.path])
        self.assertIsNotNone(again.geometry)
        dialog = SettingsDialog(again, self.window)
        dialog.switches[NOTIFY].setChecked(False)
        dialog.scale.setCurrentIndex(dialog.scale.findData("125"))
        dialog.accept()
        self.assertFalse(Preferences(file).says_yes(NOTIFY))
        self.assertEqual(Preferences(file).size, "125")
        file.write_text("[look]\nsize=9000\n")
        self.assertEqual(Preferences(file).size, "100")

    def test_chosen_columns_and_widths_come_back(self) -> None:
        file = self.folder / "pinch.ini"

        def table(preferences: Preferences) -> RowTable:
            self.window.preferences = preferences
            made = RowTable("Levels", ("Setting", "W", "dB(A)", "Score"))
            made.setParent(self.window)
            made.show_rows([TableRow(("Even", "28.1", "35", "4.2"))])
            return made

        first = table(Preferences(file))
        first.columns_shown.menu.aboutToShow.emit()
        offered = [a.text() for a in first.columns_shown.menu.actions()]
        self.assertEqual(offered, ["W", "dB(A)", "Score", "", "As usual"])
        first.columns_shown.menu.actions()[0].trigger()
        header = first.horizontalHeader()
        assert header is not None
        pressed = mock.patch.object(QGuiApplication, "mouseButtons", return_value=Qt.MouseButton.LeftButton)
        with pressed, mock.patch.object(header, "underMouse", return_value=True):
            header.resizeSection(2, 133)
        second = table(Preferences(file))
        self.assertEqual((second.isColumnHidden(1), second.columnWidth(2)), (True, 133))
        self.assertEqual(headings(second), ["Setting", "dB(A)", "Score"], "what is copied is what is shown")
        second.columns_shown.as_usual()
        self.assertFalse(table(Preferences(file)).isColumnHidden(1))
        Preferences(file).set(Key("tables/Levels", ""), "[1, {")
        self.assertFalse(table(Preferences(file)).isColumnHidden(1), "what somebody else wrote is let be")

    def test_the_first_column_stays_in_view(self) -> None:
        columns = ("Setting", *(f"column {n}" for n in range(30)))
        table = RowTable("Wide", columns)
        table.setParent(self.window)
        table.resize(400, 200)
        table.show_rows([TableRow(("Even", *("12.5" for _ in range(30)))) for _ in range(3)])
        table.show()
        across = table.horizontalScrollBar()
        assert across is not None
        self.assertFalse(table.first_column.isVisible())
        across.setValue(across.maximum())
        self.assertTrue(table.first_column.isVisible())
        shot, ink = table.first_column.grab().toImage(), QColor(look.theme().ink)
        row = table.rowViewportPosition(1) + header_height(table) + table.rowHeight(1) // 2
        found = {shot.pixelColor(x, row + dy).name() for x in range(shot.width()) for dy in range(-6, 7)}
        self.assertIn(ink.name(), found, "the name of the row is painted there")

    def test_everything_is_found_by_its_name(self) -> None:
        self.session.book.save(Device(name="Gannet 7"))
        offered: list[Finder] = []

        def run(finder: Finder) -> int:
            offered.append(finder)
            QTest.keyClicks(finder.typed, "gann")
            QTest.keyClick(finder.typed, Qt.Key.Key_Return)
            return finder.result()

        self.window.show_page(self.window.pages[3])
        with mock.patch.object(Finder, "exec", run):
            self.window.part(ProgramActions).find_anything()
        assert offered[0].chosen is not None
        self.assertEqual((offered[0].chosen.words, offered[0].chosen.kind), ("Gannet 7", "device"))
        self.assertIs(self.window.shown_page, self.window.pages[0])
        self.assertEqual(self.session.device and self.session.device.name, "Gannet 7")

    def test_each_letter_chooses_one_thing_of_a_menu(self) -> None:
        self.assertEqual(mnemonics(["Copy all", "Close", "Cut", "…"]), ["&Copy all", "C&lose", "C&ut", "…"])
        keys = [e.keys for e in self.window.entries if e.keys]
        self.assertEqual(len(keys), len(set(keys)), "no key does two things")


class TestOnTheDemo(WindowCase):
    demo = True

    def test_its_plans_speak_of_the_day_on_which_it_is_opened(self) -> None:
        for _ in range(2):
            date_plans_anew(self.session.book, date(2030, 5, 4))
        plan = next(p for p in self.session.book.plans() if p.name == THREE_EVENINGS)
        self.assertEqual(
            [s.start.date().isoformat() for s in plan.sessions], ["2030-05-03", "2030-05-04", "2030-05-05"]
        )
        self.assertEqual({e.started.date() for e in plan.entries}, {date(2030, 5, 3)})

    def test_words_of_spots_stand_clear_of_each_other(self) -> None:
        page = self.window.page(ScalePage)
        self.session.choose_run(self.session.book.runs()[3].id)
        self.window.show_page(page)
        self.wait_for(lambda: self._labels(page.view.chart))
        page.view.chart._places.place()
        labels = self._labels(page.view.chart)
        spots = [area for words, area in labels if words.endswith("W")]
        self.assertGreaterEqual(len(spots), 3)
        for n, one in enumerate(spots):
            self.assertEqual([two for two in spots[n + 1 :] if one.intersects(two)], [])

    def test_the_margin_comes_after_the_page(self) -> None:
        for page in self.window.pages:
            self.window.show_page(page)
            QTest.keyClick(self.window.margin, Qt.Key.Key_Tab)
            order = [w for w in chain(self.window) if w.isVisible()]
            inside = [self.window.margin.isAncestorOf(w) for w in order]
            self.assertEqual(inside, sorted(inside), page.name)
            self.assertGreater(inside.count(False), 5)

    def test_the_points_of_a_chart_are_read_by_the_keyboard(self) -> None:
        page = self.window.page(ScalePage)
        self.session.choose_run(self.session.book.runs()[3].id)
        self.window.show_page(page)
        chart = page.view.chart
        self.wait_for(lambda: self._labels(chart))
        opened: list[int] = []
        chart.dot_clicked.disconnect()
        chart.dot_clicked.connect(opened.append)
        said = []
        for _ in range(4):
            QTest.keyClick(chart, Qt.Key.Key_Right)
            said.append(chart.accessibleDescription())
        QTest.keyClick(chart, Qt.Key.Key_Left)
        self.assertEqual(chart.accessibleDescription(), said[2])
        watts = [float(words.split(": ")[1].split("\u00a0W")[0]) for words in said]
        self.assertEqual(watts, sorted(watts))
        QTest.keyClick(chart, Qt.Key.Key_Return)
        self.assertEqual(len(opened), 1)

    def _labels(self, chart: ChartView) -> list[tuple[str, QRectF]]:
        items = (item for plot in chart.plots for item in plot.items if isinstance(item, TextItem))
        return [(i.toPlainText().strip(), i.mapRectToScene(i.boundingRect()).adjusted(3, 3, -3, -3)) for i in items]
