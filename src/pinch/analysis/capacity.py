"""Devices by what their batteries hold, so that minutes are set beside minutes of like batteries."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.bench.records import Device
from pinch.core.metrics import Metric

ALIKE = 0.10
"""Batteries that hold up to this much more than the smallest of a group belong to it. Common practice, no source."""
OF_BATTERY = ("minutes", "minutes_wh")


class CapacityGroup(Struct, frozen=True):
    """Devices by number whose batteries hold about the same: from the least to the most, Wh (None: not noted)."""

    least_wh: float | None
    most_wh: float | None
    device_ids: frozenset[int]


def capacity_groups(devices: Sequence[Device], metric: Metric) -> list[CapacityGroup]:
    """Groups of devices by capacity, the smallest first, those that have none noted last; one of all of them where a
    metric is not of the battery, or nothing is noted."""
    known = sorted({(d.battery.usable_wh, d.id) for d in devices if d.battery.usable_wh is not None})
    if metric.key not in OF_BATTERY or not known:
        return [CapacityGroup(None, None, frozenset(d.id for d in devices))]
    parts: list[list[tuple[float, int]]] = []
    for holds, number in known:
        if not parts or holds > (1.0 + ALIKE) * parts[-1][0][0]:
            parts.append([])
        parts[-1].append((holds, number))
    groups = [CapacityGroup(part[0][0], part[-1][0], frozenset(n for _, n in part)) for part in parts]
    rest = frozenset(d.id for d in devices) - {n for _, n in known}
    return [*groups, *([CapacityGroup(None, None, rest)] if rest else [])]
