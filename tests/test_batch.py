"""Many logs at once: names, pairs, plans, archives; the same folder on the command line and in the window."""

import contextlib
import io
import os
import re
import stat
import zipfile
from datetime import datetime, timedelta
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.bench.plans import Plan
from pinch.cli import heard
from pinch.cli.main import main
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import FRAME_TIME, part_frames
from pinch.intake import arrivals
from pinch.intake.arrivals import arrivals_of, files_in, put_together, read_batch, taken_apart
from pinch.intake.filing import Filed, NamePattern, file_log
from pinch.runs.devices import add_rig
from pinch.sources.archive import opened
from pinch.sources.logs.mapping import read_mapping
from pinch.sources.logs.read import read_log_file
from pinch.sources.runlog_csv import write_run_log
from pinch.ui.logs.actions import LogActions
from pinch.ui.logs.columns import CHANNEL, FACTOR, OUTLINE, VALUES
from pinch.ui.logs.view import ArrivalsDialog
from tests.in_folder import CommandCase, InFolder
from tests.strangers import ASKED, LATE_S, PAIRS, REFUSED, write_strangers
from tests.window_case import WindowCase


class TestNames(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.book = create_book(self.folder / "a.pinch")
        self.addCleanup(self.book.close)
        add_rig(self.book)

    def filed(self, name: str, pattern: str = "") -> Filed:
        return file_log(Path("/logs") / name, NamePattern(pattern), self.book)

    def test_names_of_the_book_are_found_however_they_are_spelled(self) -> None:
        whole = Filed("Gannet", "20 W", "Skerry Run")
        for name in ("gannet-20w_skerry run.csv", "Gannet/20 W/skerry_run (3).csv", "x_GANNET_20W_skerry-run.log"):
            with self.subTest(name):
                self.assertEqual(self.filed(name), whole)
        self.assertEqual(self.filed("gannet_120w.csv"), Filed("Gannet"), "120 W is not 20 W")
        self.assertEqual(self.filed("tile render.csv"), Filed(), "of two as long, none")
        self.assertEqual(self.filed("Sandpiper 14, last year's/Hush.csv").device, "Sandpiper 14, last year's")

    def test_a_pattern_says_more_and_its_words_become_those_of_the_book(self) -> None:
        pattern = "{device}_{setting}_{workload}_{repeat}"
        self.assertEqual(self.filed("limpet_45w_tile render all cores_r03.csv", pattern),
                         Filed("Limpet", "45 W", "Tile Render, all cores", 3))  # fmt: skip
        self.assertEqual(self.filed("Curlew_12 W_New Work_2.csv", pattern), Filed("Curlew", "12 W", "New Work", 2))
        self.assertEqual(self.filed("Curlew/12 W/2026 New Work.csv", "{device}/{setting}/* {workload}"),
                         Filed("Curlew", "12 W", "New Work"))  # fmt: skip
        self.assertEqual(self.filed("a.csv", pattern), Filed(), "it has not the form")

    def test_a_pattern_that_cannot_be_read_says_why(self) -> None:
        for pattern, reason in (
            ("{device}{setting}", "a sign that ends"),
            ("{make}", "none of {device}"),
            ("{device}_{device}", "stands twice"),
            ("{device", "none of"),
        ):
            with self.subTest(pattern), self.assertRaisesRegex(PinchError, reason):
                NamePattern(pattern)


class TestStrangers(CommandCase):
    def test_a_folder_lands_as_runs_from_the_command_line(self) -> None:
        folder, path = self.folder / "logs", self.folder / "a.pinch"
        folder.mkdir()
        log = write_strangers(folder)
        with contextlib.closing(create_book(path)) as book:
            add_rig(book)
            self._plan(book)
        status, out, err = self.run_command("import", folder, "--book", path)
        self.assertEqual(status, 2, "one cannot be read, one does not say where it belongs")
        self.assertIn("CPU frequency: is it", err)
        self.assertEqual(err.count("Say it with --map."), len(ASKED))
        self.assertIn(f"{REFUSED}, line 52: time goes back", err)
        self.assertIn("hall_a.csv: Which device, setting, workload?", err)
        self.assertEqual(len(out.splitlines()), 20 - len(ASKED), "what is asked about is not taken")
        self.assertIn("sensors.csv with Limpet 54 W Skerry Run frames.csv (shifted by 19", out)
        self.assertEqual(out.count("done in the plan Two of them"), 2)
        with contextlib.closing(open_book(path)) as book:
            self._look(book, np.interp(np.arange(1.0, 200.0), *self._power(log)))

    def _plan(self, book: Book) -> None:
        limpet = next(d for d in book.devices() if d.name == "Limpet")
        stock = next(s for s in book.settings(limpet.id or 0) if s.name == "Stock")
        work = next(w for w in book.workloads() if w.name == "Tile Render, all cores")
        book.save(Plan(name="Two of them").with_cell(stock.id or 0, work.id or 0, 2))

    @staticmethod
    def _power(log: object) -> tuple[np.ndarray, np.ndarray]:
        series = log.series["cpu.power"]  # type: ignore[attr-defined]
        return series.t - series.t[0], series.values

    def _look(self, book: Book, power: np.ndarray) -> None:
        entries = book.plans()[0].entries
        self.assertEqual(len({e.run_id for e in entries}), 2)
        for run in book.runs():
            if run.source in ("cut.csv", *ASKED) or "frames" in run.source:
                continue
            with self.subTest(run.source):
                found = runlogs.read_log(book, run.id or 0).series["cpu.power"]
                t = found.t - found.t[0] + (1.0 if run.source == "counted.csv" else 0.0)
                own = np.interp(np.arange(1.0, 200.0), t, found.values)
                apart = np.abs(own - power)
                if run.source == "restarted.csv":
                    apart = apart[:55]  # what follows is later by the gap
                self.assertLess(np.median(apart), 0.05)
        noted = next(r for r in book.runs() if r.source == "summed_up.csv")
        self.assertEqual(noted.notes, "Werkbank 3\nlogger 2.1\nMaximum,64.1,4400,88\nEnd of log")

    def test_a_terminal_sees_how_far_it_is_and_an_end_leaves_nothing(self) -> None:
        class Terminal(io.StringIO):
            def isatty(self) -> bool:
                return True

        logs = self.folder / "logs"
        logs.mkdir()
        write_strangers(logs)
        book, screen = self.folder / "b.pinch", Terminal()
        words = ["import", "--book", str(book), "--names", "{device}_*", str(logs)]
        with mock.patch.multiple(heard, SOON_S=0.0, EVERY_S=0.0), contextlib.redirect_stdout(io.StringIO()):
            with contextlib.redirect_stderr(screen):
                main([*words, "--setting", "Stock", "--workload", "Skerry Run"])
            shares = [int(n) for n in re.findall(r"logs read: (\d+)%", screen.getvalue())]
            self.assertGreater(len(set(shares)), 3)
            self.assertEqual(shares, sorted(shares))
            self.assertLessEqual(max(shares), 100)
            self.assertIn("runs added: 0%", screen.getvalue())
        book.unlink()
        with mock.patch("pinch.intake.arrivals.import_log", side_effect=KeyboardInterrupt):
            status, out, err = self.run_command(*words, "--setting", "Stock", "--workload", "Skerry Run")
        self.assertEqual((status, out, err), (130, "", "pinch import: it was ended before it was done.\n"))
        self.assertFalse(book.exists())

    def test_the_same_in_an_archive(self) -> None:
        folder, path = self.folder / "logs", self.folder / "a.pinch"
        folder.mkdir()
        write_strangers(folder)
        with zipfile.ZipFile(self.folder / "logs.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            for file in folder.rglob("*.csv"):
                archive.write(file, file.relative_to(folder))
        names = ("--device", "Limpet", "--setting", "Stock", "--workload", "Tile Render")
        _, out, _ = self.run_command("import", self.folder / "logs.zip", "--book", path, *names)
        self.assertEqual(
            len(out.splitlines()), 20 - len(ASKED), "without the one with tabs, with the one that has no name"
        )
        self.assertIn("hall_a.csv with hall_b.csv (shifted by 41.525 s, by their clocks)", out)

    def test_frames_stand_where_they_belong(self) -> None:
        folder = self.folder / "logs"
        folder.mkdir()
        log = write_strangers(folder)
        read = read_batch(files_in([folder])).read
        pairs = {p.sensors.name: p for p in arrivals.pair_logs(read)}
        self.assertEqual({name: p.frames.name for name, p in pairs.items()}, PAIRS)
        load = float(log.series["cpu.power"].t[np.argmax(log.series["cpu.power"].values > 30)])
        by_load, by_clock = pairs["Limpet 54 W Skerry Run sensors.csv"], pairs["hall_a.csv"]
        self.assertAlmostEqual(by_load.offset_s, load - log.series["cpu.power"].t[0], delta=1.0)
        self.assertAlmostEqual(by_clock.offset_s, LATE_S + 0.025, places=3)

    def test_a_week_of_logs_is_paired_by_date_and_rivals_stay_alone(self) -> None:
        def write(name: str, column: str, began: datetime) -> Path:
            times = (began + timedelta(seconds=s) for s in range(60))
            path = self.folder / f"{name}.csv"
            path.write_text(f"time,{column}\n" + "".join(f"{t:%Y-%m-%d %H:%M:%S},16.{t.second}\n" for t in times))
            return path

        hours = [datetime(2026, 11, 2) + timedelta(hours=3 * n) for n in range(56)]
        sensors = [write(f"s{n}", "package power (W)", t) for n, t in enumerate(hours)]
        frames = [write(f"f{55 - n}", "frame time (ms)", t + timedelta(seconds=20)) for n, t in enumerate(hours)]
        rival = write("again", "package power (W)", hours[7] + timedelta(seconds=5))
        pairs = arrivals.pair_logs(read_batch([*frames, rival, *sensors]).read)
        told = {(p.sensors.stem, p.frames.stem, p.offset_s) for p in pairs}
        self.assertEqual(told, {(f"s{n}", f"f{55 - n}", 20.0) for n in range(56) if n != 7})

    def test_own_logs_and_their_frames_share_the_run_s_time(self) -> None:
        folder = self.folder / "logs"
        folder.mkdir()
        log = write_strangers(folder)
        own, frames = self.folder / "run-1.csv", self.folder / "run-1-frames.csv"
        with own.open("w") as file:
            write_run_log(part_frames(log)[0], file)
        frames.write_text("t_s,frame_ms\n" + "".join(f"{30 + 0.02 * n:.2f},20\n" for n in range(1, 500)))
        (arrival,) = arrivals_of(read_batch([own, frames]).read, create_book(self.folder / "b.pinch"), NamePattern(""))
        self.assertAlmostEqual(arrival.log.series[FRAME_TIME].t[0], 30.02)

    def test_a_pair_that_cannot_be_is_refused(self) -> None:
        folder = self.folder / "logs"
        folder.mkdir()
        write_strangers(folder)
        batch = read_batch([folder / "hall_a.csv", folder / "hall_b.csv"])
        (arrival,) = arrivals_of(batch.read, create_book(self.folder / "b.pinch"), NamePattern("{device}_*"))
        self.assertEqual(arrival.filed, Filed("hall"))
        with self.assertRaisesRegex(DataError, "shifted by 9000 s they do not overlap"):
            arrival.moved(9000.0).log  # noqa: B018
        apart = taken_apart(arrival)
        self.assertEqual([a.path.name for a in apart], ["hall_a.csv", "hall_b.csv"])
        again = put_together(*apart)
        self.assertEqual((again.pair, again.filed), (arrival.pair, arrival.filed))


class TestArchives(InFolder):
    def zipped(self, name: str, data: bytes = b"x", mode: int = 0) -> Path:
        path = self.folder / "bad.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            info = zipfile.ZipInfo(name)
            info.external_attr, info.compress_type = mode << 16, zipfile.ZIP_DEFLATED
            archive.writestr(info, data)
        return path

    def test_nothing_leaves_its_folder_or_fills_the_disk(self) -> None:
        for name, data, mode, reason in (
            ("../out.csv", b"x", 0, "would leave the folder"),
            ("/etc/out.csv", b"x", 0, "would leave the folder"),
            ("a/../../out.csv", b"x", 0, "would leave the folder"),
            ("..\\out.csv", b"x", 0, "would leave the folder"),
            ("link.csv", b"/etc/passwd", stat.S_IFLNK | 0o777, "is a link"),
            ("bomb.csv", bytes(30_000_000), 0, "would grow to 30 MB"),
        ):
            path = self.zipped(name, data, mode)
            with self.subTest(name), self.assertRaisesRegex(DataError, reason), opened([path]):
                pass
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), ["bad.zip"])
        (self.folder / "none.zip").write_bytes(b"PK\x03\x04 nothing")
        with self.assertRaisesRegex(DataError, "no ZIP archive"), opened([self.folder / "none.zip"]):
            pass

    def test_it_is_gone_afterwards(self) -> None:
        with opened([self.zipped("deep/log.csv", b"t_s,cpu.power\n1,2\n")]) as (folder,):
            self.assertEqual(read_log_file(folder / "deep" / "log.csv").log.samples, 1)
        self.assertFalse(folder.exists())


class TestWindow(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        add_rig(self.session.book)
        self.session.refresh()
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(self.folder / "config")}))
        self.logs = self.folder / "logs"
        self.logs.mkdir()

    def test_a_folder_is_dropped_answered_and_taken_back(self) -> None:
        write_strangers(self.logs)
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.logs))])
        none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
        with mock.patch.object(ArrivalsDialog, "exec", lambda dialog: self._answer(dialog)):
            self.window.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, left, none))
            self.wait_for(lambda: self.window.part(LogActions).importing.summary is not None)
        runs = self.session.book.runs()
        self.assertEqual(len(runs), 21)
        self.assertIn("21 runs are in the book", self.window.notices.words.text())
        pair = next(r for r in runs if r.source == "hall_a.csv + hall_b.csv")
        log = runlogs.read_log(self.session.book, pair.id or 0)
        self.assertAlmostEqual(log.series[FRAME_TIME].t[0], 50.0, places=3)
        self.assertIn("hall_b.csv is shifted by 50 s, by hand.", pair.notes)
        dated = next(r for r in runs if r.source == "either_way.csv")
        self.assertEqual(dated.started.astimezone().month, 5, "the month comes first")
        clock = next(r for r in runs if r.source == "gigahertz.csv")
        self.assertGreater(runlogs.read_log(self.session.book, clock.id or 0).series["cpu.clock"].values.max(), 3000)
        self.assertEqual(read_log_file(next(self.logs.rglob("gigahertz.csv"))).questions, ())
        summary = self.window.part(LogActions).importing.summary
        assert summary is not None
        summary.close()
        self.window.undo()
        self.assertEqual(self.session.book.runs(), [], "one undo for all of it")

    def _answer(self, dialog: ArrivalsDialog) -> int:
        self.assertEqual([a.path.name for a in dialog.arrivals if a.open], [*sorted(ASKED), "hall_a.csv"])
        self.assertIn("goes_back.csv, line 52", dialog.refused.text())
        dialog.accept()
        self.assertIn("hall_a.csv: The device: name", dialog.error.text())
        self.assertEqual(len(dialog.chosen), 1)
        for box, words in ((dialog.device, "Limpet"), (dialog.setting, "Test bench"), (dialog.workload, "Skerry Run")):
            box.setEditText(words)
            box.lineEdit().editingFinished.emit()  # type: ignore[union-attr]
        dialog.offset.setText("50")
        dialog.offset.editingFinished.emit()
        self.assertEqual(dialog.arrivals[dialog.chosen[0]].pair.how, "by hand")  # type: ignore[union-attr]
        self._choose(dialog, "either_way.csv")
        self.assertEqual(dialog.day_first.currentIndex(), 0, "the day comes first until somebody says otherwise")
        dialog.day_first.setCurrentIndex(1)
        dialog.day_first.activated.emit(1)
        self._choose(dialog, "gigahertz.csv")
        columns = dialog.columns
        self.assertEqual(columns.item(0, 0).text(), "? CPU frequency")  # type: ignore[union-attr]
        self.assertEqual(len(columns.item(0, OUTLINE).data(VALUES)), 46)  # type: ignore[union-attr]
        self.assertIn("CPU frequency", dialog.lines.toPlainText().splitlines()[0])
        columns.item(0, CHANNEL).setText("clock")  # type: ignore[union-attr]
        dialog.accept()
        self.assertIn("'clock' is not a channel", dialog.error.text())
        columns.item(0, CHANNEL).setText("cpu.power")  # type: ignore[union-attr]
        dialog.accept()
        self.assertIn("cannot both be cpu.power", dialog.error.text())
        columns.item(0, CHANNEL).setText("cpu.clock")  # type: ignore[union-attr]
        self.assertEqual(columns.item(0, FACTOR).text(), "1000")  # type: ignore[union-attr]
        dialog.accept()
        return dialog.result()

    def _choose(self, dialog: ArrivalsDialog, name: str) -> None:
        row = next(n for n, a in enumerate(dialog.arrivals) if a.path.name == name)
        dialog.table.clearSelection()  # a key that an earlier test pressed may still count as held down
        dialog.table.selectRow(row)
        self.assertEqual(dialog.chosen, [row])

    def dialog(self, *names: str) -> ArrivalsDialog:
        return ArrivalsDialog(read_batch([self.logs / n for n in names]), self.session.book, self.window)

    def test_put_together_take_apart_and_a_pattern(self) -> None:
        write_strangers(self.logs)
        dialog = self.dialog("hall_a.csv", "hall_b.csv")
        self.assertEqual(len(dialog.arrivals), 1)
        dialog.take_apart()
        self.assertEqual([a.path.name for a in dialog.arrivals], ["hall_a.csv", "hall_b.csv"])
        dialog.table.selectAll()
        dialog.together.click()
        self.assertEqual(dialog.arrivals[0].pair.offset_s, 41.525)  # type: ignore[union-attr]
        dialog.together.click()
        dialog.use_pattern("{device}")
        dialog.use_pattern("{")
        self.assertIn("{ in the pattern is none of", dialog.error.text())
        dialog.use_pattern("{device}_{setting}")
        self.assertEqual(dialog.arrivals[0].filed.setting, "a")

    def test_a_mapping_is_kept_as_a_file_and_taken_from_one(self) -> None:
        write_strangers(self.logs)
        dialog, path = self.dialog("hall_a.csv"), str(self.folder / "map.json")
        dialog.columns.item(3, CHANNEL).setText("soc.temp")  # type: ignore[union-attr]
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(path, "")):
            dialog.keep.click()
        self.assertEqual(read_mapping(Path(path)).columns[3].channel, "soc.temp")
        other = self.dialog("hall_a.csv")
        self.assertEqual(other.mappings, {}, "nothing was asked, nothing changed")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(path, "")):
            other.load.click()
        self.assertEqual([m.columns[3].channel for m in other.mappings.values()], ["soc.temp"])
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(path, "")):
            frames = self.dialog("hall_b.csv")
            frames.load.click()
        self.assertIn("speaks of a column 'When' that is not there", frames.error.text())
