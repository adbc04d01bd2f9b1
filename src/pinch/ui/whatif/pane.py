"""What if: what is asked on top, the prediction in a table below it, and over time where there is room."""

import math
from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from pinch.analysis.foreseen import Foreseen
from pinch.charts.spec import Chart, unbroken
from pinch.core.twin_runs import Change
from pinch.language import tr
from pinch.narrative import twin_words
from pinch.narrative.cautions import RAISED_LIMITS
from pinch.narrative.explanation import Explanation
from pinch.ui.number_box import NumberBox
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label
from pinch.ui.table_rows import TableRow

COLUMNS = (tr("Predicted"), tr("Value"), "95 %", tr("Cells left out were off by"))
ROW, HEAD, MOST_ROWS = 24, 27, 6
NO_LIMIT = tr("no limit")


class WhatIfPane(QWidget):
    """`asked` says that something else is wanted; `with_course` has room for the run over time."""

    asked = pyqtSignal()
    explained = pyqtSignal(Explanation)

    def __init__(self, with_course: bool) -> None:
        super().__init__()
        self.limit = NumberBox(tr("Limit on power, W; 0: none"), 0.0, 1000.0, unit="W", before=tr("limit "), step=1.0)
        self.limit.setSpecialValueText(NO_LIMIT)
        self.room = NumberBox(tr("Room temperature"), -40.0, 80.0, 22.0, unit="°C", before=tr("room "))
        carries = tr("How much more the cooler carries")
        self.cooling = NumberBox(carries, -90.0, 900.0, 0.0, unit="%", before=tr("cooler "), decimals=0, step=5.0)
        locked = tr("Clock that is locked, MHz; 0: none")
        self.lock = NumberBox(locked, 0.0, 2e4, unit="MHz", before=tr("lock "), decimals=0, step=100.0)
        self.lock.setSpecialValueText(tr("no lock"))
        self.minutes = NumberBox(tr("Length of the run"), 1.0, 1440.0, 30.0, unit="min", before=tr("for "), decimals=0)
        self.fan = QComboBox()
        self.fan.setAccessibleName(tr("Fan profile or mode"))
        self.fan.setToolTip(tr("Fan profile or mode"))
        self.words = label("", "", wrap=True)
        self.notes = label("", "quiet", wrap=True)
        self.table = RowTable(tr("What is predicted"), COLUMNS, words=(0,))
        self.chart = ChartView() if with_course else None
        row = QHBoxLayout()
        for widget in (self.limit, self.room, self.fan, self.cooling, self.lock, self.minutes):
            row.addWidget(widget)
        row.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(row)
        whole.addWidget(self.words)
        if self.chart is not None:
            whole.addWidget(self.chart, 1)
        whole.addWidget(self.table, 0 if with_course else 1)
        whole.addWidget(self.notes)
        self._filler = QWidget()
        whole.addWidget(self._filler, 1)
        self.notes.setVisible(with_course)
        for box in (self.limit, self.room, self.cooling, self.lock, self.minutes):
            box.valueChanged.connect(lambda _: self.asked.emit())
        self.fan.activated.connect(lambda _: self.asked.emit())
        self.table.explained.connect(self.explained)

    @property
    def change(self) -> Change:
        """What is asked."""
        return Change(
            self.limit.value() or math.nan,
            self.room.value(),
            str(self.fan.currentData() or ""),
            self.lock.value() or math.nan,
            self.cooling.value() / 100.0,
        )

    @property
    def length_s(self) -> float:
        """Length of the run."""
        return 60.0 * self.minutes.value()

    def begin_with(self, limit_w: float | None, room_c: float | None) -> None:
        """Ask for what a setting is; nothing is emitted."""
        for box, value in ((self.limit, limit_w), (self.room, room_c), (self.cooling, 0.0), (self.lock, 0.0)):
            box.blockSignals(True)
            box.setValue(value if value is not None else box.value())
            box.blockSignals(False)

    def offer_fans(self, fans: Sequence[str], chosen: str) -> None:
        """The profiles that were run."""
        self.fan.clear()
        for fan in fans:
            self.fan.addItem(fan or tr("no profile noted"), fan)
        self.fan.setCurrentIndex(max(0, self.fan.findData(chosen)))
        self.fan.setVisible(len(fans) > 1)

    def show_words(self, words: str) -> None:
        """Why there is no prediction, or that it is on its way."""
        self.words.setText(unbroken(words))
        self.table.show_rows([])
        self.table.setVisible(False)
        self._filler.setVisible(True)
        self.notes.setText(RAISED_LIMITS)
        if self.chart is not None:
            self.chart.clear()
            self.chart.setVisible(False)

    def show_foreseen(self, f: Foreseen, chart: Chart | None) -> None:
        """A prediction."""
        self.words.setText(unbroken(twin_words.headline(f)))
        rows = twin_words.rows(f)
        self.table.setVisible(True)
        self._filler.setVisible(False)
        self.table.show_rows(
            [
                TableRow((r.name, unbroken(r.value), r.interval, r.miss), partial(twin_words.explain, f, r), of=r)
                for r in rows
            ]
        )
        self.notes.setText(unbroken(" ".join(twin_words.notes(f))))
        if self.chart is not None:
            self.table.setFixedHeight(HEAD + ROW * min(MOST_ROWS, len(rows)))
            self.chart.show_if_any(chart)
