"""Any command as a workload: passes, scores, exit status, time limits, and that nothing outlives Pinch."""

import os
import signal
import subprocess
import sys
import time
import unittest
from unittest import mock

from PyQt6.QtWidgets import QInputDialog

from pinch.bench.book import Book
from pinch.bench.opening import create_book
from pinch.bench.records import Device, ExitStatus, Runner, ScoreFrom, Setting, Workload, checked, scores_of
from pinch.core.errors import PinchError
from pinch.recorder.processes import CommandProcess, WorkProgress
from pinch.runs import recording
from pinch.runs.consent import agree, wishes_of
from pinch.runs.devices import add_this_computer
from pinch.runs.recording import begin_recording
from pinch.runs.sourcing import RunRequest
from pinch.ui.judge.page import JudgePage
from pinch.ui.run.page import RunPage
from tests.in_folder import InFolder
from tests.waiting import PATIENCE_S, wait_until
from tests.window_case import WindowCase

PYTHON = f"{sys.executable} -c"
SCORED = f"""{PYTHON} 'import time; time.sleep(0.3); print("tiles: 1,5 a second"); print("score 41.5 points")'"""


def work(command: str, **more: object) -> Workload:
    fields = {"name": "Own", "runner": Runner.COMMAND, "command": command, "length_s": 5.0, **more}
    made: Workload = checked(Workload, "The workload", **fields)
    return made


def run_to_end(workload: Workload) -> WorkProgress:
    """Start a command and wait until it is over or has failed."""
    time_is_score = workload.score_from is ScoreFrom.TIME
    process = CommandProcess(recording.command_line(workload), workload.all_passes, time_is_score)
    process.open()
    process.start()
    try:
        wait_until(lambda: process.progress().over or process.progress().failed, process.read)
        return process.progress()
    finally:
        process.close()


class TestCommand(InFolder):
    def test_the_score_is_the_last_match(self) -> None:
        pattern = r"score (?P<score>[\d.,]+) points"
        progress = run_to_end(work(SCORED, score_from=ScoreFrom.PATTERN, score_pattern=pattern, passes=2, pause_s=0.1))
        self.assertEqual([p.score for p in progress.passes], [41.5, 41.5])
        self.assertEqual([p.exit_status for p in progress.passes], [0, 0])
        comma = run_to_end(work(SCORED, score_from=ScoreFrom.PATTERN, score_pattern="tiles: (?P<score>.*) a"))
        self.assertEqual(comma.passes[0].score, 1.5)
        none = run_to_end(work(SCORED, score_from=ScoreFrom.PATTERN, score_pattern="frames (?P<score>.*)"))
        self.assertEqual((none.over, none.passes[0].score), (True, None))

    def test_the_time_of_a_task_is_its_score(self) -> None:
        progress = run_to_end(work(SCORED, score_from=ScoreFrom.TIME))
        self.assertGreaterEqual(progress.passes[0].score or 0.0, 0.3)
        self.assertLess(progress.passes[0].score or 99.0, 10.0)

    def test_a_command_that_fails_is_the_last_pass(self) -> None:
        progress = run_to_end(work(f"{PYTHON} 'raise SystemExit(3)'", passes=3))
        self.assertEqual(progress.failed, "The command ended with exit status 3.")
        self.assertEqual([p.exit_status for p in progress.passes], [3])

    def test_a_command_that_takes_too_long_is_ended(self) -> None:
        started = time.monotonic()
        progress = run_to_end(work(f"{PYTHON} 'import time; time.sleep(60)'", timeout_s=0.5))
        self.assertIn("took too long", progress.failed)
        self.assertLess(time.monotonic() - started, 15.0)

    def test_there_is_no_shell(self) -> None:
        target = self.folder / "made"
        run_to_end(work(f"{sys.executable} -c 'pass' ; touch {target} && $(touch {target})"))
        self.assertFalse(target.exists())

    def test_the_working_folder(self) -> None:
        script = "open('here', 'w').write('x')"
        run_to_end(work(f'{PYTHON} "{script}"', folder=str(self.folder)))
        self.assertTrue((self.folder / "here").exists())

    def test_nothing_outlives_pinch(self) -> None:
        child = (
            "import subprocess,sys,time; p=subprocess.Popen(['sleep','300']); print(p.pid, flush=True); time.sleep(300)"
        )
        marker = self.folder / "pid"
        words = [sys.executable, "-c", f"import sys; sys.stdout=open({str(marker)!r},'w',1)\n{child}"]
        guard = subprocess.Popen(
            [sys.executable, "-m", "pinch.sources.command", "--", *words],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        assert guard.stdin is not None and guard.stdout is not None
        guard.stdin.write("start\n")
        guard.stdin.flush()
        self.assertEqual(guard.stdout.readline(), "begun,1\n")
        wait_until(lambda: marker.exists() and marker.read_text().strip())
        grandchild = int(marker.read_text())
        guard.stdin.close()  # what a killed Pinch leaves behind
        guard.wait(PATIENCE_S)
        guard.stdout.close()
        wait_until(lambda: not _alive(grandchild))

    def test_what_cannot_be_run_is_said_before(self) -> None:
        for workload, words in (
            (work(""), "has no command yet"),
            (work("'unclosed"), "cannot be read"),
            (work("no-such-command-here --x"), "There is no command 'no-such-command-here'"),
            (work(SCORED, folder="/no/such/folder"), "working folder"),
        ):
            with self.subTest(words), self.assertRaisesRegex(PinchError, words):
                recording.command_line(workload)
        for pattern, words in (("(", "cannot be read"), (r"score (\d+)", "names no group")):
            with self.subTest(pattern), self.assertRaisesRegex(PinchError, words):
                work(SCORED, score_pattern=pattern)


class TestRecorded(InFolder):
    def book(self) -> tuple[Book, Device, Setting]:
        book = create_book(self.folder / "a.pinch")
        self.addCleanup(book.close)
        device = add_this_computer(book)
        return book, device, book.settings(device.id or 0)[0]

    def test_a_real_command_is_recorded_with_its_passes(self) -> None:
        book, device, setting = self.book()
        busy = f"""{PYTHON} 'import time; t = time.time() + 1.5\nwhile time.time() < t: pass\nprint("score", 7)'"""
        pattern = r"score (?P<score>\d+)"
        workload = book.save(
            work(busy, score_from=ScoreFrom.PATTERN, score_pattern=pattern, passes=2, warm_up_pass=True)
        )
        agree(book.path, wishes_of(workload))
        recording = begin_recording(book, RunRequest(device, setting, workload, 300.0, 1.0))
        self.assertTrue(recording.wait(PATIENCE_S))
        run = book.runs()[0]
        self.assertEqual((run.status, run.reason), (ExitStatus.COMPLETE, ""))
        self.assertEqual(([p.warm_up for p in run.passes], scores_of(run)), ([True, False, False], [7.0, 7.0]))
        self.assertTrue(all(p.end_s > p.start_s for p in run.passes))

    def test_a_command_that_is_not_there_adds_no_run(self) -> None:
        book, device, setting = self.book()
        workload = book.save(work("no-such-command-here"))
        with self.assertRaises(PinchError):
            begin_recording(book, RunRequest(device, setting, workload, 300.0))
        self.assertEqual(book.runs(), [])


class TestByHand(WindowCase):
    def test_started_and_ended_by_the_operator_with_a_score(self) -> None:
        window, view, book = self.window, self.window.page(RunPage).view, self.session.book
        window.changes.add_computer()
        workload = book.save(Workload(name="Walk", score_unit="points"))
        device = self.session.device
        assert device is not None
        self.session.choose(device.id, book.settings(device.id or 0)[0].id, workload.id, None)
        window.show_page(window.page(RunPage))
        self.assertIn("You start and end the work yourself", view._how.text())
        self.assertFalse(view.length.isVisible())
        view.rest.setValue(1.0)
        view.start.click()
        self.wait_for(lambda: "Under load" in view.headline.text())
        self.assertTrue(view.finish.isVisible())
        with mock.patch.object(QInputDialog, "getText", return_value=("41,5", True)):
            view.finish.click()
            self.wait_for(lambda: "is in the book" in window.notices.words.text())
        run = book.runs()[0]
        self.assertEqual((run.status, scores_of(run)), (ExitStatus.COMPLETE, [41.5]))
        window.show_page(window.page(JudgePage))
        cards = {c.card.caption: c.card.value for c in window.page(JudgePage).view.cards}
        self.assertEqual(cards["Score"], "41.5")


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
        with open(f"/proc/{pid}/stat") as file:
            return file.read().split(")")[1].split()[0] != "Z"
    except (ProcessLookupError, FileNotFoundError):
        return False


class TestSignals(unittest.TestCase):
    def test_the_status_of_a_signal_is_negative(self) -> None:
        progress = run_to_end(work(f"{PYTHON} 'import os, signal; os.kill(os.getpid(), signal.SIGKILL)'"))
        self.assertEqual(progress.passes[0].exit_status, -signal.SIGKILL)
