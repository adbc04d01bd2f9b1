"""Columns of words: those that tell frames apart become flags, what no one understands is named."""

from typing import TYPE_CHECKING

import numpy as np

from pinch.core.framekinds import DROPPED
from pinch.core.frames import GENERATED
from pinch.core.printing import listed
from pinch.core.runlog import FloatArray

if TYPE_CHECKING:
    import pandas as pd

MOST_WORDS = 8
"""A column of more different words than this is of names or notes, and not of states."""
_FRAMES_BY_WORD = {
    GENERATED: ("generated", "interpolated", "inserted", "synthetic", "synthesised", "synthesized", "artificial"),
    DROPPED: ("dropped", "discarded", "lost", "skipped", "missed"),
}
FRAME_FLAGS = tuple(_FRAMES_BY_WORD)
"""The channels that words may stand for."""


def frame_flags(column: "pd.Series") -> dict[str, FloatArray]:
    """By channel, 1 where the words of a column (n,) say that a frame was generated, or dropped, and 0 where they say
    something else; nothing where no word of it says so."""
    words = column.astype("string").str.strip().str.casefold()
    found = {}
    for channel, known in _FRAMES_BY_WORD.items():
        is_so = words.str.contains(rf"\b(?:{'|'.join(known)})\b", regex=True).to_numpy(dtype=float, na_value=np.nan)
        if np.nansum(is_so):
            found[channel] = is_so
    return found


def not_understood(name: str, column: "pd.Series") -> str:
    """That a column of a few different words is not used; empty where it always says the same, or holds names."""
    words = list(dict.fromkeys(column.dropna().astype("string").str.strip()))
    if not 2 <= len(words) <= MOST_WORDS:
        return ""
    return f"{name} holds words ({listed(words)}) and is not used."
