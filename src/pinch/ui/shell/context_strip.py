"""The context strip: what is being looked at, as linked pickers."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from pinch.bench.records import Listed, Run, when_words
from pinch.bench.summaries import origin_words
from pinch.language import tr
from pinch.ui.session import Session
from pinch.ui.shell.words import hairline, label

ALL_SETTINGS = tr("all settings")


class Picker(QWidget):
    """A captioned list to choose one thing from, by its id."""

    def __init__(self, caption: str, width: int) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 4)
        column.setSpacing(0)
        title = label(caption, "quiet")
        self.box = QComboBox()
        self.box.setAccessibleName(caption)
        self.box.setMinimumWidth(width)
        self.box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        title.setBuddy(self.box)
        column.addWidget(title)
        column.addWidget(self.box)

    def offer(self, things: Sequence[tuple[int | None, str]], chosen: int | None) -> None:
        """Offer these things, one of them chosen, without telling anyone."""
        self.box.blockSignals(True)
        self.box.clear()
        for key, words in things:
            self.box.addItem(words, key)
            self.box.setItemData(self.box.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
        self.box.setCurrentIndex(self.box.findData(chosen))
        self.box.setEnabled(bool(things))
        self.box.setToolTip(self.box.currentText())
        self.box.blockSignals(False)

    @property
    def chosen(self) -> int | None:
        """Id of what is chosen."""
        data = self.box.currentData()
        return None if data is None else int(data)


class ContextStrip(QWidget):
    """Device, setting, workload and run."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(48)
        self._session = session
        self.device = Picker(tr("Device"), 150)
        self.setting = Picker(tr("Setting"), 130)
        self.workload = Picker(tr("Workload"), 170)
        self.run = Picker(tr("Run"), 210)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(12)
        for picker in (self.device, self.setting, self.workload, self.run):
            row.addWidget(picker)
            row.addWidget(hairline(upright=True))
            picker.box.activated.connect(self._picked)
        row.addStretch(1)
        session.subject_changed.connect(self.refresh)
        session.records_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Offer what the book holds now."""
        session, subject = self._session, self._session.subject
        self.device.offer(_live(session.book.devices(), subject.device_id), subject.device_id)
        settings = _live(session.settings(subject.device_id), subject.setting_id)
        self.setting.offer([(None, ALL_SETTINGS), *settings] if settings else [], subject.setting_id)
        if subject.setting_id is None and settings:
            self.setting.box.setCurrentIndex(0)
        self.workload.offer(_live(session.book.workloads(), subject.workload_id), subject.workload_id)
        names = dict(settings)
        runs = session.runs(subject) if subject.device_id is not None and subject.workload_id is not None else []
        whole = subject.setting_id is None
        self.run.offer(
            [(r.id, run_words(r, names.get(r.setting_id, "") if whole else "")) for r in runs], subject.run_id
        )

    def _picked(self) -> None:
        self._session.choose(self.device.chosen, self.setting.chosen, self.workload.chosen, self.run.chosen)


def _live(records: Sequence[Listed], chosen: int | None) -> list[tuple[int | None, str]]:
    """What is offered: records that are not archived, and the chosen one."""
    return [(r.id, r.name) for r in records if not r.archived or r.id == chosen]


def run_words(run: Run, setting: str = "") -> str:
    """A run in a few words: repeat, day, room, and what is special about it."""
    words = [f"{setting}, {run.repeat}" if setting else f"{run.repeat}", when_words(run)]
    if run.summary is not None:
        words[1:] = [origin_words(run.summary)]
    if run.ambient_c is not None:
        words.append(tr("{ambient_c:g} °C", ambient_c=run.ambient_c))
    if run.void:
        words.append("void")
    elif run.cut_off:
        words.append(tr("no stop"))
    return " · ".join(words)
