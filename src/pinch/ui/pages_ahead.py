"""Pages that nobody has visited yet are made in a quiet moment, one at a time: their first visit waits less."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject, QTimer

from pinch.ui.page_protocol import Page

APART_MS = 300


class PagesAhead(QObject):
    """`put` makes a page and sets it on the desk, unseen."""

    def __init__(self, pages: Sequence[Page[Any]], put: Callable[[Page[Any]], None], parent: QObject) -> None:
        super().__init__(parent)
        self._pages, self._put = pages, put
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._make_one)

    def begin(self) -> None:
        """Make them from now on."""
        self._timer.start(APART_MS)

    def end(self) -> None:
        """Make no more: each is made at its first visit."""
        self._timer.stop()

    def _make_one(self) -> None:
        page = next((page for page in self._pages if not page.is_made), None)
        if page is None:
            self.end()
        else:
            self._put(page)
