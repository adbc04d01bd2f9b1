"""A device's twin: from its own settled runs to what it would do under a limit, in a room, with a cooler that nobody
has tried. Watts as the limit, the heat or the work itself allows them; clock by watts, score by clock; temperature by
the resistance of the cooler.

Nothing of it is measured, and nothing is said where the runs do not reach.
"""

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core.causes import Cause
from pinch.core.twin_laws import TwinLaws
from pinch.core.twin_runs import HEAT, Change, Draws, Prediction, TwinRefusedError, TwinRun, foretold
from pinch.language import tr

FURTHER, FURTHER_K, HOTTER_K = 0.15, 10.0, 3.0
"""Beyond the watts (as a share), the rooms and the temperatures (K) that were measured, up to which something is
said."""
LEAST_POWERS = 3
APART = 0.03
"""Share by which powers differ that count as several."""


class Miss(Struct, frozen=True):
    """How far predictions of cells that were left out are off what was measured there: the root mean square and the
    largest over `n` cells, as shares or in K, and how many of their intervals hold the measured value."""

    rms: float
    most: float
    n: int
    held: int


class Twin(TwinLaws, frozen=True, dict=True):
    """The laws, and what may be said by them."""

    def predict(self, change: Change) -> Prediction:
        """What the device would settle at.

        Raises
        ------
        TwinRefusedError : the runs do not reach there.
        """
        change = self._filled(change)
        self._check_change(change)
        draws = self.draw(change)
        names, counts = np.unique(draws.kind, return_counts=True)
        kind = str(names[counts.argmax()])
        self._check_draws(change, draws, kind)
        mine = self.held_by(kind, change.fan) or self.held_by(kind) or self.runs
        return Prediction(
            change,
            foretold(draws.power, "W"),
            foretold(draws.clock, "MHz"),
            foretold(draws.temp, "°C"),
            foretold(draws.score, ""),
            kind,
            float(counts.max() / counts.sum()),
            tuple(dict.fromkeys(r.cell for r in mine)),
            draws,
        )

    def _filled(self, change: Change) -> Change:
        """What is left open is as it mostly was."""
        room = change.room_c
        if not math.isfinite(room) and self.rooms:
            rooms = Counter(r.room_c for r in self.runs if math.isfinite(r.room_c))
            room = rooms.most_common(1)[0][0]
        return replace(change, room_c=room, fan=change.fan or self.fans[0])

    def _check_change(self, change: Change) -> None:
        if len(self._powers()) < LEAST_POWERS:
            raise TwinRefusedError(
                tr(
                    "A twin needs settled runs at three different watts, there are {n}: measure another limit.",
                    n=len(self._powers()),
                )
            )
        if change.fan not in self.fans:
            raise TwinRefusedError(
                tr("No run was made with the fan at {fan}: one run with it opens this.", fan=change.fan)
            )
        if self.rooms:
            near = min(self.rooms, key=lambda room: abs(room - change.room_c))
            if abs(near - change.room_c) > FURTHER_K:
                raise TwinRefusedError(
                    tr(
                        "No run was made within {k:.0f} K of a room of {room:.0f} °C: one there opens it, the nearest "
                        "was in {near:.0f} °C.",
                        k=FURTHER_K,
                        room=change.room_c,
                        near=near,
                    )
                )
        elif change.cooling:
            raise TwinRefusedError(
                tr("The room of no run is known, so nothing can be said of the cooler: note the room of one.")
            )
        self._check_strange(change)

    def _powers(self) -> list[float]:
        found: list[float] = []
        for watts in sorted(r.power_w for r in self.runs):
            if not found or watts > found[-1] * (1.0 + APART):
                found.append(watts)
        return found

    def _check_strange(self, change: Change) -> None:
        """Runs near to what is asked that something held which the twin does not follow."""
        for r in self.runs:
            near_limit = not math.isfinite(change.limit_w) or abs(math.log(r.limit_w / change.limit_w)) < FURTHER
            if not r.kind and r.fan == change.fan and near_limit:
                raise TwinRefusedError(
                    tr(
                        "{cell} was held by {cause}, which a twin does not follow: only a run tells what happens here.",
                        cell=r.cell,
                        cause=next(c.label for c in Cause if c == r.cause),
                    )
                )

    def _check_draws(self, change: Change, draws: Draws, kind: str) -> None:
        seen = [r.power_w for r in self.runs]
        watts = float(np.median(draws.power))
        if not min(seen) / (1.0 + FURTHER) <= watts <= max(seen) * (1.0 + FURTHER):
            raise TwinRefusedError(
                tr(
                    "It would draw {watts:.1f} W, and was measured from {least:.1f} to {most:.1f} W: a run at "
                    "{watts:.0f} W opens this.",
                    watts=watts,
                    least=min(seen),
                    most=max(seen),
                )
            )
        if kind == HEAT and not self.held_by(HEAT):
            raise TwinRefusedError(
                tr(
                    "Heat would hold it near {watts:.0f} W, and no run has met its heat limit of {limit:.0f} °C: one "
                    "that heat holds opens this.",
                    watts=watts,
                    limit=self.limit_c,
                )
            )
        temp = float(np.median(draws.temp))
        known = bool(self.held_by(HEAT)) or math.isfinite(self.limit_c)
        if temp > self.hottest_c + HOTTER_K and not known:
            raise TwinRefusedError(
                tr(
                    "It would get {temp:.0f} °C warm, {k:.0f} K more than any run, and its heat limit is not known: "
                    "a run at {watts:.0f} W in that room opens this.",
                    temp=temp,
                    k=temp - self.hottest_c,
                    watts=watts,
                )
            )

    # How good it is

    @cached_property
    def misses(self) -> dict[str, Miss]:
        """How far it is off cells that are left out, one after the other, for watts, clock, temperature and score."""
        cells = dict.fromkeys(r.cell for r in self.runs)
        found: dict[str, list[tuple[float, bool]]] = {}
        for cell in cells:
            own = [r for r in self.runs if r.cell == cell]
            rest = Twin(tuple(r for r in self.runs if r.cell != cell), self.limit_c)
            first = own[0]
            try:
                told = rest.predict(Change(first.limit_w, first.room_c, first.fan))
            except (TwinRefusedError, IndexError):
                continue
            for name, foretold_, values, in_k in (
                ("power", told.power, [r.power_w for r in own], False),
                ("clock", told.clock, [r.clock_mhz for r in own], False),
                ("temp", told.temp, [r.temp_c for r in own], True),
                ("score", told.score, [r.score for r in own], False),
            ):
                if foretold_.known and all(math.isfinite(v) for v in values):
                    value = float(np.mean(values))
                    off = foretold_.value - value if in_k else foretold_.value / value - 1.0
                    found.setdefault(name, []).append((off, foretold_.low <= value <= foretold_.high))
        return {name: _miss(offs) for name, offs in found.items()}


def _miss(offs: Sequence[tuple[float, bool]]) -> Miss:
    values = np.array([off for off, _ in offs])
    return Miss(
        float(np.sqrt(np.mean(values**2))), float(np.abs(values).max()), len(offs), sum(held for _, held in offs)
    )


def twin_of(runs: Iterable[TwinRun], limit_c: float = math.nan) -> Twin:
    """The twin of a device under one workload; `limit_c` is its temperature limit as it is told.

    Raises
    ------
    TwinRefusedError : there is no settled run.
    """
    own = tuple(r for r in runs if r.power_w > 0)
    if not own:
        raise TwinRefusedError(tr("There is no settled run of this work on this device: one opens its twin."))
    return Twin(own, limit_c)
