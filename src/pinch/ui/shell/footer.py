"""The footer: recording, sample rate, probe cost, book and whether all of it is kept."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from pinch.ui.shell.words import label


class Footer(QWidget):
    """One quiet line."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("footer")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        self.recording, self.rate, self.cost = (label("", "quiet") for _ in range(3))
        self.book = label("", "quiet")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(28)
        for part in (self.recording, self.rate, self.cost):
            row.addWidget(part)
        row.addStretch(1)
        row.addWidget(self.book)
        self.show_idle()

    def show_idle(self) -> None:
        """Nothing is being recorded."""
        self.recording.setText("Not recording")
        self.rate.setText("")
        self.cost.setText("")

    def show_recording(self, words: str, channels: int, probe_cost: float | None) -> None:
        """A run is being recorded."""
        self.recording.setText(words)
        self.rate.setText(f"1 Hz · {channels} channels")
        self.cost.setText("" if probe_cost is None else f"probe cost {probe_cost:.1f} % of a core")

    def show_book(self, name: str, read_only: bool) -> None:
        """The open book; every change is kept at once."""
        self.book.setText(f"{name} · {'read-only' if read_only else 'saved'}")
