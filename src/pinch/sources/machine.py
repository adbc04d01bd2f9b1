"""What Linux tells about the computer at hand, as a device of the bench, and a list of what it does not tell."""

from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

from msgspec import Struct

from pinch.bench.parts import Battery, Build, Claims, Cooling, CoreKind, Cores, Display, Memory
from pinch.bench.records import Device, Form
from pinch.language import tr

FORMS = {"8": Form.LAPTOP, "9": Form.LAPTOP, "10": Form.LAPTOP, "14": Form.LAPTOP, "31": Form.LAPTOP}
FORMS |= {"32": Form.LAPTOP, "11": Form.HANDHELD, "35": Form.MINI_PC}
"""Chassis types of the SMBIOS specification, 7.4.1."""
POWER_ZONE = "sys/class/powercap/intel-rapl:0"
"""Where the kernel shows the package's power limits."""
NEVER_TOLD = ("adapter", tr("mass and size"), tr("memory speed and timings"), "price", tr("how it came"))


def read_machine(root: Path = Path("/")) -> Device:
    """The computer whose tree is at `root`; what is missing there stays empty and is named in `untold`."""
    dmi = root / "sys/class/dmi/id"
    chip = _cpu_field(root, tr("model name")) or _text(root / "proc/device-tree/model")
    name = _text(dmi / "product_name") or tr("This computer")
    cores, battery, claims = _cores(root), _battery(root), _claims(root)
    limit, fans, display = _temp_limit(root), _fans(root), _display(root)
    untold = [
        words
        for words, known in (
            ("chip", chip),
            ("cores", cores),
            ("battery", battery.design_wh),
            (tr("power limits"), claims.sustained_w),
            (tr("temperature limit"), limit),
            ("fans", fans),
            ("display", display.pixels),
            ("firmware", _text(dmi / "bios_version")),
        )
        if not known
    ]
    return Device(
        name=name,
        form=FORMS.get(_text(dmi / "chassis_type"), Form.OTHER),
        chip=chip,
        cores=tuple(cores),
        memory=Memory(size_gb=_memory_gb(root)),
        storage=", ".join(_disks(root)),
        cooling=Cooling(fans=fans),
        display=display,
        battery=battery,
        temp_limit_c=limit,
        claims=claims,
        builds=tuple(_builds(root)),
        local=True,
        untold=(*untold, *NEVER_TOLD),
    )


def platform_profiles(root: Path = Path("/")) -> list[str]:
    """The platform profiles that the firmware offers, none where it offers none."""
    return _text(root / "sys/firmware/acpi/platform_profile_choices").split()


class Present(Struct, frozen=True):
    """How the machine is set just now; None or empty where Linux does not tell. Charge in %, power in W."""

    on_mains: bool | None = None
    charge: float | None = None
    profile: str = ""
    sustained_w: float | None = None
    governor: str = ""


def read_present(root: Path = Path("/")) -> Present:
    """The present supply, charge, platform profile, sustained limit and clock governor."""
    supplies = _sorted(root / "sys/class/power_supply", "*")
    mains = [_text(s / "online") == "1" for s in supplies if _text(s / "type") in ("Mains", "USB")]
    batteries = [s for s in supplies if _text(s / "type") == "Battery" and _text(s / "scope") != "Device"]
    return Present(
        on_mains=any(mains) if mains else None,
        charge=_number(batteries[0] / "capacity") if batteries else None,
        profile=_text(root / "sys/firmware/acpi/platform_profile"),
        sustained_w=_claims(root).sustained_w,
        governor=_governors(root),
    )


def _governors(root: Path) -> str:
    """The governor of the cores' clocks; several where they differ."""
    found = {_text(p) for p in (root / "sys/devices/system/cpu").glob("cpu[0-9]*/cpufreq/scaling_governor")}
    return ", ".join(sorted(filter(None, found)))


def _text(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8", errors="replace").strip("\x00 \n\t")
    except OSError:
        return ""


def _number(path: Path) -> float | None:
    try:
        return float(_text(path))
    except ValueError:
        return None


def _scaled(path: Path, factor: float) -> float | None:
    """A positive number of a kernel file in other units; None where there is none."""
    value = _number(path)
    return None if value is None or value <= 0 else round(value * factor, 3)


def _sorted(folder: Path, pattern: str) -> list[Path]:
    return sorted(folder.glob(pattern)) if folder.is_dir() else []


def _cpu_field(root: Path, name: str) -> str:
    for line in _text(root / "proc/cpuinfo").splitlines():
        if line.partition(":")[0].strip() == name:
            return line.partition(":")[2].strip()
    return ""


def _cores(root: Path) -> list[Cores]:
    """Groups of cores: by the kinds that the kernel names, else by their highest clock."""
    named = {
        kind: _cpu_list(_text(root / f"sys/devices/{file}/cpus"))
        for kind, file in ((CoreKind.PERFORMANCE, "cpu_core"), (CoreKind.EFFICIENCY, "cpu_atom"))
    }
    cpus = [p for p in _sorted(root / "sys/devices/system/cpu", "cpu[0-9]*") if (p / "topology/core_id").exists()]
    groups: dict[CoreKind, list[Path]] = {}
    clocks = {p: _number(p / "cpufreq/cpuinfo_max_freq") or 0.0 for p in cpus}
    top = max(clocks.values(), default=0.0)
    for cpu in cpus:
        number = int(cpu.name.removeprefix("cpu"))
        slow = top and clocks[cpu] < 0.8 * top and not named[CoreKind.PERFORMANCE]
        kind = CoreKind.EFFICIENCY if slow or number in named[CoreKind.EFFICIENCY] else CoreKind.PERFORMANCE
        groups.setdefault(kind, []).append(cpu)
    made = []
    for kind, members in groups.items():
        ids = {(_text(p / "topology/physical_package_id"), _text(p / "topology/core_id")) for p in members}
        highest = max(clocks[p] for p in members) / 1000.0
        made.append(Cores(kind=kind, count=len(ids), threads=len(members), ceiling_mhz=highest or None))
    return made


def _cpu_list(text: str) -> set[int]:
    """Numbers of a kernel list such as `0-3,8`."""
    numbers: set[int] = set()
    for part in filter(None, text.split(",")):
        low, _, high = part.partition("-")
        if low.isdigit() and (high or low).isdigit():
            numbers |= set(range(int(low), int(high or low) + 1))
    return numbers


def _memory_gb(root: Path) -> float | None:
    for line in _text(root / "proc/meminfo").splitlines():
        if line.startswith("MemTotal:"):
            return round(int(line.split()[1]) * 1024 / 1e9, 1)
    return None


def _disks(root: Path) -> Iterable[str]:
    for block in _sorted(root / "sys/block", "*"):
        model, sectors = _text(block / "device/model"), _number(block / "size")
        if model and sectors:
            yield f"{model}, {sectors * 512 / 1e9:.0f} GB"


def _battery(root: Path) -> Battery:
    for supply in _sorted(root / "sys/class/power_supply", "*"):
        if _text(supply / "type") == "Battery" and _text(supply / "scope") != "Device":
            volts = (_number(supply / "voltage_min_design") or 0.0) * 1e-6
            design = _scaled(supply / "energy_full_design", 1e-6) or _scaled(
                supply / "charge_full_design", 1e-6 * volts
            )
            full = _scaled(supply / "energy_full", 1e-6) or _scaled(supply / "charge_full", 1e-6 * volts)
            return Battery(design_wh=design, full_wh=full)
    return Battery()


def _claims(root: Path) -> Claims:
    zone = root / POWER_ZONE
    known: dict[str, int] = {_text(zone / f"constraint_{n}_name"): n for n in range(3)}
    long, short = known.get("long_term"), known.get("short_term")
    sustained = None if long is None else _scaled(zone / f"constraint_{long}_power_limit_uw", 1e-6)
    window = None if long is None else _scaled(zone / f"constraint_{long}_time_window_us", 1e-6)
    burst = None if short is None else _scaled(zone / f"constraint_{short}_power_limit_uw", 1e-6)
    if sustained is None or sustained > 2000 or (burst is not None and not sustained <= burst <= 2000):
        return Claims()
    return Claims(sustained_w=sustained, burst_w=burst, window_s=window)


def _temp_limit(root: Path) -> float | None:
    for monitor in _sorted(root / "sys/class/hwmon", "hwmon*"):
        if _text(monitor / "name") in ("coretemp", "k10temp", "zenpower", "cpu_thermal"):
            limit = _scaled(monitor / "temp1_crit", 1e-3)
            if limit is not None and 20 < limit <= 150:
                return limit
    return None


def _fans(root: Path) -> int | None:
    return sum(len(_sorted(m, "fan*_input")) for m in _sorted(root / "sys/class/hwmon", "hwmon*")) or None


def _display(root: Path) -> Display:
    for connector in _sorted(root / "sys/class/drm", "card*-eDP-*") + _sorted(root / "sys/class/drm", "card*-DSI-*"):
        modes = _text(connector / "modes").splitlines()
        if modes and modes[0].count("x") == 1:
            return Display(pixels=modes[0].replace("x", "×"))
    return Display()


def _builds(root: Path) -> Iterable[Build]:
    version, day = (_text(root / f"sys/class/dmi/id/{f}") for f in ("bios_version", "bios_date"))
    if version:
        try:
            when = datetime.strptime(day, "%m/%d/%Y").date().isoformat()
        except ValueError:
            when = ""
        yield Build(what="firmware", version=version, date=when)
    for line in _text(root / "etc/os-release").splitlines():
        if line.startswith("PRETTY_NAME="):
            yield Build(what="OS", version=line.partition("=")[2].strip('"'))
    kernel = _text(root / "proc/sys/kernel/osrelease")
    if kernel:
        yield Build(what="kernel", version=kernel)
