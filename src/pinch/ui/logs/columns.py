"""The columns of a log: what each is taken for, what it shows, drawn small; the doubtful ones first."""

import numpy as np
from PyQt6.QtCore import QModelIndex, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCompleter,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from pinch.bench.entry import read_quantity
from pinch.core.channels import Component
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray
from pinch.language import numeral, tr
from pinch.sources.logs.mapping import SURE, ColumnUse
from pinch.sources.logs.read import ReadLog
from pinch.ui import look
from pinch.ui.logs.state import TIMES, Answers, range_words, unit_words

COLUMN, CHANNEL, FACTOR, SHOWS, OUTLINE, WHY = range(6)
TITLES = (tr("Column"), tr("Is"), tr("Times"), tr("Shows"), tr("Drawn"), tr("Because"))
OFTEN = (*(channel for component in Component for channel in component.offered), *TIMES)
"""Channels that are offered while somebody types."""
VALUES = Qt.ItemDataRole.UserRole + 1


class ColumnsTable(QTableWidget):
    """The columns of one log; what is typed goes into the answers at once. `problem` holds what could not be taken."""

    def __init__(self, answers: Answers) -> None:
        super().__init__(0, len(TITLES))
        self._answers = answers
        self._log: ReadLog | None = None
        self._filling, self.problem = False, ""
        self.setHorizontalHeaderLabels(TITLES)
        self.setAccessibleName(tr("Columns of the log"))
        self.setItemDelegateForColumn(CHANNEL, _ChannelDelegate(self))
        self.setItemDelegateForColumn(OUTLINE, _OutlineDelegate(self))
        self.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        side.hide()
        side.setDefaultSectionSize(26)
        for place, width in ((COLUMN, 210), (CHANNEL, 160), (FACTOR, 60), (SHOWS, 270), (OUTLINE, 120)):
            self.setColumnWidth(place, width)
        header.setSectionResizeMode(WHY, QHeaderView.ResizeMode.Stretch)
        self.itemChanged.connect(self._said)

    def show_log(self, log: ReadLog | None) -> None:
        """The columns of this log."""
        self._log, self._filling = log, True
        uses = self._answers.uses(log.fingerprint) if log is not None and log.fingerprint else []
        uses = sorted(uses, key=lambda use: not _is_doubtful(use))
        self.setRowCount(len(uses))
        columns = {column.name: column for column in log.columns} if log is not None else {}
        for row, use in enumerate(uses):
            column = columns[use.column]
            self._put(row, COLUMN, f"? {use.column}" if _is_doubtful(use) else use.column, bold=_is_doubtful(use))
            self._put(row, CHANNEL, use.channel, editable=True)
            self._put(row, FACTOR, numeral(use.factor, "g") if use.channel not in ("", *TIMES) else "", editable=True)
            unit = unit_words(use)
            self._put(row, SHOWS, range_words(column) + (f" → {unit}" if unit else ""))
            self._put(row, OUTLINE, "").setData(VALUES, column.outline)
            self._put(row, WHY, use.why)
            for place in range(len(TITLES)):
                self.item(row, place).setData(Qt.ItemDataRole.UserRole, use.column)  # type: ignore[union-attr]
        self._filling = False

    def _put(self, row: int, place: int, text: str, editable: bool = False, bold: bool = False) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        if not editable:
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
        item.setToolTip(text)
        font = look.text_font(10, bold)
        item.setFont(font)
        self.setItem(row, place, item)
        return item

    def _said(self, item: QTableWidgetItem) -> None:
        if self._filling or self._log is None:
            return
        row, name = item.row(), str(item.data(Qt.ItemDataRole.UserRole))
        channel, factor = (self.item(row, place) for place in (CHANNEL, FACTOR))
        assert channel is not None and factor is not None
        self.problem = ""
        try:
            typed = factor.text().strip()
            number = read_quantity(typed, "").value if typed else None
            self._answers.say(self._log.fingerprint, name, channel.text().strip(), number)
        except PinchError as error:
            self.problem = str(error)
            return
        use = next(u for u in self._answers.uses(self._log.fingerprint) if u.column == name)
        shown = next(c for c in self._log.columns if c.name == name)
        self._filling = True
        self._put(row, COLUMN, name).setData(Qt.ItemDataRole.UserRole, name)
        unit = unit_words(use)
        self._put(row, SHOWS, range_words(shown) + (f" → {unit}" if unit else ""))
        self._put(row, WHY, use.why)
        self._filling = False


def _is_doubtful(use: ColumnUse) -> bool:
    return bool(use.channel) and use.score < SURE


class _ChannelDelegate(QStyledItemDelegate):
    """Offers the usual channels while somebody types."""

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        edit = QLineEdit(parent)
        completer = QCompleter(list(OFTEN), edit)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        edit.setCompleter(completer)
        return edit


class _OutlineDelegate(QStyledItemDelegate):
    """Draws the values of a column as a small line."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        values: FloatArray | None = index.data(VALUES)
        if painter is None or values is None or not np.isfinite(values).any():
            return
        area = option.rect.adjusted(6, 5, -6, -5)
        low, high = float(np.nanmin(values)), float(np.nanmax(values))
        level = (values - low) / (high - low) if high > low else np.full(len(values), 0.5)
        across = np.linspace(area.left(), area.right(), len(values))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(look.theme().ink), 1.2))
        points = [QPointF(x, area.bottom() - y * area.height()) for x, y in zip(across, level, strict=True) if y == y]
        painter.drawPolyline(QPolygonF(points))
        painter.restore()
