"""What contributes how much to the uncertainty of a figure (JCGM 100:2008), by the package `uncertainties`."""

from dataclasses import dataclass
from typing import Any

from pinch.core.figures import Estimate


@dataclass(frozen=True)
class Contribution:
    """A part of an uncertainty: its source, its own part in the unit of the figure, and its share of the variance."""

    name: str
    u: float
    share: float


@dataclass(frozen=True)
class Budget:
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
    total = float(figure.std_dev)
    by_name: dict[str, float] = {}
    for variable, part in figure.error_components().items():
        by_name[variable.tag] = by_name.get(variable.tag, 0.0) + float(part) ** 2
    parts = [Contribution(n, v**0.5, v / total**2 if total else 0.0) for n, v in by_name.items() if v > 0]
    result = Estimate(float(figure.nominal_value), total, unit)
    return Budget(result, tuple(sorted(parts, key=lambda p: -p.share)))
