"""The demo book, made with a bar of progress at its first opening."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressDialog, QWidget

from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.runs.demo_book import demo_as_made, make_demo, ready_demo
from pinch.ui.background import Job


def demo_book(parent: QWidget | None = None) -> Path | None:
    """Where the operator's copy of it is; None where its making was cancelled."""
    copy = ready_demo()
    if copy is not None:
        return copy
    path = demo_as_made()
    bar = QProgressDialog(tr("Making the demo book …"), tr("Cancel"), 0, 100, parent)
    bar.setWindowTitle("Pinch")
    bar.setWindowModality(Qt.WindowModality.ApplicationModal)
    bar.setMinimumDuration(0)
    bar.setMinimumWidth(340)
    job = Job(tr("Making the demo book"), lambda progress: make_demo(path, progress))
    failures: list[str] = []
    job.progressed.connect(lambda share: bar.setValue(round(100 * share)))
    job.finished.connect(bar.accept)
    job.failed.connect(failures.append)
    job.failed.connect(bar.reject)
    bar.canceled.connect(job.cancel)
    job.start()
    bar.exec()
    job.wait()
    if failures:
        raise PinchError(failures[0])
    return ready_demo()
