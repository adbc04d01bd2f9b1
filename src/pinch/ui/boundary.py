"""The boundary of errors: whatever unexpected ends a job, a thread or a slot is logged, and the window says so once."""

import contextlib
import logging
import sys
import threading
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.core.faults import Fault, fault_of
from pinch.language import tr
from pinch.runs.log_file import LOGGER

log = logging.getLogger(__name__)
SLOT, THREAD = tr("What was asked for"), tr("Work in the background")
"""What is said where nobody knows more."""


class FaultWatch(QObject):
    """`happened` gives a `Fault`, on the interface thread, for every exception that a logger of Pinch was handed."""

    happened = pyqtSignal(Fault)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._handler = _Teller(self)
        logging.getLogger(LOGGER).addHandler(self._handler)

    def close(self) -> None:
        """Hear no more."""
        logging.getLogger(LOGGER).removeHandler(self._handler)


class _Teller(logging.Handler):
    """Hands exceptions over to the interface thread."""

    def __init__(self, watch: FaultWatch) -> None:
        super().__init__(logging.ERROR)
        self._watch = watch

    def emit(self, record: logging.LogRecord) -> None:
        if record.exc_info and record.exc_info[1] is not None:
            fault = fault_of(record.exc_info[1], record.getMessage())
            with contextlib.suppress(RuntimeError):  # a window that has gone hears nothing more
                self._watch.happened.emit(fault)


def catch_everything() -> None:
    """From now on an exception that nobody caught, in a slot or a thread, is logged and the program goes on."""

    def in_slot(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
        else:
            log.error(SLOT, exc_info=(kind, error, trace))

    def in_thread(args: threading.ExceptHookArgs) -> None:
        if args.exc_value is not None:
            log.error(THREAD, exc_info=(args.exc_type, args.exc_value, args.exc_traceback))

    sys.excepthook = in_slot
    threading.excepthook = in_thread
