"""One dialog for a table of results: what each column says, and for all rows what no column does."""

from collections.abc import Sequence

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
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
from pinch.intake.table_roles import Role, RoleMapping, RoleUse, open_questions
from pinch.intake.told_rows import ToldTable, told_rows
from pinch.language import tr
from pinch.sources.sheets import Sheet
from pinch.sources.table_cells import DecimalMark
from pinch.ui.logs.state import told_words
from pinch.ui.shell.words import captioned, label

MOST_ROWS = 200
MOST_SAID = 3
COLUMN_WIDTH = 172
ASKS = tr("what is it?")
DOT, COMMA = tr("a dot"), tr("a comma")


class ScoresDialog(QDialog):
    """A table of results on its way into the book. `table_told` is what it comes to, `roles` how its columns are
    meant."""

    def __init__(self, sheet: Sheet, roles: RoleMapping, book: Book, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Results from a table"))
        self.resize(1120, 700)
        self._sheet, self._book, self._guessed = roles.of_sheet(sheet), book, roles
        self.table_told = ToldTable(())
        self.decimal = QComboBox()
        self.decimal.addItem(DOT, ".")
        self.decimal.addItem(COMMA, ",")
        self.decimal.setCurrentIndex(self.decimal.findData(self._sheet.mark.mark))
        self.decimal.activated.connect(self._say_mark)
        self.boxes = [self._role_box(use) for use in roles.columns]
        whose, told_by, dated = QComboBox(), QLineEdit(), QLineEdit()
        for origin in Origin:
            whose.addItem(tr(origin), origin)
        told_by.setPlaceholderText(tr("a name, a magazine, a page"))
        dated.setPlaceholderText(tr("such as 2026-09-14"))
        self.common: dict[Role, QComboBox | QLineEdit] = {
            Role.DEVICE: _names([d.name for d in live(book.devices())]),
            Role.SETTING: _names([]),
            Role.WORKLOAD: _names([w.name for w in live(book.workloads()) if w.variant_of is None]),
            Role.VARIANT: _names([]),
            Role.METRIC: _names([]),
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
            ),
            decimal=self._sheet.mark.mark if self._sheet.mark.sure else "",
        )

    def accept(self) -> None:
        self._work_out()
        if self._ok is not None and self._ok.isEnabled():
            super().accept()

    def _say_mark(self) -> None:
        self._sheet = replace(self._sheet, mark=DecimalMark(self.decimal.currentData()))
        self._work_out()

    def _role_box(self, use: RoleUse) -> QComboBox:
        box = QComboBox()
        for role in Role:
            box.addItem(ASKS if role is Role.UNKNOWN else tr(role), role)
        box.setCurrentIndex(box.findData(use.role))
        box.setAccessibleName(tr("What the column {column} says", column=use.column))
        if use.doubtful:
            box.setToolTip(tr("This is a guess: is it right?"))
        box.currentIndexChanged.connect(self._work_out)
        return box

    def _lay_out(self) -> None:
        self.heading = label("", "heading", wrap=True)
        self.table = QTableWidget(0, len(self._sheet.names))
        self.table.setAccessibleName(tr("The table, with what each column says"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        header.setDefaultSectionSize(COLUMN_WIDTH)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        side.setDefaultSectionSize(25)
        self.preview = QTableWidget(0, 2)
        self.preview.setHorizontalHeaderLabels((tr("Of"), tr("Result")))
        self.preview.setAccessibleName(tr("What the rows come to"))
        if (head := self.preview.horizontalHeader()) is not None:
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        if (rows := self.preview.verticalHeader()) is not None:
            rows.hide()
            rows.setDefaultSectionSize(25)
        form = QGridLayout()
        form.setHorizontalSpacing(14)
        captions = (
            tr("Device"),
            tr("Setting"),
            tr("Workload"),
            tr("Variant"),
            tr("Metric"),
            tr("Whose figures"),
            tr("Told by"),
            tr("Of when"),
        )
        for place, (caption, widget) in enumerate(zip(captions, self.common.values(), strict=True)):
            form.addWidget(captioned(caption, widget), place // 4, place % 4)
            changed = widget.currentTextChanged if isinstance(widget, QComboBox) else widget.textChanged
            changed.connect(self._work_out)
            form.setColumnStretch(place % 4, 1)
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._ok = self.buttons.button(kinds.Ok)
        assert self._ok is not None
        self._ok.setProperty("role", "main")
        self.error = label("", "problem", wrap=True)
        self.notes = label(" ".join(self._sheet.notes), "quiet", wrap=True)
        self.notes.setVisible(bool(self._sheet.notes))
        marks = QHBoxLayout()
        marks.addWidget(label(tr("The decimal mark of its numbers is"), "quiet"))
        marks.addWidget(self.decimal)
        self.decimal.setAccessibleName(tr("Decimal mark of the table"))
        marks.addStretch(1)
        whole = QVBoxLayout(self)
        whole.addWidget(self.heading)
        whole.addWidget(self.notes)
        whole.addLayout(marks)
        whole.addWidget(self.table, 3)
        whole.addWidget(label(tr("Where no column says it, all rows are"), "quiet"))
        whole.addLayout(form)
        whole.addWidget(label(tr("They become"), "quiet"))
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
        problems: Sequence[str] = ()
        try:
            common = {role: text for role, widget in self.common.items() if (text := _text(widget).strip())}
            self.table_told = told_rows(self._sheet, self.roles, common)
            problems = self.table_told.problems
        except PinchError as error:
            self.table_told, problems = ToldTable(()), (str(error),)
        said = [box.currentData() for box in self.boxes]
        for role, widget in self.common.items():
            widget.setEnabled(role not in said)
        unknown = [q for q in open_questions(self._sheet, self.roles) if not q.startswith("Is ")]
        shown = [*unknown, *problems][:MOST_SAID]
        more = len(unknown) + len(problems) - len(shown)
        self.error.setText("\n".join([*shown, *([tr("And {more} more.", more=more)] if more else [])]))
        self.error.setVisible(bool(shown))
        values = [(told, value) for told in self.table_told.rows for value in told.values]
        self.preview.setRowCount(min(len(values), MOST_ROWS))
        for r, (told, value) in enumerate(values[:MOST_ROWS]):
            for c, text in enumerate(told_words(told, value)):
                self.preview.setItem(r, c, QTableWidgetItem(text))
        results = counted(len(values), "result")
        asked = [use.column for use, box in zip(self._guessed.columns, self.boxes, strict=True) if use.doubtful]
        self.heading.setText(_heading(results, self.table_told, asked))
        assert self._ok is not None
        self._ok.setText(tr("Add {results}", results=results) if values else tr("Add"))
        self._ok.setEnabled(bool(values) and not unknown)

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


def _heading(results: str, told: ToldTable, asked: Sequence[str]) -> str:
    devices = len({row.device for row in told.rows})
    words = (
        tr("{results} of {devices}, without a log.", results=results, devices=counted(devices, "device"))
        if told.rows
        else tr("No result yet.")
    )
    left = (
        tr(" {problems} with something that makes no sense.", problems=counted(len(told.problems), "row"))
        if told.problems
        else ""
    )
    return (
        tr("{words}{left} Not sure: {asked}.", words=words, left=left, asked=", ".join(asked))
        if asked
        else f"{words}{left}"
    )
