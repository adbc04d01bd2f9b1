"""How far temperatures, clocks and powers went: mean, lowest and highest at rest before the load and under it."""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from pinch.core.channels import ChannelQuantity, quantity_of
from pinch.core.phases import Load
from pinch.core.runlog import EvenLog, FloatArray

RANGED = (ChannelQuantity.TEMP, ChannelQuantity.CLOCK, ChannelQuantity.POWER)


class Spread(Struct, frozen=True):
    """Mean, lowest and highest of 1 s means; NaN where there are none."""

    mean: float
    low: float
    high: float


class ChannelRange(Struct, frozen=True):
    """A channel at rest before the load, and under all of it: nothing is left out for being a fault or a burst."""

    channel: str
    unit: str
    idle: Spread
    load: Spread


def find_ranges(even: EvenLog, load: Load) -> Mapping[str, ChannelRange]:
    """The ranges of all temperatures, clocks and powers, by channel."""
    found = {}
    for name, column in even.columns.items():
        quantity = quantity_of(name)
        if quantity in RANGED:
            idle, under = _spread(column[: load.first]), _spread(column[load.first : load.last])
            found[name] = ChannelRange(name, quantity.unit, idle, under)
    return found


def _spread(values: FloatArray) -> Spread:
    known = values[np.isfinite(values)]
    if not len(known):
        return Spread(float("nan"), float("nan"), float("nan"))
    return Spread(float(known.mean()), float(known.min()), float(known.max()))
