"""Runs without a stop: what the operator makes of them."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from pinch.bench.records import Run
from pinch.ui.shell.words import label


class CutRunView(QWidget):
    """The newest cut run. The signals give its id: keep it as it was cut, make it void, continue it."""

    keep_wanted = pyqtSignal(int)
    void_wanted = pyqtSignal(int)
    continue_wanted = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.words = label("", "problem", wrap=True)
        self.keep, self.void, self.resume = (
            QPushButton("Keep it as cut"),
            QPushButton("Make it void …"),
            QPushButton("Continue as a new pass"),
        )
        self.resume.setToolTip("The gap stays a gap; what was cut is the first pass, what follows the next")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.words, 1)
        for button, signal in (
            (self.keep, self.keep_wanted),
            (self.void, self.void_wanted),
            (self.resume, self.continue_wanted),
        ):
            button.clicked.connect(lambda _, signal=signal: signal.emit(self._run_id))
            row.addWidget(button)
        self._run_id = 0
        self.hide()

    def show_run(self, run: Run | None, subject: str, samples: int, others: int, may_continue: bool) -> None:
        """Show a run that was cut, or nothing."""
        self.setVisible(run is not None)
        if run is None:
            return
        self._run_id = run.id
        more = f" {others} more were." if others > 1 else " One more was." if others else ""
        kept = f"{samples} samples are kept" if samples else "nothing of it was kept"
        begun = f"{run.started:%Y-%m-%d %H:%M} UTC"
        self.words.setText(f"Run {run.id}, {subject}, begun {begun}, was cut off; {kept}.{more}")
        self.resume.setEnabled(may_continue and samples > 0)
