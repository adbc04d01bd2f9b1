"""Slow work off the interface thread: progress, cancelling, and the result back on the interface thread."""

import contextlib
import logging
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pinch.core.errors import PinchError
from pinch.core.faults import fault_of

log = logging.getLogger(__name__)
_JOB = "job: "
"""How the name of its thread begins."""
LONGEST_PAINT_S = 2.0
"""Work begins then at the latest."""
Work = Callable[[Callable[[float], bool]], Any]


def at_work() -> bool:
    """Whether any job is under way, also one that nobody wants any more."""
    return any(thread.name.startswith(_JOB) for thread in threading.enumerate())


class Job(QObject):
    """One piece of work in a thread. `work` gets a function that takes the share done and answers whether to go on.
    `doing` names it where it goes wrong in a way that nobody foresaw: it is logged, and `failed` says so."""

    progressed = pyqtSignal(float)
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)
    _ended = pyqtSignal(object, str)

    def __init__(self, doing: str, work: Work, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._doing, self._work = doing, work
        self._cancelled, self._painted = threading.Event(), threading.Event()
        self._ended.connect(self._deliver)
        self._thread = threading.Thread(target=self._run, name=f"{_JOB}{doing}", daemon=True)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._painted.set)

    def start(self) -> None:
        """Begin, once the window has shown that it does: the thread would take turns from what is drawn."""
        self._thread.start()
        self._soon.start(0)

    def cancel(self) -> None:
        """Ask it to end; its result, if any, is not delivered."""
        self._cancelled.set()
        self._painted.set()

    @property
    def running(self) -> bool:
        """Whether its thread is still at work, also where nobody wants the result any more."""
        return self._thread.is_alive()

    def wait(self, timeout_s: float | None = None) -> None:
        """Wait for the thread, for tests and for closing."""
        self._painted.set()
        self._thread.join(timeout_s)

    def _run(self) -> None:
        self._painted.wait(LONGEST_PAINT_S)
        if self._cancelled.is_set():
            return
        try:
            result = self._work(self._go_on)
        except PinchError as error:
            self._hand_over(None, str(error))
        except Exception as error:
            self._hand_over(None, fault_of(error, self._doing).sentence)
            log.error(self._doing, exc_info=error)  # said last: who reads of it can begin anew
        else:
            self._hand_over(result, "")

    def _hand_over(self, result: object, reason: str) -> None:
        """To the interface thread, where the job is still there; a window that closed meanwhile wants nothing more."""
        if not self._cancelled.is_set():
            with contextlib.suppress(RuntimeError):
                self._ended.emit(result, reason)

    def _deliver(self, result: object, reason: str) -> None:
        """On the interface thread: a job that was cancelled while its result was on the way says nothing."""
        if self._cancelled.is_set():
            return
        if reason:
            self.failed.emit(reason)
        else:
            self.finished.emit(result)

    def _go_on(self, share: float) -> bool:
        if not self._cancelled.is_set():
            with contextlib.suppress(RuntimeError):
                self.progressed.emit(share)
        return not self._cancelled.is_set()
