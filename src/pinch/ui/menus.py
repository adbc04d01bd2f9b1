"""The menus: every action of the window with its keyboard way, put together from what pages and parts offer."""

from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from itertools import groupby

from msgspec import Struct
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow

from pinch.language import tr

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


class MenuEntry(Struct, frozen=True):
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
    for name, own in groupby(in_order(entries), key=lambda e: e.menu):
        menu = bar.addMenu(tr(name))
        assert menu is not None
        for group, (_, inside) in enumerate(groupby(own, key=lambda e: e.place // GROUP)):
            if group:
                menu.addSeparator()
            for entry in inside:
                actions[entry.words] = _action(window, entry, safely)
                menu.addAction(actions[entry.words])
        letters = mnemonics([action.text() for action in menu.actions() if not action.isSeparator()])
        for action, words in zip((a for a in menu.actions() if not a.isSeparator()), letters, strict=True):
            action.setText(words)
    return actions


def in_order(entries: Iterable[MenuEntry]) -> list[MenuEntry]:
    """Entries as they stand in the menus."""
    order = {name: place for place, name in enumerate(MenuName)}
    return sorted(entries, key=lambda e: (order[e.menu], e.place))


def mnemonics(names: Sequence[str]) -> list[str]:
    """Names in a menu with the letter marked by which each is chosen there: the first of a word that is free."""
    taken, marked = set[str](), []
    for name in names:
        first = [n for n, sign in enumerate(name) if n == 0 or name[n - 1] == " "]
        places = [n for n in (*first, *range(len(name))) if name[n].isalpha() and name[n].casefold() not in taken]
        if places:
            taken.add(name[places[0]].casefold())
        marked.append(f"{name[: places[0]]}&{name[places[0] :]}" if places else name)
    return marked


def _action(window: QMainWindow, entry: MenuEntry, safely: Callable[[Callable[[], object]], None]) -> QAction:
    action = QAction(entry.words, window)
    if entry.keys:
        action.setShortcut(QKeySequence(entry.keys))
    action.triggered.connect(lambda: safely(entry.call))
    return action
