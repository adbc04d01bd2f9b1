"""Scores from tables: what columns say, runs without a log, and how they stand beside measured ones."""

import contextlib
import json
import os
import zipfile
from unittest import mock
from xml.dom import minidom

from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P
from PyQt6.QtWidgets import QApplication
from xlsxwriter import Workbook

from pinch.analysis.curves import ScaleChoice, scale_book
from pinch.analysis.points import points_of
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, Setting, Workload
from pinch.bench.summaries import Origin
from pinch.charts.scale_chart import Second
from pinch.core.errors import DataError
from pinch.core.sweetspots import NEARLY_ALL
from pinch.intake.table_roles import Role, guess_roles
from pinch.intake.told_results import add_told
from pinch.intake.told_rows import Told, told_rows
from pinch.narrative import curve_words
from pinch.runs.devices import add_rig
from pinch.runs.whole_book import digest_book
from pinch.sources.sheets import read_sheet, sheet_of_text
from pinch.ui.logs.actions import LogActions
from pinch.ui.logs.scores_dialog import ScoresDialog
from pinch.ui.scale import state
from tests.in_folder import CommandCase, InFolder
from tests.window_case import WindowCase

TABLE = (
    "Werkstatt, September;;;;;;;\n;;\n"
    "Gerät;Profil;Test;Lauf 1;Lauf 2;Lauf 3;Leistung [W];Quelle;Einheiten;Datum\n"
    "Gannet;20 W;Skerry Run;61,5;62,1;60,9;20,1;own test;1;3.9.2026\n"
    "Gannet;25 W;Skerry Run;68;;;25;Hersteller;6;1.8.2026\n"
)


def told(text: str, **common: str) -> tuple[Told, ...]:
    sheet = sheet_of_text(text, "table")
    return told_rows(sheet, guess_roles(sheet), {Role[name.upper()]: value for name, value in common.items()}).rows


class TestRoles(InFolder):
    def test_columns_of_several_languages(self) -> None:
        own, maker = told(TABLE)
        self.assertEqual((own.device, own.setting, own.workload), ("Gannet", "20 W", "Skerry Run"))
        (value,), (other,) = own.values, maker.values
        self.assertAlmostEqual(value.value or 0.0, 61.5)
        self.assertAlmostEqual(value.spread or 0.0, 0.6, msg="61.5, 62.1 and 60.9 by hand")
        self.assertEqual((value.n, own.power_w, own.day), (3, 20.1, "2026-09-03"))
        self.assertEqual((maker.origin, other.units, other.n, maker.day), (Origin.MAKER, 6, 1, "2026-08-01"))

    def test_what_no_column_says_is_said_for_all(self) -> None:
        (row,) = told("Score [points]\tRuns\n1,204.5\t4\n", device="A", setting="B", workload="C", by="a magazine")
        (value,) = row.values
        self.assertEqual((value.value, value.n, value.unit), (1204.5, 4, "points"))
        self.assertEqual(row.told_by, "a magazine")
        self.assertEqual(told("Device;fps\nA;61,25\n", setting="B", workload="C")[0].values[0].value, 61.25)

    def test_guesses_that_are_not_sure_are_asked(self) -> None:
        roles = guess_roles(sheet_of_text("Machine,Blah\nA,12\n", "table"))
        self.assertEqual(
            [(c.role, c.doubtful) for c in roles.columns], [(Role.DEVICE, False), (Role.BY_WORKLOAD, True)]
        )

    def test_what_makes_no_sense_is_said_with_its_line_and_the_rest_goes_on(self) -> None:
        head = "Device,Mode,Test,Score,Runs,Date,Source,Package W\n"
        for row, reason in (
            ("A,B,C,fast,1,,,", "line 3: column 'Score': 'fast' is no number."),
            ("A,B,C,#DIV/0!,1,,,", "line 3: column 'Score': '#DIV/0!' is a formula without a value."),
            ("A,B,C,1,1.5,,,", "line 3: the number of runs is a whole number, not 1.5."),
            ("A,B,C,1,0,,,", "line 3: the number of runs is a whole number, not 0."),
            ("A,B,C,1,1,2026-13-01,,", "line 3: '2026-13-01' is not a day such as 2026-09-01."),
            ("A,B,C,1,1,,a friend,", "line 3: whose figure it is must be one of"),
            ("A,B,C,1,1,,,9000", "line 3: the measured watts are between 0 and 2000, not 9,000."),
            ("A,B,C,1e400,1,,,", "line 3: column 'Score': '1e400' is no number."),
            ("A,B,C,42–41,1,,,", "line 3: column 'Score': '42–41' ends below where it begins."),
        ):
            sheet = sheet_of_text(f"{head}A,B,C,2,2,,,\n{row}\nA,B,D,3,1,,,\n", "t")
            with self.subTest(row):
                found = told_rows(sheet, guess_roles(sheet), {})
                self.assertEqual([r.line for r in found.rows], [2, 4])
                self.assertTrue(found.problems[0].startswith(f"t, {reason}"), found.problems)
        with self.assertRaisesRegex(DataError, "the workload is missing"):
            told("Device,Mode,Score\nA,B,1\n")
        with self.assertRaisesRegex(DataError, "no column is said to hold a result"):
            told("Device,Mode\nA,B\n")


class TestSheets(InFolder):
    def spreadsheet(self, formula: str = "") -> None:
        with Workbook(self.folder / "a.xlsx") as book:
            sheet = book.add_worksheet()
            for r, row in enumerate((("Device", "Mode", "Test", "Score"), ("A", "B", "C", 1234.5))):
                for c, cell in enumerate(row):
                    sheet.write(r, c, cell)
        book = OpenDocumentSpreadsheet()
        table = Table(name="one")
        for cells in (("Device", "Mode", "Test", "Score"), ("A", "B", "C", 1234.5)):
            line = TableRow()
            for cell in cells:
                kind = {"valuetype": "float", "value": cell} if isinstance(cell, float) else {"valuetype": "string"}
                made = TableCell(**kind)
                made.addElement(P(text=str(cell)))
                line.addElement(made)
            table.addElement(line)
        book.spreadsheet.addElement(table)
        book.save(str(self.folder / "a.ods"))
        with zipfile.ZipFile(self.folder / "a.ods") as old, zipfile.ZipFile(self.folder / "in.ods", "w") as new:
            for name in old.namelist():
                text = old.read(name)
                new.writestr(name, minidom.parseString(text).toprettyxml() if name == "content.xml" else text)

    def test_xlsx_and_ods_of_other_packages(self) -> None:
        self.spreadsheet()
        for name in ("a.xlsx", "a.ods", "in.ods"):
            sheet = read_sheet(self.folder / name)
            with self.subTest(name):
                self.assertEqual(
                    (sheet.names[3], sheet.rows, sheet.lines), ("Score", (("A", "B", "C", "1234.5"),), (2,))
                )

    def test_what_is_no_table_to_trust_is_refused(self) -> None:
        self.spreadsheet()
        (self.folder / "macro.xlsm").write_bytes(b"PK")
        (self.folder / "none.ods").write_bytes(b"PK\x03\x04")
        with zipfile.ZipFile(self.folder / "a.xlsx") as old, zipfile.ZipFile(self.folder / "m.xlsx", "w") as new:
            for name in old.namelist():
                new.writestr(name, old.read(name))
            new.writestr("xl/vbaProject.bin", b"x")
        with zipfile.ZipFile(self.folder / "bomb.xlsx", "w", zipfile.ZIP_DEFLATED) as bomb:
            bomb.writestr("xl/worksheets/sheet1.xml", bytes(50_000_000))
        laughs = '<!DOCTYPE l [<!ENTITY a "' + "ha" * 50 + '"><!ENTITY b "' + "&a;" * 1000 + '">]>'
        with zipfile.ZipFile(self.folder / "a.xlsx") as old, zipfile.ZipFile(self.folder / "entity.xlsx", "w") as new:
            for name in old.namelist():
                text = old.read(name)
                if name.endswith("sharedStrings.xml"):
                    text = text.replace(b"<sst", laughs.encode() + b"<sst", 1).replace(b"Score", b"Score&b;")
                new.writestr(name, text)
        os.mkfifo(self.folder / "pipe.csv")
        for name, reason in (
            ("macro.xlsm", "can hold macros"),
            ("m.xlsx", "it holds macros"),
            ("none.ods", "no ZIP archive"),
            ("bomb.xlsx", "would grow to 50 MB"),
            ("pipe.csv", "not a plain file"),
            ("there.csv", "there is no such file"),
        ):
            with self.subTest(name), self.assertRaisesRegex(DataError, reason):
                read_sheet(self.folder / name)
        with contextlib.suppress(DataError):  # refused or read: but nothing is expanded
            self.assertLess(len("".join(read_sheet(self.folder / "entity.xlsx").names)), 100)
        for text, reason in (("", "no row"), ("a,b\n", "no rows")):
            with self.subTest(text), self.assertRaisesRegex(DataError, reason):
                sheet_of_text(text, "table")


class TestBook(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.book = create_book(self.folder / "a.pinch")
        self.addCleanup(self.book.close)
        add_rig(self.book)

    def test_results_without_a_log_beside_measured_ones(self) -> None:
        added = add_told(self.book, told(TABLE), "table.csv").added
        self.assertEqual(
            [(r.value, r.power_w, r.day) for r in added], [(61.5, 20.1, "2026-09-03"), (68, 25, "2026-08-01")]
        )
        gannet, work = self.book.get(Device, added[1].device_id), self.book.get(Workload, added[1].workload_id)
        self.assertEqual((gannet.name, work.name, len(self.book.devices())), ("Gannet", "Skerry Run", 4))
        points = points_of(self.book, digest_book(self.book.path).digests)
        result = scale_book(points, ScaleChoice((gannet.id or 0,), (work.id or 0,)))
        (series,) = result.series
        self.assertEqual((len(series.points), [t.score for t in series.told]), (0, [61.5, 68]))
        row = state.setting_rows(result)[1]
        self.assertEqual((row.cells[4], row.cells[7]), ("", "maker's figure, mean of 6 units, 2026-08-01"))
        self.assertIn("only scores that are told", curve_words.headline(result, gannet.id))
        dots = curve_words.chart(result, {}, gannet.id, NEARLY_ALL, Second.NOTHING, None).panels[0].dots
        self.assertEqual([d.told for d in dots], [False, True, False])
        self.assertEqual(dots[1].texts[0], "typed by hand, 3 runs, 2026-09-03")

    def test_a_new_workload_takes_its_unit(self) -> None:
        add_told(self.book, told("Device,Mode,Test,Score [s]\nCurlew,Full,New task,12\n"), "t")
        new = next(w for w in self.book.workloads() if w.name == "New task")
        self.assertEqual((new.score_unit, new.higher_is_better), ("s", False))


class TestCommand(CommandCase):
    def test_scores_come_into_a_book(self) -> None:
        table, path = self.folder / "t.csv", self.folder / "a.pinch"
        table.write_text("Mode,Score\nHush,10\nFull,20\n")
        names = ("--device", "Sandpiper 14", "--workload", "Tile Render", "--origin", "other", "--author", "a page")
        status, out, err = self.run_command("import", table, "--scores", "--book", path, *names)
        self.assertEqual((status, len(out.splitlines())), (0, 3), err)
        self.assertIn("t.csv, line 3 → Sandpiper 14, Full, Tile Render: 20 (third party, 1 run, a page)", out)
        again = self.json_of("import", table, "--scores", "--book", path, *names)
        self.assertEqual([again[k] for k in ("results", "skipped_same", "replaced")], [0, 2, 0])
        table.write_text("Mode,Score\nHush,10.5\nFull,20\n")
        again = self.json_of("import", table, "--scores", "--book", path, *names)
        self.assertEqual([again[k] for k in ("results", "skipped_same", "replaced")], [0, 1, 1])
        table.write_text("Mode,Blah\nHush,11\n")
        status, out, _ = self.run_command("import", table, "--scores", "--book", path, *names, "--json")
        (asked,) = json.loads(out)["questions"]
        self.assertEqual((status, asked["column"]), (1, "Blah"))
        self.assertIn("result", asked["choices"])
        roles = self.folder / "map.json"
        roles.write_text('{"columns": [{"column": "Blah", "role": "result"}, {"column": "Mode", "role": "setting"}]}')
        status, _, err = self.run_command("import", table, "--scores", "--book", path, *names, "--map", roles)
        self.assertEqual((status, err), (0, ""))
        with contextlib.closing(open_book(path)) as book:
            self.assertEqual([r.value for r in book.results()], [11, 20], "the table tells something else now")
            self.assertEqual(book.get(Setting, book.results()[0].setting_id).name, "Hush")
        table.write_text("Mode,Score\nHush,10.5\nFull,20\n")
        status, _, err = self.run_command("import", table, "--scores", "--book", path)
        self.assertEqual(status, 2)
        self.assertIn("t.csv, line 2: the device is missing", err)


class TestWindow(WindowCase):
    def test_copied_cells_are_asked_about_added_and_taken_back(self) -> None:
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(self.folder / "config")}))
        add_rig(self.session.book)
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("Mode\tBlah\tNumber\n20 W\t61.5\t3\n25 W\t68\t3\n")
        with mock.patch.object(ScoresDialog, "exec", lambda dialog: self._answer(dialog)):
            self.window.part(LogActions).paste_scores()
        self.wait_for_change()
        results = self.session.book.results()
        self.assertEqual(
            [(r.value, r.n, r.origin) for r in results], [(61.5, 3, "third party"), (68.0, 3, "third party")]
        )
        self.assertEqual(self.session.workload, self.session.book.get(Workload, results[1].workload_id))
        with mock.patch.object(ScoresDialog, "exec", lambda dialog: self._again(dialog)):
            self.window.part(LogActions).paste_scores()
        self.wait_for_change()
        self.window.undo()
        self.assertEqual(self.session.book.results(), [], "one undo for all of it")

    def _answer(self, dialog: ScoresDialog) -> int:
        self.assertIn("the device is missing", dialog.error.text())
        self.assertIn("Not sure: Blah", dialog.heading.text())
        for role, words in ((Role.DEVICE, "gannet"), (Role.WORKLOAD, "skerry run"), (Role.ORIGIN, "third party")):
            dialog.common[role].setCurrentText(words)  # type: ignore[union-attr]
        dialog.boxes[1].setCurrentIndex(dialog.boxes[1].findData(Role.UNKNOWN))
        dialog.accept()
        self.assertEqual(dialog.result(), 0, "what is not understood is asked about")
        self.assertIn("What is the column 'Blah'?", dialog.error.text())
        for place, role in ((1, Role.SCORE), (2, Role.REPEATS)):
            dialog.boxes[place].setCurrentIndex(dialog.boxes[place].findData(role))
        self.assertEqual(dialog.preview.rowCount(), 2)
        dialog.accept()
        return dialog.result()

    def _again(self, dialog: ScoresDialog) -> int:
        self.assertEqual(dialog.boxes[2].currentData(), Role.REPEATS, "the answer is remembered")
        return 0
