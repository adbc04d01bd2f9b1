"""The points of an archive, so that it can be laid beside a book: devices, settings and workloads by their names, runs
with what they came to. Samples are not read."""

import contextlib
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from pydantic import ValidationError

from pinch.analysis.points import BookPoints, RunPoint, apart, room_middles
from pinch.bench.digests import Digest
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Device, Result, Run, Setting, Workload
from pinch.bench.refused import problem_of
from pinch.bench.summaries import Origin, Summary
from pinch.core.causes import Cause
from pinch.core.errors import DataError
from pinch.core.method import METHOD
from pinch.core.metrics import LOW_NAMES, MAIN, Better, built_in
from pinch.core.printing import counted
from pinch.language import tr
from pinch.publish.parquet_archive import COLUMNS, books_of_archive, schema_of

MOST_ROWS = 5_000_000
LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)
"""Where a run without a day stands among the others."""
Row = Mapping[str, Any]


def points_of_archive(folder: Path) -> BookPoints:
    """Everything of an archive that can be compared: its runs as they were judged when they were written into it, and
    its results without a run.

    Raises
    ------
    DataError : it is of another version, a file cannot be read, lacks a column, or a row makes no sense.
    """
    books_of_archive(folder)
    found, told, alone = _Found(), dict[str, list[Row]](), dict[tuple[object, ...], list[tuple[Path, Row]]]()
    for file, row in _rows(folder, "results"):
        if row["run_key"] is not None and row["counts"]:
            told.setdefault(row["run_key"], []).append(row)
        elif row["counts"]:
            alone.setdefault(tuple(value for name, value in row.items() if name != "book"), []).append((file, row))
    older, seen = 0, set[str]()
    for file, row in _rows(folder, "runs"):
        if row["run_key"] not in seen:  # several books may have the same run
            seen.add(row["run_key"])
            with _of(file):
                found.add_run(row, told.get(row["run_key"], []))
            older += row["method"] != METHOD
    for same in alone.values():
        for file, row in same:
            if row["book"] == same[0][1]["book"]:  # another book has it as well
                with _of(file):
                    found.add_result(row)
    words = tr(
        "{name}: {runs} were judged by other versions of the methods; add their books to the archive again.",
        name=folder.name,
        runs=counted(older, "run"),
    )
    return found.points((words,) if older else ())


class _Found(Struct):
    """The records that rows name, each made once, and what was made of the rows."""

    devices: dict[str, Device] = field(default_factory=dict)
    settings: dict[tuple[str, str], Setting] = field(default_factory=dict)
    workloads: dict[tuple[str, str], Workload] = field(default_factory=dict)
    runs: list[tuple[Run, Row, Digest]] = field(default_factory=list)
    results: list[Result] = field(default_factory=list)

    def add_run(self, row: Row, told: Sequence[Row]) -> None:
        """A run with the results that it came to."""
        self._work(row, row["score_unit"], Better.LESS if row["less_is_better"] else Better.MORE)
        for one in told:
            self._metric(row, one)
        own = {
            "id": len(self.runs) + 1,
            "repeat": row["repeat"],
            "started": row["started"] or LONG_AGO,
            "undated": row["started"] is None,
            "ambient_c": row["room_c"],
            "status": row["status"] or None,
            "void": tr("void in its own book") if row["void"] else "",
            "summary": _summary(row, told),
        }
        self.runs.append((Run.model_validate(self._ids(row) | own), row, _digest(row, told)))

    def add_result(self, row: Row) -> None:
        """A result without a run."""
        is_main = row["metric"] in MAIN
        self._work(row, row["unit"] if is_main else "", Better(row["better"]) if is_main else Better.MORE)
        self._metric(row, row)
        same = {name: row[name] for name in ("metric", "value", "low", "high", "n", "spread", "units", "origin")}
        day = "" if row["day"] is None else f"{row['day']:%Y-%m-%d}"
        self.results.append(
            Result.model_validate(self._ids(row) | same | {"told_by": row["told_by"] or "", "day": day})
        )

    def points(self, lacking: tuple[str, ...]) -> BookPoints:
        """All of it."""
        rooms = room_middles({run.ambient_c for run, _, _ in self.runs if run.ambient_c is not None})
        points = []
        for run, row, digest in sorted(self.runs, key=lambda one: one[0].started):
            room = None if run.ambient_c is None else rooms[run.ambient_c]
            records = self._device(row), self._setting(row), self.workloads[_work_key(row)]
            points.append(RunPoint(run, *records, digest, room))
        devices = {d.id: d for d in self.devices.values()}
        return BookPoints(
            apart(points),
            tuple(devices.values()),
            tuple(self.workloads.values()),
            {},
            (),
            results=tuple(self.results),
            settings=tuple((devices[s.device_id], s) for s in self.settings.values()),
            lacking=lacking,
        )

    def _ids(self, row: Row) -> dict[str, int]:
        records = self._device(row), self._setting(row), self.workloads[_work_key(row)]
        return dict(zip(("device_id", "setting_id", "workload_id"), (r.id for r in records), strict=True))

    def _device(self, row: Row) -> Device:
        name = row["device_name"]
        if name not in self.devices:
            self.devices[name] = Device.model_validate({"id": len(self.devices) + 1, "name": name})
        return self.devices[name]

    def _setting(self, row: Row) -> Setting:
        key = row["device_name"], row["setting"]
        if key not in self.settings:
            own = {"id": len(self.settings) + 1, "device_id": self._device(row).id, "name": key[1]}
            told = {"sustained_w": row.get("claimed_w"), "burst_w": row.get("claimed_burst_w")}
            self.settings[key] = Setting.model_validate(own | told | {"mains": row.get("mains", True)})
        return self.settings[key]

    def _work(self, row: Row, unit: str, better: Better) -> None:
        key = _work_key(row)
        if key not in self.workloads:
            own = {"id": len(self.workloads) + 1, "name": ", ".join(filter(None, key)), "rate_channel": ""}
            told = {"score_unit": unit or "", "higher_is_better": better is not Better.LESS}
            self.workloads[key] = Workload.model_validate(own | told)

    def _metric(self, of: Row, row: Row) -> None:
        """The metric of a result becomes one of its workload's own where it is not built in."""
        key, work = row["metric"], self.workloads[_work_key(of)]
        if key in MAIN or key in LOW_NAMES or any(m.name == key for m in work.metrics):
            return
        try:
            built_in(key)
        except DataError:
            own = OwnMetric(name=key, unit=row["unit"] or "", better=Better(row["better"]))
            self.workloads[_work_key(of)] = work.model_copy(update={"metrics": (*work.metrics, own)})


def _work_key(row: Row) -> tuple[str, str]:
    return row["workload"], row["variant"] or ""


def _summary(row: Row, told: Sequence[Row]) -> Summary | None:
    """What somebody tells of a run; None of one's own."""
    if row["origin"] == Origin.OWN or row["rate"] is None:
        return None
    main = _main(row, told)
    behind = {} if main is None else {"repeats": main["n"], "spread": main["spread"], "units": main["units"]}
    by = "" if main is None else main["told_by"] or ""
    return Summary(score=row["rate"], power_w=row["power_w"], origin=row["origin"], told_by=by, **behind)


def _main(row: Row, told: Sequence[Row]) -> Row | None:
    """The result that a run is about."""
    return next((one for one in told if one["metric"] == row["rate_of"]), None)


def _digest(row: Row, told: Sequence[Row]) -> Digest:
    """What a run came to. Where its result is that of the whole load and not of its settled part, the watts that belong
    to it are not in the archive, and are not known."""
    same = ("state", "power_w", "clock_mhz", "temp_c", "rate", "burst_w", "hold", "headroom_k", "wall_w", "battery_w")
    values = {one["metric"]: one["value"] for one in told if one["value"] is not None and one["metric"] not in MAIN}
    main = _main(row, told)
    lows = {key: value for key, value in values.items() if key in LOW_NAMES}
    return Digest(
        **{name: row[name] for name in (*same, "noise_db", "r_th")},
        whole_rate=None if main is None else main["value"],
        metric=row["rate_of"],
        lows=lows,
        figures={key: value for key, value in values.items() if key not in lows},
        shares={} if row["heat_share"] is None else {Cause.HEAT: row["heat_share"]},
    )


def _rows(folder: Path, table: str) -> Iterator[tuple[Path, Row]]:
    """The rows of a table, each with its file.

    Raises
    ------
    DataError : a file cannot be read or lacks a column, or there are too many rows.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    count = 0
    for path in sorted((folder / table).glob("*/*/*.parquet")):
        try:
            with pq.ParquetFile(path) as file:
                lacking = [name for name in COLUMNS[table] if name not in file.schema_arrow.names]
                if lacking:
                    raise DataError(str(path), tr("it has no column {name}", name=lacking[0]))
                count += file.metadata.num_rows
                if count > MOST_ROWS:
                    words = tr("more than {most:,} rows are not laid beside a book", most=MOST_ROWS)
                    raise DataError(str(folder), words)
                rows = file.read(list(COLUMNS[table])).select(list(COLUMNS[table])).cast(schema_of(table)).to_pylist()
        except (OSError, pa.ArrowException) as error:
            raise DataError(str(path), tr("it cannot be read as a file of an archive: {error}", error=error)) from None
        yield from ((path, row) for row in rows)


@contextlib.contextmanager
def _of(file: Path) -> Iterator[None]:
    """What is wrong with a row is said of its file."""
    try:
        yield
    except ValidationError as error:
        place, reason = problem_of(error)
        raise DataError(str(file), f"{place}: {reason}") from None
    except (KeyError, ValueError) as error:
        raise DataError(str(file), tr("a row makes no sense: {error}", error=error)) from None
