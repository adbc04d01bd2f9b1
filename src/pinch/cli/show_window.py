"""The only door from the command line to the window."""

from pathlib import Path

from pinch.core.lasting import lasting


def open_window(book: Path | None, demo: bool = False) -> int:
    """Show the window until it is closed; returns the exit status."""
    with lasting():
        from pinch.ui.preferences import Preferences, settings_path
        from pinch.ui.speaking import speak_as_set

        speak_as_set(Preferences(settings_path()))  # before all that has texts is imported
        from pinch.ui.app import run_app

    return run_app(book, demo)
