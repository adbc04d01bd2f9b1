"""Work on the interface thread in pieces, between which the window answers."""

from collections.abc import Iterator

from PyQt6.QtCore import QObject, QTimer


class Turns(QObject):
    """Does a piece of work at each turn of the event loop; a piece ends where its iterator yields."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pieces: Iterator[None] = iter(())
        self._next = QTimer(self)
        self._next.setInterval(0)
        self._next.timeout.connect(self._go_on)

    @property
    def under_way(self) -> bool:
        """Whether pieces are left."""
        return self._next.isActive()

    def begin(self, pieces: Iterator[None]) -> None:
        """Do these pieces, from the next turn on, instead of what was left."""
        self._pieces = pieces
        self._next.start()

    def finish(self) -> None:
        """Do what is left at once."""
        while self.under_way:
            self._go_on()

    def drop(self) -> None:
        """Do no more."""
        self._next.stop()

    def _go_on(self) -> None:
        if next(self._pieces, self) is self:
            self._next.stop()
