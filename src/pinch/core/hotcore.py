"""The hottest core against all: a low mean can hide a hot core."""

import re

import numpy as np
from msgspec import Struct

from pinch.core.runlog import BoolArray, EvenLog

_CORE = re.compile(r"cpu\.core\.(\d+)\.temp")
HIDDEN_K = 10.0
"""A core this far above the mean is worth a word. Common practice, no source."""


class HotCore(Struct, frozen=True):
    """Means over the settled window: the hottest core by its number, its temperature and that of all cores, °C."""

    number: int
    hottest_c: float
    mean_c: float
    cores: int

    @property
    def above_k(self) -> float:
        """How far the hottest core is above the mean, K."""
        return self.hottest_c - self.mean_c


def find_hot_core(even: EvenLog, inside: BoolArray) -> HotCore | None:
    """The hottest core over the bins `inside` (n,); None with fewer than two cores logged."""
    means = {}
    for name, column in even.columns.items():
        found = _CORE.fullmatch(name)
        values = column[inside & np.isfinite(column)]
        if found and len(values):
            means[int(found.group(1))] = float(values.mean())
    if len(means) < 2:
        return None
    number = max(means, key=lambda core: means[core])
    return HotCore(number, means[number], float(np.mean(list(means.values()))), len(means))
