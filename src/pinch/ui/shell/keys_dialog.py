"""The keys of the window in one list."""

from collections.abc import Sequence

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui.menus import MenuEntry
from pinch.ui.row_table import RowTable
from pinch.ui.table_rows import TableRow

ELSEWHERE = (
    (tr("Tab, Shift+Tab"), tr("the next or previous field; leaves a table, too"), "everywhere"),
    (tr("Arrow keys"), tr("the cells of a table"), "tables"),
    ("Ctrl+C", tr("copy the chosen rows with their headings"), "tables"),
    ("Ctrl+D", tr("the topmost chosen field into all below it"), tr("tables to type in")),
    ("Enter", tr("open the row"), "tables"),
    (tr("Menu key"), tr("what else can be done with it"), "tables"),
)
"""Keys that are in no menu: of what, and where."""


class KeysDialog(QDialog):
    """Every key, what it does, and the menu that has it."""

    def __init__(self, entries: Sequence[MenuEntry], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keyboard"))
        self.resize(620, 520)
        self.table = RowTable(tr("Keys"), ("keys", tr("what they do"), "where"), words=(1, 2))
        shown = [(_shown(e.keys), e.words.rstrip(" …"), e.menu.replace("&", "")) for e in entries if e.keys]
        self.table.show_rows([TableRow(cells, keys=cells) for cells in (*shown, *ELSEWHERE)])
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        whole = QVBoxLayout(self)
        whole.addWidget(self.table)
        whole.addWidget(buttons)


def _shown(keys: str) -> str:
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)
