"""The form of a question: what is asked, of what, how exactly and how sure."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QListWidget, QListWidgetItem, QWidget

from pinch.bench.bench_questions import OF_CURVES, Asks, ReviewQuestion
from pinch.bench.records import MOST_NAME, Device, Setting, Workload, checked
from pinch.core.errors import PinchError
from pinch.core.sweetspots import NEARLY_ALL, PROMISES, RULES
from pinch.language import tr
from pinch.narrative.cautions import LONG_WORK
from pinch.ui.dialogs import FormDialog
from pinch.ui.number_box import NumberBox
from pinch.ui.shell.words import label

ASKS_WORDS = {
    Asks.FASTER: tr("Two settings, of one device or of two, are run in turns until one is ahead or none is."),
    Asks.LOCK: tr("Several settings; those that are behind are run no more."),
    Asks.HOLDS: tr("Whether a setting holds its watts, or others, in a room."),
    Asks.BATTERY: tr("How long a battery lasts at a setting."),
    Asks.BUILD: tr("The newest firmware, driver or system against the one before, by the builds of the runs."),
    Asks.LEAST_WATTS: tr("The least watts of a device for a rate, read off its curve."),
    Asks.SWEET_SPOT: tr("Where one more watt is hardly worth it, read off its curve."),
    Asks.CROSSES: tr("From which watts on another device leads, read off both curves."),
}


class AskDialog(FormDialog):
    """`question` is what was asked, once it was accepted."""

    def __init__(
        self,
        devices: Sequence[Device],
        settings: Sequence[Setting],
        workloads: Sequence[Workload],
        begin: tuple[int | None, int | None, int | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("Ask"), parent, LONG_WORK)
        self.setMinimumWidth(560)
        self.question: ReviewQuestion | None = None
        named = {d.id: d.name for d in devices}
        self.asks, self.workload = QComboBox(), QComboBox()
        self.first, self.second, self.several = QComboBox(), QComboBox(), QListWidget()
        self.device, self.other, self.rule = QComboBox(), QComboBox(), QComboBox()
        self._words = label("", "quiet", wrap=True)
        for asks in Asks:
            self.asks.addItem(tr(asks), asks)
        for work in workloads:
            self.workload.addItem(work.name, work.id)
        for s in settings:
            words = f"{named.get(s.device_id, '')}, {s.name}"
            self.first.addItem(words, s.id)
            self.second.addItem(words, s.id)
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, s.id)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.several.addItem(item)
        for d in devices:
            self.device.addItem(d.name, d.id)
            self.other.addItem(d.name, d.id)
        for rule in RULES:
            self.rule.addItem(PROMISES[rule], rule)
        self.rule.setCurrentIndex(self.rule.findData(NEARLY_ALL))
        self.several.setFixedHeight(132)
        self.delta = NumberBox(tr("Smallest difference that matters"), 0.1, 50.0, 3.0, unit="%", step=0.5)
        self.within = NumberBox(tr("How exact the answer has to be"), 0.1, 1000.0, 2.0)
        self.fps = NumberBox(tr("Wanted rate"), 0.0, 1e5, 60.0)
        self.low = NumberBox(tr("Its low has to reach, of it"), 0.0, 100.0, 0.0, unit="%", step=5.0)
        self.watts = NumberBox(tr("Watts to hold; 0: its own"), 0.0, 1000.0, 0.0, unit="W")
        self.room = NumberBox(tr("Room temperature"), -40.0, 80.0, 22.0, unit="°C")
        self.sure = NumberBox(tr("How sure an answer has to be"), 50.0, 99.9, 95.0, unit="%", step=1.0)
        self._rows: tuple[tuple[str, QWidget, frozenset[Asks]], ...] = (
            (tr("Work"), self.workload, frozenset(Asks)),
            (tr("Setting"), self.first, frozenset({Asks.FASTER, Asks.HOLDS, Asks.BATTERY, Asks.BUILD})),
            (tr("Against"), self.second, frozenset({Asks.FASTER})),
            (tr("Settings"), self.several, frozenset({Asks.LOCK})),
            (tr("Device"), self.device, frozenset(OF_CURVES)),
            (tr("Against"), self.other, frozenset({Asks.CROSSES})),
            (tr("Rule"), self.rule, frozenset({Asks.SWEET_SPOT})),
            (tr("Wanted rate"), self.fps, frozenset({Asks.LEAST_WATTS})),
            (tr("Its low, of it"), self.low, frozenset({Asks.LEAST_WATTS})),
            (tr("Watts (0: its own)"), self.watts, frozenset({Asks.HOLDS})),
            (tr("Room"), self.room, frozenset({Asks.HOLDS})),
            (tr("Matters from"), self.delta, frozenset({Asks.FASTER, Asks.LOCK, Asks.BUILD})),
            (tr("To ± (W, min)"), self.within, frozenset({*OF_CURVES, Asks.BATTERY})),
            (tr("Sure to"), self.sure, frozenset(Asks)),
        )
        self.form.addRow(tr("Question"), self.asks)
        self.form.addRow("", self._words)
        for caption, widget, _ in self._rows:
            self.form.addRow(caption, widget)
        self._begin_with(*begin)
        self.asks.currentIndexChanged.connect(lambda _: self._describe())
        self._describe()

    def _begin_with(self, device: int | None, setting: int | None, workload: int | None) -> None:
        for box, value in ((self.device, device), (self.first, setting), (self.workload, workload)):
            box.setCurrentIndex(max(0, box.findData(value)))
        for box, taken in ((self.other, self.device), (self.second, self.first)):
            box.setCurrentIndex(0 if taken.currentIndex() else min(1, box.count() - 1))

    def _describe(self) -> None:
        asks: Asks = self.asks.currentData()
        self._words.setText(ASKS_WORDS[asks])
        for _, widget, of in self._rows:
            self.form.setRowVisible(widget, asks in of)

    def read(self) -> None:
        asks: Asks = self.asks.currentData()
        items = [self.several.item(n) for n in range(self.several.count())]
        ticked = [i.data(Qt.ItemDataRole.UserRole) for i in items if i and i.checkState() == Qt.CheckState.Checked]
        one = (self.first.currentData(),)
        settings = {Asks.FASTER: (*one, self.second.currentData()), Asks.LOCK: tuple(ticked)}.get(asks, one)
        devices = (self.device.currentData(), *([self.other.currentData()] if asks is Asks.CROSSES else []))
        if self.workload.currentData() is None:
            raise PinchError(tr("A question needs a workload; enter one on the Bench page first."))
        fields: dict[str, Any] = {
            "name": f"{tr(asks)}, {self.workload.currentText()}"[:MOST_NAME],
            "asks": asks,
            "workload_id": self.workload.currentData(),
            "setting_ids": () if asks in OF_CURVES else settings,
            "device_ids": devices if asks in OF_CURVES else (),
            "delta": self.delta.value() / 100.0,
            "within": self.within.value(),
            "fps": self.fps.value() if asks is Asks.LEAST_WATTS else None,
            "low_share": self.low.value() / 100.0 if asks is Asks.LEAST_WATTS else 0.0,
            "rule": self.rule.currentData(),
            "watts": self.watts.value() or None if asks is Asks.HOLDS else None,
            "room_c": self.room.value() if asks is Asks.HOLDS else None,
            "certainty": self.sure.value() / 100.0,
        }
        self.question = checked(ReviewQuestion, tr("The question"), **fields)
