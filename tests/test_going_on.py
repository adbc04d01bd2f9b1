"""Imports that are ended, and go on where they were ended: by the command and in the window."""

import os
import signal
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

from pinch.bench.opening import open_book
from pinch.intake import arrivals, spool
from pinch.intake.arrivals import add_arrivals, arrivals_of, read_batch
from pinch.intake.filing import NamePattern
from pinch.intake.read_before import ReadBefore
from pinch.ui.logs.actions import LogActions
from tests.in_folder import CommandCase, InFolder
from tests.window_case import WindowCase

MANY = 6
NAMES = "{device}_{setting}_{workload}_{repeat}"


def write_logs(folder: Path) -> list[Path]:
    paths = [folder / f"Limpet_35 W_Tile_{n + 1}.csv" for n in range(MANY)]
    for n, path in enumerate(paths):
        path.write_text("Time [s],CPU Power [W]\n" + "".join(f"{i},{30 + n}.{i % 10}\n" for i in range(40)))
    return paths


def counting(work: Callable[..., Any], end_at: int = 0) -> mock.Mock:
    """Work that counts, and presses Ctrl+C as its call of that number begins."""

    def call(*words: Any) -> Any:
        if end_at and counted.call_count == end_at:
            signal.raise_signal(signal.SIGINT)
        return work(*words)

    counted = mock.Mock(side_effect=call)
    return counted


class TestCommand(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")}))
        self.logs = self.folder / "logs"
        self.logs.mkdir()
        self.paths = write_logs(self.logs)
        self.book = self.folder / "a.pinch"

    def go(self, read_to: int = 0, add_to: int = 0) -> tuple[int, str, int]:
        """Status, what was said of an error, and how many files were read."""
        read, add = counting(arrivals.read_log_file, read_to), counting(arrivals.import_log, add_to)
        before = signal.getsignal(signal.SIGINT)
        with mock.patch.object(arrivals, "read_log_file", read), mock.patch.object(arrivals, "import_log", add):
            status, _, err = self.run_command("import", self.logs, "--book", self.book, "--names", NAMES)
        self.assertIs(signal.getsignal(signal.SIGINT), before)
        return status, err, read.call_count

    def sources(self) -> list[str]:
        book = open_book(self.book)
        self.addCleanup(book.close)
        return sorted(run.source for run in book.runs())

    def test_what_was_read_and_added_is_not_done_again(self) -> None:
        status, err, read = self.go(read_to=3)
        self.assertEqual((status, read, err.count("\n"), self.book.exists()), (130, 3, 1, False))
        self.assertIn("nothing is in the book yet", err)
        status, err, read = self.go(add_to=2)
        self.assertEqual((status, read), (130, MANY - 2), "the third was not read to its end")
        self.assertIn("Ended: 2 of 6 logs are done and stay in the book", err)
        self.assertEqual(len(self.sources()), 2)
        status, err, read = self.go()
        self.assertEqual((status, read, self.sources()), (0, 0, [path.name for path in self.paths]))
        self.assertEqual(self.go()[2], MANY, "what an import has ended with is not kept")

    def test_a_log_that_changed_meanwhile_is_read_again(self) -> None:
        self.go(read_to=4)
        self.paths[0].write_text(self.paths[0].read_text() + "40,99\n")
        self.assertEqual(self.go()[2], MANY - 3 + 1)

    def test_a_log_that_is_still_written_is_read_again(self) -> None:
        read = arrivals.read_log_file

        def growing(path: Path, *words: Any) -> Any:
            found = read(path, *words)
            with path.open("a") as file:
                file.write("40,99\n")
            return found

        with mock.patch.object(arrivals, "read_log_file", growing):
            self.go(read_to=4)
        self.assertEqual(self.go()[2], MANY)

    def test_a_broken_memory_is_none(self) -> None:
        self.go(read_to=4)
        kept = next((self.folder / "cache").rglob("*.pickle"))
        kept.write_bytes(kept.read_bytes()[:-30])
        before = ReadBefore(None)
        self.assertEqual(([before.get(before.key(path)) for path in self.paths], kept.exists()), ([None] * MANY, False))


class TestSpool(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")}))
        self.enterContext(mock.patch.object(spool, "IN_MEMORY", 2000))
        self.paths = write_logs(self.folder)

    def read(self) -> None:
        """Read the logs and compare them with what was written, also as they are kept for the next time."""
        with mock.patch.object(spool, "SEGMENT", 1000):
            batch = read_batch(self.paths)
        assert batch.before is not None
        batch.before.keep()
        kept = ReadBefore(None)
        for known in (batch.before, kept):
            for n, path in enumerate(self.paths):
                found = known.get(known.key(path))
                assert found is not None
                power = found.log.series["cpu.power"]
                self.assertEqual(power.t.tolist(), list(range(40)))
                self.assertEqual(power.values.tolist(), [float(f"{30 + n}.{i % 10}") for i in range(40)])

    def test_samples_on_the_disk_are_the_same_and_leave_no_file(self) -> None:
        with mock.patch.object(os, "pwrite", wraps=os.pwrite) as written:
            self.read()
        self.assertEqual(sum(len(call.args[1]) * 8 for call in written.call_args_list), 640 * (MANY - 3))
        self.assertEqual([p for p in (self.folder / "cache").rglob("*") if p.is_file()], [])

    def test_a_full_disk_leaves_them_in_memory(self) -> None:
        for fault in (mock.Mock(side_effect=OSError("no space")), mock.Mock(return_value=8)):
            with mock.patch.object(os, "pwrite", fault):
                self.read()
            fault.assert_called()


class TestWindow(WindowCase):
    def test_the_rest_is_added_later_and_each_part_taken_back(self) -> None:
        window, importing = self.window, self.window.part(LogActions).importing
        window.safely(importing.go_on)
        self.assertIn("No import was ended", window.notices.words.text())
        there = arrivals_of(read_batch(write_logs(self.folder)).read, self.session.book, NamePattern(NAMES))

        def ends(book: Any, wanted: Any, said: Any, progress: Any) -> Any:
            return add_arrivals(book, wanted, said, lambda share: share < 0.5)

        with mock.patch("pinch.ui.logs.control.add_arrivals", ends):
            importing.add(there, ())
            self.wait_for_change()
        self.assertEqual(len(self.session.book.runs()), 3)
        self.assertIn("3 logs are left: Add, Go on with the logs that were left", window.notices.words.text())
        window.safely(importing.go_on)
        self.wait_for_change()
        self.assertEqual([run.repeat for run in self.session.book.runs()], [1, 2, 3, 4, 5, 6])
        window.undo()
        self.assertEqual(len(self.session.book.runs()), 3)
        window.undo()
        self.assertEqual(self.session.book.runs(), [])
        window.safely(importing.go_on)
        self.assertIn("No import was ended", window.notices.words.text())
