"""The Run page: what is to be recorded, start, mark, stop, and the live values."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.records import Device, Runner, Setting, Workload
from pinch.language import tr
from pinch.narrative import cautions
from pinch.runs.recording import ends_by_itself
from pinch.runs.sourcing import RunRequest
from pinch.ui.number_box import NumberBox
from pinch.ui.page_protocol import PageView
from pinch.ui.run.cut import CutRunView
from pinch.ui.run.live import LiveView
from pinch.ui.run.preflight_view import PreflightView
from pinch.ui.run.reading_dialog import ReadingsView
from pinch.ui.run.state import LiveRun, ready_words, what_is_missing
from pinch.ui.shell.words import captioned, hairline, label

PACES = ((1.0, tr("real time")), (10.0, tr("10 times as fast")), (60.0, tr("60 times as fast")))
RATES = ((1.0, tr("1 a second")), (0.5, tr("2 a second")), (0.2, tr("5 a second")), (0.1, tr("10 a second")))


class RunView(PageView):
    """`start_wanted` gives a request; the other signals have no content."""

    start_wanted = pyqtSignal(object)
    stop_wanted = pyqtSignal()
    mark_wanted = pyqtSignal()
    rig_wanted = pyqtSignal()
    computer_wanted = pyqtSignal()
    judge_wanted = pyqtSignal()
    finish_wanted = pyqtSignal()
    next_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.length = NumberBox(tr("Length"), 0.1, 1440.0, 10.0, unit="min", width=92)
        self.rest = NumberBox(tr("Rest before"), 0.0, 3600.0, 15.0, unit="s", decimals=0, width=92)
        self.room = NumberBox(tr("Room"), -1.0, 60.0, -1.0, unit="°C", width=92)
        self.room.setSpecialValueText(tr("not noted"))
        self.pace = QComboBox()
        self.pace.setAccessibleName(tr("Pace"))
        for factor, words in PACES:
            self.pace.addItem(words, factor)
        self.rate = QComboBox()
        self.rate.setAccessibleName(tr("Samples"))
        for seconds, words in RATES:
            self.rate.addItem(words, seconds)
        self.beep = QCheckBox(tr("beep when settled"))
        self.channels = QPushButton(tr("Channels …"))
        self.channels.setProperty("role", "slight")
        self.channels.setToolTip(tr("Which channels stand large (Ctrl+Shift+V)"))
        self.start = QPushButton(tr("Start"))
        self.start.setProperty("role", "main")
        self.start.setToolTip(tr("Start recording (Ctrl+R)"))
        self.mark = QPushButton(tr("Mark"))
        self.mark.setToolTip(tr("Mark this moment (Ctrl+M)"))
        self.stop = QPushButton(tr("Stop"))
        self.stop.setToolTip(tr("End the run now and keep it (Ctrl+.)"))
        self.next_step = label("", wrap=True)
        self.take_next = QPushButton(tr("Take it"))
        self.take_next.setToolTip(tr("Choose device, setting and workload of the next run of the sheet (Ctrl+Shift+R)"))
        self.finish = QPushButton(tr("It is over"))
        self.finish.setToolTip(tr("The work that you do by hand is over: the run is complete (Ctrl+Shift+.)"))
        self.finish.hide()
        self.judge = QPushButton(tr("Judge it"))
        self.add_computer = QPushButton(tr("Add this computer"))
        self.add_rig = QPushButton(tr("Add the simulated devices"))
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 1000)
        self.live = LiveView()
        self.preflight = PreflightView()
        self.readings, self.cut = ReadingsView(), CutRunView()
        self._pace_field = captioned(tr("Pace of the rig"), self.pace)
        self._length_field = captioned(tr("Length of a pass"), self.length)
        self._workload_id: int | None = None
        self._how = label("", wrap=True)
        self._form = QWidget()
        self._lay_out()
        self._subject: tuple[Device, Setting, Workload] | None = None
        self.start.clicked.connect(self.ask_start)
        for button, signal in (
            (self.stop, self.stop_wanted),
            (self.finish, self.finish_wanted),
            (self.take_next, self.next_wanted),
            (self.mark, self.mark_wanted),
            (self.judge, self.judge_wanted),
            (self.add_computer, self.computer_wanted),
            (self.add_rig, self.rig_wanted),
        ):
            button.clicked.connect(signal)

    def _lay_out(self) -> None:
        for field in (self.length, self.rest, self.room, self.rate, self.pace):
            field.setFixedHeight(28)
        fields = QHBoxLayout()
        fields.setSpacing(14)
        fields.addWidget(self._length_field)
        for caption, widget in ((tr("Rest before"), self.rest), (tr("Room"), self.room), (tr("Samples"), self.rate)):
            fields.addWidget(captioned(caption, widget))
        fields.addWidget(self._pace_field)
        fields.addStretch(1)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        for button in (self.start, self.mark, self.readings.add, self.finish, self.stop, self.judge):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.beep)
        buttons.addWidget(self.channels)
        self._fields = QWidget()
        self._fields.setLayout(fields)
        fields.setContentsMargins(0, 0, 0, 0)
        form = QVBoxLayout(self._form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(10)
        form.addWidget(self._fields)
        form.addLayout(buttons)
        offers = QHBoxLayout()
        offers.setSpacing(10)
        offers.addWidget(self.add_computer)
        offers.addWidget(self.add_rig)
        offers.addStretch(1)
        self._caution = label(cautions.UNDER_LOAD, "quiet", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(10)
        column.addWidget(self.headline)
        following = QHBoxLayout()
        following.addWidget(self.next_step, 1)
        following.addWidget(self.take_next, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(following)
        column.addWidget(self.cut)
        column.addLayout(offers)
        column.addWidget(hairline())
        column.addWidget(self._how)
        column.addWidget(self._form)
        column.addWidget(self._caution)
        column.addWidget(self.preflight)
        column.addWidget(self.progress)
        column.addWidget(self.live, 1)
        column.addWidget(self.readings)
        self._filler = QWidget()
        column.addWidget(self._filler, 1)

    def show_ready(
        self,
        device: Device | None,
        setting: Setting | None,
        workload: Workload | None,
        any_device: bool,
        beside: Sequence[str] = (),
    ) -> None:
        """Nothing is being recorded: show what would be, with what is read along, or what is missing."""
        self._subject = None
        missing = what_is_missing(device, setting, workload, any_device)
        self.headline.setText(missing)
        self._how.setText("")
        if not missing and device is not None and setting is not None and workload is not None:
            self._subject = (device, setting, workload)
            self.headline.setText(ready_words(device, setting, workload))
            along = [tr("Read along: {beside}.", beside=", ".join(beside))] if beside else []
            self._how.setText(" ".join([how_words(device, workload), *along]).strip())
        self._how.setVisible(bool(self._how.text()))
        if workload is not None and workload.id != self._workload_id:
            self._workload_id = workload.id
            self.length.setValue(workload.length_s / 60.0)
        ready = self._subject is not None
        self._form.setVisible(any_device)
        self._fields.show()
        self._caution.setVisible(any_device)
        self._pace_field.setVisible(device is not None and device.rig is not None)
        by_itself = device is not None and workload is not None and ends_by_itself(device, workload)
        self._length_field.setVisible(not by_itself)
        self.finish.hide()
        self.start.setEnabled(ready)
        self.stop.setEnabled(False)
        self.mark.setEnabled(False)
        self.progress.hide()
        self.live.setVisible(bool(self.live.values))
        self.live.fold(True)
        self._filler.show()
        self.channels.setEnabled(bool(self.live.values))
        for field in (self.length, self.rest, self.room, self.rate, self.pace):
            field.setEnabled(ready)

    def show_next(self, words: str, taken: bool) -> None:
        """Show the next step of the run sheet, if there is one, and offer to take it where it is not taken yet."""
        self.next_step.setText(words)
        self.next_step.setVisible(bool(words))
        self.take_next.setVisible(bool(words) and not taken)

    def offer_devices(self, computer: bool, rig: bool) -> None:
        """Offer what can still be added."""
        self.add_computer.setVisible(computer)
        self.add_rig.setVisible(rig)

    def show_live(self, live: LiveRun, slot: int) -> None:
        """Show the recording so far."""
        self.headline.setText(f"{live.words}: {live.subject}.")
        self.start.setEnabled(False)
        self.stop.setEnabled(True)
        self.mark.setEnabled(True)
        self.judge.hide()
        self.cut.hide()
        self.channels.setEnabled(True)
        for idle in (self._fields, self._how, self._caution):  # the charts need the room; the margin has the caution
            idle.hide()
        self._filler.hide()
        self.preflight.hide()
        self.live.show()
        self.live.fold(False)
        self.progress.show()
        self.finish.setVisible(live.by_hand)
        self.progress.setRange(0, 1000 if math.isfinite(live.total_s) else 0)
        gone, whole = live.t_s - live.course.from_s, live.total_s - live.course.from_s
        self.progress.setValue(round(1000 * min(1.0, gone / whole)))
        self.live.refresh(live, slot)

    @property
    def room_c(self) -> float | None:
        """The room as entered, °C."""
        return None if self.room.value() == self.room.minimum() else self.room.value()

    def ask_start(self) -> None:
        """Ask for what the page says."""
        if self._subject is None or not self.start.isEnabled():
            return
        self.start_wanted.emit(self.request(*self._subject))

    def request(self, device: Device, setting: Setting, workload: Workload) -> RunRequest:
        """A run of a subject as the page says."""
        pace = float(self.pace.currentData()) if device.rig is not None else 1.0
        return RunRequest(
            device,
            setting,
            workload,
            60 * self.length.value(),
            self.rest.value(),
            self.room_c,
            pace,
            interval_s=float(self.rate.currentData()),
        )


def how_words(device: Device, workload: Workload) -> str:
    """How a run goes; empty where there is nothing to say. A command is shown before it is started."""
    several = tr("{all_passes} passes, unattended", all_passes=workload.all_passes) if workload.all_passes > 1 else ""
    waits = tr(", with {pause_s:g} s between them", pause_s=workload.pause_s) if several and workload.pause_s else ""
    if device.rig is not None or workload.runner is Runner.LOAD:
        return f"{several}{waits}." if several else ""
    if workload.runner is Runner.HAND:
        return tr("You start and end the work yourself: Start begins the rest, It is over completes the run.")
    where = tr(" on this computer") if device.reach and not device.local else ""
    return tr(
        "It runs{where}, {several}{waits}: {command}.",
        where=where,
        several=several or tr("one pass"),
        waits=waits,
        command=workload.command or tr("no command yet"),
    )
