"""The rows of a table of text, read by pandas; what does not belong to them is kept as notes."""

import io
import re
import warnings
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.progress import CancelledError, Progress, tell, unheard
from pinch.language import tr
from pinch.sources.logs.decode import LONGEST_LINE, Text
from pinch.sources.logs.dialect import FLAGS, MISSING, Dialect, is_value, split
from pinch.sources.logs.times import is_clock, is_date

if TYPE_CHECKING:
    import pandas as pd
    from _typeshed import WriteableBuffer

TAIL_LINES = 200
DIRECT_BYTES = 128_000_000
"""A file up to this size pandas reads by itself, which is faster but cannot be watched: it takes half a second."""
PIECE = 1 << 22
"""Bytes that are looked at together."""
_NEWLINE = ord("\n")


class LogTable(Struct, frozen=True):
    """Columns by their place, as numbers or as text; `lines` (n,) the line of each row, counted from 1; `restarts` the
    rows before which a logger began anew; `notes` what stands around the rows, `cut` whether the last row was half."""

    frame: "pd.DataFrame"
    lines: "np.ndarray"
    restarts: tuple[int, ...]
    notes: tuple[str, ...]
    cut: bool


class _Watched(io.BytesIO):
    """Bytes that tell how far they are read."""

    def __init__(self, data: bytes, begin: int, progress: Progress) -> None:
        super().__init__(data)
        self.seek(begin)
        self._size, self._progress, self.cancelled = len(data), progress, False

    def readinto(self, buffer: "WriteableBuffer") -> int:
        self.cancelled = not self._progress(self.tell() / self._size)
        return 0 if self.cancelled else super().readinto(buffer)


def read_table(text: Text, dialect: Dialect, place: str, progress: Progress = unheard) -> LogTable:
    """Read all rows.

    Raises
    ------
    CancelledError : `progress` answered False.
    DataError : a row in the middle has other cells than the header; the sentence names its line.
    """
    import pandas as pd

    data = text.data
    begin = _line_start(data, dialect.first)
    notes = [line.strip() for line in text.head(max(dialect.header, 0)) if line.strip()]
    end, tail, cut = _end_of_rows(data, begin, dialect)
    if not data[begin : begin + PIECE].strip():
        raise DataError(place, tr("it has a header but no samples"))
    source = _Watched(data if end == len(data) else data[:end], begin, progress)
    tell(progress, 0.0)
    quoted = data.find(b'"', 0, begin) >= 0  # what is skipped must not begin with half of a quoted cell
    direct = text.file is not None and end == len(data) <= DIRECT_BYTES and not quoted
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", pd.errors.DtypeWarning)  # mixed columns are expected, and mended below
            warnings.simplefilter("ignore", pd.errors.ParserWarning)  # so are delimiters at the ends of rows
            frame = pd.read_csv(
                str(text.file.resolve())
                if text.file is not None and direct
                # A reader of its own: pandas takes a bare BytesIO half as fast.
                else io.TextIOWrapper(io.BufferedReader(source, PIECE), encoding="utf-8", errors="replace", newline=""),
                sep=dialect.delimiter,
                header=None,
                skiprows=dialect.first if direct else 0,
                nrows=data.count(b"\n", begin) + 1 if direct else None,  # the file may have grown meanwhile
                compression=None,
                encoding_errors="replace",
                names=range(len(dialect.names)),
                index_col=False,
                decimal=dialect.decimal,
                thousands=dialect.thousands or None,
                na_values=list(MISSING) + [w.upper() for w in MISSING] + [w.title() for w in MISSING],
                keep_default_na=False,
                skip_blank_lines=False,
                engine="c",
                dtype=_as_text(data, begin, dialect),
            )
    except (pd.errors.ParserError, ValueError) as error:
        if source.cancelled:
            raise CancelledError(tr("{place} was not read to its end.", place=place)) from None
        raise _broken(error, place, dialect) from None
    if source.cancelled:
        raise CancelledError(tr("{place} was not read to its end.", place=place))
    lines = np.arange(len(frame)) + dialect.first + 1
    if not _looks_even(data, begin, end, frame, dialect):
        _check_widths(data, begin, end, dialect, place)
    frame, lines, restarts = _without_headers(frame, lines, dialect)
    if not len(frame):
        raise DataError(place, tr("it has a header but no samples"))
    return LogTable(frame, lines, restarts, (*notes, *tail), cut)


def _as_text(data: bytes, begin: int, dialect: Dialect) -> dict[int, type[str]]:
    """Columns that begin with a date or a clock time: their points and colons are not those of numbers."""
    head = data[begin : begin + LONGEST_LINE].split(b"\n", 1)[0]
    cells = split(head.decode("utf-8", "replace"), dialect.delimiter)[: len(dialect.names)]
    return {i: str for i, cell in enumerate(cells) if is_clock(cell) or is_date(cell)}


def numbers_of(column: "pd.Series", dialect: Dialect) -> tuple["np.ndarray", "np.ndarray"]:
    """(n,) values of a column, NaN for none, and (n,) which cells hold something that is no number."""
    import pandas as pd

    if column.dtype.kind in "fiu":
        return column.to_numpy(dtype=float), np.zeros(len(column), dtype=bool)
    if column.dtype.kind == "b":
        return column.to_numpy(dtype=float), np.zeros(len(column), dtype=bool)
    words = column.astype("string").str.strip()
    plain = words.str.replace(r"[\s'’](?=\d{3})", "", regex=True)
    if dialect.thousands:
        plain = plain.str.replace(dialect.thousands, "", regex=False)
    if dialect.decimal == ",":
        plain = plain.str.replace(",", ".", regex=False)
    values = pd.to_numeric(plain, errors="coerce").to_numpy(dtype=float, na_value=np.nan)
    flags = words.str.casefold().map(FLAGS).to_numpy(dtype=float, na_value=np.nan)
    values = np.where(np.isfinite(values), values, flags)
    nothing = words.isna().to_numpy() | words.str.casefold().isin(MISSING).to_numpy(dtype=bool, na_value=True)
    values[np.isinf(values)] = np.nan
    return values, ~np.isfinite(values) & ~nothing


def _line_start(data: bytes, line: int) -> int:
    at = 0
    for _ in range(line):
        at = data.index(b"\n", at) + 1
    return at


def _end_of_rows(data: bytes, begin: int, dialect: Dialect) -> tuple[int, list[str], bool]:
    """Where the rows end, what follows them as notes, and whether the last row was cut in the middle."""
    start, mark = len(data), dialect.delimiter
    for _ in range(TAIL_LINES):
        found = data.rfind(b"\n", begin, max(begin, start - 1))
        start = begin if found < 0 else found + 1
        if start == begin:
            break
    lines = data[start:].decode("utf-8", "replace").split("\n")
    timed = is_value(split(data[begin : begin + LONGEST_LINE].split(b"\n", 1)[0].decode("utf-8", "replace"), mark)[0])
    last = max((i for i, line in enumerate(lines) if _is_row(line, dialect, timed)), default=len(lines) - 1)
    after = [line for line in lines[last + 1 :] if line.strip()]
    end = start + len("\n".join(lines[: last + 1]).encode()) if last + 1 < len(lines) else len(data)
    half = len(after) == 1 and data[-1:] != b"\n" and _is_half(after[0], dialect)
    if not after and data[-1:] != b"\n" and _is_shorter(lines[: last + 1], dialect):
        return end - len(lines[last].encode()), [], True
    return end, [] if half else [line.strip() for line in after], half


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


def _looks_even(data: bytes, begin: int, end: int, frame: "pd.DataFrame", dialect: Dialect) -> bool:
    """Whether as many delimiters stand there as whole rows have, and no row lacks its last cell: then no row need be
    looked at by itself."""
    wanted = len(dialect.names) - 1
    sign, marks = ord(dialect.delimiter), 0
    for start in range(begin, end, PIECE):  # twice as fast as bytes.count, and small
        piece = np.frombuffer(data, dtype=np.uint8, count=min(PIECE, end - start), offset=start)
        marks += int(np.count_nonzero(piece == sign))
    return marks in (wanted * len(frame), (wanted + 1) * len(frame)) and not frame[wanted].isna().any()


def _check_widths(data: bytes, begin: int, end: int, dialect: Dialect, place: str) -> None:
    """Every row must have as many delimiters as most have, or one more at its end."""
    if len(dialect.names) < 2 or data.find(b'"', begin, end) >= 0:
        return  # quoted cells may hold delimiters and line ends; pandas has counted them
    wanted, line, start = len(dialect.names) - 1, dialect.first + 1, begin
    while start < end:
        most = min(end, start + PIECE)
        stop = data.rfind(b"\n", start, most) + 1 or data.find(b"\n", start, end) + 1 or end
        raw = np.frombuffer(data, dtype=np.uint8, count=stop - start, offset=start)
        ends = np.flatnonzero(raw == _NEWLINE)
        marks = np.flatnonzero(raw == ord(dialect.delimiter))
        counts = np.diff(np.searchsorted(marks, ends), prepend=0)
        filled = np.diff(ends, prepend=-1) > 1
        trailing = (counts == wanted + 1) & (raw[np.maximum(ends - 1, 0)] == ord(dialect.delimiter))
        wrong = np.flatnonzero(filled & (counts != wanted) & ~trailing)
        if len(wrong):
            i = int(wrong[0])
            raise DataError(
                place,
                tr("the row has {counts} cells, the header {wanted}", counts=counts[i] + 1, wanted=wanted + 1),
                line + i,
            )
        line, start = line + len(ends), stop


def _without_headers(
    frame: "pd.DataFrame", lines: "np.ndarray", dialect: Dialect
) -> tuple["pd.DataFrame", "np.ndarray", tuple[int, ...]]:
    """Drop empty rows and headers that stand there again, and tell where they stood."""
    import pandas as pd

    empty = frame.isna().all(axis=1).to_numpy()
    again = np.zeros(len(frame), dtype=bool)
    text_columns = [c for c in frame.columns if frame[c].dtype.kind not in "fiub"]
    if text_columns:
        column = text_columns[0]
        name, unit = dialect.names[column].strip('"'), dialect.units[column]
        words = frame[column].astype("string").str.strip()
        again = (words == name).to_numpy(dtype=bool, na_value=False)
        if unit:  # a row of units stands below each header
            again |= (words == unit).to_numpy(dtype=bool, na_value=False) & np.roll(again, 1)
    keep = ~(empty | again)
    place = np.cumsum(keep)
    restarts = tuple(sorted({int(place[i]) for i in np.flatnonzero(again) if 0 < place[i] < keep.sum()}))
    if again.any():
        kept = frame[keep].reset_index(drop=True)
        frame = kept.apply(lambda c: c if c.dtype.kind in "fiub" else _as_numbers(c, dialect))
    else:
        frame = frame[keep].reset_index(drop=True) if empty.any() else frame
    assert isinstance(frame, pd.DataFrame)
    return frame, lines[keep], restarts


def _as_numbers(column: "pd.Series", dialect: Dialect) -> "pd.Series":
    """A column that only a header in its middle had made text."""
    import pandas as pd

    values, wrong = numbers_of(column, dialect)
    return column if wrong.any() else pd.Series(values)


def _broken(error: Exception, place: str, dialect: Dialect) -> DataError:
    found = re.search(r"Expected (\d+) fields in line (\d+), saw (\d+)", str(error))
    if found:
        wanted, line, seen = (int(g) for g in found.groups())
        return DataError(
            place, tr("the row has {seen} cells, the header {wanted}", seen=seen, wanted=wanted), line + dialect.first
        )
    return DataError(place, tr("the table is broken ({reason})", reason=str(error).splitlines()[0]))
