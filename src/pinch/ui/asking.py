"""What the window asks the operator before it does something: files, names, reasons."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox

from pinch.analysis.comparing import Unfair
from pinch.bench.entry import read_quantity
from pinch.bench.plans import Outcome
from pinch.bench.presets import Intent
from pinch.bench.records import Run, Setting, Workload, live
from pinch.charts.spec import minutes
from pinch.core.errors import PinchError
from pinch.intake.filing import NamePattern
from pinch.publish.bookfolder import is_book_folder
from pinch.recorder.preflight import Check
from pinch.sources.sheets import is_spreadsheet, read_sheet, sheet_of_text
from pinch.ui.dialogs import LadderDialog
from pinch.ui.judge.state import JudgedRun
from pinch.ui.plan.control import present
from pinch.ui.plan.plan_dialogs import NewPlanDialog, SessionsDialog
from pinch.ui.shell.pages import PUBLISH

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

BOOKS = "Books of Pinch (*.pinch)"


class Asking:
    """One method for each action that needs an answer first; no answer means that nothing is done."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window

    def new_book(self) -> None:
        """A new, empty book."""
        path = self._save_name("New book", "", BOOKS)
        if path:
            self._window.session.create(_with_ending(path))

    def open_book(self) -> None:
        """Another book."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open book", "", BOOKS)
        if name:
            self._window.session.open(Path(name))

    def copy_book(self) -> None:
        """A copy of this book."""
        path = self._save_name("Save a copy of the book", "", BOOKS)
        if path:
            self._window.session.book.copy_to(_with_ending(path))
            self._window.notices.done(f"{_with_ending(path)} is written.")

    def write_book(self) -> None:
        """The whole book as a folder of open files."""
        name = QFileDialog.getExistingDirectory(self._window, "Empty folder for the book as open files")
        if name:
            self._window.writing.book(self._window.session.book.path, Path(name))

    def book_from_files(self) -> None:
        """A new book of a folder of open files."""
        name = QFileDialog.getExistingDirectory(self._window, "Folder with book.json")
        if name:
            self.book_from_files_in(Path(name))

    def book_from_files_in(self, folder: Path) -> None:
        """A new book of the open files in this folder.

        Raises
        ------
        PinchError : it holds no book.
        """
        if not is_book_folder(folder):
            raise PinchError(f"{folder}: there is no book.json in this folder.")
        path = self._save_name("New book of these files", "", BOOKS)
        if path:
            opened = partial(self._window.safely, partial(self._window.session.open, _with_ending(path)))
            self._window.writing.book_from(folder, _with_ending(path), lambda _: opened())

    def write_chart(self) -> None:
        """The chart as a picture; on the Publish page the chosen card."""
        if self._window.page == PUBLISH:
            self._window.publish_desk.write_card()
            return
        self._window.chart_shown()
        path = self._save_name("Write the chart", "chart.png", "Pictures (*.png *.svg *.pdf)")
        if path:
            self._window.writing.chart(self._window.chart_shown(), path)

    def write_parquet(self) -> None:
        """The log as Parquet."""
        shown = self._run_shown()
        path = self._save_name("Write the log as Parquet", f"run-{shown.run.id}.parquet", "Parquet (*.parquet)")
        if path:
            self._window.writing.parquet(shown, path)

    def write_log(self) -> None:
        """The log as a data package."""
        shown = self._run_shown()
        name = QFileDialog.getExistingDirectory(self._window, "Folder for the log and datapackage.json")
        if name:
            self._window.writing.log(shown, Path(name))

    def make_ladder(self) -> None:
        """Settings of the chosen device with limits in even steps."""
        device = self._window.session.device
        if device is None:
            raise PinchError("Choose a device first; a setting belongs to one.")
        dialog = LadderDialog(device, self._window)
        if dialog.exec():
            self._window.show_bench(Setting)
            made = self._window.benching.make_ladder(*dialog.limits())
            self._window.notices.done(f"{made} new settings of {device.name}.")

    def copy_settings(self) -> None:
        """All settings of another device become settings of the chosen one."""
        device, book = self._window.session.device, self._window.session.book
        others = {d.name: d for d in live(book.devices()) if device is not None and d.id != device.id}
        if device is None or not others:
            raise PinchError("Choose a device first, and have another to copy from.")
        name, given = QInputDialog.getItem(
            self._window,
            "Copy settings",
            f"All settings become settings of {device.name}, from",
            list(others),
            0,
            False,
        )
        if given:
            self._window.show_bench(Setting)
            copied = self._window.benching.copy_settings(others[name])
            self._window.notices.done(f"{copied} settings of {name} are settings of {device.name}.")

    def new_plan(self) -> None:
        """A plan from what it is to find out."""
        session = self._window.session
        book = session.book
        devices, workloads, protocols = live(book.devices()), live(book.workloads()), live(book.protocols())
        if not devices or not workloads:
            raise PinchError("A plan needs a device and a workload; enter them on the Bench page first.")
        dialog = NewPlanDialog(devices, workloads, protocols, session.device, self._window)
        if dialog.exec():
            intent = dialog.intent.currentData()
            chosen = [dialog.device.currentData()]
            if intent is Intent.PAIR and dialog.other.currentData() != chosen[0]:
                chosen.append(dialog.other.currentData())
            self._window.planning.new(
                intent,
                dialog.plan_name,
                chosen,
                dialog.workload_ids,
                dialog.repeats.value(),
                dialog.protocol.currentData(),
            )
            self._window.show_plan(intent is Intent.EMPTY)

    def sessions(self) -> None:
        """When there is time for the plan."""
        plan = self._window.planning.plan
        if plan is None:
            raise PinchError("There is no plan yet; make one first.")
        dialog = SessionsDialog(plan.sessions, present(), self._window)
        if dialog.exec():
            self._window.planning.set_sessions(dialog.sessions)

    def write_sheet(self) -> None:
        """The run sheet to print, as a table or as a calendar."""
        sheet = self._window.planning.sheet
        if sheet is None:
            raise PinchError("There is no run sheet yet; make a plan first.")
        kinds = "Run sheets (*.pdf *.html *.csv *.ics)"
        path = self._save_name("Write the run sheet", "run-sheet.pdf", kinds)
        if path:
            self._window.writing.sheet(sheet, path)

    def write_records(self) -> None:
        """Devices, settings, workloads, protocols and plans as JSON."""
        from pinch.bench.exchange import exchange_of, write_exchange

        path = self._save_name("Write the records", "bench.json", "Records of Pinch (*.json)")
        if path:
            write_exchange(exchange_of(self._window.session.book), path)
            self._window.notices.done(f"{path} is written.")

    def add_records(self) -> None:
        """Records from a JSON file; nothing is added where something in it is wrong."""
        from pinch.bench.exchange import add_exchange, read_exchange

        name, _ = QFileDialog.getOpenFileName(self._window, "Add records", "", "Records of Pinch (*.json)")
        if name:
            exchange, session = read_exchange(Path(name)), self._window.session
            session.change(f"add records of {Path(name).name}", lambda: add_exchange(session.book, exchange))
            self._window.notices.done(f"The records of {Path(name).name} are in the book.")

    def reason(self, outcome: Outcome) -> str | None:
        """Why a run of the plan is void or skipped; None where the operator thought better of it."""
        reason, given = QInputDialog.getText(self._window, f"This run is {outcome}", "Why?")
        return reason.strip() if given else None

    def import_log(self) -> None:
        """Logs as runs; what is wrong with them is said before anything is asked."""
        kinds = "Logs (*.csv *.tsv *.txt *.log *.dat *.zip);;All files (*)"
        names, _ = QFileDialog.getOpenFileNames(self._window, "Add logs as runs", "", kinds)
        if names:
            self._window.importing.begin([Path(name) for name in names])

    def watch_folder(self) -> None:
        """A folder whose new logs become runs; once more ends it."""
        watching = self._window.watching
        if watching.folder is not None:
            folder = watching.folder
            watching.end()
            self._window.notices.done(f"{folder} is not watched any more.")
            return
        name = QFileDialog.getExistingDirectory(self._window, "Folder that logs come into")
        words = f"How are the files named? {NamePattern.EXAMPLE}\nEmpty: the names in the book are looked for."
        pattern, given = QInputDialog.getText(self._window, "Watch a folder", words) if name else ("", False)
        if given:
            watching.begin(Path(name), NamePattern(pattern))

    def import_scores(self) -> None:
        """A table of scores as runs without a log."""
        kinds = "Tables (*.csv *.tsv *.txt *.xlsx *.ods);;All files (*)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Scores from a table", "", kinds)
        if name:
            self._window.importing.ask_scores(read_sheet(Path(name)))

    def paste_scores(self) -> None:
        """Copied cells of a table of scores as runs without a log."""
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard else ""
        if not text.strip():
            raise PinchError("Copy the cells of a table first, with the names of its columns.")
        self._window.importing.ask_scores(sheet_of_text(text, "pasted table"))

    def write_tables(self) -> None:
        """Runs, figures and readings of the whole book as tables."""
        kinds = "Tables (*.xlsx *.ods *.csv *.json)"
        path = self._save_name("Write runs, figures and readings", "runs.xlsx", kinds)
        if path:
            self._window.writing.tables(self._window.session.book.path, path)

    def take(self, paths: Sequence[Path]) -> None:
        """Files that were dropped on the window."""
        if len(paths) == 1 and paths[0].suffix == ".pinch":
            self._window.session.open(paths[0])
        elif len(paths) == 1 and is_book_folder(paths[0]):
            self.book_from_files_in(paths[0])
        elif len(paths) == 1 and is_spreadsheet(paths[0]):
            self._window.importing.ask_scores(read_sheet(paths[0]))
        elif paths:
            self._window.importing.begin(paths)

    def import_folder(self) -> None:
        """A folder of logs as runs."""
        name = QFileDialog.getExistingDirectory(self._window, "Folder of logs")
        if name:
            self._window.importing.begin([Path(name)])

    def go_on(self, warnings: Sequence[Check]) -> bool:
        """Whether to start in spite of warnings, which then stay with the run."""
        words = "\n".join(f"{c.name}: {c.evidence}" for c in warnings)
        yes, no = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No
        answer = QMessageBox.question(
            self._window, "Start all the same?", f"{words}\n\nStart all the same?", yes | no, no
        )
        return answer == yes

    def mark_text(self) -> str | None:
        """What a mark says; None where the operator thought better of it."""
        text, given = QInputDialog.getText(self._window, "Mark", "What happened?")
        return text.strip() if given else None

    def score(self, run_id: int) -> None:
        """The score of a run by hand; nothing typed: there is none."""
        book = self._window.session.book
        workload = book.get(Workload, book.get(Run, run_id).workload_id)
        words = f"Score of {workload.name}, {workload.score_unit} (may stay empty)"
        typed, given = QInputDialog.getText(self._window, "The run is complete", words)
        if given and typed.strip():
            self._window.changes.keep_score(run_id, read_quantity(typed, "").value)

    def void_run(self) -> None:
        """Why a run does not count."""
        if self._window.session.run is None:
            raise PinchError("There is no run to make void.")
        reason, given = QInputDialog.getText(self._window, "Make this run void", "Why does it not count?")
        if given and reason.strip():
            self._window.changes.void_run(reason.strip())

    def accept(self, unfair: Unfair) -> None:
        """Why a difference of conditions does not matter; nothing typed takes an acceptance back."""
        d = unfair.difference
        words = f"{d.words}\nWhy is that accepted? (empty: it is not)"
        reason, given = QInputDialog.getText(self._window, f"Accept: {d.what}", words, text=unfair.accepted)
        if given:
            self._window.comparing.accept(unfair, reason.strip())

    def choose_window(self, start_s: float, end_s: float) -> None:
        """Why the settled window was moved; without a reason it goes back."""
        words = f"{minutes(start_s)} to {minutes(end_s)}: why this window?"
        reason, given = QInputDialog.getText(self._window, "Settled window by hand", words)
        if given and reason.strip():
            self._window.changes.choose_window(start_s, end_s, reason.strip())
        else:
            self._window.refresh()

    def _run_shown(self) -> JudgedRun:
        shown = self._window.judge_view.shown
        if shown is None:
            raise PinchError("There is no run on the Judge page to write.")
        return shown

    def _save_name(self, title: str, name: str, kinds: str) -> Path | None:
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, name, kinds)
        return Path(chosen) if chosen else None


def _with_ending(path: Path) -> Path:
    return path if path.suffix else path.with_suffix(".pinch")
