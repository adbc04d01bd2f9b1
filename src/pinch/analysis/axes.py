"""What a comparison runs along: one thing differs, all else is held as far as it can be."""

from collections.abc import Callable, Hashable, Sequence
from enum import StrEnum

from pinch.analysis.cells import OWN, BenchCell
from pinch.language import tr

LIKE_W = 0.10
"""Cells whose measured watts are no further apart count as fed alike. Common practice, no source."""


class CompareAxis(StrEnum):
    """What a comparison runs along; `words` as a person chooses it."""

    words: str

    DEVICE = "device", "devices, one limit"
    WATTS = "watts", "devices, watts as measured"
    FIELD = "field", "devices, each at its highest limit"
    SETTING = "setting", "settings of a device"
    VARIANT = "variant", "variants of a workload"
    SUPPLY = "supply", "mains and battery"
    GRAPHICS_PATH = "graphics-path", "graphics paths"
    BUILDS = "builds", "builds"
    MEMORY = "memory", "memory"
    DAY = "day", "days"

    def __new__(cls, value: str, words: str) -> "CompareAxis":
        member = str.__new__(cls, value)
        member._value_ = value
        member.words = tr(words)
        return member


OF_DEVICES = (CompareAxis.DEVICE, CompareAxis.WATTS, CompareAxis.FIELD)
_ASKED: dict[CompareAxis, tuple[str, ...]] = {
    CompareAxis.SETTING: ("watts", "claimed-limit", "fan", "clock-lock", "graphics-lock", "undervolt"),
    CompareAxis.VARIANT: (
        *("preset", "upscaling", "frame generation", "resolution", "shape", "frame-cap", "path", "watts"),
    ),
    CompareAxis.SUPPLY: ("supply",),
    CompareAxis.GRAPHICS_PATH: ("graphics-path",),
    CompareAxis.BUILDS: ("build ",),
    CompareAxis.MEMORY: ("memory kind", "memory speed", "memory size", "channels", "graphics-memory"),
    CompareAxis.DAY: ("days",),
}


def on_axis(key: str, axis: CompareAxis) -> bool:
    """Whether a difference of this key is what a comparison along the axis asks."""
    return any(key == asked or (asked.endswith(" ") and key.startswith(asked)) for asked in _ASKED.get(axis, ()))


def asked_by(cells: Sequence[BenchCell]) -> CompareAxis | None:
    """What cells that somebody chose are about, where they say so by themselves: different settings of one device."""
    devices, settings = {c.device.id for c in cells}, {c.setting.id for c in cells}
    return CompareAxis.SETTING if len(devices) == 1 and len(settings) == len(cells) > 1 else None


def along(axis: CompareAxis, cells: Sequence[BenchCell], base: BenchCell, workload_id: int) -> list[BenchCell]:
    """The cells of a comparison along an axis, the base first: of each value on the axis the cell that is most like the
    base in all else, among those that have something of the workload."""
    there = [c for c in cells if workload_id in c.workload_ids]
    own = [c for c in there if c.device.id == base.device.id]
    if axis in OF_DEVICES:
        return _devices(axis, there, base, workload_id)
    if axis is CompareAxis.VARIANT:
        own = [c for c in own if c.variant is not None]
    if axis is CompareAxis.SUPPLY:
        return _by_supply(own)
    if axis is not CompareAxis.SETTING:
        own = [c for c in own if _nearness(base, c)[0] == 0 or axis in (CompareAxis.GRAPHICS_PATH, CompareAxis.MEMORY)]
    return _one_each(own, base, _VALUES[axis])


def widest_base(
    axis: CompareAxis, among: Sequence[BenchCell], cells: Sequence[BenchCell], workload_id: int
) -> BenchCell | None:
    """The one among some of the cells with which a comparison along an axis takes in the most, of several the first;
    None where none takes in another."""
    there = [c for c in among if workload_id in c.workload_ids]
    sizes = [reach(axis, along(axis, cells, c, workload_id)) for c in there]
    return there[sizes.index(max(sizes))] if sizes and max(sizes) > 1 else None


def reach(axis: CompareAxis, found: Sequence[BenchCell]) -> int:
    """How much a comparison takes in: devices where it runs along them, else cells."""
    return len({c.device.id for c in found}) if axis in OF_DEVICES else len(found)


def _devices(axis: CompareAxis, there: Sequence[BenchCell], base: BenchCell, workload_id: int) -> list[BenchCell]:
    """Of each device the cell at the base's limit, within a tenth of its measured watts, or with its highest limit."""
    if axis is CompareAxis.FIELD:
        highest: dict[Hashable, float] = {}
        for c in there:
            place = c.device.id, c.key.origin
            highest[place] = max(c.setting.sustained_w or 0.0, highest.get(place, 0.0))
        there = [c for c in there if c is base or (c.setting.sustained_w or 0.0) == highest[c.device.id, c.key.origin]]
    elif axis is CompareAxis.WATTS:
        watts = base.power_w(workload_id)
        there = [c for c in there if c is base or abs(c.power_w(workload_id) / watts - 1.0) <= LIKE_W]
    else:
        limit = base.setting.sustained_w
        there = [c for c in there if c is base or c.setting.sustained_w == limit or limit is None]
    return _one_each(there, base, lambda c: (c.device.id, c.key.origin))


def _by_supply(own: Sequence[BenchCell]) -> list[BenchCell]:
    """Each setting of a device on battery after the one on mains that is most like it."""
    mains = [c for c in own if c.setting.mains]
    battery = [c for c in own if not c.setting.mains] if mains else []
    pairs = [(min(mains, key=lambda m: _nearness(b, m)), b) for b in battery]
    return list(dict.fromkeys(c for pair in pairs for c in pair))


def _one_each(cells: Sequence[BenchCell], base: BenchCell, value: Callable[[BenchCell], Hashable]) -> list[BenchCell]:
    """The base, and of every other value the cell that is most like it."""
    best: dict[Hashable, BenchCell] = {value(base): base}
    for c in cells:
        kept = best.get(value(c))
        if kept is None or (kept is not base and _nearness(base, c) < _nearness(base, kept)):
            best[value(c)] = c
    first = best.pop(value(base))
    return [first, *best.values()]


def _nearness(base: BenchCell, other: BenchCell) -> tuple[int, bool, bool, bool, float]:
    """How unlike two cells are in what is to be held, the weightiest first: setting, supply, origin, room, watts."""
    a, b = base.setting, other.setting
    watts = abs((a.sustained_w or 0.0) - (b.sustained_w or 0.0))
    apart = int(a.id != b.id)
    return apart, a.mains != b.mains, base.key.origin != other.key.origin, base.key.room_c != other.key.room_c, watts


_VALUES: dict[CompareAxis, Callable[[BenchCell], Hashable]] = {
    CompareAxis.SETTING: lambda c: c.setting.id,
    CompareAxis.VARIANT: lambda c: c.key.variant_id,
    CompareAxis.GRAPHICS_PATH: lambda c: c.setting.graphics_path,
    CompareAxis.BUILDS: lambda c: c.key.builds,
    CompareAxis.MEMORY: lambda c: (c.setting.memory_speed_mts, c.setting.graphics_memory_gb),
    CompareAxis.DAY: lambda c: c.days()[-1:] if c.key.origin == OWN else c.key.origin,
}
