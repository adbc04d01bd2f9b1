"""Surfaces that are held or touched: rise over the room, at 25 °C, and beside the contact-time limits of standards.

Limits are from memory and stand as a caution, not as medical or legal advice: ISO 13732-1:2006 (burn thresholds: one
minute, ten minutes, eight hours), IEC 62368-1 table 38 (touched for up to ten seconds).
"""

from enum import StrEnum

from msgspec import Struct

from pinch.language import tr

NORMAL_C = 25.0
COLDER_K, HARDLY_K, HOT_CHIP_C = 1.0, 2.0, 70.0
MOST_C = 75.0


class Material(StrEnum):
    """What a surface is made of."""

    METAL = "metal"
    GLASS = "glass or ceramic"
    PLASTIC = "plastic or wood"


class Contact(StrEnum):
    """How long it is touched."""

    TOUCHED = "touched for up to ten seconds"
    MINUTE = "held for a minute"
    TEN_MINUTES = "held for ten minutes"
    HOURS = "held for hours"


LIMITS_C: dict[Contact, dict[Material, float]] = {
    Contact.TOUCHED: {Material.METAL: 60.0, Material.GLASS: 71.0, Material.PLASTIC: 77.0},
    Contact.MINUTE: {Material.METAL: 51.0, Material.GLASS: 56.0, Material.PLASTIC: 60.0},
    Contact.TEN_MINUTES: dict.fromkeys(Material, 48.0),
    Contact.HOURS: dict.fromkeys(Material, 43.0),
}
SOURCE = tr("ISO 13732-1:2006 and IEC 62368-1 table 38, from memory")


class Touch(Struct, frozen=True):
    """A surface: its rise over the room in K and what it would be at 25 °C (None: the room is not known), the longest
    contact that is within its limit (None: not even a touch), and what to ask back."""

    temp_c: float
    rise_k: float | None
    at_25_c: float | None
    longest: Contact | None
    question: str


def judge_touch(
    temp_c: float, material: Material = Material.PLASTIC, room_c: float | None = None, chip_c: float | None = None
) -> Touch:
    """A surface temperature, with the room's and the chip's where they are known."""
    rise = None if room_c is None else temp_c - room_c
    at_25 = None if rise is None else NORMAL_C + rise
    return Touch(temp_c, rise, at_25, longest_contact(temp_c, material), _question(temp_c, rise, chip_c))


def longest_contact(temp_c: float, material: Material) -> Contact | None:
    """The longest contact with a material of that temperature that is within its limit; None: not even a touch."""
    within = [contact for contact in Contact if temp_c <= LIMITS_C[contact][material]]
    return within[-1] if within else None


def _question(temp_c: float, rise: float | None, chip_c: float | None) -> str:
    if temp_c > MOST_C:
        return tr(
            "{typed:.0f} °C is hotter than a case gets. Were these °F ({celsius:.0f} °C)?",
            typed=temp_c,
            celsius=(temp_c - 32) / 1.8,
        )
    if rise is not None and rise < -COLDER_K:
        return tr("{rise:.0f} K colder than the room. Is the unit right, or was the room entered wrongly?", rise=-rise)
    if rise is not None and rise < HARDLY_K and chip_c is not None and chip_c > HOT_CHIP_C:
        return tr("Hardly warmer than the room while the chip was at {chip_c:.0f} °C. Was it °C?", chip_c=chip_c)
    return ""
