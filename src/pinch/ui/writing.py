"""Files that leave the window, written off the interface thread."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject

from pinch.bench.planning import PlannedSheet
from pinch.charts.files import write_chart
from pinch.charts.runsheet import SheetChart
from pinch.charts.spec import Chart
from pinch.publish.datapackage import write_run_package
from pinch.publish.runsheet import write_sheet
from pinch.ui import look
from pinch.ui.background import Job
from pinch.ui.judge.state import JudgedRun
from pinch.ui.shell.notices import Notices


class Writing(QObject):
    """One file after the other; what was written, or why not, is said in the notices."""

    def __init__(self, notices: Notices, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._notices = notices
        self.job: Job | None = None

    def chart(self, chart: Chart | SheetChart, path: Path) -> None:
        """A chart as a picture, in the theme of the window."""
        theme = look.theme()
        self._start(lambda: write_chart(chart, path, theme), path)

    def log(self, shown: JudgedRun, folder: Path) -> None:
        """A run's log as a data package."""
        records = (shown.device, shown.setting, shown.workload, shown.run, shown.readings)
        self._start(lambda: write_run_package(shown.log, folder, f"run-{shown.run.id}", *records), folder)

    def sheet(self, planned: PlannedSheet, path: Path) -> None:
        """A run sheet to print, as a table or as a calendar."""
        self._start(lambda: write_sheet(planned, path), path)

    def close(self) -> None:
        """Wait for what is being written."""
        if self.job is not None:
            self.job.cancel()
            self.job.wait()

    def _start(self, work: Callable[[], object], path: Path) -> None:
        def write(_: Callable[[float], bool]) -> Path:
            work()
            return path

        self.job = Job(write, self)
        self.job.finished.connect(self._written)
        self.job.failed.connect(self._notices.error)
        self.job.start()

    def _written(self, path: Path) -> None:
        self._notices.done(f"{path} is written.")
