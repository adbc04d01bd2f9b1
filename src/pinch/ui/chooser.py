"""A button that opens a list of things to tick."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QMenu, QToolButton


class _StayingMenu(QMenu):
    """A menu that stays open while things are ticked."""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        action = self.actionAt(event.pos()) if event else None
        if action is not None and action.isCheckable():
            action.trigger()
            return
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        action = self.activeAction()
        if event is not None and event.text() == " " and action is not None and action.isCheckable():
            action.trigger()
            return
        super().keyPressEvent(event)


class Chooser(QToolButton):
    """`changed` gives the numbers that are ticked, in the order of the list. At least one stays ticked."""

    changed = pyqtSignal(object)

    def __init__(self, what: str, many: str) -> None:
        super().__init__()
        self._what, self._many = what, many
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setAccessibleName(what)
        self._menu = _StayingMenu(self)
        self.setMenu(self._menu)

    def offer(self, things: Sequence[tuple[int, str]], chosen: Sequence[int]) -> None:
        """Offer things by number and name."""
        self._menu.clear()
        for number, name in things:
            action = QAction(name, self._menu)
            action.setCheckable(True)
            action.setData(number)
            action.setChecked(number in chosen)
            action.triggered.connect(lambda on, action=action: self._ticked(action))
            self._menu.addAction(action)
        self._name()

    @property
    def chosen(self) -> tuple[int, ...]:
        """The numbers that are ticked."""
        return tuple(int(a.data()) for a in self._menu.actions() if a.isChecked())

    def choose(self, numbers: Sequence[int]) -> None:
        """Tick these and no others."""
        for action in self._menu.actions():
            action.setChecked(action.data() in numbers)
        self._name()
        self.changed.emit(self.chosen)

    def _ticked(self, action: QAction) -> None:
        if not self.chosen:
            action.setChecked(True)
        self._name()
        self.changed.emit(self.chosen)

    def _name(self) -> None:
        ticked = [a.text() for a in self._menu.actions() if a.isChecked()]
        words = ticked[0] if len(ticked) == 1 else f"{len(ticked)} {self._many}"
        self.setText(f"{words}     ")
        self.setToolTip(f"{self._what}: {', '.join(ticked)}")
