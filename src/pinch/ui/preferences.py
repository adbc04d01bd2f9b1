"""What the window remembers from one start to the next, and what the operator set it to. One INI file with the keys
below (docs/formats.md); none of them changes a figure."""

from enum import StrEnum
from pathlib import Path

import platformdirs
from msgspec import Struct
from PyQt6.QtCore import QByteArray, QSettings, Qt
from PyQt6.QtGui import QGuiApplication

MOST_RECENT = 8


class ThemeChoice(StrEnum):
    """Light, dark, or whichever of them the desktop is."""

    DESKTOP, LIGHT, DARK = "desktop", "light", "dark"

    @property
    def in_force(self) -> str:
        """The theme that this means now."""
        if self is not ThemeChoice.DESKTOP:
            return self.value
        hints = QGuiApplication.styleHints()
        return "dark" if hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark else "light"


class Key(Struct, frozen=True):
    """A key of the file and what it is without one."""

    name: str
    usual: str


THEME = Key("look/theme", ThemeChoice.DESKTOP)
SIZE = Key("look/size", "100")
SIZES = ("100", "110", "125", "150", "175", "200")
"""How large letters and all else are, % of what the desktop asks for."""
LANGUAGE = Key("look/language", "desktop")
NOTIFY = Key("runs/notify", "yes")
LAST_BOOK = Key("books/open-last", "yes")
PAGE = Key("window/page", "")
GEOMETRY, RECENT = "window/geometry", "books/recent"


def settings_path() -> Path:
    """The file of this operator."""
    return platformdirs.user_config_path("pinch") / "pinch.ini"


class Preferences:
    """Kept in a file; without one, for as long as the window is open."""

    def __init__(self, path: Path | None = None) -> None:
        self._file = QSettings(str(path), QSettings.Format.IniFormat) if path is not None else None
        self._here: dict[str, object] = {}

    def get(self, key: Key) -> str:
        """What is set."""
        return str(self._read(key.name) or key.usual)

    def set(self, key: Key, value: str) -> None:
        """Set it from now on."""
        self._keep(key.name, value)

    def says_yes(self, key: Key) -> bool:
        """Whether something is wanted."""
        return self.get(key) == "yes"

    @property
    def theme(self) -> ThemeChoice:
        """Light, dark or as the desktop; the last where the file says something else."""
        said = self.get(THEME)
        return ThemeChoice(said) if said in list(ThemeChoice) else ThemeChoice.DESKTOP

    @property
    def size(self) -> str:
        """How large everything is, %; as the desktop has it where the file says something else."""
        said = self.get(SIZE)
        return said if said in SIZES else SIZE.usual

    @property
    def recent(self) -> list[Path]:
        """Books that were open, the last one first, as far as they are still there."""
        said = self._read(RECENT)
        names = [said] if isinstance(said, str) else said if isinstance(said, list) else []
        return [path for path in map(Path, map(str, names)) if path.is_file()]

    def opened(self, book: Path) -> None:
        """A book was opened."""
        before = [path for path in self.recent if path != book.absolute()]
        self._keep(RECENT, [str(path) for path in (book.absolute(), *before)][:MOST_RECENT])

    @property
    def geometry(self) -> QByteArray | None:
        """Where and how large the window was."""
        said = self._read(GEOMETRY)
        return said if isinstance(said, QByteArray) else None

    def keep_geometry(self, geometry: QByteArray) -> None:
        """Where and how large it is."""
        self._keep(GEOMETRY, geometry)

    def _read(self, name: str) -> object:
        return self._file.value(name) if self._file is not None else self._here.get(name)

    def _keep(self, name: str, value: object) -> None:
        if self._file is not None:
            self._file.setValue(name, value)
        else:
            self._here[name] = value
