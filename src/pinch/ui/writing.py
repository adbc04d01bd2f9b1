"""Files that leave the window, written off the interface thread."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject

from pinch.analysis.results import results_of
from pinch.bench.cards import Private
from pinch.bench.opening import open_book
from pinch.bench.planning import PlannedSheet
from pinch.charts.chart_files import write_chart, write_face
from pinch.charts.face import Drawn, Face
from pinch.charts.theme import Theme
from pinch.intake.book_folder import read_book_folder
from pinch.language import tr
from pinch.narrative.book_tables import book_tables, results_table
from pinch.narrative.tabled_runs import all_tabled
from pinch.publish.datapackage import about_run, write_parquet, write_run_package
from pinch.publish.open_files import write_book_folder
from pinch.publish.printed_sheet import write_sheet
from pinch.publish.table_files import write_tables
from pinch.runs.whole_book import read_points
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

    def chart(self, chart: Drawn, path: Path) -> None:
        """A chart as a picture, in the theme of the window."""
        theme = look.theme()
        self._start(lambda: write_chart(chart, path, theme), path)

    def face(self, face: Face, path: Path, theme: Theme, size: tuple[int, int]) -> None:
        """A card as a picture."""
        self._start(lambda: write_face(face, path, theme, size), path)

    def log(self, shown: JudgedRun, folder: Path, allowed: tuple[Private, ...]) -> None:
        """A run's log as a data package, with what of the private may leave."""
        records = (shown.device, shown.setting, shown.workload, shown.run, shown.readings)
        name = f"run-{shown.run.id}"
        self._start(lambda: write_run_package(shown.log, folder, name, *records, allowed=allowed), folder)

    def parquet(self, shown: JudgedRun, path: Path, licence: str) -> None:
        """A run's log as Parquet, under the licence of the report."""
        about = about_run(shown.device, shown.setting, shown.workload, shown.run, licence)
        self._start(lambda: write_parquet(shown.log, path, about), path)

    def tables(self, source: Path, path: Path) -> None:
        """Runs, figures and readings of a book, with a connection of its own."""

        def work(progress: Callable[[float], bool]) -> Path:
            book = open_book(source)
            try:
                runs = all_tabled(book, progress)
            finally:
                book.close()
            results = results_table(results_of(read_points(source)))
            return write_tables((*book_tables(runs), results), path)[0]

        self._begin(work, self._written)

    def sheet(self, planned: PlannedSheet, path: Path) -> None:
        """A run sheet to print, as a table or as a calendar."""
        self._start(lambda: write_sheet(planned, path), path)

    def book(self, source: Path, folder: Path) -> None:
        """The whole book as open files, with a connection of its own."""

        def work(progress: Callable[[float], bool]) -> Path:
            book = open_book(source)
            try:
                write_book_folder(book, folder, progress)
            finally:
                book.close()
            return folder

        self._begin(work, self._written)

    def book_from(self, folder: Path, target: Path, then: Callable[[Path], None]) -> None:
        """A new book of a folder of open files, which is then opened."""

        def work(_: Callable[[float], bool]) -> Path:
            read_book_folder(folder, target)
            return target

        self._begin(work, then)

    def close(self) -> None:
        """Wait for what is being written."""
        if self.job is not None:
            self.job.cancel()
            self.job.wait()

    def _start(self, work: Callable[[], object], path: Path) -> None:
        def write(_: Callable[[float], bool]) -> Path:
            work()
            return path

        self._begin(write, self._written)

    def _begin(self, work: Callable[[Callable[[float], bool]], Path], then: Callable[[Path], None]) -> None:
        self.job = Job(tr("Writing"), work, self)
        self.job.progressed.connect(lambda share: self._notices.done(tr("Writing, {share:.0f} % …", share=100 * share)))
        self.job.finished.connect(then)
        self.job.failed.connect(self._notices.error)
        self.job.start()

    def _written(self, path: Path) -> None:
        self._notices.done(tr("{path} is written.", path=path))
