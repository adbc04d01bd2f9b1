"""Finds the sensors of a machine.

Sources of paths and units: the kernel's Documentation/ABI/testing/sysfs-class-hwmon, -powercap, -thermal, -power,
Documentation/gpu/amdgpu, sysfs-driver-intel-i915-hwmon and Documentation/admin-guide/cputopology.rst. Channel names
and units: docs/formats.md.
"""

import os
import re

from pinch.sources.probe.firmware_table import find_firmware_tables
from pinch.sources.probe.kernel_files import GPU_CHIPS, Monitor, Tree, say, word
from pinch.sources.probe.kernel_numbers import (
    BatteryPower,
    ChargeEnergy,
    Columns,
    CpuInfoClock,
    CpuLoad,
    EnergyCounter,
    Mean,
    OwnCost,
    Scaled,
    StarredClock,
)
from pinch.sources.probe.limits_in_force import find_limits
from pinch.sources.probe.throttling import find_throttle

CPU_CHIPS = ("coretemp", "k10temp", "zenpower", "cpu_thermal")
PACKAGE_LABELS = ("package_id_0", "tctl", "tdie")
POWERCAP_NAMES = {
    "package-0": "cpu.power",
    "core": "cpu.power.cores",
    "uncore": "gpu.power",
    "dram": "memory.power",
    "psys": "platform.power",
}
DRM_CLOCKS = ("gt_act_freq_mhz", "gt/gt0/rps_act_freq_mhz", "device/tile0/gt0/freq0/act_freq", "gt_cur_freq_mhz")
MEASURED = {
    "temp": ("_input", "temp", 1e-3),
    "fan": ("_input", "speed", 1.0),
    "power": ("_average|_input", "power", 1e-6),
    "in": ("_input", "voltage", 1e-3),
    "curr": ("_input", "current", 1e-3),
    "freq": ("_input", "clock", 1e-6),
    "energy": ("_input", "power", 1.0),
}
"""Kinds of files of a hardware monitor: how their names end, what they measure, and the factor to our unit; energy
becomes power by its growth."""


def find_hwmon(tree: Tree, columns: Columns) -> None:
    fans = 0
    for monitor in tree.monitors():
        for name in tree.names(monitor.base):
            found = re.fullmatch(r"([a-z]+)(\d+)(_[a-z]+)", name)
            suffix, quantity, factor = MEASURED.get(found.group(1) if found else "", ("-", "", 1.0))
            file = tree.open(monitor.base, name) if found and re.fullmatch(suffix, found.group(3)) else None
            if found is None or file is None:
                continue
            label = word(tree.text(monitor.base, f"{found.group(1)}{found.group(2)}_label")) or found.group(2)
            if quantity == "speed":
                fans += 1
                columns.add_file(f"fan.{fans}.speed", file, factor)
                continue
            channel = hwmon_channel(monitor, quantity, label)
            if found.group(1) == "energy":
                columns.add(channel, EnergyCounter(file, 0.0))
            elif not (found.group(1) == "power" and found.group(3) == "_input" and columns.has(channel)):
                columns.add_file(channel, file, factor)


def hwmon_channel(monitor: Monitor, quantity: str, label: str) -> str:
    """What a sensor of a monitor is called. The power of graphics that share a chip with the processor is that of the
    whole package."""
    if monitor.chip in CPU_CHIPS and quantity == "temp":
        core = re.fullmatch(r"core_(\d+)", label)
        if core:
            return f"cpu.core.{core.group(1)}.temp"
        return "cpu.temp" if label in PACKAGE_LABELS or monitor.chip == "cpu_thermal" else f"cpu.temp.{label}"
    if monitor.chip in GPU_CHIPS:
        if monitor.is_shared and quantity == "power":
            return "soc.power.burst" if label == "fastppt" else "soc.power"
        first = label in ("edge", "1", "ppt", "sclk", "card")
        return f"gpu.{quantity}" if first else f"gpu.{quantity}.{label}"
    if monitor.chip == "nvme":
        return f"storage.{quantity}" if label in ("composite", "1") else f"storage.{quantity}.{label}"
    return f"{monitor.chip}.{quantity}.{label}"


def find_powercap(tree: Tree, columns: Columns) -> None:
    for folder in tree.names("sys/class/powercap"):
        base = f"sys/class/powercap/{folder}"
        name = tree.text(base, "name")
        if not name or not os.path.exists(tree.path(base, "energy_uj")):
            continue
        if "mmio" in folder:  # the same counter seen through another door
            continue
        file = tree.open(base, "energy_uj")
        if file is not None:
            text = tree.text(base, "max_energy_range_uj")
            known = "psys" if name.startswith("psys") else name
            sensor = EnergyCounter(file, float(text) if text.isdigit() else 0.0)
            columns.add(POWERCAP_NAMES.get(known, f"{word(name)}.power"), sensor)


def find_cpufreq(tree: Tree, columns: Columns) -> None:
    cores = []
    for folder in tree.cpus():
        file = tree.open("sys/devices/system/cpu", folder, "cpufreq/scaling_cur_freq")
        if file is not None:
            cores.append((folder.removeprefix("cpu"), Scaled(file, 1e-3)))
    if cores:
        columns.add("cpu.clock", Mean([sensor for _, sensor in cores]))
        for number, sensor in cores:
            columns.add(f"cpu.core.{number}.clock", sensor)
        return
    file = tree.open("proc/cpuinfo", size=1 << 18)
    if file is not None and CpuInfoClock(file).read(0.0) is not None:
        columns.add("cpu.clock", CpuInfoClock(file))


def find_thermal_zones(tree: Tree, columns: Columns) -> None:
    for folder in tree.names("sys/class/thermal"):
        if not folder.startswith("thermal_zone"):
            continue
        kind = word(tree.text("sys/class/thermal", folder, "type"))
        is_cpu = "pkg" in kind or kind.startswith(("cpu", "soc"))
        if is_cpu and columns.has("cpu.temp"):
            continue
        file = tree.open("sys/class/thermal", folder, "temp")
        columns.add_file("cpu.temp" if is_cpu else f"board.temp.{kind or folder}", file, 1e-3)


def find_power_supply(tree: Tree, columns: Columns) -> None:
    for folder in tree.names("sys/class/power_supply"):
        base = f"sys/class/power_supply/{folder}"
        kind = tree.text(base, "type")
        if kind == "Mains":
            columns.add_file("mains.online", tree.open(base, "online"))
        if kind != "Battery" or tree.text(base, "scope") == "Device":
            continue
        columns.add_file("battery.charge", tree.open(base, "capacity"))
        columns.add_file("battery.temp", tree.open(base, "temp"), 0.1)
        energy, charge = tree.open(base, "energy_now"), tree.open(base, "charge_now")
        volts = tree.text(base, "voltage_min_design")
        if energy is None and charge is not None and volts.isdigit():
            columns.add("battery.energy", ChargeEnergy(charge, int(volts) * 1e-6))
        else:
            columns.add_file("battery.energy", energy, 1e-6)
        power, current = tree.open(base, "power_now"), tree.open(base, "current_now")
        voltage = tree.open(base, "voltage_now")
        if power is not None or (current is not None and voltage is not None):
            columns.add("battery.power", BatteryPower(tree.open(base, "status"), power, current, voltage))


def find_drm(tree: Tree, columns: Columns) -> None:
    for folder in tree.cards():
        base = f"sys/class/drm/{folder}"
        columns.add_file("gpu.load", tree.open(base, "device/gpu_busy_percent"))
        clock = next((f for f in (tree.open(base, name) for name in DRM_CLOCKS) if f is not None), None)
        columns.add_file("gpu.clock", clock)
        states = None if clock or columns.has("gpu.clock") else tree.open(base, "device/pp_dpm_sclk", size=4096)
        if states is not None:
            columns.add("gpu.clock", StarredClock(states))


def find_all(tree: Tree, time_scale: float) -> Columns:
    """All sensors below a root, in the order of their columns."""
    columns = Columns()
    stat = tree.open("proc/stat", size=512)
    if stat is not None:
        columns.add("cpu.load", CpuLoad(stat))
    for find in (
        find_powercap,
        find_cpufreq,
        find_hwmon,
        find_thermal_zones,
        find_throttle,
        find_power_supply,
        find_drm,
        find_firmware_tables,
        find_limits,
    ):
        find(tree, columns)
    columns.add("probe.load", OwnCost(time_scale))
    for lacking in lacks(tree, columns):
        say(f"{lacking.words}{'; `pinch sensors` tells what can be done' if lacking.refused else ''}")
    return columns


class Lack:
    """A quantity that cannot be read, where it would stand, and why not; `refused` where only rights are wanting."""

    def __init__(self, what: str, place: str, why: str, refused: bool) -> None:
        self.what, self.place, self.why, self.refused = what, place, why, refused

    @property
    def words(self) -> str:
        """In a sentence."""
        return f"no {self.what}: {self.place} {self.why}"


def lacks(tree: Tree, columns: Columns) -> list[Lack]:
    """What a judgement rests on and this machine does not tell."""
    found = []
    for channels, what, folder in (
        (("soc.power", "cpu.power"), "package power", "sys/class/powercap"),
        (("cpu.temp", "soc.temp", "gpu.temp"), "processor temperature", "sys/class/hwmon"),
        (("cpu.clock",), "processor clock", "sys/devices/system/cpu/cpu0/cpufreq"),
    ):
        if any(columns.has(channel) for channel in channels):
            continue
        place = tree.path(folder)
        locked = next((path for path, _ in tree.refused if path.startswith(place) and "energy" in path), "")
        if locked:
            found.append(Lack(what, locked, "may not be read by this user", True))
        else:
            there = os.path.exists(place)
            why = "holds nothing readable for it" if there else "is not there, as on most virtual machines"
            found.append(Lack(what, place, why, False))
    return found
