"""Units as logs write them, and how they become those of Pinch's channels."""

import re

from msgspec import Struct

_DEGREES = r"(?:°|º|deg\.?|degrees?)?\s*"


class Unit(Struct, frozen=True):
    """A unit: the quantity of a channel that has it, and value · factor + offset in the channel's own unit. `counts`:
    it is energy that adds up, whose differences are power."""

    quantity: str
    factor: float = 1.0
    offset: float = 0.0
    counts: bool = False


_FACTORS: dict[str, dict[str, float]] = {
    "power": {"w": 1.0, "watt": 1.0, "watts": 1.0, "mw": 1e-3, "kw": 1e3},
    "clock": {"mhz": 1.0, "ghz": 1e3, "khz": 1e-3, "hz": 1e-6},
    "load": {"%": 1.0, "percent": 1.0, "prozent": 1.0, "pct": 1.0},
    "speed": {"rpm": 1.0, "u/min": 1.0, "1/min": 1.0, "tr/min": 1.0, "giri/min": 1.0, "min-1": 1.0},
    "voltage": {"v": 1.0, "mv": 1e-3, "volt": 1.0, "volts": 1.0},
    "current": {"a": 1.0, "ma": 1e-3, "amp": 1.0, "amps": 1.0},
    "energy": {"wh": 1.0, "mwh": 1e-3, "kwh": 1e3},
    "level": {"db": 1.0, "dba": 1.0, "db(a)": 1.0},
    "rate": {"fps": 1.0, "1/s": 1.0, "frames/s": 1.0, "bilder/s": 1.0, "img/s": 1.0},
    "time": {"ms": 1.0, "msec": 1.0, "milliseconds": 1.0, "s": 1e3, "sec": 1e3, "seconds": 1e3, "us": 1e-3, "µs": 1e-3},
    "flag": {"yes/no": 1.0, "ja/nein": 1.0},
}
_COUNTED = {"j": 1.0, "joule": 1.0, "kj": 1e3, "mj": 1e-3, "uj": 1e-6, "µj": 1e-6}
_UNITS = {word: Unit(quantity, factor) for quantity, own in _FACTORS.items() for word, factor in own.items()}
_UNITS |= {word: Unit("power", factor, counts=True) for word, factor in _COUNTED.items()}
_TEMPERATURES = {
    re.compile(_DEGREES + "c(elsius)?"): Unit("temp"),
    re.compile(_DEGREES + "f(ahrenheit)?"): Unit("temp", 5.0 / 9.0, -160.0 / 9.0),
    re.compile("k(elvin)?"): Unit("temp", 1.0, -273.15),
}
_BRACKETS = re.compile(r"\s*[\[(]([^\[\]()]*(?:\(a\))?)[\])]\s*$", re.IGNORECASE)
_LEVEL = re.compile(r"[\[(]?\s*dB\s*\(?A\)?\s*[\])]?\s*$", re.IGNORECASE)
_INSIDE = re.compile(r"[\[(]([^\[\]()]{1,12})[\])]")
_SUFFIX = re.compile(r"(?:[,_/]|\s|\bin\b)\s*([^\s,_/]+)$")


def find_unit(text: str) -> Unit | None:
    """A unit by the way it is written, None for none that is known."""
    word = text.strip().casefold().replace("μ", "µ")
    if word in _UNITS:
        return _UNITS[word]
    return next((unit for form, unit in _TEMPERATURES.items() if form.fullmatch(word)), None)


def is_unit(text: str) -> bool:
    """Whether a text is a unit, or a sign for none."""
    return find_unit(text) is not None or text.strip() in ("-", "1", "#", "hh:mm:ss", "h:m:s", "date", "time")


def split_unit(name: str) -> tuple[str, str]:
    """A column's name without its unit, and the unit: in brackets, else as its last word."""
    if level := _LEVEL.search(name):
        return name[: level.start()].strip(" ,_/"), "dB(A)"
    bracket = _BRACKETS.search(name)
    if bracket and (find_unit(bracket.group(1)) or not bracket.group(1).strip()):
        return name[: bracket.start()].strip(), bracket.group(1).strip()
    inside = _INSIDE.search(name)
    if inside and find_unit(inside.group(1)):
        return f"{name[: inside.start()]} {name[inside.end() :]}".strip(), inside.group(1).strip()
    suffix = _SUFFIX.search(name)
    if suffix and len(suffix.group(1)) > 1 and find_unit(suffix.group(1)):
        return name[: suffix.start()].strip(" ,_/"), suffix.group(1)
    if suffix and suffix.group(1) in ("W", "V", "A", "J", "C", "F", "s", "%"):
        return name[: suffix.start()].strip(" ,_/"), suffix.group(1)
    return name, ""
