"""The recorder: idle, load, stop, with every sample kept as it comes.

Keeping is essential: what the keeper cannot keep now waits there. Showing is cosmetic: a listener that fails is
dropped, and the run goes on. The load and the probe end on every way out.
"""

import contextlib
import logging
import math
import queue
import threading
import time
from collections.abc import Callable, Sequence
from enum import StrEnum

from msgspec import Struct

from pinch.bench.records import ExitStatus, Pass
from pinch.core.errors import PinchError
from pinch.core.faults import fault_of
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.runlog import Mark
from pinch.core.running import Running
from pinch.language import tr
from pinch.recorder.alarms import Alarm, AlarmError, AlarmWatch
from pinch.recorder.child_rows import GivenUpError, Sample
from pinch.recorder.clock import ClockWatch, SharedClock, local_s
from pinch.recorder.course import Course
from pinch.recorder.keeping import RunKeeper, StreamBuffer
from pinch.recorder.processes import SampleSource, WorkSource
from pinch.recorder.side import SideSample, SideSource

log = logging.getLogger(__name__)
NEXT_S = 1e-4
"""Samples of a side follow each other by this at least, so that none is lost where two clocks are joined anew."""
ENDED_WITHIN_S = 1.5
"""What does not end within this goes on ending beside us."""
SILENT_S = 5.0
"""Without samples for so long the course goes on by what the device's clock must be by now."""


class Phase(StrEnum):
    """Where a recording is."""

    OPENING = "opening"
    IDLE = "idle"
    LOAD = "load"
    PAUSE = "pause"
    CLOSING = "closing"
    ENDED = "ended"


NEXT: dict[Phase, tuple[Phase, ...]] = {
    Phase.OPENING: (Phase.IDLE, Phase.CLOSING),
    Phase.IDLE: (Phase.LOAD, Phase.CLOSING),
    Phase.LOAD: (Phase.PAUSE, Phase.CLOSING),
    Phase.PAUSE: (Phase.LOAD, Phase.CLOSING),
    Phase.CLOSING: (Phase.ENDED,),
    Phase.ENDED: (),
}
"""Which phase may follow which."""


class News(Struct, frozen=True):
    """What listeners hear: the phase, the run's time in s, new values by channel, notes, and the end."""

    phase: Phase
    t_s: float
    values: dict[str, float]
    notes: tuple[str, ...] = ()
    status: ExitStatus | None = None
    reason: str = ""
    passes: tuple[int, int] = (0, 0)
    """Passes begun, and wanted; none for work without passes."""
    alarm: str = ""
    """What rang, where an alarm ended the load."""


Listener = Callable[[News], None]


class Recorder:
    """One recording. `run` blocks until it has ended; the other methods may be called from any thread.

    Parameters
    ----------
    course : rest, passes and waits by the source's clock.
    alarms : bounds that end the load, and nothing else.
    rate_channel : channel that the rates of the work are kept under.
    sides : sources beside the probe, on this computer's clock.
    pace : seconds of the source's clock in one of ours.
    """

    def __init__(
        self,
        samples: SampleSource,
        work: WorkSource,
        keeper: RunKeeper,
        rate_channel: str,
        course: Course,
        alarms: Sequence[Alarm] = (),
        sides: Sequence[SideSource] = (),
        pace: float = 1.0,
    ) -> None:
        self._samples, self._work, self._keeper = samples, work, keeper
        self._rate_channel, self._course, self._sides = rate_channel, course, sides
        self._pace, self._clock, self._watch_clocks = pace, SharedClock(pace), ClockWatch()
        self._readings: queue.SimpleQueue[tuple[str, float]] = queue.SimpleQueue()
        self._listeners: list[Listener] = []
        self._marks: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._stop, self._finish = threading.Event(), threading.Event()
        self._alarms = AlarmWatch(alarms)
        self._begun: list[float] = []
        self._passes: list[Pass] = []
        self._rates, self._frames = Running(), Running()
        self._phase = Phase.OPENING
        self._t = course.from_s
        self._noted = (0, 0)
        self._epoch: float | None = None
        self._streams: dict[str, StreamBuffer] = {}
        self.reason = ""

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

    def heed(self, channel: str, value: float) -> None:
        """A value that was read by hand: an alarm rings at once where it is beyond a bound."""
        self._readings.put((channel, value))

    def run(self) -> ExitStatus:
        """Record until the length is over, `stop` is called, or something fails."""
        status, reason, alarm = ExitStatus.COMPLETE, "", ""
        try:
            self._open()
            while self._phase in (Phase.IDLE, Phase.LOAD, Phase.PAUSE):
                if self._stop.is_set():
                    status = ExitStatus.STOPPED
                    break
                if self._finish.is_set():
                    break
                self._take()
        except GivenUpError:
            status = ExitStatus.STOPPED
        except PinchError as error:
            status, reason = ExitStatus.FAILED, str(error)
            alarm = reason if isinstance(error, AlarmError) else ""
        except Exception as error:  # noqa: BLE001 - the edge of the thread: the stop is written, and says why
            status, reason = ExitStatus.FAILED, _mistake(error, tr("Recording"))
        finally:
            self._go(Phase.CLOSING)
            self._let_go()
        status, reason = self._end(status, reason)
        self.reason = reason
        self._go(Phase.ENDED)
        notes = (*self._new_notes(), *(told for side in self._sides for told in side.notes()))
        self._tell(News(self._phase, self._t, {}, notes, status, reason, alarm=alarm))
        return status

    def _let_go(self) -> None:
        """End the load, then all that was opened, at once: what takes its time keeps nothing else from ending."""
        _let_end(self._work.stop)
        ends = (self._work.close, self._samples.close, *(side.close for side in self._sides))
        threads = [threading.Thread(target=_let_end, args=(end,)) for end in ends]
        for thread in threads:
            thread.start()
        until = time.monotonic() + ENDED_WITHIN_S
        for thread in threads:
            thread.join(max(0.0, until - time.monotonic()))

    def _open(self) -> None:
        self._work.open(self._stop.is_set)
        channels = self._samples.open(self._stop.is_set)
        self._streams["samples"] = StreamBuffer(self._keeper, channels, self._pace)
        for side in self._sides:
            side.open()
        self._go(Phase.IDLE)
        self._tell(News(self._phase, self._t, {}, self._new_notes()))

    def _new_notes(self) -> tuple[str, ...]:
        """What the probe, the work and the keeper had to say since the last call."""
        told = (self._samples.notes(), self._work.notes())
        new = tuple(note for notes, seen in zip(told, self._noted, strict=True) for note in notes[seen:])
        self._noted = (len(told[0]), len(told[1]))
        return (*new, *self._keeper.notes())

    def _take(self) -> None:
        samples = self._samples.read(0.1)
        now = local_s()
        for sample in samples:
            self._clock.saw(sample.clock_s, now)
            self._t = self._since_start(sample.clock_s)
            self._streams["samples"].add(self._t, sample.values)
            values = dict(zip(self._streams["samples"].channels, sample.values, strict=True))
            self._tell(News(self._phase, self._t, values))
            self._ring(self._alarms.see(values))
            self._follow_course()
        self._bridge_silence(now)
        for sample in self._work.read():
            self._keep_rate(sample)
        for side in self._sides:
            self._take_side(side)
        self._follow_passes()
        self._note_what_happened()
        for stream in self._streams.values():
            stream.flush_in_time()

    def _bridge_silence(self, now: float) -> None:
        """A device that is out of reach is still at work: the course goes on by its clock as it must be."""
        seen, clock = self._clock.last_seen_s, self._clock.at(now)
        if seen is not None and clock is not None and now - seen > SILENT_S:
            self._t = max(self._t, self._since_start(clock))
            self._follow_course()

    def _take_side(self, side: SideSource) -> None:
        """Keep what a source beside the probe has, on the run's time; before the probe's first sample there is none."""
        events = side.events()
        for told in events:
            self._keeper.mark(Mark(self._t, told))
        if notes := (*side.notes(), *events):
            self._tell(News(self._phase, self._t, {}, notes))
        samples = side.read()
        if self._epoch is None or not samples or not side.channels:
            return
        stream = self._stream(side.channels)
        for sample in samples:
            clock = self._clock.at(sample.local_s)
            if clock is not None and (t := self._since_start(clock)) > self._course.from_s:
                stream.add(max(t, stream.last_s + NEXT_S), sample.values)  # what is known of the clocks may wander
                if side.channels != (FRAME_TIME,):
                    self._ring(self._alarms.see(dict(zip(side.channels, sample.values, strict=True))))
        self._tell(News(self._phase, self._t, self._shown(stream.channels, samples)))

    def _shown(self, channels: tuple[str, ...], samples: Sequence[SideSample]) -> dict[str, float]:
        """What listeners hear of a batch: the last values; of frames their mean time and, about once a second, their
        rate, unless the work tells its own."""
        if channels != (FRAME_TIME,):
            return dict(zip(channels, samples[-1].values, strict=True))
        for sample in samples:
            self._frames.add(sample.values[0])
        shown = {FRAME_TIME: sum(s.values[0] for s in samples) / len(samples)}
        if self._frames.count * self._frames.mean >= 1000.0:
            if FRAME_RATE not in self._streams:
                shown[FRAME_RATE] = 1000.0 / self._frames.mean
            self._frames = Running()
        return shown

    def _keep_rate(self, sample: Sample) -> None:
        self._stream((self._rate_channel,)).add(self._since_start(sample.clock_s), sample.values)
        if self._phase is Phase.LOAD:
            self._rates.add(sample.values[0])
        self._tell(News(self._phase, self._t, {self._rate_channel: sample.values[0]}))

    def _stream(self, channels: tuple[str, ...]) -> StreamBuffer:
        if channels[0] not in self._streams:
            self._streams[channels[0]] = StreamBuffer(self._keeper, self._free_names(channels), self._pace)
        return self._streams[channels[0]]

    def _free_names(self, channels: tuple[str, ...]) -> tuple[str, ...]:
        """Names of channels that no other source has; one that is told twice gets a number."""
        taken = {name for stream in self._streams.values() for name in stream.channels}
        free = []
        for channel in channels:
            numbered = (channel, *(f"{channel}.{n}" for n in range(2, len(taken) + 3)))
            free.append(next(name for name in numbered if name not in taken))
            taken.add(free[-1])
        return tuple(free)

    def _follow_course(self) -> None:
        begun, course = len(self._begun), self._course
        waiting = self._phase is Phase.IDLE or (self._phase is Phase.PAUSE and self._timed)
        if waiting and self._t >= course.begin_s(begun):
            self._work.start()
            self._go(Phase.LOAD)
            self._begin_pass()
        elif self._phase is Phase.LOAD and self._timed and self._t >= course.end_s(begun - 1):
            if begun < course.passes:
                self._work.stop()
            self._end_pass()
            self._go(Phase.PAUSE if begun < course.passes else Phase.CLOSING)

    @property
    def _timed(self) -> bool:
        """Whether passes last for a time; else they are over when the work says so."""
        return math.isfinite(self._course.load_s)

    def _begin_pass(self) -> None:
        if not self._timed:
            return
        self._begun.append(self._t)
        self._rates = Running()
        if len(self._begun) > 1:
            self._keeper.mark(Mark(self._t, f"pass {len(self._begun)} begins"))
        self._tell(News(self._phase, self._t, {}, passes=(len(self._begun), self._course.passes)))

    def _end_pass(self) -> None:
        """One of several timed passes is over: its score is the mean rate of work in it."""
        if self._course.passes > 1 or self._course.from_s > 0.0:
            score = self._rates.mean if self._rates.count else None
            self._passes.append(self._pass(score, None, of_rate=score is not None))

    def _pass(self, score: float | None, exit_status: int | None, of_rate: bool = False) -> Pass:
        number = len(self._passes)
        warm_up = self._course.warm_up_pass and number == 0
        begun = self._begun[number]
        return Pass(
            start_s=begun, end_s=self._t, warm_up=warm_up, score=score, of_rate=of_rate, exit_status=exit_status
        )

    def _note_what_happened(self) -> None:
        for told in (*self._watch_clocks.news(), *self._samples.events()):
            self._keeper.mark(Mark(self._t, told))
        if new := self._new_notes():
            self._tell(News(self._phase, self._t, {}, new))
        while not self._marks.empty():
            self._keeper.mark(Mark(self._t, self._marks.get()))
        while not self._readings.empty():
            self._ring(self._alarms.heed(*self._readings.get()))

    def _ring(self, words: str) -> None:
        """End the load where a bound was passed; the run is kept, with a mark and the reason."""
        if words:
            self._keeper.mark(Mark(self._t, words))
            raise AlarmError(tr("The load was ended by an {words}.", words=words))

    def _follow_passes(self) -> None:
        """Note when passes begin and end; the last one ends the run."""
        progress = self._work.progress()
        while len(self._begun) < progress.begun:
            self._begun.append(self._t)
            if len(self._begun) > 1:
                self._keeper.mark(Mark(self._t, f"pass {len(self._begun)} begins"))
            self._tell(News(self._phase, self._t, {}, passes=(len(self._begun), progress.wanted)))
        for over in progress.passes[len(self._passes) :]:
            self._passes.append(self._pass(over.score, over.exit_status))
        if progress.failed:
            raise PinchError(progress.failed)
        if progress.wanted and self._phase in (Phase.LOAD, Phase.PAUSE):
            waits = 0 < progress.begun == len(progress.passes)
            self._go(Phase.CLOSING if progress.over else Phase.PAUSE if waits else Phase.LOAD)

    def _since_start(self, clock_s: float) -> float:
        """Seconds of the run; the first sample stands at 1 s, since it tells of the second before it."""
        if self._epoch is None:
            self._epoch = clock_s - 1.0 - self._course.from_s
        return round(clock_s - self._epoch, 4)

    def _end(self, status: ExitStatus, reason: str) -> tuple[ExitStatus, str]:
        """Keep what is left and write the stop. A book that fails here leaves a cut-off run, which says so."""
        try:
            for stream in self._streams.values():
                stream.flush()
            self._keeper.end(status, reason, tuple(self._passes))
        except PinchError as error:
            return ExitStatus.FAILED, reason or str(error)
        except Exception as error:  # noqa: BLE001 - listeners are told of the end in any case
            return ExitStatus.FAILED, reason or _mistake(error, tr("Keeping the end of a run"))
        return status, reason

    def _go(self, phase: Phase) -> None:
        if phase is not self._phase:
            assert phase in NEXT[self._phase], f"{self._phase} → {phase}"
            self._phase = phase

    def _tell(self, news: News) -> None:
        for listener in list(self._listeners):
            try:
                listener(news)
            except Exception as error:  # a failing display must never stop a run
                log.error("Showing a recording", exc_info=error)
                with contextlib.suppress(ValueError):
                    self._listeners.remove(listener)


def _let_end(end: Callable[[], None]) -> None:
    """End something; what fails to end keeps nothing else from ending."""
    try:
        end()
    except Exception as error:  # noqa: BLE001 - the others must end all the same
        _mistake(error, tr("Ending a recording"))


def _mistake(error: Exception, doing: str) -> str:
    """Log what nobody foresaw; returns the sentence for the run."""
    log.error(doing, exc_info=error)
    return fault_of(error, doing).sentence
