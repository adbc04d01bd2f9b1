"""Logs that come into the book from the window: read in the background, asked about once, added as one change."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from pinch.core.errors import PinchError
from pinch.sources.logs.mapping import Mapping as ColumnMapping
from pinch.sources.logs.memory import remember
from pinch.sources.logs.read import ReadLog, read_log_file
from pinch.ui.background import Job
from pinch.ui.dialogs import LogDialog

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow


@dataclass(frozen=True)
class Batch:
    """Logs that could be read, by their file, and a sentence for each that could not."""

    read: Mapping[Path, ReadLog]
    refused: tuple[str, ...]


def read_all(paths: Sequence[Path], progress: Callable[[float], bool]) -> Batch:
    """Read logs; where `progress` answers False the rest is left."""
    read: dict[Path, ReadLog] = {}
    refused = []
    for number, path in enumerate(paths):
        if not progress(number / len(paths)):
            break
        try:
            read[path] = read_log_file(path)
        except PinchError as error:
            refused.append(str(error))
    return Batch(read, tuple(refused))


def read_again(batch: Batch, answers: Mapping[str, ColumnMapping], progress: Callable[[float], bool]) -> Batch:
    """The same logs, those with an answered header as they are meant."""
    read: dict[Path, ReadLog] = {}
    for number, (path, found) in enumerate(batch.read.items()):
        if not progress(number / len(batch.read)):
            break
        read[path] = read_log_file(path, answers[found.fingerprint]) if found.fingerprint in answers else found
    return Batch(read, batch.refused)


class LogImport(QObject):
    """One batch at a time; closing the notice of its progress ends it, and nothing is added."""

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self._window = window
        self.job: Job | None = None
        window.notices.closed.connect(self.cancel)

    def begin(self, paths: Sequence[Path]) -> None:
        """Read logs, then ask where they belong and what cannot be known, then add them."""
        self._start(lambda progress: read_all(paths, progress), self._ask, len(paths))

    def cancel(self) -> None:
        """Let go of what is being read."""
        if self.job is not None:
            self.job.cancel()
            self.job = None

    def _start(
        self, work: Callable[[Callable[[float], bool]], Batch], then: Callable[[Batch], None], count: int
    ) -> None:
        self.cancel()
        self.job = Job(work, self)
        words = "Reading a log …" if count == 1 else "Reading {} of {} logs …"
        self.job.progressed.connect(
            lambda share: self._window.notices.done(words.format(min(count, round(share * count) + 1), count))
        )
        self.job.finished.connect(lambda batch: self._window.safely(lambda: self._then(batch, then)))
        self.job.failed.connect(self._window.notices.error)
        self.job.start()

    def _then(self, batch: Batch, then: Callable[[Batch], None]) -> None:
        self.job = None
        self._window.notices.hide()
        then(batch)

    def _ask(self, batch: Batch) -> None:
        if not batch.read:
            raise PinchError(" ".join(batch.refused) or "Nothing was read.")
        book = self._window.session.book
        dialog = LogDialog(batch.read, book.devices(), book.workloads(), self._window)
        if not dialog.exec():
            return
        answers = dialog.mappings
        for key, mapping in answers.items():
            remember(key, mapping)
        if answers:
            work = lambda progress: read_again(batch, answers, progress)  # noqa: E731
            self._start(work, lambda again: self._add(again, dialog), len(batch.read))
        else:
            self._add(batch, dialog)

    def _add(self, batch: Batch, dialog: LogDialog) -> None:
        device, workload = dialog.device.currentText(), dialog.workload.currentText()
        self._window.changes.import_logs(batch.read, device, dialog.setting.text(), dialog.claimed_w, workload)
        if batch.refused:
            count = len(batch.read)
            added = "1 log is a run now" if count == 1 else f"{count} logs are runs now"
            self._window.notices.error(f"{added}; left out: {' '.join(batch.refused)}")
        elif len(batch.read) > 1:
            self._window.notices.done(f"{len(batch.read)} logs are runs now; Ctrl+Z takes them back.")
