"""The demo book: made with a bar of progress at its first opening, dated anew at every later one."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressDialog, QWidget

from pinch.core.errors import PinchError
from pinch.runs.devices import date_demo_anew, demo_book_path, make_demo
from pinch.ui.background import Job


def demo_book(parent: QWidget | None = None) -> Path | None:
    """Where it is; None where the operator cancelled its making."""
    path = demo_book_path()
    if path.exists():
        date_demo_anew(path)
        return path
    bar = QProgressDialog("Making the demo book …", "Cancel", 0, 100, parent)
    bar.setWindowTitle("Pinch")
    bar.setWindowModality(Qt.WindowModality.ApplicationModal)
    bar.setMinimumDuration(0)
    bar.setMinimumWidth(340)
    job = Job("Making the demo book", lambda progress: make_demo(path, progress))
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
    return path if path.exists() else None
