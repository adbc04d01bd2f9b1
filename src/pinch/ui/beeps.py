"""Short tones for an operator who looks elsewhere: made here, played by Qt, else the display's own bell."""

import atexit
import io
import shutil
import wave
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QUrl
from PyQt6.QtWidgets import QApplication

from pinch.bench.scratch import make_scratch_folder

RATE = 22050
SETTLED = ((660.0, 0.12), (880.0, 0.2))
ALARM = ((880.0, 0.25), (0.0, 0.1)) * 6
"""Frequency in Hz (0: silence) and length in s of each tone."""
_playing: list[Any] = []


def play(tones: tuple[tuple[float, float], ...]) -> None:
    """Play tones and return at once."""
    try:
        from PyQt6.QtMultimedia import QSoundEffect
    except ImportError:  # its system library is not there
        QApplication.beep()
        return
    effect = QSoundEffect()
    effect.setSource(QUrl.fromLocalFile(str(_file(tones))))
    effect.play()
    _playing[:] = [e for e in _playing if e.isPlaying()] + [effect]  # one that nobody holds falls silent
    QApplication.beep()


def wave_of(tones: tuple[tuple[float, float], ...]) -> bytes:
    """The tones as a WAV file, one channel of 16 bits."""
    parts = []
    for hertz, seconds in tones:
        t = np.arange(int(RATE * seconds)) / RATE
        soft = np.minimum(1.0, np.minimum(t, t[-1] - t) / 0.01)  # no click at either end
        parts.append(0.4 * soft * np.sin(2 * np.pi * hertz * t))
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setparams((1, 2, RATE, 0, "NONE", ""))
        out.writeframes((np.concatenate(parts) * 32767).astype("<i2").tobytes())
    return file.getvalue()


@lru_cache(maxsize=4)
def _file(tones: tuple[tuple[float, float], ...]) -> Path:
    """Where the tones lie, for as long as the application runs."""
    path = _folder() / f"{abs(hash(tones))}.wav"
    path.write_bytes(wave_of(tones))
    return path


@lru_cache(maxsize=1)
def _folder() -> Path:
    folder = make_scratch_folder()
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder
