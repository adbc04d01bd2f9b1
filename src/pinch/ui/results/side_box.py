"""What stands on one side of a grid: which kind of thing, and those of them that are ticked."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from pinch.intake.entry_grid import MANY, Side
from pinch.language import tr
from pinch.ui.results.state import Offered
from pinch.ui.shell.words import label


class SideBox(QWidget):
    """`side_chosen` tells of another kind of thing, `changed` of other ticks."""

    side_chosen = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, caption: str, side: Side) -> None:
        super().__init__()
        self.kinds, self.list, self.another = QComboBox(), QListWidget(), QLineEdit()
        for each in Side:
            self.kinds.addItem(tr(MANY[each]), each)
        self.kinds.setCurrentIndex(self.kinds.findData(side))
        self.kinds.setAccessibleName(caption)
        self.another.returnPressed.connect(self._add)
        self.list.itemChanged.connect(lambda _: self.changed.emit())
        self.kinds.activated.connect(lambda _: self.side_chosen.emit())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        title = label(caption, "quiet")
        title.setBuddy(self.kinds)
        for widget in (title, self.kinds, self.list, self.another):
            column.addWidget(widget)

    @property
    def side(self) -> Side:
        """The kind of thing that stands here."""
        return Side(self.kinds.currentData())

    def set_side(self, side: Side) -> None:
        """Another kind of thing."""
        self.kinds.setCurrentIndex(self.kinds.findData(side))

    @property
    def ticked(self) -> tuple[Offered, ...]:
        """What is ticked, in the order of the list."""
        items = [item for n in range(self.list.count()) if (item := self.list.item(n)) is not None]
        return tuple(i.data(Qt.ItemDataRole.UserRole) for i in items if i.checkState() is Qt.CheckState.Checked)

    def offer(self, things: Sequence[Offered], ticked: Sequence[str]) -> None:
        """Offer things, those with these keys ticked; what was added by hand stays."""
        own = [t for t in self.ticked if t.key in ticked and t.key not in [known.key for known in things]]
        self.list.blockSignals(True)
        self.list.clear()
        for thing in (*things, *own):
            self._item(thing, thing.key in ticked)
        self.list.blockSignals(False)
        name = self.side
        self.list.setAccessibleName(tr("{words} that stand here", words=tr(MANY[name]).capitalize()))
        self.another.setPlaceholderText(tr("Another {name}, then Enter", name=name))
        self.another.setAccessibleName(tr("Another {name}", name=name))

    def _item(self, thing: Offered, ticked: bool) -> None:
        item = QListWidgetItem(thing.words)
        item.setToolTip(thing.words)
        item.setData(Qt.ItemDataRole.UserRole, thing)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.list.addItem(item)

    def _add(self) -> None:
        """Take in what was typed; a name that is there already is ticked."""
        name = self.another.text().strip()
        if not name:
            return
        self.another.clear()
        items = [item for n in range(self.list.count()) if (item := self.list.item(n)) is not None]
        known = next((i for i in items if i.text().casefold() == name.casefold()), None)
        if known is not None:
            known.setCheckState(Qt.CheckState.Checked)
            return
        self._item(Offered(name, name), True)
        self.changed.emit()
