"""What the window asks the operator before it does something: files, names, reasons."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from pinch.core.errors import PinchError
from pinch.sources.runlog_csv import read_run_log
from pinch.ui.dialogs import LogDialog, SettingDialog

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

    def write_chart(self) -> None:
        """The chart as a picture."""
        self._window.chart_shown()
        path = self._save_name("Write the chart", "chart.png", "Pictures (*.png *.svg)")
        if path:
            self._window.write_chart(path)

    def write_log(self) -> None:
        """The log as a data package."""
        name = QFileDialog.getExistingDirectory(self._window, "Folder for the log and datapackage.json")
        if name:
            self._window.write_log(Path(name))

    def add_setting(self) -> None:
        """A new setting of the chosen device."""
        device = self._window.session.device
        if device is None:
            raise PinchError("Choose a device first; a setting belongs to one.")
        if device.rig is not None:
            raise PinchError(f"{device.name} is simulated; its settings are fixed.")
        dialog = SettingDialog(device, self._window)
        if dialog.exec() and dialog.setting is not None:
            self._window.changes.add_setting(dialog.setting)

    def import_log(self) -> None:
        """A log as a run; what is wrong with it is said before anything is asked."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Add a log as a run", "", "Logs of Pinch (*.csv)")
        if not name:
            return
        path, book = Path(name), self._window.session.book
        read_run_log(path)
        dialog = LogDialog(path, book.devices(), book.workloads(), self._window)
        if dialog.exec():
            device, workload = dialog.device.currentText(), dialog.workload.currentText()
            self._window.changes.import_log(path, device, dialog.setting.text(), dialog.claimed_w, workload)

    def void_run(self) -> None:
        """Why a run does not count."""
        if self._window.session.run is None:
            raise PinchError("There is no run to make void.")
        reason, given = QInputDialog.getText(self._window, "Make this run void", "Why does it not count?")
        if given and reason.strip():
            self._window.changes.void_run(reason.strip())

    def _save_name(self, title: str, name: str, kinds: str) -> Path | None:
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, name, kinds)
        return Path(chosen) if chosen else None


def _with_ending(path: Path) -> Path:
    return path if path.suffix else path.with_suffix(".pinch")
