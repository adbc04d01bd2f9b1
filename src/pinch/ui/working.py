"""Work of a page in the background: the newest wish counts, and what is there already is not worked out again."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.language import tr
from pinch.ui.background import Job


class Working(QObject):
    """`progressed` gives the share done, `finished` what came out, `failed` a sentence."""

    doing = tr("Working it out")
    """What it does, where that goes wrong."""
    progressed = pyqtSignal(float)
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self._done_for: tuple[object, object] | None = None
        self._last: Any = None

    def cancel(self) -> None:
        """Let go of what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self._done_for = None

    def is_done_for(self, source: object, wish: object) -> bool:
        """Whether this wish, of this very source, was worked out or is on its way."""
        return self._done_for is not None and self._done_for[0] is source and self._done_for[1] == wish

    def begin(self, source: object, wish: object, work: Callable[[Callable[[float], bool]], object]) -> None:
        """Work out a wish, and nothing else any more."""
        self.cancel()
        self._done_for, self._last = (source, wish), None
        self._job = Job(self.doing, work, self)
        self._job.progressed.connect(self.progressed)
        self._job.finished.connect(self._finish)
        self._job.failed.connect(self._fail)
        self._job.start()

    def done(self, source: object, wish: object, result: object) -> None:
        """A wish that was fulfilled at once, in place of whatever is under way."""
        self.cancel()
        self._done_for, self._last = (source, wish), result

    def _finish(self, result: object) -> None:
        self._last = result
        self.finished.emit(result)

    def _fail(self, reason: str) -> None:
        self._done_for = None
        self.failed.emit(reason)
