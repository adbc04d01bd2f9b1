"""Runs without a stop: what the operator makes of them."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from pinch.bench.records import Run
from pinch.language import tr
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
            QPushButton(tr("Keep it as cut")),
            QPushButton(tr("Make it void …")),
            QPushButton(tr("Continue as a new pass")),
        )
        self.resume.setToolTip(tr("The gap stays a gap; what was cut is the first pass, what follows the next"))
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
        more = tr(" {others} more were.", others=others) if others > 1 else tr(" One more was.") if others else ""
        kept = tr("{samples} samples are kept", samples=samples) if samples else tr("nothing of it was kept")
        begun = tr("{started:%Y-%m-%d %H:%M} UTC", started=run.started)
        self.words.setText(
            tr(
                "Run {run}, {subject}, begun {begun}, was cut off; {kept}.{more}",
                run=run.id,
                subject=subject,
                begun=begun,
                kept=kept,
                more=more,
            )
        )
        self.resume.setEnabled(may_continue and samples > 0)
