"""Rows of a child process on their way to samples. What is no row leaves no sample, and is told of once."""

import math
import time
from collections.abc import Callable, Sequence

from msgspec import Struct

from pinch.core.channels import is_channel_name
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.recorder.lines import LineProcess
from pinch.sources.runlog_csv import TIME

START_WITHIN_S = 90.0
"""A computer that is busy, or starts Python from a cold disk, takes its time; a child that has died is seen at once."""
MOST_OF_EVENT = 300
"""Letters of one event that are kept."""
MOST_IN_A_ROW = 50
"""So many lines without a row between them are no accident any more."""


class Sample(Struct, frozen=True):
    """One row of a source: its clock in s, and a value a channel, NaN for none."""

    clock_s: float
    values: tuple[float, ...]


EVENT = "#"
"""Begins a line that tells what happened, its time before the words."""


class RowReader:
    """Reads the rows of one child. `told` has at most one sentence about lines that are no rows."""

    def __init__(self, who: str) -> None:
        self.width = 0
        self.told: list[str] = []
        self._happened: list[str] = []
        self._who, self._without_row = who, 0

    def samples(self, lines: Sequence[str]) -> list[Sample]:
        """The rows among some lines: the clock and `width` values each.

        Raises
        ------
        PinchError : nothing that came for long was a row.
        """
        found = []
        for line in lines:
            if line.startswith(EVENT):
                self._happened.append(line.removeprefix(EVENT).strip().partition(" ")[2][:MOST_OF_EVENT])
                continue
            read = self._read(line)
            if isinstance(read, Sample):
                found.append(read)
                self._without_row = 0
            else:
                self.tell(read)
                self._without_row += 1
        if self._without_row > MOST_IN_A_ROW:
            raise PinchError(tr("{who} says nothing any more that can be read as a row.", who=self._who))
        return found

    def events(self) -> list[str]:
        """What happened since the last call, in words."""
        happened, self._happened = self._happened, []
        return happened

    def heed(self, process: LineProcess) -> None:
        """Tell of lines that were cut or are no text."""
        if process.damage:
            self.tell(process.damage)

    def tell(self, reason: str) -> None:
        """Tell of something that is no row; only the first time."""
        if not self.told:
            self.told.append(
                tr(
                    "{who} said something that is no row ({reason}); such lines are left out.",
                    who=self._who,
                    reason=reason,
                )
            )

    def _read(self, line: str) -> Sample | str:
        """A row, or what is wrong with it."""
        cells = line.split(",")
        if len(cells) != self.width + 1:
            return tr("{cells} cells instead of {width}", cells=len(cells), width=self.width + 1)
        try:
            numbers = [float(cell) if cell else math.nan for cell in cells]
        except ValueError:
            return tr("a cell is no number")
        if not math.isfinite(numbers[0]) or any(map(math.isinf, numbers)):
            return tr("a time or a value is not finite")
        return Sample(numbers[0], tuple(numbers[1:]))


class GivenUpError(PinchError):
    """Nobody wants to wait for a child any longer."""


def never() -> bool:
    """Wait as long as it takes."""
    return False


def await_line(
    process: LineProcess, who: str, wanted: Callable[[str], bool], given_up: Callable[[], bool] = never
) -> tuple[str, list[str]]:
    """The first line of a child that is wanted, and those that came behind it; a greeting before it is passed over.

    Raises
    ------
    GivenUpError : `given_up` became true.
    PinchError : it ended before, or says nothing of the kind for long.
    """
    deadline = time.monotonic() + START_WITHIN_S
    while time.monotonic() < deadline:
        if given_up():
            process.close()
            raise GivenUpError(tr("{who} was not waited for.", who=who))
        lines = process.lines(0.1)
        for number, line in enumerate(lines):
            if wanted(line):
                return line, lines[number + 1 :]
        if process.ended:
            break
    process.close()
    reason = process.notes[-1] if process.notes else process.damage or tr("it did not answer")
    raise PinchError(tr("{who} could not be started: {what}.", who=who, what=reason.rstrip(".")))


def is_header(line: str) -> bool:
    """Whether a line is the header of a probe: the time, then channels."""
    first, *channels = line.split(",")
    return first == TIME and all(is_channel_name(name) for name in channels)


def channels_of(header: str) -> tuple[str, ...]:
    """The channels of a header."""
    return tuple(header.split(",")[1:])
