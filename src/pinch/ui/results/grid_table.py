"""Fields to type in, by row and column; a block of copied cells fills them from the chosen one on."""

from collections.abc import Collection, Mapping, Sequence

from PyQt6.QtCore import QKeyCombination, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QDialogButtonBox,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from pinch.intake.typed_fields import Field
from pinch.language import tr
from pinch.ui import look

LEAST_WIDTH = 84
FILL_DOWN = QKeyCombination(Qt.KeyboardModifier.ControlModifier, Qt.Key.Key_D)


class KeepButtons(QDialogButtonBox):
    """Keep what stands in the fields, or close. Enter presses neither: it goes to the next field."""

    def __init__(self) -> None:
        super().__init__(QDialogButtonBox.StandardButton.Close)
        self.keep = QPushButton(tr("Keep"))
        self.keep.setProperty("role", "main")
        self.addButton(self.keep, QDialogButtonBox.ButtonRole.ActionRole)
        for button in self.buttons():
            if isinstance(button, QPushButton):
                button.setAutoDefault(False)


class GridTable(QTableWidget):
    """`typed` tells which fields have another text, `overflowed` how many copied cells found no place."""

    typed = pyqtSignal(object)
    overflowed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Fields to type in"))
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setMinimumSectionSize(LEAST_WIDTH)
        side.setDefaultSectionSize(26)
        self.itemChanged.connect(lambda item: self.typed.emit([(item.row(), item.column())]))

    def show_fields(
        self, rows: Sequence[str], columns: Sequence[str], texts: Mapping[Field, str], words: Collection[int] = ()
    ) -> None:
        """These rows and columns, with what stands in their fields; columns of `words` stand to the left."""
        at = self.currentRow(), self.currentColumn()
        self.blockSignals(True)
        self.setRowCount(len(rows))
        self.setColumnCount(len(columns))
        self.setVerticalHeaderLabels(rows)
        self.setHorizontalHeaderLabels(columns)
        for r in range(len(rows)):
            for c in range(len(columns)):
                item = QTableWidgetItem(texts.get((r, c), ""))
                side = Qt.AlignmentFlag.AlignLeft if c in words else Qt.AlignmentFlag.AlignRight
                item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                item.setFont(look.text_font(10) if c in words else look.figure_font(10))
                self.setItem(r, c, item)
        if at[0] < len(rows) and at[1] < len(columns):
            self.setCurrentCell(*at)
        self.blockSignals(False)

    def text_of(self, at: Field) -> str:
        """What stands in a field."""
        item = self.item(*at)
        return item.text() if item is not None else ""

    def mark(self, problems: Mapping[Field, str], questions: Mapping[Field, str], fixed: set[Field]) -> None:
        """Show which fields make no sense, which could be read otherwise, and which cannot be typed in."""
        self.blockSignals(True)
        for r in range(self.rowCount()):
            for c in range(self.columnCount()):
                item, at = self.item(r, c), (r, c)
                if item is None:
                    continue
                words = problems.get(at) or questions.get(at) or ""
                font = item.font()
                font.setBold(at in problems)
                font.setItalic(at in questions)
                font.setUnderline(bool(words))
                item.setFont(font)
                item.setToolTip(words or item.text())
                theme = look.theme()
                item.setForeground(QColor(theme.accent if at in problems else theme.ink))
                if at in fixed:
                    item.setForeground(QColor(theme.quiet))
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
        self.blockSignals(False)

    def paste(self, text: str) -> None:
        """Fill fields from the chosen one on with copied cells; what is beyond the last row or column is counted."""
        first, left = max(0, self.currentRow()), max(0, self.currentColumn())
        cells = {
            (first + r, left + c): cell.strip()
            for r, line in enumerate(text.rstrip("\r\n").splitlines())
            for c, cell in enumerate(line.split("\t"))
        }
        inside = {at: cell for at, cell in cells.items() if at[0] < self.rowCount() and at[1] < self.columnCount()}
        self._fill(inside)
        beyond = sum(bool(cell) for at, cell in cells.items() if at not in inside)
        if beyond:
            self.overflowed.emit(beyond)

    def fill_down(self) -> None:
        """What stands in the topmost of the chosen fields stands in all below it, column by column."""
        places = sorted({(index.column(), index.row()) for index in self.selectedIndexes()})
        first: dict[int, str] = {}
        for column, row in places:
            first.setdefault(column, self.text_of((row, column)))
        self._fill({(row, column): first[column] for column, row in places})

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.matches(QKeySequence.StandardKey.Paste):
            clipboard = QGuiApplication.clipboard()
            self.paste(clipboard.text() if clipboard is not None else "")
        elif (
            event is not None
            and event.key() == Qt.Key.Key_D
            and event.modifiers() == Qt.KeyboardModifier.ControlModifier
        ):
            self.fill_down()
        elif event is not None and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._fill({(index.row(), index.column()): "" for index in self.selectedIndexes()})
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.state() is not QTableWidget.State.EditingState:  # else the editor's end goes down
                self._down()
        else:
            super().keyPressEvent(event)

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:
        submitted = hint is QAbstractItemDelegate.EndEditHint.SubmitModelCache
        super().closeEditor(editor, QAbstractItemDelegate.EndEditHint.NoHint if submitted else hint)
        if submitted:
            self._down()

    def _down(self) -> None:
        """To the field below, from the last one to the top of the next column."""
        row, column = self.currentRow() + 1, self.currentColumn()
        if row >= self.rowCount():
            row, column = 0, column + 1
        if column < self.columnCount():
            self.setCurrentCell(row, column)

    def _fill(self, texts: Mapping[Field, str]) -> None:
        self.blockSignals(True)
        filled = []
        for at, text in texts.items():
            item = self.item(*at)
            if item is not None and item.flags() & Qt.ItemFlag.ItemIsEditable:
                item.setText(text)
                filled.append(at)
        self.blockSignals(False)
        self.typed.emit(filled)
