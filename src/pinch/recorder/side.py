"""Sources beside the probe: a meter on a line, a frame log that is followed. What they lack never ends a run."""

import logging
import queue
import threading
from collections.abc import Callable
from typing import Protocol, TypeVar

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_TIME
from pinch.language import tr
from pinch.recorder.clock import local_s
from pinch.sources.frame_log import FrameLog
from pinch.sources.meter import Meter

log = logging.getLogger(__name__)
RETRY_S = 2.0
T = TypeVar("T")


class SideSample(Struct, frozen=True):
    """Values a channel at a moment of this computer's clock, s."""

    local_s: float
    values: tuple[float, ...]


class SideSource(Protocol):
    """A source on this computer's own clock."""

    @property
    def channels(self) -> tuple[str, ...]:
        """The channels of its samples."""

    def open(self) -> None:
        """Begin; what cannot be had yet is tried again later."""

    def read(self) -> list[SideSample]:
        """New samples, at once."""

    def notes(self) -> list[str]:
        """What it had to say about itself since the last call."""

    def events(self) -> list[str]:
        """What happened to it since the last call, in words: they become marks of the run."""

    def close(self) -> None:
        """End; may be called again."""


class ThreadedSource:
    """A source that works in a thread of its own: whoever is one says in `_work` how, until `_stop` is set."""

    channels: tuple[str, ...] = ()

    def __init__(self, name: str) -> None:
        self._name = name
        self._samples: queue.SimpleQueue[SideSample] = queue.SimpleQueue()
        self._events: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._notes: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True, name=name)

    def open(self) -> None:
        self._thread.start()

    def read(self) -> list[SideSample]:
        return _all_of(self._samples)

    def notes(self) -> list[str]:
        return _all_of(self._notes)

    def events(self) -> list[str]:
        return _all_of(self._events)

    def close(self) -> None:
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(3.0)

    def _work(self) -> None:
        raise NotImplementedError


class MeterSource(ThreadedSource):
    """A meter that is read in a thread of its own. One that stops answering is asked again until it answers: what lies
    between is a gap. `find` makes the meter, once the address is known."""

    def __init__(self, name: str, channel: str, find: Callable[[], Meter], every_s: float) -> None:
        super().__init__(name)
        self.channels = (channel,)
        self._find, self._every_s = find, every_s

    def _work(self) -> None:
        silent = False
        while not self._stop.is_set():
            meter = None
            try:
                meter = self._find()
                identity = meter.open()
                self._samples.put(self._one(meter))
                if silent:
                    self._events.put(tr("{name} answers again", name=self._name))
                else:
                    self._notes.put(
                        tr("{name} answers{what}", name=self._name, what=": " + identity if identity else "")
                    )
                silent = False
                self._go_on(meter)
            except PinchError as error:
                if not silent and not self._stop.is_set():
                    self._events.put(
                        tr("{name} is silent: {what}; it is asked again", name=self._name, what=str(error).rstrip("."))
                    )
                silent = True
                self._stop.wait(RETRY_S)
            except Exception as error:
                log.error(f"Reading {self._name}", exc_info=error)
                if not silent:
                    self._events.put(tr("{name} is silent by a mistake in Pinch; it is asked again", name=self._name))
                silent = True
                self._stop.wait(RETRY_S)
            finally:
                if meter is not None:
                    meter.close()

    def _go_on(self, meter: Meter) -> None:
        due = local_s() + self._every_s
        while not self._stop.wait(max(0.0, due - local_s())):
            self._samples.put(self._one(meter))
            due = max(due + self._every_s, local_s())

    @staticmethod
    def _one(meter: Meter) -> SideSample:
        """A reading, which belongs to the middle of its question and its answer."""
        asked = local_s()
        value = meter.read()
        return SideSample(0.5 * (asked + local_s()), (value,))


class FrameSource:
    """The frames of a log that another program writes."""

    channels = (FRAME_TIME,)

    def __init__(self, pattern: str, column: str, pace: float = 1.0) -> None:
        self._log = FrameLog(pattern, column, local_s, pace)
        self._told: list[str] = []
        self._failed = False

    def open(self) -> None:
        self._guard(self._log.open)

    def read(self) -> list[SideSample]:
        frames = [] if self._failed else self._guard(self._log.read)
        return [SideSample(f.local_s, (f.ms,)) for f in frames or ()]

    def notes(self) -> list[str]:
        told, self._told, self._log.notes = self._told + self._log.notes, [], []
        return told

    def events(self) -> list[str]:
        return []

    def close(self) -> None:
        if self._log.left_out:
            self._told.append(tr("{left_out} rows of the frame log could not be read", left_out=self._log.left_out))
            self._log.left_out = 0
        self._log.close()

    def _guard(self, work: Callable[[], T]) -> T | None:
        """Do it; a log that is none is let go of, and said once."""
        try:
            return work()
        except PinchError as error:
            self._failed = True
            self._told.append(tr("No frames: {error}", error=error))
        except Exception as error:
            self._failed = True
            log.error("Reading frames", exc_info=error)
            self._told.append(tr("No frames, by a mistake in Pinch; the rest of the run goes on"))
        return None


def _all_of(waiting: "queue.SimpleQueue[T]") -> list[T]:
    """Everything that waits just now."""
    found = []
    while not waiting.empty():
        found.append(waiting.get())
    return found
