"""Sensors: what is made of the numbers in the kernel's files, a class a way of reading them."""

import re
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence

from pinch.sources.probe.kernel_files import SensorFile, say

CELLS = 128
"""What a sensor of a file keeps written at most."""


class Sensor(ABC):
    """Something with a number for each row; None, an empty cell, where it has none just now."""

    @abstractmethod
    def read(self, clock: float) -> float | None: ...

    def cell(self, clock: float) -> str:
        value = self.read(clock)
        return "" if value is None else f"{value:.3f}".rstrip("0").rstrip(".")


class Scaled(Sensor):
    """A number in a file times a factor. Most sensors are of this kind, and what they say comes again and again: it is
    written once."""

    def __init__(self, file: SensorFile, factor: float) -> None:
        self.file, self.factor = file, factor
        self.cells: dict[bytes | None, str] = {}

    def read(self, clock: float) -> float | None:
        value = self.file.number()
        return None if value is None else value * self.factor

    def cell(self, clock: float) -> str:
        data = self.file.data
        cell = self.cells.get(data)
        if cell is None:
            if len(self.cells) == CELLS:
                self.cells.clear()
            cell = self.cells[data] = super().cell(clock)
        return cell


class Mean(Sensor):
    """The mean of several sensors, of those that answer."""

    def __init__(self, parts: Sequence[Sensor]) -> None:
        self.parts = parts

    def read(self, clock: float) -> float | None:
        values = [v for v in (part.read(clock) for part in self.parts) if v is not None]
        return sum(values) / len(values) if values else None


class Sum(Mean):
    """The sum of several counters; None as soon as one does not answer."""

    def read(self, clock: float) -> float | None:
        values = [part.read(clock) for part in self.parts]
        whole = [v for v in values if v is not None]
        return sum(whole) if len(whole) == len(values) else None


class EnergyCounter(Sensor):
    """Mean power since the read before, from microjoules that wrap at a stated range; a reset gives None."""

    def __init__(self, file: SensorFile, range_uj: float) -> None:
        self.file, self.range = file, range_uj
        self.before: tuple[float, float] | None = None

    def read(self, clock: float) -> float | None:
        energy, before = self.file.number(), self.before
        self.before = None if energy is None else (clock, energy)
        if energy is None or before is None or clock <= before[0]:
            return None
        step = energy - before[1]
        if step < 0:
            if not before[1] > self.range / 2 > energy:
                say(f"{self.file.path} went back: a reset, taken as a gap")
                return None
            step += self.range
        return step * 1e-6 / (clock - before[0])


class Grown(Sensor):
    """How much a counter has grown since the read before, a second, times a factor; None where it went back."""

    def __init__(self, counter: Sensor, factor: float = 1.0, most: float | None = None) -> None:
        self.counter, self.factor, self.most = counter, factor, most
        self.before: tuple[float, float] | None = None

    def read(self, clock: float) -> float | None:
        value, before = self.counter.read(clock), self.before
        self.before = None if value is None else (clock, value)
        if value is None or before is None or clock <= before[0] or value < before[1]:
            return None
        rate = self.factor * (value - before[1]) / (clock - before[0])
        return rate if self.most is None else min(rate, self.most)


class Extreme(Sensor):
    """The least or the greatest of several sensors, of those that answer."""

    def __init__(self, parts: Sequence[Sensor], choose: Callable[[list[float]], float]) -> None:
        self.parts, self.choose = parts, choose

    def read(self, clock: float) -> float | None:
        values = [v for v in (part.read(clock) for part in self.parts) if v is not None]
        return self.choose(values) if values else None


class CpuLoad(Sensor):
    """Share of the processors' time that was not idle since the read before, %; time that a host stole is left out."""

    def __init__(self, file: SensorFile) -> None:
        self.file = file
        self.before: tuple[int, int] | None = None

    def read(self, clock: float) -> float | None:
        text = self.file.text
        words = text.split("\n", 1)[0].split()[1:8]
        if not text.startswith("cpu ") or len(words) < 7 or not all(x.isdigit() for x in words):
            return None
        ticks = [int(x) for x in words]
        total, idle = sum(ticks), ticks[3] + ticks[4]
        before, self.before = self.before, (total, idle)
        if before is None or total <= before[0]:
            return None
        return 100.0 * (1.0 - (idle - before[1]) / (total - before[0]))


class CpuInfoClock(Sensor):
    """Mean of the clocks in /proc/cpuinfo, where cpufreq is not there, MHz."""

    def __init__(self, file: SensorFile) -> None:
        self.file = file

    def read(self, clock: float) -> float | None:
        clocks = [float(x) for x in re.findall(r"cpu MHz\s*: ([0-9.]+)", self.file.text)]
        return sum(clocks) / len(clocks) if clocks else None


class StarredClock(Sensor):
    """The clock marked with a star in a list of states such as `1: 800Mhz *`, MHz."""

    def __init__(self, file: SensorFile) -> None:
        self.file = file

    def read(self, clock: float) -> float | None:
        found = re.search(r"(\d+)\s*Mhz\s*\*", self.file.text, re.IGNORECASE)
        return float(found.group(1)) if found else None


class BatteryPower(Sensor):
    """Battery power in W, positive while discharging: from power_now, else current_now times voltage_now."""

    def __init__(
        self,
        status: SensorFile | None,
        power: SensorFile | None,
        current: SensorFile | None,
        voltage: SensorFile | None,
    ) -> None:
        self.status, self.power, self.current, self.voltage = status, power, current, voltage

    def read(self, clock: float) -> float | None:
        if self.power is not None:
            watts = self.power.number()
            watts = None if watts is None else watts * 1e-6
        else:
            amps = self.current.number() if self.current else None
            volts = self.voltage.number() if self.voltage else None
            watts = None if amps is None or volts is None else amps * volts * 1e-12
        if watts is None:
            return None
        charging = self.status is not None and self.status.text.startswith("Charging")
        return -abs(watts) if charging else abs(watts)


class ChargeEnergy(Sensor):
    """Energy in a battery that tells charge instead, Wh: charge_now times the voltage it was designed for, since the
    present voltage sags with the load."""

    def __init__(self, charge: SensorFile, volts: float) -> None:
        self.charge, self.volts = charge, volts

    def read(self, clock: float) -> float | None:
        charge = self.charge.number()
        return None if charge is None else charge * 1e-6 * self.volts


class OwnCost(Sensor):
    """What the probe itself costs since the read before, % of one core, in the time of what it reads."""

    def __init__(self, time_scale: float) -> None:
        self.time_scale = time_scale
        self.before = (time.monotonic(), time.process_time())

    def read(self, clock: float) -> float | None:
        now = (time.monotonic(), time.process_time())
        before, self.before = self.before, now
        passed = (now[0] - before[0]) * self.time_scale
        return 100.0 * (now[1] - before[1]) / passed if passed > 0 else None


class Columns:
    """The columns of the output, in order; a name that is taken gets a number."""

    def __init__(self) -> None:
        self.sensors: dict[str, Sensor] = {}

    def add(self, name: str, sensor: Sensor) -> None:
        unique, number = name, 2
        while unique in self.sensors:
            unique, number = f"{name}.{number}", number + 1
        self.sensors[unique] = sensor

    def add_file(self, name: str, file: SensorFile | None, factor: float = 1.0) -> None:
        if file is not None:
            self.add(name, Scaled(file, factor))

    def has(self, name: str) -> bool:
        return name in self.sensors
