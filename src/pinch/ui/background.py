"""Slow work off the interface thread: progress, cancelling, and the result back on the interface thread."""

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.core.errors import PinchError


class Job(QObject):
    """One piece of work in a thread. `work` gets a function that takes the share done and answers whether to go on."""

    progressed = pyqtSignal(float)
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, work: Callable[[Callable[[float], bool]], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work = work
        self._cancelled = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def cancel(self) -> None:
        """Ask it to end; its result, if any, is not delivered."""
        self._cancelled.set()

    def wait(self, timeout_s: float | None = None) -> None:
        """Wait for the thread, for tests and for closing."""
        self._thread.join(timeout_s)

    def _run(self) -> None:
        try:
            result = self._work(self._go_on)
        except PinchError as error:
            if not self._cancelled.is_set():
                self.failed.emit(str(error))
            return
        if not self._cancelled.is_set():
            self.finished.emit(result)

    def _go_on(self, share: float) -> bool:
        if not self._cancelled.is_set():
            self.progressed.emit(share)
        return not self._cancelled.is_set()
