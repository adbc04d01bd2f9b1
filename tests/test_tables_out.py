"""What leaves a book as tables and Parquet, read back by other packages; a folder that is watched."""

import contextlib
import csv
import json
import math
import os
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import python_calamine

from pinch.analysis import judged_beside
from pinch.analysis.judged_beside import JudgedBeside
from pinch.analysis.judging import JudgeDesk
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.bench.readings import Quantity, Reading
from pinch.bench.records import now
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import FRAME_TIME
from pinch.core.runlog import RunLog, Series
from pinch.intake.belonging import import_log
from pinch.intake.filing import NamePattern
from pinch.intake.shelf import Shelf
from pinch.intake.watched_folder import WatchedFolder
from pinch.publish.harmless import harmless
from pinch.runs.devices import add_rig
from pinch.sources.logs.read import read_log_file
from pinch.sources.parquet_log import parquet_bytes, read_parquet_log
from pinch.ui.logs.actions import LogActions
from tests.in_folder import CommandCase, InFolder
from tests.judged_once import PROCESSES
from tests.window_case import WindowCase

FORMULA = '=HYPERLINK("http://x","y")'


def small_log() -> RunLog:
    t = np.arange(0.0, 200.0)
    power = np.where(t < 20, 4.0, 35.0) + np.sin(t) * 0.1
    frames = np.cumsum(np.full(300, 0.02)) + 30
    return RunLog(
        {
            "cpu.power": Series("cpu.power", t, power),
            "cpu.temp": Series("cpu.temp", t[::2], 60 - 20 * np.exp(-t[::2] / 9)),
            FRAME_TIME: Series(FRAME_TIME, frames, np.full(300, 20.0)),
        }
    )


class TablesCase(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.pinch"
        with contextlib.closing(create_book(self.path)) as book:
            self._fill(book)

    def _fill(self, book: Book) -> None:
        records = Shelf(book).place((FORMULA, "@mode", "+work", ""), 35.0)
        run = import_log(book, small_log(), *records, "a.csv")
        book.save(run.model_copy(update={"notes": "-2+3\nsecond line"}))
        made = {"quantity": Quantity.SURFACE, "value": 41.5, "u": 0.3, "instrument": "=1+1"}
        book.save(Reading.model_validate({"run_id": run.id, "taken": now(), "t_s": 60.0, **made}))


class TestTables(TablesCase):
    def test_another_process_judges_as_this_one_does_and_its_end_is_told(self) -> None:
        of_module = mock.patch.multiple(judged_beside, pool=PROCESSES, FEW=0)
        with contextlib.closing(open_book(self.path)) as book, of_module:
            (run,) = book.runs()
            with JudgedBeside(book, [run]) as beside:
                there, reason = beside.judge(run)
            assert there is not None
            here = JudgeDesk(book).judge(run)[1]
            self.assertEqual((there.limiter_share, reason), (here.limiter_share, ""))
            self.assertEqual(there.figures["cpu.power"], here.figures["cpu.power"])
            gone = mock.patch.object(judged_beside, "pool", lambda _, n: PROCESSES(self.folder / "gone.pinch", n))
            ended = self.assertRaisesRegex(PinchError, "a.pinch, run 1: what judged it ended before")
            with gone, JudgedBeside(book, [run]) as beside, ended:
                beside.judge(run)

    def test_numbers_stay_numbers_and_text_is_no_formula(self) -> None:
        sustained = self._sustained()
        for ending in (".xlsx", ".ods"):
            target = self.folder / f"out{ending}"
            status, out, err = self.run_command("export", "--book", self.path, "--to", target)
            self.assertEqual((status, out.strip(), err), (0, str(target), ""))
            book = python_calamine.CalamineWorkbook.from_path(str(target))
            with self.subTest(ending):
                self.assertEqual(book.sheet_names, ["runs", "figures", "readings", "results"])
                head, run = book.get_sheet_by_name("runs").to_python()[:2]
                row = dict(zip(head, run, strict=True))
                self.assertEqual(row["claimed sustained [W]"], 35.0)
                self.assertEqual((row["device"], row["setting"]), (FORMULA, "@mode"))
                self.assertEqual(row["mains"], True)
                figures = book.get_sheet_by_name("figures").to_python()
                power = next(dict(zip(figures[0], line, strict=True)) for line in figures if "cpu.power" in line)
                self.assertAlmostEqual(power["sustained"], sustained, places=9)
            with zipfile.ZipFile(target) as archive:
                text = b"".join(archive.read(n) for n in archive.namelist() if n.endswith("xml"))
            self.assertNotIn(b"<f>", text)
            self.assertNotIn(b"table:formula", text)

    def test_csv_and_json(self) -> None:
        self.run_command("export", "--book", self.path, "--to", self.folder / "out.csv")
        self.run_command("export", "--book", self.path, "--to", self.folder / "out.json")
        with (self.folder / "out-runs.csv").open() as file:
            (row,) = csv.DictReader(file)
        self.assertEqual((row["device"], row["setting"], row["workload"]), (f"'{FORMULA}", "'@mode", "'+work"))
        self.assertEqual(row["notes"], "'-2+3\nsecond line")
        with (self.folder / "out-readings.csv").open() as file:
            (reading,) = csv.DictReader(file)
        self.assertEqual((reading["value"], reading["unit"], reading["instrument"]), ("41.5", "°C", "'=1+1"))
        document = json.loads((self.folder / "out.json").read_text())
        self.assertEqual(document["runs"]["rows"][0]["device"], FORMULA)
        self.assertEqual(document["readings"]["units"]["distance"], "mm")
        again = next(f for f in document["figures"]["rows"] if f["channel"] == "cpu.power")
        self.assertAlmostEqual(again["sustained"], self._sustained(), places=9)
        status, _, err = self.run_command("export", "--book", self.path, "--to", self.folder / "out.doc")
        self.assertEqual((status, "tables are written as .csv, .xlsx, .ods, .json" in err), (2, True))

    def test_what_a_spreadsheet_would_run(self) -> None:
        for text in ("=1", "+1", "-1", "@a", "\t=1", "\r=1", "\n=1", " =1"):
            self.assertEqual(harmless(text), f"'{text}")
        for text in ("", "a=1", "5 - 3", "'=1"):
            self.assertEqual(harmless(text), text)

    def _sustained(self) -> float:
        with contextlib.closing(open_book(self.path)) as book:
            judged = JudgeDesk(book).judge(book.runs()[0])[1]
        return judged.figures["cpu.power"].sustained.value


class TestParquet(TablesCase):
    def test_a_run_goes_out_and_comes_back(self) -> None:
        target = self.folder / "limpet.parquet"
        status, out, err = self.run_command("export", "--book", self.path, "--run", "1", "--to", target)
        self.assertEqual(
            (status, out.splitlines()), (0, [str(target), str(self.folder / "limpet-frames.parquet")]), err
        )
        table = pq.read_table(target)
        self.assertEqual(table.schema.field("cpu.power").metadata, {b"unit": b"W"})
        self.assertEqual(table.column("cpu.temp").null_count, 100)
        self.assertEqual((table.schema.metadata[b"setting"], table.schema.metadata[b"run"]), (b"@mode", b"1"))
        back = self.folder / "back.pinch"
        names = ("--device", "A", "--setting", "B", "--workload", "C")
        status, out, err = self.run_command(
            "import", target, self.folder / "limpet-frames.parquet", "--book", back, *names
        )
        self.assertEqual((status, out.count("→")), (0, 1), f"{out}{err}")
        with contextlib.closing(open_book(back)) as book:
            found, own = runlogs.read_log(book, 1).series, small_log().series
        for name, series in own.items():
            self.assertTrue(
                np.array_equal(found[name].t, series.t) and np.array_equal(found[name].values, series.values)
            )
        self.assertEqual(self.json_of("judge", target)["settled"]["state"], "settled")

    def test_what_is_no_log_is_refused(self) -> None:
        good = pa.table({"t_s": [0.0, 1.0], "cpu.power": [1.0, 2.0]})
        for name, content, reason in (
            ("text", b"t_s,cpu.power\n", "no Parquet file"),
            ("cut", parquet_bytes(small_log())[:-20], "no Parquet file"),
            ("other", pa.table({"time": [1.0]}), "its first column is not 't_s'"),
            ("empty", good.slice(0, 0), "no samples"),
            ("words", pa.table({"t_s": [0.0], "cpu.power": ["a"]}), "holds no numbers"),
            ("name", pa.table({"t_s": [0.0], "Power": [1.0]}), "is not a channel name"),
            ("back", pa.table({"t_s": [1.0, 0.0], "cpu.power": [1.0, 2.0]}), "time goes back"),
            ("none", pa.table({"t_s": [0.0], "cpu.power": [math.nan]}), "not one sample"),
        ):
            path = self.folder / f"{name}.parquet"
            if isinstance(content, bytes):
                path.write_bytes(content)
            else:
                pq.write_table(content, path)
            with self.subTest(name), self.assertRaisesRegex(DataError, reason):
                read_parquet_log(path)


class TestWatchedFolder(InFolder):
    def test_finished_logs_come_together_and_once(self) -> None:
        (self.folder / "old.csv").write_text("t_s,cpu.power\n1,2\n")
        watched = WatchedFolder(self.folder)
        self.assertEqual(watched.look(0.0), [])
        one, two = self.folder / "deep" / "one.csv", self.folder / "two.log"
        one.parent.mkdir()
        one.write_text("a")
        (self.folder / "photo.jpg").write_bytes(b"x")
        self.assertEqual(watched.look(1.0), [], "it has just come")
        two.write_text("b")
        self.assertEqual(watched.look(12.0), [], "the other is still written")
        self.assertEqual(watched.look(21.0), [])
        self.assertEqual(watched.look(22.0), [one, two])
        two.write_text("more")
        self.assertEqual(watched.look(99.0), [])

    def test_a_folder_that_is_gone_is_said(self) -> None:
        watched = WatchedFolder(self.folder)
        self.folder.rename(f"{self.folder}-gone")
        self.addCleanup(Path(f"{self.folder}-gone").rename, self.folder)
        with self.assertRaisesRegex(DataError, "no such folder any more"):
            watched.look(0.0)


class TestWatching(WindowCase):
    def test_what_says_where_it_belongs_comes_by_itself_and_the_rest_waits(self) -> None:
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(self.folder / "config")}))
        add_rig(self.session.book)
        logs, watching = self.folder / "logs", self.window.part(LogActions).watching
        logs.mkdir()
        watching.begin(logs, NamePattern("{device}_{setting}_{workload}"))
        self.assertIn("watching logs", self.window.footer.watched.text())
        (logs / "Limpet_Stock_Tile Render.csv").write_text("Time [s],CPU Power [W]\n1,4\n2,35\n3,35\n")
        (logs / "photo_of_it.csv").write_text("time,what\n1,x\n")
        (logs / "unsaid.csv").write_text("Time [s],CPU Power [W]\n1,4\n2,35\n")
        for now_s in (0.0, 11.0):
            watching.look(now_s)
            self.wait_for(lambda: watching.job is None)
            self.wait_for_change()
        self.assertEqual([r.source for r in self.session.book.runs()], ["Limpet_Stock_Tile Render.csv"])
        self.assertIsNone(self.session.run, "what is looked at stays")
        self.assertEqual([p.name for p in watching.waiting], ["unsaid.csv"])
        self.assertIn("1 log waits", self.window.notices.words.text())
        with mock.patch.object(self.window.part(LogActions).importing, "begin") as begin:
            watching.ask()
        begin.assert_called_once_with([logs / "unsaid.csv"])
        self.assertEqual(read_log_file(logs / "unsaid.csv").log.samples, 2)
        self.window.part(LogActions).watch_folder()
        self.assertIsNone(watching.folder, "once more ends it")
