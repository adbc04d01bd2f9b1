"""The probe: reads the sensors that Linux offers and prints one CSV row a sample. Standard library only, one file.

    python3 probe.py [--root DIR] [--interval S] [--duration S] [--time-scale X] [--since-boot]

It can be sent to another machine as it is: `ssh host python3 - < probe.py`. Each file is opened once and re-read with
`pread`; the schedule is absolute. A sensor that vanishes leaves its cell empty and is named once on standard error.
Power from an energy counter is the mean since the row before, so that nothing between two samples is missed.

Sources of paths and units: the kernel's Documentation/ABI/testing/sysfs-class-hwmon, -powercap, -thermal, -power, and
Documentation/admin-guide/cputopology.rst. Channel names and units: docs/formats.md.
"""

import argparse
import os
import re
import sys
import time

WRONG_USE = 2
RETRIES = 3
CPU_CHIPS = ("coretemp", "k10temp", "zenpower", "cpu_thermal")
GPU_CHIPS = ("amdgpu", "radeon", "i915", "xe", "nouveau")
PACKAGE_LABELS = ("package_id_0", "tctl", "tdie")
POWERCAP_NAMES = {
    "package-0": "cpu.power",
    "core": "cpu.power.cores",
    "uncore": "gpu.power",
    "dram": "memory.power",
}
DRM_CLOCKS = ("gt_act_freq_mhz", "gt/gt0/rps_act_freq_mhz", "gt_cur_freq_mhz")


class SensorFile:
    """A file that is opened once. `fetch` re-reads it; `data` is what was last read, None where that failed."""

    def __init__(self, path: str, size: int = 256) -> None:
        self.path = path
        self.size = size
        self.fd = os.open(path, os.O_RDONLY)
        self.lost = False
        self.data: bytes | None = os.pread(self.fd, self.size, 0)

    def fetch(self) -> None:
        try:
            self.data = os.pread(self.fd, self.size, 0)
            self.lost = False
        except OSError as error:
            self.lose(error.strerror)

    def lose(self, reason: str | None) -> None:
        if not self.lost:
            say(f"{self.path} cannot be read any more ({reason}); its cells stay empty")
        self.data, self.lost = None, True

    def check_still_there(self) -> None:
        """A plain file can be removed while it is open, which reading does not tell; the kernel's own files do."""
        if os.fstat(self.fd).st_nlink == 0:
            self.lose("it was removed")

    @property
    def text(self) -> str:
        return self.data.decode("ascii", "replace") if self.data else ""

    def number(self) -> float | None:
        try:
            return float(self.data) if self.data else None
        except ValueError:
            return None


class Scaled:
    """A number in a file times a factor."""

    def __init__(self, file: SensorFile, factor: float) -> None:
        self.file, self.factor = file, factor

    def read(self, clock: float) -> float | None:
        value = self.file.number()
        return None if value is None else value * self.factor


class Mean:
    """The mean of several sensors, of those that answer."""

    def __init__(self, parts: list[Scaled]) -> None:
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


class EnergyCounter:
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


class CpuLoad:
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


class CpuInfoClock:
    """Mean of the clocks in /proc/cpuinfo, where cpufreq is not there, MHz."""

    def __init__(self, file: SensorFile) -> None:
        self.file = file

    def read(self, clock: float) -> float | None:
        clocks = [float(x) for x in re.findall(r"cpu MHz\s*: ([0-9.]+)", self.file.text)]
        return sum(clocks) / len(clocks) if clocks else None


class StarredClock:
    """The clock marked with a star in a list of states such as `1: 800Mhz *`, MHz."""

    def __init__(self, file: SensorFile) -> None:
        self.file = file

    def read(self, clock: float) -> float | None:
        found = re.search(r"(\d+)\s*Mhz\s*\*", self.file.text, re.IGNORECASE)
        return float(found.group(1)) if found else None


class BatteryPower:
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


class ChargeEnergy:
    """Energy in a battery that tells charge instead, Wh: charge_now times the voltage it was designed for, since the
    present voltage sags with the load."""

    def __init__(self, charge: SensorFile, volts: float) -> None:
        self.charge, self.volts = charge, volts

    def read(self, clock: float) -> float | None:
        charge = self.charge.number()
        return None if charge is None else charge * 1e-6 * self.volts


class OwnCost:
    """What the probe itself costs since the read before, % of one core, in the time of what it reads."""

    def __init__(self, time_scale: float) -> None:
        self.time_scale = time_scale
        self.before = (time.monotonic(), time.process_time())

    def read(self, clock: float) -> float | None:
        now = (time.monotonic(), time.process_time())
        before, self.before = self.before, now
        passed = (now[0] - before[0]) * self.time_scale
        return 100.0 * (now[1] - before[1]) / passed if passed > 0 else None


Sensor = Scaled | Mean | EnergyCounter | CpuLoad | CpuInfoClock | StarredClock | BatteryPower | ChargeEnergy | OwnCost


class Tree:
    """The files below a root."""

    def __init__(self, root: str) -> None:
        self.root = root
        self.files: list[SensorFile] = []

    def path(self, *parts: str) -> str:
        return os.path.join(self.root, *parts)

    def names(self, folder: str) -> list[str]:
        def natural(name: str) -> list[tuple[int, str]]:
            return [(int(x), "") if x.isdigit() else (-1, x) for x in re.split(r"(\d+)", name)]

        try:
            return sorted(os.listdir(self.path(folder)), key=natural)
        except OSError:
            return []

    def text(self, *parts: str) -> str:
        try:
            with open(self.path(*parts), encoding="ascii", errors="replace") as file:
                return file.read().strip()
        except OSError:
            return ""

    def open(self, *parts: str, size: int = 256) -> SensorFile | None:
        """The file, or None where it is not there; one that may not be read is named."""
        path = self.path(*parts)
        try:
            file = SensorFile(path, size)
        except FileNotFoundError:
            return None
        except OSError as error:
            say(f"{path} is left out: {error.strerror}")
            return None
        self.files.append(file)
        return file


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


def find_hwmon(tree: Tree, columns: Columns) -> None:
    kinds = (
        ("temp", "_input", "temp", 1e-3),
        ("fan", "_input", "speed", 1.0),
        ("power", "_average", "power", 1e-6),
        ("power", "_input", "power", 1e-6),
        ("in", "_input", "voltage", 1e-3),
        ("curr", "_input", "current", 1e-3),
        ("freq", "_input", "clock", 1e-6),
    )
    fans = 0
    for folder in tree.names("sys/class/hwmon"):
        base = f"sys/class/hwmon/{folder}"
        chip = word(tree.text(base, "name")) or folder
        for name in tree.names(base):
            for prefix, suffix, quantity, factor in kinds:
                found = re.fullmatch(prefix + r"(\d+)" + suffix, name)
                if not found:
                    continue
                file = tree.open(base, name)
                if file is None:
                    continue
                label = word(tree.text(base, f"{prefix}{found.group(1)}_label"))
                if quantity == "speed":
                    fans += 1
                    columns.add_file(f"fan.{fans}.speed", file, factor)
                else:
                    channel = hwmon_channel(chip, quantity, label or found.group(1))
                    if not (suffix == "_input" and prefix == "power" and columns.has(channel)):
                        columns.add_file(channel, file, factor)


def hwmon_channel(chip: str, quantity: str, label: str) -> str:
    if chip in CPU_CHIPS and quantity == "temp":
        core = re.fullmatch(r"core_(\d+)", label)
        if core:
            return f"cpu.core.{core.group(1)}.temp"
        return "cpu.temp" if label in PACKAGE_LABELS or chip == "cpu_thermal" else f"cpu.temp.{label}"
    if chip in GPU_CHIPS:
        first = label in ("edge", "1", "ppt", "sclk")
        return f"gpu.{quantity}" if first else f"gpu.{quantity}.{label}"
    if chip == "nvme":
        return f"storage.{quantity}" if label in ("composite", "1") else f"storage.{quantity}.{label}"
    return f"{chip}.{quantity}.{label}"


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
            limit = float(text) if text.isdigit() else 0.0
            columns.add(POWERCAP_NAMES.get(name, f"{word(name)}.power"), EnergyCounter(file, limit))


def find_cpufreq(tree: Tree, columns: Columns) -> None:
    cores = []
    for folder in tree.names("sys/devices/system/cpu"):
        number = folder.removeprefix("cpu")
        is_core = number.isdigit()
        file = tree.open("sys/devices/system/cpu", folder, "cpufreq/scaling_cur_freq") if is_core else None
        if file is not None:
            cores.append((number, Scaled(file, 1e-3)))
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


def find_throttle(tree: Tree, columns: Columns) -> None:
    counters = []
    for folder in tree.names("sys/devices/system/cpu"):
        if re.fullmatch(r"cpu\d+", folder):
            names = ["core_throttle_count"] + (["package_throttle_count"] if folder == "cpu0" else [])
            counters += [tree.open("sys/devices/system/cpu", folder, "thermal_throttle", n) for n in names]
    found = [Scaled(file, 1.0) for file in counters if file is not None]
    if found:
        columns.add("cpu.throttle.count", Sum(found))


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
    for folder in tree.names("sys/class/drm"):
        if not re.fullmatch(r"card\d+", folder):
            continue
        base = f"sys/class/drm/{folder}"
        columns.add_file("gpu.load", tree.open(base, "device/gpu_busy_percent"))
        clock = next((f for f in (tree.open(base, name) for name in DRM_CLOCKS) if f is not None), None)
        columns.add_file("gpu.clock", clock)
        states = None if clock or columns.has("gpu.clock") else tree.open(base, "device/pp_dpm_sclk", size=4096)
        if states is not None:
            columns.add("gpu.clock", StarredClock(states))


def find_all(tree: Tree, time_scale: float) -> Columns:
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
    ):
        find(tree, columns)
    columns.add("probe.load", OwnCost(time_scale))
    say_missing(tree, columns)
    return columns


def say_missing(tree: Tree, columns: Columns) -> None:
    for channel, what, folder in (
        ("cpu.power", "package power", "sys/class/powercap"),
        ("cpu.temp", "processor temperature", "sys/class/hwmon"),
        ("cpu.clock", "processor clock", "sys/devices/system/cpu/cpu0/cpufreq"),
    ):
        if not columns.has(channel):
            there = os.path.exists(tree.path(folder))
            why = "holds nothing readable for it" if there else "is not there, as on most virtual machines"
            say(f"no {what}: {tree.path(folder)} {why}")


class Clock:
    """Seconds since boot, of this machine or, below another root, of the tree's own /proc/uptime."""

    def __init__(self, tree: Tree) -> None:
        self.file: SensorFile | None = None
        if os.path.abspath(tree.root) != "/" and os.path.exists(tree.path("proc/uptime")):
            self.file = SensorFile(tree.path("proc/uptime"))

    def now(self) -> float | None:
        if self.file is None:
            return time.clock_gettime(time.CLOCK_BOOTTIME)
        self.file.fetch()
        self.file.check_still_there()
        words = self.file.text.split()
        return float(words[0]) if words else None


def fetch_all(clock: Clock, files: list[SensorFile], after: float) -> float | None:
    """Re-read all files at one moment later than `after`; returns that moment, None where none was found.

    A simulated clock that ticks during the sweep would mix two moments: then it is read again.
    """
    for _ in range(RETRIES):
        moment = clock.now()
        if moment is not None and moment > after:
            for file in files:
                file.fetch()
            if clock.file is None or clock.now() == moment:
                return moment
        time.sleep(0.0005)
    return None


def row(t: float, values: list[float | None]) -> str:
    cells = ["" if v is None else f"{v:.3f}".rstrip("0").rstrip(".") for v in values]
    return ",".join([f"{t:.3f}", *cells])


def sample(clock: Clock, files: list[SensorFile], columns: Columns, args: argparse.Namespace) -> None:
    """Print the header, then rows on an absolute schedule until the duration, in the clock's seconds, is over."""
    sensors = list(columns.sensors.values())
    first = fetch_all(clock, files, -1.0)
    if first is None:
        say("the clock of the tree does not answer")
        return
    for sensor in sensors:
        sensor.read(first)  # only sets the counters' starting points
    print(",".join(["t_s", *columns.sensors]), flush=True)
    every = args.interval / args.time_scale
    start, number, last = time.monotonic(), 0, first
    while args.duration is None or last - first < args.duration - 1e-3:
        number += 1
        late = time.monotonic() - (start + number * every)
        if late > every:
            number += int(late / every)  # never catch up with a burst of rows
        time.sleep(max(0.0, start + number * every - time.monotonic()))
        moment = fetch_all(clock, files, last)
        if moment is not None:
            last = moment
            t = moment if args.since_boot else moment - first
            print(row(t, [sensor.read(moment) for sensor in sensors]), flush=True)
        elif clock.file is not None and clock.file.lost:
            say("the tree is gone; the record ends here")
            return


def say(text: str) -> None:
    print(f"pinch probe: {text}", file=sys.stderr, flush=True)


def word(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")


def positive(text: str) -> float:
    value = float(text)
    if not 0 < value < 1e9:
        raise argparse.ArgumentTypeError(f"{text} is not a positive number")
    return value


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="pinch probe", description="Print the sensors as CSV, one row a sample.")
    parser.add_argument("--root", default="/", help="read this tree instead of /")
    parser.add_argument("--interval", type=positive, default=1.0, help="seconds between samples (1)")
    parser.add_argument("--duration", type=positive, default=None, help="seconds to run (until stopped)")
    parser.add_argument("--time-scale", type=positive, default=1.0, help="simulated seconds per real second (1)")
    parser.add_argument("--since-boot", action="store_true", help="count t_s from boot, not from the start")
    args = parser.parse_args(arguments)
    if not os.path.isdir(args.root):
        say(f"{args.root}: there is no such folder")
        return WRONG_USE
    tree = Tree(args.root)
    columns = find_all(tree, args.time_scale)
    try:
        sample(Clock(tree), tree.files, columns, args)
    except (BrokenPipeError, KeyboardInterrupt):
        # The reader has gone: the end of the record, not an error. Keeps Python from flushing into the void.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


if __name__ == "__main__":
    sys.exit(main())
