"""Folders for what is needed for a while: private, gone afterwards, and those of a killed process gone at the next."""

import contextlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

from pinch.bench.staging import is_alive, this_process

_NAME = re.compile(r"pinch-(?P<process>[0-9a-f]{8}-\d+)-.+")


def make_scratch_folder() -> Path:
    """A new folder that only this user may look into; whoever makes it removes it."""
    _sweep()
    return Path(tempfile.mkdtemp(prefix=f"pinch-{this_process()}-"))


@contextlib.contextmanager
def scratch_folder() -> Iterator[Path]:
    """A new folder that only this user may look into, gone at the end."""
    folder = make_scratch_folder()
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _sweep() -> None:
    """Remove the folders of this user whose process has ended without removing them."""
    with contextlib.suppress(OSError):
        for entry in os.scandir(tempfile.gettempdir()):
            found = _NAME.fullmatch(entry.name)
            with contextlib.suppress(OSError):
                own = entry.is_dir(follow_symlinks=False) and entry.stat(follow_symlinks=False).st_uid == os.geteuid()
                if own and found is not None and not is_alive(found["process"]):
                    shutil.rmtree(entry.path, ignore_errors=True)
