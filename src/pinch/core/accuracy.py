"""What an instrument's stated accuracy means for a reading, as a standard uncertainty.

A statement such as ± (0.5 % of reading + 0.1 % of range) gives bounds with nothing between them preferred: a
rectangular distribution, whose standard deviation is its half-width / √3 (JCGM 100:2008, 4.3.7). A display that shows
steps of d adds d / √12 (the same, F.2.2.1). Independent parts add as squares.
"""

import math

from msgspec import Struct

from pinch.core.robust import RECTANGLE


class Accuracy(Struct, frozen=True):
    """An instrument's statement: shares in % of the reading and of the range; range, resolution and a fixed part in the
    unit of the quantity."""

    of_reading: float = 0.0
    of_range: float = 0.0
    range: float = 0.0
    resolution: float = 0.0
    fixed: float = 0.0

    @property
    def stated(self) -> bool:
        """Whether it says anything."""
        return max(self.of_reading, self.of_range * self.range, self.resolution, self.fixed) > 0.0

    def standard_u(self, value: float) -> float:
        """Standard uncertainty of a reading, in its unit; 0 where nothing is stated."""
        bound = (self.of_reading * abs(value) + self.of_range * self.range) / 100.0 + self.fixed
        return math.hypot(bound / math.sqrt(3.0), self.resolution / RECTANGLE)
