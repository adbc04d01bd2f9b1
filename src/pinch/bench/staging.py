"""Files that appear whole or not at all.

What is written goes to a hidden file beside its target and takes its place at the end. The name of the hidden file says
which process writes it, so that whoever next writes there can take away what a killed process left behind.
"""

import contextlib
import os
import re
import time
from collections.abc import Iterator
from functools import lru_cache
from itertools import count
from pathlib import Path

from pinch.language import tr

BESIDE = ("", "-wal", "-shm", "-journal")
"""Endings of the files that SQLite keeps beside a database, and of the database itself."""
FORGOTTEN_S = 86_400.0
"""What another start of the computer left behind, or another computer that shares the folder, is let be so long."""
_BOOT = Path("/proc/sys/kernel/random/boot_id")
_PART = re.compile(r"\..+\.(?P<process>[0-9a-f]{8}-\d+)-\d+\.part(-wal|-shm|-journal)?")
_numbers = count()


@contextlib.contextmanager
def staged(target: Path, replace: bool = True) -> Iterator[Path]:
    """An empty file beside the target; where all goes well it takes the target's place, else it is gone. What a link at
    the target points to is never written to.

    Raises
    ------
    FileExistsError : there is a target, and it is not to be replaced.
    OSError : it cannot be written; then nothing has changed.
    """
    sweep(target)
    if not replace and os.path.lexists(target):
        raise FileExistsError(17, tr("it exists already"), str(target))
    part = target.with_name(f".{target.name}.{this_process()}-{next(_numbers)}.part")
    os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o666))
    try:
        yield part
        _to_disk(part)
        if replace:
            os.replace(part, target)
        else:
            _put_where_nothing_is(part, target)
        _to_disk(target.parent)
    finally:
        remove_with_beside(part)


def _put_where_nothing_is(part: Path, target: Path) -> None:
    try:
        os.link(part, target)
    except PermissionError:  # a file system without links
        if os.path.lexists(target):
            raise FileExistsError(17, tr("it exists already"), str(target)) from None
        os.replace(part, target)


def sweep(target: Path) -> None:
    """Take away what killed processes left behind while they wrote to this target."""
    for left in _parts(target):
        found = _PART.fullmatch(left.name)
        with contextlib.suppress(OSError):  # it may be another's, and be gone by now
            if found is not None and not _may_be_written(left, found["process"]):
                left.unlink()


def this_process() -> str:
    """Words for this process, BOOT-PID, for names of files that only it writes."""
    return f"{_boot()}-{os.getpid()}"


def is_alive(process: str) -> bool:
    """Whether a process of these words runs on this computer."""
    boot, _, pid = process.partition("-")
    return boot == _boot() and _runs(int(pid))


def remove_with_beside(path: Path) -> None:
    """Remove a database, if it is there, and what SQLite keeps beside it."""
    for ending in BESIDE:
        path.with_name(path.name + ending).unlink(missing_ok=True)


def _parts(target: Path) -> list[Path]:
    start = f".{target.name}."
    with contextlib.suppress(OSError):
        return [Path(entry.path) for entry in os.scandir(target.parent) if entry.name.startswith(start)]
    return []


def _may_be_written(left: Path, process: str) -> bool:
    if process.startswith(_boot()):
        return is_alive(process)
    return time.time() - left.stat().st_mtime < FORGOTTEN_S


def _runs(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


@lru_cache(maxsize=1)
def _boot() -> str:
    return _BOOT.read_text(encoding="ascii")[:8]


def _to_disk(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
