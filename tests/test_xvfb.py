"""A few checks on a real X display, where one can be had: the program starts, shows its window as drawn, and ends."""

import os
import shutil
import subprocess
import sys
import unittest

from tests.in_folder import InFolder
from tests.waiting import PATIENCE_S

SCREEN = "-screen 0 1400x900x24"
SAME = 0.95  # of all points; a cursor that blinks and a focus that comes late may differ
SCRIPT = """
import sys
from pathlib import Path
import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication
from pinch.ui import app as start

def points(pixmap):
    image = pixmap.toImage().convertToFormat(QImage.Format.Format_RGB32)
    return np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint32).reshape(image.height(), -1)

def as_on_the_screen(window):
    place = window.geometry()
    seen = QApplication.primaryScreen().grabWindow(0, place.x(), place.y(), place.width(), place.height())
    drawn = window.grab()
    return seen.size() == drawn.size() and np.mean(points(seen) == points(drawn)) >= float(sys.argv[2])

def look():
    window = next((w for w in QApplication.topLevelWidgets() if hasattr(w, "shown_page") and w.isVisible()), None)
    if window is None or not as_on_the_screen(window):
        QTimer.singleShot(250, look)
        return
    print(QApplication.platformName(), window.shown_page.name, window.width(), window.height(), flush=True)
    window.close()

make = start.make_application
def with_timer(*args):
    application = make(*args)
    QTimer.singleShot(0, look)
    return application
start.make_application = with_timer
sys.exit(start.run_app(None if sys.argv[1] == "own" else Path(sys.argv[1])))
"""


@unittest.skipUnless(shutil.which("xvfb-run"), "needs Xvfb")
class TestRealDisplay(InFolder):
    def show(self, book: str) -> str:
        environment = {**os.environ, "QT_QPA_PLATFORM": "xcb", "XDG_DATA_HOME": str(self.folder)}
        environment["XDG_CONFIG_HOME"] = str(self.folder / "config")  # nothing was open before
        done = subprocess.run(
            ["xvfb-run", "-a", "-s", SCREEN, sys.executable, "-c", SCRIPT, book, str(SAME)],
            capture_output=True, text=True, timeout=PATIENCE_S, env=environment,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stdout

    def test_own_book_is_made_and_shown(self) -> None:
        self.assertTrue(self.show("own").startswith("xcb Bench 1280 800"))
        self.assertTrue((self.folder / "pinch" / "bench.pinch").exists())

    def test_a_book_with_runs_opens_on_judge(self) -> None:
        from tests.window_case import demo_book

        self.assertTrue(self.show(str(demo_book())).startswith("xcb Judge 1280 800"))
