"""`gpu_metrics`: the firmware's own account of powers, clocks, temperatures and of what limits it, a binary table.

Layouts after the kernel's drivers/gpu/drm/amd/include/kgd_pp_interface.h: a header of structure size (u16), format and
content revision (u8 each), then little-endian fields. All ones stand for what a chip does not tell. A table of another
size or revision is left alone and named once. Format 1 is a graphics card, 2 and 3 are chips with shared graphics.

The units of the older tables of format 2 differ between chips and stand nowhere: they are taken from the documented
file of the same quantity, read at the same moment; without one they are left out. Those of format 3 stand in
drivers/gpu/drm/amd/pm/swsmu/inc/pmfw_if/smu14_driver_if_v14_0_0.h.
"""

import math
import os
import struct

from pinch.sources.probe.kernel_files import SensorFile, Tree, say
from pinch.sources.probe.kernel_numbers import Columns, Grown, Sensor

HEADER = struct.Struct("<HBB")
SIZES = {(1, 3): 120, (2, 0): 120, (2, 1): 120, (2, 2): 128, (2, 3): 152, (2, 4): 168, (3, 0): 264}
MOST_BYTES = 4096
CENTI, MILLI = 0.01, 0.001
NEAR = 3.0
"""A unit is taken where the value is within this factor of the documented one; the units differ by 100 and more."""

U16, U32, U64 = "H", "I", "Q"
POWER, TEMP, CLOCK, SHARE, RATE = "power", "temp", "clock", "share", "rate"
FORMS = {kind: (struct.Struct(f"<{kind}"), (1 << 8 * struct.calcsize(f"<{kind}")) - 1) for kind in (U16, U32, U64)}
"""How a kind of number is read, and what stands for none: all ones."""
Field = tuple[str, int, str, str]
"""Channel, offset in bytes, kind of number, quantity."""

_CARD: tuple[Field, ...] = (
    ("gpu.load", 16, U16, SHARE),
    ("gpu.power", 22, U16, POWER),
    ("gpu.clock", 54, U16, CLOCK),
    ("gpu.temp", 4, U16, TEMP),
    ("gpu.temp.junction", 6, U16, TEMP),
    ("gpu.temp.mem", 8, U16, TEMP),
    ("gpu.clock.memory", 44, U16, CLOCK),
)


def _shared(temp: int, activity: int, power: int, clock: int, now: int) -> tuple[Field, ...]:
    """The fields of format 2, which stand in the same order everywhere, from the offsets of their groups."""
    return (
        ("soc.power", power, U16, POWER),
        ("cpu.power.cores", power + 2, U16, POWER),
        ("soc.power.uncore", power + 4, U16, POWER),
        ("gpu.power", power + 6, U16, POWER),
        *((f"cpu.core.{n}.power", power + 8 + 2 * n, U16, POWER) for n in range(8)),
        ("gpu.load", activity, U16, SHARE),
        ("gpu.clock", now, U16, CLOCK),
        ("memory.clock", clock + 4, U16, CLOCK),
        ("memory.clock.fabric", clock + 6, U16, CLOCK),
        ("gpu.temp", temp, U16, TEMP),
        ("soc.temp", temp + 2, U16, TEMP),
        *((f"cpu.core.{n}.temp", temp + 4 + 2 * n, U16, TEMP) for n in range(8)),
    )


_LATER_SHARED = _shared(temp=4, activity=28, power=40, clock=64, now=76)
FIELDS: dict[tuple[int, int], tuple[Field, ...]] = {
    (1, 3): _CARD,
    (2, 0): _shared(temp=16, activity=40, power=44, clock=68, now=80),
    (2, 1): _LATER_SHARED,
    (2, 2): _LATER_SHARED,
    (2, 3): _LATER_SHARED,
    (2, 4): _LATER_SHARED,
    (3, 0): (
        ("soc.power", 112, U32, POWER),
        ("soc.power.npu", 116, U16, POWER),
        ("gpu.power", 124, U32, POWER),
        ("gpu.power.discrete", 128, U32, POWER),
        ("cpu.power.cores", 132, U32, POWER),
        *((f"cpu.core.{n}.power", 136 + 2 * n, U16, POWER) for n in range(16)),
        ("platform.power", 168, U16, POWER),
        ("soc.power.limit", 172, U16, POWER),
        ("gpu.load", 42, U16, SHARE),
        ("gpu.clock", 174, U16, CLOCK),
        ("memory.clock.fabric", 182, U16, CLOCK),
        ("memory.clock", 186, U16, CLOCK),
        ("memory.bandwidth.read", 94, U16, RATE),
        ("memory.bandwidth.write", 96, U16, RATE),
        ("gpu.temp", 4, U16, TEMP),
        ("soc.temp", 6, U16, TEMP),
        ("skin.firmware.temp", 40, U16, TEMP),
        *((f"cpu.core.{n}.temp", 8 + 2 * n, U16, TEMP) for n in range(16)),
    ),
}
STATED = {
    **{((1, 3), quantity): 1.0 for quantity in (POWER, TEMP, SHARE)},
    ((2, 4), POWER): MILLI,
    ((2, 4), TEMP): CENTI,
    ((2, 4), SHARE): CENTI,
    ((3, 0), POWER): MILLI,
    ((3, 0), TEMP): CENTI,
    ((3, 0), SHARE): 1.0,
}
"""Units that are known, as the factor to W, °C and %; clocks are MHz and rates MB/s everywhere."""
OFFERED = {POWER: (1.0, MILLI), TEMP: (1.0, CENTI), SHARE: (1.0, CENTI)}

STATUS_AT = {(1, 3): 112, (2, 2): 120, (2, 3): 120, (2, 4): 120}
"""Where the throttle status with the same bits for every chip stands; the older one differs from chip to chip."""
STATUS_BITS = {
    "power": (0, 1, 2, 3, 4, 6, 7),
    "burst": (5,),
    "current": (16, 17, 18, 19, 20, 21, 22, 23),
    "heat": tuple(range(32, 46)),
    "outside": (46, 47),
}
RESIDENCY_AT = {"outside": (228,), "power": (232, 240), "burst": (236,), "heat": (244, 248, 252)}
"""Of format 3: counters that grow while a limiter rules. `outside` is a signal from outside the chip: often the
adapter, the battery or a voltage regulator."""


class FirmwareTable:
    """The table as it was last read, checked once a reading against the revision that it had at first."""

    def __init__(self, file: SensorFile, revision: tuple[int, int]) -> None:
        self.file, self.revision = file, revision
        self.told = self.whole = False
        self.checked: bytes | None = None

    def number(self, offset: int, kind: str) -> int | None:
        """A field, None where the chip does not tell it or the table is another just now."""
        data = self.file.data
        if data is not self.checked:
            self.checked, self.whole = data, data is not None and self._is_whole(data)
        if data is None or not self.whole:
            return None
        form, untold = FORMS[kind]
        value: int = form.unpack_from(data, offset)[0]
        return None if value == untold else value

    def _is_whole(self, data: bytes) -> bool:
        size = SIZES[self.revision]
        if len(data) >= size and HEADER.unpack_from(data) == (size, *self.revision):
            return True
        if not self.told:
            say(f"{self.file.path} is not the table that it was; its cells stay empty")
            self.told = True
        return False


class TableField(Sensor):
    """A field of the table times a factor."""

    def __init__(self, table: FirmwareTable, offset: int, kind: str, factor: float = 1.0) -> None:
        self.table, self.offset, self.kind, self.factor = table, offset, kind, factor

    def read(self, clock: float) -> float | None:
        value = self.table.number(self.offset, self.kind)
        return None if value is None else value * self.factor


class StatusFlag(Sensor):
    """1 where one of some bits of the throttle status is set, else 0."""

    def __init__(self, table: FirmwareTable, offset: int, bits: tuple[int, ...]) -> None:
        self.table, self.offset, self.mask = table, offset, sum(1 << bit for bit in bits)

    def read(self, clock: float) -> float | None:
        status = self.table.number(self.offset, U64)
        return None if status is None else float(bool(status & self.mask))


class Residencies:
    """Growth of the residency counters of one table, in cycles of a timer whose pace stands nowhere: it is taken to be
    the fastest growth that any of them has shown, so that shares are upper bounds until one rules fully."""

    def __init__(self) -> None:
        self.fastest = 0.0


class RulingShare(Sensor):
    """For which share of the time since the read before one of some limiters ruled, 0 to 1."""

    def __init__(self, counters: list[Grown], of_all: Residencies) -> None:
        self.counters, self.of_all = counters, of_all

    def read(self, clock: float) -> float | None:
        grown = [rate for rate in (counter.read(clock) for counter in self.counters) if rate is not None]
        if not grown:
            return None
        self.of_all.fastest = max(self.of_all.fastest, *grown)
        return min(1.0, max(grown) / self.of_all.fastest) if self.of_all.fastest else 0.0


def find_firmware_tables(tree: Tree, columns: Columns) -> None:
    """Add what the firmware tells of each graphics device, where no documented file tells it already."""
    for folder in tree.cards():
        file = tree.open(f"sys/class/drm/{folder}/device/gpu_metrics", size=MOST_BYTES)
        if file is None or not file.data:
            continue
        size, *found = HEADER.unpack_from(file.data) if len(file.data) >= HEADER.size else (0, 0, 0)
        revision = (found[0], found[1])
        if SIZES.get(revision) != size or len(file.data) < size:
            tree.files.remove(file)
            say(f"{file.path} is left alone: revision {revision[0]}.{revision[1]}, {size} bytes, is not known")
            continue
        _add_table(tree, columns, FirmwareTable(file, revision), f"sys/class/drm/{folder}/device")


def _add_table(tree: Tree, columns: Columns, table: FirmwareTable, device: str) -> None:
    factors = {quantity: _factor(tree, table, quantity, device) for quantity in (POWER, TEMP, SHARE)}
    for quantity in (q for q, factor in factors.items() if factor is None):
        say(f"{table.file.path}: the unit of its {quantity} cannot be told; that is left out")
    for channel, offset, kind, quantity in FIELDS[table.revision]:
        factor = factors.get(quantity, 1.0)
        if factor is not None and table.number(offset, kind) is not None and not columns.has(channel):
            columns.add(channel, TableField(table, offset, kind, factor))
    part = "gpu" if table.revision[0] == 1 else "soc"
    status = STATUS_AT.get(table.revision)
    if status is not None and table.number(status, U64) is not None:
        for cause, bits in STATUS_BITS.items():
            columns.add(f"{part}.throttle.{cause}", StatusFlag(table, status, bits))
    if table.revision == (3, 0):
        of_all = Residencies()
        for cause, offsets in RESIDENCY_AT.items():
            told = [at for at in offsets if table.number(at, U32) is not None]
            if told:
                counters = [Grown(TableField(table, at, U32)) for at in told]
                columns.add(f"{part}.throttle.{cause}", RulingShare(counters, of_all))


def _factor(tree: Tree, table: FirmwareTable, quantity: str, device: str) -> float | None:
    """The unit of a quantity: as stated, else the one that agrees with the documented file of the same device."""
    stated = STATED.get((table.revision, quantity))
    if stated is not None:
        return stated
    channel, documented = {
        POWER: ("soc.power", _first_number(tree, device, ("power1_average", "power1_input"), 1e-6)),
        TEMP: ("gpu.temp", _first_number(tree, device, ("temp1_input",), 1e-3)),
        SHARE: ("gpu.load", _number_in(tree, f"{device}/gpu_busy_percent")),
    }[quantity]
    field = next((f for f in FIELDS[table.revision] if f[0] == channel), None)
    value = table.number(field[1], field[2]) if field else None
    if not value or not documented:
        return None
    off = {factor: abs(math.log(value * factor / documented)) for factor in OFFERED[quantity]}
    best = min(off, key=off.__getitem__)
    return best if off[best] <= math.log(NEAR) else None


def _first_number(tree: Tree, device: str, names: tuple[str, ...], factor: float) -> float | None:
    monitors = tree.names(f"{device}/hwmon")
    found = (_number_in(tree, f"{device}/hwmon", monitor, name) for monitor in monitors for name in names)
    value = next((v for v in found if v), None)
    return None if value is None else value * factor


def _number_in(tree: Tree, *parts: str) -> float | None:
    text = tree.text(os.path.join(*parts))
    return float(text) if text.isdigit() else None
