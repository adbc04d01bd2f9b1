"""Nothing dies in silence: mistakes of Pinch itself, and children that say what nobody can read."""

import contextlib
import io
import logging
import sys
import threading
import time
import unittest
from collections.abc import Callable
from functools import partial
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from pinch.bench.records import ExitStatus
from pinch.cli import main as cli
from pinch.core.errors import PinchError
from pinch.core.faults import fault_of
from pinch.core.runlog import Series, gaps_of
from pinch.recorder import lines as child_lines
from pinch.recorder.child_rows import MOST_IN_A_ROW, RowReader
from pinch.recorder.course import Course
from pinch.recorder.lines import LineProcess
from pinch.recorder.processes import CommandProcess, WorkProcess
from pinch.recorder.recorder import News, Phase, Recorder
from pinch.recorder.remote import RemoteProbe
from pinch.runs import log_file
from pinch.ui.background import Job
from pinch.ui.boundary import catch_everything
from pinch.ui.judge.page import JudgePage
from pinch.ui.scale.page import ScalePage
from pinch.ui.shell.text_dialog import TextDialog
from tests.in_folder import InFolder
from tests.test_recorder import Script, Shelf
from tests.waiting import wait_until
from tests.window_case import WindowCase

GOOD = "print('t_s,cpu.temp', flush=True)\nfor n in range(1, 6): print(f'{n}.0,70.{n}', flush=True)\n"
MORE = "for n in range(9, 14): print(f'{n}.0,72.5', flush=True)\n"
ODD = {
    "too short": "print('6.0', flush=True)",
    "too long": "print('6.0,71.0,9', flush=True)",
    "words": "print('6.0,warm', flush=True)",
    "no clock": "print('soon,71.0', flush=True)",
    "endless": "print('6.0,inf', flush=True)",
    "not UTF-8": "import sys; sys.stdout.buffer.write(b'6.0,7\\xff1\\n'); sys.stdout.flush()",
    "megabytes": "print('6' * 3_000_000, flush=True)",
}


class TestChildren(InFolder):
    def child(self, program: str) -> str:
        """A command that says what a probe would, whatever it is given to read."""
        path = self.folder / "child.py"
        path.write_text(program)
        return f"{sys.executable} {path}"

    def record(self, program: str) -> tuple[list[tuple[float, float]], list[str]]:
        probe = RemoteProbe(self.child(program), 0.1)
        self.addCleanup(probe.close)
        probe.open()
        found: list[tuple[float, float]] = []
        process = probe._process
        assert process is not None
        over: list[bool] = []

        def read() -> None:
            over.append(process.ended)  # what came with its end is still to be read
            found.extend((s.clock_s, s.values[0]) for s in probe.read(0.05))

        with contextlib.suppress(PinchError):
            wait_until(lambda: any(over), read)
        return found, [n for n in probe.notes() if "no row" in n]

    def test_a_line_that_is_no_row_leaves_a_gap_and_one_notice(self) -> None:
        for name, line in ODD.items():
            with self.subTest(name):
                found, notes = self.record(GOOD + f"{line}\n" * 2 + MORE)
                self.assertEqual([t for t, _ in found], [1.0, 2.0, 3.0, 4.0, 5.0, 9.0, 10.0, 11.0, 12.0, 13.0])
                self.assertEqual(len(notes), 1, notes)
                t, values = (np_array for np_array in map(list, zip(*found, strict=True)))
                series = Series("cpu.temp", *(_array(x) for x in (t, values)))
                self.assertEqual([(g.start_s, g.end_s) for g in gaps_of(series)], [(5.0, 9.0)])

    def test_a_number_that_was_cut_is_no_number(self) -> None:
        """A link that dies within `6.0,71.5`: without its end the line may be any number."""
        found, notes = self.record(GOOD + "import sys; sys.stdout.write('6.0,7'); sys.stdout.flush()\n")
        self.assertEqual(found[-1], (5.0, 70.5))
        self.assertIn("has no end", notes[0])

    def test_a_greeting_before_the_header_is_passed_over(self) -> None:
        found, notes = self.record("print('Welcome, the coffee is ready', flush=True)\n" + GOOD)
        self.assertEqual((len(found), notes), (5, []))

    def test_a_child_that_says_nothing_else_ends_the_run(self) -> None:
        reader = RowReader("The probe")
        reader.width = 1
        reader.samples(["x"] * (MOST_IN_A_ROW - 1))
        self.assertEqual(len(reader.samples(["1.0,2.0"])), 1)
        with self.assertRaisesRegex(PinchError, "nothing any more"):
            reader.samples(["x"] * (MOST_IN_A_ROW + 1))

    def test_work_and_commands_that_say_something_odd_go_on(self) -> None:
        work = WorkProcess(self.child("print('1.0,5.0\\n2.0\\nfast\\n3.0,6.0', flush=True)").split())
        self.addCleanup(work.close)
        work.open()
        rates: list[float] = []
        wait_until(lambda: len(rates) == 2, lambda: rates.extend(s.values[0] for s in work.read()))
        self.assertEqual((rates, len(work.notes())), ([5.0, 6.0], 1))
        said = "begun,one\nbegun,1\nended,1,2.5\nhello\nended,1,2.500,0,41.5"
        command = CommandProcess(self.child(f"print({said!r}, flush=True); input()").split(), 2, False)
        self.addCleanup(command.close)
        command.open()
        wait_until(lambda: command.progress().passes, command.read)
        far = command.progress()
        self.assertEqual((far.begun, far.over, far.failed, far.passes[0].score), (1, False, "", 41.5))
        self.assertEqual(len(command.notes()), 1)

    def test_a_reader_thread_that_breaks_ends_the_child_in_good_order(self) -> None:
        with (
            mock.patch.object(LineProcess, "_read_whole_lines", side_effect=RuntimeError("broken")),
            self.assertLogs("pinch", logging.ERROR),
        ):
            process = LineProcess([sys.executable, "-c", "print('t_s')"])
            wait_until(lambda: process.ended, process.lines)
        process.close()
        self.assertIn("could not be read", process.damage)
        self.assertEqual(child_lines.LONGEST_LINE, 1_000_000)


def _array(values: list[float]) -> "object":
    import numpy as np

    return np.array(values)


class TestRecorder(unittest.TestCase):
    def test_a_mistake_ends_the_run_with_a_stop_that_says_so(self) -> None:
        script, shelf, heard = Script(), Shelf(), list[News]()
        script.stop = mock.Mock(side_effect=RuntimeError("will not end"))  # type: ignore[method-assign]
        recorder = Recorder(script, script, shelf, "score.rate", Course(5.0, 20.0))
        recorder.listen(heard.append)
        with (
            mock.patch.object(recorder, "_keep_rate", side_effect=KeyError("somebody's secret")),
            self.assertLogs("pinch", logging.ERROR) as noted,
        ):
            status = recorder.run()
        self.assertEqual((status, recorder.phase, script.closed), (ExitStatus.FAILED, Phase.ENDED, 2))
        self.assertEqual([s for s, _ in shelf.ends], [ExitStatus.FAILED])
        self.assertIn("by a mistake in Pinch itself (KeyError)", shelf.ends[0][1])
        self.assertEqual((heard[-1].phase, heard[-1].status), (Phase.ENDED, ExitStatus.FAILED))
        self.assertGreater(len(shelf.rows[0]), 3, "what came before is kept")
        self.assertEqual([r.getMessage() for r in noted.records], ["Recording", "Ending a recording"])

    def test_a_keeper_that_breaks_at_the_end_is_told_too(self) -> None:
        script, shelf, heard = Script(), Shelf(), list[News]()
        recorder = Recorder(script, script, shelf, "score.rate", Course(2.0, 3.0))
        recorder.listen(heard.append)
        shelf.end = mock.Mock(side_effect=ZeroDivisionError)  # type: ignore[method-assign]
        with self.assertLogs("pinch", logging.ERROR):
            self.assertEqual(recorder.run(), ExitStatus.FAILED)
        self.assertIn("ZeroDivisionError", heard[-1].reason)


class TestFaults(unittest.TestCase):
    def test_details_say_where_and_nothing_of_the_data(self) -> None:
        try:
            float("Anna's laptop")
        except ValueError as error:
            fault = fault_of(error, "Reading /home/anna/x.csv")
        details = fault.details("9.9")
        self.assertTrue(details.startswith("Pinch 9.9\nwhile: Reading"))
        self.assertIn("ValueError: could not convert string to float: …", details)
        self.assertRegex(details, r"test_boundary\.py:\d+ in test_details")
        self.assertNotIn("Anna", details)
        error = OSError(2, "No such file", "/home/anna/secret plans.csv")
        self.assertNotIn("anna", fault_of(error, "Writing").details("1"))


class TestWindow(WindowCase):
    demo = expects_faults = True

    def setUp(self) -> None:
        super().setUp()
        hooks = sys.excepthook, threading.excepthook
        self.addCleanup(lambda: (setattr(sys, "excepthook", hooks[0]), setattr(threading, "excepthook", hooks[1])))
        catch_everything()

    def words(self) -> str:
        return self.window.notices.words.text()

    def test_a_job_with_a_bug_says_so_once_and_the_page_goes_on(self) -> None:
        page = self.window.page(JudgePage)
        with mock.patch("pinch.ui.judge.list_control.digest_book", side_effect=RuntimeError("at /home/anna")):
            page.show_runs()
            self.wait_for(lambda: self.window.notices.details.isVisible())
            self.wait_for(lambda: page.digesting.job is None)
        self.assertIn("Judging all runs went wrong by a mistake in Pinch itself (RuntimeError)", self.words())
        self.assertNotIn("%", page.view.runs.words.text(), "it judges no more")
        self.window.notices.details.click()
        dialog = self.window.findChild(TextDialog)
        assert dialog is not None and dialog.isVisible()
        dialog.copy.click()
        dialog.close()
        text = QApplication.clipboard().text()  # type: ignore[union-attr]
        self.assertIn("while: Judging all runs", text)
        self.assertNotIn("anna", text)
        page.show_runs()
        self.wait_for(lambda: page.digesting.job is None and page.digesting.digests)

    def test_a_bug_in_a_slot_or_a_thread_is_said(self) -> None:
        def broken() -> None:
            raise LookupError("in a slot")

        QTimer.singleShot(0, broken)
        self.wait_for(lambda: "LookupError" in self.words())
        threading.Thread(target=lambda: [][1]).start()
        self.wait_for(lambda: "IndexError" in self.words())
        self.window.safely(broken)
        self.wait_for(lambda: "LookupError" in self.words())
        self.window.notices.done("All is well.")
        self.assertFalse(self.window.notices.details.isVisible())

    def test_the_curves_go_on_after_a_bug(self) -> None:
        self.choose("Limpet", "Stock", "Tile Render, all cores")
        page = self.window.page(ScalePage)
        with mock.patch("pinch.ui.scale.control.scale_book", side_effect=TypeError("no")):
            self.window.show_page(page)
            self.wait_for(lambda: "Working out the curves went wrong" in self.words())
        self.window.refresh()
        self.wait_for(lambda: page.view.result is not None)

    def test_a_job_that_is_cancelled_says_nothing(self) -> None:
        begun, release, told = threading.Event(), threading.Event(), list[str]()
        job = Job("Waiting", lambda _: begun.set() or (release.wait() and 1 / 0), self.window)
        job.failed.connect(told.append)
        job.start()
        self.wait_for(begun.is_set)
        job.cancel()
        with self.assertLogs("pinch", logging.ERROR):
            release.set()
            job.wait()
        self.app.processEvents()
        self.assertEqual(told, [])

    def test_a_job_that_is_cancelled_shows_no_progress(self) -> None:
        begun, release, answers, shown = threading.Event(), threading.Event(), list[bool](), list[float]()

        def work(go_on: Callable[[float], bool]) -> None:
            begun.set()
            release.wait()
            answers.append(go_on(0.5))

        job = Job("Waiting", work, self.window)
        job.progressed.connect(shown.append)
        job.start()
        self.wait_for(begun.is_set)
        job.cancel()
        release.set()
        job.wait()
        self.app.processEvents()
        self.assertEqual((answers, shown), ([False], []))

    def test_a_job_begins_once_the_window_is_painted_and_never_where_it_is_cancelled_before(self) -> None:
        begun = list[str]()
        jobs = [Job(name, partial(lambda name, _: begun.append(name), name), self.window) for name in ("yes", "no")]
        for job in jobs:
            job.start()
        time.sleep(0.1)
        self.assertEqual((begun, [job.running for job in jobs]), ([], [True, True]))
        jobs[1].cancel()
        self.wait_for(lambda: not any(job.running for job in jobs))
        self.assertEqual(begun, ["yes"])


class TestLog(InFolder):
    def run_main(self, *words: str) -> tuple[int, str]:
        err = io.StringIO()
        with contextlib.redirect_stderr(err), contextlib.redirect_stdout(io.StringIO()):
            status = cli.main(list(words))
        return status, err.getvalue()

    def tearDown(self) -> None:
        logger = logging.getLogger("pinch")
        for handler in [h for h in logger.handlers if h.get_name() == log_file.OWN]:
            logger.removeHandler(handler)
            handler.close()
        super().tearDown()

    def test_a_command_with_a_bug_says_one_line_and_logs_the_rest(self) -> None:
        path = self.folder / "mine" / "pinch.log"
        with mock.patch("pinch.cli.judge_command.read_log_file", side_effect=RuntimeError("deep inside")):
            status, err = self.run_main("--log-file", str(path), "judge", "x.csv")
        self.assertEqual((status, len(err.splitlines())), (1, 1))
        self.assertIn("pinch judge went wrong by a mistake in Pinch itself (RuntimeError)", err)
        self.assertIn(str(path), err)
        text = path.read_text()
        self.assertIn("Traceback", text)
        self.assertIn("deep inside", text)
        with mock.patch("pinch.cli.judge_command.read_log_file", side_effect=RuntimeError("deep inside")):
            status, err = self.run_main("judge", "x.csv", "--verbose", "--log-file", str(path))
        self.assertIn("deep inside", err)

    def test_a_log_that_cannot_be_written(self) -> None:
        (self.folder / "file").write_text("")
        status, err = self.run_main("--log-file", str(self.folder / "file" / "pinch.log"), "rig", "--list")
        self.assertEqual((status, len(err.splitlines())), (2, 1))
        self.assertIn("the log cannot be written", err)
        with mock.patch.object(log_file, "log_path", return_value=Path("/proc/nothing/pinch.log")):
            status, err = self.run_main("rig", "--list")
        self.assertEqual((status, len(err.splitlines())), (0, 1), "without one named it goes on")

    def test_it_stays_small(self) -> None:
        path = self.folder / "pinch.log"
        with mock.patch.object(log_file, "MOST_BYTES", 2000):
            log_file.keep_log(path)
            for number in range(400):
                logging.getLogger("pinch.test").warning("line %d", number)
        files = sorted(p.name for p in self.folder.iterdir())
        self.assertEqual(files, ["pinch.log", "pinch.log.1", "pinch.log.2", "pinch.log.3"])
        self.assertLessEqual(path.stat().st_size, 2000)
