"""What more hardware brings: the ratio of two devices' results beside the ratio of the units that share the work.

Were the work shared out without loss, twice the units would do twice the work; what is reached of that is the yield. It
is a description of two devices, not a property of their units, which may be of another size and clock.
"""

import math

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.verdict import Verdict
from pinch.language import tr


class UnitYield(Struct, frozen=True):
    """Units of one kind (`what`) on a device and on the one it is set against, and how many times as much work it does,
    with the 95 % interval (NaN: none)."""

    what: str
    units: float
    base_units: float
    ratio: float
    low: float
    high: float

    @property
    def units_ratio(self) -> float:
        """How many times as many units it has."""
        return self.units / self.base_units

    @property
    def share(self) -> float:
        """What of the work that the units promise is done: 1 is all of it."""
        return self.ratio / self.units_ratio

    @property
    def interval(self) -> tuple[float, float]:
        """The 95 % interval of the share; NaN: none."""
        return self.low / self.units_ratio, self.high / self.units_ratio


def unit_yield(what: str, units: float, base_units: float, verdict: Verdict) -> UnitYield:
    """The yield of a device's units by its verdict against the other. Counts of units are taken as exact.

    Raises
    ------
    DataError : one of the counts is not above zero, or the verdict has no ratio.
    """
    if min(units, base_units) <= 0 or not math.isfinite(verdict.ratio):
        raise DataError("units", tr("both devices need units of this kind, and results that make a ratio"))
    low, high = (verdict.low, verdict.high) if verdict.has_interval else (math.nan, math.nan)
    return UnitYield(what, units, base_units, verdict.ratio, low, high)
