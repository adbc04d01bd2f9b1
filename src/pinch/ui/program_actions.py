"""What belongs to the program and to no book: finding anything, settings, keys, its log, and what it is."""

from collections.abc import Sequence

from pinch.language import tr
from pinch.runs.log_file import log_path
from pinch.ui.findables import findables
from pinch.ui.menus import MenuEntry, MenuName, in_order
from pinch.ui.page_protocol import Shell, WindowPart
from pinch.ui.settings_dialog import SettingsDialog
from pinch.ui.shell.about import ABOUT, about_text
from pinch.ui.shell.finder import Findable, choose
from pinch.ui.shell.keys_dialog import KeysDialog
from pinch.ui.shell.text_dialog import TextDialog


class ProgramActions(WindowPart):
    """One method for each action."""

    def __init__(self, shell: Shell) -> None:
        self._shell = shell

    def menu(self) -> Sequence[MenuEntry]:
        return (
            MenuEntry(MenuName.BOOK, 205, tr("Settings …"), self.set_up, "Ctrl+,"),
            MenuEntry(MenuName.EDIT, 115, tr("Find anything …"), self.find_anything, "Ctrl+J"),
            MenuEntry(MenuName.HELP, 10, tr("Keyboard"), self.show_keys, "Shift+F1"),
            MenuEntry(MenuName.HELP, 110, tr("Show the log"), self.show_log),
            MenuEntry(MenuName.HELP, 120, tr("About Pinch"), self.show_about),
        )

    def find_anything(self) -> None:
        """Go to a record, a run, a card or a command by its name."""
        commands = (Findable(entry.words, tr("command"), entry.call) for entry in self._shell.entries)
        choose([*findables(self._shell), *commands], self._shell.dialog_parent, self._shell.safely)

    def set_up(self) -> None:
        """What holds for all books."""
        if SettingsDialog(self._shell.preferences, self._shell.dialog_parent).exec():
            self._shell.follow_theme()

    def show_keys(self) -> None:
        """All keys."""
        KeysDialog(in_order(self._shell.entries), self._shell.dialog_parent).open()

    def show_log(self) -> None:
        """What the program noted of itself."""
        path = log_path()
        text = path.read_text(encoding="utf-8", errors="replace") if path.is_file() else tr("Nothing was noted yet.")
        words = tr("{path}, the newest at the end.", path=path)
        TextDialog(tr("Log of Pinch"), words, text, self._shell.dialog_parent, at_end=True).open()

    def show_about(self) -> None:
        """What this is, and what it stands on."""
        TextDialog(tr("About Pinch"), ABOUT, about_text(), self._shell.dialog_parent).open()
