"""The grid of one device on the Compare page: what its columns are, and which share the low has to reach."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from pinch.analysis.grid import Across, Grid
from pinch.language import tr
from pinch.narrative.explain_matrix import explain_field, explain_reach
from pinch.narrative.matrix_words import fields_words, matrix_headings, matrix_rows, matrix_words
from pinch.ui.number_box import NumberBox
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label
from pinch.ui.table_rows import Explain, TableRow


class MatrixPane(QWidget):
    """`show_of` takes what makes the grid for a kind of columns (None: there is nothing to show)."""

    def __init__(self) -> None:
        super().__init__()
        self.across = QComboBox()
        self.share = NumberBox(
            tr("Share of the wanted rate that the low has to reach"),
            *(0.0, 100.0),
            unit="%",
            before=tr("low at least "),
            after=tr(" of the rate"),
            decimals=0,
            width=196,
        )
        self.words = label("", "quiet", wrap=True)
        self.table = RowTable(tr("Matrix"), (tr("Workload"),), hides_empty=True)
        self.matrix: Grid | None = None
        self._make: Callable[[Across], Grid | None] = lambda _: None
        self._device, self._is_stale = "", True
        for across in Across:
            self.across.addItem(tr("by {across}", across=across), across)
        self.across.setAccessibleName(tr("What the columns are"))
        self.across.activated.connect(lambda _: self._show())
        self.share.setSpecialValueText(tr("whatever the low"))
        self.share.valueChanged.connect(lambda _: self._show())
        row = QHBoxLayout()
        for widget in (self.across, self.share):
            row.addWidget(widget)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(row)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)

    def show_of(self, device: str, make: Callable[[Across], Grid | None]) -> None:
        """Show the grid of a device, once it can be seen."""
        self._device, self._make, self._is_stale = device, make, True
        if self.isVisible():
            self._show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Make what was not needed before."""
        super().showEvent(event)
        if self._is_stale:
            self._show()

    def _show(self) -> None:
        self._is_stale = False
        self.matrix = self._make(Across(self.across.currentData()))
        if self.matrix is None:
            self.words.setText(tr("Choose a cell; the grid is of its device."))
            self.table.show_rows([])
            return
        share = self.share.value() / 100.0
        self.words.setText(f"{matrix_words(self.matrix, self._device, share)} {fields_words(self.matrix)}")
        self.table.set_columns(
            matrix_headings(self.matrix, share),
            words=(0, *range(len(self.matrix.columns) + 1, len(self.matrix.columns) + 3)),
        )
        self.table.show_rows(_rows(self.matrix, share))


def _rows(grid: Grid, share: float) -> list[TableRow]:
    """The rows of a grid, each field with what the margin says of it."""
    rows = []
    for row, cells in zip(grid.rows, matrix_rows(grid, share), strict=True):
        fields: dict[int, Explain] = {n + 1: partial(explain_field, grid, row, n) for n in range(len(grid.columns))}
        rows.append(TableRow(cells, partial(explain_reach, grid, row, share), fields))
    return rows
