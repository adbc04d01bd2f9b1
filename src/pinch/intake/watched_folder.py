"""A folder that is watched: which logs came into it and are finished. Looks when it is told to; has no clock."""

from collections.abc import Iterator
from pathlib import Path

from pinch.core.errors import DataError
from pinch.intake.arrivals import ENDINGS
from pinch.language import tr

AT_REST_S = 10.0
"""A log that has not changed for so long is finished; loggers write every few seconds (common practice, no source)."""
State = tuple[int, int]
"""Size and time of the last change of a file."""


class WatchedFolder:
    """Logs that come into a folder, or one below it; those that are there when it begins are left alone, and each is
    given once."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._given = set(_states(folder))
        self._seen: dict[Path, tuple[State, float]] = {}

    def look(self, now_s: float) -> list[Path]:
        """The new logs, once all of them are finished: what belongs together comes together.

        Raises
        ------
        DataError : the folder is gone.
        """
        states = {path: state for path, state in _states(self.folder).items() if path not in self._given}
        self._seen = {
            path: self._seen[path] if path in self._seen and self._seen[path][0] == state else (state, now_s)
            for path, state in states.items()
        }
        if not self._seen or any(now_s - since < AT_REST_S for _, since in self._seen.values()):
            return []
        finished = sorted(self._seen)
        self._given.update(finished)
        self._seen = {}
        return finished


def _states(folder: Path) -> dict[Path, State]:
    if not folder.is_dir():
        raise DataError(str(folder), tr("there is no such folder any more"))
    return dict(_files(folder))


def _files(folder: Path) -> Iterator[tuple[Path, State]]:
    for path in folder.rglob("*"):
        if path.suffix.casefold() in ENDINGS and path.is_file():
            try:
                status = path.stat()
            except OSError:
                continue  # it went away meanwhile
            if status.st_size:
                yield path, (status.st_size, status.st_mtime_ns)
