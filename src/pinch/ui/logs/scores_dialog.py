"""One dialog for a table of scores: what each column says, and for all rows what no column does."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.book import Book
from pinch.bench.records import live
from pinch.bench.summaries import Origin
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.score_tables import Role, RoleMapping, RoleUse, Told, told_scores
from pinch.sources.sheets import Sheet
from pinch.ui.logs.state import told_words
from pinch.ui.shell.words import captioned, label

MOST_ROWS = 200
COLUMN_WIDTH = 150


class ScoresDialog(QDialog):
    """A table of scores on its way into the book. `rows` is what it comes to, `roles` how its columns are meant."""

    def __init__(self, sheet: Sheet, roles: RoleMapping, book: Book, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Scores from a table")
        self.resize(1080, 620)
        self._sheet, self._book, self._guessed = sheet, book, roles
        self.rows: tuple[Told, ...] = ()
        self.boxes = [self._role_box(use) for use in roles.columns]
        whose, told_by, dated = QComboBox(), QLineEdit(), QLineEdit()
        whose.addItems([str(origin) for origin in Origin])
        told_by.setPlaceholderText("a name, a magazine, a page")
        dated.setPlaceholderText("such as 2026-09-14")
        self.common: dict[Role, QComboBox | QLineEdit] = {
            Role.DEVICE: _names([d.name for d in live(book.devices())]),
            Role.SETTING: _names([]),
            Role.WORKLOAD: _names([w.name for w in live(book.workloads())]),
            Role.ORIGIN: whose,
            Role.BY: told_by,
            Role.DATED: dated,
        }
        self._lay_out()
        self._fill()
        self._work_out()

    @property
    def roles(self) -> RoleMapping:
        """How the columns are meant; all of it is sure now."""
        return RoleMapping(
            columns=tuple(
                RoleUse(column=use.column, role=box.currentData())
                for use, box in zip(self._guessed.columns, self.boxes, strict=True)
            )
        )

    def accept(self) -> None:
        self._work_out()
        if self.rows:
            super().accept()

    def _role_box(self, use: RoleUse) -> QComboBox:
        box = QComboBox()
        for role in Role:
            box.addItem(str(role), role)
        box.setCurrentIndex(box.findData(use.role))
        box.setAccessibleName(f"What the column {use.column} says")
        if use.doubtful:
            box.setToolTip("This is a guess: is it right?")
        box.currentIndexChanged.connect(self._work_out)
        return box

    def _lay_out(self) -> None:
        self.heading = label("", "heading", wrap=True)
        self.table = QTableWidget(0, len(self._sheet.names))
        self.table.setAccessibleName("The table, with what each column says")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        header.setDefaultSectionSize(COLUMN_WIDTH)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        side.setDefaultSectionSize(25)
        self.preview = QTableWidget(0, 2)
        self.preview.setHorizontalHeaderLabels(("Run", "Score"))
        self.preview.setAccessibleName("What the rows come to")
        if (head := self.preview.horizontalHeader()) is not None:
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        if (rows := self.preview.verticalHeader()) is not None:
            rows.hide()
            rows.setDefaultSectionSize(25)
        form = QGridLayout()
        form.setHorizontalSpacing(14)
        captions = ("Device", "Setting", "Workload", "Whose figures", "Told by", "Of when")
        for place, (caption, widget) in enumerate(zip(captions, self.common.values(), strict=True)):
            form.addWidget(captioned(caption, widget), 0, place)
            changed = widget.currentTextChanged if isinstance(widget, QComboBox) else widget.textChanged
            changed.connect(self._work_out)
            form.setColumnStretch(place, 1)
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._ok = self.buttons.button(kinds.Ok)
        assert self._ok is not None
        self._ok.setProperty("role", "main")
        self.error = label("", "problem", wrap=True)
        whole = QVBoxLayout(self)
        whole.addWidget(self.heading)
        whole.addWidget(self.table, 3)
        whole.addWidget(label("Where no column says it, all rows are", "quiet"))
        whole.addLayout(form)
        whole.addWidget(label("They become", "quiet"))
        whole.addWidget(self.preview, 2)
        whole.addWidget(self.error)
        whole.addWidget(self.buttons)

    def _fill(self) -> None:
        """The roles above the rows as they stand in the table."""
        self.table.setHorizontalHeaderLabels(self._sheet.names)
        rows = self._sheet.rows[:MOST_ROWS]
        self.table.setRowCount(1 + len(rows))
        self.table.setVerticalHeaderLabels(["says", *(str(n) for n in self._sheet.lines[:MOST_ROWS])])
        self.table.setRowHeight(0, 32)
        for place, box in enumerate(self.boxes):
            self.table.setCellWidget(0, place, box)
        for r, row in enumerate(rows, 1):
            for c, cell in enumerate(row):
                self.table.setItem(r, c, QTableWidgetItem(cell))

    def _work_out(self) -> None:
        """What the rows come to as everything is said now, or why they do not."""
        self._offer_settings()
        try:
            common = {role: _text(widget) for role, widget in self.common.items()}
            self.rows = told_scores(self._sheet, self.roles, common)
            problem = ""
        except PinchError as error:
            self.rows, problem = (), str(error)
        for role, widget in self.common.items():
            widget.setEnabled(role not in [box.currentData() for box in self.boxes])
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
        self.preview.setRowCount(len(self.rows))
        for r, told in enumerate(self.rows):
            for c, text in enumerate(told_words(told)):
                self.preview.setItem(r, c, QTableWidgetItem(text))
        scores = counted(len(self.rows), "score")
        asked = [use.column for use, box in zip(self._guessed.columns, self.boxes, strict=True) if use.doubtful]
        self.heading.setText(_heading(scores, self.rows, asked))
        assert self._ok is not None
        self._ok.setText(f"Add {scores}" if self.rows else "Add")
        self._ok.setEnabled(bool(self.rows))

    def _offer_settings(self) -> None:
        box = self.common[Role.SETTING]
        assert isinstance(box, QComboBox)
        device = next((d for d in self._book.devices() if d.name == _text(self.common[Role.DEVICE])), None)
        names = [s.name for s in live(self._book.settings(device.id))] if device else []
        if names != [box.itemText(i) for i in range(box.count())]:
            text = box.currentText()
            box.blockSignals(True)
            box.clear()
            box.addItems(names)
            box.setCurrentText(text)
            box.blockSignals(False)


def _names(names: Sequence[str]) -> QComboBox:
    box = QComboBox()
    box.setEditable(True)
    box.addItems(names)
    box.setCurrentIndex(-1)
    box.setCurrentText("")
    return box


def _text(widget: QComboBox | QLineEdit) -> str:
    return widget.currentText() if isinstance(widget, QComboBox) else widget.text()


def _heading(scores: str, rows: Sequence[Told], asked: Sequence[str]) -> str:
    devices = len({told.device for told in rows})
    words = f"{scores} of {counted(devices, 'device')}, without a log." if rows else "No score yet."
    return f"{words} Not sure: {', '.join(asked)}." if asked else words
