"""A form made from a record's model: sections of fields, each with its caption, and what is asked back below it."""

from collections.abc import Mapping

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.records import Listed
from pinch.language import tr
from pinch.ui.bench.field_widgets import FLAGS, Field, Kind, field_at, part_fields, text_at
from pinch.ui.bench.state import WIDE, Section
from pinch.ui.shell.words import hairline, label, mark

COLUMNS = 3
MOST_BESIDE = 4
"""Fields of a part in one line, such that a form fits beside its list."""


class Choice(QComboBox):
    """A list to choose from that leaves the wheel to the form: scrolling must not change a value."""

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        if e is not None:
            e.ignore()


class FieldEdit(QWidget):
    """One field: caption above, editor, and below it what is wrong or asked back. `entered` gives path and text."""

    entered = pyqtSignal(str, str)

    def __init__(self, wanted: Field, captioned: bool = True) -> None:
        super().__init__()
        self.wanted = wanted
        self._shown = ""
        words = f"{wanted.caption}, {wanted.unit}" if wanted.unit else wanted.caption
        self.editor: QLineEdit | QComboBox = self._make_editor()
        self.editor.setAccessibleName(words)
        self.message = QLabel()
        self.message.setWordWrap(True)
        self.message.setTextFormat(Qt.TextFormat.PlainText)
        self.message.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        if captioned:
            caption = label(words, "quiet")
            caption.setBuddy(self.editor)
            column.addWidget(caption)
        column.addWidget(self.editor)
        column.addWidget(self.message)

    def show_text(self, text: str, problem: str, question: str) -> None:
        """Show a value, or a draft with its problem."""
        self._shown = text
        if isinstance(self.editor, QComboBox):
            self.editor.setCurrentText(text)
        elif self.editor.text() != text:
            self.editor.setText(text)
            self.editor.setCursorPosition(0)
        self.message.setText(problem or question)
        self.message.setVisible(bool(problem or question))
        mark(self.message, "role", "problem" if problem else "question")
        mark(self.editor, "state", "problem" if problem else "")
        self.editor.setToolTip(problem or question or text)

    @property
    def text(self) -> str:
        """What stands in the editor."""
        return self.editor.currentText() if isinstance(self.editor, QComboBox) else self.editor.text()

    def _make_editor(self) -> QLineEdit | QComboBox:
        if self.wanted.kind not in (Kind.CHOICE, Kind.FLAG):
            line = QLineEdit()
            line.setPlaceholderText({Kind.DAY: "2026-09-01", Kind.PIXELS: "1920×1080"}.get(self.wanted.kind, ""))
            line.editingFinished.connect(self._finished)
            line.returnPressed.connect(self._confirmed)
            return line
        box = Choice()
        flags = [w for w, meant in FLAGS.items() if self.wanted.optional or meant is not None]
        box.addItems(list(map(tr, self.wanted.choices)) or flags)
        box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        box.activated.connect(self._finished)
        return box

    def _confirmed(self) -> None:
        """Enter on an unchanged value answers what was asked back about it."""
        if self.text == self._shown and self.message.text():
            self.entered.emit(self.wanted.path, self.text)

    def _finished(self) -> None:
        if self.text != self._shown:
            self._shown = self.text
            self.entered.emit(self.wanted.path, self.text)


class RowsEdit(QWidget):
    """A list of parts, a line each. `added` gives the path, `removed` path and number."""

    added = pyqtSignal(str)
    removed = pyqtSignal(str, int)

    def __init__(self, wanted: Field, count: int) -> None:
        super().__init__()
        assert wanted.part is not None
        self.edits: list[FieldEdit] = []
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        columns = part_fields(wanted.part)
        in_lines = len(columns) > MOST_BESIDE  # then each part takes several lines, its captions in them
        across = -(-len(columns) // (-(-len(columns) // MOST_BESIDE)))
        lines = -(-len(columns) // across)
        for place in range(across):
            grid.setColumnStretch(place, 1)
        if count and not in_lines:
            for place, column in enumerate(columns):
                words = f"{column.caption}, {column.unit}" if column.unit else column.caption
                grid.addWidget(label(words, "quiet"), 0, place)
        for number in range(count):
            for place, column in enumerate(columns):
                path = f"{wanted.path}.{number}.{column.path}"
                edit = FieldEdit(replace(column, path=path), captioned=in_lines)
                self.edits.append(edit)
                line, beside = divmod(place, across)
                grid.addWidget(edit, 1 + number * lines + line, beside, Qt.AlignmentFlag.AlignTop)
            remove = QPushButton(tr("Remove"))
            remove.setProperty("role", "slight")
            remove.setAccessibleName(tr("Remove line {number} of {caption}", number=number + 1, caption=wanted.caption))
            remove.clicked.connect(lambda _, n=number: self.removed.emit(wanted.path, n))
            end = Qt.AlignmentFlag.AlignBottom if in_lines else Qt.AlignmentFlag.AlignTop
            grid.addWidget(remove, (number + 1) * lines, across, end)
        self.add = QPushButton(tr("Add a line"))
        self.add.setProperty("role", "slight")
        self.add.setAccessibleName(tr("Add a line to {caption}", caption=wanted.caption))
        self.add.clicked.connect(lambda: self.added.emit(wanted.path))
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addStretch(1)
        grid.addLayout(row, 1 + count * lines, 0, 1, across + 1)


class FormView(QScrollArea):
    """`entered` gives path and text, `row_added` a path, `row_removed` path and number."""

    entered = pyqtSignal(str, str)
    row_added = pyqtSignal(str)
    row_removed = pyqtSignal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.edits: dict[str, FieldEdit] = {}
        self.adders: dict[str, QPushButton] = {}
        self._built_for: tuple[object, ...] = ()
        self._shown: tuple[object, ...] = ()

    def show_record(
        self,
        record: Listed,
        sections: tuple[Section, ...],
        texts: Mapping[str, str],
        problems: Mapping[str, str],
        questions: Mapping[str, str],
        caution: str,
    ) -> None:
        """Show a record with its drafts; the widgets stay while they fit, so that focus and place stay too."""
        lists = [f for s in sections for f in s.fields if field_at(type(record), f).kind is Kind.ROWS]
        key = (type(record), *(len(getattr(record, name)) for name in lists), bool(caution))
        place = self.verticalScrollBar()
        at = place.value() if place is not None and self._shown == (type(record), record.id) else 0
        if key != self._built_for:
            self._build(record, sections, caution).adjustSize()
            self._built_for = key
        self._shown = (type(record), record.id)
        if place is not None:
            place.setValue(at)
        for path, edit in self.edits.items():
            text = texts.get(path, text_at(record, path))
            edit.show_text(text, problems.get(path, ""), questions.get(path, ""))

    def leave(self) -> None:
        """Hand over what stands in the field that has the focus."""
        for edit in self.edits.values():
            if isinstance(edit.editor, QLineEdit) and edit.editor.hasFocus():
                edit.editor.editingFinished.emit()

    def _build(self, record: Listed, sections: tuple[Section, ...], caution: str) -> QWidget:
        self.edits, self.adders = {}, {}
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 14, 12)
        column.setSpacing(6)
        for section in sections:
            column.addWidget(hairline())
            column.addWidget(label(section.title, "heading"))
            grid, taken = QGridLayout(), 0
            grid.setHorizontalSpacing(14)
            grid.setVerticalSpacing(8)
            for place in range(COLUMNS):
                grid.setColumnStretch(place, 1)
            for path in section.fields:
                wanted = field_at(type(record), path)
                if wanted.kind is Kind.ROWS:
                    column.addWidget(self._rows(record, wanted))
                    continue
                span = 2 if path in WIDE else 1
                if taken % COLUMNS + span > COLUMNS:
                    taken += COLUMNS - taken % COLUMNS
                edit = self._own(FieldEdit(wanted))
                grid.addWidget(edit, taken // COLUMNS, taken % COLUMNS, 1, span, Qt.AlignmentFlag.AlignTop)
                taken += span
            column.addLayout(grid)
            column.addSpacing(4)
        if caution:
            column.addWidget(hairline())
            column.addWidget(label(tr("Caution"), "heading"))
            column.addWidget(label(caution, wrap=True))
        column.addStretch(1)
        self.setWidget(inside)
        return inside

    def _rows(self, record: Listed, wanted: Field) -> RowsEdit:
        rows = RowsEdit(wanted, len(getattr(record, wanted.path)))
        for edit in rows.edits:
            self._own(edit)
        rows.added.connect(self.row_added)
        rows.removed.connect(self.row_removed)
        self.adders[wanted.path] = rows.add
        return rows

    def _own(self, edit: FieldEdit) -> FieldEdit:
        edit.entered.connect(self.entered)
        self.edits[edit.wanted.path] = edit
        return edit
