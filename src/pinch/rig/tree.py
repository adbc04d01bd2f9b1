"""The pretend tree of a simulated device: the files the kernel would show, so that the very same probe reads them."""

import os
from pathlib import Path

from pinch.rig.catalogue import RigDevice
from pinch.rig.device import State

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
        self._last = state

    def _fixed(self) -> dict[str, str]:
        files = {
            "sys/class/powercap/intel-rapl:0/name": "package-0\n",
            "sys/class/powercap/intel-rapl:0/max_energy_range_uj": f"{ENERGY_RANGE_UJ}\n",
            "sys/class/hwmon/hwmon0/name": "coretemp\n",
            "sys/class/hwmon/hwmon0/temp1_label": "Package id 0\n",
            "sys/class/hwmon/hwmon1/name": "board\n",
        }
        if self._charge_wh is not None:
            files["sys/class/power_supply/BAT0/type"] = "Battery\n"
            files["sys/class/power_supply/BAT0/status"] = "Discharging\n"
        return files

    def _values(self, state: State) -> dict[str, str]:
        step = state.clock_s - (self._last.clock_s if self._last else 0.0)
        self._busy += step * state.load / 100.0
        self._idle += step * (1.0 - state.load / 100.0)
        cores = self._device.chip.cores
        cpu = "sys/devices/system/cpu/cpu{}/cpufreq/scaling_cur_freq"
        files = {
            "proc/stat": f"cpu  {self._busy * 1e4 * cores:.0f} 0 0 {self._idle * 1e4 * cores:.0f} 0 0 0 0 0 0\n",
            "sys/class/powercap/intel-rapl:0/energy_uj": f"{int(state.energy_j * 1e6) % ENERGY_RANGE_UJ}\n",
            "sys/class/hwmon/hwmon0/temp1_input": f"{round(state.temp_c * 4) * 250}\n",
            "sys/class/hwmon/hwmon1/fan1_input": f"{state.fan_rpm:.0f}\n",
            "sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count": f"{state.heat_events}\n",
            **{cpu.format(n): f"{state.clock_mhz * 1000:.0f}\n" for n in range(cores)},
        }
        if self._charge_wh is not None:
            self._charge_wh = max(0.0, self._charge_wh - state.power_w * step / 3600.0)
            battery = "sys/class/power_supply/BAT0"
            files[f"{battery}/capacity"] = f"{100.0 * self._charge_wh / (self._device.battery_wh or 1.0):.0f}\n"
            files[f"{battery}/energy_now"] = f"{self._charge_wh * 1e6:.0f}\n"
            files[f"{battery}/power_now"] = f"{(state.power_w + 4.5) * 1e6:.0f}\n"
        return files

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
