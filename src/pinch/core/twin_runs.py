"""What a twin is made of and asked: settled runs, a change, and what is foretold of it."""

import math
from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray

LIMIT, HEAT, WORK = "limit", "heat", "work"
BY_CAUSE: Mapping[str, str] = {
    Cause.SUSTAINED_POWER: LIMIT,
    Cause.BURST_POWER: LIMIT,
    Cause.HEAT: HEAT,
    **dict.fromkeys((Cause.CLOCK_CEILING, Cause.FRAME_CAP, Cause.GRAPHICS_BOUND, Cause.WAITING), WORK),
}
"""The limiters that a twin follows."""


class TwinRefusedError(PinchError):
    """The twin says nothing here; the sentence says why, and which run would open it."""


class TwinRun(Struct, frozen=True):
    """A settled run: its cell's name, the limit that was set, what it held, the room, the profile of the fan, and what
    held it; how it began (`burst_w` for `burst_s`, from `idle_w`); resistances K/W and time constants s of its heat.
    NaN or nothing where a figure is not known."""

    cell: str
    power_w: float
    limit_w: float = math.nan
    clock_mhz: float = math.nan
    temp_c: float = math.nan
    score: float = math.nan
    room_c: float = math.nan
    fan: str = ""
    cause: str = ""
    burst_w: float = math.nan
    burst_s: float = math.nan
    idle_w: float = math.nan
    r: tuple[float, ...] = ()
    tau: tuple[float, ...] = ()

    @property
    def kind(self) -> str:
        """Which of the limiters that the twin follows held it; empty for another."""
        return BY_CAUSE.get(self.cause, "") if self.cause else WORK


class Change(Struct, frozen=True):
    """What is asked: a limit in W (NaN: none), a room in °C, a profile of the fan, a clock that is locked (NaN: none),
    and a cooler that carries so much more (a share)."""

    limit_w: float = math.nan
    room_c: float = math.nan
    fan: str = ""
    lock_mhz: float = math.nan
    cooling: float = 0.0


class Foretold(Struct, frozen=True):
    """A predicted figure with its 95 % interval for a run that was made; NaN where the runs do not tell it."""

    value: float
    low: float
    high: float
    unit: str

    @property
    def known(self) -> bool:
        """Whether there is one."""
        return math.isfinite(self.value)


class Draws(Struct, frozen=True):
    """What may be, (n,) each; `kind` is what rules, `allowed` are the watts without heat, `limit_c` is where heat
    holds."""

    power: FloatArray
    clock: FloatArray
    temp: FloatArray
    score: FloatArray
    kind: np.ndarray
    allowed: FloatArray
    limit_c: FloatArray


def foretold(values: FloatArray, unit: str) -> Foretold:
    """The middle of what may be, and its 95 % interval."""
    if not np.isfinite(values).all():
        return Foretold(math.nan, math.nan, math.nan, unit)
    low, middle, high = np.percentile(values, [2.5, 50.0, 97.5])
    return Foretold(float(middle), float(low), float(high), unit)


class Prediction(Struct, frozen=True):
    """What a device would settle at; `kind` rules with so much certainty. `rests_on` are the cells behind it."""

    change: Change
    power: Foretold
    clock: Foretold
    temp: Foretold
    score: Foretold
    kind: str
    certainty: float
    rests_on: tuple[str, ...]
    draws: Draws
