"""Columns of words: those that tell frames apart become flags, what no one understands is named."""

import re
from typing import TYPE_CHECKING

import numpy as np

from pinch.core.channels import ChannelQuantity
from pinch.core.framekinds import DROPPED
from pinch.core.frames import GENERATED
from pinch.core.printing import listed
from pinch.core.runlog import FloatArray
from pinch.language import tr

if TYPE_CHECKING:
    import pandas as pd

MOST_WORDS, LONGEST = 8, 60
"""A column of more different words than this, or of longer ones (signs), is of names or notes, and not of states."""
FRAME_FLAGS = {GENERATED: ChannelQuantity.GENERATED, DROPPED: ChannelQuantity.DROPPED}
"""The channels that words may stand for, by what logs call them."""


def frame_flags(column: "pd.Series") -> dict[str, FloatArray]:
    """By channel, 1 where the words of a column (n,) say that a frame was generated, or dropped, and 0 where they say
    something else; nothing where no word of it says so."""
    import pandas as pd

    codes, words = pd.factorize(column)
    if not 0 < len(words) <= MOST_WORDS:
        return {}
    found = {}
    for channel, quantity in FRAME_FLAGS.items():
        form = re.compile(rf"\b(?:{'|'.join(quantity.words)})\b", re.IGNORECASE)
        is_so = np.array([form.search(str(word)) is not None for word in words], dtype=float)
        if is_so.any():
            found[channel] = np.where(codes >= 0, is_so[codes], np.nan)
    return found


def not_understood(name: str, column: "pd.Series") -> str:
    """That a column of a few different words is not used; empty where it always says the same, or holds names."""
    words = list(dict.fromkeys(str(word).strip() for word in column.dropna().unique()[: MOST_WORDS + 1]))
    if not 2 <= len(words) <= MOST_WORDS or max(map(len, words)) > LONGEST:
        return ""
    return tr("{name} holds words ({words}) and is not used.", name=name, words=listed(words))
