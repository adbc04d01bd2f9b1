"""The probe on another computer."""

import math
import time
from collections.abc import Callable

from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.recorder.child_rows import RowReader, Sample, await_line, channels_of, is_header, never
from pinch.recorder.lines import LineProcess, command_words
from pinch.sources.probe.bundle import program

REACHES = tr("that reaches the device")
SILENT_S, RETRY_S, LONGEST_RETRY_S = 10.0, 1.0, 15.0


class RemoteProbe:
    """The probe on another computer: the operator's own command reaches a Python there, which is given the program to
    read. Nothing is installed there. A link that breaks or falls silent is set up again; what lies between is a gap.
    """

    def __init__(self, reach: str, interval_s: float = 1.0) -> None:
        self._words = command_words(reach, REACHES)
        options = ["--interval", str(interval_s), "--since-boot"]
        self._program = program(options)
        self._silent_s = max(SILENT_S, 5 * interval_s)
        self._process: LineProcess | None = None
        self._channels: tuple[str, ...] = ()
        self._places: list[int | None] | None = None
        self._rows, self._waiting = RowReader(tr("The probe on the device")), list[str]()
        self._told: list[str] = []
        self._last_note = ""
        self._heard = self._due = time.monotonic()
        self._wait_s = RETRY_S
        self._last_clock = -math.inf

    def open(self, given_up: Callable[[], bool] = never) -> tuple[str, ...]:
        self._process = LineProcess(self._words, self._program)
        header, self._waiting = await_line(self._process, tr("The probe on the device"), is_header, given_up)
        self._channels = channels_of(header)
        self._meet(self._channels)
        self._listen()
        return self._channels

    def _listen(self) -> None:
        """Take what the probe says of the device's sensors, once; a link that cannot be set up says the same anew."""
        while self._process is not None and self._process.notes:
            self._last_note = self._process.notes.pop(0)
            if self._places is not None and self._last_note not in self._told:
                self._told.append(self._last_note)

    def read(self, wait_s: float) -> list[Sample]:
        if self._process is None:
            self._reach_again(wait_s)
            return []
        lines, self._waiting = [*self._waiting, *self._process.lines(0.0 if self._waiting else wait_s)], []
        self._rows.heed(self._process)
        self._listen()
        if lines:
            self._heard = time.monotonic()
        elif self._process.ended or time.monotonic() - self._heard > self._silent_s:
            self._lose()
        while lines and self._places is None:  # a greeting may come before the header
            line = lines.pop(0)
            if is_header(line):
                self._meet(channels_of(line))
                self._told.append(tr("the link to the device is back"))
        return [self._sample(sample) for sample in self._rows.samples(lines)]

    def notes(self) -> list[str]:
        return [*self._told, *self._rows.told]

    def events(self) -> list[str]:
        return self._rows.events()

    def close(self) -> None:
        if self._process is not None:
            self._process.close()

    def _meet(self, channels: tuple[str, ...]) -> None:
        """Find the run's channels in those that the probe has now; one that is new since then is left out."""
        self._places = [channels.index(name) if name in channels else None for name in self._channels]
        self._rows.width, self._wait_s, self._heard = len(channels), RETRY_S, time.monotonic()

    def _lose(self) -> None:
        assert self._process is not None
        self._process.close()
        self._last_note = ""
        self._listen()
        if self._places is not None:
            why = f": {self._last_note}" if self._last_note else ""
            self._told.append(tr("the link to the device is lost{why}; it is set up again", why=why))
        self._process, self._places = None, None
        self._due = time.monotonic() + self._wait_s
        self._wait_s = min(LONGEST_RETRY_S, 2.0 * self._wait_s)

    def _reach_again(self, wait_s: float) -> None:
        if time.monotonic() < self._due:
            time.sleep(wait_s)
        else:
            self._process, self._heard = LineProcess(self._words, self._program), time.monotonic()

    def _sample(self, sample: Sample) -> Sample:
        """A row of the probe under the run's own channels."""
        if sample.clock_s < self._last_clock - 1.0:
            raise PinchError(tr("The device has been restarted, so the run ends here."))
        self._last_clock = sample.clock_s
        values = (math.nan if at is None else sample.values[at] for at in self._places or ())
        return Sample(sample.clock_s, tuple(values))
