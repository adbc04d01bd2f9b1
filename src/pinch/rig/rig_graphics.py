"""The graphics of a simulated device: they share package, budget and cooler with its processor. Invented."""

from msgspec import Struct

from pinch.rig.hardware import Chip


class RigGraphics(Struct, frozen=True):
    """Graphics beside a processor that feeds them at `feed_w` and `feed_ghz`; they are `above_k` hotter than the die
    for each of their watts, and firmware keeps them at `temp_limit_c`."""

    part: Chip
    feed_w: float
    feed_ghz: float
    above_k: float = 0.10
    temp_limit_c: float = 90.0

    def temp_c(self, die_c: float, power_w: float) -> float:
        """Their temperature while they draw so much, °C."""
        return die_c + self.above_k * power_w


class GraphicsState(Struct, frozen=True):
    """What they show: energy since their work began J, clock MHz, temperature °C, load %."""

    energy_j: float
    clock_mhz: float
    temp_c: float
    load: float
