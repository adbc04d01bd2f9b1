"""Pinch on the desktop: its entry, icon, kind of file, description, manual page and completions, put where the desktop
looks for them, for one user or for all, and removed again."""

import os
import shlex
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import platformdirs
from msgspec import Struct

from pinch.bench.files import write_whole
from pinch.core.errors import PinchError
from pinch.language import tr

SHIPPED = Path(__file__).resolve().parents[1] / "packaging"
ID = "org.pinch.Pinch"
PLACES = {
    f"{ID}.desktop": f"applications/{ID}.desktop",
    f"{ID}.svg": f"icons/hicolor/scalable/apps/{ID}.svg",
    f"{ID}.mime.xml": f"mime/packages/{ID}.xml",
    f"{ID}.metainfo.xml": f"metainfo/{ID}.metainfo.xml",
    "pinch.1": "man/man1/pinch.1",
    "pinch.bash": "bash-completion/completions/pinch",
    "pinch.zsh": "zsh/site-functions/_pinch",
}
"""Files that ship with Pinch, and where each belongs below a folder of shared data."""
FOR_ALL = Path("/usr/local/share")
EXEC = "Exec=pinch "


class DesktopFile(Struct, frozen=True):
    """A file of the desktop: where it goes, and its text."""

    path: Path
    text: str


def share_folder(for_all: bool) -> Path:
    """Where shared data of all users, or of this one, lies."""
    return FOR_ALL if for_all else platformdirs.user_data_path()


def desktop_files(share: Path, command: str) -> Iterator[DesktopFile]:
    """All files below a folder of shared data; the entry starts `command`."""
    for name, place in PLACES.items():
        text = (SHIPPED / name).read_text(encoding="utf-8")
        yield DesktopFile(share / place, text.replace(EXEC, f"Exec={command} "))


def install(share: Path, command: list[str]) -> list[Path]:
    """Write all of them, each whole or not at all; returns where they are.

    Raises
    ------
    PinchError : one cannot be written.
    """
    written = []
    for file in desktop_files(share, shlex.join(command)):
        try:
            file.path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise PinchError(
                tr("{parent}: it cannot be made ({strerror}).", parent=file.path.parent, strerror=error.strerror)
            ) from None
        write_whole(file.path, file.text.encode())
        written.append(file.path)
    _tell_desktop(share)
    return written


def remove(share: Path) -> list[Path]:
    """Remove what `install` wrote; returns what was there.

    Raises
    ------
    PinchError : one cannot be removed.
    """
    there = [share / place for place in PLACES.values() if (share / place).exists()]
    for path in there:
        try:
            path.unlink()
        except OSError as error:
            raise PinchError(
                tr("{path}: it cannot be removed ({strerror}).", path=path, strerror=error.strerror)
            ) from None
    _tell_desktop(share)
    return there


def _tell_desktop(share: Path) -> None:
    """Have the desktop's own tools look again, those that are there."""
    for words in (
        ("update-desktop-database", "-q", str(share / "applications")),
        ("update-mime-database", str(share / "mime")),
        ("gtk-update-icon-cache", "-q", "-t", str(share / "icons/hicolor")),
    ):
        if shutil.which(words[0]) and Path(words[-1]).is_dir():
            subprocess.run(words, capture_output=True, check=False, timeout=60, env={**os.environ, "LC_ALL": "C"})
