"""Tabs of which each is drawn once it is looked at."""

from collections.abc import Callable, Mapping
from typing import Generic, TypeVar

from PyQt6.QtWidgets import QTabBar

S = TypeVar("S")


class DrawnTabs(Generic[S]):
    """`draws` draws what is shown on a tab, by its place; tabs without one are not waited for."""

    def __init__(self, tabs: QTabBar, draws: Mapping[int, Callable[[S], None]]) -> None:
        self._tabs, self._draws = tabs, draws
        self._waiting: dict[int, S] = {}
        tabs.currentChanged.connect(self._draw)

    def show(self, shown: S) -> None:
        """All of them show something else: the one that is turned to at once."""
        self._waiting = dict.fromkeys(self._draws, shown)
        self._draw(self._tabs.currentIndex())

    def forget(self) -> None:
        """There is nothing to draw."""
        self._waiting.clear()

    def _draw(self, tab: int) -> None:
        if tab in self._waiting:
            self._draws[tab](self._waiting.pop(tab))
