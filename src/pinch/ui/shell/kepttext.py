"""A few lines of text that are kept when the keyboard goes elsewhere."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QPlainTextEdit


class KeptText(QPlainTextEdit):
    """`left` says that the keyboard went elsewhere; the tab key goes on to the next field."""

    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.left.emit()
