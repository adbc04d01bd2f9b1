"""The footer: recording, sample rate, probe cost, book and whether all of it is kept."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from pinch.core.judge_notes import MOST_OWN_COST
from pinch.core.printing import plain
from pinch.language import tr
from pinch.ui.shell.words import label, mark

SLOW_S = 2.0
"""Charts that are drawn less often than this cannot keep up, which is said."""


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
        self.watched = label("", "quiet")
        for part in (self.recording, self.rate, self.cost, self.watched):
            row.addWidget(part)
        row.addStretch(1)
        row.addWidget(self.book)
        self.show_idle()

    def show_idle(self) -> None:
        """Nothing is being recorded."""
        self.recording.setText(tr("Not recording"))
        self.rate.setText("")
        self.cost.setText("")

    def show_recording(
        self, words: str, interval_s: float, channels: int, probe_cost: float | None, drawn_every_s: float
    ) -> None:
        """A run is being recorded; a probe that costs too much and charts that cannot keep up are told of."""
        self.recording.setText(words)
        slow = (
            tr(" · charts every {drawn_every_s:.0f} s, samples as usual", drawn_every_s=drawn_every_s)
            if drawn_every_s > SLOW_S
            else ""
        )
        self.rate.setText(
            tr(
                "{interval_s:g} Hz · {channels} channels{slow}",
                interval_s=1.0 / interval_s,
                channels=channels,
                slow=slow,
            )
        )
        high = probe_cost is not None and probe_cost > MOST_OWN_COST
        cost = "" if probe_cost is None else tr("probe cost {probe_cost} % of a core", probe_cost=plain(probe_cost, 2))
        self.cost.setText(tr("{cost}: more than it should", cost=cost) if high else cost)
        mark(self.cost, "role", "problem" if high else "quiet")

    def show_watched(self, folder: str) -> None:
        """The folder that is watched for logs; empty: none."""
        self.watched.setText(tr("watching {folder}", folder=folder) if folder else "")

    def show_book(self, name: str, read_only: bool) -> None:
        """The open book; every change is kept at once."""
        self.book.setText(f"{name} · {tr('read-only') if read_only else tr('saved')}")

    def show_gone(self, name: str) -> None:
        """The file of the open book is there no more."""
        self.book.setText(tr("{name} · not there any more", name=name))
