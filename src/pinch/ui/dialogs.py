"""Small dialogs: a ladder of limits, a log to add."""

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.entry import read_quantity
from pinch.bench.ladder import rungs
from pinch.bench.records import Device, Setting, Workload, checked
from pinch.bench.sense import CAUTION
from pinch.core.channels import is_channel_name
from pinch.core.errors import PinchError
from pinch.sources.logs.mapping import Mapping as ColumnMapping
from pinch.sources.logs.read import ReadLog
from pinch.ui.shell.words import label

MOST_SAID = 600


class FormDialog(QDialog):
    """A form with an error line; it closes only once `read` has succeeded."""

    def __init__(self, title: str, parent: QWidget | None, caution: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(400)
        self.form = QFormLayout()
        self.error = label("", wrap=True)
        self.error.hide()
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(self.form)
        if caution:
            column.addWidget(label(caution, "quiet", wrap=True))
        column.addWidget(self.error)
        column.addWidget(buttons)

    def accept(self) -> None:
        try:
            self.read()
        except PinchError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        super().accept()

    def read(self) -> None:
        """Check what was typed; raise PinchError where it will not do."""


class LadderDialog(FormDialog):
    """Limits in even steps; shows what they come to on the device."""

    def __init__(self, device: Device, parent: QWidget | None = None) -> None:
        super().__init__(f"Ladder of limits for {device.name}", parent, CAUTION)
        self._allowed = device.claims
        low, high = device.claims.lowest_w, device.claims.highest_w
        self.low, self.high = QLineEdit(f"{low:g} W" if low else ""), QLineEdit(f"{high:g} W" if high else "")
        self.count, self.steps = QLineEdit("7"), QComboBox()
        self.steps.addItem("each by the same factor", True)
        self.steps.addItem("each by the same watts", False)
        self.preview = label("", wrap=True)
        for caption, widget in (
            ("From", self.low),
            ("To", self.high),
            ("Rungs", self.count),
            ("Steps", self.steps),
            ("Comes to", self.preview),
        ):
            self.form.addRow(caption, widget)
        for edit in (self.low, self.high, self.count):
            edit.textChanged.connect(self._show)
        self.steps.currentIndexChanged.connect(self._show)
        self._show()

    def read(self) -> None:
        self.limits()

    def limits(self) -> tuple[float, float, int, bool]:
        """From and to in W, how many, and whether by factor.

        Raises
        ------
        PinchError : they make no ladder.
        """
        low, high = (read_quantity(edit.text(), "W").value for edit in (self.low, self.high))
        count = int(read_quantity(self.count.text(), "").value)
        geometric = bool(self.steps.currentData())
        rungs(low, high, count, geometric, self._allowed)
        return low, high, count, geometric

    def _show(self) -> None:
        try:
            found = rungs(*self.limits(), self._allowed)
            self.preview.setText(", ".join(f"{w:g} W" for w in found))
        except PinchError as error:
            self.preview.setText(str(error))


class LogDialog(FormDialog):
    """Where logs belong: existing or new device, setting and workload, by name; and what cannot be known of them, once
    for each header."""

    def __init__(
        self,
        found: Mapping[Path, ReadLog],
        devices: list[Device],
        workloads: list[Workload],
        parent: QWidget | None = None,
    ) -> None:
        names = [path.name for path in found]
        title = f"Add {names[0]} as a run" if len(names) == 1 else f"Add {len(names)} logs as runs"
        super().__init__(title, parent)
        self._found = found
        self._asked = {log.fingerprint: (path, log) for path, log in reversed(list(found.items())) if log.questions}
        self.channels: dict[tuple[str, str], QLineEdit] = {}
        self.day_first: dict[str, QComboBox] = {}
        self.device, self.setting, self.workload = QComboBox(), QLineEdit(), QComboBox()
        self.watts = QLineEdit()
        self.watts.setPlaceholderText("claimed, W; may stay empty")
        self.device.addItems([d.name for d in devices])
        self.workload.addItems([w.name for w in workloads])
        for box in (self.device, self.workload):
            box.setEditable(True)
        self.form.addRow(QLabel("Choose, or type a new name."))
        for caption, widget in (
            ("Device", self.device),
            ("Setting", self.setting),
            ("Sustained limit", self.watts),
            ("Workload", self.workload),
        ):
            self.form.addRow(caption, widget)
        self._ask()

    def _ask(self) -> None:
        """Only what cannot be known: doubtful columns, and dates that could be read either way."""
        kept = sum(len(log.log.series) for log in self._found.values())
        said = dict.fromkeys(warning for log in self._found.values() for warning in log.warnings)
        self.form.addRow(label(f"{kept} channels are understood. {' '.join(said)}"[:MOST_SAID], "quiet", wrap=True))
        for key, (path, log) in self._asked.items():
            self.form.addRow(label(f"In {path.name}, and all with its header", "heading", wrap=True))
            for use in log.mapping.doubtful:
                edit = QLineEdit(use.channel)
                edit.setToolTip(f"{use.why}; empty leaves the column out")
                self.channels[key, use.column] = edit
                self.form.addRow(f"{use.column} is", edit)
                self.form.addRow("", label(use.why, "question", wrap=True))
            if _asks_about_dates(log):
                box = QComboBox()
                box.addItem("the day comes first", True)
                box.addItem("the month comes first", False)
                self.day_first[key] = box
                self.form.addRow("In its dates", box)

    @property
    def mappings(self) -> dict[str, ColumnMapping]:
        """How columns are to be understood, by fingerprint, for each header that was asked about.

        Raises
        ------
        PinchError : a name is not that of a channel.
        """
        answers = {place: edit.text().strip() for place, edit in self.channels.items()}
        for (_, column), name in answers.items():
            if name and not is_channel_name(name):
                raise PinchError(f"{column}: {name!r} is not a channel such as cpu.temp.")
        made = {}
        for key, (_, log) in self._asked.items():
            columns = tuple(
                use.model_copy(update={"channel": answers[key, use.column], "score": 1.0})
                if (key, use.column) in answers
                else use
                for use in log.mapping.columns
            )
            day_first = bool(self.day_first[key].currentData()) if key in self.day_first else None
            made[key] = ColumnMapping(columns=columns, day_first=day_first)
        return made

    def read(self) -> None:
        self.mappings  # noqa: B018 - raises where an answer makes no sense
        checked(Device, "The device", name=self.device.currentText())
        checked(Workload, "The workload", name=self.workload.currentText())
        fields = {"device_id": 0, "name": self.setting.text(), "sustained_w": self.claimed_w}
        checked(Setting, "The setting", **fields)

    @property
    def claimed_w(self) -> float | None:
        """Claimed watts of a new setting."""
        text = self.watts.text().strip()
        return read_quantity(text, "W").value if text else None


def _asks_about_dates(log: ReadLog) -> bool:
    return any("the month first?" in question for question in log.questions)
