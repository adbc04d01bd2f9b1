"""The Scale page: score against measured watts, and a table of the settings."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.charts.spec import unbroken
from pinch.compose import ScaleResult
from pinch.core.explain import Explanation
from pinch.ui import look
from pinch.ui.judge.state import plus_minus
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.scale import state
from pinch.ui.shell.words import label

COLUMNS = ("Setting", "Claimed W", "Measured W", "Off by", "Score", "Runs", "   Window or source")
NUMBERS = range(1, 6)
MOST_ROWS = 8
ANY_ROOM = "any room"


class ScaleView(QWidget):
    """`run_wanted` gives a run to open in Judge, `room_chosen` a room temperature (None: all)."""

    explained = pyqtSignal(Explanation)
    run_wanted = pyqtSignal(int)
    room_chosen = pyqtSignal(object)
    chart_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._spot_button = QPushButton("Why this point?")
        self._spot_button.setToolTip("Show where the sweet spot comes from")
        self._chart_button = QPushButton("Chart …")
        self._chart_button.setToolTip("Write the chart as PNG or SVG (Ctrl+E)")
        self.room = QComboBox()
        self.room.setAccessibleName("Room temperature")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 100)
        self.chart = ChartView()
        self.table = QTableWidget(0, len(COLUMNS))
        self._set_up_table()
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        for widget in (self.room, self._spot_button, self._chart_button):
            top.addWidget(widget, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(8)
        column.addLayout(top)
        column.addWidget(self.progress)
        self._footnote = label("", "quiet", wrap=True)
        column.addWidget(self.chart, 1)
        column.addWidget(self._footnote)
        column.addWidget(self.table)
        self._filler = QWidget()
        column.addWidget(self._filler, 1)
        self.result: ScaleResult | None = None
        self._spot_button.clicked.connect(self.explain_spot)
        self._chart_button.clicked.connect(self.chart_wanted)
        self.chart.dot_clicked.connect(self._dot_clicked)
        self.room.activated.connect(lambda _: self.room_chosen.emit(self.room.currentData()))
        self.table.cellActivated.connect(self._row_activated)

    def offer_rooms(self, rooms: list[float], chosen: float | None) -> None:
        """Offer the room temperatures that occur."""
        self.room.clear()
        self.room.addItem(ANY_ROOM, None)
        for room in rooms:
            self.room.addItem(f"room {room:g} °C", room)
        self.room.setCurrentIndex(max(0, self.room.findData(chosen)))
        self.room.setVisible(len(rooms) > 1)

    def show_working(self, share: float) -> None:
        """Show how far the judging of runs is."""
        self.progress.setVisible(share < 1.0)
        self.progress.setValue(round(100 * share))

    def show_result(self, result: ScaleResult, slot: int) -> None:
        """Show a finished result."""
        self.show_working(1.0)
        self.result = result
        self.headline.setText(unbroken(state.headline(result)))
        there = bool(result.points)
        for part in (self.chart, self._footnote, self._chart_button):
            part.setVisible(there)
        self.table.setVisible(there or bool(result.told))
        self._spot_button.setVisible(result.scaling is not None)
        if there:
            drawn = state.chart(result, slot, self.room.currentText() or ANY_ROOM)
            self.chart.show_chart(drawn)
            self._footnote.setText(drawn.footnote)
        self._filler.setVisible(not there)
        self._fill_table(state.rows(result), result.workload.score_unit)

    def show_nothing(self, why: str) -> None:
        """Say what is missing."""
        self.show_working(1.0)
        self.result = None
        self.headline.setText(why)
        for part in (
            self.chart,
            self.table,
            self._footnote,
            self._chart_button,
            self._spot_button,
            self.room,
        ):
            part.hide()
        self._filler.show()

    def explain_spot(self) -> None:
        """Explain the sweet spot in the margin."""
        found = state.explain_sweet_spot(self.result) if self.result else None
        if found is not None:
            self.explained.emit(found)

    def _set_up_table(self) -> None:
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setAccessibleName("Settings, by measured watts")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)
        header.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.ResizeToContents)
        side.hide()
        side.setDefaultSectionSize(24)

    def _fill_table(self, rows: list[state.Row], unit: str) -> None:
        self.table.setRowCount(len(rows))
        self.table.setHorizontalHeaderItem(4, QTableWidgetItem(f"Score, {unit}"))
        for r, row in enumerate(rows):
            spread = f" {plus_minus(row.power_sd)}".rstrip()
            worst = next((s for s in ("drifting", "settled") if s in row.states), "")
            cells = (
                row.setting,
                "" if row.claimed_w is None else f"{row.claimed_w:g}",
                ""
                if row.power_w != row.power_w
                else f"told {row.power_w:.1f}"
                if row.told
                else f"{row.power_w:.1f}{spread}",
                row.off_by,
                f"{row.score:.4g}",
                "" if row.told else str(len(row.runs)),
                f"   {row.told or worst}",
            )
            for c, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, row.runs[-1])
                item.setToolTip("Enter opens the newest run of this setting in Judge")
                item.setTextAlignment(_side(c))
                if c in NUMBERS:
                    item.setFont(look.figure_font(9))
                self.table.setItem(r, c, item)
        self._align_headings()
        self.table.setFixedHeight(30 + 24 * max(1, min(MOST_ROWS, len(rows))))

    def _align_headings(self) -> None:
        for c in range(len(COLUMNS)):
            heading = self.table.horizontalHeaderItem(c)
            if heading is not None:
                heading.setTextAlignment(_side(c))

    def _dot_clicked(self, index: int) -> None:
        if self.result is not None:
            self.run_wanted.emit(self.result.points[index].run.id or 0)

    def _row_activated(self, row: int, _: int) -> None:
        item = self.table.item(row, 0)
        if item is not None:
            self.run_wanted.emit(int(item.data(Qt.ItemDataRole.UserRole)))


def _side(column: int) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignRight if column in NUMBERS else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter
