"""Runs that were cut off: killed recorders, and going on as another pass."""

import os
import signal
import subprocess
import sys
from datetime import timedelta

import numpy as np

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus, Run, Runner, Setting, Workload, now
from pinch.core.errors import PinchError
from pinch.core.judge import judge
from pinch.core.runlog import gaps_of
from pinch.recorder.recorder import News
from pinch.runs.devices import add_this_computer
from pinch.runs.recording import begin_recording
from pinch.runs.sourcing import RunRequest
from tests.in_folder import CommandCase
from tests.waiting import PATIENCE_S, wait_until


class CutCase(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.pinch"
        self.book = create_book(self.path)
        self.addCleanup(lambda: self.book.close())
        self.device = add_this_computer(self.book)
        self.setting = self.book.settings(self.device.id or 0)[0]
        self.work = self.book.save(Workload(name="By hand", runner=Runner.HAND))

    def cut_run(self, book: Book) -> Run:
        """A run of two minutes whose recorder died three minutes ago."""
        fields = {"device_id": self.device.id, "setting_id": self.setting.id, "workload_id": self.work.id}
        run = book.save(Run(**fields, started=now() - timedelta(seconds=300)))  # type: ignore[arg-type]
        stream = runlogs.add_stream(book, run.id or 0, ["cpu.load", "cpu.temp"])
        t = np.arange(1.0, 121.0)
        runlogs.append(book, stream, t, [np.where(t > 15.0, 100.0, 3.0), 40.0 + 0.1 * t])
        return run


class TestGoingOn(CutCase):
    def go_on(self, run: Run) -> Run:
        request = RunRequest(self.device, self.setting, self.work, 60.0, 1.0, interval_s=0.1, continues=run)
        recording = begin_recording(self.book, request)
        self.addCleanup(recording.wait, PATIENCE_S)
        self.addCleanup(recording.stop)
        wait_until(lambda: runlogs.log_size(self.book, run.id or 0)[1] >= 140)
        recording.finish()
        self.assertTrue(recording.wait(PATIENCE_S))
        return self.book.get(Run, run.id or 0)

    def test_what_was_cut_is_the_first_pass_and_the_gap_stays(self) -> None:
        run = self.go_on(self.cut_run(self.book))
        self.assertEqual(run.status, ExitStatus.COMPLETE, run.reason)
        self.assertEqual(len(self.book.runs()), 1, "the same run")
        log = runlogs.read_log(self.book, run.id or 0)
        load = log.series["cpu.load"]
        self.assertTrue((np.diff(load.t) > 0).all())
        np.testing.assert_allclose(load.values[14:17], [3.0, 100.0, 100.0], err_msg="what was there is untouched")
        gap = gaps_of(load)[0]
        self.assertEqual(gap.start_s, 120.0)
        self.assertAlmostEqual(gap.end_s, 301.0, delta=5.0)
        self.assertRegex(log.marks[0].text, r"^goes on after a cut of 1[78]\d s$")
        self.assertAlmostEqual(run.passes[0].start_s, 15.0, delta=2.0)
        self.assertEqual(run.passes[0].end_s, 120.0)
        self.assertTrue(judge(log).gaps)

    def test_only_a_cut_run_goes_on(self) -> None:
        run = self.cut_run(self.book)
        whole = runlogs.stop_run(self.book, run, ExitStatus.COMPLETE)
        with self.assertRaisesRegex(PinchError, "Only a run without a stop"):
            self.go_on(whole)
        empty = self.book.save(run.as_new())
        with self.assertRaisesRegex(PinchError, "Nothing of this run was kept"):
            self.go_on(empty)
        status, _, err = self.run_command("record", "--book", self.path, "--continue", "99")
        self.assertEqual(status, 2)
        self.assertIn("has no run number 99", err)


class TestKilled(CutCase):
    """What a killed recorder leaves; bench/crashes.py does this two hundred times."""

    CHILD = """
import os, sys
from pathlib import Path
from pinch.bench.opening import open_book
from pinch.runs.recording import begin_recording
from pinch.runs.sourcing import RunRequest
book = open_book(Path(sys.argv[1]))
device = next(d for d in book.devices() if d.local)
work = next(w for w in book.workloads() if w.name == "By hand")
request = RunRequest(device, book.settings(device.id)[0], work, 600.0, 1.0, interval_s=0.1)
def tell(news):
    if "probe.load" in news.values:
        os.write(1, f"{news.t_s}\\n".encode())
begin_recording(book, request, [tell]).wait()
"""

    def test_all_but_the_last_second_is_there(self) -> None:
        earlier = runlogs.stop_run(self.book, self.cut_run(self.book), ExitStatus.COMPLETE)
        self.book.close()
        command = [sys.executable, "-c", self.CHILD, str(self.path)]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        heard = [float(process.stdout.readline()) for _ in range(25)]
        os.kill(process.pid, signal.SIGKILL)
        heard += [float(line) for line in process.stdout]
        process.wait()
        process.stdout.close()
        self.book = open_book(self.path)
        self.assertEqual(self.book.get(Run, earlier.id or 0), earlier)
        run = self.book.runs()[-1]
        self.assertTrue(run.cut_off)
        log = runlogs.read_log(self.book, run.id or 0)
        self.assertLessEqual(heard[-1] - log.span_s[1], 1.0)

    def test_a_disk_that_is_full_for_a_while_leaves_no_gap(self) -> None:
        request = RunRequest(self.device, self.setting, self.work, 600.0, 1.0, interval_s=0.1)
        heard: list[float] = []

        def hear(news: News) -> None:
            if "probe.load" in news.values:
                heard.append(news.t_s)

        recording = begin_recording(self.book, request, [hear])
        self.addCleanup(recording.wait, PATIENCE_S)
        self.addCleanup(recording.stop)

        def rows() -> int:
            return runlogs.log_size(self.book, recording.run.id)[1]

        wait_until(lambda: rows() >= 10)
        with self.book.change() as connection:  # what SQLite says when there is no room for another row
            connection.execute(
                "CREATE TRIGGER full BEFORE INSERT ON chunk BEGIN SELECT RAISE(ABORT, 'database or disk is full'); END"
            )
        before = rows()
        wait_until(lambda: list(self.folder.glob("*.waiting")))
        with self.book.change() as connection:
            connection.execute("DROP TRIGGER full")
        wait_until(lambda: rows() > before + 20)
        recording.stop()
        self.assertTrue(recording.wait(PATIENCE_S))
        self.assertEqual((recording.status, list(self.folder.glob("*.waiting"))), (ExitStatus.STOPPED, []))
        t = runlogs.read_log(self.book, recording.run.id).series["probe.load"].t
        np.testing.assert_allclose(t, heard, err_msg="every row that came is kept")


class TestSettingOfAnother(CutCase):
    def test_a_book_keeps_instruments_and_readings(self) -> None:
        from pinch.bench.readings import Instrument, Quantity, Reading
        from pinch.bench.undo import UndoStack

        run = self.cut_run(self.book)
        undo = UndoStack(self.book)
        meter = self.book.save(Instrument(name="Level meter", measures=Quantity.NOISE, fixed=1.5))
        with undo.step("add a reading"):
            self.book.save(
                Reading(
                    run_id=run.id or 0,
                    taken=now(),
                    t_s=30.0,
                    quantity=Quantity.NOISE,
                    value=41.0,
                    instrument=meter.name,
                    u=meter.accuracy.standard_u(41.0),
                )
            )
        self.assertEqual([r.value for r in self.book.readings(run.id or 0)], [41.0])
        undo.undo()
        self.assertEqual(self.book.readings(run.id or 0), [])
        self.assertEqual(self.book.instruments(), [meter])
        other = self.book.save(Device(name="Other"))
        self.assertEqual(self.book.save(Setting(device_id=other.id or 0, name="x")).governor, "")
