"""What the tests of the window share: one application, a session on a book of its own, and waiting without sleeping."""

import contextlib
import fcntl
import os
import tempfile
import unittest
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from unittest import mock

import scipy.optimize  # noqa: F401 - without it the first run of a process is judged beside
from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication

from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.core.faults import Fault
from pinch.rig.demo import make_demo_book
from pinch.runs.whole_book import digest_book
from pinch.ui.app import make_application
from pinch.ui.run.page import RunPage
from pinch.ui.session import Session
from pinch.ui.window import MainWindow
from tests.waiting import wait_until


@lru_cache(maxsize=1)
def demo_book() -> Path:
    """The demo book, made once for all tests of all processes."""
    folder = Path(os.environ.get("PINCH_TESTS") or tempfile.mkdtemp(prefix="pinch-demo-"))
    path = folder / "cabin-test.pinch"
    with (folder / "demo-lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)  # whoever comes second waits for the first
        if not path.exists():
            make_demo_book(path)
            digest_book(path)  # once for all copies
    return path


class WindowCase(unittest.TestCase):
    """A window on an empty book, or on a copy of the demo book."""

    demo = False
    expects_faults = False
    """Whether mistakes of the program are what a test is about; else one fails it at once."""

    def setUp(self) -> None:
        self.app: QApplication = make_application()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.session = Session(self.make_book())
        self.window = MainWindow(self.session)
        self.faults: list[Fault] = []
        self.window.faults.happened.connect(self.faults.append)
        going = mock.patch.object(
            self.window.page(RunPage), "go_on", return_value=True
        )  # the machine of a test is busy
        self.go_on = going.start()
        self.addCleanup(going.stop)
        self.addCleanup(self.close)
        self.window.show()
        self.app.processEvents()

    def make_book(self) -> Book:
        path = self.folder / "book.pinch"
        if not self.demo:
            return create_book(path)
        with contextlib.closing(open_book(demo_book())) as original:
            original.copy_to(path)
        return open_book(path)

    def close(self) -> None:
        self.window.close()
        self.session.close()
        self.window.deleteLater()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)

    def wait_for(self, condition: Callable[[], object]) -> None:
        """Let the window work until a condition holds; fails where it does not come."""

        def come() -> object:
            if self.faults and not self.expects_faults:
                raise AssertionError("\n".join(fault.details("") for fault in self.faults))
            return condition()

        wait_until(come, self.app.processEvents)

    def wait_for_change(self) -> None:
        """Let the window work until no thread changes the book any more."""
        self.wait_for(lambda: not self.session.under_way)

    def choose(self, device: str, setting: str | None, workload: str, run: int | None = 0) -> None:
        """Choose a subject by names; `run` counts among the runs of the cell."""
        book = self.session.book
        d = next(d for d in book.devices() if d.name == device)
        s = next((s.id for s in book.settings(d.id or 0) if s.name == setting), None)
        w = next(w for w in book.workloads() if w.name == workload)
        runs = [r.id for r in book.runs(d.id, w.id) if s is None or r.setting_id == s]
        self.session.choose(d.id, s, w.id, runs[run] if run is not None and runs else None)
        self.app.processEvents()
