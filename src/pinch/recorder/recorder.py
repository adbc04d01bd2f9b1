"""The recorder: idle, load, stop, with every sample kept as it comes.

Keeping is essential: where it fails, the run ends. Showing is cosmetic: a listener that fails is dropped, and the run
goes on. The load and the probe end on every way out.
"""

import contextlib
import queue
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

import numpy as np

from pinch.bench.records import ExitStatus, Pass
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray, Mark
from pinch.recorder.sources import Sample, SampleSource, WorkSource

FLUSH_SAMPLES = 10
FLUSH_S = 0.9
"""Samples wait for the book no longer than this, in real seconds, and no more than so many of them."""


class Phase(StrEnum):
    """Where a recording is."""

    OPENING = "opening"
    IDLE = "idle"
    LOAD = "load"
    CLOSING = "closing"
    ENDED = "ended"


NEXT: dict[Phase, tuple[Phase, ...]] = {
    Phase.OPENING: (Phase.IDLE, Phase.CLOSING),
    Phase.IDLE: (Phase.LOAD, Phase.CLOSING),
    Phase.LOAD: (Phase.CLOSING,),
    Phase.CLOSING: (Phase.ENDED,),
    Phase.ENDED: (),
}
"""Which phase may follow which."""


class RunKeeper(Protocol):
    """Where samples are kept; any failure ends the run."""

    def begin(self, channels: Sequence[str]) -> int:
        """A new stream with these channels; returns its number."""

    def keep(self, stream: int, t: FloatArray, columns: list[FloatArray]) -> None:
        """Keep samples of a stream."""

    def mark(self, mark: Mark) -> None:
        """Keep a mark."""

    def end(self, status: ExitStatus, reason: str, passes: tuple[Pass, ...]) -> None:
        """Write the stop."""


@dataclass(frozen=True)
class News:
    """What listeners hear: the phase, the run's time in s, new values by channel, notes, and the end."""

    phase: Phase
    t_s: float
    values: dict[str, float]
    notes: tuple[str, ...] = ()
    status: ExitStatus | None = None
    reason: str = ""
    passes: tuple[int, int] = (0, 0)
    """Passes begun, and wanted; none for work without passes."""


@dataclass(frozen=True)
class Alarm:
    """A bound on a channel that ends the load: `above` or below a limit, in the channel's unit."""

    channel: str
    limit: float
    above: bool = True

    def rings(self, value: float) -> bool:
        """Whether a value is beyond the bound; one that is not known never is."""
        return value > self.limit if self.above else value < self.limit


ALARM_SAMPLES = 3
"""A bound must be passed by so many samples in a row: one odd reading ends nothing."""

Listener = Callable[[News], None]


class Recorder:
    """One recording. `run` blocks until it has ended; the other methods may be called from any thread.

    Parameters
    ----------
    idle_s, load_s : lengths by the source's clock, s; an endless load ends with its passes, or by `finish`.
    warm_up_pass : the first pass does not count.
    alarms : bounds that end the load, and nothing else.
    rate_channel : channel that the rates of the work are kept under.
    """

    def __init__(
        self,
        samples: SampleSource,
        work: WorkSource,
        keeper: RunKeeper,
        rate_channel: str,
        idle_s: float,
        load_s: float,
        warm_up_pass: bool = False,
        alarms: Sequence[Alarm] = (),
    ) -> None:
        self._samples, self._work, self._keeper = samples, work, keeper
        self._rate_channel, self._idle_s, self._load_s = rate_channel, idle_s, load_s
        self._listeners: list[Listener] = []
        self._marks: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._stop, self._finish = threading.Event(), threading.Event()
        self._warm_up_pass = warm_up_pass
        self._ringing = dict.fromkeys(alarms, 0)
        self._begun: list[float] = []
        self._passes: list[Pass] = []
        self._phase = Phase.OPENING
        self._t = 0.0
        self._noted = 0
        self._epoch: float | None = None
        self._streams: dict[str, _Buffer] = {}

    @property
    def phase(self) -> Phase:
        """Where the recording is."""
        return self._phase

    def listen(self, listener: Listener) -> None:
        """Add a cosmetic listener; it is called in the recorder's thread."""
        self._listeners.append(listener)

    def mark(self, text: str) -> None:
        """Mark the present moment."""
        self._marks.put(text)

    def stop(self) -> None:
        """Ask the recording to end now; what was recorded is kept."""
        self._stop.set()

    def finish(self) -> None:
        """The work is over, as the operator says: the run is complete."""
        self._finish.set()

    def run(self) -> ExitStatus:
        """Record until the length is over, `stop` is called, or something fails."""
        status, reason = ExitStatus.COMPLETE, ""
        try:
            self._open()
            while self._phase in (Phase.IDLE, Phase.LOAD):
                if self._stop.is_set():
                    status = ExitStatus.STOPPED
                    break
                if self._finish.is_set():
                    break
                self._take()
            self._work.stop()
        except PinchError as error:
            status, reason = ExitStatus.FAILED, str(error)
        finally:
            self._go(Phase.CLOSING)
            self._work.close()
            self._samples.close()
        status, reason = self._end(status, reason)
        self._go(Phase.ENDED)
        self._tell(News(self._phase, self._t, {}, tuple(self._samples.notes()[self._noted :]), status, reason))
        return status

    def _open(self) -> None:
        self._work.open()
        channels = self._samples.open()
        self._streams["samples"] = _Buffer(self._keeper, channels)
        self._go(Phase.IDLE)
        notes = tuple(self._samples.notes())
        self._noted = len(notes)
        self._tell(News(self._phase, 0.0, {}, notes))

    def _take(self) -> None:
        for sample in self._samples.read(0.1):
            self._t = self._since_start(sample.clock_s)
            self._streams["samples"].add(self._t, sample.values)
            names = self._streams["samples"].channels
            self._tell(News(self._phase, self._t, dict(zip(names, sample.values, strict=True))))
            self._watch(dict(zip(names, sample.values, strict=True)))
            self._follow_schedule()
        for sample in self._work.read():
            self._keep_rate(sample)
        self._follow_passes()
        while not self._marks.empty():
            self._keeper.mark(Mark(self._t, self._marks.get()))

    def _keep_rate(self, sample: Sample) -> None:
        t = self._since_start(sample.clock_s)
        if self._rate_channel not in self._streams:
            self._streams[self._rate_channel] = _Buffer(self._keeper, (self._rate_channel,))
        self._streams[self._rate_channel].add(t, sample.values)
        self._tell(News(self._phase, self._t, {self._rate_channel: sample.values[0]}))

    def _follow_schedule(self) -> None:
        if self._phase is Phase.IDLE and self._t >= self._idle_s:
            self._work.start()
            self._go(Phase.LOAD)
        elif self._phase is Phase.LOAD and self._t >= self._idle_s + self._load_s:
            self._go(Phase.CLOSING)

    def _watch(self, values: dict[str, float]) -> None:
        """End the load where a bound is passed; the run is kept, with a mark and the reason."""
        for alarm, count in self._ringing.items():
            value = values.get(alarm.channel, np.nan)
            self._ringing[alarm] = count + 1 if alarm.rings(value) else 0
            if self._ringing[alarm] >= ALARM_SAMPLES:
                side = "above" if alarm.above else "below"
                words = f"alarm: {alarm.channel} is {value:.1f}, {side} {alarm.limit:g}"
                self._keeper.mark(Mark(self._t, words))
                raise PinchError(f"The load was ended by an {words}.")

    def _follow_passes(self) -> None:
        """Note when passes begin and end; the last one ends the run."""
        progress = self._work.progress()
        while len(self._begun) < progress.begun:
            self._begun.append(self._t)
            if progress.wanted > 1:
                self._keeper.mark(Mark(self._t, f"pass {len(self._begun)} begins"))
            self._tell(News(self._phase, self._t, {}, passes=(len(self._begun), progress.wanted)))
        for over in progress.passes[len(self._passes) :]:
            number = len(self._passes)
            warm_up = self._warm_up_pass and number == 0
            self._passes.append(
                Pass(
                    start_s=self._begun[number],
                    end_s=self._t,
                    warm_up=warm_up,
                    score=over.score,
                    exit_status=over.exit_status,
                )
            )
        if progress.failed:
            raise PinchError(progress.failed)
        if progress.over and self._phase is Phase.LOAD:
            self._go(Phase.CLOSING)

    def _since_start(self, clock_s: float) -> float:
        """Seconds of the run; the first sample stands at 1 s, since it tells of the second before it."""
        if self._epoch is None:
            self._epoch = clock_s - 1.0
        return round(clock_s - self._epoch, 4)

    def _end(self, status: ExitStatus, reason: str) -> tuple[ExitStatus, str]:
        """Keep what is left and write the stop. A book that fails here leaves a cut-off run, which says so."""
        try:
            for stream in self._streams.values():
                stream.flush()
            self._keeper.end(status, reason, tuple(self._passes))
        except PinchError as error:
            return ExitStatus.FAILED, reason or str(error)
        return status, reason

    def _go(self, phase: Phase) -> None:
        if phase is not self._phase:
            assert phase in NEXT[self._phase], f"{self._phase} → {phase}"
            self._phase = phase

    def _tell(self, news: News) -> None:
        for listener in list(self._listeners):
            try:
                listener(news)
            except Exception:  # noqa: BLE001 - a failing display must never stop a run
                with contextlib.suppress(ValueError):
                    self._listeners.remove(listener)


class _Buffer:
    """Samples of one stream on their way to the keeper; a stamp that does not go forward is left out."""

    def __init__(self, keeper: RunKeeper, channels: tuple[str, ...]) -> None:
        self.channels = channels
        self._keeper = keeper
        self._number = keeper.begin(channels)
        self._rows: list[tuple[float, ...]] = []
        self._last = -np.inf
        self._flushed = time.monotonic()

    def add(self, t: float, values: tuple[float, ...]) -> None:
        if t <= self._last:
            return
        self._last = t
        self._rows.append((t, *values))
        if len(self._rows) >= FLUSH_SAMPLES or time.monotonic() - self._flushed >= FLUSH_S:
            self.flush()

    def flush(self) -> None:
        if self._rows:
            table = np.array(self._rows)
            self._keeper.keep(self._number, table[:, 0], list(table[:, 1:].T))
            self._rows.clear()
        self._flushed = time.monotonic()
