"""Channel names, `component.quantity[.part]`, and the fixed unit of each quantity."""

import re
from collections.abc import Container

UNITS: dict[str, str] = {
    "power": "W",
    "clock": "MHz",
    "temp": "°C",
    "load": "%",
    "speed": "rpm",
    "charge": "%",
    "energy": "Wh",
    "level": "dB(A)",
    "rate": "1/s",
    "time": "ms",
    "voltage": "V",
    "current": "A",
    "heat": "",
    "count": "",
    "online": "",
    "generated": "",
    "dropped": "",
}
"""Unit by quantity; flags and counters have none."""

_NAME = re.compile(r"[a-z0-9_]+(\.[a-z0-9_]+)+")

SUSTAINED_POWER = ("soc.power", "cpu.power")
"""Channels that stand for package power, the better one first."""

RATES = ("score.rate", "frame.rate")
"""Channels that stand for the work done each second, the better one first."""


def is_channel_name(name: str) -> bool:
    """Whether `name` has the form `component.quantity[.part]`."""
    return _NAME.fullmatch(name) is not None


def unit_of(channel: str) -> str:
    """Unit of a channel: that of the last part of its name that is a known quantity, else ''."""
    for part in reversed(channel.split(".")[1:]):
        if part in UNITS:
            return UNITS[part]
    return ""


def power_channel(available: Container[str]) -> str | None:
    """Name of the channel that stands for package power among `available`."""
    return _first(SUSTAINED_POWER, available)


def rate_channel(available: Container[str]) -> str | None:
    """Name of the channel that stands for the work rate among `available`."""
    return _first(RATES, available)


def _first(wanted: tuple[str, ...], available: Container[str]) -> str | None:
    return next((name for name in wanted if name in available), None)
