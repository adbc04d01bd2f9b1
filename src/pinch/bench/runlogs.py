"""Logs in the book: appended chunk by chunk while a run grows, read back as a `RunLog`."""

import json
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from pinch.bench import chunks
from pinch.bench.book import Book, BookError
from pinch.bench.records import ExitStatus, Pass, Run
from pinch.core.channels import is_channel_name
from pinch.core.runlog import FloatArray, Mark, RunLog, Series
from pinch.language import tr

MOST_CHANNELS = 2000
WHOLE_CHUNK = 3600
"""Most samples of a chunk, and how many it holds once the run has stopped."""


def add_stream(book: Book, run_id: int, channels: Sequence[str]) -> int:
    """Begin a stream of channels that share one time axis; returns its id."""
    with book.change() as connection:
        cursor = connection.execute(
            "INSERT INTO stream (run_id, channels) VALUES (?, ?)", (run_id, json.dumps(list(channels)))
        )
    return int(cursor.lastrowid or 0)


def append(book: Book, stream_id: int, t: FloatArray, columns: list[FloatArray]) -> None:
    """Append samples: (n,) times in s after all earlier ones, columns of (n,) values, NaN for none."""
    with book.change() as connection:
        for i in range(0, len(t), WHOLE_CHUNK):
            part = slice(i, i + WHOLE_CHUNK)
            packed = chunks.pack(t[part], [c[part] for c in columns])
            connection.execute(
                "INSERT INTO chunk (stream_id, samples, data) VALUES (?, ?, ?)", (stream_id, len(t[part]), packed)
            )


def add_mark(book: Book, run_id: int, mark: Mark) -> None:
    """Keep a moment the operator marked."""
    with book.change() as connection:
        connection.execute("INSERT INTO mark (run_id, t_s, text) VALUES (?, ?, ?)", (run_id, mark.t_s, mark.text))


def marks_of(book: Book, run_id: int) -> tuple[Mark, ...]:
    """The marks of a run, in order of time."""
    rows = book.query("SELECT t_s, text FROM mark WHERE run_id = ? ORDER BY t_s", run_id)
    return tuple(Mark(float(str(t_s)), str(text)) for t_s, text in rows)


def channels_of(book: Book, run_id: int) -> list[str]:
    """The channels that a run has."""
    return list(dict.fromkeys(name for _, channels in _streams(book, run_id) for name in channels))


def stop_run(book: Book, run: Run, status: ExitStatus, reason: str = "", passes: tuple[Pass, ...] = ()) -> Run:
    """Write the stop of a run: its small chunks become large ones, counts, passes and status are kept."""
    samples = 0
    with book.change() as connection:
        for stream_id, channels in _streams(book, run.id):
            old = book.query("SELECT id FROM chunk WHERE stream_id = ? ORDER BY id", stream_id)
            samples += _pack_anew(book, run.id, stream_id, len(channels))
            connection.executemany("DELETE FROM chunk WHERE id = ?", old)
        fields = {"status": status, "reason": reason, "samples": samples, "passes": passes}
        return book.save(run.model_copy(update=fields))


def _pack_anew(book: Book, run_id: int, stream_id: int, count: int) -> int:
    """Append all samples of a stream once more in large chunks, of which one at a time is in memory; returns how many
    values there are."""
    samples = filled = 0
    table = np.empty((count + 1, WHOLE_CHUNK))
    for t, columns in _chunks_of(book, run_id, stream_id, count):
        samples += int(sum(np.isfinite(c).sum() for c in columns))
        done = 0
        while done < len(t):
            taken = min(len(t) - done, WHOLE_CHUNK - filled)
            for row, values in zip(table, (t, *columns), strict=True):
                row[filled : filled + taken] = values[done : done + taken]
            done, filled = done + taken, filled + taken
            if filled == WHOLE_CHUNK:
                append(book, stream_id, table[0], list(table[1:]))
                filled = 0
    append(book, stream_id, table[0, :filled], list(table[1:, :filled]))
    return samples


def streams_of(book: Book, run_id: int) -> dict[int, list[str]]:
    """The channels of each stream of a run, in the order they were begun."""
    return dict(_streams(book, run_id))


def end_of_stream(book: Book, run_id: int, stream_id: int) -> float:
    """The time of the last sample of a stream, s; endlessly long ago where there is none."""
    rows = book.query("SELECT data FROM chunk WHERE stream_id = ? AND samples ORDER BY id DESC LIMIT 1", stream_id)
    for (data,) in rows:
        return float(_unpacked(book, run_id, data)[0][-1])
    return -np.inf


def append_log(book: Book, run_id: int, log: RunLog) -> None:
    """Keep the samples of a log under a run, one stream for each time axis; channels are those it does not have yet."""
    for t, columns in _by_time_axis(log):
        append(book, add_stream(book, run_id, list(columns)), t, list(columns.values()))


def add_log(book: Book, run: Run, log: RunLog) -> Run:
    """Keep a whole log under a run that has none yet; returns the stopped run."""
    with book.change():
        append_log(book, run.id, log)
        for mark in log.marks:
            add_mark(book, run.id, mark)
        samples = int(sum(np.isfinite(series.values).sum() for series in log.series.values()))
        return book.save(run.model_copy(update={"status": run.status or ExitStatus.COMPLETE, "samples": samples}))


def replace_log(book: Book, run: Run, log: RunLog) -> Run:
    """Another log in place of that of a run, as one change."""
    with book.change() as connection:
        connection.execute("DELETE FROM chunk WHERE stream_id IN (SELECT id FROM stream WHERE run_id = ?)", (run.id,))
        connection.execute("DELETE FROM stream WHERE run_id = ?", (run.id,))
        append_log(book, run.id, log)
        return book.save(run.model_copy(update={"samples": log.samples}))


def read_log(book: Book, run_id: int) -> RunLog:
    """The log of a run as far as it has grown.

    Raises
    ------
    BookError, DataError : the log is damaged.
    """
    series: dict[str, Series] = {}
    for stream_id, channels in _streams(book, run_id):
        t, columns = _read_stream(book, run_id, stream_id, len(channels))
        for channel, values in zip(channels, columns, strict=True):
            have = np.isfinite(values)
            own = (t, values) if have.all() else (t[have], values[have])  # channels share their times where they can
            before = series.get(channel)  # a run that was continued has another stream of the same channels
            if before is not None:
                own = np.append(before.t, own[0]), np.append(before.values, own[1])
            series[channel] = Series(channel, *own)
    return RunLog(series, marks_of(book, run_id))


def log_size(book: Book, run_id: int) -> tuple[int, int]:
    """Chunks and rows of a run's log: changes whenever the log does, and is cheap to ask."""
    rows = book.query(
        "SELECT COUNT(*), COALESCE(SUM(samples), 0) FROM chunk WHERE stream_id IN "
        "(SELECT id FROM stream WHERE run_id = ?)",
        run_id,
    )
    return int(str(rows[0][0])), int(str(rows[0][1]))


def _streams(book: Book, run_id: int) -> list[tuple[int, list[str]]]:
    rows = book.query("SELECT id, channels FROM stream WHERE run_id = ? ORDER BY id", run_id)
    result = []
    for stream_id, text in rows:
        try:
            channels = json.loads(str(text))
        except (ValueError, RecursionError):
            channels = None
        proper = isinstance(channels, list) and len(channels) <= MOST_CHANNELS
        if not proper or not all(isinstance(name, str) and is_channel_name(name) for name in channels):
            raise BookError(
                book.path, tr("is damaged: run {run_id} has a channel without a proper name", run_id=run_id)
            )
        result.append((int(str(stream_id)), channels))
    return result


def _read_stream(book: Book, run_id: int, stream_id: int, count: int) -> tuple[FloatArray, list[FloatArray]]:
    table, filled = np.empty((count + 1, WHOLE_CHUNK)), 0
    for t, columns in _chunks_of(book, run_id, stream_id, count):
        upto = filled + len(t)
        if upto > table.shape[1]:  # a new table, so that no second copy of all chunks is held
            grown = np.empty((count + 1, max(upto, 2 * table.shape[1])))
            grown[:, :filled] = table[:, :filled]
            table = grown
        for row, values in zip(table, (t, *columns), strict=True):
            row[filled:upto] = values
        filled = upto
    return table[0, :filled], list(table[1:, :filled])


def _chunks_of(book: Book, run_id: int, stream_id: int, count: int) -> Iterator[tuple[FloatArray, list[FloatArray]]]:
    """The chunks that a stream has now, one after the other, each with a column for each of its channels."""
    there_now = "stream_id = ? AND id <= (SELECT MAX(id) FROM chunk)"  # what is added meanwhile is not of it
    for (data,) in book.each(f"SELECT data FROM chunk WHERE {there_now} ORDER BY id", stream_id):
        t, columns = _unpacked(book, run_id, data)
        if len(columns) != count:
            raise BookError(book.path, tr("is damaged: run {run_id} has samples without a channel", run_id=run_id))
        yield t, columns


def _unpacked(book: Book, run_id: int, data: object) -> tuple[FloatArray, list[FloatArray]]:
    return chunks.unpack(data if isinstance(data, bytes) else b"", f"{book.path}, run {run_id}")


def _by_time_axis(log: RunLog) -> list[tuple[FloatArray, Mapping[str, FloatArray]]]:
    """Channels grouped by time axis; one that only misses samples of another shares its axis."""
    groups: list[tuple[FloatArray, dict[str, FloatArray]]] = []
    for series in sorted(log.series.values(), key=lambda s: -len(s.t)):
        for t, columns in groups:
            at = np.searchsorted(t, series.t)
            if np.array_equal(t[np.minimum(at, len(t) - 1)], series.t):
                column = np.full(len(t), np.nan)
                column[at] = series.values
                columns[series.channel] = column
                break
        else:
            groups.append((series.t, {series.channel: series.values}))
    return list(groups)
