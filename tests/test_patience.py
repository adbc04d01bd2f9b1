"""Recordings that outlive a fault of their book: locked, full, deleted, replaced; and what waits beside it."""

import contextlib
import os
import sqlite3
import subprocess
import sys
import time
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.bench import runlogs, waiting
from pinch.bench.book import Book, BookError
from pinch.bench.opening import open_book
from pinch.bench.records import ExitStatus, Run
from pinch.bench.undo import UndoRefusedError, UndoStack
from pinch.bench.waiting import Begin, Ended, Marked, Samples, WaitingFile, take_in_waiting
from pinch.core.runlog import Mark
from pinch.runs.patient_keeper import PatientKeeper
from tests import made
from tests.test_book import BookCase


class PatienceCase(BookCase):
    """A run that is kept, ten samples at a time."""

    def setUp(self) -> None:
        super().setUp()
        state = self.folder / "state"
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(state)}))
        self.enterContext(mock.patch("pinch.runs.patient_keeper.AGAIN_S", 0.0))
        self.enterContext(mock.patch("pinch.runs.patient_keeper.LOCK_S", 0.01))
        self.run_kept = made.new_run(self.book, *self.cell)
        self.keeper = PatientKeeper(self.path, self.run_kept.id)
        self.t = 0.0

    def begin(self) -> None:
        self.stream = self.keeper.begin(["cpu.power", "cpu.temp"])
        self.sample()

    def sample(self) -> None:
        t = self.t + np.arange(10.0)
        self.t += 10.0
        self.keeper.keep(self.stream, t, [np.full(10, 35.25), np.full(10, np.nan)])

    def waiting(self) -> list[Path]:
        return sorted(self.folder.rglob("*.waiting"))

    def times(self, book: Book) -> list[float]:
        return list(runlogs.read_log(book, self.run_kept.id).series["cpu.power"].t)

    @contextlib.contextmanager
    def locked(self):  # type: ignore[no-untyped-def]
        with contextlib.closing(sqlite3.connect(self.path, isolation_level=None)) as other:
            other.execute("BEGIN IMMEDIATE")
            yield


class TestPatience(PatienceCase):
    def test_a_lock_that_passes_loses_nothing(self) -> None:
        with self.locked():
            self.begin()
            self.sample()
            self.keeper.mark(Mark(12.0, "a knock"))
            self.assertEqual(len(self.waiting()), 1)
            self.assertIn("Samples wait", " ".join(self.keeper.notes()))
        self.sample()
        self.assertIn("nothing was lost", " ".join(self.keeper.notes()))
        self.assertEqual(self.waiting(), [])
        self.keeper.end(ExitStatus.COMPLETE, "", ())
        self.assertEqual(self.times(self.book), [float(t) for t in range(30)])
        self.assertEqual(runlogs.marks_of(self.book, self.run_kept.id), (Mark(12.0, "a knock"),))
        self.assertEqual(self.book.get(Run, self.run_kept.id).samples, 30)

    def test_what_cannot_be_written_at_the_end_is_taken_in_at_the_next_opening(self) -> None:
        self.begin()
        with self.locked():
            self.sample()
            with self.assertRaisesRegex(BookError, "taken in when the book is opened again"):
                self.keeper.end(ExitStatus.STOPPED, "", ())
        self.assertIsNone(self.book.get(Run, self.run_kept.id).status)
        self.assertEqual(take_in_waiting(self.book), (), "this process may still write it")
        with mock.patch.object(waiting, "is_alive", return_value=False):
            self.assertIn("10 rows of samples of run 1", take_in_waiting(self.book)[0])
            self.assertEqual(take_in_waiting(self.book), ())
        self.assertEqual(self.times(self.book), [float(t) for t in range(20)])
        self.assertEqual(self.book.get(Run, self.run_kept.id).status, ExitStatus.STOPPED)

    def test_taken_in_twice_it_is_kept_once(self) -> None:
        # A process may be killed after it has written what waited, and before the file is removed.
        self.begin()
        t, columns = np.arange(5.0, 15.0), [np.full(10, 35.25), np.full(10, np.nan)]
        file = WaitingFile.beside(self.path, self.run_kept.id)
        file.add([Begin(stream=7, channels=("cpu.power", "cpu.temp")), Samples.of(7, t, columns)])
        with file.path.open("ab") as left:
            left.write(b'{"kind": "mark", "t_s": 4')  # cut in the middle of a line
        with mock.patch.object(waiting, "is_alive", return_value=False):
            take_in_waiting(self.book)
        self.assertEqual(self.times(self.book), [float(t) for t in range(15)])

    def test_a_full_disk_is_waited_out_in_the_state_folder(self) -> None:
        self.begin()
        with self.locked(), mock.patch.object(waiting.os, "fsync", side_effect=self.full_beside_the_book):
            self.sample()
            self.sample()
        self.assertEqual([p.parent.name for p in self.waiting()], ["pinch"])
        self.sample()
        self.assertEqual((self.waiting(), len(self.times(self.book))), ([], 40))

    def full_beside_the_book(self, handle: int) -> None:
        if Path(os.readlink(f"/proc/self/fd/{handle}")).parent == self.folder:
            raise OSError(28, "No space left on device")

    def test_a_deleted_book_goes_on_in_a_rescue_file_with_all_that_it_held(self) -> None:
        self.begin()
        self.path.unlink()
        self.sample()
        self.assertIn("goes on in a (rescued).pinch", " ".join(self.keeper.notes()))
        self.keeper.end(ExitStatus.COMPLETE, "", ())
        with contextlib.closing(open_book(self.keeper.path)) as rescued:
            self.assertEqual(self.times(rescued), [float(t) for t in range(20)])
            self.assertEqual(rescued.get(Run, self.run_kept.id).status, ExitStatus.COMPLETE)
            self.assertEqual(rescued.devices(), self.book.devices())

    def test_a_replaced_book_is_not_written(self) -> None:
        copy = self.folder / "copy.pinch"
        self.begin()
        self.book.copy_to(copy)
        before = copy.read_bytes()
        copy.replace(self.path)
        self.sample()
        self.keeper.end(ExitStatus.COMPLETE, "", ())
        self.assertEqual(self.path.read_bytes(), before)
        self.assertNotEqual(self.keeper.path, self.path)

    def test_a_waiting_file_of_a_run_that_has_ended_is_left_alone(self) -> None:
        self.begin()
        self.keeper.end(ExitStatus.COMPLETE, "", ())
        file = WaitingFile.beside(self.path, self.run_kept.id)
        file.add([Marked(t_s=1.0, text="late"), Ended(status=ExitStatus.FAILED, reason="no")])
        with mock.patch.object(waiting, "is_alive", return_value=False):
            self.assertIn("has ended already", take_in_waiting(self.book)[0])
        self.assertTrue(file.path.exists())
        self.assertEqual(self.book.get(Run, self.run_kept.id).status, ExitStatus.COMPLETE)


class TestCommand(PatienceCase):
    """`pinch record` on the rig, sixty times as fast as time."""

    WORDS = ("--device", "Gannet", "--setting", "13 W", "--workload", "Tile Render, all cores", "--time-scale", "60")

    def test_a_run_that_cannot_be_written_in_the_end_says_so_and_exits_1(self) -> None:
        path = self.folder / "b.pinch"
        command = [sys.executable, "-m", "pinch", "record", "--book", str(path), "--length", "480", *self.WORDS]
        with subprocess.Popen(command, stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as child:
            until = time.monotonic() + 60.0
            while (not path.exists() or not _runs_in(path)) and child.poll() is None and time.monotonic() < until:
                time.sleep(0.05)
            with contextlib.closing(sqlite3.connect(path, isolation_level=None, timeout=30)) as other:
                other.execute("BEGIN IMMEDIATE")
                out, err = child.communicate(timeout=120)
        self.assertEqual((child.returncode, out), (1, ""), err)
        self.assertIn("could not be written", err)
        self.assertNotIn("Traceback", err)
        with contextlib.closing(open_book(path)) as book:
            self.assertIn("is in it now", take_in_waiting(book)[0])
            self.assertEqual(book.runs()[0].status, ExitStatus.COMPLETE)
            self.assertGreater(book.runs()[0].samples, 240)


def _runs_in(path: Path) -> int:
    with contextlib.closing(sqlite3.connect(path, timeout=10)) as raw:
        try:
            return int(raw.execute("SELECT COUNT(*) FROM run").fetchone()[0])
        except sqlite3.OperationalError:
            return 0


class TestUndoBesideARecording(BookCase):
    def setUp(self) -> None:
        super().setUp()
        self.undo = UndoStack(self.book)
        with self.undo.step("add a cell"):
            made_by_hand = [
                self.book.save(r.model_copy(update={"kept_id": None, "name": "New"})) for r in self.cell[::2]
            ]
            setting = self.cell[1].model_copy(update={"kept_id": None, "device_id": made_by_hand[0].id})
            self.own = (made_by_hand[0], self.book.save(setting), made_by_hand[1])
        self.other = open_book(self.path)
        self.addCleanup(self.other.close)

    def test_what_it_takes_back_is_said(self) -> None:
        step = self.undo.next_undo
        self.assertEqual(step and step.effect, "takes away 1 device, 1 setting and 1 workload")
        self.undo.undo()
        self.assertEqual(self.undo.next_redo and self.undo.next_redo.effect[:9], "puts back")

    def test_a_run_that_was_recorded_since_is_never_taken_away(self) -> None:
        run = made.new_run(self.other, *self.own)
        with self.assertRaisesRegex(UndoRefusedError, "1 run came since and would go with it"):
            self.undo.undo()
        self.assertEqual([r.id for r in self.book.runs()], [run.id])
        self.assertEqual(len(self.book.devices()), 2)
        self.other.delete(run)
        self.assertEqual(self.undo.undo(), "add a cell")

    def test_a_log_that_has_grown_since_is_never_taken_away(self) -> None:
        with self.undo.step("add a run"):
            run = made.new_run(self.book, *self.cell)
        runlogs.add_log(self.other, run, made.two_level())
        with self.assertRaisesRegex(UndoRefusedError, "changed again since|the log of a run"):
            self.undo.undo()
        self.assertEqual(len(self.book.runs()), 1)

    def test_what_another_changed_since_is_not_overwritten(self) -> None:
        with self.undo.step("rename"):
            self.book.save(self.cell[0].model_copy(update={"name": "Limpet"}))
        self.other.save(self.cell[0].model_copy(update={"name": "Gannet"}))
        with self.assertRaisesRegex(UndoRefusedError, "changed again since"):
            self.undo.undo()
        self.assertEqual(self.book.devices()[0].name, "Gannet")
