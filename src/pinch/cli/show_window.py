"""The only door from the command line to the window."""

from pathlib import Path


def open_window(book: Path | None, demo: bool = False) -> int:
    """Show the window until it is closed; returns the exit status."""
    from pinch.ui.app import run_app

    return run_app(book, demo)
