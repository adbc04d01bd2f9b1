"""Which columns of a table are shown and how wide, as the operator chose it: kept by the name of the table."""

import json

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QAction, QGuiApplication
from PyQt6.QtWidgets import QMenu, QTableView, QTableWidget

from pinch.language import tr
from pinch.ui.preferences import Key
from pinch.ui.remembering import preferences_of


def heading_of(table: QTableView, column: int) -> str:
    """The heading of a column in one line."""
    model = table.model()
    assert model is not None
    return " ".join(str(model.headerData(column, Qt.Orientation.Horizontal) or "").split())


class TableColumns(QObject):
    """Columns go by their headings, since a table may be given others. The first, which names the rows, stays."""

    def __init__(self, table: QTableWidget) -> None:
        super().__init__(table)
        self._table = table
        self._left_out: set[str] = set()
        self._widths: dict[str, int] = {}
        self._is_read = False
        self.menu = QMenu(tr("Columns"), table)
        self.menu.aboutToShow.connect(self._fill)
        self.action = QAction(tr("Columns"), table)
        self.action.setMenu(self.menu)
        header = table.horizontalHeader()
        assert header is not None
        header.sectionResized.connect(self._resized)

    def is_left_out(self, column: int) -> bool:
        """Whether the operator does not want to see it."""
        self._read()
        return column > 0 and self._heading(column) in self._left_out

    def width_of(self, column: int) -> int | None:
        """How wide the operator made it."""
        self._read()
        return self._widths.get(self._heading(column))

    def leave_out(self, column: int, left_out: bool) -> None:
        """Show a column no more, or again."""
        self._read()
        (self._left_out.add if left_out else self._left_out.discard)(self._heading(column))
        self._table.setColumnHidden(column, left_out)
        self._keep()

    def as_usual(self) -> None:
        """All columns, as wide as what stands in them."""
        for column in range(self._table.columnCount()):
            if self.is_left_out(column):
                self._table.setColumnHidden(column, False)
        self._left_out.clear()
        self._widths.clear()
        self._keep()

    def _fill(self) -> None:
        self.menu.clear()
        for column in range(1, self._table.columnCount()):
            if self._table.isColumnHidden(column) and not self.is_left_out(column):
                continue  # there is nothing in it
            shown = self.menu.addAction(self._heading(column))
            assert shown is not None
            shown.setCheckable(True)
            shown.setChecked(not self.is_left_out(column))
            shown.toggled.connect(lambda on, c=column: self.leave_out(c, not on))
        self.menu.addSeparator()
        self.menu.addAction(tr("As usual"), self.as_usual)

    def _resized(self, column: int, before: int, now: int) -> None:
        """A width that somebody drags is meant; others are worked out."""
        header = self._table.horizontalHeader()
        dragged = QGuiApplication.mouseButtons() & Qt.MouseButton.LeftButton
        if header is not None and dragged and header.underMouse():
            self._widths[self._heading(column)] = now
            self._keep()

    def _heading(self, column: int) -> str:
        return heading_of(self._table, column)

    @property
    def _key(self) -> Key:
        return Key(f"tables/{self._table.accessibleName()}", "")

    def _read(self) -> None:
        """Once, as soon as the table stands in a window."""
        preferences = preferences_of(self._table) if not self._is_read else None
        if preferences is None:
            return
        self._is_read = True
        try:
            kept = json.loads(preferences.get(self._key) or "{}")
            self._left_out = {str(name) for name in kept.get("left out", ())}
            self._widths = {str(name): int(width) for name, width in kept.get("widths", {}).items()}
        except (ValueError, AttributeError, TypeError):
            return  # somebody wrote something else into the file: as usual

    def _keep(self) -> None:
        preferences = preferences_of(self._table)
        if preferences is not None:
            kept = {"left out": sorted(self._left_out), "widths": self._widths}
            preferences.set(self._key, json.dumps(kept, ensure_ascii=False))
