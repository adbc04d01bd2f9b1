"""The whole book as open files and back: nothing is lost, and nothing from outside is trusted."""

import json
import shutil
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from pinch.analysis.judging import JudgeDesk
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.bench.readings import Quantity, Reading
from pinch.bench.records import Acceptance, Device, Run, Setting, Workload, now
from pinch.core.errors import PinchError
from pinch.core.runlog import Mark, RunLog, Series
from pinch.intake.book_folder import read_book_folder
from pinch.publish.open_files import index_of, write_book_folder
from pinch.ui.book_actions import BookActions
from tests.in_folder import CommandCase
from tests.window_case import WindowCase, demo_book


class FolderCase(CommandCase):
    def opened(self, path: Path) -> Book:
        book = open_book(path)
        self.addCleanup(book.close)
        return book

    def small(self) -> Path:
        """A book with frames, gaps, marks, a reading and an accepted difference."""
        path = self.folder / "small.pinch"
        book = create_book(path)
        device = book.save(Device(name="Limpet", notes="serial 7"))
        setting = book.save(Setting(device_id=device.id or 0, name="Stock"))
        work = book.save(Workload(name="Skerry Run", rate_channel="frame.rate"))
        ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        rng = np.random.default_rng(2)
        t = np.r_[np.arange(1.0, 90.0), np.arange(120.0, 240.0)] + rng.random(209) * 0.01
        ms = rng.uniform(7.0, 22.0, 4000)
        series = {
            "cpu.power": Series("cpu.power", t, rng.normal(40.0, 1.0, len(t))),
            "wall.power": Series("wall.power", t[::3] + 0.37, rng.normal(60.0, 1.0, len(t[::3]))),
            "frame.time": Series("frame.time", 15.0 + np.cumsum(ms) / 1000.0, ms),
        }
        run = book.save(Run.model_validate({**ids, "started": now(), "before": ("Room: 22 °C.",)}))
        run = runlogs.add_log(book, run, RunLog(series, (Mark(30.5, "door, open"),)))
        fields = {"run_id": run.id, "taken": now(), "t_s": 40.0, "quantity": Quantity.NOISE, "value": 41.5}
        book.save(Reading.model_validate(fields))
        accepted = {"first_setting": 1, "second_setting": 1, "key": "fan", "first_value": "a", "second_value": "b"}
        book.save(Acceptance.model_validate({**accepted, "reason": "the same fan"}))
        book.close()
        return path

    def assert_equal_books(self, first: Book, second: Book) -> None:
        self.assertEqual(index_of(first), index_of(second))
        for run in first.runs():
            one, two = (runlogs.read_log(book, run.id or 0) for book in (first, second))
            self.assertEqual(set(one.series), set(two.series))
            for name, series in one.series.items():
                np.testing.assert_array_equal(series.t, two.series[name].t)
                np.testing.assert_array_equal(series.values, two.series[name].values)


class TestThereAndBack(FolderCase):
    def test_a_small_book_on_the_command_line(self) -> None:
        path, files, back = self.small(), self.folder / "files", self.folder / "back.pinch"
        self.assertEqual(self.run_command("export", "--book", path, "--to", files)[0], 0)
        self.assertEqual({p.name for p in (files / "logs").iterdir()}, {"run-1.csv", "run-1-frames.csv"})
        status, out, err = self.run_command("import", files, "--book", back)
        self.assertEqual((status, err), (0, ""))
        self.assertIn("1 run", out)
        self.assert_equal_books(self.opened(path), self.opened(back))

    def test_the_demo_book_and_its_judgements(self) -> None:
        shutil.copy(demo_book(), self.folder / "demo.pinch")
        first = self.opened(self.folder / "demo.pinch")
        self.assertEqual(write_book_folder(first, self.folder / "files"), len(first.runs()))
        read_book_folder(self.folder / "files", self.folder / "back.pinch")
        second = self.opened(self.folder / "back.pinch")
        self.assert_equal_books(first, second)
        desks = JudgeDesk(first), JudgeDesk(second)
        for run in first.runs()[::17]:
            one, two = (desk.judge(run)[1] for desk in desks)
            self.assertEqual(repr(one.limiters), repr(two.limiters))
            self.assertEqual(repr(dict(sorted(one.figures.items()))), repr(dict(sorted(two.figures.items()))))


class TestInTheWindow(WindowCase):
    def test_out_and_back(self) -> None:
        self.session.book.save(Device(name="Limpet"))
        files, back = self.folder / "files", self.folder / "back.pinch"
        files.mkdir()
        asking, chosen = self.window.part(BookActions), mock.patch.object(QFileDialog, "getExistingDirectory")
        with chosen as folder:
            folder.return_value = str(self.folder)
            self.window.safely(asking.book_from_files)
            self.assertIn("there is no book.json", self.window.notices.words.text())
            folder.return_value = str(files)
            asking.write_book()
            self.wait_for(lambda: "files is written" in self.window.notices.words.text())
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(back), "")):
                asking.book_from_files()
            self.wait_for(lambda: self.session.book.path == back)
        self.assertEqual([d.name for d in self.session.book.devices()], ["Limpet"])
        with chosen as folder:
            folder.return_value = str(files)
            asking.write_book()
            self.wait_for(lambda: "a book in this folder already" in self.window.notices.words.text())


class TestRefused(FolderCase):
    def test_a_broken_folder_leaves_no_book(self) -> None:
        write_book_folder(self.opened(self.small()), self.folder / "files")
        index = self.folder / "files" / "book.json"
        whole = json.loads(index.read_text())
        for change, reason in (
            (lambda d: d["runs"][0].update(device_id=99), "speaks of another that is not there"),
            (lambda d: d["devices"][0].update(name=""), "devices.0.name"),
            (lambda d: d.update(version=2), "version"),
            (lambda d: d.update(extra=1), "extra"),
            (lambda d: d["marks"][0].update(run_id=77), "speaks of another that is not there"),
            (lambda d: d["devices"].append(d["devices"][0]), "a number stands there twice"),
        ):
            document = json.loads(json.dumps(whole))
            change(document)
            index.write_text(json.dumps(document))
            with self.subTest(reason=reason), self.assertRaisesRegex(PinchError, reason):
                read_book_folder(self.folder / "files", self.folder / "new.pinch")
            self.assertEqual(list(self.folder.glob("new.pinch*")), [])
        index.write_text(json.dumps(whole))
        (self.folder / "files" / "logs" / "run-1.csv").write_text("t_s,cpu.power\n1,x\n")
        with self.assertRaisesRegex(PinchError, "line 2: 'x' is not a number"):
            read_book_folder(self.folder / "files", self.folder / "new.pinch")
        self.assertEqual(list(self.folder.glob("new.pinch*")), [])

    def test_nothing_is_overwritten_and_half_a_folder_is_none(self) -> None:
        book = self.opened(self.small())
        self.assertEqual(write_book_folder(book, self.folder / "half", lambda share: False), 0)
        self.assertFalse((self.folder / "half" / "book.json").exists())
        write_book_folder(book, self.folder / "files")
        with self.assertRaisesRegex(PinchError, "a book in this folder already"):
            write_book_folder(book, self.folder / "files")
        with self.assertRaisesRegex(PinchError, "exists already"):
            read_book_folder(self.folder / "files", self.folder / "small.pinch")
        self.assertEqual(len(book.runs()), 1)
        full = mock.patch("os.replace", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaisesRegex(PinchError, "cannot be written"):
            write_book_folder(book, self.folder / "third")
        status, _, err = self.run_command("import", self.folder / "files" / "logs", "--book", self.folder / "x.pinch")
        self.assertEqual(status, 1, "it is asked about")
        self.assertIn("use --device, --setting, --workload or --names", err)
