"""The checks before a run, a line each, with their evidence."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.recorder.preflight import Check, CheckVerdict
from pinch.ui.shell.words import label

SIGNS = {CheckVerdict.GOOD: "✓", CheckVerdict.WARNING: "!", CheckVerdict.UNKNOWN: "?"}


class PreflightView(QWidget):
    """A line a check. `again_wanted` asks for another look."""

    again_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._title = label(tr("Before the run"), "heading")
        self.again = QPushButton(tr("Check again"))
        self.again.setProperty("role", "slight")
        self.again.clicked.connect(self.again_wanted)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(2, 1)
        top = QHBoxLayout()
        top.addWidget(self._title)
        top.addWidget(self.again)
        top.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(top)
        column.addLayout(self._grid)
        self.checks: list[Check] = []
        self.hide()

    def show_looking(self) -> None:
        """A look is under way."""
        self._title.setText(tr("Before the run: looking …"))
        self.again.setEnabled(False)
        self.show()

    def show_checks(self, checks: list[Check]) -> None:
        """Show what was found."""
        self.checks = checks
        warnings = sum(c.verdict is CheckVerdict.WARNING for c in checks)
        found = (
            tr("nothing speaks against it")
            if not warnings
            else tr("1 warning")
            if warnings == 1
            else tr("{warnings} warnings", warnings=warnings)
        )
        self._title.setText(tr("Before the run: {found}", found=found))
        self.again.setEnabled(True)
        while (item := self._grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for row, check in enumerate(checks):
            warning = check.verdict is CheckVerdict.WARNING
            sign = label(SIGNS[check.verdict], "problem" if warning else "quiet")
            sign.setAccessibleName(tr(check.verdict))
            self._grid.addWidget(sign, row, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(
                label(check.name, "heading" if warning else "quiet"), row, 1, Qt.AlignmentFlag.AlignTop
            )
            self._grid.addWidget(label(check.evidence, wrap=True), row, 2)
        self.show()
