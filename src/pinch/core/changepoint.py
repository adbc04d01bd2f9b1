"""Where a level changes: the least-squares split of a series into two means."""

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray


class Split(Struct, frozen=True):
    """Best split of a series: `index` samples before it; means either side; residual sums of squares."""

    index: int
    before: float
    after: float
    rss_one: float
    rss_two: float


def best_split(values: FloatArray, margin: int = 1) -> Split:
    """The split of (n,) values into two constant levels with the least residual sum of squares.

    Each side keeps at least `margin` samples; n must be at least 2·margin.
    """
    n = len(values)
    centred = values - values.mean()
    running = np.cumsum(centred)[:-1]
    k = np.arange(1, n)
    gain = running**2 / k + running**2 / (n - k)  # between-group sum of squares; the total sums to 0
    allowed = slice(margin - 1, n - margin)
    index = int(np.argmax(gain[allowed])) + margin
    total = float(centred @ centred)
    return Split(
        index,
        float(values[:index].mean()),
        float(values[index:].mean()),
        total,
        total - float(gain[index - 1]),
    )


def first_level(values: FloatArray, smallest: float, margin: int = 2) -> int | None:
    """Length in samples of the first level of (n,) values, or None where there is one level only.

    Splits again and again before the first change, while both sides differ by at least the share
    `smallest` of the larger and the residual shrinks far beyond chance.
    """
    end: int | None = None
    while True:
        part = values[:end]
        if len(part) < 2 * margin + 1:
            return end
        split = best_split(part, margin)
        step = abs(split.before - split.after) / max(abs(split.before), abs(split.after), 1e-12)
        ratio = (split.rss_one - split.rss_two) / max(split.rss_two / (len(part) - 2), 1e-12)
        if step < smallest or ratio < 30.0:
            return end
        end = split.index
