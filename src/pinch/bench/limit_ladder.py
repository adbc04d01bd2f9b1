"""A ladder of limits: from–to in even steps, snapped to what the device allows."""

import math
import re

import numpy as np

from pinch.bench.entry import read_quantity
from pinch.bench.parts import Claims
from pinch.core.errors import PinchError
from pinch.language import tr

MOST_RUNGS = 40


def rungs(low_w: float, high_w: float, count: int, geometric: bool, allowed: Claims) -> list[float]:
    """Limits in W, lowest first: `count` of them, each the same watts (or, `geometric`, the same factor) above the one
    before, then snapped to the device's own steps within its lowest and highest. Rungs that fall together are one.

    Raises
    ------
    PinchError : the range makes no sense, or nothing of it can be set.
    """
    if not (0 < low_w <= high_w and math.isfinite(high_w)):
        raise PinchError(tr("A ladder goes up: from {low_w:g} W to {high_w:g} W does not.", low_w=low_w, high_w=high_w))
    if not 2 <= count <= MOST_RUNGS:
        raise PinchError(tr("A ladder has 2 to {most_rungs} rungs, not {count}.", most_rungs=MOST_RUNGS, count=count))
    wanted = np.geomspace(low_w, high_w, count) if geometric else np.linspace(low_w, high_w, count)
    lowest, highest = allowed.lowest_w or 0.0, allowed.highest_w or math.inf
    step = allowed.step_w or 1.0
    first = allowed.lowest_w or 0.0
    snapped = (round(first + step * round((w - first) / step), 3) for w in wanted)
    inside = sorted({w for w in snapped if max(lowest, 1e-9) <= w <= highest})
    if not inside:
        raise PinchError(
            tr(
                "Nothing from {low_w:g} W to {high_w:g} W can be set: the device allows {range}.",
                low_w=low_w,
                high_w=high_w,
                range=_range(allowed),
            )
        )
    return inside


def typed_rungs(text: str, allowed: Claims) -> list[float]:
    """Limits as somebody lists them, such as `18/33/60` or `18, 33, 60 W`, lowest first.

    Raises
    ------
    PinchError : one is no number of watts, or cannot be set.
    """
    parts = [part for part in re.split(r"[/;\s]+|,\s+", text.replace("W", " ").strip()) if part]
    found = sorted({read_quantity(part, "W").value for part in parts})
    if not 1 <= len(found) <= MOST_RUNGS:
        raise PinchError(tr("A ladder has 1 to {most_rungs} rungs, such as 18/33/60.", most_rungs=MOST_RUNGS))
    lowest, highest = allowed.lowest_w or 0.0, allowed.highest_w or math.inf
    outside = next((w for w in found if not max(lowest, 1e-9) <= w <= highest), None)
    if outside is not None:
        raise PinchError(
            tr("{outside:g} W cannot be set: the device allows {range}.", outside=outside, range=_range(allowed))
        )
    return found


def _range(allowed: Claims) -> str:
    low = tr("{lowest_w:g} W", lowest_w=allowed.lowest_w) if allowed.lowest_w else tr("any")
    return (
        tr("{low} to {highest_w:g} W", low=low, highest_w=allowed.highest_w)
        if allowed.highest_w
        else tr("{low} and up", low=low)
    )
