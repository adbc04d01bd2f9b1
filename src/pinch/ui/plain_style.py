"""The style of the application: text is text, and every table can be left and copied. Qt takes names with markup for
rich text, and opens files for it; by itself a table keeps the Tab key and copies one cell."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPalette
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox, QProxyStyle, QTableView, QWidget

from pinch.language import tr
from pinch.ui.every_table import dress_table


class PlainStyle(QProxyStyle):
    """Shows the text of every label, tool tip and question as it is; only a label that asks for rich text has it."""

    def __init__(self) -> None:
        super().__init__(tr("Fusion"))

    def polish(self, thing: QWidget | QPalette | QApplication | None) -> QPalette | None:  # type: ignore[override]
        if isinstance(thing, QLabel | QMessageBox) and thing.textFormat() == Qt.TextFormat.AutoText:
            thing.setTextFormat(Qt.TextFormat.PlainText)  # a tool tip is a label, too
        if isinstance(thing, QTableView):
            dress_table(thing)
        return super().polish(thing)
