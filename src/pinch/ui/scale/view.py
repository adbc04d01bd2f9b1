"""The Scale page: score against measured watts, and what the curves say in rows."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from pinch.analysis.curves import Axis, CurveSeries, ScaleResult
from pinch.charts.scale_chart import Second
from pinch.charts.spec import Chart, Dots, unbroken
from pinch.core.metrics import AVERAGE, LOW_NAMES
from pinch.core.sweetspots import NEARLY_ALL, PROMISES, RULES, WORTH
from pinch.core.verdict import DELTA
from pinch.language import tr
from pinch.narrative import curve_words
from pinch.narrative.explain_curves import explain_spot
from pinch.narrative.explanation import Explanation
from pinch.ui.chooser import Chooser
from pinch.ui.drawn_tabs import DrawnTabs
from pinch.ui.number_box import NumberBox
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.row_table import RowTable
from pinch.ui.scale import state
from pinch.ui.shell.words import label, small_button
from pinch.ui.table_rows import TableRow
from pinch.ui.whatif.pane import WhatIfPane

SPOTS, READER, CROSSINGS, TARGET, GROUPS, SETTINGS, WHAT_IF = range(7)
TABS = (
    tr("Sweet spots"),
    tr("At the same watts"),
    tr("Trading places"),
    tr("Target"),
    tr("Same watts drawn"),
    tr("Settings"),
    tr("What if"),
)
ANY_ROOM = tr("any room")
TABLE_HEIGHT, LEAST_TABLE, TABLE_SHARE, SMALL = 168, 104, 0.24, 620
SIDE = 18
MEASURES = {AVERAGE: "average", **LOW_NAMES}


class ScaleView(PageView):
    """`changed` gives what is looked at anew as a dict of the choice's fields; `run_wanted` a run to open in Judge."""

    explained = pyqtSignal(Explanation)
    run_wanted = pyqtSignal(int)
    chart_wanted = pyqtSignal()
    changed = pyqtSignal(dict)
    family_wanted = pyqtSignal()
    plan_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart_button = small_button(
            tr("Chart …"), tr("Write the chart as PNG, SVG or PDF (Ctrl+E)"), self.chart_wanted.emit
        )
        self.devices, self.workloads = Chooser(tr("Devices"), tr("devices")), Chooser(tr("Workloads"), tr("workloads"))
        self.family = small_button(
            tr("Family"), tr("The same work at other resolutions and presets"), self.family_wanted.emit
        )
        self.room, self.measure, self.axis = (
            _combo(tr("Room temperature")),
            _combo(tr("What of the score")),
            _combo(tr("Watts of")),
        )
        self.second, self.rule = _combo(tr("Below the score")), _combo(tr("Marked sweet spot"))
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 100)
        self.chart = ChartView()
        self._footnote = label("", "quiet", wrap=True)
        self.tabs, self.below = QTabBar(), PageStack()
        self.spots = RowTable(tr("Sweet spots by four rules"), state.SPOT_COLUMNS)
        self.reader = RowTable(tr("Curves at the same watts"), state.READER_COLUMNS)
        self.crossings = RowTable(tr("Where curves trade places"), state.CROSSING_COLUMNS, words=(0, 5))
        self.target = RowTable(tr("Least watts for a target"), state.TARGET_COLUMNS, words=(0, 4))
        self.groups = RowTable(tr("Settings that draw the same watts"), state.GROUP_COLUMNS, words=(0, 1))
        self.settings = RowTable(tr("Settings, by measured watts"), state.SETTING_COLUMNS, words=(0, 1))
        self.what_if = WhatIfPane(with_course=False)
        self.predicted: Dots | None = None
        self.reader_w = NumberBox(tr("Watts to read all curves at"), 0.0, 500.0, unit="W", step=0.5)
        self.target_fps = NumberBox(tr("Target"), 0.0, 1e6)
        self.low_share = NumberBox(tr("Low"), 0.0, 100.0, unit="%", step=5.0)
        self.worth, self.delta = (
            NumberBox(tr("Worth a watt"), 0.1, 20.0, unit="%", after=tr(" a watt"), step=0.5),
            NumberBox(tr("Matters"), 0.1, 50.0, unit="%", step=0.5),
        )
        self.worth.setValue(100.0 * WORTH)
        self.delta.setValue(100.0 * DELTA)
        self.low = _combo(tr("Which low"))
        self.plan_next = small_button(
            tr("Send to the plan"), tr("Plan the limit that is most worth measuring (Ctrl+Shift+P)"), self._send_next
        )
        self._lay_out()
        draws: dict[int, Callable[[ScaleResult], None]] = {
            READER: lambda _: self._read(),
            CROSSINGS: lambda result: self.crossings.show_rows(state.crossing_rows(result)),
            TARGET: lambda result: self.target.show_rows(state.target_rows(result)),
            GROUPS: lambda result: self.groups.show_rows(state.group_rows(result)),
            SETTINGS: lambda result: self.settings.show_rows(state.setting_rows(result)),
        }
        self._drawn = DrawnTabs(self.tabs, draws)
        self.result: ScaleResult | None = None
        self._slots: dict[int, int] = {}
        self._subject: int | None = None
        self._fill_combos()
        self._connect()

    # Showing

    def show_working(self, share: float) -> None:
        """Show how far the work is."""
        self.progress.setVisible(share < 1.0)
        self.progress.setValue(round(100 * share))
        if share < 1.0 and self.result is None:
            self.headline.setText(tr("Judging all runs, {share:.0f} % …", share=100 * share))

    def show_choice(self, rooms: list[float], result: ScaleResult, offered: list[list[tuple[int, str]]]) -> None:
        """Offer rooms, devices and workloads, with what is looked at chosen."""
        choice = result.choice
        self.room.clear()
        self.room.addItem(ANY_ROOM, None)
        for room in rooms:
            self.room.addItem(tr("room {room:g} °C", room=room), room)
        self.room.setCurrentIndex(max(0, self.room.findData(choice.room_c)))
        self.room.setVisible(len(rooms) > 1)
        self.devices.offer(offered[0], choice.device_ids)
        self.workloads.offer(offered[1], choice.workload_ids)
        self.measure.setCurrentIndex(self.measure.findData(choice.measure))
        self.axis.setCurrentIndex(self.axis.findData(choice.axis))

    def show_result(self, result: ScaleResult, slots: dict[int, int], subject: int | None) -> None:
        """Show finished curves."""
        self.show_working(1.0)
        self.result, self._slots, self._subject = result, slots, subject
        self.headline.setText(unbroken(curve_words.headline(result, subject)))
        there = any(s.points or s.claimed for s in result.series)
        self._set_there(there, there or any(s.told for s in result.series))
        self.spots.show_rows(state.spot_rows(result))  # the chosen one of them counts on every tab
        self._set_reader_range(result)
        self._drawn.show(result)
        if there:
            self.draw()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window keeps its room for the chart."""
        super().resizeEvent(event)
        self.below.setFixedHeight(max(LEAST_TABLE, min(TABLE_HEIGHT, round(TABLE_SHARE * self.height()))))
        self._show_footnote()

    def show_nothing(self, why: str) -> None:
        """Say what is missing."""
        self.show_working(1.0)
        self.result = None
        self._drawn.forget()
        self.headline.setText(why)
        self._set_there(False, False)

    def draw(self) -> None:
        """Draw the chart with the rule and the second panel that are chosen."""
        if self.result is None or not self.result.series:
            return
        drawn = self.drawn()
        self.chart.show_chart(drawn, keep_range=False)
        self._footnote.setToolTip(drawn.footnote)
        self._show_footnote()

    def _show_footnote(self) -> None:
        """Whole, or in a small window its first line."""
        words = self._footnote.toolTip()
        if self.height() < SMALL:
            room = self.width() - 2 * SIDE - 4
            words = self._footnote.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room)
        self._footnote.setText(words)

    def drawn(self) -> Chart:
        """The chart as it is chosen."""
        assert self.result is not None
        at = self.reader_w.value() if self.tabs.currentIndex() == READER else None
        rule, second = self.rule.currentData(), self.second.currentData()
        chart = curve_words.chart(self.result, self._slots, self._subject, rule, second, at)
        if self.predicted is None or self.tabs.currentIndex() != WHAT_IF:
            return chart
        first, *others = chart.panels
        return replace(chart, panels=(replace(first, dots=(*first.dots, self.predicted)), *others))

    def explain_spot(self) -> None:
        """Explain the marked sweet spot of the strip's device."""
        series = self.own_series
        if self.result is not None and series is not None and series.scaling is not None:
            spot = series.scaling.spots[self.rule.currentData()]
            self.explained.emit(explain_spot(self.result, series, spot))

    def read_at(self, power_w: float) -> None:
        """Read all curves at this power."""
        self.tabs.setCurrentIndex(READER)
        self.reader_w.setValue(power_w)

    @property
    def own_series(self) -> CurveSeries | None:
        """The series of the chosen row, else that of the strip's device."""
        chosen = self.spots.chosen
        if chosen is not None and isinstance(chosen.of, CurveSeries):
            return chosen.of
        series = self.result.series if self.result else ()
        return next((s for s in series if s.device.id == self._subject), series[0] if series else None)

    def _send_next(self) -> None:
        series = self.own_series
        if series is not None:
            self.plan_wanted.emit(series)

    # Set-up

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        top.addWidget(self._chart_button, 0, Qt.AlignmentFlag.AlignTop)
        self._choices = QWidget()
        row = QHBoxLayout(self._choices)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for widget in (self.devices, self.workloads, self.family, self.measure, self.room, self.axis, self.second):
            row.addWidget(widget)
        row.addStretch(1)
        bar = QHBoxLayout()
        bar.addWidget(self.tabs)
        bar.addStretch(1)
        for name, page in (
            (SPOTS, _page(self.spots, self.rule, label(tr("worth it from"), "quiet"), self.worth, self.plan_next)),
            (READER, _page(self.reader, *self._read_off())),
            (CROSSINGS, self.crossings),
            (TARGET, _page(self.target, *self._wanted())),
            (GROUPS, self.groups),
            (SETTINGS, self.settings),
            (WHAT_IF, self.what_if),
        ):
            self.tabs.addTab(TABS[name])
            self.below.addWidget(page)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setAccessibleName(tr("What the curves say"))
        column = QVBoxLayout(self)
        column.setContentsMargins(SIDE, 14, SIDE, 8)
        column.setSpacing(6)
        column.addLayout(top)
        column.addWidget(self._choices)
        column.addWidget(self.progress)
        column.addWidget(self.chart, 1)
        column.addWidget(self._footnote)
        column.addLayout(bar)
        column.addWidget(self.below)
        self._filler = QWidget()
        column.addWidget(self._filler, 1)

    def _read_off(self) -> tuple[QWidget, ...]:
        """What is typed to read all curves."""
        return label(tr("Read at"), "quiet"), self.reader_w, label(tr("matters from"), "quiet"), self.delta

    def _wanted(self) -> tuple[QWidget, ...]:
        """What is typed for a target."""
        wanted, low = label(tr("Wanted"), "quiet"), label(tr("and its low ≥"), "quiet")
        return wanted, self.target_fps, low, self.low_share, label(tr("of it:"), "quiet"), self.low

    def _fill_combos(self) -> None:
        for measure, words in MEASURES.items():
            self.measure.addItem(words, measure)
        for low, words in LOW_NAMES.items():
            self.low.addItem(words, low)
        for axis in Axis:
            self.axis.addItem(tr("{axis} watts", axis=axis) if axis.of_watts else tr("over {axis}", axis=axis), axis)
        for second in Second:
            self.second.addItem(tr(second), second)
        self.second.setCurrentIndex(self.second.findData(Second.NOTHING))
        for rule in RULES:
            self.rule.addItem(tr("ringed: {promises}", promises=PROMISES[rule]), rule)
        self.rule.setCurrentIndex(self.rule.findData(NEARLY_ALL))

    def _connect(self) -> None:
        self.devices.changed.connect(lambda ids: self.changed.emit({"device_ids": ids}))
        self.workloads.changed.connect(lambda ids: self.changed.emit({"workload_ids": ids}))
        for combo, field in ((self.room, "room_c"), (self.measure, "measure"), (self.axis, "axis")):
            combo.activated.connect(lambda _, combo=combo, field=field: self.changed.emit({field: combo.currentData()}))
        self.low.activated.connect(lambda _: self.changed.emit({"low": self.low.currentData()}))
        self.worth.valueChanged.connect(lambda value: self.changed.emit({"worth": value / 100.0}))
        self.delta.valueChanged.connect(lambda value: self.changed.emit({"delta": value / 100.0}))
        self.second.activated.connect(lambda _: self.draw())
        self.rule.activated.connect(self._rule_chosen)
        self.tabs.currentChanged.connect(self._turn)
        self.reader_w.valueChanged.connect(lambda _: self._reader_typed())
        self.chart.reader_moved.connect(self.reader_w.setValue)
        self.target_fps.editingFinished.connect(self._target_typed)
        self.low_share.editingFinished.connect(self._target_typed)
        for table in (self.spots, self.reader, self.crossings, self.target):
            table.explained.connect(self.explained)
        for table in (self.crossings, self.groups, self.target):
            table.opened.connect(self.read_at)
        self.what_if.explained.connect(self.explained)
        self.settings.opened.connect(lambda run: self.run_wanted.emit(run))
        self.chart.dot_clicked.connect(self._dot_clicked)

    def _set_there(self, chart: bool, table: bool) -> None:
        parts: tuple[QWidget, ...] = (self.chart, self._footnote, self._chart_button)
        for part in parts:
            part.setVisible(chart)
        below: tuple[QWidget, ...] = (self.tabs, self.below, self._choices)
        for part in below:
            part.setVisible(table)
        self._filler.setVisible(not chart)

    def _set_reader_range(self, result: ScaleResult) -> None:
        ladders = result.ladders.values()
        self.reader_w.setEnabled(bool(ladders))
        if ladders and not any(ladder.covers(self.reader_w.value()) for ladder in ladders):
            low = max(float(ladder.power[0]) for ladder in ladders)
            high = min(float(ladder.power[-1]) for ladder in ladders)
            self.reader_w.blockSignals(True)
            self.reader_w.setValue(round((low + high) / 2.0))
            self.reader_w.blockSignals(False)

    def _turn(self, tab: int) -> None:
        self.below.setCurrentIndex(tab)
        reads = self.chart.chart is not None and self.chart.chart.reader is not None
        if self.chart.chart is not None and (reads != (tab == READER) or self.predicted is not None):
            self.draw()
        if tab == WHAT_IF:
            self.what_if.asked.emit()

    def _rule_chosen(self) -> None:
        self.draw()
        self.explain_spot()

    def _reader_typed(self) -> None:
        self._read()
        if self.tabs.currentIndex() == READER:
            self.draw()

    def _read(self) -> None:
        rows: list[TableRow] = state.reader_rows(self.result, self.reader_w.value()) if self.result else []
        self.reader.show_rows(rows)

    def _target_typed(self) -> None:
        wanted = self.target_fps.value() or None
        share = self.low_share.value() / 100.0
        if self.result and (wanted, share) != (self.result.choice.target, self.result.choice.low_share):
            self.changed.emit({"target": wanted, "low_share": share})

    def _dot_clicked(self, index: int) -> None:
        points = state.measured(self.result) if self.result else []
        if index < len(points):
            self.run_wanted.emit(points[index].of.run.id)


def _combo(name: str) -> QComboBox:
    combo = QComboBox()
    combo.setAccessibleName(name)
    combo.setToolTip(name)
    return combo


def _page(table: RowTable, *beside: QWidget) -> QWidget:
    """A table with what is typed for it above."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(2)
    row = QHBoxLayout()
    for widget in beside:
        row.addWidget(widget)
    row.addStretch(1)
    column.addLayout(row)
    column.addWidget(table, 1)
    return page
