"""The first minutes of a run against the rest, for those who report a run that way."""

import math
from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from pinch.core.changepoint import best_split
from pinch.core.channels import unit_of
from pinch.core.phases import Load
from pinch.core.runlog import BoolArray, EvenLog

USUAL_MIN = 5
"""What a review calls the first minutes. Common practice, no source."""
LEAST_S = 60.0
"""Either side is a minute at least."""
SHORTEST_LOAD_S = 180.0
FELL = 0.02
"""Where the sides differ by less, nothing says after which minute to part them."""


class EarlyLate(Struct, frozen=True):
    """Means of a channel over the first minutes of load and over the rest."""

    channel: str
    unit: str
    first_min: int
    early: float
    late: float

    @property
    def kept(self) -> float:
        """The late mean over the early one."""
        return self.late / self.early if self.early else math.nan


def early_late(
    even: EvenLog, load: Load, usable: BoolArray, deciding: str | None, channels: tuple[str | None, ...]
) -> Mapping[str, EarlyLate]:
    """The first minutes and the rest by channel; nothing of a load under three minutes.

    They are parted after the whole minute that tells most between the two, by least squares of the deciding channel;
    after five where it hardly tells anything. `usable` (n,) are the bins that may enter a figure.
    """
    if deciding is None or (load.last - load.first) * even.step_s < SHORTEST_LOAD_S:
        return {}
    minute = _parting_minute(even, load, usable, deciding)
    turn = load.first + round(60.0 * minute / even.step_s)
    found = {}
    for name in channels:
        if name is not None:
            kept = usable & np.isfinite(even.columns[name])
            parts = (even.columns[name][a:b][kept[a:b]] for a, b in ((load.first, turn), (turn, load.last)))
            means = [float(part.mean()) if len(part) else math.nan for part in parts]
            found[name] = EarlyLate(name, unit_of(name), minute, *means)
    return found


def _parting_minute(even: EvenLog, load: Load, usable: BoolArray, channel: str) -> int:
    column = even.columns[channel]
    at = np.flatnonzero(usable & np.isfinite(column))
    at = at[(at >= load.first) & (at < load.last)]
    last = int(((load.last - load.first) * even.step_s - LEAST_S) // 60.0)
    usual = min(USUAL_MIN, last)
    margin = math.ceil(LEAST_S / even.step_s)
    if len(at) < 2 * margin:
        return usual
    split = best_split(column[at], margin)
    if abs(split.after - split.before) < FELL * abs(split.before):
        return usual
    return int(min(last, max(1, round((at[split.index] - load.first) * even.step_s / 60.0))))
