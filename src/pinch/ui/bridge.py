"""The one bridge from the recorder's thread to the interface: a queue, drained at the pace of the screen."""

import queue

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pinch.recorder.recorder import News

EVERY_MS = 200


class Bridge(QObject):
    """`arrived` gives a list of news; `put` may be called from any thread."""

    arrived = pyqtSignal(list)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._queue: queue.SimpleQueue[News] = queue.SimpleQueue()
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.drain)

    def start(self) -> None:
        """Begin to look."""
        self._timer.start()

    def stop(self) -> None:
        """Stop looking."""
        self._timer.stop()

    def put(self, news: News) -> None:
        """Called by the recorder."""
        self._queue.put(news)

    def drain(self) -> None:
        """Hand over what came."""
        news = []
        while not self._queue.empty():
            news.append(self._queue.get())
        if news:
            self.arrived.emit(news)
