"""Readers of formats that others made run in a process of their own, with bounds on memory, time and disk.

What such a package does with a broken or hostile file, it does there: the worst that comes of it is one sentence.

    python -m pinch.sources.contained MODULE:FUNCTION FOLDER WORDS…
"""

import contextlib
import importlib
import json
import resource
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from pinch.bench.scratch import scratch_folder
from pinch.core.errors import DataError
from pinch.language import tr

MOST_MEMORY, MOST_FILE = 3_000_000_000, 2_000_000_000
MOST_CPU_S, MOST_S = 120, 180
_REFUSED = 3


@contextlib.contextmanager
def contained(function: str, place: str, *words: str) -> Iterator[Path]:
    """Call `function`, a MODULE:FUNCTION that takes a folder and words, in a process of its own; gives the folder with
    the files that it wrote, which is gone afterwards.

    Raises
    ------
    DataError : it refused what it was given, or wanted more memory, time or disk than any such file needs.
    """
    with scratch_folder() as folder:
        command = [sys.executable, "-m", "pinch.sources.contained", function, str(folder), *words]
        try:
            done = subprocess.run(
                command, stdin=subprocess.DEVNULL, capture_output=True, timeout=MOST_S, start_new_session=True
            )
        except subprocess.TimeoutExpired:
            raise DataError(place, tr("reading it takes longer than {most_s} minutes", most_s=MOST_S // 60)) from None
        if done.returncode == _REFUSED:
            raise _refusal(done.stdout, place)
        if done.returncode:
            raise DataError(
                place,
                tr("it cannot be read within {most_memory} GB of memory", most_memory=MOST_MEMORY // 1_000_000_000),
            )
        yield folder


def _refusal(told: bytes, place: str) -> DataError:
    try:
        said = json.loads(told.splitlines()[-1])
        return DataError(str(said["place"]), str(said["reason"]), said["line"])
    except (ValueError, LookupError, TypeError):
        return DataError(place, tr("it cannot be read"))


def main(words: list[str]) -> int:
    """Do the work within bounds; returns the exit status."""
    module, _, name = words[0].partition(":")
    function = getattr(importlib.import_module(module), name)
    for kind, most in (
        (resource.RLIMIT_AS, MOST_MEMORY),
        (resource.RLIMIT_CPU, MOST_CPU_S),
        (resource.RLIMIT_FSIZE, MOST_FILE),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(kind, (most, most))
    try:
        function(Path(words[1]), *words[2:])
    except DataError as error:
        sys.stdout.write(json.dumps({"place": error.place, "reason": error.reason, "line": error.line}) + "\n")
        return _REFUSED
    except (MemoryError, RecursionError):
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
