"""Which language the window speaks: that of the desktop, or the one that was chosen, where a catalogue of it is there.

Catalogues are files of gettext by the name of their language, such as `de.mo`, in the folder `languages` of the user's
data of Pinch. Nothing is imported here that has texts: they are put into words when they are read.
"""

import os
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QLibraryInfo, QLocale, Qt, QTranslator
from PyQt6.QtWidgets import QApplication

from pinch.language import ENGLISH, VARIABLE, speak, spoken, tr
from pinch.ui.preferences import LANGUAGE, Preferences


def folder() -> Path:
    """Where this operator's catalogues are."""
    return platformdirs.user_data_path("pinch") / "languages"


def catalogues() -> dict[str, Path]:
    """Those that are there, by the names of their languages."""
    return {path.stem: path for path in sorted(folder().glob("*.mo"))}


def offered() -> dict[str, str]:
    """What can be chosen, each language as it calls itself."""
    return {name: _own_name(name) for name in (ENGLISH.name, *catalogues())}


def _own_name(name: str) -> str:
    locale = QLocale(name)
    land = f" ({locale.nativeTerritoryName()})" if "_" in name else ""
    return f"{locale.nativeLanguageName()}{land}" if locale.language() != QLocale.Language.C else name


def speak_as_set(preferences: Preferences) -> None:
    """Speak as is set from here on. To be called before anything else of the window is imported; a catalogue that the
    environment names goes before."""
    if VARIABLE not in os.environ:
        speak(str(_wanted(preferences.get(LANGUAGE)) or ""))


def _wanted(chosen: str) -> Path | None:
    """The catalogue of a language, or of the first of the desktop's for which there is one; None for English."""
    there = catalogues()
    names = QLocale.system().uiLanguages() if chosen == LANGUAGE.usual else [chosen]
    for name in (name.replace("-", "_") for name in names):
        if name.partition("_")[0] == ENGLISH.name:
            return None
        if name in there:
            return there[name]
    return None


def trouble() -> tuple[str, ...]:
    """Why another language is spoken than was asked for; empty where it is the one."""
    named = os.environ.get(VARIABLE)
    if not named or not spoken().is_own:
        return ()
    return (tr("{named}: it is no catalogue of a language that can be read, so Pinch speaks English.", named=named),)


def dress(app: QApplication) -> None:
    """Buttons of the toolkit in the same language, and all from right to left where it is read so."""
    language = spoken()
    if language.is_own:
        return
    own = QTranslator(app)
    if own.load(QLocale(language.name), "qtbase", "_", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        app.installTranslator(own)
    app.setLayoutDirection(Qt.LayoutDirection.RightToLeft if language.right_to_left else Qt.LayoutDirection.LeftToRight)
