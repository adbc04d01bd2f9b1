"""Following a frame log that another program is writing.

The log has a row a frame: `frame_ms`, or `t_s,frame_ms`, or any header of which one column is named. Rows may come in
blocks, the last one cut in half; the file may be rotated, begun anew, or come into being only later. Where it was
written before the following begins is left alone.
"""

import glob
import math
import os
import re
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct

from pinch.core.channels import ChannelQuantity
from pinch.core.errors import PinchError
from pinch.language import tr

FRAME_COLUMN, TIME_COLUMN = "frame_ms", "t_s"
LONGEST_MS = 60_000.0
MOST_AT_ONCE = 1 << 20
HOLD_S = 0.5
"""So long the first rows are held back, to find the least delay of the writer."""
PAUSE_S = 1.0
"""A delay that grows by more than this is a pause in the frames, not of the writer."""
_GENERATED = re.compile("|".join(ChannelQuantity.GENERATED.words).encode(), re.IGNORECASE)


class Frame(Struct, frozen=True):
    """When a frame ended, on this computer's clock in s, and how long it took, ms."""

    local_s: float
    ms: float


class _Columns(Struct, frozen=True):
    """Which cells of a row matter."""

    delimiter: str
    frame: int
    time: int | None
    width: int

    def read(self, line: str) -> tuple[float | None, float] | None:
        """Time in s and frame time in ms, None where the row does not hold them."""
        cells = line.split(self.delimiter)
        if len(cells) != self.width:
            return None
        try:
            ms = _number(cells[self.frame], self.delimiter)
            t = None if self.time is None else _number(cells[self.time], self.delimiter)
        except ValueError:
            return None
        good = 0.0 < ms <= LONGEST_MS and (t is None or math.isfinite(t))
        return (t, ms) if good else None


class FrameLog:
    """Follows a path, which may hold `*`: then the newest of such files. `pace` is that of the writer's clock."""

    def __init__(self, pattern: str, column: str, clock: Callable[[], float], pace: float = 1.0) -> None:
        self._pattern, self._column, self._clock, self._pace = str(Path(pattern).expanduser()), column, clock, pace
        self._fd: int | None = None
        self._inode = -1
        self._tail = b""
        self._columns: _Columns | None = None
        self._align = _Alignment(pace)
        self._has_kinds = False
        self.left_out = 0
        self.notes: list[str] = []

    def open(self) -> None:
        """Begin at the end of what is there already."""
        path = self._newest()
        if path is None:
            self.notes.append(tr("{pattern} is not there yet; frames are read once it is.", pattern=self._pattern))
        else:
            self._take_up(path, at_end=True)

    def read(self) -> list[Frame]:
        """The frames that were written since the last call.

        Raises
        ------
        PinchError : the log has no column of frame times.
        """
        self._follow_rotation()
        rows = self._new_rows()
        return self._align.place(rows, self._clock())

    def close(self) -> None:
        """Let go of the file."""
        if self._fd is not None:
            os.close(self._fd)
            self._fd = None

    def _newest(self) -> str | None:
        found = [p for p in glob.glob(self._pattern) if os.path.isfile(p)]
        return max(found, key=os.path.getmtime, default=None)

    def _follow_rotation(self) -> None:
        """Take up another file, or the same begun anew."""
        path = self._newest()
        if path is None:
            return
        try:
            status = os.stat(path)
        except OSError:
            return
        if self._fd is None or status.st_ino != self._inode:
            self._take_up(path, at_end=False)
        elif status.st_size < os.lseek(self._fd, 0, os.SEEK_CUR):
            self.notes.append(tr("{path} was begun anew.", path=path))
            self._take_up(path, at_end=False)

    def _take_up(self, path: str, at_end: bool) -> None:
        self.close()
        try:
            self._fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        except OSError as error:
            self.notes.append(tr("{path} cannot be read: {strerror}.", path=path, strerror=error.strerror))
            return
        self._inode, self._tail, self._columns = os.fstat(self._fd).st_ino, b"", None
        if at_end and (header := os.pread(self._fd, 65536, 0).split(b"\n")[0]):
            self._look_for_kinds(header)
            self._is_data(header.decode("utf-8-sig", "replace").strip())
            os.lseek(self._fd, self._last_line_end(), os.SEEK_SET)

    def _last_line_end(self) -> int:
        """Just after the last whole line, so that the half of a row is read with its other half."""
        assert self._fd is not None
        size = os.fstat(self._fd).st_size
        start = max(0, size - 65536)
        return start + os.pread(self._fd, 65536, start).rfind(b"\n") + 1

    def _new_rows(self) -> list[tuple[float | None, float]]:
        if self._fd is None:
            return []
        data = self._tail + os.read(self._fd, MOST_AT_ONCE)
        self._look_for_kinds(data)
        *lines, self._tail = data.split(b"\n")
        if len(self._tail) > MOST_AT_ONCE:
            raise PinchError(
                tr(
                    "{pattern}: it has a row of more than {most_at_once} MB, so it is no frame log.",
                    pattern=self._pattern,
                    most_at_once=MOST_AT_ONCE >> 20,
                )
            )
        rows = []
        for raw in lines:
            line = raw.decode("utf-8-sig", "replace").strip()
            row = self._columns.read(line) if self._columns else None
            if row is None and line and self._is_data(line):
                row = self._columns.read(line) if self._columns else None
                self.left_out += row is None
            if row is not None:
                rows.append(row)
        return rows

    def _look_for_kinds(self, data: bytes) -> None:
        """Say once that frames are told apart where that is not followed."""
        if not self._has_kinds and _GENERATED.search(data):
            self._has_kinds = True
            told = tr(
                "says which frames were generated; while it is followed all count as drawn. Import the file for those"
            )
            self.notes.append(tr("{pattern} {told} that were drawn.", pattern=self._pattern, told=told))

    def _is_data(self, line: str) -> bool:
        """Whether a line is a row; a header tells which columns matter. A file without one has frame times only."""
        delimiter = next((d for d in ("\t", ";", ",") if d in line), ",")
        names = [cell.strip().strip('"').casefold() for cell in line.split(delimiter)]
        wanted = (self._column or FRAME_COLUMN).casefold()
        if wanted in names:
            time = names.index(TIME_COLUMN) if TIME_COLUMN in names else None
            self._columns = _Columns(delimiter, names.index(wanted), time, len(names))
            return False
        if self._columns is None:
            bare = _Columns(",", 0, None, 1)
            if self._column or bare.read(line) is None:
                raise PinchError(
                    tr(
                        "{pattern}: its header has no column {wanted}; it has {names}.",
                        pattern=self._pattern,
                        wanted=wanted,
                        names=", ".join(names)[:200],
                    )
                )
            self._columns = bare
        return True


class _Alignment:
    """Puts frames on this computer's clock: the row that came with the least delay ended just when it came."""

    def __init__(self, pace: float) -> None:
        self._pace = pace
        self._ends = 0.0
        self._anchor: float | None = None
        self._held: list[tuple[float, float]] = []
        self._held_since = 0.0
        self._last_t: float | None = None

    def place(self, rows: list[tuple[float | None, float]], now: float) -> list[Frame]:
        """Frames of new rows, on the clock that `now` is on."""
        placed = [(self._end_of(t, ms), ms) for t, ms in rows]
        if placed:
            lag = now - placed[-1][0]
            if self._anchor is None:
                self._anchor, self._held_since = lag, now
            elif self._held or now - self._held_since < HOLD_S:
                self._anchor = min(self._anchor, lag)
            elif lag > self._anchor + PAUSE_S:
                self._anchor = lag
        self._held += placed
        if self._anchor is None or now - self._held_since < HOLD_S:
            return []
        frames = [Frame(self._anchor + end, ms) for end, ms in self._held]
        self._held = []
        return frames

    def _end_of(self, t: float | None, ms: float) -> float:
        """End of a frame on the frames' own clock, in s of this computer: by its time where it goes on, else by adding
        up what the frames took."""
        step = ms / 1000.0
        if t is not None and self._last_t is not None and t > self._last_t:
            step = t - self._last_t
        self._last_t = t
        self._ends += step / self._pace
        return self._ends


def _number(cell: str, delimiter: str) -> float:
    text = cell.strip().strip('"')
    return float(text if delimiter == "," else text.replace(",", "."))
