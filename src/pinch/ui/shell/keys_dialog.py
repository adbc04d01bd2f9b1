"""The keys of the window in one list."""

from collections.abc import Sequence

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from pinch.ui.menus import MenuEntry
from pinch.ui.row_table import RowTable
from pinch.ui.table_rows import TableRow

ELSEWHERE = (
    ("Tab, Shift+Tab", "the next or previous field; leaves a table, too", "everywhere"),
    ("Arrow keys", "the cells of a table", "tables"),
    ("Ctrl+C", "copy the chosen rows with their headings", "tables"),
    ("Ctrl+D", "the topmost chosen field into all below it", "tables to type in"),
    ("Enter", "open the row", "tables"),
    ("Menu key", "what else can be done with it", "tables"),
)
"""Keys that are in no menu: of what, and where."""


class KeysDialog(QDialog):
    """Every key, what it does, and the menu that has it."""

    def __init__(self, entries: Sequence[MenuEntry], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keyboard")
        self.resize(620, 520)
        self.table = RowTable("Keys", ("keys", "what they do", "where"), words=(1, 2))
        shown = [(_shown(e.keys), e.words.rstrip(" …"), e.menu.replace("&", "")) for e in entries if e.keys]
        self.table.show_rows([TableRow(cells, keys=cells) for cells in (*shown, *ELSEWHERE)])
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        whole = QVBoxLayout(self)
        whole.addWidget(self.table)
        whole.addWidget(buttons)


def _shown(keys: str) -> str:
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)
