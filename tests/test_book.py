"""The book: records, chunks, growing logs, copies, undo, and every way it can be unusable."""

import contextlib
import math
import os
import sqlite3
import struct
import subprocess
import sys
import unittest
import zlib
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.bench import chunks, opening, runlogs, schema
from pinch.bench.book import Book, BookError, log_of
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload, checked
from pinch.bench.undo import UndoStack
from pinch.core.errors import DataError, PinchError
from pinch.core.runlog import Mark, RunLog, Series
from tests import made
from tests.in_folder import InFolder


class BookCase(InFolder):
    """A folder and a book with one cell."""

    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.pinch"
        self.book, *self.cell = made.book_with_cell(self.path)
        self.addCleanup(self.book.close)

    def add(self, log: RunLog) -> Run:
        return runlogs.add_log(self.book, made.new_run(self.book, *self.cell), log)


class TestChunks(unittest.TestCase):
    def test_values_come_back_exactly(self) -> None:
        rng = np.random.default_rng(1)
        t = np.round(np.cumsum(rng.uniform(0.9, 1.1, 500)), 4)
        columns = [
            np.round(rng.uniform(0, 65, 500), 3),
            np.round(rng.uniform(400, 5000, 500)),
            rng.uniform(0, 1, 500),
            np.full(500, np.nan),
            np.where(rng.uniform(size=500) < 0.3, np.nan, -np.round(rng.uniform(0, 9e8, 500), 1)),
            np.full(500, 1e300),
        ]
        back_t, back = chunks.unpack(chunks.pack(t, columns), "test")
        np.testing.assert_array_equal(back_t, t)
        for column, other in zip(columns, back, strict=True):
            np.testing.assert_array_equal(column, other)

    def test_layout_as_documented(self) -> None:
        # An independent reader after docs/formats.md, with struct and zlib alone.
        data = zlib.decompress(chunks.pack(np.array([1.0, 2.0, 3.0]), [np.array([45.25, 45.5, 45.25])]))
        version, rows, columns = struct.unpack_from("<BIH", data, 0)
        self.assertEqual((version, rows, columns), (1, 3, 1))
        digits, width, bitmap = struct.unpack_from("<BBI", data, 7)
        self.assertEqual((digits, width, bitmap), (0, 0, 0))
        self.assertEqual(list(data[13:16]), [1, 1, 1])
        digits, width, bitmap = struct.unpack_from("<BBI", data, 16)
        self.assertEqual((digits, width, bitmap), (2, 1, 0))
        low, high = data[22:25], data[25:28]
        steps = [struct.unpack("<h", bytes(pair))[0] for pair in zip(low, high, strict=True)]
        self.assertEqual(np.cumsum(steps).tolist(), [4525, 4550, 4525])

    def test_damage_is_one_sentence(self) -> None:
        good = chunks.pack(np.arange(3.0), [np.arange(3.0)])
        wrong = zlib.compress(struct.pack("<BIH", 9, 1, 0))
        for blob in (b"", good[:-4], b"y" + good[1:], zlib.compress(b"\1\3"), wrong):
            with self.assertRaisesRegex(DataError, "book 1"):
                chunks.unpack(blob, "book 1")


class TestRecords(unittest.TestCase):
    def test_absurd_settings_are_refused_in_one_sentence(self) -> None:
        for watts in (-5.0, 0.0, 1e9, float("nan"), "much"):
            with self.assertRaisesRegex(PinchError, "The setting: sustained w") as caught:
                checked(Setting, "The setting", device_id=1, name="x", sustained_w=watts)
            self.assertNotIn("\n", str(caught.exception))

    def test_burst_below_sustained_is_refused(self) -> None:
        with self.assertRaisesRegex(PinchError, "burst limit is below"):
            checked(Setting, "The setting", device_id=1, name="x", sustained_w=45, burst_w=28)

    def test_a_name_is_needed(self) -> None:
        with self.assertRaisesRegex(PinchError, "name"):
            checked(Device, "The device", name="  ")


class TestKeeping(BookCase):
    def test_records_survive_closing(self) -> None:
        self.book.close()
        self.book = open_book(self.path)
        self.assertEqual([d.name for d in self.book.devices()], ["Sandpiper 14"])
        self.assertEqual(self.book.settings(self.cell[0].id)[0].sustained_w, 28.0)
        self.assertEqual([p.name for p in self.folder.iterdir() if not p.name.endswith(("-wal", "-shm"))], ["a.pinch"])

    def test_log_comes_back_with_marks_and_count(self) -> None:
        log = made.two_level()
        slow = Series("fan.1.speed", np.array([2.5, 7.5]), np.array([1400.0, 1500.0]))
        log = RunLog({**log.series, "fan.1.speed": slow}, (Mark(12.5, "door opened"),))
        run = self.add(log)
        back = runlogs.read_log(self.book, run.id or 0)
        for name, series in log.series.items():
            np.testing.assert_array_equal(back.series[name].t, series.t)
            np.testing.assert_array_equal(back.series[name].values, series.values)
        self.assertEqual(back.marks, log.marks)
        self.assertEqual(run.samples, log.samples)
        self.assertEqual(run.status, ExitStatus.COMPLETE)

    def test_a_run_without_a_stop_is_recognised_and_kept(self) -> None:
        run = made.new_run(self.book, *self.cell)
        stream = runlogs.add_stream(self.book, run.id or 0, ["cpu.power"])
        for i in range(5):
            runlogs.append(self.book, stream, np.arange(10.0) + 10 * i + 1, [np.full(10, 20.0 + i)])
        self.book.close()
        self.book = open_book(self.path)
        self.assertTrue(self.book.get(Run, run.id or 0).cut_off)
        self.assertEqual(len(runlogs.read_log(self.book, run.id or 0).series["cpu.power"].t), 50)
        self.assertEqual(runlogs.log_size(self.book, run.id or 0), (5, 50))
        stopped = runlogs.stop_run(self.book, self.book.get(Run, run.id or 0), ExitStatus.STOPPED)
        self.assertEqual(runlogs.log_size(self.book, run.id or 0), (1, 50))
        self.assertEqual((stopped.cut_off, stopped.samples), (False, 50))

    def test_a_long_run_is_packed_anew_without_a_change(self) -> None:
        run = made.new_run(self.book, *self.cell)
        stream, rng = runlogs.add_stream(self.book, run.id, ["cpu.power", "cpu.temp"]), np.random.default_rng(2)
        sizes, start = [1, 2000, 3599, 1, 3600, 7201, 17], 0
        for size in sizes:
            power = np.where(rng.random(size) < 0.1, np.nan, rng.normal(30.0, 1.0, size))
            runlogs.append(self.book, stream, start + np.arange(1.0, size + 1.0), [power, np.full(size, 50.0)])
            start += size
        before = runlogs.read_log(self.book, run.id)
        stopped = runlogs.stop_run(self.book, run, ExitStatus.COMPLETE)
        after = runlogs.read_log(self.book, run.id)
        for name, series in before.series.items():
            np.testing.assert_array_equal(after.series[name].t, series.t)
            np.testing.assert_array_equal(after.series[name].values, series.values)
        self.assertEqual(stopped.samples, before.samples)
        self.assertEqual(runlogs.log_size(self.book, run.id), (math.ceil(sum(sizes) / 3600), sum(sizes)))
        self.assertEqual(runlogs.end_of_stream(self.book, run.id, stream), sum(sizes))

    def test_a_reader_sees_the_whole_of_a_run_that_ends_meanwhile(self) -> None:
        run = made.new_run(self.book, *self.cell)
        stream = runlogs.add_stream(self.book, run.id, ["cpu.power"])
        for i in range(40):
            runlogs.append(self.book, stream, np.arange(1.0, 101.0) + 100 * i, [np.full(100, 20.0)])
        with contextlib.closing(open_book(self.path)) as other:
            rows = other.each("SELECT samples FROM chunk WHERE stream_id = ? ORDER BY id", stream)
            seen = [next(rows)]
            runlogs.stop_run(self.book, run, ExitStatus.COMPLETE)
            seen += rows
            self.assertEqual(sum(int(str(n)) for (n,) in seen), 4000)
            self.assertEqual(runlogs.log_size(other, run.id), (2, 4000))

    def test_a_reader_sees_a_growing_run(self) -> None:
        run = made.new_run(self.book, *self.cell)
        stream = runlogs.add_stream(self.book, run.id or 0, ["cpu.power"])
        runlogs.append(self.book, stream, np.arange(1.0, 4.0), [np.ones(3)])
        with contextlib.closing(open_book(self.path)) as other:
            self.assertEqual(len(runlogs.read_log(other, run.id or 0).series["cpu.power"].t), 3)

    def test_a_copy_is_whole_and_one_file(self) -> None:
        run = self.add(made.two_level())
        target = self.folder / "copy.pinch"
        self.book.copy_to(target)
        with contextlib.closing(open_book(target)) as copy:
            self.assertEqual(len(runlogs.read_log(copy, run.id or 0).series["cpu.power"].t), 450)
        with self.assertRaisesRegex(BookError, "itself"):
            self.book.copy_to(self.path)
        with self.assertRaises(BookError):
            self.book.copy_to(self.folder / "no" / "folder.pinch")

    def test_few_bytes_a_sample(self) -> None:
        log = made.log(cpu_power=np.round(np.random.default_rng(2).normal(45, 0.2, 3600), 3))
        self.add(log)
        size = self.book.query("SELECT SUM(LENGTH(data)) FROM chunk")[0][0]
        self.assertLess(float(str(size)) / 7200, 4.0)

    def test_counts_follow_every_change_and_leave_out_what_does_not_count(self) -> None:
        device, setting, workload = self.cell
        other = self.book.save(Setting(device_id=device.id or 0, name="other"))
        another = open_book(self.path)
        self.addCleanup(another.close)

        def counts() -> tuple[int, int]:
            for book in (self.book, another):
                of_cell = (
                    book.count_runs(device.id, workload.id),
                    book.count_settings_run(device.id or 0, workload.id or 0),
                )
                runs = [r for r in book.runs() if (r.device_id, r.workload_id) == (device.id, workload.id)]
                self.assertEqual(of_cell, (len(runs), len({r.setting_id for r in runs if not r.void})))
            return of_cell

        seen = [counts()]
        runs = [made.new_run(self.book, device, s, workload) for s in (setting, setting, other)]
        seen.append(counts())
        for run, changed in ((runs[2], {"void": "window open"}), (runs[0], {"removed": True})):
            self.book.save(run.model_copy(update=changed))
            seen.append(counts())
        self.assertEqual(seen, [(0, 0), (3, 2), (3, 1), (2, 1)])

    def test_repeats_count_on(self) -> None:
        first, second = made.new_run(self.book, *self.cell), made.new_run(self.book, *self.cell)
        self.assertEqual((first.repeat, second.repeat), (1, 2))


class TestLocks(BookCase):
    LOOK = "import sqlite3, sys; c = sqlite3.connect(sys.argv[1]); c.execute('SELECT 1 FROM run').fetchall(); c.close()"

    def looked_at_elsewhere(self) -> bool:
        """Whether the log of what is written is still there once another process has come and gone: the last one that
        closes a book takes it along, and what is written to it then is lost."""
        self.book.save(Device(name="Limpet"))
        subprocess.run([sys.executable, "-c", self.LOOK, str(self.path)], check=True)
        return log_of(self.path).exists()

    def test_opening_a_large_book_again_keeps_the_locks_on_it(self) -> None:
        # https://www.sqlite.org/howtocorrupt.html, 2.2: locks are cancelled by whoever closes the file in this process
        for _ in range(3):
            with mock.patch.object(opening, "LARGE", 0):
                open_book(self.path).close()
            self.assertTrue(self.looked_at_elsewhere())
        with self.path.open("rb"):
            pass
        self.assertFalse(self.looked_at_elsewhere(), "the test would see it")


class TestUnusable(BookCase):
    def refused(self, path: Path, reason: str) -> None:
        with self.assertRaisesRegex(BookError, reason) as caught:
            open_book(path)
        self.assertTrue(str(caught.exception).startswith(str(path)))

    def test_not_a_book(self) -> None:
        text, other = self.folder / "text.pinch", self.folder / "other.pinch"
        text.write_text("just words, not a book, but long enough to be looked at as a file header of SQLite")
        with contextlib.closing(sqlite3.connect(other)) as connection:
            connection.execute("CREATE TABLE x (y)")
        self.refused(text, "not a book of Pinch")
        self.refused(other, "not a book of Pinch")
        self.refused(self.folder / "missing.pinch", "no such file")
        self.refused(self.folder, "not a file")

    def test_a_newer_book_is_left_alone(self) -> None:
        self.book.connection.execute(f"PRAGMA user_version = {schema.VERSION + 1}")
        self.book.close()
        self.refused(self.path, "newer Pinch")

    def test_damage(self) -> None:
        self.add(made.two_level())
        self.book.close()
        data = bytearray(self.path.read_bytes())
        data[4096:12288] = bytes(8192)
        self.path.write_bytes(data)
        self.refused(self.path, "damaged")

    def test_a_missing_table_is_damage(self) -> None:
        self.book.connection.execute("DROP TABLE mark")
        self.book.close()
        self.refused(self.path, "missing or is not as Pinch makes it")

    def test_records_from_outside_are_checked(self) -> None:
        self.book.connection.execute('UPDATE device SET record = \'{"name": 5, "evil": 1}\'')
        with self.assertRaisesRegex(BookError, "a device in it cannot be read"):
            self.book.devices()
        run = self.add(made.two_level())
        self.book.connection.execute("UPDATE stream SET channels = '[\"x;y\"]'")
        with self.assertRaisesRegex(BookError, "proper name"):
            runlogs.read_log(self.book, run.id or 0)

    def test_locked(self) -> None:
        self.book.wait_at_most(0.05)
        with contextlib.closing(sqlite3.connect(self.path)) as other:
            other.execute("BEGIN IMMEDIATE")
            with self.assertRaisesRegex(BookError, "in use by another program"):
                self.book.save(Device(name="Limpet"))

    def test_a_full_disk_keeps_what_was_there(self) -> None:
        pages = int(str(self.book.query("PRAGMA page_count")[0][0]))
        self.book.connection.execute(f"PRAGMA max_page_count = {pages}")
        noise = np.random.default_rng(3).uniform(0, 1, 20000)
        run = made.new_run(self.book, *self.cell)
        stream = runlogs.add_stream(self.book, run.id or 0, ["cpu.power"])
        with self.assertRaisesRegex(BookError, "disk is full"):
            runlogs.append(self.book, stream, np.arange(20000.0), [noise])
        self.assertEqual(runlogs.log_size(self.book, run.id or 0), (0, 0))
        self.assertEqual(len(self.book.devices()), 1)

    def test_read_only(self) -> None:
        self.book.close()
        connection = sqlite3.connect(f"file:{self.path}?mode=ro&immutable=1", uri=True, isolation_level=None)
        with contextlib.closing(connection):
            book = Book(self.path, connection, lambda path: connection)
            self.assertEqual(len(book.devices()), 1)
            with self.assertRaisesRegex(BookError, "read-only"):
                book.save(Device(name="Limpet"))
            self.assertIsNone(UndoStack.next_undo.fget(_no_undo(book)))  # type: ignore[attr-defined]

    @unittest.skipIf(os.geteuid() == 0, "the administrator may write everywhere")
    def test_read_only_file(self) -> None:
        self.book.close()
        self.path.chmod(0o444)
        with contextlib.closing(open_book(self.path)) as book:
            self.assertTrue(book.read_only)

    def test_a_new_book_never_replaces_a_file(self) -> None:
        with self.assertRaisesRegex(BookError, "exists already"):
            create_book(self.path)
        with self.assertRaisesRegex(BookError, "cannot be"):
            create_book(self.folder / "none" / "x.pinch")


def _no_undo(book: Book) -> UndoStack:
    return UndoStack(book)


class TestUndo(BookCase):
    def setUp(self) -> None:
        super().setUp()
        self.undo = UndoStack(self.book)

    def dump(self) -> list[str]:
        return [line for line in self.book.connection.iterdump() if line.startswith("INSERT")]

    def test_every_kind_of_change_comes_back(self) -> None:
        before = self.dump()
        with self.undo.step("add a device"):
            device = self.book.save(Device(name="Limpet"))
        with self.undo.step("rename"):
            self.book.save(device.model_copy(update={"name": "Limpet II"}))
        with self.undo.step("add a run"):
            self.add(made.two_level())
        after = self.dump()
        self.assertEqual([self.undo.undo() for _ in range(3)], ["add a run", "rename", "add a device"])
        self.assertEqual(self.dump(), before)
        self.assertEqual([self.undo.redo() for _ in range(3)], ["add a device", "rename", "add a run"])
        self.assertEqual(self.dump(), after)

    def test_what_hangs_on_a_deleted_row_comes_back_too(self) -> None:
        self.add(made.two_level())
        before = sorted(self.dump())
        with self.undo.step("delete the device"), self.book.change() as connection:
            connection.execute("DELETE FROM device")
        self.assertEqual(self.book.runs(), [])
        self.undo.undo()
        self.assertEqual(sorted(self.dump()), before)

    def test_a_new_change_ends_redo_and_nothing_is_no_step(self) -> None:
        with self.undo.step("one"):
            self.book.save(Workload(name="one"))
        self.undo.undo()
        self.assertEqual(self.undo.next_redo.label, "one")
        with self.undo.step("nothing"):
            pass
        self.assertEqual(self.undo.next_redo.label, "one")
        with self.undo.step("two"):
            self.book.save(Workload(name="two"))
        self.assertIsNone(self.undo.next_redo)
        self.assertIsNone(self.undo.redo())

    def test_a_change_that_fails_half_way_leaves_nothing(self) -> None:
        before = self.dump()
        with self.assertRaises(BookError), self.undo.step("add a log"):
            device = self.book.save(Device(name="Limpet"))
            self.book.save(Setting(device_id=device.id or 0, name="Stock"))
            raise BookError(self.path, "the disk is full")
        self.assertEqual(self.dump(), before)
        self.assertIsNone(self.undo.next_undo)

    def test_another_connection_is_not_undone(self) -> None:
        with contextlib.closing(open_book(self.path)) as other:
            other.save(Device(name="Gannet"))
        self.assertIsNone(self.undo.undo())
        self.assertEqual(len(self.book.devices()), 2)
