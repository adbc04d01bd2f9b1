"""Tabs of which each is drawn once it is looked at."""

from collections.abc import Callable, Mapping

from PyQt6.QtWidgets import QTabBar


class DrawnTabs:
    """`draws` draws what a tab shows, by its place; tabs without one are not waited for."""

    def __init__(self, tabs: QTabBar, draws: Mapping[int, Callable[[], None]]) -> None:
        self._tabs, self._draws = tabs, draws
        self._waiting: set[int] = set()
        tabs.currentChanged.connect(self._draw)

    def anew(self) -> None:
        """All of them show something else: the one that is turned to at once."""
        self._waiting = set(self._draws)
        self._draw(self._tabs.currentIndex())

    def forget(self) -> None:
        """There is nothing to draw."""
        self._waiting.clear()

    def _draw(self, tab: int) -> None:
        if tab in self._waiting:
            self._waiting.remove(tab)
            self._draws[tab]()
