"""Files that are complete or absent."""

import os
import tempfile
from pathlib import Path


def replace_file(path: Path, content: bytes) -> None:
    """Write a file; one that exists is replaced only once all of the new one is there.

    Raises
    ------
    OSError : it cannot be written; then nothing has changed.
    """
    handle, part = tempfile.mkstemp(dir=path.parent, prefix=path.name, suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        os.chmod(part, 0o644)
        os.replace(part, path)
    except OSError:
        Path(part).unlink(missing_ok=True)
        raise
