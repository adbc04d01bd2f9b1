"""What every table does: Tab leaves it, its chosen rows can be copied with their headings, and it can be written."""

import html
import re
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtGui import QAction, QGuiApplication, QKeySequence
from PyQt6.QtWidgets import QMessageBox, QTableView, QWidget

from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.file_dialogs import save_name
from pinch.ui.row_table import RowTable
from pinch.ui.table_columns import heading_of

_NUMBER = re.compile(r"-?(0|[1-9]\d*)(\.\d+)?")
ENDINGS = tr("Tables (*.csv *.xlsx *.ods)")


def dress_table(table: QTableView) -> None:
    """Give a table its keyboard and its menu, once."""
    table.setTabKeyNavigation(False)  # Tab goes on (WCAG 2.1.2); the arrow keys go through the cells
    if table.actions():
        return
    table.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
    _offer(table, tr("Copy"), lambda: copy(table, chosen_rows(table)), "Ctrl+C")
    _offer(table, tr("Copy the whole table"), lambda: copy(table, range(rows_of(table))))
    _offer(table, tr("Write the table …"), lambda: _write(table))
    if isinstance(table, RowTable):
        table.addAction(table.columns_shown.action)


def _offer(table: QTableView, words: str, call: Callable[[], None], keys: str = "") -> None:
    action = QAction(words, table)
    action.setShortcut(QKeySequence(keys))
    action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
    action.triggered.connect(call)
    table.addAction(action)


def rows_of(table: QTableView) -> int:
    """How many rows it has."""
    model = table.model()
    return model.rowCount() if model is not None else 0


def chosen_rows(table: QTableView) -> Sequence[int]:
    """The rows of which something is chosen; else the present one."""
    chosen = sorted({index.row() for index in table.selectedIndexes()})
    return chosen or [row for row in (table.currentIndex().row(),) if row >= 0]


def copy(table: QTableView, rows: Sequence[int]) -> None:
    """Rows go to the clipboard with the headings: as text by tabs, and as a table."""
    clipboard = QGuiApplication.clipboard()
    lines = [headings(table), *cells(table, rows)]
    if clipboard is None or len(lines) < 2:
        return
    data = QMimeData()
    data.setText("\n".join("\t".join(" ".join(cell.split()) for cell in line) for line in lines))
    kinds = ["th", *["td"] * len(lines)]
    made = (
        "".join(f"<{kind}>{html.escape(cell)}</{kind}>" for cell in line)
        for line, kind in zip(lines, kinds, strict=False)
    )
    data.setHtml("<table>" + "".join(f"<tr>{line}</tr>" for line in made) + "</table>")
    clipboard.setMimeData(data)


def headings(table: QTableView) -> list[str]:
    """The headings of the columns that are shown."""
    return [heading_of(table, column) for column in _columns(table)]


def cells(table: QTableView, rows: Sequence[int]) -> list[list[str]]:
    """What stands in the columns that are shown of these rows; a heading across the table fills its first cell."""
    model = table.model()
    assert model is not None
    return [
        [str(model.index(row, c).data() or "") for c in _columns(table)] for row in rows if not table.isRowHidden(row)
    ]


def table_shown(table: QTableView) -> Table:
    """What is shown as plain data: plain numbers are numbers, but not where a column is of words."""
    words = [isinstance(table, RowTable) and column in table.words for column in _columns(table)]
    shown = cells(table, range(rows_of(table)))
    rows = tuple(tuple(t if word else _cell(t) for t, word in zip(row, words, strict=True)) for row in shown)
    return Table("table", tuple(Column(heading) for heading in headings(table)), rows)


def _columns(table: QTableView) -> list[int]:
    """The columns that are shown, in the order in which they stand."""
    model, header = table.model(), table.horizontalHeader()
    if model is None or header is None:
        return []
    shown = [c for c in range(model.columnCount()) if not table.isColumnHidden(c)]
    return sorted(shown, key=header.visualIndex)


def _cell(text: str) -> Cell:
    """A plain number as one; with a nought before its figures it is a name."""
    plain = text.replace("−", "-")
    if _NUMBER.fullmatch(plain):
        return float(plain) if "." in plain else int(plain)
    return text or None


def _write(table: QTableView) -> None:
    window: QWidget = table.window() or table
    path = save_name(window, tr("Write the table"), "table.csv", ENDINGS)
    if not path:
        return
    try:
        write_shown(table, path)
    except PinchError as error:
        QMessageBox.warning(window, tr("Write the table"), str(error))


def write_shown(table: QTableView, path: Path) -> None:
    """Write what a table shows, as the ending says.

    Raises
    ------
    PinchError : another ending, or the file cannot be written.
    """
    from pinch.bench.files import write_whole
    from pinch.publish.table_files import csv_text, write_tables

    if path.suffix.casefold() == ".csv":
        write_whole(path, csv_text(table_shown(table)).encode())
    else:
        write_tables((table_shown(table),), path)
