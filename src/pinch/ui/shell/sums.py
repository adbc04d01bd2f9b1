"""Quick sums in the margin: what is otherwise done on a phone, with the working."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from pinch.bench.entry import read_quantity
from pinch.core.errors import PinchError
from pinch.core.quicksums import SUMS, QuickSum, Worked
from pinch.language import tr
from pinch.ui.shell.words import label, small_button


class QuickSums(QWidget):
    """`pinned` gives a sum in words, to stand in the notes of the run that is looked at."""

    pinned = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.which = QComboBox()
        self.which.setAccessibleName(tr("Quick sum"))
        for quick in SUMS:
            self.which.addItem(quick.name)
        self.numbers = QLineEdit()
        self.result = label("", "heading", wrap=True)
        self.working = label("", "quiet", wrap=True)
        self.pin = small_button(tr("Pin to this run"), tr("Put the sum into the notes of the run"), self._pin)
        self._worked: Worked | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.which, self.numbers, self.result, self.working, self.pin):
            column.addWidget(widget)
        self.which.currentIndexChanged.connect(lambda _: self._asked())
        self.numbers.textChanged.connect(lambda _: self._work())
        self._asked()

    @property
    def _chosen(self) -> QuickSum:
        return SUMS[self.which.currentIndex()]

    def _asked(self) -> None:
        asks = "; ".join(self._chosen.asks)
        self.numbers.setPlaceholderText(asks)
        self.numbers.setAccessibleName(tr("Numbers, with ; between them: {asks}", asks=asks))
        self._work()

    def _work(self) -> None:
        self._worked = None
        words, working = "", tr("Type {asks} with ; between them.", asks="; ".join(self._chosen.asks))
        typed = [part for part in self.numbers.text().split(";") if part.strip()]
        if len(typed) >= len(self._chosen.asks):
            try:
                self._worked = self._chosen.of([read_quantity(part, "").value for part in typed])
                words, working = self._worked.result, "\n".join(self._worked.working)
            except PinchError as error:
                working = str(error)
        self.result.setText(words.replace("-", "−"))
        self.working.setText(working.replace("-", "−"))
        self.pin.setEnabled(self._worked is not None)

    def _pin(self) -> None:
        if self._worked is not None:
            self.pinned.emit(f"{self._chosen.name}: {self._worked.working[0]}")
