"""What a header of results says by itself: a name, a metric, a unit, which of several runs or machines."""

import re

from msgspec import Struct

from pinch.core.metrics import AVERAGE

LOW_1, LOW_01 = "low_1.percentile", "low_0_1.percentile"
_UNIT = re.compile(r"[\[(]\s*([^\[\]()]{1,20}?)\s*[\])]")
_TAIL_UNITS = re.compile(
    r"[\s,/_]+(fps|bilder/s|frames/s|seconds|sec|sek|s|ms|min|mins|minutes|minuten|h|W|Wh|°C|MHz|GB/s|MB/s)\s*$",
    re.IGNORECASE,
)
_UNIT_NAMES = {"seconds": "s", "sec": "s", "sek": "s", "mins": "min", "minutes": "min", "minuten": "min"}
_UNIT_NAMES |= {
    "bilder/s": "fps",
    "frames/s": "fps",
    "fps": "fps",
    "pts": "points",
    "punkte": "points",
    "sekunden": "s",
}
_RUN = re.compile(
    r"(?:\b(?:run|pass|repeat|score|result|attempt|try|lauf|durchlauf|durchgang|messung|essai|passage|passe|mesure|prueba|"
    r"pasada|medida|prova|passaggio|poging)\s*(?:nr\.?|no\.?|n°|#)?\s*|#\s*)(\d{1,3})\b|^(\d{1,2})$|^r(\d{1,2})$",
    re.IGNORECASE,
)
_MACHINE = re.compile(
    r"\b(?:unit|sample|specimen|exemplar|einheit|unité|unidad|unità|stück)\s*(?:nr\.?|no\.?|n°|#)?\s*(\d{1,3}|[A-H])\b",
    re.IGNORECASE,
)
_METRICS = (
    (
        LOW_01,
        re.compile(
            r"(?<![\d.,])(?:0?[.,]1\s*%(?:\s*-?\s*(?:lows?|min))?|p\s*0?[.,]1\b|99[.,]9(?:th|\.)?(?:\s*perc\w*)?)",
            re.IGNORECASE,
        ),
    ),
    (
        LOW_1,
        re.compile(
            r"(?<![\d.,])(?:1\s*%(?:\s*-?\s*(?:lows?|min))?|p\s*1\b|99(?![.,\d])(?:th|\.)?(?:\s*perc\w*)?)",
            re.IGNORECASE,
        ),
    ),
    (
        AVERAGE,
        re.compile(
            r"\b(?:avg|average|mean|mittel(?:wert)?|schnitt|durchschnitt|moyenne|moy|promedio|media|gemiddelde)\b\.?|ø",
            re.IGNORECASE,
        ),
    ),
)


class HeaderWords(Struct, frozen=True):
    """The parts of a header: what is left of it as a name, the key of a metric (empty: none is told), the unit, which
    of several runs, and which of several machines."""

    name: str
    metric: str = ""
    unit: str = ""
    run: int | None = None
    machine: str = ""


def read_header(header: str) -> HeaderWords:
    """Take a header apart."""
    rest, unit = header.strip(), ""
    if bracket := _UNIT.search(rest):
        unit = bracket.group(1)
        rest = rest[: bracket.start()] + " " + rest[bracket.end() :]
    elif tail := _TAIL_UNITS.search(f" {rest}"):
        unit = tail.group(1)
        rest = f" {rest}"[: tail.start()]
    unit = _UNIT_NAMES.get(unit.casefold(), unit)
    metric = ""
    for key, form in _METRICS:
        if found := form.search(rest):
            metric, rest = metric or key, rest[: found.start()] + " " + rest[found.end() :]
    machine = ""
    if found := _MACHINE.search(rest):
        machine, rest = found.group(1), rest[: found.start()] + " " + rest[found.end() :]
    run = None
    if found := _RUN.search(rest.strip()):
        rest = rest.strip()
        run = int(next(number for number in found.groups() if number))
        rest = rest[: found.start()] + " " + rest[found.end() :]
    if not unit and re.fullmatch(r"\W*(fps|frames?/s|bilder/s)\W*", rest, re.IGNORECASE):
        unit, rest = "fps", ""
    name = re.sub(r"\s+", " ", rest).strip(" ,;:|·–-_/")
    return HeaderWords(name, metric, unit, run, machine)


def metric_named(text: str) -> str:
    """The key of a metric by what a cell calls it; a name of the operator's own as it is."""
    words = read_header(text)
    return words.metric if words.metric and not words.name else text.strip()
