"""From a file in anybody's dialect to a run log: all that can be known is found, the rest is asked."""

from datetime import datetime
from pathlib import Path

import numpy as np
from msgspec import Struct

from pinch.bench.files import open_plain
from pinch.core.channels import is_channel_name
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE, FRAME_TIME
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
from pinch.sources.logs.table import LogTable, first_text, numbers_of, read_table
from pinch.sources.logs.time_axis import find_time_axis, spread_evenly, through_restarts
from pinch.sources.logs.units import split_unit
from pinch.sources.parquet_log import is_parquet, read_parquet_log
from pinch.sources.runlog_csv import TIME, read_run_log

MEDIAN_OF = 20_000
ROWS_TO = 0.8
"""Share of the work when the rows are read."""
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
    axis = find_time_axis(dialect, table, columns, uses, mapping, place)
    t = through_restarts(axis.t if axis.gone else axis.t - axis.t[0], table, place, warnings)
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
        head = first_text(table.columns[i])
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


def _log_of(
    columns: dict[int, tuple[FloatArray, "np.ndarray"]],
    uses: tuple[ColumnUse, ...],
    t: FloatArray,
    warnings: list[str],
    place: str,
) -> RunLog:
    """The channels on the time of the rows; of values of a channel with the same time the last one stands."""
    told = [columns[i][0] for i, use in enumerate(uses) if use.channel not in ("", maps.TIME, maps.DATE)]
    t = spread_evenly(t, told, warnings)
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
