"""The pretend tree of a simulated device: the files the kernel would show, so that the very same probe reads them."""

import os
import struct
from pathlib import Path

from pinch.core.causes import Cause
from pinch.rig.catalogue import RigDevice, RigSetting, Tells
from pinch.rig.device import State

COUNTER = "sys/class/powercap/intel-rapl:0"
TABLE, TABLE_BYTES = "sys/class/drm/card0/device/gpu_metrics", 264
RULES = {
    "sustained": (Cause.SUSTAINED_POWER,),
    "burst": (Cause.BURST_POWER,),
    "heat": (Cause.HEAT,),
}
RULE_OFFSETS = {"sustained": 232, "burst": 236, "heat": 244}
"""Limiters of the firmware by what they rule for, and where their counters stand in the table."""
ENERGY_RANGE_UJ = 262_143_328_850
"""An example range of such a counter; it wraps after some 100 minutes at 45 W."""


class PretendTree:
    """Files below a folder, kept open and rewritten in place with each state.

    The clock, `proc/uptime`, is blank while a state is written: a reader that finds the same time before and after
    its sweep has read one moment.
    """

    def __init__(self, folder: Path, device: RigDevice) -> None:
        self._files: dict[str, int] = {}
        self._folder = folder
        self._device = device
        self._busy = self._idle = 0.0
        self._charge_wh = device.battery_wh
        self._last: State | None = None
        for path, text in self._fixed().items():
            self._file(path, text)

    def close(self) -> None:
        """Close the files; they stay as they are."""
        for descriptor in self._files.values():
            os.close(descriptor)

    def show(self, state: State) -> None:
        """Write a state."""
        self._write("proc/uptime", " \n")
        for path, text in self._values(state).items():
            self._write(path, text)
        self._write("proc/uptime", f"{state.clock_s + 100.0:.3f} 0.00\n")
        if self._last is None and self._device.tells is Tells.LOCKED:
            self._lock_counter()
        self._last = state

    def _fixed(self) -> dict[str, str]:
        files = self._chip_fixed() | {"sys/class/hwmon/hwmon1/name": "board\n"}
        if self._charge_wh is not None:
            files["sys/class/power_supply/BAT0/type"] = "Battery\n"
            files["sys/class/power_supply/BAT0/status"] = "Discharging\n"
        return files

    def _chip_fixed(self) -> dict[str, str]:
        """What the chip tells of itself: a counter of the package's energy, and how warm it is."""
        return {
            f"{COUNTER}/name": "package-0\n",
            f"{COUNTER}/max_energy_range_uj": f"{ENERGY_RANGE_UJ}\n",
            "sys/class/hwmon/hwmon0/name": "coretemp\n",
            "sys/class/hwmon/hwmon0/temp1_label": "Package id 0\n",
        }

    def _chip_values(self, state: State) -> dict[str, str]:
        return {
            f"{COUNTER}/energy_uj": f"{int(state.energy_j * 1e6) % ENERGY_RANGE_UJ}\n",
            "sys/class/hwmon/hwmon0/temp1_input": f"{round(state.temp_c * 4) * 250}\n",
        }

    def _values(self, state: State) -> dict[str, str]:
        step = state.clock_s - (self._last.clock_s if self._last else 0.0)
        self._busy += step * state.load / 100.0
        self._idle += step * (1.0 - state.load / 100.0)
        cores = self._device.chip.cores
        cpu = "sys/devices/system/cpu/cpu{}/cpufreq/scaling_cur_freq"
        files = {
            "proc/stat": f"cpu  {self._busy * 1e4 * cores:.0f} 0 0 {self._idle * 1e4 * cores:.0f} 0 0 0 0 0 0\n",
            "sys/class/hwmon/hwmon1/fan1_input": f"{state.fan_rpm:.0f}\n",
            "sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count": f"{state.heat_events}\n",
            **self._chip_values(state),
            **{cpu.format(n): f"{state.clock_mhz * 1000:.0f}\n" for n in range(cores)},
        }
        if self._charge_wh is not None:
            self._charge_wh = max(0.0, self._charge_wh - state.power_w * step / 3600.0)
            battery = "sys/class/power_supply/BAT0"
            files[f"{battery}/capacity"] = f"{100.0 * self._charge_wh / (self._device.battery_wh or 1.0):.0f}\n"
            files[f"{battery}/energy_now"] = f"{self._charge_wh * 1e6:.0f}\n"
            files[f"{battery}/power_now"] = f"{(state.power_w + 4.5) * 1e6:.0f}\n"
        return files

    def _lock_counter(self) -> None:
        """Let root alone read the counter, as the kernel does."""
        (self._folder / COUNTER / "energy_uj").chmod(0o400 if os.geteuid() == 0 else 0o000)

    def _write(self, path: str, text: str) -> None:
        descriptor = self._files.get(path)
        if descriptor is None:
            self._file(path, text)
        else:
            data = text.encode()
            os.pwrite(descriptor, data.ljust(40) if len(data) < 40 else data, 0)

    def _file(self, path: str, text: str) -> None:
        full = self._folder / path
        full.parent.mkdir(parents=True, exist_ok=True)
        full.write_text(text)
        self._files[path] = os.open(full, os.O_RDWR)


class FirmwareTree(PretendTree):
    """The tree of a chip with shared graphics whose firmware tells powers, limits and what rules, in a table. Its
    layout is typed here anew, not taken from the probe, so that neither hides a mistake of the other."""

    def __init__(self, folder: Path, device: RigDevice, limit_w: float) -> None:
        self._limit_w = limit_w
        self._ruled_ms = dict.fromkeys(RULES, 0)
        super().__init__(folder, device)

    def show(self, state: State) -> None:
        step_ms = round(1000.0 * (state.clock_s - (self._last.clock_s if self._last else state.clock_s)))
        for name, causes in RULES.items():
            self._ruled_ms[name] += step_ms if state.truth in causes else 0
        super().show(state)
        table = self._folder / TABLE
        table.parent.mkdir(parents=True, exist_ok=True)
        with table.open("r+b" if table.exists() else "wb") as file:
            file.write(self._table(state))

    def _chip_fixed(self) -> dict[str, str]:
        return {
            "sys/class/hwmon/hwmon0/name": "k10temp\n",
            "sys/class/hwmon/hwmon0/temp1_label": "Tctl\n",
            "sys/class/hwmon/hwmon2/name": "amdgpu\n",
            "sys/class/hwmon/hwmon2/in1_label": "vddnb\n",
            "sys/class/hwmon/hwmon2/power1_label": "PPT\n",
        }

    def _chip_values(self, state: State) -> dict[str, str]:
        return {
            "sys/class/hwmon/hwmon0/temp1_input": f"{round(state.temp_c * 8) * 125}\n",
            "sys/class/hwmon/hwmon2/power1_average": f"{state.power_w * 1e6:.0f}\n",
        }

    def _table(self, state: State) -> bytes:
        """The firmware's table, revision 3.0, all ones where it tells nothing; offsets of the kernel's structure."""
        data = bytearray(b"\xff" * TABLE_BYTES)
        struct.pack_into("<HBB", data, 0, TABLE_BYTES, 3, 0)
        graphics = state.graphics
        for offset, kind, value in (
            (112, "I", 1000.0 * state.power_w),
            (172, "H", 1000.0 * self._limit_w),
            *(((4, "H", 100.0 * graphics.temp_c), (42, "H", graphics.load)) if graphics else ()),
            *(((174, "H", graphics.clock_mhz),) if graphics else ()),
            *((offset, "I", self._ruled_ms[name]) for name, offset in RULE_OFFSETS.items()),
        ):
            struct.pack_into(f"<{kind}", data, offset, round(value))
        return bytes(data)


def pretend_tree(folder: Path, device: RigDevice, setting: RigSetting) -> PretendTree:
    """The tree of a device, of the kind that it is."""
    if device.tells is Tells.FIRMWARE:
        return FirmwareTree(folder, device, setting.sustained_w)
    return PretendTree(folder, device)
