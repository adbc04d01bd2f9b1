"""The matrix of a plan as a table: type the repeats, P changes the priority, Delete takes a cell out."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from pinch.language import tr
from pinch.ui import look
from pinch.ui.plan.state import Matrix, MatrixCell

COLUMN_WIDTH = 112


class MatrixTable(QTableWidget):
    """`repeats_typed` gives setting, workload and what was typed; `priority_wanted` setting and workload."""

    repeats_typed = pyqtSignal(int, int, str)
    priority_wanted = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Matrix of runs: settings down, workloads across"))
        self.setObjectName("matrix")
        self.matrix: Matrix | None = None
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(triggers.AnyKeyPressed | triggers.DoubleClicked | triggers.EditKeyPressed)
        header, names = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and names is not None
        header.setDefaultSectionSize(COLUMN_WIDTH)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
        header.setFixedHeight(38)
        names.setDefaultSectionSize(25)
        names.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.itemChanged.connect(self._changed)

    def show_matrix(self, matrix: Matrix) -> None:
        """Show the cells; the place stays."""
        row, column = self.currentRow(), self.currentColumn()
        self.blockSignals(True)
        self.matrix = matrix
        self.setRowCount(len(matrix.settings))
        self.setColumnCount(len(matrix.workloads))
        self.setVerticalHeaderLabels(matrix.row_names)
        self.setHorizontalHeaderLabels([w.name for w in matrix.workloads])
        for r, cells in enumerate(matrix.cells):
            for c, cell in enumerate(cells):
                self.setItem(r, c, self._item(cell))
        if 0 <= row < self.rowCount() and 0 <= column < self.columnCount():
            self.setCurrentCell(row, column)
        self.blockSignals(False)

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is not None and self.matrix is not None:
            if e.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
                self._for_chosen(lambda s, w: self.repeats_typed.emit(s, w, "0"))
                return
            if e.key() == Qt.Key.Key_P and e.modifiers() == Qt.KeyboardModifier.NoModifier:
                self._for_chosen(self.priority_wanted.emit)
                return
        super().keyPressEvent(e)

    def changeEvent(self, e: QEvent | None) -> None:
        super().changeEvent(e)
        if e is not None and e.type() == QEvent.Type.PaletteChange and self.matrix is not None:
            self.show_matrix(self.matrix)

    def _for_chosen(self, call: Callable[[int, int], None]) -> None:
        assert self.matrix is not None
        places = [(i.row(), i.column()) for i in self.selectedIndexes()]
        keys = [(self.matrix.settings[r].id, self.matrix.workloads[c].id) for r, c in places]
        for setting_id, workload_id in keys:
            call(setting_id, workload_id)

    def _item(self, cell: MatrixCell) -> QTableWidgetItem:
        item = QTableWidgetItem(cell.text)
        theme = look.theme()
        if cell.why_not:
            item.setText(tr("cannot be") if cell.repeats else "–")
            item.setFlags(Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled)
            item.setForeground(QBrush(QColor(theme.quiet)))
            item.setBackground(look.hatched(theme.hairline, Qt.BrushStyle.BDiagPattern))
            item.setToolTip(tr("Cannot be: {why_not}.", why_not=cell.why_not))
        elif cell.repeats:
            item.setBackground(QBrush(QColor(theme.window)))
        return item

    def _changed(self, item: QTableWidgetItem) -> None:
        if self.matrix is not None:
            setting, workload = self.matrix.settings[item.row()], self.matrix.workloads[item.column()]
            self.repeats_typed.emit(setting.id, workload.id, item.text())


HINT = tr("Type how many repeats; Delete takes a cell out; P makes it first, or only if there is time.")
