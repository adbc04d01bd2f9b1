"""What the channels of a run are, put right."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidget, QTableWidgetItem, QWidget

from pinch.bench.entry import read_quantity
from pinch.core.runlog import RunLog
from pinch.intake.reworking import ChannelMeant
from pinch.language import tr
from pinch.ui.dialogs import FormDialog
from pinch.ui.shell.words import label

TITLES = (tr("Channel"), tr("From – to"), tr("It is"), tr("Times"))
IS, TIMES = 2, 3


class ChannelsMeantDialog(FormDialog):
    """`meant` gives what was changed, by the names of before."""

    def __init__(self, log: RunLog, parent: QWidget | None) -> None:
        super().__init__(tr("Channels of this run"), parent)
        self.resize(620, 420)
        self._names: Sequence[str] = list(log.series)
        self.meant: dict[str, ChannelMeant] = {}
        self.table = QTableWidget(len(self._names), len(TITLES))
        self.table.setHorizontalHeaderLabels(TITLES)
        self.table.setAccessibleName(tr("Channels and what they are"))
        for row, (name, series) in enumerate(log.series.items()):
            values = series.values[series.values == series.values]
            spread = tr("{low:g} – {high:g}", low=values.min(), high=values.max()) if len(values) else tr("no numbers")
            for column, text in enumerate((name, spread, name, "1")):
                item = QTableWidgetItem(text)
                if column < IS:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.table.setItem(row, column, item)
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(IS, 180)
        self.form.addRow(label(tr("Such as cpu.temp; empty leaves the channel out."), "quiet"))
        self.form.addRow(self.table)

    def read(self) -> None:
        self.meant = {}
        for row, old in enumerate(self._names):
            name, factor = (self.table.item(row, column) for column in (IS, TIMES))
            text = name.text().strip() if name is not None else old
            times = read_quantity(factor.text(), "").value if factor is not None else 1.0
            if (text, times) != (old, 1.0):
                self.meant[old] = ChannelMeant(text, times)
