"""Logs and tables of results on their way into the book: what is asked first, and what is dropped on the window."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QInputDialog

from pinch.core.errors import PinchError
from pinch.intake.filing import NamePattern
from pinch.intake.what_file import holds_results
from pinch.language import tr
from pinch.sources.sheets import read_sheet, sheet_of_text
from pinch.ui.file_dialogs import folder_name, open_name, open_names
from pinch.ui.logs.control import LogImport
from pinch.ui.logs.watch_control import WatchControl
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Shell, WindowPart


class LogActions(WindowPart):
    """One method for each action; no answer means that nothing is done."""

    def __init__(self, shell: Shell) -> None:
        self._shell = shell
        self.importing = LogImport(shell)
        self.watching = WatchControl(shell, self.importing)

    def menu(self) -> Sequence[MenuEntry]:
        add = MenuName.ADD
        return (
            MenuEntry(add, 210, tr("Runs from logs …"), self.import_log, "Ctrl+I"),
            MenuEntry(add, 220, tr("Runs from a folder of logs …"), self.import_folder, "Ctrl+Shift+I"),
            MenuEntry(add, 225, tr("Go on with the logs that were left"), self.importing.go_on),
            MenuEntry(add, 230, tr("Watch a folder for logs, or end it …"), self.watch_folder, "Ctrl+Alt+F"),
            MenuEntry(add, 240, tr("Logs that wait for an answer …"), self.watching.ask, "Ctrl+Alt+W"),
            MenuEntry(add, 250, tr("Results from a table …"), self.import_scores, "Ctrl+Alt+I"),
            MenuEntry(add, 260, tr("Results from copied cells"), self.paste_scores, "Ctrl+Alt+V"),
        )

    def forget(self) -> None:
        self.watching.end()
        self.importing.forget()

    def cancel(self) -> None:
        self.importing.cancel()
        self.importing.adding.close()
        self.watching.end()

    def takes(self, paths: Sequence[Path]) -> bool:
        if len(paths) == 1 and paths[0].is_file() and holds_results(paths[0]):
            self.importing.ask_scores(read_sheet(paths[0]))
        elif paths:
            self.importing.begin(paths)
        return bool(paths)

    def import_log(self) -> None:
        """Logs as runs; what is wrong with them is said before anything is asked."""
        kinds = tr("Logs (*.csv *.tsv *.txt *.log *.dat *.zip);;All files (*)")
        paths = open_names(self._shell.dialog_parent, tr("Add logs as runs"), kinds)
        if paths:
            self.importing.begin(paths)

    def import_folder(self) -> None:
        """A folder of logs as runs."""
        folder = folder_name(self._shell.dialog_parent, tr("Folder of logs"))
        if folder:
            self.importing.begin([folder])

    def watch_folder(self) -> None:
        """A folder whose new logs become runs; once more ends it."""
        if self.watching.folder is not None:
            folder = self.watching.folder
            self.watching.end()
            self._shell.notices.done(tr("{folder} is not watched any more.", folder=folder))
            return
        parent = self._shell.dialog_parent
        source = folder_name(parent, tr("Folder that logs come into"))
        words = tr(
            "How are the files named? {example}\nEmpty: the names in the book are looked for.",
            example=NamePattern.EXAMPLE,
        )
        pattern, given = QInputDialog.getText(parent, tr("Watch a folder"), words) if source else ("", False)
        if source and given:
            self.watching.begin(source, NamePattern(pattern))

    def import_scores(self) -> None:
        """A table of results."""
        kinds = tr("Tables (*.csv *.tsv *.txt *.xlsx *.ods);;All files (*)")
        path = open_name(self._shell.dialog_parent, tr("Results from a table"), kinds)
        if path:
            self.importing.ask_scores(read_sheet(path))

    def paste_scores(self) -> None:
        """Copied cells of a table of results."""
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard else ""
        if not text.strip():
            raise PinchError(tr("Copy the cells of a table first, with the names of its columns."))
        self.importing.ask_scores(sheet_of_text(text, tr("pasted table")))
