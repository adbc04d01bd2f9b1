"""Results that no log gives, at one device, setting and workload: typed one by one, listed, and taken away again."""

from collections.abc import Callable

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from pinch.analysis.work_metrics import typed_metrics
from pinch.bench.entry import read_count, read_day, read_quantity, read_value
from pinch.bench.records import Device, Result, Setting, Workload, checked
from pinch.bench.summaries import Origin, result_words
from pinch.core.errors import PinchError
from pinch.core.printing import plain
from pinch.language import tr
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label, small_button
from pinch.ui.table_rows import TableRow

COLUMNS = (tr("Metric"), tr("Value"), tr("Whose"), tr("Note"))


class ResultsDialog(QDialog):
    """`results` gives those there are, `add` and `remove` change the book."""

    def __init__(
        self,
        cell: tuple[Device, Setting, Workload],
        results: Callable[[], list[Result]],
        add: Callable[[Result], None],
        remove: Callable[[Result], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        device, setting, workload = cell
        self.setWindowTitle(tr("Results without a log"))
        self.resize(620, 560)
        self._cell, self._results, self._add, self._remove = cell, results, add, remove
        self._metrics = {m.key: m for m in typed_metrics(workload)}
        self.table = RowTable(tr("Results that were typed or told"), COLUMNS, words=(0, 2, 3))
        self.which, self.origin = QComboBox(), QComboBox()
        self.value, self.n, self.spread, self.units, self.by, self.day, self.note = (QLineEdit() for _ in range(7))
        for metric in self._metrics.values():
            self.which.addItem(f"{metric.name}, {metric.unit}".rstrip(", "), metric.key)
        for origin in Origin:
            self.origin.addItem(tr(origin), origin)
        self.error = label("", "problem", wrap=True)
        self.error.hide()
        self.add_button = small_button(tr("Add this result"), tr("Keep it in the book"), self.add)
        self.remove_button = small_button(tr("Remove the chosen one"), tr("Take it out of the book"), self.remove)
        form = QFormLayout()
        for caption, widget in self._fields().items():
            form.addRow(caption, widget)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        row = QHBoxLayout()
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.addWidget(label(f"{device.name}, {setting.name}: {workload.name}", "heading", wrap=True))
        column.addWidget(self.table, 1)
        column.addLayout(form)
        column.addWidget(self.error)
        column.addLayout(row)
        column.addWidget(buttons)
        self._show()
        self.value.setFocus()

    def add(self) -> None:
        """Keep what was typed, or say what is wrong with it."""
        try:
            self._add(self._read())
        except PinchError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        self.error.hide()
        self.value.clear()
        self._show()

    def remove(self) -> None:
        """Take the chosen result out of the book."""
        chosen = self.table.chosen
        if chosen is not None and isinstance(chosen.of, Result):
            self._remove(chosen.of)
            self._show()

    def _fields(self) -> dict[str, QWidget]:
        hints = {
            self.value: tr("such as 62.4, or a range: 41.6–42"),
            self.n: "1",
            self.spread: tr("standard deviation, of the units where there are several"),
            self.units: "1",
            self.by: tr("a name, a magazine, a page"),
            self.day: tr("such as 2026-09-14"),
        }
        for edit, hint in hints.items():
            edit.setPlaceholderText(hint)
        captions: dict[str, QWidget] = {
            tr("Metric"): self.which,
            tr("Value"): self.value,
            tr("Runs behind it"): self.n,
            tr("Scatter"): self.spread,
        }
        captions |= {tr("Units behind it"): self.units, tr("Whose figure"): self.origin, tr("Told by"): self.by}
        return captions | {tr("Of when"): self.day, tr("Note"): self.note}

    def _read(self) -> Result:
        device, setting, workload = self._cell
        if not self.value.text().strip():
            raise PinchError(tr("The value is missing."))
        value = read_value(self.value.text(), self._metrics[self.which.currentData()].unit)
        made: Result = checked(
            Result,
            tr("The result"),
            device_id=device.id,
            setting_id=setting.id,
            workload_id=workload.id,
            metric=self.which.currentData(),
            n=read_count(self.n.text(), "runs"),
            units=read_count(self.units.text(), "units"),
            spread=read_quantity(self.spread.text(), "").value if self.spread.text().strip() else None,
            origin=self.origin.currentData(),
            told_by=self.by.text(),
            day=read_day(self.day.text()) if self.day.text().strip() else "",
            note=self.note.text(),
            **value.fields,
        )
        return made

    def _show(self) -> None:
        rows = []
        for r in self._results():
            metric = self._metrics.get(r.metric)
            name, unit = (metric.name, metric.unit) if metric else (r.metric, "")
            value = plain(r.value, 6) if r.value is not None else f"{plain(r.low or 0.0, 6)}–{plain(r.high or 0.0, 6)}"
            rows.append(TableRow((name, f"{value} {unit}".rstrip(), result_words(r), r.note), of=r))
        self.table.show_rows(rows)
