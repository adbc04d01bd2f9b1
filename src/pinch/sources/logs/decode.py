"""The bytes of a log file as text: which encoding, and whether it is text at all."""

import codecs
import contextlib
import os
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import IO, TypeVar

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.bench.files import open_plain, refuse_larger
from pinch.core.errors import DataError
from pinch.language import tr

MOST_BYTES = 2_000_000_000
LONGEST_LINE = 1_000_000
HEAD = 1 << 16
START = 16 * HEAD
PIECE = 1 << 19
"""Bytes of a file that are read together: they stay at hand for all that is done with them."""
_BLANK = b" \t\r\n\0"
_MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))
_GUESSES = ("utf-8", "cp1252")
T = TypeVar("T")


class OtherEncodingError(DataError):
    """A file is not in an encoding."""


class Lines(Struct, frozen=True):
    """Whole lines of a text; `first` is the place of the first of them, from 0; the file was read up to a `share`."""

    data: bytes
    first: int
    count: int
    share: float = 1.0


class Text(Struct, frozen=True):
    """A file of text, its first `size` bytes: what is added to it later does not belong to it. `start` is its
    beginning, as its `pieces` are; of one that is short that is all."""

    path: Path
    size: int
    encoding: str
    start: bytes = b""
    is_short: bool = False

    def head(self, lines: int) -> list[str]:
        """The first lines, without their ends."""
        return self.start.decode("utf-8", "replace").split("\n", lines)[:lines]

    def pieces(self) -> Iterator[Lines]:
        """All of it, some whole lines at a time, as UTF-8 without a mark, lines ended by a line feed.

        Raises
        ------
        DataError : it is unreadable, no text, was cut short meanwhile, or has a line that no table has.
        OtherEncodingError : it is not in its encoding.
        """
        if self.is_short:
            yield Lines(self.start, 0, _lines_in(self.start))
            return
        place, lines = str(self.path), 0
        not_text = tr("it is not text, so it is not a log")
        try:
            with open_plain(self.path) as file:
                for piece in _whole_lines(self._converted(_pieces(file, self.size, place))):
                    if not piece.isascii():
                        piece.decode()
                    if self.encoding in _GUESSES and b"\0" in piece:
                        raise DataError(place, not_text, lines + 1 + piece[: piece.index(b"\0")].count(b"\n"))
                    _refuse_long_lines(piece, lines + 1, place)
                    found = Lines(piece, lines, _lines_in(piece), file.tell() / self.size)
                    yield found
                    lines += found.count
        except UnicodeDecodeError as error:
            broken = tr("it is broken {encoding} text", encoding=self.encoding)
            at = lines + 1 + error.object[: error.start].count(b"\n")
            raise OtherEncodingError(place, not_text if self.encoding in _GUESSES else broken, at) from None

    def _converted(self, pieces: Iterable[bytes]) -> Iterator[bytes]:
        decoder = codecs.getincrementaldecoder(self.encoding)()
        for raw in pieces:
            yield raw if self.encoding == "utf-8" else decoder.decode(raw, final=not raw).encode()

    def whole(self) -> str:
        """All of it."""
        return b"".join(piece.data for piece in self.pieces()).decode()


def read_text_of(path: Path, read: Callable[[Text], T]) -> T:
    """What `read` makes of the text of a file, at most 2 GB. Its encoding is a guess by its beginning: where that turns
    out to be wrong it is read anew in another.

    Raises
    ------
    DataError : it is missing, no plain file, unreadable, empty, not text, or has a line that no table has.
    """
    with open_plain(path) as file:
        size = os.fstat(file.fileno()).st_size
        refuse_larger(path, size, MOST_BYTES)
        start = file.read(min(START, size))
        if not start.strip(_BLANK) and not any(
            raw.strip(_BLANK) for raw in _pieces(file, size - len(start), str(path))
        ):
            raise DataError(str(path), tr("it is empty"))
    *guesses, last = _encodings(start)
    for encoding in guesses:
        with contextlib.suppress(OtherEncodingError):
            return read(_begun(Text(path, size, encoding)))
    return read(_begun(Text(path, size, last)))


def _encodings(start: bytes) -> tuple[str, ...]:
    """The encodings that a file may have by its start: that of its mark, else UTF-16 by its zeros, else a guess."""
    for mark, encoding in _MARKS:
        if start.startswith(mark):
            return (encoding,)
    head = start[:HEAD]
    zeros, half = (head[::2].count(0), head[1::2].count(0)), len(head) // 2
    if half and zeros[1] > 0.8 * half and zeros[0] < 0.05 * half:
        return ("utf-16-le",)
    if half and zeros[0] > 0.8 * half and zeros[1] < 0.05 * half:
        return ("utf-16-be",)
    return _GUESSES


def _begun(text: Text) -> Text:
    start = b""
    for piece in text.pieces():
        start += piece.data
        if len(start) > START:
            return replace(text, start=start)
    return replace(text, start=start, is_short=True)


def count_of(sign: str, data: bytes) -> int:
    """How often a sign stands in bytes, far faster than `bytes.count` where it stands often."""
    if sign.encode() not in data:
        return 0
    whole = np.frombuffer(data, np.uint8)
    return sum(int(np.count_nonzero(whole[n : n + PIECE] == ord(sign))) for n in range(0, len(data), PIECE))


def _lines_in(data: bytes) -> int:
    """How many lines there are, the last perhaps without an end."""
    return count_of("\n", data) + (not data.endswith(b"\n"))


def _pieces(file: IO[bytes], size: int, place: str) -> Iterator[bytes]:
    """The next so many bytes, and an empty piece at the end."""
    while raw := file.read(min(PIECE, size)):
        size -= len(raw)
        yield raw
    if size:
        raise DataError(place, tr("it changed while it was read"))
    yield b""


def _whole_lines(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """Pieces cut behind line ends, which may be carriage returns, and are line feeds then; only the last, or a far too
    long line, has none. An empty piece is the end."""
    rest = b""
    for piece in pieces:
        found = rest + piece
        end = max(found.rfind(b"\n"), found.rfind(b"\r", 0, -1)) + 1  # a return at the end may be half of a line end
        if not piece or len(found) - end > LONGEST_LINE:
            end = len(found)
        rest, whole = found[end:], found[:end]
        if whole:
            yield whole.replace(b"\r\n", b"\n").replace(b"\r", b"\n") if b"\r" in whole else whole


def _refuse_long_lines(data: bytes, line: int, place: str) -> None:
    start = 0
    while len(data) - start > LONGEST_LINE:
        end = data.find(b"\n", start, start + LONGEST_LINE + 1)
        if end < 0:
            words = tr("the line is longer than {longest_line} MB", longest_line=LONGEST_LINE // 1_000_000)
            raise DataError(place, words, line + data.count(b"\n", 0, start))
        # Whole stretches are stepped over at once: a line cannot be long where line ends are near.
        start = data.rfind(b"\n", end, end + LONGEST_LINE) + 1
