"""Energy from samples of power: the trapezoid, with gaps left out and said."""

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray, breaks_of


class Energy(Struct, frozen=True):
    """Energy in J over `covered_s` of `span_s`; what lies in gaps is not in it."""

    joules: float
    covered_s: float
    span_s: float

    @property
    def coverage(self) -> float:
        """Share of the time that was measured."""
        return self.covered_s / self.span_s if self.span_s > 0 else 0.0

    @property
    def mean_w(self) -> float:
        """Mean power over what was measured, W."""
        return self.joules / self.covered_s if self.covered_s > 0 else float("nan")

    @property
    def watt_hours(self) -> float:
        """The same in Wh."""
        return self.joules / 3600.0


def energy_of(t: FloatArray, power: FloatArray) -> Energy:
    """Energy of (n,) W at (n,) s, by the trapezoid between samples that no gap lies between."""
    if len(t) < 2:
        return Energy(0.0, 0.0, 0.0)
    steps = np.diff(t)
    near = ~breaks_of(t)
    parts = 0.5 * (power[1:] + power[:-1]) * steps
    return Energy(float(parts[near].sum()), float(steps[near].sum()), float(t[-1] - t[0]))
