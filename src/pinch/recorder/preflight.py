"""Before a run: what is as it should be, what is not, and what cannot be told, each with its evidence."""

import math
from enum import StrEnum

from msgspec import Struct

from pinch.bench.records import Protocol, Setting
from pinch.core.printing import plain
from pinch.language import tr

SETTLED_LOAD = 5.0
"""Background load in % above which something else is at work. Common practice, no source."""
FULL_CHARGE, CHARGED = 95.0, 80.0
"""Charge in % that a run on battery begins with at least; below the second a machine on mains charges meanwhile. Common
practice, no source."""
LIMIT_OFF = 0.03
MOST_STEP_S = 1.0
LEAST_FREE = 500e6


class CheckVerdict(StrEnum):
    """What a check found."""

    GOOD = "good"
    WARNING = "warning"
    UNKNOWN = "not known"


class Check(Struct, frozen=True):
    """One line: what was looked at, what was found, and the evidence in words."""

    name: str
    verdict: CheckVerdict
    evidence: str


class MeterLook(Struct, frozen=True):
    """What an instrument answered: a value in its unit with its standard uncertainty, or why there is none."""

    name: str
    value: float | None
    unit: str
    u: float = 0.0
    problem: str = ""


class Evidence(Struct, frozen=True):
    """What was read before a run; None or empty where nothing could be. Temperatures in °C, shares in %, power in W.

    `rest_c` is where earlier runs began, `slowest_s` the device's slowest time constant, `clock_step_s` how far the
    wall clock has jumped since Pinch began, `missing` the channels that only the run before had (None: there was none),
    `odd` those whose values cannot be, `unagreed` what was not asked, as nobody has agreed to its command or address.
    """

    temp_c: float | None = None
    rest_c: float | None = None
    slowest_s: float | None = None
    room_c: float | None = None
    on_mains: bool | None = None
    charge: float | None = None
    load: float | None = None
    profile: str = ""
    governor: str = ""
    meters: tuple[MeterLook, ...] = ()
    unagreed: tuple[str, ...] = ()
    odd: tuple[str, ...] = ()
    sustained_w: float | None = None
    clock_step_s: float = 0.0
    channels: tuple[str, ...] = ()
    missing: tuple[str, ...] | None = None
    free_bytes: float = math.inf


def preflight(e: Evidence, setting: Setting, protocol: Protocol) -> list[Check]:
    """All checks that the evidence and the records speak of."""
    made = [
        _temperature(e, protocol.cool_within_k),
        _room(e, protocol),
        _supply(e, setting),
        _charge(e, setting),
        _load(e),
        _profile(e, setting),
        _governor(e, setting),
        _limit(e, setting),
        _clock(e),
        _channels(e),
        *(_meter(look) for look in e.meters),
        _consent(e),
        _disk(e),
    ]
    return [check for check in made if check is not None]


def wait_s(e: Evidence, within_k: float) -> float | None:
    """Time until the temperature is within so many kelvins of its rest, s; None where it cannot be told."""
    if e.temp_c is None or e.rest_c is None or e.slowest_s is None:
        return None
    above = e.temp_c - e.rest_c
    return 0.0 if above <= within_k else e.slowest_s * math.log(above / within_k)


def _temperature(e: Evidence, within_k: float) -> Check | None:
    if e.temp_c is None:
        return None
    if e.rest_c is None:
        return Check(
            tr("Temperature"),
            CheckVerdict.UNKNOWN,
            tr("{temp_c:.1f} °C; no earlier rest to compare with.", temp_c=e.temp_c),
        )
    above = e.temp_c - e.rest_c
    words = tr(
        "{temp_c:.1f} °C, {above:+.1f} K from where runs began ({rest_c:.1f} °C)",
        temp_c=e.temp_c,
        above=above,
        rest_c=e.rest_c,
    )
    if above <= within_k:
        return Check(tr("Temperature"), CheckVerdict.GOOD, f"{words}.")
    wait = wait_s(e, within_k)
    patience = "" if wait is None else tr("; about {what:.0f} min to wait", what=max(1.0, wait / 60.0))
    return Check(tr("Temperature"), CheckVerdict.WARNING, f"{words}{patience}.")


def _consent(e: Evidence) -> Check | None:
    if not e.unagreed:
        return None
    words = tr("nobody has agreed here to what the book wants for it. Check again shows it and asks.")
    return Check(tr("Consent"), CheckVerdict.WARNING, f"{', '.join(e.unagreed)}: {words}")


def _room(e: Evidence, protocol: Protocol) -> Check:
    if e.room_c is None:
        return Check(tr("Room"), CheckVerdict.UNKNOWN, tr("Not noted; without it heat cannot be compared."))
    if protocol.ambient_c is None:
        return Check(tr("Room"), CheckVerdict.GOOD, tr("{room_c:g} °C.", room_c=e.room_c))
    within = protocol.ambient_within_k or 1.0
    words = tr(
        "{room_c:g} °C, the protocol wants {ambient_c:g} ± {within:g}.",
        room_c=e.room_c,
        ambient_c=protocol.ambient_c,
        within=within,
    )
    near = abs(e.room_c - protocol.ambient_c) <= within
    return Check(tr("Room"), CheckVerdict.GOOD if near else CheckVerdict.WARNING, words)


def _supply(e: Evidence, setting: Setting) -> Check | None:
    if e.on_mains is None:
        return None
    words = tr(
        "On {found}, the setting says {wanted}.",
        found=tr("mains") if e.on_mains else tr("battery"),
        wanted=tr("mains") if setting.mains else tr("battery"),
    )
    return Check(tr("Supply"), CheckVerdict.GOOD if e.on_mains == setting.mains else CheckVerdict.WARNING, words)


def _charge(e: Evidence, setting: Setting) -> Check | None:
    if e.charge is None:
        return None
    wanted = CHARGED if setting.mains else FULL_CHARGE
    good = e.charge >= wanted
    why = tr("it charges while the run goes on") if setting.mains else tr("a run on battery begins full")
    return Check(
        tr("Charge"),
        CheckVerdict.GOOD if good else CheckVerdict.WARNING,
        f"{e.charge:.0f} %{'' if good else f'; {why}'}.",
    )


def _load(e: Evidence) -> Check | None:
    if e.load is None:
        return None
    busy = e.load > SETTLED_LOAD
    words = tr("{load:.1f} % of all cores{what}.", load=e.load, what=tr("; something else is at work") if busy else "")
    return Check(tr("Background"), CheckVerdict.WARNING if busy else CheckVerdict.GOOD, words)


def _profile(e: Evidence, setting: Setting) -> Check | None:
    if not setting.platform_profile:
        return None
    if not e.profile:
        return Check(
            tr("Mode"),
            CheckVerdict.UNKNOWN,
            tr(
                "{platform_profile} is wanted; Linux does not tell which is on.",
                platform_profile=setting.platform_profile,
            ),
        )
    same = e.profile.casefold() == setting.platform_profile.casefold()
    words = tr(
        "{profile} is on, {platform_profile} is wanted.", profile=e.profile, platform_profile=setting.platform_profile
    )
    return Check(tr("Mode"), CheckVerdict.GOOD if same else CheckVerdict.WARNING, words)


def _governor(e: Evidence, setting: Setting) -> Check | None:
    if not setting.governor:
        return Check(tr("Governor"), CheckVerdict.GOOD, f"{e.governor}.") if e.governor else None
    if not e.governor:
        return Check(
            tr("Governor"),
            CheckVerdict.UNKNOWN,
            tr("{governor} is wanted; Linux does not tell which is on.", governor=setting.governor),
        )
    same = e.governor.casefold() == setting.governor.casefold()
    words = tr("{found} is on, {wanted} is wanted.", found=e.governor, wanted=setting.governor)
    return Check(tr("Governor"), CheckVerdict.GOOD if same else CheckVerdict.WARNING, words)


def _meter(look: MeterLook) -> Check:
    if look.value is None:
        return Check(
            look.name,
            CheckVerdict.WARNING,
            tr("{problem} Without it there is a gap until it answers.", problem=look.problem),
        )
    if not math.isfinite(look.value):
        return Check(
            look.name, CheckVerdict.WARNING, tr("It answers that it has no value: out of its range, or nothing on it.")
        )
    accuracy = tr(", standard uncertainty {u} {unit}", u=plain(look.u, 2), unit=look.unit) if look.u else ""
    return Check(look.name, CheckVerdict.GOOD, f"{plain(look.value)} {look.unit}{accuracy}.")


def _limit(e: Evidence, setting: Setting) -> Check | None:
    if setting.sustained_w is None or e.sustained_w is None:
        return None
    same = abs(e.sustained_w - setting.sustained_w) <= LIMIT_OFF * setting.sustained_w
    words = tr(
        "{found:g} W is set, the setting says {wanted:g} W.",
        found=e.sustained_w,
        wanted=setting.sustained_w,
    )
    return Check(tr("Limit"), CheckVerdict.GOOD if same else CheckVerdict.WARNING, words)


def _clock(e: Evidence) -> Check | None:
    if abs(e.clock_step_s) <= MOST_STEP_S:
        return None
    words = tr(
        "It has jumped by {clock_step_s:+.1f} s since Pinch began; samples keep their own clock.",
        clock_step_s=e.clock_step_s,
    )
    return Check(tr("Wall clock"), CheckVerdict.WARNING, words)


def _channels(e: Evidence) -> Check | None:
    if not e.channels:
        return None
    if e.odd:
        return Check(
            tr("Sensors"),
            CheckVerdict.WARNING,
            tr("Values that cannot be: {odd}. They are kept as they are.", odd=", ".join(e.odd)),
        )
    if e.missing:
        return Check(
            tr("Sensors"),
            CheckVerdict.WARNING,
            tr("Missing since the last run: {missing}.", missing=", ".join(e.missing)),
        )
    if e.missing is None:
        return Check(
            tr("Sensors"),
            CheckVerdict.GOOD,
            tr("{channels} channels; no earlier run to compare with.", channels=len(e.channels)),
        )
    return Check(
        tr("Sensors"),
        CheckVerdict.GOOD,
        tr("{channels} channels, all that the last run had.", channels=len(e.channels)),
    )


def _disk(e: Evidence) -> Check | None:
    if e.free_bytes >= LEAST_FREE:
        return None
    return Check(
        tr("Disk"),
        CheckVerdict.WARNING,
        tr("Only {free_bytes:.0f} MB are free where the book is.", free_bytes=e.free_bytes / 1e6),
    )
