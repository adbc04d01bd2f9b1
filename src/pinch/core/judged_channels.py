"""Which channels of a log stand for the run: the part that governs the work, its power, clock and temperature, the
rate, and what the machine itself says."""

from collections.abc import Iterable, Mapping

import numpy as np

from pinch.core.causes import Cause
from pinch.core.channels import (
    BESIDE_POWER,
    RATES,
    TEMPERATURES,
    ChannelQuantity,
    Component,
    component_of,
    power_channel,
    quantity_of,
    rate_channel,
    temp_channel,
)
from pinch.core.errors import DataError
from pinch.core.framecap import CAP_SHARE, find_cap
from pinch.core.known import Known
from pinch.core.phases import Load
from pinch.core.runlog import BoolArray, EvenLog, FloatArray
from pinch.core.signals import BUSY_LOAD, Signals
from pinch.language import tr

FLAGGED = {
    "heat": Cause.HEAT,
    "power": Cause.SUSTAINED_POWER,
    "burst": Cause.BURST_POWER,
    "current": Cause.CURRENT,
    "supply": Cause.SUPPLY,
    "skin": Cause.SKIN,
    "outside": Cause.OUTSIDE,
}
"""What a channel `cpu.throttle.NAME` or `gpu.throttle.NAME` says where it is 1."""
LEAST_GPU, FULL_GPU = 50.0, 85.0
"""Graphics less busy than the first while the processor is full do not govern the work; above the second they do."""
_OF_PARTS = (Component.CPU, Component.GPU, Component.SOC)
_QUANTITIES = (
    *(ChannelQuantity.POWER, ChannelQuantity.CLOCK, ChannelQuantity.TEMP, ChannelQuantity.LOAD),
    *(ChannelQuantity.VOLTAGE, ChannelQuantity.CURRENT, ChannelQuantity.THROTTLE, ChannelQuantity.COUNT),
    ChannelQuantity.HEAT,
)
_CORE = ".core."


def judged_channels(available: Iterable[str]) -> list[str]:
    """Those channels that what holds a run back is judged by: a judgement of these alone names the same causes. Single
    cores are judged by where no channel tells of all of them."""
    names = list(available)
    return [n for n in names if _is_judged(n) and not (_CORE in n and _summary_of(n) in names)]


def _is_judged(name: str) -> bool:
    component, quantity = component_of(name), quantity_of(name)
    if component in _OF_PARTS:
        return quantity in _QUANTITIES
    is_surface = component is Component.SKIN and quantity is ChannelQuantity.TEMP
    return is_surface or name in (*RATES, *BESIDE_POWER, "battery.charge")


def _summary_of(core: str) -> str:
    """The channel that tells of all cores what this one tells of one."""
    return f"{core.partition(_CORE)[0]}.{core.rpartition('.')[2]}"


def governing_part(even: EvenLog) -> str:
    """The part that governs the work: graphics where frames are made or they are full while the processor is not."""
    gpu, cpu = even.columns.get("gpu.load"), even.columns.get("cpu.load")
    if gpu is None or not np.isfinite(gpu).any():
        return "cpu"
    busy = float(np.nanpercentile(gpu, 75))
    full_cpu = cpu is not None and float(np.nanpercentile(cpu, 60)) >= BUSY_LOAD
    has_frames = "frame.rate" in even.columns
    return (
        "gpu" if (has_frames and not (full_cpu and busy < LEAST_GPU)) or (busy >= FULL_GPU and not full_cpu) else "cpu"
    )


def main_channels(even: EvenLog, part: str, is_separate: bool) -> tuple[str | None, str | None, str | None, str | None]:
    """The channels of power, clock, temperature and rate that stand for the run: those of the part that governs."""
    columns = even.columns

    def one(*names: str) -> str | None:
        return next((name for name in names if name in columns), None)

    rate = rate_channel(columns)
    if part == "gpu":
        alone = is_separate or power_channel(columns) is None
        power = one("gpu.power") if alone else power_channel(columns)
        return power, one("gpu.clock", "cpu.clock"), one("gpu.temp", *TEMPERATURES), rate
    return power_channel(columns), one("cpu.clock"), temp_channel(columns), rate


def deciding_channel(even: EvenLog, power: str | None, clock: str | None, rate: str | None) -> str:
    """The channel that says when there is load."""
    beside = next((name for name in BESIDE_POWER if name in even.columns), None)
    deciding = power or ("cpu.load" if "cpu.load" in even.columns else clock or rate or beside)
    if deciding is None:
        raise DataError("log", tr("it has neither power, load, clock nor rate, so there is nothing to judge"))
    return deciding


def signals_of(
    even: EvenLog, load: Load, part: str, main: tuple[str | None, str | None, str | None], known: Known
) -> Signals:
    """What the load of a log shows of a part with these channels of power, clock and temperature."""
    inside = slice(load.first, load.last)
    missing = np.full(load.last - load.first, np.nan)

    def column(name: str | None) -> FloatArray:
        return even.columns[name][inside] if name is not None and name in even.columns else missing

    power, clock, temp = main
    frames, gpu, active = column("frame.rate"), column("gpu.load"), load.active[inside]
    cap = find_cap(frames, gpu, active) if known.frame_cap_fps is None else known.frame_cap_fps
    others = [n for n in (*TEMPERATURES, "gpu.temp") if n in even.columns]
    surfaces = [n for n in even.columns if component_of(n) is Component.SKIN and n.endswith(".temp")]
    temps = dict.fromkeys([*([temp] if temp else []), *others, *surfaces])
    chip = next((n for n in temps if n in TEMPERATURES), temp)
    given = known.temp_limit_c
    return Signals(
        part,
        column(power),
        column(clock if part != "gpu" or clock == "gpu.clock" else None),
        {name: column(name) for name in temps},
        {chip: given} if chip is not None and given is not None else {},
        known.graphics_ceiling_mhz if part == "gpu" else known.clock_ceiling_mhz,
        column("cpu.load"),
        gpu,
        column(rate_channel(even.columns)),
        np.abs(frames - cap) <= CAP_SHARE * cap,
        _flags(even, inside),
        column("battery.charge"),
        active,
        np.isfinite(column(load.channel)),
    )


def _flags(even: EvenLog, inside: slice) -> Mapping[Cause, BoolArray]:
    """What the machine itself says of what holds it, (n,) by cause."""
    found: dict[Cause, BoolArray] = {}
    for part in ("cpu", "gpu", "soc"):
        for name, cause in FLAGGED.items():
            column = even.columns.get(f"{part}.throttle.{name}")
            if column is not None:
                found[cause] = found.get(cause, np.zeros(inside.stop - inside.start, bool)) | (column[inside] > 0.5)
    counted = even.columns.get("cpu.throttle.count")
    if counted is not None:
        values = np.nan_to_num(counted[inside])
        rising = np.diff(values, prepend=values[:1]) > 0
        found[Cause.HEAT] = found.get(Cause.HEAT, np.zeros(len(rising), bool)) | rising
    return found
