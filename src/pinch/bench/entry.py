"""What a person types, read as a number in the field's unit: comma or dot, with the unit or without.

`28 W`, `1,4 kg`, `1.5 h`, `2 h 30`, `3,2 GHz` are read; what could be meant otherwise is read and questioned.
"""

import re

from msgspec import Struct

from pinch.core.errors import PinchError
from pinch.language import tr

_FACTORS: dict[str, dict[str, float]] = {
    "W": {"w": 1.0, "watt": 1.0, "watts": 1.0, "mw": 1e-3, "kw": 1e3},
    "Wh": {"wh": 1.0, "kwh": 1e3, "mwh": 1e-3, "kj": 1 / 3.6, "j": 1 / 3600.0},
    "kg": {"kg": 1.0, "g": 1e-3, "lb": 0.45359237, "lbs": 0.45359237, "oz": 0.028349523125},
    "s": {"s": 1.0, "sec": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0},
    "min": {"min": 1.0, "m": 1.0, "s": 1 / 60.0, "h": 60.0},
    "MHz": {"mhz": 1.0, "ghz": 1e3, "khz": 1e-3},
    "Hz": {"hz": 1.0, "khz": 1e3},
    "mV": {"mv": 1.0, "v": 1e3},
    "mm": {"mm": 1.0, "cm": 10.0, "m": 1e3, "in": 25.4, '"': 25.4},
    "in": {"in": 1.0, '"': 1.0, "″": 1.0, "inch": 1.0, "inches": 1.0, "zoll": 1.0, "cm": 1 / 2.54},
    "GB": {"gb": 1.0, "gib": 1.073741824, "mb": 1e-3, "tb": 1e3},
    "MT/s": {"mt/s": 1.0, "gt/s": 1e3, "mt": 1.0},
    "K": {"k": 1.0, "°c": 1.0, "c": 1.0},
    "%": {"%": 1.0},
    "fps": {"fps": 1.0},
    "dB(A)": {"db(a)": 1.0, "dba": 1.0, "db": 1.0},
    "cd/m²": {"cd/m²": 1.0, "cd/m2": 1.0, "nits": 1.0, "nit": 1.0},
}
"""Factor from each way of writing a unit (in lower case) to the field's own. Inch, pound and ounce are exact
by international agreement (1959)."""

_NUMBER = re.compile(r"[-+−]?\d[\d.,' \u00a0\u202f]*")
_BETWEEN = re.compile(r"\s*[–—]\s*|(?<=\d)\s*-\s*(?=\d)")
"""Between the ends of a range; a hyphen only where a number stands on both sides."""
_CLOCK = re.compile(r"(\d+)\s*h(?:\s*(\d{1,2})(?:\s*min)?)?$|(\d+):(\d{2})(?::(\d{2}))?$")


class Entry(Struct, frozen=True):
    """A value in the field's unit, and what to ask back where it could be meant otherwise (empty: it is plain)."""

    value: float
    question: str = ""


class ValueEntry(Struct, frozen=True):
    """One value, or the two ends of a range, and what to ask back."""

    ends: tuple[float, ...]
    question: str = ""

    @property
    def fields(self) -> dict[str, float | None]:
        """It as fields of a result."""
        if len(self.ends) == 1:
            return {"value": self.ends[0], "low": None, "high": None}
        return {"value": None, "low": self.ends[0], "high": self.ends[1]}


def read_quantity(text: str, unit: str) -> Entry:
    """Read a number in `unit`; an empty unit is a plain number.

    Raises
    ------
    PinchError : it is not a number, or has a unit of another kind.
    """
    typed = text.strip()
    if unit in ("s", "min") and (clock := _CLOCK.fullmatch(typed.lower())):
        return Entry(_clock_s(clock) / _FACTORS["s"][unit])
    found = _NUMBER.match(typed)
    if not found:
        raise PinchError(tr("{text!r} is not a number{in_}.", text=text, in_=_in(unit)))
    value, question = _number(found.group().strip())
    return _converted(value, typed[found.end() :].strip(), unit, question, text)


_ALIKE = (("1/s", "fps", "/s"), ("points", "pts", "punkte", "pt"), ("dB(A)", "dB", "dBA"))
"""Ways of writing one unit."""


def factor_between(unit: str, to: str) -> float | None:
    """By what a value in `unit` is multiplied to be in another; None where they are not of one kind."""
    a, b = unit.casefold(), to.casefold()
    if a == b or any({a, b} <= {w.casefold() for w in words} for words in _ALIKE):
        return 1.0
    factors = _FACTORS.get(to, {})
    return factors.get(a)


def read_value(text: str, unit: str) -> ValueEntry:
    """Read a value in `unit`, or a range such as `41.6–42`.

    Raises
    ------
    PinchError : it is neither.
    """
    ends = [read_quantity(part, unit) for part in _BETWEEN.split(text.strip(), maxsplit=1)]
    return ValueEntry(tuple(end.value for end in ends), " ".join(filter(None, (end.question for end in ends))))


def read_count(text: str, what: str) -> int:
    """How many of something; one where nothing is typed.

    Raises
    ------
    PinchError : it is no whole number of one or more.
    """
    value = read_quantity(text, "").value if text.strip() else 1.0
    if value != int(value) or value < 1:
        raise PinchError(tr("The {what} behind each are a whole number, not {typed}.", what=what, typed=text.strip()))
    return int(value)


def read_pixels(text: str) -> str:
    """A width and a height, `1920x1080` or `1920 × 1080`, in the one way that the book keeps them.

    Raises
    ------
    PinchError : it is not two numbers.
    """
    found = re.fullmatch(r"(\d{2,5})\s*[x×*]\s*(\d{2,5})", text.strip().lower().removesuffix("px").strip())
    if not found:
        raise PinchError(tr("{text!r} is not a width and a height such as 1920×1080.", text=text))
    return f"{found[1]}×{found[2]}"


def read_day(text: str) -> str:
    """A day as `2026-09-01`, also from `1.9.2026`.

    Raises
    ------
    PinchError : there is no such day, or it can be read in two ways.
    """
    from datetime import date

    typed = text.strip()
    try:
        if found := re.fullmatch(r"(\d{1,2})\.\s*(\d{1,2})\.\s*(\d{4})", typed):
            return date(int(found[3]), int(found[2]), int(found[1])).isoformat()
        return date.fromisoformat(typed).isoformat()
    except ValueError:
        raise PinchError(tr("{text!r} is not a day such as 2026-09-01.", text=text)) from None


def _converted(value: float, typed_unit: str, unit: str, question: str, text: str) -> Entry:
    if unit == "°C" and typed_unit.casefold() in ("°f", "f"):
        celsius = round((value - 32.0) / 1.8, 2)
        return Entry(celsius, tr("{value:g} °F is {celsius:g} °C: was °F meant?", value=value, celsius=celsius))
    if unit == "°C" and typed_unit.casefold() in ("k", "kelvin"):
        return Entry(round(value - 273.15, 2), tr("Read as kelvin: {value:.4g} °C.", value=value - 273.15))
    if not typed_unit or typed_unit == unit or (unit == "°C" and typed_unit.casefold() in ("c", "°c")):
        return Entry(value, question)
    factor = _FACTORS.get(unit, {}).get(typed_unit.casefold())
    if factor is None:
        raise PinchError(
            tr(
                "{typed!r} is not{in_unit}: {typed_unit!r} does not belong here.",
                typed=text.strip(),
                in_unit=_in(unit) or tr(" a plain number"),
                typed_unit=typed_unit,
            )
        )
    return Entry(float(f"{value * factor:.10g}"), question)


def _number(typed: str) -> tuple[float, str]:
    """The number and, where a separator can be read in two ways, what to ask back."""
    plain = re.sub(r"[' \u00a0\u202f]", "", typed).replace("−", "-").rstrip(".,")
    marks = [c for c in plain if c in ".,"]
    question = ""
    if len(set(marks)) == 2:  # the last one is the decimal mark, the others group thousands
        plain = plain.replace(marks[0], "").replace(marks[-1], ".")
    elif len(marks) > 1:
        plain = plain.replace(marks[0], "")
    elif marks:
        whole, part = plain.split(marks[0])
        plain = f"{whole}.{part}"
        if len(part) == 3 and whole.lstrip("+-") not in ("", "0"):
            question = tr(
                "Read as {plain:g}: write {whole}{part} if thousands were meant.",
                plain=float(plain),
                whole=whole,
                part=part,
            )
    try:
        return float(plain), question
    except ValueError:
        raise PinchError(tr("{typed!r} is not a number.", typed=typed)) from None


def _clock_s(found: re.Match[str]) -> float:
    hours, minutes, a, b, c = found.groups()
    if hours is not None:
        return 3600.0 * int(hours) + 60.0 * int(minutes or 0)
    if c is not None:
        return 3600.0 * int(a) + 60.0 * int(b) + int(c)
    return 60.0 * int(a) + int(b)


def _in(unit: str) -> str:
    return tr(" in {unit}", unit=unit) if unit else ""
