"""What differs between two results beside what is compared, and what it does to the comparison.

Each difference is one of three: it *holds the result back*, it is *worth a note*, or it is *harmless*. The rules are
common practice of the trade, no source; their numbers stand below. An unfair pair is compared all the same, with what
speaks against it in view.
"""

import math
from collections.abc import Mapping
from datetime import date
from enum import IntEnum

from msgspec import Struct, field

from pinch.language import day_words, numeral, tr


class FairnessGrade(IntEnum):
    """What a difference does, the worst first."""

    HOLDS_BACK = 0
    NOTE = 1
    HARMLESS = 2


GRADE_WORDS = {
    FairnessGrade.HOLDS_BACK: tr("holds the result back"),
    FairnessGrade.NOTE: tr("worth a note"),
    FairnessGrade.HARMLESS: tr("harmless"),
}
WATTS_NOTE, WATTS_BACK = 0.03, 0.10
AMBIENT_NOTE_K, AMBIENT_BACK_K = 2.0, 5.0
DRIVER_BACK_DAYS = 90
APART_DAYS = 30
BRIGHTNESS_SHARE = 0.2
SEEN_CAPPED = 0.2
"""Share of the load at a cap from which a run counts as capped though nobody noted a cap."""
BOTH = ""


OWN = "own test"
"""The origin of figures that were found here."""


class Conditions(Struct, frozen=True):
    """What a result came about under; None or empty where nobody noted it. `device` is the unit, `graphical` whether
    frames are made, `work` texts by aspect (preset, upscaling …), `builds` version and date by what it is of; `extent`
    is what of the runs counts, and `off`, how far all of the load is from what was held, as a share (0: it is not)."""

    name: str
    device: str
    power_w: float | None = None
    ambient_c: float | None = None
    mains: bool | None = None
    graphics_path: str = ""
    fan: str = ""
    builds: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    resolution: str = ""
    shape: str = ""
    work: Mapping[str, str] = field(default_factory=dict)
    frame_cap: float | None = None
    capped_share: float = 0.0
    heat_share: float = 0.0
    graphical: bool = False
    memory: Mapping[str, str] = field(default_factory=dict)
    channels: str = ""
    graphics_memory_gb: float | None = None
    brightness_nits: float | None = None
    day: date | None = None
    status: str = "retail"
    repeatable: str = ""
    runs: int = 1
    origin: str = OWN
    unsettled: str = ""
    graphics_chip: str = ""
    claimed_w: float | None = None
    extent: str = ""
    off: float = 0.0
    undervolt_mv: float | None = None
    clock_lock_mhz: float | None = None
    graphics_lock_mhz: float | None = None


class ConditionDifference(Struct, frozen=True):
    """A difference of conditions: a stable key, what it is of, the values of a and b, its grade, which of the two it
    holds back (`a`, `b`, or neither), and a sentence."""

    key: str
    what: str
    a: str
    b: str
    grade: FairnessGrade
    holds_back: str
    words: str

    @property
    def holds_baseline_back(self) -> bool:
        """Whether it is the baseline whose result is the worse for it."""
        return self.grade is FairnessGrade.HOLDS_BACK and self.holds_back == "b"

    @property
    def effect(self) -> str:
        """What it does to a, set against b as the baseline."""
        if self.grade is not FairnessGrade.HOLDS_BACK:
            return GRADE_WORDS[self.grade]
        return {"a": tr("holds it back"), "b": tr("holds the baseline back")}.get(
            self.holds_back, tr("not like for like")
        )


def differences(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """Every difference of conditions between two results, the worst first."""
    found = [
        *_watts(a, b),
        *_ambient(a, b),
        *_supply(a, b),
        *_texts(a, b),
        *_builds(a, b),
        *_frames(a, b),
        *_memory(a, b),
        *_graphics_chip(a, b),
        *_tuning(a, b),
        *_circumstances(a, b),
    ]
    return sorted(found, key=lambda d: d.grade)


def _of(
    key: str, what: str, a: str, b: str, grade: FairnessGrade, words: str, holds_back: str = BOTH
) -> list[ConditionDifference]:
    return [ConditionDifference(key, tr(what), a or tr("not noted"), b or tr("not noted"), grade, holds_back, words)]


def _watts(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    if a.power_w is None and b.power_w is None:
        return _claims(a, b)
    if a.power_w is None or b.power_w is None:
        if (a.power_w is None) != (b.power_w is None):
            words = tr("Of one of them no watts were measured.")
            return _of("watts", tr("measured watts"), _w(a.power_w), _w(b.power_w), FairnessGrade.NOTE, words)
        return []
    ratio = a.power_w / b.power_w
    apart = max(ratio, 1 / ratio) - 1
    if apart < 0.01:
        return []
    less = "b" if ratio > 1 else "a"
    grade = (
        FairnessGrade.HOLDS_BACK
        if apart > WATTS_BACK
        else FairnessGrade.NOTE
        if apart > WATTS_NOTE
        else FairnessGrade.HARMLESS
    )
    more = "a" if less == "b" else "b"
    words = tr("{name} drew {apart:.0f} % more watts.", name=_name(a, b, more), apart=100 * apart)
    return _of("watts", tr("measured watts"), _w(a.power_w), _w(b.power_w), grade, words, less)


def _claims(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """Limits as they are set, where no watts were measured."""
    if a.claimed_w is None or b.claimed_w is None or a.claimed_w == b.claimed_w:
        return []
    apart = max(a.claimed_w, b.claimed_w) / min(a.claimed_w, b.claimed_w) - 1
    more = "a" if a.claimed_w > b.claimed_w else "b"
    grade = FairnessGrade.HOLDS_BACK if apart > WATTS_BACK else FairnessGrade.NOTE
    words = tr(
        "{name} was set to {apart:.0f} % more watts; none were measured.", name=_name(a, b, more), apart=100 * apart
    )
    both = (tr("{claimed_w:g} W", claimed_w=a.claimed_w), tr("{claimed_w:g} W", claimed_w=b.claimed_w))
    return _of("claimed-limit", tr("limit as set"), *both, grade, words, "b" if more == "a" else "a")


def _ambient(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    if a.ambient_c is None or b.ambient_c is None:
        if a.ambient_c == b.ambient_c:
            return []
        words = tr("The room was noted for one of them only.")
        return _of("ambient", tr("room"), _c(a.ambient_c), _c(b.ambient_c), FairnessGrade.NOTE, words)
    apart = abs(a.ambient_c - b.ambient_c)
    if apart < 0.05:
        return []
    warm = "a" if a.ambient_c > b.ambient_c else "b"
    heat = (a if warm == "a" else b).heat_share > 0.1
    grade = FairnessGrade.HARMLESS
    if apart > AMBIENT_NOTE_K:
        grade = FairnessGrade.HOLDS_BACK if heat or apart > AMBIENT_BACK_K else FairnessGrade.NOTE
    words = tr("The room of {name} was {apart:.1f} K warmer", name=_name(a, b, warm), apart=apart) + (
        tr(", and heat held it.") if heat else "."
    )
    return _of(
        "ambient",
        "room",
        _c(a.ambient_c),
        _c(b.ambient_c),
        grade,
        words,
        warm if grade is FairnessGrade.HOLDS_BACK else BOTH,
    )


def _supply(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    if a.mains is None or b.mains is None or a.mains == b.mains:
        return []
    on_battery = "a" if b.mains else "b"
    words = tr("{name} ran on battery, the other on mains.", name=_name(a, b, on_battery))
    both = (tr("mains") if a.mains else tr("battery"), tr("mains") if b.mains else tr("battery"))
    return _of("supply", tr("supply"), *both, FairnessGrade.HOLDS_BACK, words, on_battery)


def _texts(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    found: list[ConditionDifference] = []
    if a.graphics_path != b.graphics_path and a.graphical and b.graphical:
        words = tr("The frames took different ways to the display.")
        found += _of(
            "graphics-path", tr("graphics path"), a.graphics_path, b.graphics_path, FairnessGrade.HOLDS_BACK, words
        )
    if a.fan != b.fan:
        words = tr("The fans followed different profiles: noise and heat are not alike.")
        found += _of("fan", tr("fan profile"), a.fan, b.fan, FairnessGrade.NOTE, words)
    return found


def _builds(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    found: list[ConditionDifference] = []
    same_unit = a.device == b.device
    for what in dict.fromkeys([*a.builds, *b.builds]):
        one, other = a.builds.get(what, ("", "")), b.builds.get(what, ("", ""))
        if _same_build(one, other) or (what == "firmware" and not same_unit):  # each device has its own
            continue
        days = _days(one[1], other[1])
        driver = "driver" in what
        old = driver and a.graphical and days is not None and abs(days) > DRIVER_BACK_DAYS
        idle = driver and not a.graphical
        grade = FairnessGrade.HOLDS_BACK if old else FairnessGrade.HARMLESS if idle else FairnessGrade.NOTE
        older = ("a" if days is not None and days < 0 else "b") if old else BOTH
        gap = tr(", {days} days apart", days=abs(days)) if days else ""
        words = tr(
            "The {what} was not the same: {one} against {other}{gap}.",
            what=tr(what),
            one=_build(one),
            other=_build(other),
            gap=gap,
        )
        if ("", "") in (one, other):
            words = tr("The {what} was noted for one of them only.", what=tr(what))
        found += _of(f"build {what}", what, _build(one), _build(other), grade, words, older)
    return found


def _frames(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    return [*_pictures(a, b), *_work(a, b), *_caps(a, b)]


def _pictures(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """Pixels and shape of the pictures that were drawn."""
    found: list[ConditionDifference] = []
    pixels_a, pixels_b = _pixels(a.resolution), _pixels(b.resolution)
    if pixels_a and pixels_b and pixels_a != pixels_b:
        more = "a" if pixels_a > pixels_b else "b"
        by = 100 * (max(pixels_a, pixels_b) / min(pixels_a, pixels_b) - 1)
        words = tr("{name} drew {by:.0f} % more pixels.", name=_name(a, b, more), by=by)
        grade = FairnessGrade.HOLDS_BACK if by > 2 else FairnessGrade.NOTE
        found += _of("resolution", tr("resolution"), a.resolution, b.resolution, grade, words, more)
    shape_a, shape_b = _shape(a.resolution) or a.shape, _shape(b.resolution) or b.shape
    if shape_a and shape_b and shape_a != shape_b:
        words = tr(
            "The pictures are not of one shape ({shape_a}, {shape_b}), so they do not show the same scene.",
            shape_a=shape_a,
            shape_b=shape_b,
        )
        found += _of("shape", tr("shape"), shape_a, shape_b, FairnessGrade.NOTE, words)
    return found


def _work(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """What of the work itself is not the same."""
    found: list[ConditionDifference] = []
    for what in dict.fromkeys([*a.work, *b.work]):
        one, other = a.work.get(what, ""), b.work.get(what, "")
        if one != other:
            words = tr("The {what} is not the same, so this is not the same work.", what=tr(what))
            found += _of(what, what, one or tr("none"), other or tr("none"), FairnessGrade.HOLDS_BACK, words)
    return found


def _caps(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """Frame caps, set or seen."""
    capped = [side for side, c in (("a", a), ("b", b)) if c.frame_cap is not None or c.capped_share > SEEN_CAPPED]
    if len(capped) != 1 and a.frame_cap == b.frame_cap:
        return []
    words, side = tr("The frame caps differ."), BOTH
    if len(capped) == 1:
        side = capped[0]
        cap = (a if side == "a" else b).frame_cap
        words = tr(
            "{name} was capped {what}.",
            name=_name(a, b, side),
            what=tr("at {cap:g} fps", cap=cap) if cap else tr("by something that was not noted"),
        )
    return _of("frame-cap", tr("frame cap"), _cap(a), _cap(b), FairnessGrade.HOLDS_BACK, words, side)


def _memory(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    found: list[ConditionDifference] = []
    same_unit = a.device == b.device
    for what in dict.fromkeys([*a.memory, *b.memory]):
        one, other = a.memory.get(what, ""), b.memory.get(what, "")
        if one and other and one != other:
            grade = FairnessGrade.NOTE if same_unit or a.graphical else FairnessGrade.HARMLESS
            words = tr("Their {what} differs", what=tr(what)) + ("." if same_unit else tr(", as they are sold."))
            found += _of(what, what, one, other, grade, words)
    if a.channels and b.channels and a.channels != b.channels:
        single = "a" if a.channels == "single" else "b"
        words = tr("{name} has one memory channel only.", name=_name(a, b, single))
        found += _of("channels", tr("memory channels"), a.channels, b.channels, FairnessGrade.HOLDS_BACK, words, single)
    if (
        a.graphics_memory_gb != b.graphics_memory_gb
        and a.graphical
        and None not in (a.graphics_memory_gb, b.graphics_memory_gb)
    ):
        words = tr("Different shares of memory were set aside for graphics.")
        one, other = (tr("{graphics_memory_gb:g} GB", graphics_memory_gb=c.graphics_memory_gb) for c in (a, b))
        found += _of("graphics-memory", tr("graphics memory"), one, other, FairnessGrade.NOTE, words)
    return found


def _graphics_chip(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    one, other = a.graphics_chip, b.graphics_chip
    if not one or not other or one == other or not a.graphical:
        return []
    same_unit = a.device == b.device
    grade = FairnessGrade.NOTE if same_unit else FairnessGrade.HARMLESS
    words = tr("Other graphics drew the frames") + ("." if same_unit else tr(", as they are sold."))
    return _of("graphics-chip", tr("graphics chip"), one, other, grade, words)


def _lock(a: Conditions, b: Conditions, of: str, mine: float | None, base: float | None) -> list[ConditionDifference]:
    """A clock that was held down by hand on one side, or further down."""
    if mine == base:
        return []
    locked = "a" if (mine or math.inf) < (base or math.inf) else "b"
    what = tr("clock") if of == "clock" else tr("graphics clock")
    words = tr("The {what} of {name} was held down by hand.", what=what, name=_name(a, b, locked))
    one, other = (tr("{mhz:g} MHz", mhz=mhz) if mhz else tr("none") for mhz in (mine, base))
    return _of(f"{of}-lock", tr("{what} lock", what=what), one, other, FairnessGrade.HOLDS_BACK, words, locked)


def _tuning(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    found = _lock(a, b, "clock", a.clock_lock_mhz, b.clock_lock_mhz)
    found += _lock(a, b, "graphics", a.graphics_lock_mhz, b.graphics_lock_mhz)
    if a.undervolt_mv != b.undervolt_mv:
        one, other = (
            tr("{undervolt_mv:g} mV", undervolt_mv=c.undervolt_mv) if c.undervolt_mv else tr("none") for c in (a, b)
        )
        found += _of(
            "undervolt",
            tr("voltage offset"),
            one,
            other,
            FairnessGrade.NOTE,
            tr("One runs at other than its own voltages."),
        )
    return found


def _origins(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    if a.origin == b.origin:
        return []
    both = OWN not in (a.origin, b.origin)
    whose = tr("Both figures are others', each") if both else tr("One figure is somebody else's,")
    words = tr("{whose} found in a way that nobody here saw.", whose=whose)
    return _of("origin", tr("whose figure"), tr(a.origin), tr(b.origin), FairnessGrade.NOTE, words)


def _circumstances(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    found: list[ConditionDifference] = []
    if a.brightness_nits and b.brightness_nits:
        apart = max(a.brightness_nits, b.brightness_nits) / min(a.brightness_nits, b.brightness_nits) - 1
        if apart > BRIGHTNESS_SHARE:
            one, other = (tr("{brightness_nits:g} cd/m²", brightness_nits=c.brightness_nits) for c in (a, b))
            found += _of(
                "brightness",
                tr("brightness"),
                one,
                other,
                FairnessGrade.NOTE,
                tr("The displays were not equally bright."),
            )
    if a.day and b.day and abs((a.day - b.day).days) > APART_DAYS:
        apart_days = abs((a.day - b.day).days)
        words = tr(
            "They were tested {apart_days} days apart: drivers, firmware and the room move on.", apart_days=apart_days
        )
        found += _of("days", tr("days apart"), day_words(a.day), day_words(b.day), FairnessGrade.NOTE, words)
    if a.status != b.status:
        words = tr("One of them is not what is sold: it may change before it is.")
        found += _of("status", tr("unit"), tr(a.status), tr(b.status), FairnessGrade.NOTE, words)
    if a.repeatable != b.repeatable:
        words = tr("Their passes are not equally alike.")
        found += _of("repeatable", tr("how repeatable"), tr(a.repeatable), tr(b.repeatable), FairnessGrade.NOTE, words)
    found += _origins(a, b)
    if a.runs != b.runs:
        single = 1 in (a.runs, b.runs)
        words = tr("One rests on a single run.") if single else tr("They rest on different numbers of runs.")
        found += _of(
            "runs", "runs", f"{a.runs}", f"{b.runs}", FairnessGrade.NOTE if single else FairnessGrade.HARMLESS, words
        )
    if a.extent and b.extent and a.extent != b.extent:
        words = tr("Of one all of a scene counts, of the other what was held.")
        found += _of("extent", tr("what counts"), tr(a.extent), tr(b.extent), FairnessGrade.NOTE, words)
    found += _faults(a, b)
    for side, c in (("a", a), ("b", b)):
        if c.unsettled:
            words = tr(
                "{name} had not settled ({unsettled}): a longer run may give less.",
                name=c.name,
                unsettled=tr(c.unsettled),
            )
            found += _of(
                f"unsettled {side}",
                "settled",
                tr(a.unsettled or "settled"),
                tr(b.unsettled or "settled"),
                FairnessGrade.NOTE,
                words,
            )
    return found


def _faults(a: Conditions, b: Conditions) -> list[ConditionDifference]:
    """Runs that collapsed, stood still or fell, so that all of their load is compared."""
    found: list[ConditionDifference] = []
    for side, c in (("a", a), ("b", b)):
        if c.off:
            below = tr("below") if c.off < 0 else tr("above")
            words = tr(
                "{name} did not hold: over all of its load it is {off:.0f} % {below} its settled part,",
                name=c.name,
                off=100 * abs(c.off),
                below=below,
            )
            one, other = (
                f"{numeral(100 * x.off, '+.0f')} %".replace("-", "−") if x.off else tr("held") for x in (a, b)
            )
            words += tr(" so all of it is compared.")
            found += _of(f"fault {side}", tr("what was held"), one, other, FairnessGrade.NOTE, words)
    return found


def _name(a: Conditions, b: Conditions, side: str) -> str:
    return a.name if side == "a" else b.name


def _w(value: float | None) -> str:
    return "" if value is None else tr("{value:.1f} W", value=value)


def _c(value: float | None) -> str:
    return "" if value is None else tr("{value:g} °C", value=value)


def _cap(c: Conditions) -> str:
    return (
        tr("{frame_cap:g} fps", frame_cap=c.frame_cap)
        if c.frame_cap is not None
        else tr("found by itself")
        if c.capped_share > 0.2
        else tr("none")
    )


def _build(build: tuple[str, str]) -> str:
    version, told = build
    day = day_words(told)
    return f"{version} ({day})" if version and day else version or day or tr("not noted")


def _same_build(one: tuple[str, str], other: tuple[str, str]) -> bool:
    """Whether two builds are the same as far as was noted."""
    known = [(a, b) for a, b in zip(one, other, strict=True) if a and b]
    return bool(known) and all(a == b for a, b in known)


def _days(one: str, other: str) -> int | None:
    try:
        return (date.fromisoformat(one) - date.fromisoformat(other)).days
    except ValueError:
        return None


def _pixels(resolution: str) -> int:
    width, _, height = resolution.partition("×")
    return int(width) * int(height) if width.isdigit() and height.isdigit() else 0


def _shape(resolution: str) -> str:
    width, _, height = resolution.partition("×")
    if not (width.isdigit() and height.isdigit() and int(height)):
        return ""
    ratio = int(width) / int(height)
    known = {"16:9": 16 / 9, "16:10": 1.6, "3:2": 1.5, "4:3": 4 / 3, "21:9": 64 / 27}
    return min(known, key=lambda name: abs(known[name] - ratio)) if ratio else ""
