"""The parts of the Judge page beside the timeline: frames, heat, and runs laid over each other."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.charts.spec import Chart, unbroken
from pinch.language import tr
from pinch.narrative.explanation import Explanation
from pinch.narrative.run_words import frame_charts, frames_words, heat_charts, heat_words
from pinch.ui import look
from pinch.ui.judge import facts
from pinch.ui.judge.facts import Fact, FigureDifference
from pinch.ui.judge.state import JudgedRun
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.shell.words import label


class FactTable(QTableWidget):
    """Figures in words, a row each; `explained` tells of the one that is chosen."""

    explained = pyqtSignal(Explanation)

    def __init__(self, name: str, columns: Sequence[str]) -> None:
        super().__init__(0, len(columns))
        self._facts: Sequence[Fact] = ()
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(columns)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        side.setDefaultSectionSize(24)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setHighlightSections(False)
        self.itemSelectionChanged.connect(self._tell)

    def show_facts(self, rows: Sequence[Fact]) -> None:
        """These facts, all rows in view."""
        self.blockSignals(True)
        self._facts = rows
        self.setRowCount(len(rows))
        for r, fact in enumerate(rows):
            for c, text in enumerate((fact.name, *fact.values)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                item.setFont(look.figure_font(9) if c else look.text_font(10))
                self.setItem(r, c, item)
        self.setFixedHeight(24 * len(rows) + 32)
        self.blockSignals(False)

    def _tell(self) -> None:
        row = self.currentRow()
        if 0 <= row < len(self._facts) and (explained := self._facts[row].explanation) is not None:
            self.explained.emit(explained)


class FramesPane(QWidget):
    """Lows by three schools, the strip, and below it the sorted curve and the spread."""

    def __init__(self) -> None:
        super().__init__()
        self.nothing = label("", "quiet", wrap=True)
        self.table = FactTable(
            tr("Figures of the frames"), ("", tr("Percentile"), tr("Mean of worst"), tr("Time share"))
        )
        self.strip, self.curve, self.spread = ChartView(), ChartView(), ChartView()
        below = QHBoxLayout()
        below.addWidget(self.curve)
        below.addWidget(self.spread)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.addWidget(self.nothing)
        whole.addWidget(self.table)
        whole.addWidget(self.strip, 1)
        whole.addLayout(below, 1)

    def show_run(self, shown: JudgedRun, slot: int) -> None:
        """The frames of a run, or why there are none."""
        charts = frame_charts(shown, slot)
        self.nothing.setText(frames_words(shown))
        for part in (self.table, self.strip, self.curve, self.spread):
            part.setVisible(bool(charts))
        if charts:
            self.table.show_facts(facts.frame_facts(shown))
            for view, chart in zip((self.strip, self.curve, self.spread), charts, strict=True):
                view.show_chart(chart)

    @property
    def chart(self) -> Chart | None:
        """The chart that is written."""
        return self.strip.chart


class HeatPane(QWidget):
    """Resistance, coolable power and time constants; measured and fitted temperature; the cool-down."""

    def __init__(self) -> None:
        super().__init__()
        self.nothing = label("", "quiet", wrap=True)
        self.table = FactTable(tr("Figures of the heat"), ("", "", ""))
        header = self.table.horizontalHeader()
        assert header is not None
        header.hide()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.fit, self.cooling = ChartView(), ChartView()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        for part, stretch in ((self.nothing, 0), (self.table, 0), (self.fit, 3), (self.cooling, 2)):
            whole.addWidget(part, stretch)

    def show_run(self, shown: JudgedRun, slot: int) -> None:
        """The heat of a run, or why it cannot be told."""
        charts = heat_charts(shown, slot)
        self.nothing.setText(heat_words(shown))
        for part in (self.table, self.fit, self.cooling):
            part.setVisible(bool(charts))
        if charts:
            self.table.show_facts(facts.heat_facts(shown))
            self.table.setFixedHeight(self.table.rowCount() * 24 + 4)
            self.fit.show_chart(charts[0])
            self.cooling.show_chart(charts[1])

    @property
    def chart(self) -> Chart | None:
        """The chart that is written."""
        return self.fit.chart


MOST_ROWS = 5
"""Rows of differences that are seen at once; the curves need the room, and the rest scrolls."""


class OverlayPane(QWidget):
    """Runs on one time axis from the start of load, and a table of how they differ from the first."""

    def __init__(self) -> None:
        super().__init__()
        self.words = label("", "quiet", wrap=True)
        self.view = ChartView()
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName(tr("Differences of the runs"))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.addWidget(self.words)
        whole.addWidget(self.view, 1)
        whole.addWidget(self.table)
        self.show_nothing()

    def show_nothing(self) -> None:
        """Say how runs come here."""
        self.words.setText(
            tr(
                "Choose two to six runs in the list (Ctrl or Shift and click), then Overlay: they are "
                "laid over each other from the start of load, with a table of their differences."
            )
        )
        self.view.clear()
        self.view.hide()
        self.table.hide()

    def show_runs(self, chart: Chart, names: Sequence[str], differences: Sequence[FigureDifference]) -> None:
        """The chart, and a row a figure with what each run has of it."""
        self.words.setText(unbroken(chart.title))
        self.view.show()
        self.view.show_chart(chart)
        self.table.show()
        self.table.setColumnCount(1 + len(names))
        self.table.setHorizontalHeaderItem(0, QTableWidgetItem(""))
        for place, name in enumerate(names):
            swatch = QPixmap(10, 10)
            swatch.fill(QColor(look.theme().devices[place % 6]))  # as its lines are drawn
            head = QTableWidgetItem(QIcon(swatch), name)
            self.table.setHorizontalHeaderItem(1 + place, head)
        self.table.setRowCount(len(differences))
        for r, difference in enumerate(differences):
            for c, text in enumerate((difference.name, *difference.values)):
                item = QTableWidgetItem(text)
                item.setFont(look.figure_font(9) if c else look.text_font(10))
                self.table.setItem(r, c, item)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        side.setDefaultSectionSize(23)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.setFixedHeight(23 * min(len(differences), MOST_ROWS) + 34)

    @property
    def chart(self) -> Chart | None:
        """The chart that is written."""
        return self.view.chart
