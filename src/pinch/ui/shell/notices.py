"""One line above the page for what went wrong or was done; it never blocks the window."""

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from pinch.core.faults import Fault
from pinch.language import tr
from pinch.ui import look
from pinch.ui.shell.words import label

DONE_MS = 8000
ICON = 18


class Notices(QWidget):
    """The newest notice; Escape or the button takes it away, which `closed` tells. `details_wanted` gives the fault
    that somebody wants to know more about."""

    closed = pyqtSignal()
    details_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._icon, self.words = QLabel(), label(wrap=True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self._close = QPushButton(tr("Close"))
        self._close.setShortcut("Escape")
        self._close.clicked.connect(self.hide)
        self._close.clicked.connect(self.closed)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 6, 18, 6)
        row.addWidget(self._icon)
        row.addWidget(self.words, 1)
        self.details = QPushButton(tr("Details …"))
        self.details.setToolTip(tr("What was being done and where it broke, to be copied"))
        self.details.clicked.connect(lambda: self.details_wanted.emit(self._fault))
        self._fault: Fault | None = None
        row.addWidget(self.details)
        row.addWidget(self._close)
        self._fade = QTimer(self)
        self._fade.setSingleShot(True)
        self._fade.setInterval(DONE_MS)
        self._fade.timeout.connect(self.hide)
        self.hide()

    def error(self, text: str) -> None:
        """Something went wrong. What a fault said already is not said once more."""
        if self.isVisible() and self._fault is not None and text == self._fault.sentence:
            return
        self._show(text, "alert", look.theme().accent)
        self._fade.stop()

    def fault(self, fault: Fault) -> None:
        """Something went wrong that nobody foresaw."""
        self._show(fault.sentence, "alert", look.theme().accent, fault)
        self._fade.stop()

    def done(self, text: str) -> None:
        """Something was done that the page does not show; the words go by themselves."""
        self._show(text, "done", look.theme().ink)
        self._fade.start()

    def _show(self, text: str, icon: str, colour: str, fault: Fault | None = None) -> None:
        theme = look.theme()
        self.setStyleSheet(f"Notices {{ background: {theme.window}; border-bottom: 1px solid {theme.hairline}; }}")
        self._icon.setPixmap(look.icon(icon, colour, ICON))
        self._fault = fault
        self.details.setVisible(fault is not None)
        self.words.setText(text)
        self.setAccessibleName(text)
        self.show()
