"""Dialogs of the Plan page: a new plan from what it is to find out, and the sessions."""

from datetime import datetime, timedelta
from itertools import pairwise

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QWidget,
)

from pinch.bench.plans import MOST_REPEATS, PlanSession
from pinch.bench.presets import INTENT_WORDS, Intent
from pinch.bench.records import Device, Protocol, Workload
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.dialogs import FormDialog
from pinch.ui.plan.state import read_session, session_words
from pinch.ui.shell.words import label

MOST_SESSIONS = 30


class NewPlanDialog(FormDialog):
    """What a plan is to find out, on which devices, with which workloads."""

    def __init__(
        self,
        devices: list[Device],
        workloads: list[Workload],
        protocols: list[Protocol],
        chosen: Device | None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("New plan"), parent)
        self.setMinimumWidth(520)
        self.intent, self.name = QComboBox(), QLineEdit()
        self.device, self.other, self.protocol = QComboBox(), QComboBox(), QComboBox()
        self.workloads = QListWidget()
        self.repeats = QSpinBox()
        self.repeats.setRange(1, MOST_REPEATS)
        self.repeats.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self._words = label("", "quiet", wrap=True)
        for intent in Intent:
            self.intent.addItem(tr(intent), intent)
        for device in devices:
            self.device.addItem(device.name, device.id)
            self.other.addItem(device.name, device.id)
        if chosen is not None:
            self.device.setCurrentIndex(self.device.findData(chosen.id))
        self.other.setCurrentIndex(0 if self.device.currentIndex() else min(1, self.other.count() - 1))
        self.protocol.addItem(tr("none"), None)
        for protocol in protocols:
            self.protocol.addItem(protocol.name, protocol.id)
        self.protocol.setCurrentIndex(min(1, self.protocol.count() - 1))
        self.repeats.setValue(protocols[0].repeats if protocols else 3)
        for workload in workloads:
            item = QListWidgetItem(workload.name)
            item.setData(Qt.ItemDataRole.UserRole, workload.id)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.workloads.addItem(item)
        if (first := self.workloads.item(0)) is not None:
            first.setCheckState(Qt.CheckState.Checked)
        self.workloads.setFixedHeight(132)
        for caption, widget in (
            (tr("To find out"), self.intent),
            ("", self._words),
            (tr("Name"), self.name),
            (tr("Device"), self.device),
            (tr("Against"), self.other),
            (tr("Workloads"), self.workloads),
            (tr("Repeats"), self.repeats),
            (tr("Protocol"), self.protocol),
        ):
            self.form.addRow(caption, widget)
        self.intent.setCurrentIndex(list(Intent).index(Intent.LADDER))
        self.intent.currentIndexChanged.connect(self._describe)
        self.device.currentIndexChanged.connect(self._describe)
        self._describe()

    @property
    def workload_ids(self) -> list[int]:
        """Ids of the chosen workloads."""
        items = [self.workloads.item(n) for n in range(self.workloads.count())]
        return [int(i.data(Qt.ItemDataRole.UserRole)) for i in items if i and i.checkState() == Qt.CheckState.Checked]

    def read(self) -> None:
        if not self.workload_ids and self.intent.currentData() is not Intent.EMPTY:
            raise PinchError(tr("Tick at least one workload."))

    def _describe(self) -> None:
        intent: Intent = self.intent.currentData()
        self._words.setText(INTENT_WORDS[intent])
        self.form.setRowVisible(self.other, intent is Intent.PAIR)
        self.form.setRowVisible(self.workloads, intent is not Intent.EMPTY)
        self.form.setRowVisible(self.repeats, intent not in (Intent.EMPTY, Intent.SOAK))
        self.name.setPlaceholderText(f"{self.device.currentText()}, {tr(intent)}")

    @property
    def plan_name(self) -> str:
        """The name, as typed or as proposed."""
        return self.name.text().strip() or self.name.placeholderText()


class SessionsDialog(FormDialog):
    """When there is time. `sessions` once it is accepted."""

    def __init__(self, sessions: tuple[PlanSession, ...], now: datetime, parent: QWidget | None = None) -> None:
        super().__init__(tr("Sessions"), parent)
        self._now = now
        self.sessions: tuple[PlanSession, ...] = sessions
        self.form.addRow(
            label(
                tr("Without a length a session lasts as long as it takes; without sessions testing begins at once."),
                wrap=True,
            )
        )
        self._grid = QGridLayout()
        for place, caption in enumerate((tr("Day"), tr("Start"), tr("Length"))):
            self._grid.addWidget(label(caption, "quiet"), 0, place)
        self.form.addRow(self._grid)
        self.rows: list[tuple[QLineEdit, QLineEdit, QLineEdit]] = []
        self.add, self.remove = QPushButton(tr("Add a session")), QPushButton(tr("Remove the last"))
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.remove)
        buttons.addStretch(1)
        self.form.addRow(buttons)
        self.add.clicked.connect(self.add_row)
        self.remove.clicked.connect(self.remove_row)
        for session in sessions:
            self._show(session_words(session))

    def add_row(self) -> None:
        """One more: the day after the last at the same hour, or this evening."""
        if len(self.rows) >= MOST_SESSIONS:
            return
        words = (f"{self._now:%Y-%m-%d}", "19:30", "3 h")
        if self.rows:
            day, start, length = (edit.text() for edit in self.rows[-1])
            try:
                after = datetime.fromisoformat(day) + timedelta(days=1)
            except ValueError:
                after = self._now + timedelta(days=len(self.rows))
            words = (f"{after:%Y-%m-%d}", start, length)
        self._show(words)

    def remove_row(self) -> None:
        """One less."""
        if self.rows:
            for edit in self.rows.pop():
                self._grid.removeWidget(edit)
                edit.deleteLater()

    def read(self) -> None:
        sessions = [read_session(d.text(), start.text(), length.text(), self._now) for d, start, length in self.rows]
        sessions.sort(key=lambda s: s.start)
        for before, after in pairwise(sessions):
            if before.end is None or before.end > after.start:
                raise PinchError(
                    tr(
                        "The session of {astimezone:%-d %b %H:%M} overlaps the next one.",
                        astimezone=before.start.astimezone(),
                    )
                )
        self.sessions = tuple(sessions)

    def _show(self, words: tuple[str, str, str]) -> None:
        edits = tuple(QLineEdit(text) for text in words)
        for place, (edit, name) in enumerate(zip(edits, (tr("Day"), tr("Start"), tr("Length")), strict=True)):
            edit.setAccessibleName(tr("{name} of session {rows}", name=name, rows=len(self.rows) + 1))
            self._grid.addWidget(edit, len(self.rows) + 1, place)
        self.rows.append((edits[0], edits[1], edits[2]))
