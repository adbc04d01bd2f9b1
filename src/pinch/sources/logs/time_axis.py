"""The time of each row of a table: from the columns that tell it, through restarts, and between stamps that many rows
share."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from pinch.core.errors import DataError
from pinch.core.frames import FRAME_TIME
from pinch.core.printing import plain
from pinch.core.runlog import FloatArray
from pinch.language import tr
from pinch.sources.logs import mapping as maps
from pinch.sources.logs import times
from pinch.sources.logs.dialect import Dialect
from pinch.sources.logs.mapping import ColumnMapping, ColumnUse
from pinch.sources.logs.table import LogTable, first_text
from pinch.sources.logs.units import split_unit

if TYPE_CHECKING:
    import pandas as pd

RESTART_GAP_S = 10.0
"""A logger that began anew without telling the time of day: its hole is of unknown length, this stands for it."""
COARSEST_STAMP_S = 1.0
"""Stamps that many rows share are those of a clock that shows too little up to here; else the rows are something
other than moments."""
AGREE_S, AGREE_SHARE = 2.0, 0.01


def find_time_axis(
    dialect: Dialect,
    table: LogTable,
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    uses: tuple[ColumnUse, ...],
    mapping: ColumnMapping | None,
    place: str,
) -> times.TimeAxis:
    """The time of each row, from the best of the columns that tell it; the others must agree.

    Raises
    ------
    DataError : no column tells it, a row has none, or columns disagree.
    """
    day_first = mapping.day_first if mapping else None
    date = next((i for i, u in enumerate(uses) if u.channel == maps.DATE), None)
    found: list[tuple[str, times.TimeAxis]] = []

    def line_of(row: int) -> int:
        return int(table.lines[row])

    for i, use in enumerate(uses):
        if use.channel != maps.TIME:
            continue
        plain, unit = split_unit(dialect.names[i])
        values, wrong = columns[i]
        if np.isfinite(values).all():
            found.append((use.column, times.from_numbers(values, unit or dialect.units[i], plain)))
            continue
        days = None if date is None else table.columns[date]
        axis = _written_times(table.columns[i], days, values, wrong, line_of, place, day_first)
        if axis is not None:
            found.append((use.column, axis))
    if not found:
        return _without_time(columns, uses, place)
    if not table.restarts:
        _must_agree(found, place)
    best = max(found, key=lambda f: (len(np.unique(f[1].t)), f[1].started is not None))[1]
    started = next((axis.started for _, axis in found if axis.started is not None), None)
    day_s = next((axis.day_s for _, axis in found if axis.day_s is not None), None)
    question = next((axis.question for _, axis in found if axis.question), "")
    return replace(best, started=started, day_s=day_s, question=question)


def _written_times(
    column: "pd.Series",
    days: "pd.Series | None",
    values: FloatArray,
    wrong: "np.ndarray",
    line_of: Callable[[int], int],
    place: str,
    day_first: bool | None,
) -> times.TimeAxis | None:
    """The axis of a column of times that are no plain numbers, with the `days` of another column where one has them;
    None where it holds something else.

    Raises
    ------
    DataError : a row has no time, or something that is none.
    """
    head = first_text(column)
    if not head or column.isna().any():
        row = int(np.flatnonzero(column.isna().to_numpy() | ~np.isfinite(values))[0])
        raise DataError(place, tr("the row has no time"), line_of(row))
    if times.is_date(head):
        return times.from_dates(column, place, line_of, day_first)
    if days is not None:
        joined = days.astype(str).str.strip() + " " + column.astype(str).str.strip()
        return times.from_dates(joined, place, line_of, day_first)
    if times.is_clock(head):
        return times.from_clock(column, place, line_of)
    if wrong.any():
        row = int(np.flatnonzero(wrong)[0])
        raise DataError(place, tr("{text!r} is not a time", text=column.iloc[row]), line_of(row))
    return None


def _must_agree(found: Sequence[tuple[str, times.TimeAxis]], place: str) -> None:
    """Columns that tell the time must tell the same length.

    Raises
    ------
    DataError : they do not.
    """
    (first, whole), *others = [(name, float(axis.t[-1] - axis.t[0])) for name, axis in found]
    for name, span in others:
        if abs(span - whole) > max(AGREE_S, AGREE_SHARE * whole):
            raise DataError(
                place,
                tr(
                    "{first} and {name} disagree: {whole} s and {span} s in all",
                    first=first,
                    name=name,
                    whole=plain(whole, 5),
                    span=plain(span, 5),
                ),
            )


def _without_time(
    columns: dict[int, tuple[FloatArray, "np.ndarray"]], uses: tuple[ColumnUse, ...], place: str
) -> times.TimeAxis:
    """Single frames add up to their own time; nothing else does without a column of times."""
    frames = next((i for i, u in enumerate(uses) if u.channel == FRAME_TIME), None)
    if frames is None:
        raise DataError(place, tr("no column tells the time"))
    ms = columns[frames][0] * uses[frames].factor
    return times.TimeAxis(np.cumsum(np.where(np.isfinite(ms), ms, 0.0)) / 1000.0, gone=True)


def through_restarts(t: FloatArray, table: LogTable, place: str, warnings: list[str]) -> FloatArray:
    """Times (n,) in s that go on through restarts of the logger, which are told in `warnings`.

    Raises
    ------
    DataError : time goes back without a restart.
    """
    for row in table.restarts:
        if t[row] <= t[row - 1]:
            t = t.copy()
            t[row:] += t[row - 1] + RESTART_GAP_S - t[row]
            line = int(table.lines[row])
            pause = tr("how long it paused is not known, {restart_gap_s:g} s are assumed", restart_gap_s=RESTART_GAP_S)
            warnings.append(tr("The logger began anew at line {line}; {pause}.", line=line, pause=pause))
        else:
            warnings.append(tr("The logger began anew at line {lines}.", lines=int(table.lines[row])))
    backward = np.flatnonzero(np.diff(t) < 0)
    if len(backward):
        row = int(backward[0]) + 1
        words = tr("time goes back, from {before} s to {after} s", before=plain(t[row - 1], 6), after=plain(t[row], 6))
        raise DataError(place, words, int(table.lines[row]))
    return t


def spread_evenly(t: FloatArray, channels: Sequence[FloatArray], warnings: list[str]) -> FloatArray:
    """Times (n,) in s of rows that came faster than their stamps change, evenly between the stamps, which is told in
    `warnings`; `channels` hold the values of the rows, of which the fullest counts. The first stamp may have been come
    into in its middle, so its rows stand before the next one."""
    if bool((np.diff(t) > 0).all()):
        return t
    fullest = max(channels, key=lambda values: int(np.isfinite(values).sum()), default=t)
    _, counts = np.unique(t[np.isfinite(fullest)], return_counts=True)
    usual = float(np.median(counts)) if len(counts) else 1.0
    stamps, place, rows = np.unique(t, return_inverse=True, return_counts=True)
    if usual < 2.0 or len(stamps) < 3 or np.median(np.diff(stamps)) > COARSEST_STAMP_S:
        return t
    step = float(np.median(np.diff(stamps)))
    until_next = np.append(np.minimum(np.diff(stamps), step), step)
    rank = np.arange(len(t)) - np.searchsorted(t, stamps)[place]
    late = np.where(place == 0, np.maximum(0.0, usual - rows[0]), 0.0)
    warnings.append(
        tr(
            "{usual} rows share a stamp of {step} s; they are spread evenly over it.",
            usual=plain(usual, 3),
            step=plain(step, 3),
        )
    )
    share = (rank + late) / np.maximum(rows[place] + late, usual)
    return np.asarray(stamps[place] + until_next[place] * share)
