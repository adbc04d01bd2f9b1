"""A folder of logs that is watched while testing goes on: what says where it belongs comes into the book by itself."""

import time
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from pinch.core.printing import counted
from pinch.core.progress import Progress
from pinch.intake.arrivals import Batch, arrivals_of, read_batch
from pinch.intake.filing import NamePattern
from pinch.intake.watched_folder import WatchedFolder
from pinch.language import tr
from pinch.ui.background import Job
from pinch.ui.logs.control import LogImport
from pinch.ui.page_protocol import Shell

LOOK_MS = 2000


class WatchControl(QObject):
    """At most one folder. `waiting` are the logs that could not be placed or understood without an answer."""

    def __init__(self, shell: Shell, importing: LogImport) -> None:
        super().__init__(shell.dialog_parent)
        self._shell, self._importing = shell, importing
        self._watched: WatchedFolder | None = None
        self._pattern = NamePattern("")
        self.waiting: list[Path] = []
        self.job: Job | None = None
        self._clock = QTimer(self)
        self._clock.setInterval(LOOK_MS)
        self._clock.timeout.connect(lambda: self.look(time.monotonic()))

    @property
    def folder(self) -> Path | None:
        """The folder that is watched."""
        return self._watched.folder if self._watched else None

    def begin(self, folder: Path, pattern: NamePattern) -> None:
        """Watch this folder from now on; `pattern` says how its files are named.

        Raises
        ------
        DataError : there is no such folder.
        """
        self._watched, self._pattern = WatchedFolder(folder), pattern
        self._clock.start()
        self._shell.footer.show_watched(folder.name)
        self._shell.notices.done(
            tr("Logs that come into {folder} become runs. Those that are there already stay out.", folder=folder)
        )

    def end(self) -> None:
        """Watch nothing any more."""
        self._clock.stop()
        if self.job is not None:
            self.job.cancel()
        self._watched, self.job = None, None
        self._shell.footer.show_watched("")

    def look(self, now_s: float) -> None:
        """Take what has come, unless the last is still being read."""
        watched = self._watched
        if watched is None or self.job is not None or self._shell.session.under_way:
            return

        def work(progress: Progress) -> Batch | None:
            paths = watched.look(now_s)
            return read_batch(paths, None, progress) if paths else None

        self.job = Job(tr("Looking into the watched folder"), work, self)
        self.job.finished.connect(lambda batch: self._shell.safely(lambda: self._take(batch)))
        self.job.failed.connect(self._failed)
        self.job.start()

    def ask(self) -> None:
        """Ask about the logs that wait."""
        if self.waiting:
            paths, self.waiting = self.waiting, []
            self._importing.begin(paths)

    def _take(self, batch: Batch | None) -> None:
        self.job = None
        if batch is None:
            return
        arrivals = arrivals_of(batch.read, self._shell.session.book, self._pattern)
        busy = bool(self._shell.session.under_way)
        placed = [a for a in arrivals if not (a.open or busy)]
        self.waiting += [path for a in arrivals if a.open or busy for path in a.files]
        if placed:
            self._importing.add(placed, batch.refused, choose=False, after=self._say_waiting)
            return
        if batch.refused:
            self._shell.notices.error(" ".join(batch.refused))
        self._say_waiting()

    def _say_waiting(self) -> None:
        if self.waiting:
            logs = counted(len(self.waiting), "log waits", "logs wait")
            self._shell.notices.done(tr("{logs} for an answer: Add, Logs that wait (Ctrl+Alt+W).", logs=logs))

    def _failed(self, reason: str) -> None:
        self.end()
        self._shell.notices.error(tr("The folder is not watched any more. {reason}", reason=reason))
