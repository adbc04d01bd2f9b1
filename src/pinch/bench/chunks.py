"""How samples are packed: a few bytes each, exactly what was logged.

A chunk holds the samples of one stream (a group of channels with one time axis) in order. Each column, time first, is
stored either as decimals (the smallest power of ten that makes all of them whole, then differences as little-endian
integers) or, where six digits do not suffice, as IEEE 754 doubles. Missing samples are a bitmap. The whole is one
zlib stream. docs/formats.md gives the layout byte by byte.
"""

import struct
import zlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray
from pinch.language import tr

VERSION = 1
EFFORT = 6
"""Of zlib: an eighth of the time of its highest, for 2 % more bytes (measured on 60 channels of noise)."""
MOST_BYTES = 100_000_000
"""An unpacked chunk holds no more; Pinch's own stay below a hundredth of it (3600 samples of sixty channels)."""
_MOST_DIGITS = 6
_DOUBLES = 255
_WIDTHS: tuple[np.dtype[Any], ...] = (np.dtype("<i1"), np.dtype("<i2"), np.dtype("<i4"), np.dtype("<i8"))


def pack(t: FloatArray, columns: list[FloatArray]) -> bytes:
    """Pack (n,) times in s and columns of (n,) values; NaN is a missing sample."""
    parts = [struct.pack("<BIH", VERSION, len(t), len(columns))]
    parts += [_pack_column(column) for column in (t, *columns)]
    return zlib.compress(b"".join(parts), EFFORT)


def unpack(blob: bytes, place: str) -> tuple[FloatArray, list[FloatArray]]:
    """Times (n,) and columns of a chunk; `place` names it in errors.

    Raises
    ------
    DataError : the chunk is damaged or of another version.
    """
    try:
        opened = zlib.decompressobj()
        data = opened.decompress(blob, MOST_BYTES)
        version, n, count = struct.unpack_from("<BIH", data)
        if version != VERSION:
            raise DataError(
                place, tr("samples are packed in version {version}, which this Pinch does not know", version=version)
            )
        # A time takes a byte at least and a channel six: nobody can claim more than is there.
        if not opened.eof or 2 * n * (count + 1) > MOST_BYTES or n > len(data) or 6 * count > len(data):
            raise DataError(place, tr("samples are damaged (they would grow beyond all measure)"))
        position, columns = struct.calcsize("<BIH"), []
        for _ in range(count + 1):
            column, position = _unpack_column(data, position, n)
            columns.append(column)
    except (zlib.error, struct.error, ValueError, IndexError) as error:
        raise DataError(place, tr("samples are damaged ({error})", error=error)) from None
    return columns[0], columns[1:]


def _pack_column(values: FloatArray) -> bytes:
    have = np.isfinite(values)
    bitmap = b"" if have.all() else np.packbits(have).tobytes()
    kept = values[have]
    digits = _digits(kept)
    if digits is None:
        return struct.pack("<BBI", _DOUBLES, 0, len(bitmap)) + bitmap + kept.astype("<f8").tobytes()
    whole = np.rint(kept * 10.0**digits).astype(np.int64)
    steps = np.diff(whole, prepend=np.int64(0))
    width = next(i for i, kind in enumerate(_WIDTHS) if _fits(steps, kind))
    # Byte planes (all lowest bytes first) compress far better than interleaved integers.
    planes = np.ascontiguousarray(steps.astype(_WIDTHS[width])).view(np.uint8)
    planes = planes.reshape(-1, _WIDTHS[width].itemsize).T
    return struct.pack("<BBI", digits, width, len(bitmap)) + bitmap + planes.tobytes()


def _unpack_column(data: bytes, position: int, n: int) -> tuple[FloatArray, int]:
    digits, width, size = struct.unpack_from("<BBI", data, position)
    position += struct.calcsize("<BBI")
    have = np.ones(n, dtype=bool)
    if size:
        have = np.unpackbits(np.frombuffer(data, np.uint8, size, position))[:n].astype(bool)
        position += size
    kept = int(have.sum())
    if digits == _DOUBLES:
        numbers = np.frombuffer(data, "<f8", kept, position)
        position += 8 * kept
    else:
        item = _WIDTHS[width].itemsize
        planes = np.frombuffer(data, np.uint8, item * kept, position).reshape(item, kept)
        steps = np.ascontiguousarray(planes.T).view(_WIDTHS[width]).ravel()
        numbers = np.cumsum(steps, dtype=np.int64) / 10.0**digits
        position += item * kept
    column = np.full(n, np.nan)
    column[have] = numbers
    return column, position


def _digits(values: FloatArray) -> int | None:
    """Fewest decimals that give every value back exactly, None where six are not enough."""
    for digits in range(_MOST_DIGITS + 1):
        scaled = values * 10.0**digits
        if np.all(np.abs(scaled) < 2**52) and np.array_equal(np.rint(scaled) / 10.0**digits, values):
            return digits
    return None


def _fits(steps: NDArray[np.int64], kind: np.dtype[Any]) -> bool:
    limits = np.iinfo(kind)
    return len(steps) == 0 or bool(limits.min <= steps.min() and steps.max() <= limits.max)
