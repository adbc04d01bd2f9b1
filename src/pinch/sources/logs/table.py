"""The rows of a table of text, read by pandas; what does not belong to them is kept as notes."""

import contextlib
import csv
import io
import re
import warnings
from collections import deque
from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.progress import Progress, tell, unheard
from pinch.language import tr
from pinch.sources.logs.decode import LONGEST_LINE, Lines, Text, count_of
from pinch.sources.logs.dialect import FLAGS, MISSING, Dialect, split
from pinch.sources.logs.row_pieces import RowPieces
from pinch.sources.logs.times import is_clock, is_date

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

    import pandas as pd

PARSED_AT_ONCE = 2
SPARE = 1.05
"""How many times the rows that a file seems to have by its beginning have room."""
NOTHING = [form(word) for form in (str, str.upper, str.title) for word in MISSING]
_NEWLINE = ord("\n")


class LogTable(Struct, frozen=True):
    """Columns by their place, as numbers or as text; `lines` (n,) the line of each row, counted from 1; `restarts` the
    rows before which a logger began anew; `notes` what stands around the rows, `cut` whether the last row was half."""

    columns: "tuple[pd.Series, ...]"
    lines: "np.ndarray"
    restarts: tuple[int, ...]
    notes: tuple[str, ...]
    cut: bool


class _Columns:
    """Columns that grow piece by piece: numbers go where they belong at once, all else waits until all is there."""

    def __init__(self, count: int) -> None:
        self.rows = self._room = 0
        self._numbers = [np.empty(0) for _ in range(count)]
        self._others: list[dict[int, pd.Series]] = [{} for _ in range(count)]

    def add(self, frame: "pd.DataFrame", share: float) -> None:
        """The next rows, with which a share of all is there."""
        end = self.rows + len(frame)
        if end > self._room:
            self._make_room(end if share >= 1.0 else round(SPARE * end / share))
        for i, numbers in enumerate(self._numbers):
            column = frame[i]
            if column.dtype.kind in "fiu":
                numbers[self.rows : end] = column.to_numpy()
            else:
                self._others[i][self.rows] = column
        self.rows = end

    def _make_room(self, rows: int) -> None:
        for i, numbers in enumerate(self._numbers):
            self._numbers[i] = np.empty(rows)
            self._numbers[i][: self.rows] = numbers[: self.rows]
        self._room = rows

    def whole(self) -> "tuple[pd.Series, ...]":
        """The columns, those of numbers alone as such."""
        return tuple(self._whole(i) for i in range(len(self._numbers)))

    def _whole(self, i: int) -> "pd.Series":
        import pandas as pd

        numbers, parts, at = pd.Series(self._numbers[i][: self.rows], copy=False), list[pd.Series](), 0
        for start, others in self._others[i].items():
            parts += [numbers[at:start]] if at < start else []
            parts.append(others)
            at = start + len(others)
        if not parts:
            return numbers
        parts += [numbers[at:]] if at < self.rows else []
        return pd.concat(parts, ignore_index=True)


def read_table(text: Text, dialect: Dialect, place: str, progress: Progress = unheard) -> LogTable:
    """Read all rows.

    Raises
    ------
    CancelledError : `progress` answered False.
    DataError : a row in the middle has other cells than the header; the sentence names its line.
    """
    import pandas as pd

    rows = RowPieces(text, dialect)
    columns, places = _Columns(len(dialect.names)), list[np.ndarray]()
    tell(progress, 0.0)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", pd.errors.ParserWarning)  # delimiters at the ends of rows are expected
        for parsed in _parsed(rows, dialect, place):
            columns.add(parsed.frame, parsed.share)
            places.append(parsed.lines)
            tell(progress, parsed.share)
    if not places:
        raise DataError(place, tr("it has a header but no samples"))
    whole, lines, restarts = _without_headers(columns.whole(), np.concatenate(places), dialect)
    if not len(lines):
        raise DataError(place, tr("it has a header but no samples"))
    return LogTable(whole, lines, restarts, (*rows.notes, *rows.ending.notes), rows.ending.cut)


class _Parsed(Struct, frozen=True):
    """Some rows, the line of each of them, counted from 1, and the share of the file that was read for them."""

    frame: "pd.DataFrame"
    lines: "np.ndarray"
    share: float


def _parsed(rows: RowPieces, dialect: Dialect, place: str) -> Iterator[_Parsed]:
    """The rows in pieces, in their order; the next ones are parsed meanwhile."""
    as_text, under_way = _as_text(rows.first_row, dialect), deque["Future[_Parsed]"]()
    for piece in rows:
        under_way.append(_parsers().submit(_parse, piece, dialect, as_text, place))
        if len(under_way) > PARSED_AT_ONCE:
            yield under_way.popleft().result()
    for future in under_way:
        yield future.result()


@cache
def _parsers() -> "ThreadPoolExecutor":
    """What parses, for all logs. It is in threads also where there is one piece: what parsing needs for a moment then
    lies apart in memory from what is kept, and thousands of logs take a third less."""
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(PARSED_AT_ONCE, "parsing logs")


def _parse(rows: Lines, dialect: Dialect, as_text: dict[int, type[str]], place: str) -> _Parsed:
    import pandas as pd

    try:
        frame = pd.read_csv(
            io.BytesIO(rows.data),
            sep=dialect.delimiter,
            header=None,
            names=range(len(dialect.names)),
            index_col=False,
            decimal=dialect.decimal,
            thousands=dialect.thousands or None,
            na_values=NOTHING,
            keep_default_na=False,
            skip_blank_lines=False,
            engine="c",
            low_memory=False,
            dtype=as_text,
        )
    except (pd.errors.ParserError, ValueError) as error:
        raise _broken(error, place, _lines_of(rows, dialect)) from None
    if b'"' in rows.data:
        _check_first_row(rows, dialect, place)
    elif not _looks_even(rows.data, frame, dialect):
        _check_widths(rows, dialect, place)
    whole = len(frame) == rows.count
    lines = rows.first + 1 + np.arange(rows.count) if whole else _lines_of(rows, dialect)[: len(frame)]
    return _Parsed(frame, lines, rows.share)


def _lines_of(rows: Lines, dialect: Dialect) -> "np.ndarray":
    """The line at which each row begins, counted from 1: cells in quotes may go over several."""
    reader, ends = csv.reader(io.StringIO(rows.data.decode()), delimiter=dialect.delimiter), [0]
    with contextlib.suppress(csv.Error):
        ends += [reader.line_num for _ in reader]
    rest = rows.count + 1 - len(ends)
    return rows.first + 1 + np.array([*ends[:-1], *range(ends[-1], ends[-1] + rest)])


def _as_text(first_row: str, dialect: Dialect) -> dict[int, type[str]]:
    """Columns that begin with a date or a clock time: their points and colons are not those of numbers."""
    cells = split(first_row, dialect.delimiter)[: len(dialect.names)]
    return {i: str for i, cell in enumerate(cells) if is_clock(cell) or is_date(cell)}


def numbers_of(column: "pd.Series", dialect: Dialect) -> tuple["np.ndarray", "np.ndarray"]:
    """(n,) values of a column, NaN for none, and (n,) which cells hold something that is no number."""
    import pandas as pd

    if column.dtype.kind in "fiub":
        return column.to_numpy(dtype=float), np.zeros(len(column), dtype=bool)
    if column.dtype == object:  # some are numbers already: written again, their signs would be read in another way
        written = np.fromiter((isinstance(cell, str) for cell in column), bool, len(column))
        values, wrong = np.full(len(column), np.nan), np.zeros(len(column), dtype=bool)
        values[~written] = column[~written].to_numpy(dtype=float)
        values[written], wrong[written] = numbers_of(column[written].astype("string"), dialect)
        return values, wrong
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


def first_text(column: "pd.Series") -> str:
    """The first cell of a column that holds something, empty where it is one of numbers."""
    if column.dtype.kind in "fiub":
        return ""
    filled = column.dropna()
    return str(filled.iloc[0]) if len(filled) else ""


def _looks_even(data: bytes, frame: "pd.DataFrame", dialect: Dialect) -> bool:
    """Whether as many delimiters stand there as whole rows have, and no row lacks its last cell: then no row need be
    looked at by itself."""
    wanted = len(dialect.names) - 1
    marks = count_of(dialect.delimiter, data)
    return marks in (wanted * len(frame), (wanted + 1) * len(frame)) and not frame[wanted].isna().any()


def _check_widths(rows: Lines, dialect: Dialect, place: str) -> None:
    """Every row must have as many delimiters as most have, or one more at its end."""
    if len(dialect.names) < 2:
        return
    wanted, raw = len(dialect.names) - 1, np.frombuffer(rows.data, np.uint8)
    ends = np.flatnonzero(raw == _NEWLINE)
    marks = np.flatnonzero(raw == ord(dialect.delimiter))
    counts = np.diff(np.searchsorted(marks, ends), prepend=0)
    filled = np.diff(ends, prepend=-1) > 1
    trailing = (counts == wanted + 1) & (raw[np.maximum(ends - 1, 0)] == ord(dialect.delimiter))
    wrong = np.flatnonzero(filled & (counts != wanted) & ~trailing)
    if len(wrong):
        i = int(wrong[0])
        raise _uneven(place, rows.first + i + 1, counts[i] + 1, wanted + 1)


def _check_first_row(rows: Lines, dialect: Dialect, place: str) -> None:
    """Where cells are quoted they may hold delimiters and line ends. Pandas counts them, but takes the first row as it
    is."""
    start, cells = rows.data[:LONGEST_LINE].decode("utf-8", "replace"), list[str]()
    with contextlib.suppress(csv.Error):  # quotes that make no sense, which pandas has taken as signs
        cells = next(csv.reader(io.StringIO(start), delimiter=dialect.delimiter))
    if cells and len(cells) - (not cells[-1]) > len(dialect.names):
        raise _uneven(place, rows.first + 1, len(cells), len(dialect.names))


def _uneven(place: str, line: int, seen: int, wanted: int) -> DataError:
    return DataError(place, tr("the row has {seen} cells, the header {wanted}", seen=seen, wanted=wanted), line)


def _without_headers(
    columns: "tuple[pd.Series, ...]", lines: "np.ndarray", dialect: Dialect
) -> "tuple[tuple[pd.Series, ...], np.ndarray, tuple[int, ...]]":
    """Drop empty rows and headers that stand there again, and tell where they stood."""
    empty = columns[0].isna().to_numpy()
    for column in columns[1:]:
        if not empty.any():
            break
        empty = empty & column.isna().to_numpy()
    again = np.zeros(len(lines), dtype=bool)
    text = next((i for i, column in enumerate(columns) if column.dtype.kind not in "fiub"), None)
    if text is not None:
        name, unit = dialect.names[text].strip('"'), dialect.units[text]
        words = columns[text].astype("string").str.strip()
        again = (words == name).to_numpy(dtype=bool, na_value=False)
        if unit:  # a row of units stands below each header
            again |= (words == unit).to_numpy(dtype=bool, na_value=False) & np.roll(again, 1)
    keep = ~(empty | again)
    place = np.cumsum(keep)
    restarts = tuple(sorted({int(place[i]) for i in np.flatnonzero(again) if 0 < place[i] < keep.sum()}))
    if not keep.all():
        columns = tuple(column[keep].reset_index(drop=True) for column in columns)
    if again.any():
        columns = tuple(c if c.dtype.kind in "fiub" else _as_numbers(c, dialect) for c in columns)
    return columns, lines[keep], restarts


def _as_numbers(column: "pd.Series", dialect: Dialect) -> "pd.Series":
    """A column that only a header in its middle had made text."""
    import pandas as pd

    values, wrong = numbers_of(column, dialect)
    return column if wrong.any() else pd.Series(values)


def _broken(error: Exception, place: str, lines: "np.ndarray") -> DataError:
    found = re.search(r"Expected (\d+) fields in line (\d+), saw (\d+)", str(error))
    if found:
        wanted, row, seen = (int(g) for g in found.groups())
        return _uneven(place, int(lines[min(row, len(lines)) - 1]), seen, wanted)
    return DataError(place, tr("the table is broken ({reason})", reason=str(error).splitlines()[0]))
