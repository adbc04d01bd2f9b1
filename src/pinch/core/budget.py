"""What contributes how much to the uncertainty of a figure (JCGM 100:2008), by the package `uncertainties`."""

import math
from collections.abc import Mapping
from typing import Any

from msgspec import Struct

from pinch.core.figures import Contribution, Estimate


class Budget(Struct, frozen=True):
    """A figure with its standard uncertainty, and the parts of it, the largest first."""

    result: Estimate
    parts: tuple[Contribution, ...]


def quantity(value: float, u: float, name: str) -> Any:
    """A value with its standard uncertainty, to reckon with; what comes out remembers it by its name. A value without
    one is a plain number."""
    from uncertainties import ufloat

    return ufloat(value, u, tag=name) if u > 0.0 else value


def budget_of(figure: Any, unit: str) -> Budget:
    """The budget of what was reckoned from quantities."""
    if not hasattr(figure, "error_components"):
        return Budget(Estimate(float(figure), 0.0, unit), ())
    by_name: dict[str, float] = {}
    for variable, part in figure.error_components().items():
        by_name[variable.tag] = math.hypot(by_name.get(variable.tag, 0.0), float(part))
    return added(float(figure.nominal_value), unit, by_name)


def added(value: float, unit: str, parts: Mapping[str, float]) -> Budget:
    """The budget of a figure whose independent parts are known by name: they add as squares (JCGM 100:2008, 5.1.2)."""
    total = math.sqrt(sum(u**2 for u in parts.values()))
    own = [Contribution(name, u, u**2 / total**2) for name, u in parts.items() if u > 0.0]
    return Budget(Estimate(value, total, unit), tuple(sorted(own, key=lambda part: -part.share)))
