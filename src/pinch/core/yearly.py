"""Energy of a year by published weights of its modes: TEC = 8.76 Σ P·w kWh (W; hours of a year in thousands)."""

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.language import tr

THOUSAND_HOURS = 8.76
MODES = (tr("off"), tr("sleep"), tr("long idle"), tr("short idle"))


class YearProfile(Struct, frozen=True):
    """Shares of the year in each mode, with where they come from."""

    name: str
    weights: tuple[float, ...]
    source: str


PROFILES = (
    YearProfile(
        tr("notebook"), (0.25, 0.35, 0.10, 0.30), tr("ENERGY STAR Computers v6 to v8, conventional (from memory)")
    ),
    YearProfile(
        tr("desktop"), (0.45, 0.05, 0.15, 0.35), tr("ENERGY STAR Computers v6 to v8, conventional (from memory)")
    ),
)


class Year(Struct, frozen=True):
    """Energy of a year in kWh, by mode and in all, and what it costs."""

    by_mode_kwh: tuple[float, ...]
    kwh: float
    cost: float


def typical_year(watts: tuple[float, ...], weights: tuple[float, ...], tariff: float = 0.0) -> Year:
    """The year of a machine that draws so many W in each mode, at a tariff for a kWh.

    Raises
    ------
    DataError : the weights do not add up to 1, or there are not as many as watts.
    """
    if len(watts) != len(weights):
        raise DataError("year", tr("every mode has a power and a weight"))
    if abs(sum(weights) - 1.0) > 1e-6:
        raise DataError("year", tr("the weights add up to {weights:g}, not to 1", weights=sum(weights)))
    parts = tuple(THOUSAND_HOURS * w * share for w, share in zip(watts, weights, strict=True))
    return Year(parts, sum(parts), tariff * sum(parts))
