"""Channel names, `component.quantity[.part]`: the closed sets of components and quantities, each defined once.

A new component is a member of `Component`: guessing columns, captions, meters and what the machine cannot tell itself
are read off it. A new quantity is a member of `ChannelQuantity`.
"""

import re
from collections.abc import Container
from enum import StrEnum

from pinch.language import tr

Range = tuple[float, float]


class ChannelQuantity(StrEnum):
    """What a channel measures. `unit` is fixed ('' for flags and counters), `caption` stands above a value,
    `in_figures`: a run has a settled figure of it; `plausible` is what a sensor can show at all, `usual` what tells it
    from others in a log (both None where there is no telling; common practice, no source); `words` are those that logs
    use for it."""

    unit: str
    caption: str
    in_figures: bool
    plausible: Range | None
    usual: Range | None
    words: tuple[str, ...]

    POWER = (
        *("power", "W", "power", True, (0.0, 2000.0), (0.0, 1000.0)),
        "power leistung puissance potencia potenza consumption draw verbrauch watts ppt tdp",
    )
    CLOCK = (
        *("clock", "MHz", "clock", True, (0.0, 10_000.0), (50.0, 10_000.0)),
        "clock clocks frequency frequenz freq takt taktfrequenz fréquence frecuencia frequenza mhz speed",
    )
    TEMP = (
        *("temp", "°C", "temperature", True, (-40.0, 130.0), (-40.0, 130.0)),
        "temp temps temperature temperatur température temperatura tdie tctl tjunction hotspot celsius",
    )
    LOAD = (
        *("load", "%", "load", True, (-1.0, 101.0), (-0.5, 101.0)),
        "load usage utilization utilisation auslastung last uso busy util activity nutzung",
    )
    SPEED = (
        *("speed", "rpm", "speed", True, None, (0.0, 20_000.0)),
        "rpm drehzahl vitesse velocidad fanspeed",
    )
    RATE = ("rate", "1/s", "rate", True, None, (0.0, 1e7), "fps framerate bildrate rate score punkte points units")
    TIME = ("time", "ms", "time", False, None, (0.05, 60_000.0), "frametime frametimes bildzeit bildzeiten")
    CHARGE = (
        *("charge", "%", "charge", False, (-1.0, 101.0), (0.0, 100.5)),
        "charge level ladung ladestand capacity soc%",
    )
    ENERGY = ("energy", "Wh", "energy", False, None, (0.0, 500.0), "energy energie énergie energía")
    LEVEL = ("level", "dB(A)", "level", True, None, (5.0, 120.0), "noise lärm schall sound bruit ruido pegel spl")
    VOLTAGE = ("voltage", "V", "voltage", False, None, (0.0, 60.0), "voltage spannung volt vcore vid")
    CURRENT = ("current", "A", "current", False, None, (-50.0, 50.0), "current strom amps")
    BANDWIDTH = ("bandwidth", "MB/s", "bandwidth", True, None, (0.0, 2e6), "bandwidth bandbreite")
    DROPPED = (
        *("dropped", "", "dropped", False, None, None),
        "dropped discarded lost skipped missed verworfen perdue perdues perdidos",
    )
    GENERATED = (
        *("generated", "", "generated", False, None, None),
        "generated interpolated inserted synthetic synthesised synthesized artificial eingefügt générées generados",
    )
    THROTTLE = ("throttle", "", "throttle", False, None, None, "throttling throttle throttled drosselung")
    HEAT = ("heat", "", "heat", False, None, None, "")
    COUNT = ("count", "", "count", False, None, None, "")
    ONLINE = ("online", "", "online", False, None, None, "")

    def __new__(
        cls,
        value: str,
        unit: str,
        caption: str,
        in_figures: bool,
        plausible: Range | None,
        usual: Range | None,
        words: str,
    ) -> "ChannelQuantity":
        member = str.__new__(cls, value)
        member._value_ = value
        member.unit, member.caption, member.in_figures = unit, tr(caption), in_figures
        member.plausible, member.usual, member.words = plausible, usual, tuple(words.split())
        return member


class Component(StrEnum):
    """What a channel is of, in the order in which a name that speaks of several means one: the wall power of the CPU
    test is wall power. `caption` stands before its quantities ('' for what needs no name), `told_beside`: no sensor of
    the machine tells it; `is_meter`: an instrument does; `is_signed`: power below zero is plausible, it flows in;
    `offered` are the channels that are offered while somebody types, `words` those that logs use for it."""

    caption: str
    told_beside: bool
    is_meter: bool
    is_signed: bool
    offered: tuple[str, ...]
    words: tuple[str, ...]

    WALL = ("wall", "Wall", "beside meter", "wall.power", "wall mains socket plug steckdose netz ac outlet secteur")
    BATTERY = ("battery", "Battery", "signed", "battery.power battery.charge", "battery akku batterie batería batteria")
    GPU = (
        *("gpu", "Graphics", "", "gpu.power gpu.clock gpu.temp gpu.load"),
        "gpu igpu dgpu graphics grafik graphique grafica gráfica gráficos gt",
    )
    MEMORY = ("memory", "Memory", "", "memory.temp", "memory mem ram speicher dram mémoire memoria dimm")
    STORAGE = ("storage", "Storage", "", "storage.temp", "ssd disk drive storage nvme hdd festplatte")
    SKIN = (
        *("skin", "Surface", "beside meter", "skin.case.temp"),
        "skin surface oberfläche palm keyboard chassis case",
    )
    AMBIENT = (
        "ambient",
        "Room",
        "beside",
        "ambient.temp",
        "ambient room umgebung raum air ambiante ambiente pièce kamer omgeving habitación stanza",
    )
    SOC = ("soc", "Package", "", "soc.power", "soc apu")
    CPU = (
        *("cpu", "", "", "cpu.power cpu.clock cpu.temp cpu.load cpu.throttle.heat"),
        "cpu processor prozessor processeur procesador processore core cores package pkg ia die cpus",
    )
    NOISE = ("noise", "Noise", "beside meter", "noise.level", "noise lärm schall sound bruit ruido spl")
    FRAME = (
        *("frame", "Frame", "beside", "frame.time frame.rate"),
        "frame frames image fps bild bilder bildzeit bildzeiten framerate frametime frametimes",
    )
    SCORE = ("score", "", "beside", "score.rate", "score punkte points units work")
    FAN = ("fan", "Fan", "", "fan.1.speed", "fan fans lüfter luefter ventilateur ventilador ventola")
    PLATFORM = ("platform", "Whole platform", "", "platform.power", "platform psys")
    MAINS = ("mains", "Mains", "", "", "")
    PROBE = ("probe", "Probe", "beside", "", "")

    def __new__(cls, value: str, caption: str, traits: str, offered: str, words: str) -> "Component":
        member = str.__new__(cls, value)
        member._value_ = value
        member.caption, member.offered, member.words = tr(caption), tuple(offered.split()), tuple(words.split())
        member.told_beside, member.is_meter = "beside" in traits, "meter" in traits
        member.is_signed = "signed" in traits
        return member


_QUANTITIES: dict[str, ChannelQuantity] = {str(q): q for q in ChannelQuantity}
_COMPONENTS: dict[str, Component] = {str(c): c for c in Component}
_FLAG = f".{ChannelQuantity.THROTTLE}."
_NAME = re.compile(r"[a-z0-9_]+(\.[a-z0-9_]+)+")

SUSTAINED_POWER = ("soc.power", "cpu.power")
"""Channels that stand for package power, the better one first."""

RATES = ("score.rate", "frame.rate")
"""Channels that stand for the work done each second, the better one first."""

BESIDE_POWER = ("battery.power", "wall.power")
"""Channels that tell when there is load where nothing of the chip was logged, the better one first."""

TEMPERATURES = ("cpu.temp", "soc.temp")
"""Channels that stand for the temperature of the chip, the better one first."""

_OWN_CAPTIONS = {
    "battery.charge": tr("Charge"),
    "noise.level": tr("Noise"),
    "probe.load": tr("Own cost"),
    "gpu.temp": tr("Graphics temp."),
}
"""Where the words of component and quantity say too much, or are too long."""


def is_channel_name(name: str) -> bool:
    """Whether `name` has the form `component.quantity[.part]`."""
    return _NAME.fullmatch(name) is not None


def component_of(channel: str) -> Component | None:
    """The component of a channel; None for an extra one."""
    head = channel.partition(".")[0]
    return _COMPONENTS.get(head)


def quantity_of(channel: str) -> ChannelQuantity | None:
    """The quantity of a channel: the last part of its name that is one; None where none is. What is throttled by
    power, such as `cpu.throttle.power`, is a flag and no power."""
    if _FLAG in channel and not channel.endswith(f".{ChannelQuantity.COUNT}"):
        return ChannelQuantity.THROTTLE
    return next((_QUANTITIES[part] for part in reversed(channel.split(".")[1:]) if part in _QUANTITIES), None)


def unit_of(channel: str) -> str:
    """Unit of a channel, '' where it has none."""
    quantity = quantity_of(channel)
    return quantity.unit if quantity is not None else ""


def caption_of(channel: str) -> str:
    """What a channel is called above its value."""
    parts, component, quantity = channel.split("."), component_of(channel), quantity_of(channel)
    if channel in _OWN_CAPTIONS:
        return _OWN_CAPTIONS[channel]
    if component is None or quantity is None or len(parts) != 2:
        return channel
    words = f"{component.caption} {quantity.caption}".strip()
    return words[0].upper() + words[1:]


def is_plausible(channel: str, low: float, high: float) -> bool:
    """Whether a sensor of this channel can show values from low to high at all."""
    quantity, component = quantity_of(channel), component_of(channel)
    if quantity is None or quantity.plausible is None:
        return True
    least, most = quantity.plausible
    if component is not None and component.is_signed and quantity is ChannelQuantity.POWER:
        least = -most
    return least <= low and high <= most


def power_channel(available: Container[str]) -> str | None:
    """Name of the channel that stands for package power among `available`."""
    return _first(SUSTAINED_POWER, available)


def rate_channel(available: Container[str]) -> str | None:
    """Name of the channel that stands for the work rate among `available`."""
    return _first(RATES, available)


def temp_channel(available: Container[str]) -> str | None:
    """Name of the channel that stands for the temperature of the chip among `available`."""
    return _first(TEMPERATURES, available)


def _first(wanted: tuple[str, ...], available: Container[str]) -> str | None:
    return next((name for name in wanted if name in available), None)
