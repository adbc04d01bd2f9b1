"""The course of a run: rest, then one pass of load or several with waits in between."""

import math

from msgspec import Struct


class Course(Struct, frozen=True):
    """Lengths in s by the device's clock. `load_s` is one pass; an endless one ends with its work or by the operator.
    `from_s` is where the run's time begins: a run that is continued goes on later than 0."""

    idle_s: float
    load_s: float
    passes: int = 1
    pause_s: float = 0.0
    warm_up_pass: bool = False
    from_s: float = 0.0

    def begin_s(self, number: int) -> float:
        """When a pass begins, counted from 0."""
        if number == 0:
            return self.from_s + self.idle_s
        return self.end_s(number - 1) + self.pause_s

    def end_s(self, number: int) -> float:
        """When a pass ends."""
        if math.isinf(self.load_s):
            return math.inf
        return self.from_s + self.idle_s + number * (self.load_s + self.pause_s) + self.load_s

    @property
    def total_s(self) -> float:
        """End of the last pass."""
        return self.end_s(self.passes - 1)
