"""Which channels stand large on the Run page."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from pinch.core.channels import caption_of, unit_of
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.dialogs import FormDialog
from pinch.ui.run.state import MOST_SHOWN
from pinch.ui.shell.words import label


class ChannelsDialog(FormDialog):
    """Channels to choose from, in the order in which they will stand; none chosen: the usual ones."""

    def __init__(self, there: Sequence[str], chosen: Sequence[str], parent: QWidget | None) -> None:
        super().__init__(tr("Channels shown large"), parent)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Channels"))
        self.list.setMinimumHeight(320)
        for name in [*chosen, *(n for n in there if n not in chosen)]:
            caption, unit = caption_of(name), unit_of(name)
            words = name if caption == name else f"{caption} ({name})"
            item = QListWidgetItem(f"{words}, {unit}" if unit else words)
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setCheckState(Qt.CheckState.Checked if name in chosen else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        words = tr(
            "At most {most_shown}. None: power, clock, temperature and rate. The choice stays with the device.",
            most_shown=MOST_SHOWN,
        )
        self.form.addRow(label(words, "quiet", wrap=True))
        self.form.addRow(self.list)

    def read(self) -> None:
        if len(self.channels) > MOST_SHOWN:
            chosen = len(self.channels)
            raise PinchError(
                tr(
                    "At most {most_shown} channels can be read from two metres; {chosen} are chosen.",
                    most_shown=MOST_SHOWN,
                    chosen=chosen,
                )
            )

    @property
    def channels(self) -> tuple[str, ...]:
        """What is chosen."""
        items = [self.list.item(n) for n in range(self.list.count())]
        return tuple(
            str(i.data(Qt.ItemDataRole.UserRole))
            for i in items
            if i is not None and i.checkState() is Qt.CheckState.Checked
        )
