"""Everything by its name: type some of it and go there. Devices, workloads, runs, cards, plans and all commands."""

from collections.abc import Callable, Sequence

from msgspec import Struct
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui.searching import Search
from pinch.ui.shell.words import label

MOST_SHOWN = 60


class Findable(Struct, frozen=True):
    """Something that can be gone to: its words, what it is, and how."""

    words: str
    kind: str
    go: Callable[[], object]


def found(all_of: Sequence[Findable], typed: str) -> list[Findable]:
    """What fits, those first that begin so."""
    search = Search(typed)
    fitting = [f for f in all_of if search.keeps(f"{f.words} {f.kind}")]
    return sorted(fitting, key=lambda f: not f.words.casefold().startswith(typed.strip().casefold()))


class Finder(QDialog):
    """A field above a list; the arrow keys go through the list while one types."""

    def __init__(self, offered: Sequence[Findable], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Find anything"))
        self.resize(560, 420)
        self._offered, self._shown = offered, list[Findable]()
        self.chosen: Findable | None = None
        self.typed, self.list, self.words = QLineEdit(), QListWidget(), label("", "quiet")
        self.typed.setPlaceholderText(tr("A device, a workload, a run, a card, a command …"))
        self.typed.setAccessibleName(tr("What to find"))
        self.list.setAccessibleName(tr("What was found"))
        self.typed.textChanged.connect(self._show)
        self.typed.returnPressed.connect(self._take)
        self.typed.installEventFilter(self)
        self.list.itemActivated.connect(lambda _: self._take())
        whole = QVBoxLayout(self)
        for widget in (self.typed, self.list, self.words):
            whole.addWidget(widget)
        self._show("")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and down in the field move in the list."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if by:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + by)))
                return True
        return super().eventFilter(watched, event)

    def _show(self, typed: str) -> None:
        fitting = found(self._offered, typed)
        self._shown = fitting[:MOST_SHOWN]
        self.list.clear()
        for each in self._shown:
            self.list.addItem(QListWidgetItem(f"{each.words}  ·  {each.kind}"))
        self.list.setCurrentRow(0)
        more = len(fitting) - len(self._shown)
        self.words.setText(
            tr("{more} more: type more of it.", more=more)
            if more
            else ""
            if fitting
            else tr("Nothing has all of this.")
        )

    def _take(self) -> None:
        at = self.list.currentRow()
        if 0 <= at < len(self._shown):
            self.chosen = self._shown[at]
            self.accept()


def choose(offered: Sequence[Findable], parent: QWidget, safely: Callable[[Callable[[], object]], None]) -> None:
    """Let one be found, and go there."""
    finder = Finder(offered, parent)
    if finder.exec() and finder.chosen is not None:
        safely(finder.chosen.go)
