"""Pinch's own run log as CSV: header `t_s,<channel>,…`, one row a sample, an empty cell is no sample."""

import csv
import io
import math
from pathlib import Path

import numpy as np

from pinch.bench.files import read_plain
from pinch.core.channels import is_channel_name
from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray, RunLog, runlog_from_columns
from pinch.language import tr

TIME = "t_s"
MOST_BYTES = 2_000_000_000


def read_text(path: Path) -> str:
    """The text of a table file, UTF-8 with or without mark.

    Raises
    ------
    DataError : it is missing, unreadable, empty or not text.
    """
    data = read_plain(path, MOST_BYTES)
    if not data.strip():
        raise DataError(str(path), tr("it is empty"))
    if b"\0" in data:
        raise DataError(str(path), tr("it is not text, so it is not a log"), data[: data.index(b"\0")].count(b"\n") + 1)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise DataError(str(path), tr("it is not UTF-8 text"), data[: error.start].count(b"\n") + 1) from None


def read_run_log(path: Path) -> RunLog:
    """Read a Pinch CSV log.

    Raises
    ------
    DataError : the file cannot be used as it stands; the sentence names the line.
    """
    return read_run_log_text(read_text(path), str(path))


def read_run_log_text(text: str, place: str) -> RunLog:
    """As `read_run_log`, of text that is there already; `place` names it in what goes wrong."""
    rows = csv.reader(io.StringIO(text), strict=True)
    try:
        channels = _channels(next(rows, []), place)
        table = [_numbers(row, len(channels) + 1, place, rows.line_num) for row in rows if row]
    except csv.Error as error:
        raise DataError(place, tr("the table is broken ({error})", error=error), rows.line_num) from None
    if not table:
        raise DataError(place, tr("it has a header but no samples"))
    values = np.array(table)
    check_time(values[:, 0], place)
    log = runlog_from_columns(values[:, 0], {name: values[:, i + 1] for i, name in enumerate(channels)})
    filled = {name: series for name, series in log.series.items() if len(series.t)}
    if not filled:
        raise DataError(place, tr("it has rows but not one sample"))
    return RunLog(filled)


def write_run_log(log: RunLog, file: io.TextIOBase) -> None:
    """Write a log so that `read_run_log` gives the same values back."""
    t, columns = rows_of(log)
    cells = [["" if x != x else repr(x) for x in values.tolist()] for values in columns.values()]
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow([TIME, *log.series])
    writer.writerows(zip(map(repr, t.tolist()), *cells, strict=True))


def rows_of(log: RunLog) -> tuple[FloatArray, dict[str, FloatArray]]:
    """All times (n,) at which anything was sampled, s, and the channels on them, (n,) each, NaN where none was."""
    t = np.unique(np.concatenate([s.t for s in log.series.values()]))
    columns = {}
    for name, series in log.series.items():
        columns[name] = np.full(len(t), np.nan)
        columns[name][np.searchsorted(t, series.t)] = series.values
    return t, columns


def _channels(header: list[str], place: str) -> list[str]:
    names = [name.strip() for name in header]
    if names[:1] != [TIME]:
        raise DataError(
            place,
            tr("the first column is {names!r}, a Pinch log begins with {time!r}", names="".join(names[:1]), time=TIME),
            1,
        )
    if len(names) < 2:
        raise DataError(place, tr("it has a time column and nothing else"), 1)
    for name in names[1:]:
        if not is_channel_name(name):
            raise DataError(place, tr("{name!r} is not a channel name such as cpu.power", name=name), 1)
        if names.count(name) > 1:
            raise DataError(place, tr("the channel {name} stands there twice", name=name), 1)
    return names[1:]


def _numbers(row: list[str], width: int, place: str, line: int) -> list[float]:
    if len(row) != width:
        raise DataError(place, tr("the row has {row} cells, the header {width}", row=len(row), width=width), line)
    try:
        numbers = [float(cell) if cell.strip() else math.nan for cell in row]
    except ValueError:
        wrong = next(cell for cell in row if cell.strip() and not _is_number(cell))
        raise DataError(place, tr("{wrong!r} is not a number", wrong=wrong), line) from None
    if not math.isfinite(numbers[0]):
        raise DataError(place, tr("the row has no time"), line)
    if any(math.isinf(x) for x in numbers):
        raise DataError(place, tr("a value is infinite"), line)
    return numbers


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True


def check_time(t: FloatArray, place: str) -> None:
    """Times must go forward.

    Raises
    ------
    DataError : they do not; the sentence names the line of a table with a header.
    """
    backward = np.flatnonzero(np.diff(t) <= 0)
    if len(backward):
        i = int(backward[0])
        how = tr("stands still") if t[i + 1] == t[i] else tr("goes back")
        raise DataError(
            place, tr("time {how}, from {before:g} s to {after:g} s", how=how, before=t[i], after=t[i + 1]), i + 3
        )
