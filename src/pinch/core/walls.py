"""The wall against the package: how much of each watt arrives, and what the rest of the machine draws.

Wall = floor + package / efficiency, by regression over runs: the floor is all that does not follow the package
(display, memory, storage, controllers, the adapter at rest)."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.core.figures import Estimate, Note
from pinch.core.line import StraightLine, fit_line
from pinch.language import tr

LIKELY = (0.6, 1.0)
"""Efficiencies beyond these are questioned: common practice, no source."""


class WallPoint(Struct, frozen=True):
    """One settled run or its idle part: package and wall W, and what it was."""

    package_w: float
    wall_w: float
    name: str


class WallLine(Struct, frozen=True):
    """Conversion efficiency (share), platform floor W, and the line behind them."""

    efficiency: Estimate
    floor_w: Estimate
    line: StraightLine
    notes: tuple[Note, ...]


def wall_line(points: Sequence[WallPoint]) -> WallLine:
    """The line through all runs of a device.

    Raises
    ------
    DataError : fewer than three points, or all at one power.
    """
    line = fit_line(np.array([p.package_w for p in points]), np.array([p.wall_w for p in points]))
    efficiency = Estimate(1.0 / line.slope, line.u_slope / line.slope**2, "")
    notes = []
    if not LIKELY[0] <= efficiency.value <= LIKELY[1]:
        words = tr(
            "{efficiency:.0f} % of a watt at the wall would arrive: the battery was charging, or the meter",
            efficiency=100 * efficiency.value,
        )
        notes.append(Note("efficiency", tr("{words} and the package do not speak of the same machine.", words=words)))
    if line.intercept < 0:
        notes.append(Note("floor", tr("The floor is below zero: the wall was not read while the package was at rest.")))
    below = [p.name for p in points if p.wall_w < p.package_w]
    if below:
        words = tr(
            "{below}: less at the wall than in the package, so the battery gave the rest.", below=", ".join(below[:3])
        )
        notes.append(Note("below-package", words))
    return WallLine(efficiency, Estimate(line.intercept, line.u_intercept, "W"), line, tuple(notes))
