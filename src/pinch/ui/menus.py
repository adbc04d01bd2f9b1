"""The menus: every action of the window with its keyboard way."""

from collections.abc import Callable

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

Entry = tuple[str, Callable[[], object], str] | None
"""Words, what it does, and its keys; None is a line between groups."""


def fill_menus(
    window: QMainWindow, menus: list[tuple[str, list[Entry]]], safely: Callable[[Callable[[], object]], None]
) -> dict[str, QAction]:
    """Build the menu bar; `safely` calls what an action does. Returns the actions by their words."""
    bar = window.menuBar()
    assert bar is not None
    actions: dict[str, QAction] = {}
    for title, entries in menus:
        menu = bar.addMenu(title)
        assert menu is not None
        for entry in entries:
            if entry is None:
                menu.addSeparator()
            else:
                actions[entry[0]] = _add(window, menu, entry, safely)
    return actions


def _add(
    window: QMainWindow,
    menu: QMenu,
    entry: tuple[str, Callable[[], object], str],
    safely: Callable[[Callable[[], object]], None],
) -> QAction:
    words, call, keys = entry
    action = QAction(words, window)
    if keys:
        action.setShortcut(QKeySequence(keys))
    action.triggered.connect(lambda: safely(call))
    menu.addAction(action)
    return action
