"""What went where, once logs are runs."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QListWidget, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui.shell.words import label


class SummaryDialog(QDialog):
    """Which file became which run, and which could not be read; it does not keep the window from being used."""

    def __init__(self, words: str, added: Sequence[str], refused: Sequence[str], parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What went where"))
        self.setModal(False)
        self.resize(860, 420)
        whole = QVBoxLayout(self)
        whole.addWidget(label(words, "heading", wrap=True))
        for caption, lines in ((tr("In the book"), added), (tr("Left out"), refused)):
            if lines:
                whole.addWidget(label(caption, "quiet"))
                rows = QListWidget()
                rows.setAccessibleName(caption)
                rows.setWordWrap(True)
                rows.addItems(list(lines))
                whole.addWidget(rows, len(lines))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        whole.addWidget(buttons)
