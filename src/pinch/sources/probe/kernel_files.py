"""Files of the kernel below a root, each opened once and re-read in place."""

import os
import re
import sys
from collections.abc import Sequence

GPU_CHIPS = ("amdgpu", "radeon", "i915", "xe", "nouveau")
SLOW_S = 5.0
"""What is set, such as a limit, is read anew so often; what is measured is read for each row."""


class SensorFile:
    """A file that is opened once. `fetch_each` re-reads it; `data` is what was last read, None where that failed."""

    def __init__(self, path: str, size: int = 256) -> None:
        self.path = path
        self.size = size
        self.fd = os.open(path, os.O_RDONLY)
        self.data: bytes | None = os.pread(self.fd, self.size, 0)

    def lose(self, reason: str | None) -> None:
        if self.data is not None:
            say(f"{self.path} cannot be read any more ({reason}); its cells stay empty")
        self.data = None

    def check_still_there(self) -> None:
        """A plain file can be removed while it is open, which reading does not tell; the kernel's own files do."""
        if os.fstat(self.fd).st_nlink == 0:
            self.lose("it was removed")

    @property
    def text(self) -> str:
        return self.data.decode("ascii", "replace") if self.data else ""

    def number(self) -> float | None:
        try:
            return float(self.data) if self.data else None
        except ValueError:
            return None


def fetch_each(files: Sequence[SensorFile]) -> None:
    """Re-read files, in one loop without a call for each: this is what the probe mostly does."""
    pread = os.pread
    for file in files:
        try:
            file.data = pread(file.fd, file.size, 0)
        except OSError as error:
            file.lose(error.strerror)


class Tree:
    """The files below a root."""

    def __init__(self, root: str) -> None:
        self.root = root
        self.files: list[SensorFile] = []
        self.slow: list[SensorFile] = []
        self.refused: list[tuple[str, str]] = []

    def path(self, *parts: str) -> str:
        return os.path.join(self.root, *parts)

    def names(self, folder: str) -> list[str]:
        def natural(name: str) -> list[tuple[int, str]]:
            return [(int(x), "") if x.isdigit() else (-1, x) for x in re.split(r"(\d+)", name)]

        try:
            return sorted(os.listdir(self.path(folder)), key=natural)
        except OSError:
            return []

    def text(self, *parts: str) -> str:
        try:
            with open(self.path(*parts), encoding="ascii", errors="replace") as file:
                return file.read().strip()
        except OSError:
            return ""

    def cpus(self) -> list[str]:
        """The folders of the logical processors."""
        return [name for name in self.names("sys/devices/system/cpu") if re.fullmatch(r"cpu\d+", name)]

    def cards(self) -> list[str]:
        """The folders of the graphics devices."""
        return [name for name in self.names("sys/class/drm") if re.fullmatch(r"card\d+", name)]

    def monitors(self) -> list["Monitor"]:
        """The hardware monitors."""
        folders = [f"sys/class/hwmon/{name}" for name in self.names("sys/class/hwmon")]
        return [Monitor(self, base) for base in folders]

    def open(self, *parts: str, size: int = 256, slow: bool = False) -> SensorFile | None:
        """The file, or None where it is not there; one that may not be read is named. A slow one is what was set."""
        path = self.path(*parts)
        try:
            file = SensorFile(path, size)
        except FileNotFoundError:
            return None
        except OSError as error:
            say(f"{path} is left out: {error.strerror}")
            self.refused.append((path, error.strerror or "it cannot be read"))
            return None
        (self.slow if slow else self.files).append(file)
        return file


class Monitor:
    """A hardware monitor: its folder, its chip's name, and whether it is of graphics, and of graphics within a chip
    that also holds the processor (told by the voltage `vddnb`, which only those have)."""

    def __init__(self, tree: Tree, base: str) -> None:
        self.base = base
        self.chip = word(tree.text(base, "name")) or os.path.basename(base)
        self.is_graphics = self.chip in GPU_CHIPS
        labels = [n for n in tree.names(base) if re.fullmatch(r"in\d+_label", n)] if self.is_graphics else []
        self.is_shared = any(tree.text(base, name) == "vddnb" for name in labels)


def say(text: str) -> None:
    print(f"pinch probe: {text}", file=sys.stderr, flush=True)


def word(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")
