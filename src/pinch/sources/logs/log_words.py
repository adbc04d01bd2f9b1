"""Columns of words: those that tell frames apart become flags, what no one understands is named."""

import re
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
    import pandas as pd

    codes, words = pd.factorize(column)
    if not 0 < len(words) <= MOST_WORDS:
        return {}
    found = {}
    for channel, known in _FRAMES_BY_WORD.items():
        form = re.compile(rf"\b(?:{'|'.join(known)})\b", re.IGNORECASE)
        is_so = np.array([form.search(str(word)) is not None for word in words], dtype=float)
        if is_so.any():
            found[channel] = np.where(codes >= 0, is_so[codes], np.nan)
    return found


def not_understood(name: str, column: "pd.Series") -> str:
    """That a column of a few different words is not used; empty where it always says the same, or holds names."""
    words = list(dict.fromkeys(str(word).strip() for word in column.dropna().unique()[: MOST_WORDS + 1]))
    if not 2 <= len(words) <= MOST_WORDS:
        return ""
    return f"{name} holds words ({listed(words)}) and is not used."
