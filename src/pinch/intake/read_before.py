"""What was read of many logs when their import was ended, kept until logs are read again: thousands of them are not
begun anew."""

import contextlib
import pickle
from pathlib import Path

import platformdirs

from pinch import __version__
from pinch.bench.files import replace_file
from pinch.sources.logs.mapping import ColumnMapping
from pinch.sources.logs.read import ReadLog

MOST_BYTES = 1_000_000_000
"""Of samples: of more nothing is kept."""
Key = tuple[str, int, int, str]
"""A file as it was before it was read, and how its columns were to be understood."""


class ReadBefore:
    """Knows what the import before this one had read when it was ended, and is told what this one reads."""

    def __init__(self, mapping: ColumnMapping | None) -> None:
        self._mapping = mapping.model_dump_json() if mapping else ""
        self._known = _taken()

    def key(self, path: Path) -> Key:
        """What a file is known by; to be asked before it is read."""
        try:
            stat = path.stat()
        except OSError:
            return str(path), -1, -1, self._mapping
        return str(path.resolve()), stat.st_size, stat.st_mtime_ns, self._mapping

    def get(self, key: Key) -> ReadLog | None:
        """What was read of such a file."""
        return self._known.get(key)

    def put(self, key: Key, found: ReadLog) -> None:
        """Know what was read; of a log that asks something nothing, since it may be answered meanwhile."""
        if not found.questions:
            self._known[key] = found

    def keep(self) -> None:
        """Keep all that is known for the next import; nothing where it is too much or cannot be written."""
        sizes = (s.values.nbytes for found in self._known.values() for s in found.log.series.values())
        if not self._known or 2 * sum(sizes) > MOST_BYTES:
            return
        with contextlib.suppress(OSError):
            _place().parent.mkdir(parents=True, exist_ok=True)
            replace_file(_place(), pickle.dumps((__version__, self._known)))


def _taken() -> dict[Key, ReadLog]:
    """What was kept; it is not kept any longer."""
    try:
        version, known = pickle.loads(_place().read_bytes())  # Pinch's own, in the user's own folder
    except FileNotFoundError:
        return {}
    except Exception:  # noqa: BLE001 - a pickle that is broken may raise anything; then all is read anew
        version, known = "", {}
    with contextlib.suppress(OSError):
        _place().unlink()
    return known if version == __version__ else {}


def _place() -> Path:
    return Path(platformdirs.user_cache_dir("pinch")) / "read-before.pickle"
