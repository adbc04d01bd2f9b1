"""The bytes of a log file as text: which encoding, and whether it is text at all."""

import codecs
from pathlib import Path

from msgspec import Struct

from pinch.bench.files import read_plain
from pinch.core.errors import DataError
from pinch.language import tr

MOST_BYTES = 2_000_000_000
LONGEST_LINE = 1_000_000
HEAD = 1 << 16
_UNDEFINED = (b"\x81", b"\x8d", b"\x8f", b"\x90", b"\x9d")
"""Bytes that Windows-1252 does not have."""
_MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))


class Text(Struct, frozen=True):
    """A file's bytes as UTF-8 without a mark, lines ended by a line feed; `file` where they stand there just so."""

    data: bytes
    file: Path | None = None

    def head(self, lines: int) -> list[str]:
        """The first lines, without their ends."""
        return self.data[: 16 * HEAD].decode("utf-8", "replace").split("\n")[:lines]


def read_text_of(path: Path) -> Text:
    """Read a file, at most 2 GB.

    Raises
    ------
    DataError : it is missing, no plain file, unreadable, empty, not text, or has a line that no table has.
    """
    data = read = _bytes_of(path)
    encoding = _encoding_of(data)
    if encoding is None:
        odd = next((byte for byte in (b"\0", *_UNDEFINED) if byte in data), b"\0")
        line = data[: data.find(odd)].count(b"\n") + 1
        raise DataError(str(path), tr("it is not text, so it is not a log"), line)
    if encoding != "utf-8":
        try:
            data = data.decode(encoding).encode()
        except UnicodeDecodeError as error:
            raise DataError(
                str(path), tr("it is broken {encoding} text", encoding=encoding), data[: error.start].count(b"\n") + 1
            ) from None
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n")
        data = data if b"\n" in data else data.replace(b"\r", b"\n")
    _refuse_long_lines(data, path)
    return Text(data, path if data is read else None)


def _bytes_of(path: Path) -> bytes:
    """Everything in a plain file that holds something."""
    data = read_plain(path, MOST_BYTES)
    if not data[:HEAD].strip(b" \t\r\n\0") and not data.strip(b" \t\r\n\0"):
        raise DataError(str(path), tr("it is empty"))
    return data


def _encoding_of(data: bytes) -> str | None:
    """The encoding by its mark, else UTF-16 by its zeros, else UTF-8, else Windows-1252; None: it is not text."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return encoding
    head = data[:HEAD]
    if b"\0" in data:
        half = len(head) // 2
        if half and head[1::2].count(0) > 0.8 * half and head[::2].count(0) < 0.05 * half:
            return "utf-16-le"
        if half and head[::2].count(0) > 0.8 * half and head[1::2].count(0) < 0.05 * half:
            return "utf-16-be"
        return None
    try:
        for start in range(0, len(data), HEAD * 64):  # piece by piece, so that no second copy of a large file is made
            _decode_piece(data, start)
    except UnicodeDecodeError:
        return None if any(byte in data for byte in _UNDEFINED) else "cp1252"
    return "utf-8"


def _decode_piece(data: bytes, start: int) -> None:
    """Raises UnicodeDecodeError where a piece is no UTF-8; a sign that its end cuts is left to the next."""
    piece = memoryview(data)[max(0, start - 3) : start + HEAD * 64]
    if bytes(piece).isascii():
        return
    skip = next((i for i in range(min(4, len(piece))) if piece[i] & 0xC0 != 0x80), 0) if start else 0
    codecs.getincrementaldecoder("utf-8")().decode(piece[skip:], final=start + HEAD * 64 >= len(data))


def _refuse_long_lines(data: bytes, path: Path) -> None:
    start = 0
    while start < len(data):
        end = data.find(b"\n", start, start + LONGEST_LINE + 1)
        if end < 0:
            if len(data) - start > LONGEST_LINE:
                words = tr("the line is longer than {longest_line} MB", longest_line=LONGEST_LINE // 1_000_000)
                raise DataError(str(path), words, data.count(b"\n", 0, start) + 1)
            return
        # Whole stretches are stepped over at once: a line cannot be long where line ends are near.
        start = data.rfind(b"\n", end, end + LONGEST_LINE) + 1
