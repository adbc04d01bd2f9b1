"""What the recorder needs of a source of samples and of a source of work, and those that are processes."""

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.recorder.child_rows import RowReader, Sample, await_line, channels_of, is_header, never
from pinch.recorder.lines import LineProcess

READY = "ready"
"""What the rig says once it is there."""
TOO_LONG = 124
"""Exit status of a command that was ended for its time."""
PROBE = Path(__file__).parent.parent / "sources" / "probe"


class WorkPass(Struct, frozen=True):
    """One pass that is over: its score and, of a command, its exit status; None where there is none."""

    score: float | None = None
    exit_status: int | None = None


class WorkProgress(Struct, frozen=True):
    """How far work has come by itself: passes begun of those wanted, those that are over, and whether all of it is;
    `failed` says why it cannot go on. Work that goes on until it is stopped never changes."""

    begun: int = 0
    wanted: int = 0
    passes: tuple[WorkPass, ...] = ()
    over: bool = False
    failed: str = ""


class SampleSource(Protocol):
    """Samples all the time."""

    def open(self, given_up: Callable[[], bool] = never) -> tuple[str, ...]:
        """Begin; returns the channels. Where `given_up` becomes true before it has begun, GivenUpError is raised."""

    def read(self, wait_s: float) -> list[Sample]:
        """New samples; an ended source raises PinchError."""

    def notes(self) -> list[str]:
        """What the source had to say about itself."""

    def events(self) -> list[str]:
        """What happened on the device since the last call, in words: they become marks of the run."""

    def close(self) -> None:
        """End; may be called again."""


class WorkSource(Protocol):
    """Puts the device to work on command and reports the rate of work."""

    def open(self, given_up: Callable[[], bool] = never) -> None:
        """Get ready, without any load yet; `given_up` as above."""

    def start(self) -> None:
        """Begin the load."""

    def stop(self) -> None:
        """End the load."""

    def read(self) -> list[Sample]:
        """New rates, one value each, on the clock of the sample source."""

    def progress(self) -> WorkProgress:
        """How far it has come."""

    def notes(self) -> list[str]:
        """What it had to say about itself."""

    def close(self) -> None:
        """End the load and the source; may be called again."""


class ProbeProcess:
    """The probe as a process: on this machine, below another root, or anywhere a command reaches."""

    def __init__(self, root: Path | None = None, interval_s: float = 1.0, time_scale: float = 1.0) -> None:
        options = ["--interval", str(interval_s), "--time-scale", str(time_scale), "--since-boot"]
        if root is not None:
            options += ["--root", str(root)]
        # Isolated and without site packages: the probe stays as small as it can be.
        self._command = [sys.executable, "-I", "-S", str(PROBE), *options]
        self._process: LineProcess | None = None
        self._rows, self._waiting = RowReader(tr("The probe")), list[str]()

    def open(self, given_up: Callable[[], bool] = never) -> tuple[str, ...]:
        self._process = LineProcess(self._command)
        header, self._waiting = await_line(self._process, tr("The probe"), is_header, given_up)
        channels = channels_of(header)
        self._rows.width = len(channels)
        return channels

    def read(self, wait_s: float) -> list[Sample]:
        if self._process is None:
            return []
        lines, self._waiting = [*self._waiting, *self._process.lines(0.0 if self._waiting else wait_s)], []
        samples = self._rows.samples(lines)
        self._rows.heed(self._process)
        if self._process.ended and not samples:
            raise PinchError(tr("The probe has ended, so nothing more can be recorded."))
        return samples

    def notes(self) -> list[str]:
        return [*self._process.notes, *self._rows.told] if self._process else []

    def events(self) -> list[str]:
        return self._rows.events()

    def close(self) -> None:
        if self._process is not None:
            self._process.close()


class WorkProcess:
    """A process that obeys `start` and `stop` and prints `clock_s,rate`: the built-in load, or the rig."""

    def __init__(self, command: Sequence[str], ready_line: bool = False) -> None:
        self._command, self._ready_line = command, ready_line
        self._process: LineProcess | None = None
        self._rows = RowReader(tr("What puts the device to work"))
        self._rows.width = 1
        self._told: list[str] = []
        self._failed, self._closed = "", False

    def open(self, given_up: Callable[[], bool] = never) -> None:
        self._process = LineProcess(self._command)
        if self._ready_line:
            await_line(self._process, tr("The simulated device"), lambda line: line == READY, given_up)

    def start(self) -> None:
        self.tell("start")

    def stop(self) -> None:
        self.tell("stop")

    def read(self) -> list[Sample]:
        if self._process is None:
            return []
        lines = self._process.lines()
        self._told += [line[1:].strip() for line in lines if line.startswith("#")]
        if self._process.ended and not self._closed:
            note = self._process.notes[-1] if self._process.notes else tr("it gave no reason")
            self._failed = tr("The load has ended by itself: {what}.", what=note.rstrip("."))
        self._rows.heed(self._process)
        return self._rows.samples([line for line in lines if not line.startswith("#")])

    def progress(self) -> WorkProgress:
        return WorkProgress(failed=self._failed)

    def notes(self) -> list[str]:
        return [*self._told, *self._rows.told]

    def tell(self, command: str) -> None:
        """Tell the process something."""
        if self._process is not None:
            self._process.tell(command)

    def close(self) -> None:
        self._closed = True
        if self._process is not None:
            self._process.close()


class CommandProcess:
    """A command watched over by a process of its own; it tells passes, not rates. A pass that ends badly is the last.

    `time_is_score` takes the wall time of a pass as its score.
    """

    def __init__(self, command: Sequence[str], wanted: int, time_is_score: bool) -> None:
        self._command, self._wanted, self._time_is_score = command, wanted, time_is_score
        self._process: LineProcess | None = None
        self._passes: list[WorkPass] = []
        self._told: list[str] = []
        self._begun, self._over, self._failed = 0, False, ""

    def open(self, given_up: Callable[[], bool] = never) -> None:
        self._process = LineProcess(self._command)

    def start(self) -> None:
        if self._process is not None:
            self._process.tell("start")

    def stop(self) -> None:
        if self._process is not None:
            self._process.tell("stop")

    def read(self) -> list[Sample]:
        if self._process is not None:
            for line in self._process.lines():
                try:
                    self._take(line.split(","))
                except ValueError:
                    self._misunderstood(line)
            if self._process.ended and not self._over and not self._failed:
                note = self._process.notes[-1] if self._process.notes else tr("it ended before its last pass")
                self._failed = tr("The command failed: {what}.", what=note.rstrip("."))
        return []

    def progress(self) -> WorkProgress:
        return WorkProgress(self._begun, self._wanted, tuple(self._passes), self._over, self._failed)

    def notes(self) -> list[str]:
        return list(self._told)

    def close(self) -> None:
        if self._process is not None:
            self._process.close()

    def _misunderstood(self, line: str) -> None:
        if not self._told:
            self._told.append(
                tr("What watches over the command said {line!r}, which means nothing; it is left out.", line=line[:40])
            )

    def _take(self, cells: list[str]) -> None:
        """What the process that watches over the command said.

        Raises
        ------
        ValueError : it means nothing.
        """
        match cells:
            case ["begun", number]:
                self._begun = int(number)
            case ["ended", _, wall, status, score]:
                value = float(wall) if self._time_is_score else float(score) if score else None
                self._passes.append(WorkPass(value, int(status)))
                if int(status) == TOO_LONG:
                    self._failed = tr("The command took too long and was ended.")
                elif int(status) != 0:
                    self._failed = tr("The command ended with exit status {status}.", status=status)
            case ["over"]:
                self._over = not self._failed
            case _:
                raise ValueError(cells)


class HandWork:
    """Work that the operator starts and ends: nothing is started here."""

    def open(self, given_up: Callable[[], bool] = never) -> None:
        """Nothing to get ready."""

    def start(self) -> None:
        """The operator starts it."""

    def stop(self) -> None:
        """The operator ends it."""

    def read(self) -> list[Sample]:
        return []

    def progress(self) -> WorkProgress:
        return WorkProgress()

    def notes(self) -> list[str]:
        return []

    def close(self) -> None:
        """Nothing to end."""
