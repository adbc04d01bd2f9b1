"""Readings by hand: a value at the moment at which it was asked for, with what makes it worth something."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from pinch.bench.entry import read_quantity
from pinch.bench.readings import PLACES, UNITS, Instrument, Quantity, ReadAt, Reading, place_of, place_words
from pinch.bench.records import checked, now
from pinch.charts.spec import minutes
from pinch.core.errors import PinchError
from pinch.core.printing import plain
from pinch.core.touch import judge_touch
from pinch.language import numeral, tr
from pinch.narrative import cautions
from pinch.ui.dialogs import FormDialog
from pinch.ui.run.state import reading_words
from pinch.ui.shell.words import label

MOST_LINES = 4
PHASES = {ReadAt.UNTOLD: tr("under load"), ReadAt.IDLE: tr("at rest, before it"), ReadAt.END: tr("at the end of it")}


def reading_question(reading: Reading, instrument: Instrument | None) -> str:
    """What an unlikely reading raises: a surface in another unit, or a value beyond the range of its instrument."""
    if reading.quantity is Quantity.SURFACE:
        return judge_touch(reading.value).question
    if instrument is not None and instrument.range and reading.value > instrument.range:
        return tr(
            "{reading:g} {unit} is beyond the range of {instrument} ({range:g}).",
            reading=reading.value,
            unit=instrument.unit,
            instrument=instrument.name,
            range=instrument.range,
        )
    return ""


class ReadingDialog(FormDialog):
    """One reading at `t_s` of a run. Instruments are offered for the quantity that is chosen."""

    def __init__(
        self,
        run_id: int,
        t_s: float,
        instruments: Sequence[Instrument],
        parent: QWidget | None,
        old: Reading | None = None,
    ) -> None:
        super().__init__(tr("Reading at {t_s} of run {run_id}", t_s=minutes(t_s), run_id=run_id), parent)
        self._run_id, self._taken, self._old = run_id, now(), old
        self._instruments = instruments
        self.quantity, self.instrument, self.place = QComboBox(), QComboBox(), QComboBox()
        self.value, self.low, self.high, self.distance, self.note, self.time = (QLineEdit() for _ in range(6))
        self.phase = QComboBox()
        for phase, words in PHASES.items():
            self.phase.addItem(words, phase)
        self.time.setText(tr("{t_s:g} s", t_s=t_s))
        for quantity in Quantity:
            self.quantity.addItem(f"{tr(quantity).capitalize()}, {UNITS[quantity]}", quantity)
        self.place.setEditable(True)
        self.place.addItems(["", *map(tr, PLACES)])
        for edit, hint in (
            (self.low, tr("lowest seen")),
            (self.high, tr("highest seen")),
            (self.distance, tr("such as 50 cm")),
        ):
            edit.setPlaceholderText(hint)
        seen = QHBoxLayout()
        seen.addWidget(self.low)
        seen.addWidget(self.high)
        self._caution, self.uncertainty = label("", "quiet", wrap=True), label("", "quiet", wrap=True)
        self.form.addRow(tr("What"), self.quantity)
        self.form.addRow(tr("When"), self.phase)
        self.form.addRow(tr("At, in the run"), self.time)
        self.form.addRow(tr("Value"), self.value)
        self.form.addRow(tr("Seen"), seen)
        self.form.addRow(tr("Instrument"), self.instrument)
        self.form.addRow("", self.uncertainty)
        self.form.addRow(tr("Place"), self.place)
        self.form.addRow(tr("Distance"), self.distance)
        self.form.addRow(tr("Note"), self.note)
        self.form.addRow(self._caution)
        self.quantity.currentIndexChanged.connect(self._offer)
        self.instrument.currentIndexChanged.connect(self._tell)
        self.value.textChanged.connect(self._tell)
        self._asked = ""
        self._offer()
        if old is not None:
            self._show(old)
        self.value.setFocus()

    def _show(self, old: Reading) -> None:
        """What stands in a reading that is to be changed."""
        self.quantity.setCurrentIndex(self.quantity.findData(old.quantity))
        self.phase.setCurrentIndex(self.phase.findData(old.phase))
        self.instrument.setCurrentIndex(max(0, self.instrument.findText(old.instrument)))
        self.place.setEditText(place_words(old.place))
        numbers = {self.value: old.value, self.low: old.low, self.high: old.high, self.distance: old.distance_mm}
        for edit, number in numbers.items():
            edit.setText("" if number is None else numeral(number, "g"))
        self.note.setText(old.note)

    def read(self) -> None:
        """Check what was typed; a value that could be meant in another unit is asked back once."""
        reading, question = self._reading()
        if question and question != self._asked:
            self._asked = question
            raise PinchError(
                tr("{question} Press OK once more to keep {reading:g}.", question=question, reading=reading.value)
            )

    @property
    def reading(self) -> Reading:
        """The reading.

        Raises
        ------
        PinchError : a field makes no sense.
        """
        return self._reading()[0]

    def _reading(self) -> tuple[Reading, str]:
        quantity: Quantity = self.quantity.currentData()
        unit = UNITS[quantity]
        entry = read_quantity(self.value.text(), unit)
        instrument: Instrument | None = self.instrument.currentData()
        place = place_of(self.place.currentText()) if self.place.isEnabled() else ""
        distance = self.distance.text().strip() if self.distance.isEnabled() else ""
        stated = instrument is not None and instrument.accuracy.stated
        made: Reading = checked(
            Reading,
            tr("The reading"),
            run_id=self._run_id,
            kept_id=self._old.id if self._old is not None else None,
            taken=self._old.taken if self._old is not None else self._taken,
            t_s=read_quantity(self.time.text(), "s").value,
            phase=self.phase.currentData(),
            quantity=quantity,
            value=entry.value,
            low=read_quantity(self.low.text(), unit).value if self.low.text().strip() else None,
            high=read_quantity(self.high.text(), unit).value if self.high.text().strip() else None,
            place=place or (instrument.place if instrument is not None else ""),
            distance_mm=read_quantity(distance, "mm").value if distance else None,
            instrument=instrument.name if instrument is not None else "",
            u=instrument.accuracy.standard_u(entry.value) if instrument is not None and stated else None,
            note=self.note.text().strip(),
        )
        return made, entry.question or reading_question(made, instrument)

    def _offer(self) -> None:
        quantity: Quantity = self.quantity.currentData()
        self.instrument.clear()
        self.instrument.addItem(tr("not noted"), None)
        for instrument in self._instruments:
            if instrument.measures is quantity:
                self.instrument.addItem(instrument.name, instrument)
        self.instrument.setCurrentIndex(self.instrument.count() - 1)
        self.place.setEnabled(quantity in (Quantity.SURFACE, Quantity.NOISE))
        self.distance.setEnabled(quantity is Quantity.NOISE)
        self._caution.setText(cautions.READING[quantity])
        self._tell()

    def _tell(self) -> None:
        instrument: Instrument | None = self.instrument.currentData()
        try:
            value = read_quantity(self.value.text(), UNITS[self.quantity.currentData()]).value
        except PinchError:
            value = None
        if instrument is None or not instrument.accuracy.stated:
            self.uncertainty.setText(tr("Without an instrument's accuracy there is no uncertainty."))
        elif value is not None:
            u = instrument.accuracy.standard_u(value)
            self.uncertainty.setText(
                tr("Standard uncertainty {u} {unit}, by its accuracy as stated.", u=plain(u, 2), unit=instrument.unit)
            )


class ReadingsView(QWidget):
    """What was read by hand, newest last. `wanted` asks for another reading, `removal_wanted` and `change_wanted` give
    one's id."""

    wanted = pyqtSignal()
    removal_wanted = pyqtSignal(int)
    change_wanted = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.add = QPushButton(tr("Reading …"))
        self.add.setToolTip(tr("Keep a value read by hand, at this moment (Ctrl+G)"))
        self.add.clicked.connect(self.wanted)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addLayout(self._lines, 1)
        self.texts: list[str] = []
        self.hide()

    def show_readings(self, readings: Sequence[Reading]) -> None:
        """Show the newest few."""
        while (item := self._lines.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.texts = [reading_words(r) for r in readings]
        if len(readings) > MOST_LINES:
            self._lines.addWidget(
                label(tr("{readings} earlier readings", readings=len(readings) - MOST_LINES), "quiet")
            )
        for reading in readings[-MOST_LINES:]:
            self._lines.addWidget(self._line(reading))
        self.setVisible(bool(readings))

    def _line(self, reading: Reading) -> QWidget:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label(reading_words(reading)))
        for words, wanted in ((tr("Change"), self.change_wanted), (tr("Remove"), self.removal_wanted)):
            button = QPushButton(words)
            button.setProperty("role", "slight")
            button.setAccessibleName(
                tr("{words} the reading {reading_words}", words=words, reading_words=reading_words(reading))
            )
            button.clicked.connect(lambda _, wanted=wanted: wanted.emit(reading.id))
            row.addWidget(button)
        row.addStretch(1)
        return line
