"""Files from anybody: sheets, Parquet, archives, templates; names with markup; pipes and devices; floods of a child."""

import os
import sys
import time
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel, QMessageBox, QToolTip, QWidget

from pinch.analysis.judging import JudgeDesk
from pinch.bench.cards import Private
from pinch.bench.exchange import Exchange, FileWorkload, read_exchange
from pinch.bench.records import Run
from pinch.charts.multiples_chart import GridChart
from pinch.charts.spec import Chart, Rule
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import with_frame_rate
from pinch.core.judge import PART_FRAMES, judge
from pinch.core.runlog import RunLog, Series
from pinch.intake.arrivals import files_in, read_batch
from pinch.narrative.finding import finding
from pinch.publish.harmless import harmless
from pinch.publish.pages import contained_pdf, pdf_bytes, render
from pinch.publish.pictures import Picture, captions
from pinch.publish.private import exchange_counts, open_chart, open_exchange
from pinch.recorder import lines
from pinch.recorder.child_rows import GivenUpError
from pinch.recorder.lines import LineProcess
from pinch.recorder.remote import RemoteProbe
from pinch.runs.whole_book import digest_book
from pinch.sources import contained as bounds
from pinch.sources.archive import check_archive, opened
from pinch.sources.contained import contained
from pinch.sources.logs.read import read_log_file
from pinch.sources.parquet_log import parquet_bytes, read_parquet_log
from pinch.sources.runlog_csv import read_run_log, read_run_log_text
from pinch.sources.sheets import read_sheet
from tests import made
from tests.in_folder import InFolder
from tests.test_book import BookCase
from tests.waiting import PATIENCE_S
from tests.window_case import WindowCase

SHEET = """<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>
<row r="1"><c r="A1" t="inlineStr"><is><t>Device</t></is></c><c r="B1" t="inlineStr"><is><t>Score</t></is></c></row>
<row r="2"><c r="A2" t="inlineStr"><is><t>A</t></is></c><c r="B2"><v>7</v></c></row>{more}</sheetData></worksheet>"""
TYPES = """<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>
<Override PartName="/xl/workbook.xml"
 ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>"""
RELATIONS = """<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
<Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/{kind}" Target="{to}"/>
</Relationships>"""
WORKBOOK = """<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"
 xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>
<sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>"""
FAR = '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>'


class TestSheets(InFolder):
    """A workbook written by hand after ECMA-376 (from memory), by no code of Pinch."""

    def workbook(self, more: str = "") -> Path:
        path = self.folder / "scores.xlsx"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("[Content_Types].xml", TYPES)
            packed.writestr("_rels/.rels", RELATIONS.format(kind="officeDocument", to="xl/workbook.xml"))
            packed.writestr("xl/workbook.xml", WORKBOOK)
            packed.writestr("xl/_rels/workbook.xml.rels", RELATIONS.format(kind="worksheet", to="worksheets/s.xml"))
            packed.writestr("xl/worksheets/s.xml", SHEET.format(more=more))
        return path

    def test_an_honest_one_is_read(self) -> None:
        self.assertEqual(read_sheet(self.workbook()).rows, (("A", "7"),))

    def test_a_cell_at_the_far_corner_takes_no_memory(self) -> None:
        path = self.workbook(FAR)
        self.assertLess(path.stat().st_size, 3_000)
        with self.assertRaisesRegex(DataError, "scores.xlsx: (it cannot be read within 3 GB|its first sheet has)"):
            read_sheet(path)

    def test_a_reader_that_wants_too_much_is_one_sentence(self) -> None:
        for function, words in (("tests.test_untrusted:eat", "within 3 GB of memory"), ("os:abort", "within 3 GB")):
            with self.assertRaisesRegex(DataError, f"here: it cannot be read {words}"), contained(function, "here"):
                self.fail("it was read")
        with (
            mock.patch.object(bounds, "MOST_S", 1.0),
            self.assertRaisesRegex(DataError, "takes longer"),
            contained("tests.test_untrusted:sleep", "here"),
        ):
            self.fail("it was read")


def eat(folder: Path) -> None:
    """A reader that a file makes ask for everything."""
    np.ones(1_000_000_000)


def sleep(folder: Path) -> None:
    """A reader that a file keeps busy for ever."""
    time.sleep(60)


class TestFiles(InFolder):
    def test_pipes_devices_and_what_grows_for_ever_are_not_opened(self) -> None:
        pipe = self.folder / "log.csv"
        os.mkfifo(pipe)
        for read in (read_run_log, read_log_file, read_exchange, read_sheet):
            for path in (pipe, Path("/dev/zero")):
                begun = time.monotonic()
                with self.assertRaisesRegex(DataError, "not a plain file"):
                    read(path)
                self.assertLess(time.monotonic() - begun, 5.0)
        sheet = pipe.rename(self.folder / "scores.xlsx")
        with self.assertRaisesRegex(DataError, "not a plain file"):
            read_sheet(sheet)
        sheet.rename(pipe)
        batch = read_batch(files_in([self.folder]))
        self.assertEqual((len(batch.read), len(batch.refused)), (0, 1))

    def test_an_archive_named_with_dots_and_members_without_a_name(self) -> None:
        path = self.folder / "...zip"
        with zipfile.ZipFile(path, "w") as packed:
            packed.writestr("a.csv", "t_s,cpu.power\n1,2\n")
        with opened([path]) as (folder,):
            self.assertEqual([p.name for p in folder.iterdir()], ["a.csv"])
            self.assertNotIn("..", folder.parts)
            kept = folder
        self.assertFalse(kept.exists())
        for name in ("", ".", "./"):
            with zipfile.ZipFile(path, "w") as packed:
                packed.writestr(zipfile.ZipInfo(name or "x"), "1")
            path.write_bytes(path.read_bytes().replace(b"x", b".") if not name else path.read_bytes())
            with self.assertRaisesRegex(DataError, "member without a name|no ZIP|no logs"), opened([path]) as found:
                files_in(found)

    def test_parquet_comes_back_through_the_other_process(self) -> None:
        log = made.two_level()
        path = self.folder / "a.parquet"
        path.write_bytes(parquet_bytes(log))
        back = read_parquet_log(path)
        for name, series in log.series.items():
            np.testing.assert_array_equal(back.series[name].values, series.values)

    def test_a_clock_that_was_set_makes_no_bins(self) -> None:
        t = np.append(np.arange(20.0), 1.77e9 + np.arange(300.0))
        log = RunLog({"cpu.power": Series("cpu.power", t, np.full(320, 30.0))})
        with self.assertRaisesRegex(DataError, r"jumps by 20,486 days after 19 s: a clock was set"):
            judge(log)


class TestFound(InFolder):
    """Inputs that bench/fuzz.py has found."""

    def test_an_empty_text_is_no_log(self) -> None:
        with self.assertRaisesRegex(DataError, "here"):
            read_run_log_text("", "here")

    def test_a_member_with_an_empty_name(self) -> None:
        path = self.folder / "a.zip"
        with zipfile.ZipFile(path, "w") as packed:
            packed.writestr("a/b.csv", "1")
        whole = bytearray(path.read_bytes())
        place = whole.rfind(b"PK\x01\x02")
        whole[place + 28 : place + 30] = b"\0\0"  # the length of the name in the central directory (APPNOTE 4.3.12)
        path.write_bytes(whole)
        with self.assertRaisesRegex(DataError, "a.zip: it"):
            check_archive(path)


class TestOneBadRun(BookCase):
    def test_it_is_marked_with_its_reason_and_the_rest_goes_on(self) -> None:
        t = np.append(np.arange(20.0), 1.77e9 + np.arange(300.0))
        bad = self.add(RunLog({"cpu.power": Series("cpu.power", t, np.full(320, 30.0))}))
        odd, good = self.add(made.two_level()), self.add(made.two_level())
        real = JudgeDesk.judge

        def judge_or_break(desk: JudgeDesk, run: Run) -> object:
            if run.id == odd.id:
                raise MemoryError
            return real(desk, run)

        with mock.patch.object(JudgeDesk, "judge", judge_or_break), self.assertLogs("pinch", "ERROR"):
            digests = digest_book(self.path).digests
        self.assertIn("a clock was set", digests[bad.id].problem)
        self.assertIn("MemoryError", digests[odd.id].problem)
        self.assertIn("Held 35.0 W", digests[good.id].finding)


class TestFramesOfAPart(InFolder):
    def test_they_say_of_which_part_they_speak(self) -> None:
        log = made.two_level(idle=20, burst=0, rest=400)
        ends = 100.0 + np.arange(1, 6001) / 60.0  # 100 s of 400 s of load
        frames = Series("frame.time", ends, np.full(6000, 1000.0 / 60.0))
        judged = judge(with_frame_rate(RunLog({**log.series, "frame.time": frames})))
        told = [note.text for note in judged.warnings if note.code == PART_FRAMES]
        self.assertEqual(len(told), 1)
        self.assertIn("25 % of the load only, from 100 s to 200 s", told[0])
        self.assertIn("fps on average where frames were logged", finding(judged))
        whole = Series("frame.time", 20.0 + np.arange(1, 24001) / 60.0, np.full(24000, 1000.0 / 60.0))
        judged = judge(with_frame_rate(RunLog({**log.series, "frame.time": whole})))
        self.assertNotIn(PART_FRAMES, [note.code for note in judged.warnings])


class TestTemplates(InFolder):
    def template(self, text: str) -> Path:
        path = self.folder / "own" / "mine.html"
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)
        return path

    def test_pictures_and_styles_beside_it_are_part_of_the_page(self) -> None:
        own = self.template('<link rel="stylesheet" href="a.css"><img alt="x" src="a.svg"><p>{{ words }}</p>')
        (own.parent / "a.css").write_text("p { color: #123456 }")
        (own.parent / "a.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>')
        page = render("report.html", own, words="<b>")
        self.assertIn("#123456", page)
        self.assertIn('src="data:image/svg+xml;base64,', page)
        self.assertIn("&lt;b&gt;", page)
        self.assertTrue(contained_pdf(page, str(own)).startswith(b"%PDF"))

    def test_nothing_outside_its_folder_is_read(self) -> None:
        secret = self.folder / "secret.html"
        secret.write_text("TOP SECRET")
        for text in (
            '{% include "own/../secret.html" %}',
            '{% include "own/link.html" %}',
            '{% include "own/.hidden.html" %}',
            '{% include "own/key.txt" %}',
            '<img src="../secret.html">',
            '<img src="link.png">',
            '<link rel="stylesheet" href="../secret.html">',
        ):
            own = self.template(text)
            for name in ("link.html", "link.png"):
                if not (own.parent / name).exists():
                    (own.parent / name).symlink_to(secret)
            (own.parent / ".hidden.html").write_text("TOP SECRET")
            (own.parent / "key.txt").write_text("TOP SECRET")
            with self.assertRaises(PinchError, msg=text) as refused:
                render("report.html", own)
            self.assertNotIn("TOP SECRET", str(refused.exception))

    def test_an_attachment_embeds_no_file(self) -> None:
        secret = self.folder / "secret.txt"
        secret.write_text("TOP SECRET")
        from pinch.charts.theme import FONTS

        up = "/".join([".."] * len(FONTS.parts))
        for address in (secret.as_uri(), f"{FONTS.as_uri()}/{up}{secret}", f"{FONTS.as_uri()}/%2e%2e/{up}{secret}"):
            pdf = pdf_bytes(f'<link rel="attachment" href="{address}"><p>words</p>')
            self.assertNotIn(b"EmbeddedFile", pdf)

    def test_one_that_never_ends_is_ended(self) -> None:
        rounds = "{% for a in range(9999) %}" * 4 + "x" + "{% endfor %}" * 4
        with mock.patch.object(bounds, "MOST_S", 3.0), self.assertRaisesRegex(DataError, "takes longer"):
            render("report.html", self.template(rounds))


class TestText(WindowCase):
    def test_names_with_markup_are_shown_as_they_are(self) -> None:
        name = "<img src=/etc/hostname><b>Gannet</b>"
        box = QMessageBox(self.window)
        box.setText(name)
        plain = QLabel(name, self.window)
        for widget in (plain, box):
            widget.show()
        self.app.processEvents()
        QToolTip.showText(QPoint(5, 5), name, self.window)
        tips = [w for w in self.app.topLevelWidgets() if isinstance(w, QLabel) and w.text() == name]
        self.assertEqual(len(tips), 1)
        for label in (plain, *tips, *(w for w in box.findChildren(QLabel) if w.text() == name)):
            self.assertEqual(label.textFormat(), Qt.TextFormat.PlainText)
        box.close()

    def test_no_label_of_the_window_makes_something_of_what_stands_in_it(self) -> None:
        for page in self.window.pages:
            self.window.show_page(page)
            self.app.processEvents()
            for label in (w for w in page.view.findChildren(QWidget) if isinstance(w, QLabel) and w.isVisible()):
                self.assertNotEqual(label.textFormat(), Qt.TextFormat.AutoText, label.text())

    def test_captions_are_escaped_and_cells_run_nothing(self) -> None:
        told = captions([Picture(1, "# <script> [a](file:///x)", None, "`b`")])
        self.assertIn(r"## 1. \# \<script\> \[a\](file:///x)", told)
        for unseen in ("", " ", "\u00a0", "\u200b", "\ufeff", "\u2060", "\x00", "\u3000"):
            self.assertEqual(harmless(f"{unseen}=1+1"), f"'{unseen}=1+1")
        self.assertEqual(harmless("5 = 5"), "5 = 5")


class TestPrivate(InFolder):
    def test_marks_leave_with_no_picture_unless_they_may(self) -> None:
        chart = Chart("T", (), "Time", "s", marks=(Rule(5.0, "moved to 12 Elm Street", upright=True),))
        grid = GridChart("G", (chart,), ())
        for allowed, count in (((), 0), ((Private.MARKS,), 1)):
            one, many = open_chart(chart, allowed), open_chart(grid, allowed)
            assert isinstance(one, Chart) and isinstance(many, GridChart)
            self.assertEqual((len(one.marks), len(many.cells[0].marks)), (count, count))

    def test_a_document_of_records_says_what_is_private_and_leaves_it_out(self) -> None:
        workload = FileWorkload(name="W", command="/home/somebody/run", notes="for a friend")
        exchange = Exchange(workloads=(workload,))
        self.assertEqual({c.what for c in exchange_counts(exchange)}, {Private.NOTES, Private.HOSTS})
        self.assertEqual(open_exchange(exchange, ()).workloads, (FileWorkload(name="W"),))
        self.assertEqual(open_exchange(exchange, tuple(Private)), exchange)


class TestChildren(InFolder):
    def test_a_flood_is_bounded(self) -> None:
        with mock.patch.object(lines, "MOST_WAITING", 1_000_000):
            code = "print('x' * 999, flush=True)\nprint(('y' * 999 + chr(10)) * 30000, flush=True)"
            child = LineProcess([sys.executable, "-c", code])
            self.addCleanup(child.close)
            child._readers[0].join(PATIENCE_S)
            self.assertLess(child._waiting, 1_000_001)
            self.assertIn("more than can be taken in", child.damage)
            taken: list[str] = []
            while not child.ended:
                got = child.lines()
                self.assertLessEqual(len(got), lines.MOST_AT_ONCE)
                taken += got
            self.assertEqual(taken[0][0], "x")
            self.assertEqual(child._waiting, 0)

    def test_a_remote_that_never_opens_is_given_up_at_once(self) -> None:
        probe = RemoteProbe("sh -c 'echo Welcome to the bench; exec sleep 60'")
        begun = time.monotonic()
        with self.assertRaises(GivenUpError):
            probe.open(lambda: time.monotonic() - begun > 0.3)
        probe.close()
        self.assertLess(time.monotonic() - begun, 2.0)
