"""A ladder of limits: from–to in even steps, snapped to what the device allows."""

import math
import re

import numpy as np

from pinch.bench.entry import read_quantity
from pinch.bench.parts import Claims
from pinch.core.errors import PinchError

MOST_RUNGS = 40


def rungs(low_w: float, high_w: float, count: int, geometric: bool, allowed: Claims) -> list[float]:
    """Limits in W, lowest first: `count` of them, each the same watts (or, `geometric`, the same factor) above the one
    before, then snapped to the device's own steps within its lowest and highest. Rungs that fall together are one.

    Raises
    ------
    PinchError : the range makes no sense, or nothing of it can be set.
    """
    if not (0 < low_w <= high_w and math.isfinite(high_w)):
        raise PinchError(f"A ladder goes up: from {low_w:g} W to {high_w:g} W does not.")
    if not 2 <= count <= MOST_RUNGS:
        raise PinchError(f"A ladder has 2 to {MOST_RUNGS} rungs, not {count}.")
    wanted = np.geomspace(low_w, high_w, count) if geometric else np.linspace(low_w, high_w, count)
    lowest, highest = allowed.lowest_w or 0.0, allowed.highest_w or math.inf
    step = allowed.step_w or 1.0
    first = allowed.lowest_w or 0.0
    snapped = (round(first + step * round((w - first) / step), 3) for w in wanted)
    inside = sorted({w for w in snapped if max(lowest, 1e-9) <= w <= highest})
    if not inside:
        raise PinchError(f"Nothing from {low_w:g} W to {high_w:g} W can be set: the device allows {_range(allowed)}.")
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
        raise PinchError(f"A ladder has 1 to {MOST_RUNGS} rungs, such as 18/33/60.")
    lowest, highest = allowed.lowest_w or 0.0, allowed.highest_w or math.inf
    outside = next((w for w in found if not max(lowest, 1e-9) <= w <= highest), None)
    if outside is not None:
        raise PinchError(f"{outside:g} W cannot be set: the device allows {_range(allowed)}.")
    return found


def _range(allowed: Claims) -> str:
    low = f"{allowed.lowest_w:g} W" if allowed.lowest_w else "any"
    return f"{low} to {allowed.highest_w:g} W" if allowed.highest_w else f"{low} and up"
