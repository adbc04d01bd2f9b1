"""What first visits to pages wait for, done ahead in quiet moments, one piece at a time."""

from collections import deque
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QApplication

from pinch.ui.background import at_work

APART_MS = 500


class PagesAhead(QObject):
    """Does the pieces in their order. A moment is quiet where nothing is worked out for a window, and the pointer and
    the focus are where they were before it."""

    def __init__(self, pieces: Iterable[Callable[[], object]], parent: QObject) -> None:
        super().__init__(parent)
        self._left = deque(pieces)
        self._before: object = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._go_on)

    def begin(self) -> None:
        """Go through them from now on."""
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
        return now == before and not at_work()

    def _go_on(self) -> None:
        if not self._is_quiet():
            return
        self._left.popleft()()
        if not self._left:
            self.end()
