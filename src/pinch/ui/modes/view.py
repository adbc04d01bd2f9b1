"""The Modes page: one sheet a device, and power, battery, sound, touch and the year behind it."""

from collections.abc import Callable, Iterator

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from pinch.analysis.modes import ModeRow, ModesSheet, idle_power
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.readings import Instrument
from pinch.charts.spec import Chart, unbroken
from pinch.core.sound import Grade
from pinch.core.touch import Material
from pinch.language import tr
from pinch.narrative import cautions, explain_modes
from pinch.narrative import mode_words as saying
from pinch.narrative.explanation import Explanation
from pinch.ui.drawn_tabs import DrawnTabs
from pinch.ui.modes import state
from pinch.ui.modes.outline import Outline
from pinch.ui.modes.year import YearPane
from pinch.ui.number_box import NumberBox
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.plots.chart_view import ChartView
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label, small_button
from pinch.ui.turns import Turns

TABS = (tr("At a glance"), tr("Wall"), tr("Battery"), tr("Sound"), tr("Touch"), tr("Year"))
GLANCE, WALL, BATTERY, SOUND, TOUCH, YEAR = range(6)


class ModesView(PageView):
    """`room_chosen` gives a room temperature (None: all), `run_wanted` a run to open in Judge."""

    explained = pyqtSignal(Explanation)
    run_wanted = pyqtSignal(int)
    room_chosen = pyqtSignal(object)
    chart_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart_button = small_button(
            tr("Chart …"), tr("Write the chart as PNG, SVG or PDF (Ctrl+E)"), self.chart_wanted.emit
        )
        self.room = QComboBox()
        self.room.setAccessibleName(tr("Room temperature"))
        self.sheet: ModesSheet | None = None
        self._points: BookPoints | None = None
        self._slot = 0
        self._turns = Turns(self)
        self.modes = RowTable(tr("Modes at a glance"), state.MODE_COLUMNS)
        self.wall = RowTable(tr("Wall and package"), state.WALL_COLUMNS, words=(0, 6))
        self.rundowns = RowTable(tr("Rundowns"), state.BATTERY_COLUMNS, words=(0, 8))
        self.sound = RowTable(tr("Levels"), state.SOUND_COLUMNS, words=(0, 4, 5, 7))
        self.touch = RowTable(tr("Surfaces"), state.TOUCH_COLUMNS, words=(0, 4, 5))
        self.glance_chart, self.wall_chart, self.battery_chart, self.sound_chart = (ChartView() for _ in range(4))
        self.wall_words, self.battery_words, self.sound_words = (label("", "", wrap=True) for _ in range(3))
        self.share = NumberBox(
            tr("Share of the score to keep"), 1.0, 100.0, 90.0, unit="%", before=tr("keeps "), width=170
        )
        self.at_w = NumberBox(
            tr("Package watts on battery"), 0.5, 500.0, 15.0, unit="W", before=tr("how long at "), width=170
        )
        self.limit = NumberBox(tr("Quiet limit"), 0.0, 120.0, 35.0, unit="dB(A)", before=tr("at most "), width=170)
        self.fahrenheit = QCheckBox(tr("in °F"))
        self.grade, self.material = QComboBox(), QComboBox()
        self.grade.setAccessibleName(tr("How the room is taken off"))
        for grade in Grade:
            self.grade.addItem(tr(grade), grade)
        self.material.setAccessibleName(tr("Material of the surfaces"))
        self.material.addItem(tr("usual materials"), None)
        for material in Material:
            self.material.addItem(tr(material), material)
        self.setting, self.outline, self.year = QComboBox(), Outline(), YearPane()
        self.setting.setAccessibleName(tr("Setting whose surfaces are shown"))
        self.tabs, self.below = QTabBar(), PageStack()
        self._lay_out()
        self._set_there(False)
        draws: dict[int, Callable[[ModesSheet], None]] = {
            GLANCE: self._draw_glance,
            WALL: self._draw_wall,
            BATTERY: self._draw_battery,
            SOUND: self._draw_sound,
            TOUCH: lambda _: self._show_surfaces(),
        }
        self._drawn = DrawnTabs(self.tabs, draws)
        self._connect()

    # Showing

    def show_sheet(self, sheet: ModesSheet, points: BookPoints, slot: int) -> None:
        """Show the sheet of a device; one that is shown is not drawn again."""
        if sheet is self.sheet and points is self._points and slot == self._slot:
            return
        self.sheet, self._points, self._slot = sheet, points, slot
        chosen = self.setting.currentText()
        self.setting.clear()
        for row in sheet.rows:
            if row.surfaces:
                self.setting.addItem(row.setting.name, row)
        at = self.setting.findText(chosen)
        self.setting.setCurrentIndex(at if at >= 0 else self.setting.count() - 1)
        idle = idle_power(self._own)
        if idle.known:
            self.year.show_idle(idle.value)
        self._set_there(True)
        self._say(sheet)
        self._turns.begin(self._drawn_next(sheet))

    def _drawn_next(self, sheet: ModesSheet) -> Iterator[None]:
        """The tab, in a turn of its own: showing the parts of the page for the first time takes as long."""
        self._drawn.show(sheet)
        yield

    def _say(self, sheet: ModesSheet) -> None:
        self.headline.setText(unbroken(saying.headline(sheet, self.share.value() / 100.0)))

    def draw(self) -> None:
        """Show the headline and the tab that is turned to; the others wait until they are."""
        if self.sheet is None:
            return
        self._turns.drop()
        self._say(self.sheet)
        self._drawn.show(self.sheet)

    def _draw_glance(self, sheet: ModesSheet) -> None:
        self.modes.show_rows(state.mode_rows(sheet, self._instruments))
        self.modes.keep_to_its_rows()
        self.glance_chart.show_if_any(saying.glance_chart(sheet, self.share.value() / 100.0, self._slot))

    def _draw_wall(self, sheet: ModesSheet) -> None:
        self.wall.show_rows(state.wall_rows(sheet))
        self.wall_words.setText(unbroken(saying.wall_words(sheet, self._own, self._instruments)))
        self.wall_chart.show_if_any(saying.wall_chart(sheet, self._own, self._instruments, self._slot))

    def _draw_battery(self, sheet: ModesSheet) -> None:
        self.rundowns.show_rows(state.battery_rows(sheet))
        said = saying.battery_words(sheet, self.at_w.value()), saying.not_on_battery(sheet)
        self.battery_words.setText(unbroken(" ".join(filter(None, said))))
        self.battery_chart.show_if_any(saying.battery_chart(sheet, self._own, self._slot, self.at_w.value()))

    def _draw_sound(self, sheet: ModesSheet) -> None:
        self.sound.show_rows(state.sound_rows(sheet, self.limit.value()))
        self.sound_words.setText(unbroken(saying.sound_words(sheet, self.limit.value())))
        self.sound_chart.show_if_any(saying.sound_chart(sheet, self.limit.value(), self._slot))

    def show_rooms(self, rooms: list[float], chosen: float | None) -> None:
        """Offer the room temperatures that occur."""
        self.room.clear()
        self.room.addItem(tr("any room"), None)
        for room in rooms:
            self.room.addItem(tr("room {room:g} °C", room=room), room)
        self.room.setCurrentIndex(max(0, self.room.findData(chosen)))
        self.room.setVisible(len(rooms) > 1)

    def show_nothing(self, why: str) -> None:
        """Say what is missing."""
        self.sheet = None
        self._turns.drop()
        self._drawn.forget()
        self.headline.setText(why)
        self._set_there(False)

    @property
    def written(self) -> Chart | None:
        """The chart of the tab."""
        self._turns.finish()
        charts = {
            GLANCE: self.glance_chart,
            WALL: self.wall_chart,
            BATTERY: self.battery_chart,
            SOUND: self.sound_chart,
        }
        view = charts.get(self.tabs.currentIndex())
        return view.chart if view is not None else None

    @property
    def _own(self) -> list[RunPoint]:
        if self.sheet is None or self._points is None:
            return []
        return saying.own_points(self._points, self.sheet.device.id)

    @property
    def _instruments(self) -> tuple[Instrument, ...]:
        return self._points.instruments if self._points is not None else ()

    def _turn(self, tab: int) -> None:
        self.below.setCurrentIndex(tab)
        if tab == WALL and self.sheet is not None:
            explained = explain_modes.explain_line(self.sheet, self._instruments)
            if explained is not None:
                self.explained.emit(explained)

    def _show_surfaces(self) -> None:
        row = self.setting.currentData()
        shown = row if isinstance(row, ModeRow) else None
        material = self.material.currentData()
        self.touch.show_rows(state.touch_rows(shown, self.fahrenheit.isChecked(), material))
        if self.sheet is not None:
            surfaces = shown.surfaces if shown else ()
            self.outline.show_surfaces(self.sheet.device.form, surfaces, self.fahrenheit.isChecked())

    # Set-up

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        for widget in (self.room, self._chart_button):
            top.addWidget(widget, 0, Qt.AlignmentFlag.AlignTop)
        for name, page in zip(TABS, self._pages(), strict=True):
            self.tabs.addTab(name)
            self.below.addWidget(page)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setAccessibleName(tr("Part of the sheet"))
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(6)
        column.addLayout(top)
        column.addWidget(self.tabs)
        column.addWidget(self.below, 1)
        self._filler = QWidget()
        column.addWidget(self._filler, 1)

    def _pages(self) -> list[QWidget]:
        hint = label(
            tr("Click a heading to sort, a cell for where it comes from; Enter opens the run."), "quiet", wrap=True
        )
        caution = label(cautions.TOUCH, "quiet", wrap=True)
        touch = _page([self.setting, self.material, self.fahrenheit], self.outline, self.touch, caution)
        return [
            _page([self.share], hint, self.modes, self.glance_chart, first=4),
            _page([], self.wall_words, self.wall_chart, self.wall, label(cautions.MAINS, "quiet", wrap=True)),
            _page(
                [self.at_w],
                self.battery_words,
                self.battery_chart,
                self.rundowns,
                label(cautions.BATTERY, "quiet", wrap=True),
            ),
            _page([self.limit, self.grade], self.sound_words, self.sound_chart, self.sound),
            touch,
            self.year,
        ]

    def _connect(self) -> None:
        for spin in (self.share, self.at_w, self.limit):
            spin.valueChanged.connect(lambda _: self.draw())
        self.battery_chart.reader_moved.connect(self.at_w.setValue)
        self.tabs.currentChanged.connect(self._turn)
        self.room.activated.connect(lambda _: self.room_chosen.emit(self.room.currentData()))
        for combo in (self.setting, self.material):
            combo.activated.connect(lambda _: self._show_surfaces())
        self.grade.activated.connect(lambda _: self.room_chosen.emit(self.room.currentData()))
        self.fahrenheit.toggled.connect(lambda _: self._show_surfaces())
        for table in (self.modes, self.wall, self.rundowns, self.sound, self.touch):
            table.explained.connect(self.explained)
            table.opened.connect(lambda run: self.run_wanted.emit(run))

    def _set_there(self, there: bool) -> None:
        for part in (self.tabs, self.below, self._chart_button):
            part.setVisible(there)
        self._filler.setVisible(not there)


def _page(typed: list[QWidget], *below: QWidget, first: int = 1) -> QWidget:
    """What is typed in a row, and the rest below it; tables and charts take the room, the first of them so many times
    as much as each other."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 4, 0, 0)
    column.setSpacing(6)
    if typed:
        row = QHBoxLayout()
        for widget in typed:
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
    for widget in below:
        is_low = isinstance(widget, QLabel | Outline)
        column.addWidget(widget, 0 if is_low else first)
        first = first if is_low else 1
    return page
