"""What first visits to pages wait for, done ahead in quiet moments, one page at a time."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QApplication

from pinch.ui.background import Job
from pinch.ui.page_protocol import Page

APART_MS = 500


class PagesAhead(QObject):
    """`prepare` makes a page, unseen. A moment is quiet where nothing is worked out for the window, and the pointer and
    the focus are where they were before it."""

    def __init__(self, pages: Sequence[Page[Any]], prepare: Callable[[Page[Any]], None], parent: QObject) -> None:
        super().__init__(parent)
        self._left, self._prepare, self._window = list(pages), prepare, parent
        self._before: object = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._prepare_one)

    def begin(self) -> None:
        """Go through the pages from now on."""
        if self._left:
            self._timer.start(APART_MS)

    def put_off(self) -> None:
        """Somebody is at work just now."""
        if self._timer.isActive():
            self.begin()

    def end(self) -> None:
        """Leave the rest to the first visits."""
        self._timer.stop()

    def _is_quiet(self) -> bool:
        now, before = (QCursor.pos(), QApplication.focusWidget()), self._before
        self._before = now
        return now == before and not any(job.running for job in self._window.findChildren(Job))

    def _prepare_one(self) -> None:
        if not self._is_quiet():
            return
        self._prepare(self._left.pop(0))
        if not self._left:
            self.end()
