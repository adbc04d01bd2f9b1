"""What was read of many logs when their reading was ended, kept until logs are read again: thousands of them are not
begun anew."""

import contextlib
import pickle
from collections.abc import Mapping, Sequence
from pathlib import Path

import platformdirs

from pinch import __version__
from pinch.bench.files import replace_file
from pinch.sources.logs.mapping import ColumnMapping
from pinch.sources.logs.read import ReadLog

MOST_BYTES = 1_000_000_000
"""Of samples: of more nothing is kept."""
Key = tuple[str, int, int, str]


def keep_read(read: Mapping[Path, ReadLog], mapping: ColumnMapping | None) -> None:
    """Keep what was read, as far as the files stay as they are; of a log that asks something nothing, since it may be
    answered meanwhile. Where it cannot be written nothing is kept."""
    sizes = (s.values.nbytes for found in read.values() for s in found.log.series.values())
    if not read or 2 * sum(sizes) > MOST_BYTES:
        return
    with contextlib.suppress(OSError):
        kept = {_key(path, mapping): found for path, found in read.items() if not found.questions}
        _place().parent.mkdir(parents=True, exist_ok=True)
        replace_file(_place(), pickle.dumps((__version__, kept)))


def take_read(paths: Sequence[Path], mapping: ColumnMapping | None) -> dict[Path, ReadLog]:
    """What was read of these files before; it is not kept any longer, whatever it is of."""
    try:
        version, kept = pickle.loads(_place().read_bytes())  # Pinch's own, in the user's own folder
    except FileNotFoundError:
        return {}
    except Exception:  # noqa: BLE001 - a pickle that is broken may raise anything; then all is read anew
        version, kept = "", {}
    with contextlib.suppress(OSError):
        _place().unlink()
    found: dict[Path, ReadLog] = {}
    for path in paths if version == __version__ else ():
        with contextlib.suppress(OSError, KeyError):
            found[path] = kept[_key(path, mapping)]
    return found


def _key(path: Path, mapping: ColumnMapping | None) -> Key:
    stat = path.stat()
    return str(path.resolve()), stat.st_size, stat.st_mtime_ns, mapping.model_dump_json() if mapping else ""


def _place() -> Path:
    return Path(platformdirs.user_cache_dir("pinch")) / "read-before.pickle"
