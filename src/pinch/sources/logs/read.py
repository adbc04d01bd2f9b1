"""From a file in anybody's dialect to a run log: all that can be known is found, the rest is asked."""

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.bench.files import open_plain
from pinch.core.channels import is_channel_name
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.printing import plain
from pinch.core.progress import Progress, part_of, tell, unheard
from pinch.core.runlog import FloatArray, RunLog, Series, reach_s
from pinch.language import tr
from pinch.sources.logs import mapping as maps
from pinch.sources.logs import times
from pinch.sources.logs.core_summaries import with_summaries
from pinch.sources.logs.decode import HEAD, Text, read_text_of
from pinch.sources.logs.dialect import HEADER_WITHIN, LOOK_AT, Dialect, find_dialect
from pinch.sources.logs.log_words import FRAME_FLAGS, frame_flags, not_understood
from pinch.sources.logs.mapping import ColumnMapping, ColumnUse, ShownColumn
from pinch.sources.logs.memory import recall
from pinch.sources.logs.table import LogTable, numbers_of, read_table
from pinch.sources.logs.units import split_unit
from pinch.sources.parquet_log import is_parquet, read_parquet_log
from pinch.sources.runlog_csv import TIME, read_run_log

if TYPE_CHECKING:
    import pandas as pd

RESTART_GAP_S = 10.0
"""A logger that began anew without telling the time of day: its hole is of unknown length, this stands for it."""
MEDIAN_OF = 20_000
ROWS_TO = 0.8
"""Share of the work when the rows are read."""
COARSEST_STAMP_S = 1.0
"""Stamps that many rows share are those of a clock that shows too little up to here; else the rows are something
other than moments."""
AGREE_S, AGREE_SHARE = 2.0, 0.01
OUTLINE, HEAD_ROWS, WIDEST = 60, 8, 400
"""Of a table that is shown: values of a column that are drawn, rows below the header, and signs of a line."""


class LogColumn(Struct, frozen=True):
    """A column as it stands in a file: what it shows, and a few of its values in their order (NaN for none) to draw."""

    name: str
    shown: ShownColumn
    outline: FloatArray


class ReadLog(Struct, frozen=True):
    """A log that was read: its channels, how its columns were understood, when its first row was (also as the time of
    day in s), what stood around its rows, what must be asked, and what was noticed; of its table the columns as they
    stand there, and the first lines."""

    log: RunLog
    mapping: ColumnMapping
    fingerprint: str
    started: datetime | None = None
    notes: tuple[str, ...] = ()
    questions: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    day_s: float | None = None
    columns: tuple[LogColumn, ...] = ()
    head: tuple[str, ...] = ()
    header_line: int = 0


def read_log_file(path: Path, mapping: ColumnMapping | None = None, progress: Progress = unheard) -> ReadLog:
    """Read a log: Pinch's own form exactly as it was written, any other by `read_any_log`, as `mapping` says, else as
    it was answered for its header before, else as it is guessed.

    Raises
    ------
    CancelledError, DataError : as those of `read_any_log`.
    """
    if is_parquet(path) or (mapping is None and _is_own(path)):
        log = read_parquet_log(path) if is_parquet(path) else read_run_log(path)
        uses = tuple(ColumnUse(column=name, channel=name) for name in log.series)
        return ReadLog(log, ColumnMapping(columns=uses), "")
    found = read_any_log(path, mapping, progress)
    answered = recall(found.fingerprint, ColumnMapping) if mapping is None and found.questions else None
    return found if answered is None else read_any_log(path, answered, progress)


def _is_own(path: Path) -> bool:
    """Whether a file begins as Pinch's own do: all names of its header are those of channels."""
    try:
        with open_plain(path) as file:
            names = file.readline(HEAD).decode("utf-8-sig", "replace").strip().split(",")
    except DataError:
        return False
    return names[0] == TIME and len(names) > 1 and all(is_channel_name(name) for name in names[1:])


def read_any_log(path: Path, mapping: ColumnMapping | None = None, progress: Progress = unheard) -> ReadLog:
    """Read a log; `mapping` says how, else it is guessed.

    Raises
    ------
    CancelledError : `progress` answered False.
    DataError : it is no log, or broken; one sentence with the line and the reason.
    """
    return read_text_of(path, lambda text: _read_text(text, mapping, progress))


def _read_text(text: Text, mapping: ColumnMapping | None, progress: Progress) -> ReadLog:
    place = str(text.path)
    dialect = find_dialect(text.head(HEADER_WITHIN + LOOK_AT), place)
    table = read_table(text, dialect, place, part_of(progress, 0.0, ROWS_TO))
    columns = {}
    for i in range(len(dialect.names)):
        tell(progress, ROWS_TO + (1.0 - ROWS_TO) * i / len(dialect.names))
        columns[i] = numbers_of(table.columns[i], dialect)
    shown = [_shown(columns[i][0]) for i in range(len(dialect.names))]
    uses, warnings = _uses(dialect, columns, shown, table, mapping, place), list[str]()
    uses, further = _with_words(uses, columns, table, mapping, warnings)
    axis = _time_axis(dialect, table, columns, uses, mapping, place)
    t = _through_restarts(axis.t if axis.gone else axis.t - axis.t[0], table, place, warnings)
    log, summed = with_summaries(_log_of(columns, (*uses, *further), t, warnings, place))
    warnings += summed
    if table.cut:
        warnings.append(tr("The last row was cut in the middle and is left out."))
    found = ColumnMapping(columns=uses, day_first=mapping.day_first if mapping else None)
    asked = [
        tr("{column}: is it {channel}? ({why})", column=u.column, channel=u.channel, why=u.why) for u in found.doubtful
    ]
    asked += [axis.question] if axis.question else []
    key = maps.fingerprint(dialect.names, dialect.units)
    return ReadLog(
        log,
        found,
        key,
        axis.started,
        table.notes,
        tuple(asked),
        tuple(warnings),
        axis.day_s,
        tuple(LogColumn(name, shown[i], _outline(columns[i][0])) for i, name in enumerate(dialect.names)),
        tuple(line[:WIDEST] for line in text.head(dialect.first + HEAD_ROWS)),
        dialect.header,
    )


def _uses(
    dialect: Dialect,
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    shown: list[ShownColumn],
    table: LogTable,
    mapping: ColumnMapping | None,
    place: str,
) -> tuple[ColumnUse, ...]:
    if mapping is not None:
        return _mapped_uses(dialect, mapping, place)
    uses = list(maps.guess(dialect.names, dialect.units, shown))
    for i, name in enumerate(dialect.names):
        plain, _ = split_unit(name)
        head = _first_text(table.columns[i])
        if times.is_date_name(plain) and head and times.is_date(head) and ":" not in head:
            uses[i] = ColumnUse(column=name, channel=maps.DATE, why=tr("its name and its dates"))
        elif times.is_time_name(plain) or (head and (times.is_clock(head) or times.is_date(head))):
            uses[i] = ColumnUse(column=name, channel=maps.TIME, why=tr("its name") if not head else tr("its times"))
    untold = not any(u.channel == maps.TIME for u in uses) and len(dialect.names) > 1
    if untold and uses[0].channel.startswith("extra.") and _goes_up(columns[0][0]):
        uses[0] = ColumnUse(column=dialect.names[0], channel=maps.TIME, score=0.6, why=tr("it goes up all the time"))
    return tuple(uses)


def _with_words(
    uses: tuple[ColumnUse, ...],
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    table: LogTable,
    mapping: ColumnMapping | None,
    warnings: list[str],
) -> tuple[tuple[ColumnUse, ...], list[ColumnUse]]:
    """The uses with those of columns of words, whose flags become their values, and the second uses of such columns,
    whose values come after all others; words that nothing understands are named."""
    made, further = list(uses), list[ColumnUse]()
    has_frames = any(use.channel == FRAME_TIME for use in uses)
    for i, use in enumerate(uses):
        if use.channel not in ("", *FRAME_FLAGS) or np.isfinite(columns[i][0]).any():
            continue
        flags = frame_flags(table.columns[i]) if has_frames and (use.channel or mapping is None) else {}
        if not flags:
            unused = not_understood(use.column, table.columns[i]) if mapping is None else ""
            warnings += [unused] if unused else []
            continue
        for channel, values in flags.items():
            told = ColumnUse(column=use.column, channel=channel, score=0.8, why=tr("its words tell frames apart"))
            if channel == next(iter(flags)):
                made[i], columns[i] = told, (values, np.zeros(len(values), bool))
            else:
                columns[len(uses) + len(further)] = values, np.zeros(len(values), bool)
                further.append(told)
    return tuple(made), further


def _mapped_uses(dialect: Dialect, mapping: ColumnMapping, place: str) -> tuple[ColumnUse, ...]:
    """The uses that somebody said; columns that are not spoken of are nothing.

    Raises
    ------
    DataError : it speaks of a column that is not there.
    """
    named = {u.column: u for u in mapping.columns}
    missing = [n for n in named if n not in dialect.names]
    if missing:
        raise DataError(place, tr("the mapping speaks of a column {missing!r} that is not there", missing=missing[0]))
    return tuple(named.get(n, ColumnUse(column=n)) for n in dialect.names)


def _goes_up(values: FloatArray) -> bool:
    """Whether numbers rise all the time, as a time does."""
    return len(values) > 1 and bool(np.isfinite(values).all() and (np.diff(values) > 0).all())


def _outline(values: FloatArray) -> FloatArray:
    """The highest values of even stretches, so that no short peak is lost."""
    step = max(1, -(-len(values) // OUTLINE))
    return np.asarray(np.fmax.reduceat(values, np.arange(0, len(values), step)))


def _shown(values: FloatArray) -> ShownColumn:
    """The extremes of all values, and the median of a share of them, which is as good for knowing what they are."""
    some = values[:: max(1, len(values) // MEDIAN_OF)]
    known = some[np.isfinite(some)]
    if not len(known):
        known = values[np.isfinite(values)]
    if not len(known):
        return ShownColumn(np.nan, np.nan, np.nan)
    low, middle, high = np.fmin.reduce(values), np.median(known), np.fmax.reduce(values)
    return ShownColumn(float(low), float(middle), float(high), float(known[-1] - known[0]))


def _first_text(column: "pd.Series") -> str:
    if column.dtype.kind in "fiub":
        return ""
    filled = column.dropna()
    return str(filled.iloc[0]) if len(filled) else ""


def _time_axis(
    dialect: Dialect,
    table: LogTable,
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    uses: tuple[ColumnUse, ...],
    mapping: ColumnMapping | None,
    place: str,
) -> times.TimeAxis:
    """The time of each row, from the best of the columns that tell it; the others must agree."""
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
    head = _first_text(column)
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


def _through_restarts(t: FloatArray, table: LogTable, place: str, warnings: list[str]) -> FloatArray:
    """Time going on through restarts of the logger; where it goes back without one, it is wrong."""
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


def _spread(t: FloatArray, channels: Sequence[FloatArray], warnings: list[str]) -> FloatArray:
    """Times of rows that came faster than their stamps change, evenly between the stamps. The first stamp may have been
    come into in its middle, so its rows stand before the next one."""
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


def _log_of(
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    uses: tuple[ColumnUse, ...],
    t: FloatArray,
    warnings: list[str],
    place: str,
) -> RunLog:
    """The channels on the time of the rows; of values of a channel with the same time the last one stands."""
    told = [columns[i][0] for i, use in enumerate(uses) if use.channel not in ("", maps.TIME, maps.DATE)]
    t = _spread(t, told, warnings)
    repeated, rising = np.zeros(len(t), bool), bool((np.diff(t) > 0).all())
    series: dict[str, Series] = {}
    for i, use in enumerate(uses):
        if use.channel in ("", maps.TIME, maps.DATE):
            continue
        values, wrong = columns[i]
        if wrong.any():
            warnings.append(
                tr("{column}: {cells} cells are no numbers and stay empty.", column=use.column, cells=int(wrong.sum()))
            )
        if use.factor != 1.0 or use.offset:
            values = values * use.factor + use.offset
        values = _power_of(values, t) if use.counts else values
        have = np.isfinite(values)
        if not rising:
            at = np.flatnonzero(have)
            again = at[:-1][np.diff(t[at]) <= 0]
            have[again], repeated[again] = False, True
        if have.all():
            series[use.channel] = Series(use.channel, t, values)
        elif have.any():
            series[use.channel] = Series(use.channel, t[have], values[have])
    if not series:
        raise DataError(place, tr("it has rows but not one sample"))
    if repeated.any():
        warnings.append(
            tr("{rows} rows repeat a time; of such values of a channel the last one is kept.", rows=int(repeated.sum()))
        )
    if FRAME_RATE in series and FRAME_TIME not in series:
        warnings.append(tr("Frames are told as rates: single long frames cannot be seen in them."))
    return RunLog(series)


def _power_of(joules: FloatArray, t: FloatArray) -> FloatArray:
    """Mean power since the row before, from energy that adds up; a counter that goes back, or a hole, tells nothing."""
    power = np.full(len(t), np.nan)
    have = np.flatnonzero(np.isfinite(joules))
    if len(have) < 2:
        return power
    dt, step = np.diff(t[have]), np.diff(joules[have])
    good = (step >= 0) & (dt > 0) & (dt <= reach_s(t[have]))
    power[have[1:][good]] = step[good] / dt[good]
    return power
