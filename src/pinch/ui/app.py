"""Start of the window."""

import os
import sys
from pathlib import Path

import platformdirs
from PyQt6.QtWidgets import QApplication

from pinch.bench.opening import create_book, open_book
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.runs.demo_book import demo_copy
from pinch.ui import look
from pinch.ui.boundary import catch_everything
from pinch.ui.demo_opening import demo_book
from pinch.ui.plain_style import PlainStyle
from pinch.ui.preferences import LAST_BOOK, SIZE, Preferences, ThemeChoice, settings_path
from pinch.ui.session import Session
from pinch.ui.speaking import dress, trouble
from pinch.ui.window import MainWindow

TURN_S = 3e-4
"""How long a thread keeps Python before the window has its turn. Of Python's usual 5 ms each call of a redraw waited as
long while something was worked out beside it, which held the window for a quarter of a second."""
_RUNNING: list[QApplication] = []
"""Keeps the application until the process ends: where it goes before its windows, Qt ends in a fault now and then."""


def make_application(theme: ThemeChoice = ThemeChoice.LIGHT) -> QApplication:
    """The one application, dressed, with the shipped fonts."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    app = QApplication(sys.argv[:1])
    _RUNNING.append(app)
    sys.setswitchinterval(TURN_S)
    app.setApplicationName("Pinch")
    app.setDesktopFileName("org.pinch.Pinch")
    app.setStyle(PlainStyle())
    dress(app)
    look.load_fonts()
    look.apply(app, theme.in_force)  # what the desktop is can only be asked now
    return app


def run_app(book: Path | None, demo: bool = False) -> int:
    """Show the window until it is closed. Without a book, the operator's own one in the user's data is opened."""
    _need_display()
    catch_everything()
    preferences = Preferences(settings_path())
    if preferences.size != SIZE.usual:
        os.environ.setdefault("QT_SCALE_FACTOR", str(float(preferences.size) / 100.0))  # read once, by the application
    app = make_application(preferences.theme)
    path = book or (demo_book() if demo else _own_book(preferences))
    if path is None:
        return 1
    session = Session(open_book(path))
    session.told = (*session.told, *trouble())
    window = MainWindow(session, preferences)
    window.show()
    status = app.exec()
    session.close()
    return status


def _need_display() -> None:
    """Say in one sentence what Qt would only abort with."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise PinchError(tr("There is no display to show the window on; the other commands work without one."))


def _own_book(preferences: Preferences) -> Path:
    """The book that was open last, but not the demo; else the operator's first one, made where there is none."""
    last = next((path for path in preferences.recent if path != demo_copy()), None)
    if preferences.says_yes(LAST_BOOK) and last is not None:
        return last
    path = Path(platformdirs.user_data_dir("pinch")) / "bench.pinch"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        create_book(path).close()
    return path
