"""What settings differ in, what changing it takes on a device, and what cannot be had together."""

from collections.abc import Callable, Sequence

from pinch.bench.parts import Aspect, Exclusion, Need
from pinch.bench.records import Device, Setting, WorkKind, Workload
from pinch.core.runsheet import Task
from pinch.language import numeral, tr

NEED_S = {Need.SWITCH: 30.0, Need.RESTART: 180.0, Need.FIRMWARE: 360.0, Need.HANDS: 900.0}
SUPPLY_S = 30.0
"""Times of changes in s until actual ones are known. Common practice, no source."""

USUAL_NEED = {
    Aspect.GRAPHICS_PATH: Need.RESTART,
    Aspect.UNDERVOLT: Need.FIRMWARE,
    Aspect.MEMORY_SPEED: Need.FIRMWARE,
    Aspect.GRAPHICS_MEMORY: Need.FIRMWARE,
}
"""What is not here is a switch. A device may say otherwise."""

_READ: dict[Aspect, Callable[[Setting], str]] = {
    Aspect.MODE: lambda s: s.mode,
    Aspect.LIMITS: lambda s: _limits(s),
    Aspect.SUPPLY: lambda s: tr("mains") if s.mains else tr("battery"),
    Aspect.GRAPHICS_PATH: lambda s: s.graphics_path,
    Aspect.FAN: lambda s: s.fan,
    Aspect.CLOCK_LOCK: lambda s: _with_unit(s.clock_ceiling_mhz, "MHz"),
    Aspect.GRAPHICS_LOCK: lambda s: _with_unit(s.graphics_ceiling_mhz, "MHz"),
    Aspect.UNDERVOLT: lambda s: _with_unit(s.undervolt_mv, "mV"),
    Aspect.MEMORY_SPEED: lambda s: _with_unit(s.memory_speed_mts, "MT/s"),
    Aspect.GRAPHICS_MEMORY: lambda s: _with_unit(s.graphics_memory_gb, "GB"),
    Aspect.PROFILE: lambda s: s.platform_profile,
}


def value_of(setting: Setting, aspect: Aspect) -> str:
    """The value of an aspect in words; empty where it is not set, which means: as the device comes."""
    return _READ[aspect](setting)


def differences(before: Setting, after: Setting) -> list[Aspect]:
    """Aspects in which two settings differ."""
    return [a for a in Aspect if value_of(before, a) != value_of(after, a)]


def need_of(device: Device, aspect: Aspect) -> Need:
    """What changing an aspect takes on a device."""
    own = next((n.need for n in device.change_needs if n.aspect is aspect), None)
    return own or USUAL_NEED.get(aspect, Need.SWITCH)


def tasks_between(device: Device, before: Setting | None, after: Setting) -> tuple[Task, ...]:
    """What the operator does to come from one setting to another; without a `before` everything that `after` sets is
    set, by the device's switches."""
    if before is None:
        return (Task("set", NEED_S[Need.SWITCH], tr("set {after}", after=after.name)),)
    changed = differences(before, after)
    tasks = []
    if Aspect.SUPPLY in changed:
        tasks.append(Task("supply", SUPPLY_S, tr("plug in the mains") if after.mains else tr("unplug, go on battery")))
    others = [a for a in changed if a is not Aspect.SUPPLY]
    needs = {need_of(device, a) for a in others}
    for need, kind, words in (
        (Need.HANDS, "hands", tr("by hand, as its maker describes it, with the mains and the battery off: change")),
        (Need.FIRMWARE, "firmware", tr("in the firmware, set")),
        (Need.RESTART, "restart", tr("restart with")),
        (Need.SWITCH, "set", "set"),
    ):
        mine = [a for a in others if need_of(device, a) is need]
        if mine:
            restarted = need is Need.RESTART and Need.FIRMWARE in needs
            seconds = NEED_S[Need.SWITCH] if restarted else NEED_S[need]  # one visit restarts for both
            tasks.append(Task(kind, seconds, f"{words} {_what(mine, after)}"))
    if not tasks:
        tasks.append(Task("set", NEED_S[Need.SWITCH], tr("set {after}", after=after.name)))
    return tuple(tasks)


def by_hand(device: Device, setting: Setting) -> tuple[str, ...]:
    """What of a setting takes work by hand on the device: settings that are alike in it are done together."""
    return tuple(value_of(setting, a) for a in Aspect if need_of(device, a) is Need.HANDS)


def forbidden(device: Device, setting: Setting) -> str:
    """The rule of a device that a setting breaks; empty where it breaks none."""
    rules = (
        r for r in device.exclusions if _holds(r.aspect, r.value, setting) and _holds(r.never_with, r.other, setting)
    )
    return next((f"{device.name}: {rule_words(rule)}" for rule in rules), "")


def why_not(device: Device, setting: Setting, workload: Workload) -> str:
    """Why a workload cannot be run at a setting of a device; empty where it can."""
    if rule := forbidden(device, setting):
        return rule
    if workload.kind is WorkKind.RUNDOWN and setting.mains:
        return tr("a rundown is done on battery")
    if workload.kind is WorkKind.RUNDOWN and device.battery.usable_wh is None:
        return tr("the battery of {device} is not known", device=device.name)
    return ""


def rule_words(rule: Exclusion) -> str:
    """A rule as a sentence part."""
    return tr(
        "{aspect} {rule} never with {never_with} {other}",
        aspect=rule.aspect,
        rule=rule.value,
        never_with=rule.never_with,
        other=rule.other,
    )


def _holds(aspect: Aspect, value: str, setting: Setting) -> bool:
    if aspect is Aspect.LIMITS and value.lstrip().startswith(">"):
        bound = value.replace(">", "").replace("W", "").replace(",", ".").strip()
        try:
            return setting.sustained_w is not None and setting.sustained_w > float(bound)
        except ValueError:
            return False
    names = {value_of(setting, aspect).casefold()} | ({setting.name.casefold()} if aspect is Aspect.MODE else set())
    return value.strip().casefold() in names


def _what(aspects: Sequence[Aspect], setting: Setting) -> str:
    words = []
    for aspect in aspects:
        value = value_of(setting, aspect) or tr("as it comes")
        words.append(value if aspect is Aspect.LIMITS and setting.sustained_w else f"{aspect} {value}")
    return ", ".join(words)


def _limits(setting: Setting) -> str:
    if setting.sustained_w is None:
        return ""
    if setting.burst_w is None or setting.burst_w == setting.sustained_w:
        return tr("{sustained_w:g} W", sustained_w=setting.sustained_w)
    return f"{numeral(setting.sustained_w, 'g')}/{numeral(setting.burst_w, 'g')} W"


def _with_unit(value: float | None, unit: str) -> str:
    return "" if value is None else f"{numeral(value, 'g')} {unit}"
