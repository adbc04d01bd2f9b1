"""Readings by hand in a grid: runs below each other, what was read where and when beside each other."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.book import Book
from pinch.bench.entry import read_quantity
from pinch.bench.readings import PLACES, ROOM_PLACE, Instrument, Quantity, ReadAt, place_of
from pinch.bench.records import Run, live
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.reading_grid import (
    ReadingColumn,
    ReadingWork,
    keep_readings,
    reading_text,
    readings_there,
    readings_work,
)
from pinch.intake.typed_fields import Field
from pinch.language import tr
from pinch.narrative import cautions
from pinch.ui.dialogs import agrees
from pinch.ui.results.grid_table import GridTable, KeepButtons
from pinch.ui.shell.words import captioned, label

WHOLE = (
    *(ReadingColumn(Quantity.WALL, ReadAt.IDLE), ReadingColumn(Quantity.WALL)),
    *(ReadingColumn(Quantity.NOISE, ReadAt.IDLE), ReadingColumn(Quantity.NOISE), ReadingColumn(Quantity.ROOM)),
)
FIRST = (ReadingColumn(Quantity.WALL, ReadAt.IDLE), ReadingColumn(Quantity.WALL), ReadingColumn(Quantity.NOISE))
WITH_INSTRUMENT = (Quantity.WALL, Quantity.NOISE, Quantity.SURFACE)


class ReadingGridDialog(QDialog):
    """`runs` with the names of their rows; `change` does a change of the book as one step that can be taken back."""

    def __init__(
        self,
        book: Book,
        runs: Sequence[tuple[Run, str]],
        change: Callable[[str, Callable[[], object]], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Readings in a grid"))
        self.resize(1120, 640)
        self._book, self._change, self._all = book, change, list(runs)
        self.rows, self.columns, self.place = QListWidget(), QListWidget(), QLineEdit()
        self.table = GridTable()
        self.instruments = {quantity: QComboBox() for quantity in WITH_INSTRUMENT}
        self.distance, self.room = QLineEdit(), QLineEdit()
        self.words, self.error = label("", "quiet", wrap=True), label("", "problem", wrap=True)
        self._typed: dict[tuple[int, ReadingColumn], str] = {}
        self._work = ReadingWork()
        self._set_up()
        self._lay_out()
        self._rebuild()

    @property
    def shown_runs(self) -> list[Run]:
        """The runs that are ticked."""
        return [run for (run, _), ticked in zip(self._all, _ticks(self.rows), strict=True) if ticked]

    @property
    def shown_columns(self) -> list[ReadingColumn]:
        """The columns that are ticked."""
        items = [self.columns.item(n) for n in range(self.columns.count())]
        return [
            i.data(Qt.ItemDataRole.UserRole) for i in items if i is not None and i.checkState() is Qt.CheckState.Checked
        ]

    def keep(self) -> None:
        """Keep what is typed in the fields shown."""
        work = self._work
        if not work.size or work.problems:
            return
        meter = self.instruments[Quantity.NOISE].currentData()
        by = meter.name if isinstance(meter, Instrument) else ""
        room = self._number(self.room, "dB(A)")
        self._change(
            tr("keep {kept}", kept=counted(len(work.kept), "reading")),
            lambda: keep_readings(self._book, work, room, by),
        )
        for run in self.shown_runs:
            for column in self.shown_columns:
                self._typed.pop((run.id, column), None)
        self._rebuild()
        self.words.setText(
            tr(
                "{size} in the book; Ctrl+Z there takes them back.",
                size=counted(work.size, "reading is", "readings are"),
            )
        )

    def reject(self) -> None:
        lost = sum(bool(text.strip()) for text in self._typed.values())
        words = tr("{lost} not kept yet.", lost=counted(lost, "typed field is", "typed fields are"))
        if not lost or agrees(self, tr("Close the grid?"), words):
            super().reject()

    def _rebuild(self) -> None:
        runs, columns = self.shown_runs, self.shown_columns
        there = readings_there(self._book, runs, columns)
        names = {run.id: name for run, name in self._all}
        texts: dict[Field, str] = {}
        for r, run in enumerate(runs):
            for c, column in enumerate(columns):
                texts[r, c] = self._typed.get((run.id, column), reading_text(there.get((r, c), [])))
        self.table.show_fields([names[run.id] for run in runs], [column.words for column in columns], texts)
        self._fixed = {at for at, own in there.items() if len(own) > 1}
        self._work_out()

    def _take_in(self, fields: list[Field]) -> None:
        runs, columns = self.shown_runs, self.shown_columns
        for r, c in fields:
            self._typed[runs[r].id, columns[c]] = self.table.text_of((r, c))
        self._work_out()

    def _work_out(self) -> None:
        runs, columns = self.shown_runs, self.shown_columns
        texts = {
            (r, c): self._typed[run.id, column]
            for r, run in enumerate(runs)
            for c, column in enumerate(columns)
            if (run.id, column) in self._typed
        }
        meters = {quantity: box.currentData() for quantity, box in self.instruments.items()}
        problem = ""
        try:
            self._number(self.room, "dB(A)")
            self._work = readings_work(self._book, runs, columns, texts, meters, self._number(self.distance, "mm"))
        except PinchError as error:
            self._work, problem = ReadingWork(), str(error)
        work = self._work
        if work.problems:
            (r, c), sentence = next(iter(work.problems.items()))
            problem = tr(
                "{columns} of {all}: {sentence}",
                columns=columns[c].words,
                all=self._all[[run.id for run, _ in self._all].index(runs[r].id)][1],
                sentence=sentence,
            )
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
        self.words.setText(" ".join([work.words, *list(work.questions.values())[:2]]))
        self.table.mark(work.problems, work.questions, self._fixed)
        self.keep_button.setText(
            tr("Keep {kept}", kept=counted(len(work.kept), "reading")) if work.size else tr("Keep")
        )
        self.keep_button.setEnabled(bool(work.size) and not problem)

    @staticmethod
    def _number(edit: QLineEdit, unit: str) -> float | None:
        return read_quantity(edit.text(), unit).value if edit.text().strip() else None

    def _add_place(self) -> None:
        name = self.place.text().strip().lower().replace(" ", "_")
        if not name:
            return
        self.place.clear()
        column = ReadingColumn(Quantity.SURFACE, ReadAt.UNTOLD, name)
        items = [item for n in range(self.columns.count()) if (item := self.columns.item(n)) is not None]
        known = next((item for item in items if item.data(Qt.ItemDataRole.UserRole) == column), None)
        if known is not None:
            known.setCheckState(Qt.CheckState.Checked)
        else:
            self._column(column, True)
            self._rebuild()

    def _column(self, column: ReadingColumn, ticked: bool) -> None:
        item = QListWidgetItem(column.words)
        item.setData(Qt.ItemDataRole.UserRole, column)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.columns.addItem(item)

    def _set_up(self) -> None:
        places = [place_of(words) for words in map(tr, PLACES) if place_of(words) != ROOM_PLACE]
        there = {
            ReadingColumn(r.quantity, ReadAt.UNTOLD if r.phase is ReadAt.LOAD else r.phase, r.place)
            for run, _ in self._all
            for r in self._book.readings(run.id)
            if r.place != ROOM_PLACE and r.quantity is not Quantity.CHARGE
        }
        offered = [*WHOLE, *(ReadingColumn(Quantity.SURFACE, ReadAt.UNTOLD, p) for p in places)]
        for column in dict.fromkeys([*offered, *sorted(there, key=lambda c: c.words)]):
            self._column(column, column in FIRST or column in there)
        for _, name in self._all:
            item = QListWidgetItem(name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.rows.addItem(item)
        self.rows.setAccessibleName(tr("Runs that stand in the rows"))
        self.columns.setAccessibleName(tr("What is read in the columns"))
        self.place.setPlaceholderText(tr("Another surface, then Enter"))
        self.place.setAccessibleName(tr("Another surface"))
        for quantity, box in self.instruments.items():
            box.addItem(tr("not noted"), None)
            for instrument in live(self._book.instruments()):
                if instrument.measures is quantity:
                    box.addItem(instrument.name, instrument)
            box.setCurrentIndex(box.count() - 1)
            box.setAccessibleName(tr("Instrument of the {quantity}", quantity=quantity))
            box.activated.connect(lambda _: self._work_out())
        self.distance.setPlaceholderText(tr("such as 50 cm"))
        self.room.setPlaceholderText(tr("dB(A) of the room alone"))
        for edit in (self.distance, self.room):
            edit.textChanged.connect(lambda _: self._work_out())
        for things in (self.rows, self.columns):
            things.itemChanged.connect(lambda _: self._rebuild())
        self.place.returnPressed.connect(self._add_place)
        self.table.typed.connect(self._take_in)
        self.table.overflowed.connect(
            lambda n: self.words.setText(
                tr("{n} found no row or column; tick more on the left.", n=counted(n, "copied cell"))
            )
        )

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        for caption, widget in ((tr("Runs"), self.rows), (tr("What was read"), self.columns)):
            side.addWidget(label(caption, "quiet"))
            side.addWidget(widget, 1)
            widget.setFixedWidth(240)
        side.addWidget(self.place)
        common = QGridLayout()
        common.setHorizontalSpacing(12)
        fields: dict[str, QWidget] = {
            tr("{words} by", words=tr(q).capitalize()): box for q, box in self.instruments.items()
        }
        fields |= {tr("Noise from"): self.distance, tr("Room alone"): self.room}
        for place, (caption, field) in enumerate(fields.items()):
            common.addWidget(captioned(caption, field), 0, place)
            common.setColumnStretch(place, 1)
        buttons = KeepButtons()
        self.keep_button = buttons.keep
        self.keep_button.clicked.connect(self.keep)
        buttons.rejected.connect(self.reject)
        right = QVBoxLayout()
        right.addWidget(label(tr("Type a value or a range such as 41.6–42, or paste copied cells."), "quiet"))
        right.addWidget(self.table, 1)
        right.addLayout(common)
        right.addWidget(label(cautions.READING[Quantity.SURFACE], "quiet", wrap=True))
        right.addWidget(self.words)
        right.addWidget(self.error)
        right.addWidget(buttons)
        whole = QHBoxLayout(self)
        whole.setSpacing(14)
        whole.addLayout(side)
        whole.addLayout(right, 1)


def _ticks(things: QListWidget) -> list[bool]:
    items = [things.item(n) for n in range(things.count())]
    return [item is not None and item.checkState() is Qt.CheckState.Checked for item in items]
