"""A text to read and to copy: the details of a fault, the log of the program."""

from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import QApplication, QDialog, QDialogButtonBox, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui import look
from pinch.ui.shell.words import label


class TextDialog(QDialog):
    """`words` say what it is; the text is shown from its end where `at_end` is set."""

    def __init__(self, title: str, words: str, text: str, parent: QWidget | None, at_end: bool = False) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(760, 460)
        self.text = QPlainTextEdit(text)
        self.text.setReadOnly(True)
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName(title)
        self.text.setFont(look.figure_font(9))
        if at_end:
            self.text.moveCursor(QTextCursor.MoveOperation.End)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        self.copy = QPushButton(tr("Copy"))
        self.copy.clicked.connect(self._copy)
        buttons.addButton(self.copy, QDialogButtonBox.ButtonRole.ActionRole)
        whole = QVBoxLayout(self)
        whole.addWidget(label(words, "quiet", wrap=True))
        whole.addWidget(self.text, 1)
        whole.addWidget(buttons)

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text.toPlainText())
