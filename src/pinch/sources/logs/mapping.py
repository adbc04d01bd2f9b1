"""Which column of somebody's log is which channel: by its words, its unit and the range it shows.

A guess has a score from 0 to 1. Certain ones are taken, doubtful ones are to be asked; what nobody knows stays as an
extra channel under its own name. A mapping is remembered by the fingerprint of a header and can be edited as JSON.
"""

import hashlib
import re
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct
from pydantic import Field

from pinch.bench.fields import Part
from pinch.bench.files import read_model
from pinch.core.channels import ChannelQuantity, Component, is_channel_name
from pinch.core.printing import plain
from pinch.language import tr
from pinch.sources.logs.units import Unit, find_unit, split_unit

SURE = 0.7
LEAST_CHARGE = 1.0
"""Percent by which a charge has to move to tell which way power flows."""
MOST_BYTES = 1_000_000
TIME, DATE = "time", "date"

_BY_WORD: dict[str, str] = {word: str(q) for q in ChannelQuantity for word in q.words}
_PART_BY_WORD: dict[str, str] = {word: str(c) for c in Component for word in c.words}
_SIGNED = {str(part) for part in Component if part.is_signed}
_USUAL = {str(q): q.usual for q in ChannelQuantity if q.usual is not None}
_DEFAULT = {"speed": "fan.1", "level": "noise", "charge": "battery", "energy": "battery", "time": "frame"}
_KIND = {"p": "p", "performance": "p", "e": "e", "efficiency": "e", "efficient": "e", "lpe": "lpe", "lp": "lpe"}
_CORE = re.compile(r"\bcore\s*#?\s*(\d+)|\bcpu\s*#?\s*(\d+)\b|\bkern\s*#?\s*(\d+)")
_TOGETHER = re.compile(r"cpu\s*(?:[+/&]|and|und)\s*gpu|gpu\s*(?:[+/&]|and|und)\s*cpu")
_NUMBER = re.compile(r"(\d+)")
_SECOND = r"(?:s|sec|second|seconds|sekunde|seconde|segundo|secondo)"
_PER_SECOND = re.compile(
    rf"(?:avg|average|mean)?\s*(?P<what>[^\W\d_][^/\[(]*?)\s*(?:/\s*{_SECOND}|\b(?:per|pro|par|por|al)\s+{_SECOND})"
    r"\s*(?:[\[(]?[^\[\]()]*[\])]?)?$",
    re.IGNORECASE,
)
_EACH_FRAME = re.compile(r"ms\s*(?:per|pro|par|/)\s*(?:frame|bild|image)\b", re.IGNORECASE)
_FRAMES = frozenset(["fotogramas", "fotogrammi", "cuadros", "quadros", "beelden", "frames", "bilder"])
_WORK = frozenset(
    [
        "tiles",
        "tile",
        "kacheln",
        "score",
        "scores",
        "samples",
        "sample",
        "iterations",
        "iteration",
        "iter",
        "points",
        "punkte",
        "points",
        "passes",
        "pass",
        "steps",
        "operations",
        "ops",
        "durchläufe",
        "itérations",
        "iteraciones",
        "puntos",
        "punti",
        "work",
        "tokens",
        "jobs",
    ]
)
FRAME_RATES = (1.0, 3000.0)
"""Frames a second that a person has ever logged."""
_LIMIT_WORDS = frozenset(
    [
        "throttle",
        "throttling",
        "throttled",
        "drosselung",
        "prochot",
        "limit",
        "limits",
        "exceeded",
        "überschritten",
        "begrenzung",
        "limitation",
    ]
)
_LIMITED = frozenset(["critical", "pl1", "pl2", "pl4", "ppt", "tdc", "edc", "edp", "rapl", "thermal", "limitierung"])
_POWER_WORDS = frozenset(
    ["power", "leistung", "leistungs", "leistungslimit", "pl1", "pl2", "pl4", "ppt", "rapl", "puissance", "potencia"]
)
_CURRENT_WORDS = frozenset(["current", "edp", "tdc", "edc", "electrical", "strom", "courant", "corriente"])
_KNOWN = frozenset((*_BY_WORD, *_PART_BY_WORD, *_LIMIT_WORDS))
_LONG = tuple(word for word in _KNOWN if len(word) >= 4)


class ColumnUse(Part):
    """What a column is: a channel, `time`, `date`, or nothing (empty). Its values times `factor` plus `offset` are in
    the channel's unit; with `counts` they are energy that adds up. `score` is how sure the guess was, 1 where somebody
    said it; `why` says what speaks for it."""

    column: str
    channel: str = ""
    factor: float = 1.0
    offset: float = 0.0
    counts: bool = False
    score: float = 1.0
    why: str = ""


class ColumnMapping(Part):
    """The uses of all columns, in their order; `day_first` answers for dates that could be read either way."""

    columns: tuple[ColumnUse, ...] = Field(min_length=1)
    day_first: bool | None = None

    @property
    def doubtful(self) -> tuple[ColumnUse, ...]:
        """Columns whose channel is a guess that should be asked."""
        return tuple(c for c in self.columns if c.channel and c.score < SURE)


class ShownColumn(Struct, frozen=True):
    """What a column shows: lowest, median and highest value, all NaN where it holds no numbers, and how far its last
    value is above the first."""

    low: float
    median: float
    high: float
    rise: float = 0.0


def fingerprint(names: Sequence[str], units: Sequence[str]) -> str:
    """The same for every log with this header."""
    return hashlib.sha256("\x1f".join([*names, "", *units]).casefold().encode()).hexdigest()[:16]


def guess(names: Sequence[str], units: Sequence[str], shown: Sequence[ShownColumn]) -> tuple[ColumnUse, ...]:
    """The likeliest use of each column; a channel is given once, to the surest column, the others get numbers."""
    guesses = [_guess_one(n, u, s) for n, u, s in zip(names, units, shown, strict=True)]
    taken: dict[str, int] = {}
    for place in sorted(range(len(guesses)), key=lambda i: (-guesses[i].score, i)):
        use = guesses[place]
        if not use.channel:
            continue
        taken[use.channel] = taken.get(use.channel, 0) + 1
        if taken[use.channel] > 1:
            again = {"channel": f"{use.channel}.{taken[use.channel]}", "score": min(use.score, SURE)}
            guesses[place] = use.model_copy(update=again)
    rises = (s.rise * u.factor for u, s in zip(guesses, shown, strict=True) if u.channel == "battery.charge")
    charge = next((rise for rise in rises if abs(rise) >= LEAST_CHARGE), 0.0)
    return tuple(_flowing_out(use, s, charge) for use, s in zip(guesses, shown, strict=True))


def _flowing_out(use: ColumnUse, shown: ShownColumn, charge: float) -> ColumnUse:
    """The power of a battery, above zero while it flows out: which sign that is, its charge tells where it moves."""
    median = shown.median * use.factor
    if use.channel != "battery.power" or use.column == use.channel or (not charge and median >= 0.0):
        return use
    if not charge:
        words = tr("{why}; it is below zero, which is taken for discharging", why=use.why)
        return use.model_copy(update={"factor": -use.factor, "score": min(use.score, SURE - 0.05), "why": words})
    if median * charge <= 0.0:
        return use
    side, moves = ("above", "rises") if median > 0.0 else ("below", "falls")
    words = tr("{why}; it is {side} zero while the charge {moves}", why=use.why, side=side, moves=moves)
    return use.model_copy(update={"factor": -use.factor, "why": words})


class _Header(Struct, frozen=True):
    """A header taken apart: its words, its unit, and what its column shows."""

    name: str
    text: str
    words: list[str]
    unit: Unit | None
    shown: ShownColumn


def _guess_one(name: str, unit_row: str, shown: ShownColumn) -> ColumnUse:
    bare, unit_text = split_unit(name)
    unit = find_unit(unit_text) or find_unit(unit_row.strip("[]() "))
    text = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", bare.replace("SoC", "SOC")).casefold()
    header = _Header(name, text, _words(text), unit, shown)
    return _by_form(header) or _by_meaning(header)


def _by_form(header: _Header) -> ColumnUse | None:
    """A column whose name has a form that tells all, or that holds no numbers; None: its words have to tell."""
    name, shown = header.name, header.shown
    if is_channel_name(name):
        return ColumnUse(column=name, channel=name, why=tr("it has the name of a channel"))
    if shown.low != shown.low:
        return ColumnUse(column=name, channel="", why=tr("it holds no numbers"))
    if flag := _flag(header.words, header.unit, shown):
        return ColumnUse(column=name, channel=flag, score=0.8, why=tr("it says when a limit held"))
    if _EACH_FRAME.match(name.strip()):
        return ColumnUse(column=name, channel="frame.time", score=0.8, why=tr("it is the time of a frame"))
    return _rate(name, shown)


def _by_meaning(header: _Header) -> ColumnUse:
    """A column by its words, its unit and what it shows."""
    name, words, unit, shown = header.name, header.words, header.unit, header.shown
    quantity, score, why = _quantity(unit, _word_quantity(words, unit), words, shown)
    if quantity in ("flag", None):
        return ColumnUse(column=name, channel=extra_channel(name), why=tr("nothing tells what it is"))
    component, component_score = _component(quantity, words, header.text)
    score = min(1.0, score + component_score)
    if quantity == "load" and component == "battery":
        quantity = "charge"
    elif quantity == "charge" and component in ("cpu", "gpu"):
        quantity = "load"  # charge is the load of a processor in French
    factor, offset, counts = (unit.factor, unit.offset, unit.counts) if unit else (1.0, 0.0, False)
    if unit is None and quantity in ("load", "charge") and _is_share(shown):
        factor, why = 100.0, tr("{why}, shares of one", why=why)
    if unit is None and quantity == "clock" and 0.2 <= shown.median < 10.0:
        factor, score, why = 1e3, min(score, SURE - 0.05), tr("{why}, read as GHz", why=why)
    channel = _channel(quantity, component, words, header.text)
    use = ColumnUse(
        column=name, channel=channel, factor=factor, offset=offset, counts=counts, score=round(score, 2), why=why
    )
    return _as_it_shows(use, header, quantity, component)


_FRAMES_SHOW = {"frame.rate": FRAME_RATES, "frame.time": (1000.0 / FRAME_RATES[1], 1000.0 / FRAME_RATES[0])}


def _as_it_shows(use: ColumnUse, header: _Header, quantity: str, component: str) -> ColumnUse:
    """The use as it is, or doubtful where values are not what such a channel shows."""
    bounds = _FRAMES_SHOW.get(use.channel) or _USUAL.get(quantity)
    shown = header.shown
    if bounds is None or use.counts or use.channel == "wall.voltage":
        return use
    median = shown.median * use.factor + use.offset
    if _within(abs(median) if quantity == "power" and component in _SIGNED else median, bounds):
        return use
    others = () if quantity == "time" else ("clock", "temp", "load")
    likelier = next((q for q in others if _within(shown.median, _USUAL[q])), quantity)
    low, high = shown.low * use.factor + use.offset, shown.high * use.factor + use.offset
    say = "say" if " and " in use.why else "says"
    again = {
        "channel": _channel(likelier, component, header.words, header.text),
        "score": 0.2,
        "why": tr(
            "{why} {say} {quantity}, but it shows {low} to {high}",
            why=use.why,
            say=say,
            quantity=quantity,
            low=plain(low),
            high=plain(high),
        ),
    }
    return use.model_copy(update=again if likelier == quantity else {**again, "factor": 1.0, "offset": 0.0})


def _words(text: str) -> list[str]:
    """The words of a name; of one that is grown together, as a compound or with its number, its parts too."""
    found = []
    for word in re.findall(r"[^\W_]+", text):
        found.append(word)
        if word in _KNOWN:
            continue
        bare = word.strip("0123456789")
        if bare in _KNOWN:
            found.append(bare)
            continue
        for at in (str.startswith, str.endswith):
            found += sorted((k for k in _LONG if at(word, k)), key=len)[-1:]
    return found


def _flag(words: list[str], unit: Unit | None, shown: ShownColumn) -> str:
    """The channel of a column that says when a limit held; empty where it is none."""
    said = set(words)
    is_flag = shown.low >= 0.0 and shown.high <= 1.0 and (unit is None or unit.quantity == "flag")
    speaks = said & _LIMIT_WORDS or (unit is not None and unit.quantity == "flag" and said & _LIMITED)
    if not is_flag or not speaks:
        return ""
    if said & _POWER_WORDS:
        return "cpu.throttle.power"
    return "cpu.throttle.current" if said & _CURRENT_WORDS else "cpu.throttle.heat"


def _rate(name: str, shown: ShownColumn) -> ColumnUse | None:
    """A column that tells how many of something are done each second, by its form; None where it does not."""
    found = _PER_SECOND.match(name.strip())
    if found is None:
        return None
    what = re.sub(r"[\W_]+", " ", found.group("what")).casefold().split()
    frames = any(_PART_BY_WORD.get(word) == "frame" or word in _FRAMES for word in what)
    known = frames or any(word in _WORK for word in what)
    channel = "frame.rate" if frames else "score.rate"
    score = 0.8 if known else 0.5
    if frames and not _within(shown.median, FRAME_RATES):
        score = 0.2
    return ColumnUse(column=name, channel=channel, score=score, why=tr("it is a number each second"))


def _word_quantity(words: list[str], unit: Unit | None) -> str | None:
    """The quantity that the words of a name speak of; the speed of a fan is its own."""
    is_fan = "fan" in words or "lüfter" in words
    if is_fan and (unit is None or unit.quantity == "speed"):
        return "speed"
    return next((_BY_WORD[w] for w in words if w in _BY_WORD and not (w == "speed" and "fan" in words)), None)


def _is_share(shown: ShownColumn) -> bool:
    """Whether values are shares of one, and not percentages of next to nothing."""
    return shown.low >= 0.0 and shown.high <= 1.0 < 100.0 * max(shown.high, 0.05)


def _quantity(
    unit: Unit | None, by_word: str | None, words: list[str], shown: ShownColumn
) -> tuple[str | None, float, str]:
    """The quantity, how much that is worth, and why."""
    if by_word == "throttle":
        return "throttle", 0.6, tr("it speaks of throttling")
    if by_word in ("dropped", "generated"):
        flags = shown.low >= 0.0 and shown.high <= 1.0
        return (by_word, 0.4, tr("it says which frames were {by_word}", by_word=by_word)) if flags else (None, 0.0, "")
    if unit is not None:
        quantity = unit.quantity
        if quantity == "load" and by_word in ("charge",):
            return "charge", 0.6, tr("its unit and its name")
        if quantity == "time" and not any(_PART_BY_WORD.get(word) == "frame" for word in words):
            return None, 0.0, ""
        agrees = by_word in (quantity, None) or (quantity == "power" and by_word == "energy")
        return quantity, 0.6 if agrees and by_word else 0.5, tr("its unit and its name") if by_word else tr("its unit")
    if by_word is not None:
        return by_word, 0.35, tr("its name, without a unit")
    return None, 0.0, ""


def _component(quantity: str, words: list[str], text: str) -> tuple[str, float]:
    """What part of the computer it is of, and how much that is worth."""
    found = [_PART_BY_WORD[w] for w in words if w in _PART_BY_WORD]
    if _CORE.search(text) and "gpu" not in found:
        return "cpu", 0.4
    if "fan" in found and quantity == "speed":
        return "fan", 0.4
    if quantity == "power" and _TOGETHER.search(text):
        return "soc", 0.3
    for part in Component:
        if part in found:
            return str(part), 0.4
    if quantity in _DEFAULT:
        return _DEFAULT[quantity], 0.3
    if quantity in ("rate", "dropped", "generated"):
        return "frame", 0.35
    return "cpu", 0.1


def _channel(quantity: str, component: str, words: list[str], text: str) -> str:
    if quantity == "throttle":
        return "cpu.throttle.power" if _POWER_WORDS & set(words) else "cpu.throttle.heat"
    core = _CORE.search(text)
    if core and component == "cpu" and quantity in ("clock", "temp", "load", "power"):
        number = next(g for g in core.groups() if g is not None)
        return f"cpu.core.{number}.{quantity}"
    if component == "fan":
        number_found = _NUMBER.search(text)
        return f"fan.{number_found.group(1) if number_found else 1}.{quantity}"
    if component == "cpu" and quantity == "clock":
        kind = next((_KIND[w] for w in words if w in _KIND), None)
        if kind:
            return f"cpu.{kind}.clock"
    if component == "skin":
        place = next((w for w in words if w in ("palm", "keyboard")), "case")
        return f"skin.{place}.{quantity}"
    return f"{component}.{quantity}"


def _within(median: float, bounds: tuple[float, float]) -> bool:
    """A single odd value does not make another quantity of a column: the median decides."""
    return bounds[0] <= median <= bounds[1]


def extra_channel(name: str) -> str:
    """The channel of a column that is kept under its own name."""
    slug = re.sub(r"[^a-z0-9]+", "_", name.casefold()).strip("_") or "column"
    return f"extra.{slug[:60]}"


def read_mapping(path: Path) -> ColumnMapping:
    """A mapping that was written as JSON.

    Raises
    ------
    DataError : it cannot be read, or says something that makes no sense.
    """
    return read_model(path, ColumnMapping, MOST_BYTES)
