"""Small dialogs: a new setting, a log to add, a reason to give."""

from pathlib import Path

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.records import Device, Setting, Workload, checked
from pinch.core.errors import PinchError
from pinch.ui.shell.words import label

SETTING_CAUTION = (
    "Pinch only records what you set; it never changes a limit. Raising limits or lowering voltages can damage a "
    "machine or its battery: follow the maker's instructions."
)


class _FormDialog(QDialog):
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


class SettingDialog(_FormDialog):
    """A new setting of a device; `setting` once it is accepted."""

    def __init__(self, device: Device, parent: QWidget | None = None) -> None:
        super().__init__(f"New setting of {device.name}", parent, SETTING_CAUTION)
        self._device = device
        self.name, self.sustained, self.burst = QLineEdit(), QLineEdit(), QLineEdit()
        self.mains = QCheckBox("on mains")
        self.mains.setChecked(True)
        self.sustained.setPlaceholderText("as the label claims, W; may stay empty")
        self.burst.setPlaceholderText("W; may stay empty")
        for caption, widget in (
            ("Name", self.name),
            ("Sustained limit", self.sustained),
            ("Burst limit", self.burst),
            ("Supply", self.mains),
        ):
            self.form.addRow(caption, widget)
        self.setting: Setting | None = None

    def read(self) -> None:
        self.setting = checked(
            Setting,
            "The setting",
            device_id=self._device.id,
            name=self.name.text(),
            sustained_w=_watts(self.sustained.text(), "The sustained limit"),
            burst_w=_watts(self.burst.text(), "The burst limit"),
            mains=self.mains.isChecked(),
        )


class LogDialog(_FormDialog):
    """Where a log belongs: existing or new device, setting and workload, by name."""

    def __init__(
        self, path: Path, devices: list[Device], workloads: list[Workload], parent: QWidget | None = None
    ) -> None:
        super().__init__(f"Add {path.name} as a run", parent)
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

    def read(self) -> None:
        checked(Device, "The device", name=self.device.currentText())
        checked(Workload, "The workload", name=self.workload.currentText())
        fields = {"device_id": 0, "name": self.setting.text(), "sustained_w": self.claimed_w}
        checked(Setting, "The setting", **fields)

    @property
    def claimed_w(self) -> float | None:
        """Claimed watts of a new setting."""
        return _watts(self.watts.text(), "The sustained limit")


def _watts(text: str, what: str) -> float | None:
    if not text.strip():
        return None
    try:
        return float(text.strip().removesuffix("W").strip().replace(",", "."))
    except ValueError:
        raise PinchError(f"{what}: {text!r} is not a number of watts.") from None
