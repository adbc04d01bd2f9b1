"""Results typed in a grid: what stands in its rows and columns is chosen, the rest is held."""

from collections.abc import Callable, Mapping

from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.book import Book
from pinch.bench.entry import read_count, read_day
from pinch.bench.summaries import Origin
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.entry_grid import EntryGrid, GridWork, Provenance, Side, keep, there, value_words, work_of
from pinch.intake.typed_fields import Field
from pinch.language import tr
from pinch.ui.dialogs import agrees
from pinch.ui.results.grid_table import GridTable, KeepButtons
from pinch.ui.results.side_box import SideBox
from pinch.ui.results.state import Offered, first_metrics, offered, unit_of, works_of
from pinch.ui.shell.words import captioned, label

SIDE_WIDTH = 256
Place = tuple[str, ...]
"""What a field is of, side by side: under this what was typed is kept while rows and columns change."""


class GridDialog(QDialog):
    """`change` does a change of the book as one step that can be taken back. `held` is what the grid begins with."""

    def __init__(
        self,
        book: Book,
        held: Mapping[Side, str],
        change: Callable[[str, Callable[[], object]], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Results in a grid"))
        self.resize(1120, 680)
        self._book, self._change = book, change
        variants = len(works_of(book, [held.get(Side.WORKLOAD, "")])) > 1
        self.rows = SideBox(tr("Rows"), Side.WORKLOAD)
        self.columns = SideBox(tr("Columns"), Side.VARIANT if variants else Side.METRIC)
        self.held = {side: QComboBox() for side in Side}
        self.table = GridTable()
        self.origin, self.by, self.day, self.n, self.units, self.note = QComboBox(), *(QLineEdit() for _ in range(5))
        self.words, self.error = label("", "quiet", wrap=True), label("", "problem", wrap=True)
        self._typed: dict[Place, str] = {}
        self._grid = EntryGrid(self.rows.side, self.columns.side, (), (), {})
        self._fixed: set[Field] = set()
        self._work = GridWork()
        self._set_up(held)
        self._lay_out()
        self._first_ticks(held)
        self._connect()
        self._rebuild()

    # What is chosen

    @property
    def said(self) -> Provenance:
        """What is said of all that is typed.

        Raises
        ------
        PinchError : a count or the day makes no sense.
        """
        return Provenance(
            Origin(self.origin.currentData()),
            self.by.text().strip(),
            read_day(self.day.text()) if self.day.text().strip() else "",
            read_count(self.n.text(), "runs"),
            read_count(self.units.text(), "units"),
            self.note.text().strip(),
        )

    def _names(self, side: Side) -> list[str]:
        """The things of a kind that the grid is of: those ticked, else the one held."""
        for box in (self.rows, self.columns):
            if box.side is side:
                return [t.key for t in box.ticked]
        return [self._held_key(side)]

    def _held_key(self, side: Side) -> str:
        combo = self.held[side]
        at = combo.findText(combo.currentText())
        return str(combo.itemData(at)) if at >= 0 else combo.currentText().strip()

    # Showing

    def _first_ticks(self, held: Mapping[Side, str]) -> None:
        """Begin with all workloads, where variants stand beside each other with those that have any."""
        works = [t.key for t in offered(Side.WORKLOAD, self._book, (), ())]
        if self.columns.side is Side.VARIANT:
            works = [w for w in works if len(works_of(self._book, [w])) > 1]
        self.rows.offer(offered(Side.WORKLOAD, self._book, (), ()), works)
        things = offered(self.columns.side, self._book, (), works)
        ticks = first_metrics(things) if self.columns.side is Side.METRIC else [t.key for t in things]
        self.columns.offer(things, ticks)
        for side, combo in self.held.items():
            self._offer_held(side, combo)
            at = combo.findData(held.get(side, ""))
            if at >= 0:
                combo.setCurrentIndex(at)

    def _offer_held(self, side: Side, combo: QComboBox) -> None:
        things = self._offered(side)
        if side is Side.VARIANT:
            things = [Offered("", tr("the workload as it is")), *things]
        if [combo.itemData(n) for n in range(combo.count())] != [t.key for t in things]:
            key, text = self._held_key(side), combo.currentText()
            combo.clear()
            for thing in things:
                combo.addItem(thing.words, thing.key)
            at = combo.findData(key)
            if at >= 0:
                combo.setCurrentIndex(at)
            elif text:
                combo.setCurrentText(text)

    def _offered(self, side: Side) -> list[Offered]:
        return offered(side, self._book, self._names(Side.DEVICE), self._names(Side.WORKLOAD))

    def _other_side(self, box: SideBox) -> None:
        """Another kind of thing stands in the rows or columns; where the other side has it already, they change."""
        before = self._grid.rows if box is self.rows else self._grid.columns
        other = self.columns if box is self.rows else self.rows
        if other.side is box.side:
            ticked = [t.key for t in other.ticked]
            other.set_side(before)
            other.offer(self._offered(before), [t.key for t in box.ticked])
            box.offer(self._offered(box.side), ticked)
        else:
            things = self._offered(box.side)
            held = self._held_key(box.side)
            one_of_many = box.side is Side.METRIC or len(things) > 8
            ticks = [held] if one_of_many and held in [t.key for t in things] else [t.key for t in things]
            box.offer(things, ticks)
        self._rebuild()

    def _rebuild(self) -> None:
        """Other rows or columns: what they offer, and the fields of what is ticked."""
        for box in (self.rows, self.columns):
            box.offer(self._offered(box.side), [t.key for t in box.ticked])
        for side, combo in self.held.items():
            combo.blockSignals(True)
            self._offer_held(side, combo)
            combo.blockSignals(False)
            self._form.setRowVisible(combo, side not in (self.rows.side, self.columns.side))
        rows, columns = self.rows.ticked, self.columns.ticked
        held = {side: self._held_key(side) for side in self.held if side not in (self.rows.side, self.columns.side)}
        names = tuple(t.key for t in rows), tuple(t.key for t in columns)
        self._grid = EntryGrid(self.rows.side, self.columns.side, *names, held)
        self._show_fields([t.words for t in rows], [t.words for t in columns])

    def _show_fields(self, rows: list[str], columns: list[str]) -> None:
        try:
            own = there(self._book, self._grid, self.said)
        except PinchError:
            own = {}
        texts = {}
        for r in range(len(rows)):
            for c in range(len(columns)):
                place = self._place((r, c))
                texts[r, c] = self._typed.get(place, value_words(own.get((r, c), ())))
        self._fixed = {at for at, results in own.items() if len(results) > 1}
        self.table.show_fields(rows, columns, texts)
        self._work_out()

    def _place(self, at: Field) -> Place:
        try:
            return tuple(self._grid.of(at).values())
        except PinchError:
            return ("", *map(str, at))

    def _take_in(self, fields: list[Field]) -> None:
        for at in fields:
            self._typed[self._place(at)] = self.table.text_of(at)
        self._work_out()

    def _work_out(self) -> None:
        """What the grid would do to the book as it stands, or what is wrong with it."""
        grid = self._grid
        shown = [(r, c) for r in range(len(grid.row_names)) for c in range(len(grid.column_names))]
        texts = {at: self._typed[self._place(at)] for at in shown if self._place(at) in self._typed}
        problem = ""
        try:
            self._work = work_of(self._book, grid, texts, self.said, lambda of: unit_of(self._book, of))
        except PinchError as error:
            self._work, problem = GridWork(), str(error)
        work = self._work
        if work.problems:
            at, sentence = next(iter(work.problems.items()))
            problem = f"{self._named(at)}: {sentence}"
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
        asked = [f"{self._named(at)}: {question}" for at, question in work.questions.items()]
        elsewhere = sum(bool(text.strip()) for place, text in self._typed.items()) - sum(
            bool(text.strip()) for text in texts.values()
        )
        aside = (
            [tr("{elsewhere} not shown here now.", elsewhere=counted(elsewhere, "typed field"))] if elsewhere else []
        )
        self.words.setText(" ".join([work.words, *aside, *asked[:2]]))
        self.table.mark(work.problems, work.questions, self._fixed)
        self.keep_button.setText(tr("Keep {size}", size=counted(work.size, "result")) if work.size else tr("Keep"))
        self.keep_button.setEnabled(bool(work.size) and not problem)

    def _named(self, at: Field) -> str:
        header = [self.table.verticalHeaderItem(at[0]), self.table.horizontalHeaderItem(at[1])]
        return ", ".join(item.text() for item in header if item is not None)

    # What is done

    def keep(self) -> None:
        """Keep what is typed in the fields shown."""
        work, grid = self._work, self._grid
        if not work.size or work.problems:
            return
        try:
            self._change(tr("type {size}", size=counted(work.size, "result")), lambda: keep(self._book, grid, work))
        except PinchError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        for at in [(r, c) for r in range(len(grid.row_names)) for c in range(len(grid.column_names))]:
            self._typed.pop(self._place(at), None)
        self._rebuild()
        self.words.setText(
            tr("{size} in the book; Ctrl+Z there takes them back.", size=counted(work.size, "result is", "results are"))
        )

    def reject(self) -> None:
        """Close it; what was typed and not kept is asked about."""
        if self._may_close():
            super().reject()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is not None and not self._may_close():
            event.ignore()

    def _may_close(self) -> bool:
        lost = sum(bool(text.strip()) for text in self._typed.values())
        return not lost or agrees(
            self,
            tr("Close the grid?"),
            tr("{lost} not kept yet.", lost=counted(lost, "typed field is", "typed fields are")),
        )

    # Set-up

    def _set_up(self, held: Mapping[Side, str]) -> None:
        for side, combo in self.held.items():
            combo.setEditable(True)
            combo.setAccessibleName(tr("{words} of all fields", words=tr(side).capitalize()))
            combo.addItem(held.get(side, ""), held.get(side, ""))
        for origin in Origin:
            self.origin.addItem(tr(origin), origin)
        hints = {self.by: tr("a name, a page"), self.day: "2026-09-14", self.n: "1", self.units: "1"}
        for edit, hint in hints.items():
            edit.setPlaceholderText(hint)
        for box in (self.rows, self.columns):
            box.setFixedWidth(SIDE_WIDTH)

    def _lay_out(self) -> None:
        self._form = QFormLayout()
        self._form.setContentsMargins(0, 0, 0, 0)
        for side, combo in self.held.items():
            self._form.addRow(tr(side).capitalize(), combo)
            combo.setMinimumWidth(120)
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        side_column = QVBoxLayout()
        side_column.setSpacing(8)
        side_column.addWidget(self.rows, 3)
        side_column.addWidget(self.columns, 3)
        side_column.addWidget(label(tr("In all fields"), "quiet"))
        side_column.addLayout(self._form)
        common = QGridLayout()
        common.setHorizontalSpacing(12)
        fields = {
            tr("Whose figures"): self.origin,
            tr("Told by"): self.by,
            tr("Of when"): self.day,
            tr("Runs behind each"): self.n,
        }
        fields |= {tr("Units behind each"): self.units, tr("Note"): self.note}
        for place, (caption, widget) in enumerate(fields.items()):
            common.addWidget(captioned(caption, widget), 0, place)
            common.setColumnStretch(place, 1)
        buttons = KeepButtons()
        self.keep_button = buttons.keep
        buttons.rejected.connect(self.reject)
        right = QVBoxLayout()
        right.addWidget(label(tr("Type, or paste copied cells from the chosen field on. Enter goes down."), "quiet"))
        right.addWidget(self.table, 1)
        right.addLayout(common)
        right.addWidget(self.words)
        right.addWidget(self.error)
        right.addWidget(buttons)
        whole = QHBoxLayout(self)
        whole.setSpacing(14)
        whole.addLayout(side_column)
        whole.addLayout(right, 1)

    def _connect(self) -> None:
        self.keep_button.clicked.connect(self.keep)
        for box in (self.rows, self.columns):
            box.changed.connect(self._rebuild)
            box.side_chosen.connect(lambda box=box: self._other_side(box))
        for combo in self.held.values():
            combo.currentTextChanged.connect(lambda _: self._rebuild())
        self.origin.currentTextChanged.connect(lambda _: self._rebuild())
        self.by.editingFinished.connect(self._rebuild)
        for edit in (self.day, self.n, self.units, self.note):
            edit.textChanged.connect(lambda _: self._work_out())
        self.table.typed.connect(self._take_in)
        self.table.overflowed.connect(
            lambda n: self.words.setText(
                tr("{n} found no row or column; tick more of them on the left.", n=counted(n, "copied cell"))
            )
        )
