"""Where the rows of a table of text begin and end, and the rows in pieces, read as they come."""

from collections import deque
from collections.abc import Iterator
from itertools import islice

import numpy as np
from msgspec import Struct

from pinch.sources.logs.decode import Lines, Text, count_of
from pinch.sources.logs.dialect import MISSING, Dialect, is_value, split

ROWS_TOGETHER = 1 << 21
"""Bytes of rows that are parsed together: many enough that parsing takes most of the time, few enough to be small."""
TAIL_LINES = 200
"""Rows end within the last so many lines."""


class Ending(Struct, frozen=True):
    """The line before which the rows end, what follows them, and whether the last row was cut."""

    line: int
    notes: tuple[str, ...] = ()
    cut: bool = False


class RowPieces:
    """The rows of a text in large pieces, none of which ends within a quoted cell, and what stands around them: the
    `ending` is known once the last of them is there."""

    def __init__(self, text: Text, dialect: Dialect) -> None:
        head = text.head(dialect.first + 1)
        self.notes = tuple(line.strip() for line in head[: max(dialect.header, 0)] if line.strip())
        self.first_row = (head[dialect.first :] or [""])[0]
        self.ending = Ending(0)
        self._text, self._dialect = text, dialect

    def __iter__(self) -> Iterator[Lines]:
        """The pieces.

        Raises
        ------
        DataError, OtherEncodingError : as those of a text's pieces.
        """
        held: list[Lines] = []
        size = quotes = 0
        for piece in self._rows():
            held.append(piece)
            size, quotes = size + len(piece.data), quotes + count_of('"', piece.data)
            if size >= ROWS_TOGETHER and quotes % 2 == 0:
                yield _joined(held)
                held.clear()
                size = quotes = 0
        if held:
            yield _joined(held)

    def _rows(self) -> Iterator[Lines]:
        """The pieces of the text from the first row to the last: its last lines wait until all is there."""
        first, waiting = self._dialect.first, deque[Lines]()
        for piece in self._text.pieces():
            waiting.append(piece)
            while sum(later.count for later in islice(waiting, 1, None)) >= TAIL_LINES:
                yield from _between(waiting.popleft(), first)
        self.ending = self._found_end(waiting)
        for piece in waiting:
            yield from _between(piece, first, self.ending.line)

    def _found_end(self, last: deque[Lines]) -> Ending:
        dialect, tail = self._dialect, _last_lines(b"".join(piece.data for piece in last))
        ended, count = tail.endswith(b"\n"), last[-1].first + last[-1].count
        lines = tail.removesuffix(b"\n").decode("utf-8", "replace").split("\n")
        lines = lines[max(0, dialect.first - (count - len(lines))) :]
        timed = is_value(split(self.first_row, dialect.delimiter)[0])
        places = reversed(range(len(lines)))
        row = next((i for i in places if _is_row(lines[i], dialect, timed)), len(lines) - 1)
        going_on = np.cumsum([line.count('"') for line in lines[row:]]) % 2  # within a quoted cell at the end of a line
        row += int(np.argmin(going_on)) if len(going_on) else 0
        after = [line for line in lines[row + 1 :] if line.strip()]
        end = count - len(lines) + row + 1
        if not after and not ended and _is_shorter(lines[: row + 1], dialect):
            return Ending(end - 1, cut=True)
        half = len(after) == 1 and not ended and _is_half(after[0], dialect)
        return Ending(end, () if half else tuple(line.strip() for line in after), half)


def _joined(pieces: list[Lines]) -> Lines:
    count = sum(piece.count for piece in pieces)
    return Lines(b"".join(piece.data for piece in pieces), pieces[0].first, count, pieces[-1].share)


def _between(piece: Lines, first: int, end: int | None = None) -> Iterator[Lines]:
    """What is in a piece of the lines from the place `first` up to `end`."""
    skipped = min(piece.count, max(0, first - piece.first))
    kept = piece.count - skipped if end is None else min(piece.count, end - piece.first) - skipped
    if kept == piece.count:
        yield piece
    elif kept > 0:
        begin = _line_start(piece.data, skipped)
        data = piece.data[begin : _line_start(piece.data, kept, begin)]
        yield Lines(data, piece.first + skipped, kept, piece.share)


def _line_start(data: bytes, line: int, begin: int = 0) -> int:
    """Where a line begins, counted from the one that begins at `begin`."""
    for _ in range(line):
        begin = data.find(b"\n", begin) + 1 or len(data)
    return begin


def _last_lines(data: bytes) -> bytes:
    start = len(data)
    for _ in range(TAIL_LINES):
        start = data.rfind(b"\n", 0, max(0, start - 1)) + 1
        if not start:
            break
    return data[start:]


def _is_row(line: str, dialect: Dialect, timed: bool = False) -> bool:
    """Whether a line is a row; where rows begin with a time, with `timed`, one that begins with a word is none."""
    cells = split(line, dialect.delimiter)
    while len(cells) > len(dialect.names) and not cells[-1]:
        cells = cells[:-1]
    if len(cells) != len(dialect.names) or not any(cells):
        return False
    if timed and not any(sign.isdigit() for sign in cells[0]):
        return False
    return is_value(cells[0]) or sum(is_value(c) for c in cells if c) >= 0.5 * sum(bool(c) for c in cells)


def _is_shorter(lines: list[str], dialect: Dialect) -> bool:
    """Whether the last cell of a file without a last line end has fewer signs than any of the rows before it has."""
    cells = [split(line, dialect.delimiter)[-1] for line in lines if _is_row(line, dialect)]
    return len(cells) > 2 and len(cells[-1]) < min(len(cell) for cell in cells[:-1])


def _is_half(line: str, dialect: Dialect) -> bool:
    """A row that ends before its last cell: its first cell is that of a row."""
    cells = split(line, dialect.delimiter)
    return 1 <= len(cells) <= len(dialect.names) and is_value(cells[0]) and cells[0].casefold() not in MISSING
