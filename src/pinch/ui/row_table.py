"""A plain table of rows in words, each of which can explain itself."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from pinch.narrative.explanation import Explanation
from pinch.ui import look
from pinch.ui.first_column import FirstColumn
from pinch.ui.table_columns import TableColumns
from pinch.ui.table_rows import TableRow

ROW_HEIGHT, WIDEST_NAME = 24, 190
COLUMN_AIR, HEAD_AIR = 14, 10


class RowTable(QTableWidget):
    """`explained` tells of the cell that is chosen, `opened` of the row that was double-clicked or entered.
    `hides_empty`: columns without a word are not shown; columns of `words` hold no figures."""

    explained = pyqtSignal(Explanation)
    opened = pyqtSignal(object)

    def __init__(
        self, name: str, columns: Sequence[str], words: Sequence[int] = (0,), hides_empty: bool = False
    ) -> None:
        super().__init__(0, len(columns))
        self._hides_empty = hides_empty
        self.rows: Sequence[TableRow] = ()
        self._own_widths = [0] * len(columns)
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(columns)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        self.setWordWrap(False)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        side.setDefaultSectionSize(ROW_HEIGHT)
        header.setStretchLastSection(True)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
        header.setHighlightSections(False)
        self.words = set(words)
        self._sorted_by: tuple[int, bool] | None = None
        header.sectionClicked.connect(self.sort_by)
        self.currentCellChanged.connect(lambda row, column, *_: self._tell(row, column))
        self.cellActivated.connect(lambda row, _: self._open(row))
        self.first_column, self.columns_shown = FirstColumn(self), TableColumns(self)

    def set_columns(self, columns: Sequence[str], words: Sequence[int] = (0,)) -> None:
        """Other columns, with nothing in them yet."""
        self.setRowCount(0)
        self.setColumnCount(len(columns))
        self._own_widths = [0] * len(columns)
        self.setHorizontalHeaderLabels(columns)
        self.words = set(words)

    def show_rows(self, rows: Sequence[TableRow]) -> None:
        """These rows; the chosen one stays chosen where there is one at its place."""
        at = self.currentRow()
        self.blockSignals(True)
        self.rows = rows
        self.clearSpans()
        self.setRowCount(len(rows))
        figures, texts = look.figure_font(9), {bold: look.text_font(10, bold=bold) for bold in (False, True)}
        for r, row in enumerate(rows):
            if row.heading:
                self.setSpan(r, 0, 1, self.columnCount())
            for c, text in enumerate(row.cells):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                item.setFont(texts[row.heading] if c in self.words else figures)
                if row.aside:
                    item.setForeground(QColor(look.theme().quiet))  # a style sheet halves the palette's own
                self.setItem(r, c, item)
        for c in range(1, self.columnCount()):
            said = any(len(row.cells) > c and row.cells[c] for row in rows)
            is_empty = self._hides_empty and bool(rows) and not said
            self.setColumnHidden(c, is_empty or self.columns_shown.is_left_out(c))
        self._own_widths = [self._content_width(c) for c in range(self.columnCount())]
        self._fit_columns()
        if 0 <= at < len(rows):
            self.setCurrentCell(at, max(0, self.currentColumn()))
        self.blockSignals(False)

    def keep_to_its_rows(self) -> None:
        """No higher than its rows need, so that something else has the rest of the page."""
        header, across = self.horizontalHeader(), self.horizontalScrollBar()
        assert header is not None and across is not None
        rows = sum(self.rowHeight(row) for row in range(self.rowCount()))
        self.setMaximumHeight(rows + header.height() + across.sizeHint().height() + 2 * self.frameWidth())

    def _fit_columns(self) -> None:
        """Columns as wide as what stands in them. Heads stand in one line as long as that leaves room for all columns,
        else in two."""
        header, view = self.horizontalHeader(), self.viewport()
        assert header is not None and view is not None
        shown = [c for c in range(self.columnCount()) if not self.isColumnHidden(c)]
        heads = {c: self._head_width(c) for c in shown}
        own = self._own_widths
        widths = {c: max(own[c], heads[c]) for c in shown}
        if sum(widths.values()) > view.width():
            widths = {c: max(own[c], self._head_width(c, wrapped=True)) for c in shown}
        for c, width in widths.items():
            self.setColumnWidth(c, self.columns_shown.width_of(c) or width)
        lines = 2 if any(widths[c] < heads[c] for c in shown) else 1
        header.setFixedHeight(lines * header.fontMetrics().height() + HEAD_AIR)

    def _head_width(self, column: int, wrapped: bool = False) -> int:
        item, header = self.horizontalHeaderItem(column), self.horizontalHeader()
        assert header is not None
        words, wide = item.text() if item is not None else "", header.fontMetrics().horizontalAdvance
        lines = [words] if not wrapped else _in_two(words)
        return max(wide(line) for line in lines) + COLUMN_AIR

    def _content_width(self, column: int) -> int:
        """What the widest cell needs; a name may be cut where it is very long."""
        metrics = QFontMetrics(look.text_font(10) if column in self.words else look.figure_font(9))
        wide = [
            metrics.horizontalAdvance(r.cells[column]) for r in self.rows if not r.heading and column < len(r.cells)
        ]
        most = max(wide, default=60) + COLUMN_AIR
        return min(WIDEST_NAME, most) if column == 0 else most

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width may have room for other heads."""
        super().resizeEvent(event)
        self._fit_columns()

    def sort_by(self, column: int) -> None:
        """Sort by a column, the other way round at the second time, below each heading by itself; only rows that have
        keys can be sorted."""
        if not self.rows or not all(row.heading or len(row.keys) > column for row in self.rows):
            return
        down = self._sorted_by == (column, False)
        self._sorted_by = column, down
        last = float("-inf") if down else float("inf")

        def key(row: TableRow) -> tuple[str, float]:
            value = row.keys[column]
            return (value, 0.0) if isinstance(value, str) else ("", last if value != value else value)

        ordered: list[TableRow] = []
        part: list[TableRow] = []
        for row in (*self.rows, None):
            if row is None or row.heading:
                ordered += sorted(part, key=key, reverse=down)
                part.clear()
            if row is not None:
                (ordered if row.heading else part).append(row)
        self.show_rows(ordered)

    @property
    def chosen(self) -> TableRow | None:
        """The row that is chosen."""
        row = self.currentRow()
        return self.rows[row] if 0 <= row < len(self.rows) else None

    def _tell(self, row: int, column: int) -> None:
        if 0 <= row < len(self.rows) and (found := self.rows[row].explained(column)) is not None:
            self.explained.emit(found)

    def _open(self, row: int) -> None:
        if 0 <= row < len(self.rows) and self.rows[row].of is not None:
            self.opened.emit(self.rows[row].of)


def _in_two(words: str) -> list[str]:
    """Words in two lines of much the same length."""
    parts = words.split()
    ways = [[" ".join(parts[:n]), " ".join(parts[n:])] for n in range(1, len(parts))]
    return min(ways, key=lambda lines: max(map(len, lines)), default=[words])
