"""The menus: every action of the window with its keyboard way, put together from what pages and parts offer."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from itertools import groupby

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow

GROUP = 100


class MenuName(StrEnum):
    """The menus in their order."""

    BOOK = "&Book"
    EDIT = "&Edit"
    ADD = "&Add"
    PLAN = "&Plan"
    PUBLISH = "Pu&blish"
    GO = "&Go"
    HELP = "&Help"


@dataclass(frozen=True)
class MenuEntry:
    """An action: its menu and place there (a line stands between hundreds), its words, what it does, and its keys."""

    menu: MenuName
    place: int
    words: str
    call: Callable[[], object]
    keys: str = ""


def fill_menus(
    window: QMainWindow, entries: Iterable[MenuEntry], safely: Callable[[Callable[[], object]], None]
) -> dict[str, QAction]:
    """Build the menu bar; `safely` calls what an action does. Returns the actions by their words."""
    bar = window.menuBar()
    assert bar is not None
    actions: dict[str, QAction] = {}
    order = {name: place for place, name in enumerate(MenuName)}
    sorted_entries = sorted(entries, key=lambda e: (order[e.menu], e.place))
    for name, own in groupby(sorted_entries, key=lambda e: e.menu):
        menu = bar.addMenu(name)
        assert menu is not None
        for group, (_, inside) in enumerate(groupby(own, key=lambda e: e.place // GROUP)):
            if group:
                menu.addSeparator()
            for entry in inside:
                actions[entry.words] = _action(window, entry, safely)
                menu.addAction(actions[entry.words])
    return actions


def _action(window: QMainWindow, entry: MenuEntry, safely: Callable[[Callable[[], object]], None]) -> QAction:
    action = QAction(entry.words, window)
    if entry.keys:
        action.setShortcut(QKeySequence(entry.keys))
    action.triggered.connect(lambda: safely(entry.call))
    return action
