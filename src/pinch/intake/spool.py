"""Samples of thousands of logs on the disk while they wait to be taken in: together they may be more than memory."""

import mmap
import os
import tempfile
from contextlib import AbstractContextManager
from pathlib import Path
from typing import IO

import numpy as np
import platformdirs

from pinch.core.runlog import FloatArray, RunLog, Series

IN_MEMORY = 200_000_000
"""Bytes of samples that stay in memory."""
SEGMENT = 1 << 26
"""Bytes that are mapped together: each map takes a file handle, of which there are few."""


class Spool(AbstractContextManager["Spool"]):
    """What is put here comes back the same, but lies in files without a name, each gone with the last that needs it."""

    def __init__(self) -> None:
        self._kept = self._at = 0
        self._file: IO[bytes] | None = None
        self._view = np.empty(0, np.uint8)

    def put(self, log: RunLog) -> RunLog:
        """A log whose samples the system may take out of memory; the log itself while there are few, or where the disk
        has no room."""
        arrays = {id(numbers): numbers for s in log.series.values() for numbers in (s.t, s.values)}
        self._kept += sum(numbers.nbytes for numbers in arrays.values())
        if self._kept <= IN_MEMORY:
            return log
        try:
            there = {key: self._write(numbers) for key, numbers in arrays.items()}
        except OSError:
            return log
        series = {name: Series(s.channel, there[id(s.t)], there[id(s.values)]) for name, s in log.series.items()}
        return RunLog(series, log.marks)

    def _write(self, numbers: FloatArray) -> FloatArray:
        if self._at + numbers.nbytes > len(self._view):
            self._begin(max(SEGMENT, numbers.nbytes))
        assert self._file is not None
        at, self._at = self._at, self._at + numbers.nbytes
        if os.pwrite(self._file.fileno(), np.ascontiguousarray(numbers, np.float64).data, at) < numbers.nbytes:
            raise OSError("the disk is full")
        return self._view[at : self._at].view(np.float64)

    def _begin(self, size: int) -> None:
        """A new file, mapped as a whole."""
        folder = Path(platformdirs.user_cache_dir("pinch"))
        folder.mkdir(parents=True, exist_ok=True)
        self.__exit__()
        self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115 - it is closed at the end
        self._file.truncate(size)
        whole = mmap.mmap(self._file.fileno(), size, access=mmap.ACCESS_READ)
        self._view, self._at = np.frombuffer(whole, np.uint8), 0

    def __exit__(self, *_: object) -> None:
        if self._file is not None:
            self._file.close()
