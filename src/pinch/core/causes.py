"""What can hold a machine back: the closed set of causes, each with everything that is said and drawn of it.

A new cause is a member here and a rule in `core.cause_evidence`; the judge, the live page, the strip, the themes,
sentences and files read the rest off the member.
"""

from collections.abc import Container
from enum import StrEnum

from pinch.language import tr

Tint = tuple[str, str]
"""Fill and line of a stretch as #RRGGBB."""

_POWER = ("soc.power", "cpu.power")
_TEMP = ("cpu.temp", "soc.temp", "gpu.temp", "cpu.throttle.heat", "cpu.throttle.count")


class Cause(StrEnum):
    """A cause. `label` names it beside its colour, `phrase` ends *it was held by …*, `hatch` tells it apart without
    colour: strokes out of `/`, a backslash, `|`, `-`, `x`, `+` and `.`, also together, the more the closer they lie.
    `evidence` is filled in with the levels of a run, `needs` are groups of channels of which each must be there in one
    form for the cause to be seen, `light` and `dark` are its tints in the two themes."""

    label: str
    phrase: str
    hatch: str
    evidence: str
    needs: tuple[tuple[str, ...], ...]
    light: Tint
    dark: Tint

    BURST_POWER = (
        "burst-power",
        "burst power",
        "its burst power limit",
        "..",
        "power stood at {level_w:.1f} W from the start, and came down from it at once",
        (_POWER,),
        ("#D8C48C", "#5C4A12"),
        ("#6B5A22", "#E8D18A"),
    )
    SUSTAINED_POWER = (
        "sustained-power",
        "sustained power",
        "its sustained power limit",
        "--",
        "power stood at {level_w:.1f} W to within {level_spread:.1%}, while the temperature moved by {moved_k:.0f} K",
        (_POWER,),
        ("#EFDFAE", "#85681B"),
        ("#54471F", "#D9BE6C"),
    )
    HEAT = (
        "heat",
        "heat",
        "heat",
        "///",
        "the temperature stood within {temp_tolerance_k:.1f} K of {temp_limit_c:.1f} °C ({temp_source}) while power "
        "gave way by {gave:.0%}",
        (_TEMP,),
        ("#E5A999", "#9A2E1B"),
        ("#6E2E22", "#F2A08E"),
    )
    SKIN = (
        "skin",
        "surface heat",
        "the heat of its surface",
        "/.",
        "the surface stood at {skin_limit_c:.1f} °C while power gave way by {skin_gave:.0%}",
        (("skin.case.temp", "skin.palm.temp", "skin.keys.temp", "cpu.throttle.skin"),),
        ("#F0CDB4", "#A2521A"),
        ("#5F3B22", "#F0B48A"),
    )
    CURRENT = (
        "current",
        "current",
        "its current limit",
        "-.",
        "the machine said so",
        (("cpu.throttle.current", "gpu.throttle.current"),),
        ("#E3D9A0", "#5F5A10"),
        ("#4A4A1E", "#D6D27A"),
    )
    SUPPLY = (
        "supply",
        "supply",
        "what its supply gives",
        "\\.",
        "power sank with the charge of the battery",
        (("battery.charge", "cpu.throttle.supply"),),
        ("#CFE0C0", "#3F6B22"),
        ("#2F4A24", "#A9D08A"),
    )
    OUTSIDE = (
        "outside",
        "outside signal",
        "a signal from outside the chip",
        "x.",
        "the machine said that a signal from outside slows it, often that of the adapter, the battery or a regulator",
        (("soc.throttle.outside", "gpu.throttle.outside"),),
        ("#E2C9C0", "#6A4438"),
        ("#4A352E", "#D9A896"),
    )
    CLOCK_CEILING = (
        "clock-ceiling",
        "clock ceiling",
        "its clock ceiling",
        "||",
        "the clock stood at {ceiling_mhz:.0f} MHz ({ceiling_source}), while power was free to move",
        (("cpu.clock",),),
        ("#B9CDE8", "#2559B0"),
        ("#2A3F63", "#8FB4F0"),
    )
    FRAME_CAP = (
        "frame-cap",
        "frame cap",
        "the frame cap",
        "xx",
        "frame rate within 1.5 % of the cap, power below its limits",
        (("frame.rate",),),
        ("#B7DAD8", "#1F6A6E"),
        ("#1F4A4C", "#7CCBCF"),
    )
    GRAPHICS_BOUND = (
        "graphics-bound",
        "graphics",
        "its graphics",
        "++",
        "graphics at least 95 % busy, no frame cap, and neither power nor temperature held",
        (("gpu.load",),),
        ("#D6C6E2", "#5B3A82"),
        ("#46335C", "#C9AEE8"),
    )
    WAITING = (
        "waiting",
        "waiting",
        "the work itself, which left it waiting",
        "\\\\\\",
        "load below 90 %, or a pause, and nothing else binding",
        (("cpu.load",),),
        ("#E4DFD2", "#7A7464"),
        ("#373B3E", "#A5A396"),
    )
    UNKNOWN = (
        "unknown",
        "unknown",
        "nothing this log can show",
        "",
        "nothing was logged here, or no channel of this log explains it",
        (),
        ("#F7F4EC", "#8A8577"),
        ("#1B2127", "#9B968A"),
    )

    def __new__(
        cls,
        value: str,
        label: str,
        phrase: str,
        hatch: str,
        evidence: str,
        needs: tuple[tuple[str, ...], ...],
        light: Tint,
        dark: Tint,
    ) -> "Cause":
        member = str.__new__(cls, value)
        member._value_ = value
        member.label, member.phrase, member.hatch, member.evidence = tr(label), tr(phrase), hatch, evidence
        member.needs, member.light, member.dark = needs, light, dark
        return member

    def can_be_seen(self, channels: Container[str]) -> bool:
        """Whether a log with these channels can show the cause at all."""
        return all(any(name in channels for name in group) for group in self.needs)
