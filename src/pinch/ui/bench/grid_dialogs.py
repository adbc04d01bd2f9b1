"""The bench with few keys: records, or the offers of a device, as rows of a grid; settings as combinations."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.records import Device, Listed, Setting
from pinch.bench.setting_matrix import combinations
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.narrative import cautions
from pinch.ui.bench import record_grid
from pinch.ui.bench.record_grid import GridRecords, Place
from pinch.ui.dialogs import FormDialog, agrees
from pinch.ui.results.grid_table import GridTable, KeepButtons
from pinch.ui.shell.words import label

BLANK_ROWS = 15


class RecordGridDialog(QDialog):
    """Fields to type or paste into, with blank rows below what is there; of the columns their titles, and whether they
    hold words. `keep` takes the records that are new or
    changed, as one change of the book."""

    def __init__(
        self,
        title: str,
        columns: Sequence[tuple[str, bool]],
        there: Sequence[Sequence[str]],
        read: Callable[[dict[Place, str]], GridRecords],
        keep: Callable[[Sequence[Listed]], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(1120, 600)
        self._read, self._keep = read, keep
        self._typed: dict[Place, str] = {}
        self.found = GridRecords()
        self.table = GridTable()
        self.words, self.error = label("", "quiet", wrap=True), label("", "problem", wrap=True)
        buttons = KeepButtons()
        self.keep_button = buttons.keep
        self.keep_button.clicked.connect(self.keep)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        hint = tr("Type, or paste copied cells from the chosen field on. Ctrl+D fills the chosen fields down.")
        for widget in (label(hint, "quiet"), self.table, self.words, self.error, buttons):
            column.addWidget(widget, 1 if widget is self.table else 0)
        rows = [f"{n + 1}" for n in range(len(there) + BLANK_ROWS)]
        texts = {(r, c): text for r, row in enumerate(there) for c, text in enumerate(row)}
        self.table.show_fields(
            rows, [title for title, _ in columns], texts, [n for n, (_, w) in enumerate(columns) if w]
        )
        self.table.typed.connect(self._take_in)
        self.table.overflowed.connect(
            lambda n: self.words.setText(tr("{n} found no row or column.", n=counted(n, "copied cell")))
        )
        self._work_out()

    def keep(self) -> None:
        """Keep what was typed, and close."""
        if self.found.records and not self.found.problems:
            self._keep(self.found.records)
            self._typed.clear()
            self.accept()

    def reject(self) -> None:
        lost = sum(bool(text.strip()) for text in self._typed.values())
        words = tr("{lost} not kept yet.", lost=counted(lost, "typed field is", "typed fields are"))
        if not lost or agrees(self, tr("Close the grid?"), words):
            super().reject()

    def _take_in(self, fields: list[Place]) -> None:
        for at in fields:
            self._typed[at] = self.table.text_of(at)
        self._work_out()

    def _work_out(self) -> None:
        self.found = found = self._read(self._typed)
        problem = ""
        if found.problems:
            (row, column), sentence = next(iter(sorted(found.problems.items())))
            heading = self.table.horizontalHeaderItem(column)
            problem = tr(
                "Row {row}, {what}: {sentence}",
                row=row + 1,
                what=heading.text() if heading is not None else "",
                sentence=sentence,
            )
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
        self.words.setText(" ".join([found.words, *list(found.questions.values())[:2]]))
        self.table.mark(found.problems, found.questions, set())
        self.keep_button.setText(
            tr("Keep {records}", records=counted(len(found.records), "record")) if found.records else tr("Keep")
        )
        self.keep_button.setEnabled(bool(found.records) and not problem)


def offers_dialog(device: Device, keep: Callable[[Sequence[Listed]], None], parent: QWidget | None) -> RecordGridDialog:
    """The offers of a device as rows."""
    return RecordGridDialog(
        tr("Offers of {device}", device=device.name),
        record_grid.offer_captions(),
        record_grid.offer_texts(device),
        lambda typed: record_grid.device_with_offers(device, typed),
        keep,
        parent,
    )


class CombinationsDialog(FormDialog):
    """Settings as combinations of modes, graphics paths, supplies and limits; those that a rule forbids cannot be
    ticked. `chosen` are the settings to make."""

    def __init__(self, device: Device, there: Sequence[Setting], parent: QWidget | None = None) -> None:
        super().__init__(tr("Settings of {device}", device=device.name), parent, cautions.RAISED_LIMITS)
        self.resize(560, 560)
        self._device, self._there = device, there
        self.modes, self.paths, self.limits = (QLineEdit() for _ in range(3))
        self.mains, self.battery = QCheckBox(tr("on mains")), QCheckBox(tr("on battery"))
        self.mains.setChecked(True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Settings that this makes"))
        self.chosen: tuple[Setting, ...] = ()
        hints = {self.modes: tr("Quiet; Balanced; Fast"), self.paths: tr("shared; direct"), self.limits: "15/28/45"}
        for edit, hint in hints.items():
            edit.setPlaceholderText(tr("such as {hint}", hint=hint))
            edit.textChanged.connect(self._show)
        for box in (self.mains, self.battery):
            box.toggled.connect(self._show)
        for caption, widget in (
            (tr("Modes"), self.modes),
            (tr("Graphics paths"), self.paths),
            (tr("Limits, W"), self.limits),
            (tr("Supply"), self.mains),
            ("", self.battery),
            (tr("They become"), self.list),
        ):
            self.form.addRow(caption, widget)
        self._show()

    def read(self) -> None:
        items = [item for n in range(self.list.count()) if (item := self.list.item(n)) is not None]
        ticked = [i for i in items if i.checkState() is Qt.CheckState.Checked]
        self.chosen = tuple(i.data(Qt.ItemDataRole.UserRole) for i in ticked)
        if not self.chosen:
            raise PinchError(tr("No setting is ticked."))

    def _show(self) -> None:
        self.list.clear()
        self.error.hide()
        typed = (self.modes.text(), self.paths.text(), self.mains.isChecked(), self.battery.isChecked())
        try:
            found = combinations(self._device, self._there, *typed, self.limits.text())
        except PinchError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        for each in found:
            why = each.forbidden.partition(": ")[2] if each.forbidden else tr("is there already") if each.known else ""
            item = QListWidgetItem(f"{each.setting.name}: {why}" if why else each.setting.name)
            item.setData(Qt.ItemDataRole.UserRole, each.setting)
            can = not each.forbidden and not each.known
            flags = item.flags() | Qt.ItemFlag.ItemIsUserCheckable
            item.setFlags(flags if can else flags & ~Qt.ItemFlag.ItemIsEnabled)
            if not can:
                item.setForeground(self.palette().placeholderText())
            item.setCheckState(Qt.CheckState.Checked if can else Qt.CheckState.Unchecked)
            self.list.addItem(item)
