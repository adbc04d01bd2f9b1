"""Limits that are in force, read every few seconds so that one that firmware lowers is seen, and how the machine is
set, in words.

Sources: the kernel's Documentation/ABI/testing/sysfs-class-powercap (constraints, µW and µs), sysfs-class-hwmon and
Documentation/gpu/amdgpu (powerN_cap, µW), sysfs-driver-intel-i915-hwmon (powerN_max, µW), cpufreq (kHz),
sysfs-platform_profile, sysfs-class-firmware-attributes.
"""

import re

from pinch.sources.probe.kernel_files import SensorFile, Tree
from pinch.sources.probe.kernel_numbers import Columns, Extreme, Scaled, Sensor

CONSTRAINTS = {"long_term": "limit", "short_term": "limit_burst", "peak_power": "limit_peak"}
_OF_POWER = re.compile(r"ppt|spl|tdp|pl[1-4]|power|watt", re.IGNORECASE)
CPU = "sys/devices/system/cpu"
MOST_W = 2000.0
"""A limit above means that there is none."""


class Limit(Sensor):
    """A limit in its unit; None where it is none."""

    def __init__(self, file: SensorFile, factor: float) -> None:
        self.file, self.factor = file, factor

    def read(self, clock: float) -> float | None:
        value = self.file.number()
        return None if value is None or not 0.0 < value * self.factor <= MOST_W else value * self.factor


def find_limits(tree: Tree, columns: Columns) -> None:
    """Add the limits of package, graphics and clocks. Of two doors to one limit the lower rules."""
    found: dict[str, list[Sensor]] = {}
    for folder in tree.names("sys/class/powercap"):
        base = f"sys/class/powercap/{folder}"
        if not tree.text(base, "name").startswith("package-"):
            continue
        for name in (n for n in tree.names(base) if re.fullmatch(r"constraint_\d+_name", n)):
            number, kind = name.split("_")[1], CONSTRAINTS.get(tree.text(base, name))
            file = tree.open(base, f"constraint_{number}_power_limit_uw", slow=True) if kind else None
            if file is not None:
                found.setdefault(f"cpu.power.{kind}", []).append(Limit(file, 1e-6))
            window = tree.open(base, f"constraint_{number}_time_window_us", slow=True) if kind == "limit" else None
            if window is not None:
                found.setdefault("cpu.time.window", []).append(Scaled(window, 1e-3))
    for channel, sensors in found.items():
        columns.add(channel, Extreme(sensors, min))
    _find_graphics_limits(tree, columns)
    clocks = [tree.open(CPU, folder, "cpufreq/scaling_max_freq", slow=True) for folder in tree.cpus()]
    highest: list[Sensor] = [Scaled(file, 1e-3) for file in clocks if file is not None]
    if highest:
        columns.add("cpu.clock.limit", Extreme(highest, max))


def _find_graphics_limits(tree: Tree, columns: Columns) -> None:
    for monitor in tree.monitors():
        part = "soc" if monitor.is_shared else "gpu"
        for name in tree.names(monitor.base):
            found = re.fullmatch(r"power(\d+)_(cap|max)", name)
            file = tree.open(monitor.base, name, slow=True) if found and monitor.is_graphics else None
            if found and file is not None:
                number = int(found.group(1))
                channel = f"{part}.power.limit" + ("" if number == 1 else "_burst" if part == "soc" else f"_{number}")
                if not columns.has(channel):
                    columns.add(channel, Limit(file, 1e-6))


def find_states(tree: Tree) -> dict[str, SensorFile]:
    """How the machine is set, in words, by what it is: profile, governor, energy preference, boost, firmware."""
    wanted = {
        "platform profile": ("sys/firmware/acpi/platform_profile",),
        **{
            f"platform profile {name}": (f"sys/class/platform-profile/{name}/profile",)
            for name in tree.names("sys/class/platform-profile")
        },
        "governor": (CPU, "cpu0/cpufreq/scaling_governor"),
        "energy preference": (CPU, "cpu0/cpufreq/energy_performance_preference"),
        "boost": (CPU, "cpufreq/boost"),
        "no turbo": (CPU, "intel_pstate/no_turbo"),
    }
    for maker in tree.names("sys/class/firmware-attributes"):
        folder = f"sys/class/firmware-attributes/{maker}/attributes"
        powers = [name for name in tree.names(folder) if _OF_POWER.search(name)]
        wanted |= {f"firmware {name}": (f"{folder}/{name}/current_value",) for name in powers}
    opened = {what: tree.open(*parts, slow=True) for what, parts in wanted.items()}
    return {what: file for what, file in opened.items() if file is not None}
