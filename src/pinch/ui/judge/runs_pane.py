"""The list of all runs on the Judge page: sorted by any column, filtered by words, opened or laid over each other."""

from collections.abc import Sequence
from itertools import islice

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from pinch.language import tr
from pinch.ui import look
from pinch.ui.judge.listing import COLUMNS, RunListing, RunRow, list_words
from pinch.ui.searching import Search
from pinch.ui.shell.words import label

WIDTHS = (86, 112, 84, 128, 48, 46, 46, 38, 56, 56, 56)
MOST_OVERLAID = 6


class RunsModel(QAbstractTableModel):
    """The rows that have the words of a filter, in the order of a column. Sorted and filtered here and not by Qt, which
    would ask for each comparison: a book may have tens of thousands."""

    def __init__(self) -> None:
        super().__init__()
        self.listing = RunListing()
        self.shown: list[RunRow] = []
        self._wanted, self._column, self._order = Search(""), 0, Qt.SortOrder.DescendingOrder

    def show_listing(self, listing: RunListing) -> None:
        """Other rows in place of these."""
        self.listing = listing
        self._arrange()

    def keep(self, wanted: str) -> None:
        """Show those that have the words of a search."""
        self._wanted = Search(wanted)
        self._arrange()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self._column, self._order = column, order
        self._arrange()

    def _arrange(self) -> None:
        self.beginResetModel()
        rows, keeps = self.listing.rows, self._wanted.keeps
        kept = [row for row in rows if keeps(row.text)] if self._wanted else rows
        falling = self._order is Qt.SortOrder.DescendingOrder
        as_listed = self._column == 0 and falling
        key = COLUMNS[self._column].key
        self.shown = kept if as_listed else sorted(kept, key=key, reverse=falling)  # type: ignore[arg-type]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self.shown)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        across = orientation is Qt.Orientation.Horizontal
        if across and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section].title
        if across and role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(COLUMNS[section].number)
        return None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        row, column = self.shown[index.row()], COLUMNS[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            over_years = column.over_years if self.listing.over_years else None
            return (over_years or column.shown)(row)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(column.number)
        if role == Qt.ItemDataRole.FontRole:
            return look.figure_font(9) if column.number else look.text_font(9.5)
        if role == Qt.ItemDataRole.ForegroundRole and row.run.void:
            return QColor(look.theme().quiet)
        if role == Qt.ItemDataRole.ToolTipRole:
            return (row.digest.finding or row.digest.problem) if row.digest else None
        return None


class RunsPane(QWidget):
    """`run_opened` gives the id of a run, the others those that were chosen."""

    run_opened = pyqtSignal(int)
    overlay_wanted = pyqtSignal(list)
    completion_wanted = pyqtSignal(list)

    def __init__(self) -> None:
        super().__init__()
        self.model = RunsModel()
        self.words = label("", "quiet")
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("words to look for; -word: without it"))
        self.filter.setAccessibleName(tr("Filter of the runs"))
        self.filter.setToolTip(tr("Such as: gannet 20 w -void (Ctrl+F goes here)"))
        self.overlay = QPushButton(tr("Overlay"))
        self.overlay.setToolTip(tr("The chosen runs on one time axis, with their differences (Ctrl+Shift+O)"))
        self.complete = QPushButton(tr("Complete …"))
        self.complete.setToolTip(tr("Room, day, score … of the chosen runs, or that they do not count (Ctrl+Alt+L)"))
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName(tr("All runs"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setSortingEnabled(True)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.sortByColumn(0, Qt.SortOrder.DescendingOrder)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        side.setDefaultSectionSize(24)
        header.setHighlightSections(False)
        for place, width in enumerate(WIDTHS):
            self.table.setColumnWidth(place, width)
        header.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
        top = QHBoxLayout()
        top.addWidget(self.words, 1)
        top.addWidget(self.filter)
        self.filter.setFixedWidth(260)
        top.addWidget(self.complete)
        top.addWidget(self.overlay)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.addLayout(top)
        whole.addWidget(self.table, 1)
        self.filter.textChanged.connect(self._filter)
        self.table.activated.connect(self._open)
        self.complete.clicked.connect(lambda: self.completion_wanted.emit(self.chosen))
        self.overlay.clicked.connect(lambda: self.overlay_wanted.emit(self.chosen))

    @property
    def chosen(self) -> list[int]:
        """The ids of the chosen runs, in the order of the list."""
        selection = self.table.selectionModel()
        rows = sorted(index.row() for index in selection.selectedRows()) if selection else []
        return [self.model.shown[row].run.id for row in rows]

    @property
    def shown(self) -> list[RunRow]:
        """The rows that the filter keeps, in their order."""
        return list(self.model.shown)

    def show_listing(self, listing: RunListing, run_id: int | None) -> None:
        """The runs; the one that is looked at is chosen, and a list that was there stays where it was."""
        chosen, there = self.chosen or ([run_id] if run_id else []), bool(self.model.listing.rows)
        bar = self.table.verticalScrollBar()
        assert bar is not None
        place = bar.value()
        self.model.show_listing(listing)
        self.choose(chosen)
        if there:
            bar.setValue(place)
        self.show_words()

    def choose(self, run_ids: Sequence[int]) -> None:
        """Choose these runs."""
        self.table.clearSelection()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        wanted = set(run_ids)
        places = (n for n, row in enumerate(self.model.shown) if row.run.kept_id in wanted)
        for place in islice(places, len(wanted)):
            self.table.selectRow(place)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)

    def _filter(self, text: str) -> None:
        self.model.keep(text)
        self.show_words()

    def show_words(self) -> None:
        """How many there are."""
        self.words.setText(list_words(self.model.listing, len(self.model.shown)))

    def _open(self, index: QModelIndex) -> None:
        self.run_opened.emit(self.model.shown[index.row()].run.id)


def _alignment(number: bool) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignRight if number else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter
