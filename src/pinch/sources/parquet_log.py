"""A run log as Parquet: a column `t_s` and one a channel, a null is no sample. The same table as Pinch's CSV."""

import io
import json
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from pinch.core.channels import is_channel_name, unit_of
from pinch.core.errors import DataError
from pinch.core.runlog import RunLog, runlog_from_columns
from pinch.language import tr
from pinch.sources.contained import contained
from pinch.sources.runlog_csv import TIME, check_time, rows_of

ENDING = ".parquet"
MOST_BYTES = 2_000_000_000
_NAMES = "names.json"


def is_parquet(path: Path) -> bool:
    """Whether a file is called a Parquet file."""
    return path.suffix.casefold() == ENDING


def parquet_bytes(log: RunLog, about: Mapping[str, str] | None = None) -> bytes:
    """The table of a log, its units with the columns, and what it is of with the table."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    t, columns = rows_of(log)
    fields = [pa.field(TIME, pa.float64(), nullable=False, metadata={"unit": "s"})]
    fields += [pa.field(name, pa.float64(), metadata={"unit": unit_of(name)}) for name in columns]
    arrays = [pa.array(t), *(pa.array(values, from_pandas=True) for values in columns.values())]
    file = io.BytesIO()
    pq.write_table(
        pa.Table.from_arrays(arrays, schema=pa.schema(fields, metadata=dict(about or {}))), file, compression="zstd"
    )
    return file.getvalue()


def read_parquet_log(path: Path) -> RunLog:
    """Read a log that was written by `parquet_bytes`, or any other with the same columns.

    Raises
    ------
    DataError : it cannot be read, lacks `t_s`, or a column is no channel or no number.
    """
    place = str(path)
    with contained("pinch.sources.parquet_log:write_columns", place, place) as folder:
        names = json.loads((folder / _NAMES).read_text(encoding="utf-8"))
        columns = {name: np.load(folder / f"{n}.npy", allow_pickle=False) for n, name in enumerate(names)}
    t = columns.pop(TIME)
    if not np.isfinite(t).all():
        raise DataError(place, tr("row {row} has no time", row=int(np.flatnonzero(~np.isfinite(t))[0]) + 1))
    check_time(t, place)
    log = runlog_from_columns(t, columns)
    filled = {name: series for name, series in log.series.items() if len(series.t)}
    if not filled:
        raise DataError(place, tr("it has rows but not one sample"))
    return RunLog(filled)


def write_columns(folder: Path, words: str) -> None:
    """Write the columns of the Parquet file at the path `words` into files of `folder`, and their names as JSON.

    Raises
    ------
    DataError : as `read_parquet_log`.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    path, place = Path(words), words
    try:
        if not path.is_file():
            raise DataError(place, tr("there is no such file") if not path.exists() else tr("it is not a plain file"))
        if sum(_size_of(pq.ParquetFile(path), i) for i in range(pq.ParquetFile(path).num_row_groups)) > MOST_BYTES:
            raise DataError(
                place, tr("unpacked it is larger than {most_bytes} GB", most_bytes=MOST_BYTES // 1_000_000_000)
            )
        table = pq.read_table(path)
    except (pa.ArrowException, OSError, ValueError) as error:
        raise DataError(
            place, tr("it is no Parquet file that can be read ({reason})", reason=str(error).splitlines()[0])
        ) from None
    if not table.num_columns or table.column_names[0] != TIME:
        raise DataError(place, tr("its first column is not {time!r}", time=TIME))
    if not table.num_rows:
        raise DataError(place, tr("it has columns but no samples"))
    for n, name in enumerate(table.column_names):
        if name != TIME and not is_channel_name(name):
            raise DataError(place, tr("its column {name!r} is not a channel name such as cpu.power", name=name))
        if name in table.column_names[:n] or not _is_number(table.column(name).type):
            raise DataError(place, tr("its column {name!r} stands there twice or holds no numbers", name=name))
        np.save(folder / f"{n}.npy", table.column(name).cast(pa.float64()).to_numpy())
    (folder / _NAMES).write_text(json.dumps(table.column_names), encoding="utf-8")


def _size_of(file: object, group: int) -> int:
    return int(file.metadata.row_group(group).total_byte_size)  # type: ignore[attr-defined]


def _is_number(kind: object) -> bool:
    import pyarrow as pa

    return bool(pa.types.is_floating(kind) or pa.types.is_integer(kind) or pa.types.is_boolean(kind))
