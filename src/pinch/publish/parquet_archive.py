"""An archive that outgrows one book: many books as one data set of Parquet files in three tables, parted by device and
year, which other programs read as it is (docs/formats.md). Adding a book again writes only what has changed of it."""

import hashlib
import re
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from msgspec import Struct
from pydantic import Field

from pinch.analysis.cell_conditions import date_of
from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.results import BookResult, results_of
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.digests import seen_of_runs
from pinch.bench.fields import Part
from pinch.bench.files import not_written, read_model, replace_file
from pinch.bench.records import Device, Setting, Workload
from pinch.bench.staging import staged
from pinch.bench.summaries import Origin
from pinch.core.causes import Cause
from pinch.core.errors import DataError
from pinch.core.method import METHOD
from pinch.core.printing import plain_letters
from pinch.core.progress import Progress, tell, unheard
from pinch.language import tr

if TYPE_CHECKING:
    import pyarrow as pa

INDEX, VERSION, MOST_BYTES = "archive.json", 1, 1_000_000
STATE = b"pinch:state"
"""Under this name a file says what it was made of."""
NO_YEAR = 0
TEXT, NUMBER, WHOLE, FLAG, MOMENT, DAY = "string", "double", "int64", "bool", "timestamp", "date"
_WHICH = dict.fromkeys(("run_key", "book", "device_name", "setting", "workload", "variant"), TEXT)
COLUMNS: Mapping[str, Mapping[str, str]] = {
    "runs": {
        **_WHICH,
        "run": WHOLE,
        "repeat": WHOLE,
        "started": MOMENT,
        "status": TEXT,
        "void": FLAG,
        "origin": TEXT,
        **dict.fromkeys(("mains", "less_is_better"), FLAG),
        **dict.fromkeys(("room_c", "claimed_w", "claimed_burst_w"), NUMBER),
        "state": TEXT,
        "held_by": TEXT,
        "score_unit": TEXT,
        "rate_of": TEXT,
        "method": WHOLE,
        **dict.fromkeys(("power_w", "clock_mhz", "temp_c", "rate", "burst_w", "hold", "headroom_k"), NUMBER),
        **dict.fromkeys(("wall_w", "battery_w", "noise_db", "heat_share", "r_th"), NUMBER),
    },
    "results": {
        **_WHICH,
        **dict.fromkeys(("metric", "unit", "better"), TEXT),
        **dict.fromkeys(("value", "low", "high", "spread"), NUMBER),
        **dict.fromkeys(("n", "units"), WHOLE),
        "origin": TEXT,
        "told_by": TEXT,
        "day": DAY,
        "room_c": NUMBER,
        "counts": FLAG,
    },
    "samples": {"run_key": TEXT, "t_s": NUMBER, "channel": TEXT, "value": NUMBER},
}
"""The tables with their columns and types, besides `device` and `year`, which the folders are named by."""


class ArchiveIndex(Part):
    """What an archive says of itself: its version, its tables with their columns, and the file of each of its books."""

    format: Literal["pinch-archive"] = "pinch-archive"
    version: int = VERSION
    tables: dict[str, dict[str, str]] = Field(
        default_factory=lambda: {name: dict(told) for name, told in COLUMNS.items()}
    )
    books: dict[str, str] = Field(default_factory=dict)


class Archived(Struct, frozen=True):
    """What adding a book came to: files that were written, that were as they should be, and that were taken away."""

    book: str
    written: int
    unchanged: int
    removed: int

    @property
    def words(self) -> str:
        """One sentence."""
        return tr(
            "{book}: {written} files written, {unchanged} as they were, {removed} taken away.",
            book=self.book,
            written=self.written,
            unchanged=self.unchanged,
            removed=self.removed,
        )


class _Year(Struct, frozen=True):
    """The runs and results of a device in a year."""

    device: str
    year: int
    points: Sequence[RunPoint]
    results: Sequence[BookResult]


def add_to_archive(
    book: Book, points: BookPoints, folder: Path, name: str = "", progress: Progress = unheard
) -> Archived:
    """Write a book into an archive, which is made where there is none; `name` tells it from other books there.

    Raises
    ------
    PinchError : the folder holds something else or an archive that this Pinch does not know, another book has the name,
        or it cannot be written.
    CancelledError : `progress` answered False; what was written is whole.
    """
    name = _plain(name or book.path.stem)
    books, own = books_of_archive(folder), str(book.path.resolve())
    if books.setdefault(name, own) != own:
        words = tr("it has another book called {name}, {path}; give this one another name", name=name, path=books[name])
        raise DataError(str(folder), words)
    try:
        found = _write_years(book, points, folder, name, progress)
        replace_file(folder / INDEX, (ArchiveIndex(books=books).model_dump_json(indent=1) + "\n").encode())
    except OSError as error:
        raise not_written(error, folder) from None
    return found


def books_of_archive(folder: Path) -> dict[str, str]:
    """The books of an archive with their files; none where there is no archive yet.

    Raises
    ------
    DataError : the folder holds something else, or an archive of another version.
    """
    index = folder / INDEX
    if not index.exists():
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            raise DataError(str(folder), tr("it is no archive of Pinch; choose an empty folder"))
        return {}
    told = read_model(index, ArchiveIndex, MOST_BYTES)
    if told.version != VERSION:
        words = tr(
            "it is an archive of version {made}, this Pinch knows {known}; make a new one",
            made=told.version,
            known=VERSION,
        )
        raise DataError(str(index), words)
    return told.books


def is_archive(folder: Path) -> bool:
    """Whether a folder holds an archive."""
    return (folder / INDEX).is_file()


def _write_years(book: Book, points: BookPoints, folder: Path, name: str, progress: Progress) -> Archived:
    seen, wanted, written = seen_of_runs(book, str(METHOD)), set[Path](), 0
    parts = _parts_of(points)
    for number, part in enumerate(parts):
        tell(progress, number / len(parts))
        state = _state_of(part, seen)
        logged = [p for p in part.points if p.run.summary is None]
        there = {"runs": part.points, "results": part.results, "samples": logged}
        for table in (own for own in COLUMNS if there[own]):
            path = folder / table / f"device={part.device}" / f"year={part.year}" / f"{name}.parquet"
            wanted.add(path)
            if _made_of(path) != state:
                path.parent.mkdir(parents=True, exist_ok=True)
                _write(path, table, _groups_of(table, part, book, name), state)
                written += 1
    gone = [path for table in COLUMNS for path in (folder / table).glob(f"*/*/{name}.parquet") if path not in wanted]
    for path in gone:
        path.unlink()
    return Archived(name, written, len(wanted) - written, len(gone))


def _parts_of(points: BookPoints) -> list[_Year]:
    found: dict[tuple[str, int], tuple[list[RunPoint], list[BookResult]]] = {}
    by_run = {p.run.id: p for p in points.points}
    for p in points.points:
        if not p.run.cut_off:
            found.setdefault((_plain(p.device.name), _year_of_run(p)), ([], []))[0].append(p)
    for r in results_of(points):
        of = None if r.run_id is None else by_run.get(r.run_id)
        if of is None or not of.run.cut_off:
            year = _year_of_run(of) if of is not None else _year_of(r.day)
            found.setdefault((_plain(r.device.name), year), ([], []))[1].append(r)
    return [_Year(device, year, *rows) for (device, year), rows in sorted(found.items())]


def _state_of(part: _Year, seen: Mapping[int, str]) -> str:
    """Another wherever a row of the part could be."""
    told = [(p.run.id, seen.get(p.run.id), p.room_c, bool(p.why_not), sorted(p.read.items())) for p in part.points]
    typed = [_result_row(r, None, "") for r in part.results if r.run_id is None]
    return hashlib.blake2b(repr((VERSION, told, typed)).encode(), digest_size=16).hexdigest()


def _made_of(path: Path) -> str:
    """The state that a file was written from; empty where there is none that can be read."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        told = pq.read_schema(path).metadata or {}
    except (OSError, pa.ArrowException):
        return ""
    return bytes(told.get(STATE, b"")).decode("ascii", "replace")


def _write(path: Path, table: str, groups: Iterator["pa.Table"], state: str) -> None:
    """Write a file group after group, so that a year of samples needs no more room than a run."""
    import pyarrow.parquet as pq

    schema = schema_of(table).with_metadata({STATE: state, b"pinch:version": str(VERSION)})
    with staged(path) as part, pq.ParquetWriter(part, schema, compression="zstd") as file:
        for rows in groups:
            file.write_table(rows.cast(schema))


def schema_of(table: str) -> "pa.Schema":
    """The columns of a table with their types in Parquet."""
    import pyarrow as pa

    types = {
        TEXT: pa.string(),
        NUMBER: pa.float64(),
        WHOLE: pa.int64(),
        FLAG: pa.bool_(),
        DAY: pa.date32(),
        MOMENT: pa.timestamp("us", "UTC"),
    }
    fields = [pa.field(name, types[kind]) for name, kind in COLUMNS[table].items()]
    if table == "samples":
        fields[2] = pa.field("channel", pa.dictionary(pa.int32(), pa.string()))
    return pa.schema(fields)


def _groups_of(table: str, part: _Year, book: Book, name: str) -> Iterator["pa.Table"]:
    if table == "runs":
        yield _table_of(table, [_run_row(p, name) for p in part.points])
    elif table == "results":
        by_run = {p.run.id: p for p in part.points}
        yield _table_of(table, [_result_row(r, by_run.get(r.run_id or 0), name) for r in part.results])
    else:
        yield from (_samples(p, book) for p in part.points if p.run.summary is None)


def _table_of(table: str, rows: Sequence[tuple[Any, ...]]) -> "pa.Table":
    import pyarrow as pa

    schema = schema_of(table)
    columns = list(zip(*rows, strict=True)) or [()] * len(schema)
    arrays = [pa.array(values, field.type, from_pandas=True) for values, field in zip(columns, schema, strict=True)]
    return pa.Table.from_arrays(arrays, schema=schema)


def _samples(p: RunPoint, book: Book) -> "pa.Table":
    """A row a sample and channel, in the order of the channels."""
    import numpy as np
    import pyarrow as pa

    series = list(runlogs.read_log(book, p.run.id).series.values())
    counts = [len(s.t) for s in series]
    which = pa.array(np.repeat(np.arange(len(series), dtype=np.int32), counts))
    channel = pa.DictionaryArray.from_arrays(which, pa.array([s.channel for s in series], pa.string()))
    key = pa.array([key_of(p)] * sum(counts), pa.string())
    t = np.concatenate([s.t for s in series]) if series else np.empty(0)
    values = np.concatenate([s.values for s in series]) if series else np.empty(0)
    return pa.Table.from_arrays([key, pa.array(t), channel, pa.array(values)], names=list(COLUMNS["samples"]))


def key_of(p: RunPoint) -> str:
    """The same for the same run, in whichever book it is."""
    told = (p.device.name, p.run.started.astimezone(UTC).isoformat(), p.run.repeat, p.run.samples, p.run.summary)
    return hashlib.blake2b(repr(told).encode(), digest_size=10).hexdigest()


def _named(book: str, device: Device, setting: Setting, workload: Workload) -> tuple[str, ...]:
    root = workload.name.removesuffix(f", {workload.variant}") if workload.variant else workload.name
    return book, device.name, setting.name, root, workload.variant


def _run_row(p: RunPoint, name: str) -> tuple[Any, ...]:
    run, setting, d = p.run, p.setting, p.digest
    held_by = max(d.shares, key=lambda cause: d.shares[cause], default="")
    return (
        key_of(p),
        *_named(name, p.device, setting, p.workload),
        *(run.id, run.repeat, None if run.undated else run.started, str(run.status or ""), bool(run.void)),
        *(str(run.summary.origin if run.summary else Origin.OWN), setting.mains, not p.workload.higher_is_better),
        *(run.ambient_c, setting.sustained_w, setting.burst_w),
        *(d.state, held_by, p.workload.score_unit, d.metric, METHOD),
        *(d.power_w, d.clock_mhz, d.temp_c, d.rate, d.burst_w, d.hold, d.headroom_k),
        *(d.wall_w, d.battery_w, d.noise_db, d.shares.get(Cause.HEAT) if d.shares else None, d.r_th),
    )


def _result_row(r: BookResult, p: RunPoint | None, name: str) -> tuple[Any, ...]:
    return (
        None if p is None else key_of(p),
        *_named(name, r.device, r.setting, r.workload),
        *(r.metric.key, r.metric.unit, str(r.metric.better), r.value, r.low, r.high, r.spread, r.n, r.units),
        *(str(r.origin), r.author, date_of(r.day), p.run.ambient_c if p is not None else None),
        r.value is not None and not r.left_out,
    )


def _year_of(day: str) -> int:
    found = re.match(r"\d{4}", day)
    return int(found[0]) if found else NO_YEAR


def _year_of_run(p: RunPoint) -> int:
    return NO_YEAR if p.run.undated else p.run.started.astimezone(UTC).year


def _plain(text: str) -> str:
    return plain_letters(text) or "unnamed"
