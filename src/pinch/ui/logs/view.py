"""One dialog for logs that come into the book: where each belongs, which frames go with which sensors, and what its
columns are."""

from collections.abc import Callable, Sequence
from os.path import commonpath
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QItemSelection, QItemSelectionModel, Qt
from PyQt6.QtGui import QFont, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.book import Book
from pinch.bench.entry import read_quantity
from pinch.bench.files import write_model
from pinch.bench.records import Device, Setting, Workload, checked, live
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.intake.arrivals import Batch, arrivals_of, put_together, taken_apart
from pinch.intake.completing import Completion
from pinch.intake.filing import NamePattern
from pinch.intake.pairing import holds_frames_only
from pinch.language import numeral, tr
from pinch.sources.logs.mapping import ColumnMapping, read_mapping
from pinch.sources.logs.read import ReadLog
from pinch.ui import look
from pinch.ui.complete_dialog import CompleteDialog
from pinch.ui.file_dialogs import open_name, save_name
from pinch.ui.logs.columns import ColumnsTable
from pinch.ui.logs.state import (
    Answers,
    asks_about_dates,
    began_words,
    length_words,
    pair_words,
    short_path,
    summary_words,
)
from pinch.ui.shell.words import captioned, label

TITLES = (
    tr("Log"),
    tr("Device"),
    tr("Setting"),
    tr("Workload"),
    tr("Began"),
    tr("Length"),
    tr("Frames"),
    tr("Still open"),
)
MAPPINGS = tr("Mappings of Pinch (*.json)")
SEVERAL = "several"
MOST_SAID = 600


class ArrivalsDialog(QDialog):
    """Logs on their way into the book. `arrivals` is what they are to be, `mappings` what was said of their columns,
    `said` what is said of all of them."""

    def __init__(self, batch: Batch, book: Book, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Runs from logs"))
        self.resize(1180, 740)
        self._batch, self._book = batch, book
        self._shared = Path(commonpath([path.parent for path in batch.read]))
        self.answers = Answers(batch.read.values())
        there = arrivals_of(batch.read, book, NamePattern(""))
        self.arrivals = sorted(there, key=lambda arrival: not arrival.open)
        self.said = Completion()
        self._make_widgets()
        self._lay_out()
        self._connect()
        self._fill()
        self._choose([row for row, a in enumerate(self.arrivals) if not a.filed.whole] or [0])

    @property
    def mappings(self) -> dict[str, ColumnMapping]:
        """How columns are to be understood, by fingerprint, for each header that was asked about or changed."""
        return self.answers.given

    def accept(self) -> None:
        try:
            self._check()
        except PinchError as error:
            self._say(str(error))
            return
        super().accept()

    def use_pattern(self, text: str) -> None:
        """Read where logs belong from their names again; what was said by hand for a run stays."""
        try:
            pattern = NamePattern(text)
        except PinchError as error:
            self._say(str(error))
            return
        self._say("")
        named = {a.path: a.filed for a in arrivals_of(self._batch.read, self._book, pattern)}
        self.arrivals = [replace(a, filed=named.get(a.path, a.filed).over(a.filed)) for a in self.arrivals]
        self._fill()

    def put_together(self) -> None:
        """The two chosen rows are one run: sensors, and the frames that were drawn meanwhile.

        Raises
        ------
        PinchError : not two are chosen, or none of them is of frames alone.
        """
        rows = self.chosen
        chosen = [self.arrivals[row] for row in rows]
        frames = [a for a in chosen if holds_frames_only(a.read.log)]
        if len(chosen) != 2 or len(frames) != 1:
            raise PinchError(tr("Choose two rows: a log of sensors, and one of frames only."))
        sensors = next(a for a in chosen if a is not frames[0])
        self.arrivals = [a for a in self.arrivals if a is not frames[0]]
        place = self.arrivals.index(sensors)
        self.arrivals[place] = put_together(sensors, frames[0])
        self._fill()
        self._choose([place])

    def say_more(self) -> None:
        """The room, the day, the protocol … of all of these logs."""
        dialog = CompleteDialog(self._book, (), self)
        if dialog.exec():
            self.said = dialog.said

    def take_apart(self) -> None:
        """The frames of the chosen row are a run of their own."""
        for row in reversed(self.chosen):
            self.arrivals[row : row + 1] = taken_apart(self.arrivals[row])
        self._fill()

    @property
    def chosen(self) -> list[int]:
        """The chosen rows."""
        model = self.table.selectionModel()
        return sorted(index.row() for index in model.selectedRows()) if model else []

    def _make_widgets(self) -> None:
        self.summary = label("", "heading", wrap=True)
        self.refused = label(" ".join(self._batch.refused)[:MOST_SAID], "quiet", wrap=True)
        self.refused.setVisible(bool(self._batch.refused))
        self.pattern = QLineEdit()
        self.pattern.setPlaceholderText(NamePattern.EXAMPLE)
        self.pattern.setToolTip(tr("Folders too: {device}/{setting}/*_{workload}. * stands for anything."))
        self.table = QTableWidget(0, len(TITLES))
        self.table.setHorizontalHeaderLabels(TITLES)
        self.table.setAccessibleName(tr("Logs and where they belong"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        side, header = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None and header is not None
        side.hide()
        side.setDefaultSectionSize(25)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for place, width in enumerate((190, 110, 100, 140, 145, 60, 190)):
            self.table.setColumnWidth(place, width)
        header.setSectionResizeMode(len(TITLES) - 1, QHeaderView.ResizeMode.Stretch)
        self.device, self.setting, self.workload = QComboBox(), QComboBox(), QComboBox()
        for box in (self.device, self.setting, self.workload):
            box.setEditable(True)
            box.setMinimumWidth(150)
        self.device.addItems([d.name for d in live(self._book.devices())])
        self.workload.addItems([w.name for w in live(self._book.workloads())])
        self.watts, self.offset = QLineEdit(), QLineEdit()
        self.watts.setPlaceholderText(tr("of a new setting"))
        self.together, self.apart = QPushButton(tr("Put together")), QPushButton(tr("Take apart"))
        self.together.setToolTip(tr("Two chosen rows, sensors and frames, are one run"))
        self.apart.setToolTip(tr("The frames of the chosen row are a run of their own"))
        self.more = QPushButton(tr("Room, day, protocol …"))
        self.more.setToolTip(tr("What is said of all of these logs at once"))
        self.file = QComboBox()
        self.day_first = QComboBox()
        self.day_first.addItem(tr("the day comes first"), True)
        self.day_first.addItem(tr("the month comes first"), False)
        self.lines = QPlainTextEdit()
        self.lines.setReadOnly(True)
        self.lines.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.lines.setAccessibleName(tr("First lines of the file"))
        self.lines.setFont(look.figure_font(9))
        self.columns = ColumnsTable(self.answers)
        self.keep, self.load = QPushButton(tr("Keep as a file …")), QPushButton(tr("Take from a file …"))
        self.error = label("", "problem", wrap=True)
        self.error.hide()
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        if (ok := self.buttons.button(kinds.Ok)) is not None:
            ok.setProperty("role", "main")

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.summary, 1)
        top.addWidget(label(tr("The files are named"), "quiet"))
        self.pattern.setMinimumWidth(330)
        top.addWidget(self.pattern)
        form = QGridLayout()
        form.setHorizontalSpacing(14)
        for place, (caption, widget) in enumerate(
            (
                (tr("Device of the chosen rows"), self.device),
                (tr("Setting"), self.setting),
                (tr("Claimed limit, W"), self.watts),
                (tr("Workload"), self.workload),
                (tr("Frames later by, s"), self.offset),
            )
        ):
            form.addWidget(captioned(caption, widget), 0, place)
        form.addWidget(self.together, 0, 5, Qt.AlignmentFlag.AlignBottom)
        form.addWidget(self.apart, 0, 6, Qt.AlignmentFlag.AlignBottom)
        form.addWidget(self.more, 0, 7, Qt.AlignmentFlag.AlignBottom)
        form.setColumnStretch(0, 2)
        form.setColumnStretch(1, 2)
        form.setColumnStretch(3, 2)
        upper, lower = QWidget(), QWidget()
        above = QVBoxLayout(upper)
        above.setContentsMargins(0, 0, 0, 6)
        above.addWidget(self.table, 1)
        above.addLayout(form)
        below = QVBoxLayout(lower)
        below.setContentsMargins(0, 6, 0, 0)
        row = QHBoxLayout()
        row.addWidget(label(tr("What stands in"), "quiet"))
        row.addWidget(self.file, 1)
        self._dates = label(tr("In its dates"), "quiet")
        row.addWidget(self._dates)
        row.addWidget(self.day_first)
        row.addStretch(1)
        row.addWidget(label(tr("Its mapping"), "quiet"))
        row.addWidget(self.keep)
        row.addWidget(self.load)
        below.addLayout(row)
        self.lines.setFixedHeight(118)
        below.addWidget(self.lines)
        below.addWidget(self.columns, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(upper)
        split.addWidget(lower)
        split.setSizes([360, 340])
        whole = QVBoxLayout(self)
        whole.addLayout(top)
        whole.addWidget(self.refused)
        whole.addWidget(split, 1)
        whole.addWidget(self.error)
        whole.addWidget(self.buttons)

    def _connect(self) -> None:
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.pattern.editingFinished.connect(lambda: self.use_pattern(self.pattern.text()))
        self.table.itemSelectionChanged.connect(self._show_chosen)
        for box, field in ((self.device, "device"), (self.setting, "setting"), (self.workload, "workload")):
            edit = box.lineEdit()
            assert edit is not None
            edit.editingFinished.connect(lambda box=box, field=field: self._file(field, box.currentText()))
            box.activated.connect(lambda _, box=box, field=field: self._file(field, box.currentText()))
        self.watts.editingFinished.connect(lambda: self._safely(self._claim))
        self.offset.editingFinished.connect(lambda: self._safely(self._shift))
        self.together.clicked.connect(lambda: self._safely(self.put_together))
        self.apart.clicked.connect(self.take_apart)
        self.more.clicked.connect(self.say_more)
        self.file.currentIndexChanged.connect(self._show_file)
        self.day_first.activated.connect(self._say_dates)
        self.keep.clicked.connect(lambda: self._safely(self._keep_mapping))
        self.load.clicked.connect(lambda: self._safely(self._take_mapping))

    def _fill(self) -> None:
        """The rows as they are now; what was chosen stays chosen."""
        chosen = self.chosen
        self.table.blockSignals(True)
        self.table.setRowCount(len(self.arrivals))
        for row, arrival in enumerate(self.arrivals):
            filed, read = arrival.filed, arrival.read
            cells = (
                *(arrival.path.name, filed.device, filed.setting, filed.workload),
                *(began_words(read.started, read.day_s), length_words(arrival), pair_words(arrival)),
                " ".join(arrival.open),
            )
            for place, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(text if place else str(arrival.path))
                self.table.setItem(row, place, item)
        self._choose(chosen)
        self.table.blockSignals(False)
        self.summary.setText(summary_words(tuple(self.arrivals), len(self._batch.read), len(self._batch.refused)))
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        ok.setText(tr("Add {arrivals}", arrivals=counted(len(self.arrivals), "run")))
        self._show_chosen()

    def _choose(self, rows: Sequence[int]) -> None:
        model, selecting = self.table.model(), self.table.selectionModel()
        assert model is not None and selecting is not None
        chosen = QItemSelection()
        for row in rows:
            chosen.select(model.index(row, 0), model.index(row, model.columnCount() - 1))
        selecting.select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def _show_chosen(self) -> None:
        """What the chosen rows have in common, and the first of their files."""
        chosen = [self.arrivals[row] for row in self.chosen]
        for box, values in (
            (self.device, {a.filed.device for a in chosen}),
            (self.setting, {a.filed.setting for a in chosen}),
            (self.workload, {a.filed.workload for a in chosen}),
        ):
            self._show_common(box, values)
        pairs = [a.pair for a in chosen if a.pair is not None]
        self.offset.setText(numeral(pairs[0].offset_s, ".6g") if len(pairs) == 1 else "")
        self.offset.setEnabled(len(pairs) == 1)
        self.apart.setEnabled(bool(pairs))
        self.together.setEnabled(len(chosen) == 2)
        asked = next((a for a in chosen if a.open), chosen[0] if chosen else None)
        self._show_files([] if asked is None else list(asked.files))

    def _show_common(self, box: QComboBox, values: set[str]) -> None:
        text = values.pop() if len(values) == 1 else ""
        edit = box.lineEdit()
        assert edit is not None
        if box is self.setting:
            device = next((d for d in self._book.devices() if d.name == self.device.currentText()), None)
            box.clear()
            box.addItems([s.name for s in live(self._book.settings(device.id))] if device else [])
        box.setCurrentIndex(-1)
        edit.setText(text)
        edit.setPlaceholderText(SEVERAL if values else "")

    def _show_files(self, paths: Sequence[Path]) -> None:
        self.file.blockSignals(True)
        self.file.clear()
        for path in paths:
            self.file.addItem(short_path(path, self._shared), path)
        asked = next((n for n, path in enumerate(paths) if self._batch.read[path].questions), 0)
        self.file.setCurrentIndex(asked if paths else -1)
        self.file.blockSignals(False)
        self._show_file()

    @property
    def _shown(self) -> ReadLog | None:
        path = self.file.currentData()
        return self._batch.read[path] if path is not None else None

    def _show_file(self) -> None:
        log = self._shown
        self.columns.show_log(log)
        self.lines.setPlainText("\n".join(log.head) if log else "")
        if log and log.head:
            cursor = QTextCursor(self.lines.document())
            cursor.movePosition(QTextCursor.MoveOperation.Down, QTextCursor.MoveMode.MoveAnchor, log.header_line)
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
            strong = QTextCharFormat()
            strong.setFontWeight(QFont.Weight.Bold)
            cursor.mergeCharFormat(strong)
        asks = log is not None and asks_about_dates(log)
        for widget in (self._dates, self.day_first):
            widget.setVisible(asks)
        for button in (self.keep, self.load):
            button.setEnabled(log is not None and bool(log.fingerprint))
        if log is not None and asks:
            mapping = self.answers.mapping(log.fingerprint)
            self.day_first.setCurrentIndex(0 if mapping.day_first is not False else 1)
            self._say_dates()

    def _say_dates(self) -> None:
        if self._shown is not None:
            self.answers.say_day_first(self._shown.fingerprint, bool(self.day_first.currentData()))

    def _file(self, field: str, text: str) -> None:
        """What is typed for the chosen rows holds for all of them; nothing typed leaves them as they are."""
        if not text.strip():
            return
        for row in self.chosen:
            arrival = self.arrivals[row]
            if getattr(arrival.filed, field) != text.strip():
                self.arrivals[row] = replace(arrival, filed=arrival.filed.saying(field, text.strip()))
        self._fill()

    def _claim(self) -> None:
        text = self.watts.text().strip()
        watts = read_quantity(text, "W").value if text else None
        for row in self.chosen:
            self.arrivals[row] = replace(self.arrivals[row], claimed_w=watts)

    def _shift(self) -> None:
        rows = [row for row in self.chosen if self.arrivals[row].pair is not None]
        text = self.offset.text().strip()
        if len(rows) == 1 and text:
            moved = read_quantity(text, "s").value
            pair = self.arrivals[rows[0]].pair
            if pair is not None and abs(moved - pair.offset_s) > 1e-3:
                self.arrivals[rows[0]] = self.arrivals[rows[0]].moved(moved)
                self._fill()

    def _keep_mapping(self) -> None:
        path = save_name(self, tr("Keep the mapping"), "mapping.json", MAPPINGS)
        if path and self._shown is not None:
            write_model(self.answers.mapping(self._shown.fingerprint), path)

    def _take_mapping(self) -> None:
        path = open_name(self, tr("Take a mapping"), MAPPINGS)
        if path and self._shown is not None:
            self.answers.take(self._shown.fingerprint, read_mapping(path))
            self._show_file()

    def _check(self) -> None:
        if self.columns.problem:
            raise PinchError(self.columns.problem)
        self.mappings  # noqa: B018 - raises where an answer makes no sense
        for row, arrival in enumerate(self.arrivals):
            filed = arrival.filed
            try:
                checked(Device, tr("The device"), name=filed.device)
                checked(Setting, tr("The setting"), device_id=0, name=filed.setting, sustained_w=arrival.claimed_w)
                checked(Workload, tr("The workload"), name=filed.workload)
                arrival.log  # noqa: B018 - raises where its two files do not overlap
            except PinchError as error:
                self._choose([row])
                raise PinchError(f"{arrival.path.name}: {error}") from None

    def _safely(self, call: Callable[[], object]) -> None:
        try:
            call()
        except PinchError as error:
            self._say(str(error))
        else:
            self._say("")

    def _say(self, problem: str) -> None:
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
