"""What is private is listed before anything leaves, and left out unless it is ticked."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from pinch.bench.cards import Private
from pinch.language import tr
from pinch.publish.private import PrivateCount
from pinch.ui.shell.words import label


def ask_private(parent: QWidget, title: str, found: Sequence[PrivateCount]) -> tuple[Private, ...] | None:
    """What of the private may leave: nothing is asked where there is none; None where the operator thought better of
    it."""
    if not found:
        return ()
    dialog = PrivateDialog(title, found, parent)
    return dialog.allowed if dialog.exec() else None


class PrivateDialog(QDialog):
    """One box a kind, with how often it occurs and an example."""

    def __init__(self, title: str, found: Sequence[PrivateCount], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(480)
        column = QVBoxLayout(self)
        column.addWidget(label(tr("What is private is left out unless you tick it."), wrap=True))
        self.boxes = {count.what: QCheckBox(f"{tr(count.what)} ({count.count})") for count in found}
        for count in found:
            column.addWidget(self.boxes[count.what])
            column.addWidget(label(tr("For example: {example}", example=count.example), "quiet", wrap=True))
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Save | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    @property
    def allowed(self) -> tuple[Private, ...]:
        """The kinds that are ticked."""
        return tuple(what for what, box in self.boxes.items() if box.isChecked())
