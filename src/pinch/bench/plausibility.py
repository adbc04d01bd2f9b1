"""Questions that an unlikely entry raises. The value is kept; the question stands beside the field.

Bounds of what is likely are common practice, no source, unless the line says otherwise.
"""

from msgspec import Struct

from pinch.bench.records import Device, Form, Protocol, Setting, Workload
from pinch.bench.setting_differences import rule_words, why_not
from pinch.language import tr

LARGEST_BATTERY_WH = {Form.LAPTOP: 100.0, Form.HANDHELD: 100.0}
"""Above 100 Wh an airline asks for leave, so few are made (from memory)."""
HEAVIEST_KG = {Form.LAPTOP: 6.0, Form.HANDHELD: 1.5, Form.MINI_PC: 10.0}


class Question(Struct, frozen=True):
    """What is asked back about a field, by its dotted path."""

    field: str
    text: str


def device_questions(d: Device) -> list[Question]:
    """What seems unlikely about a device."""
    asked: list[Question] = []

    def ask(unlikely: bool, field: str, text: str) -> None:
        if unlikely:
            asked.append(Question(field, text))

    battery, claims = d.battery, d.claims
    most = LARGEST_BATTERY_WH.get(d.form, 300.0)
    for field, wh in (("battery.design_wh", battery.design_wh), ("battery.full_wh", battery.full_wh)):
        ask(
            wh is not None and wh > most,
            field,
            tr("{wh:g} Wh is more than a {form} usually has. Is it Wh?", wh=wh or 0, form=d.form),
        )
    ask(
        bool(battery.full_wh and battery.design_wh and battery.full_wh > 1.1 * battery.design_wh),
        "battery.full_wh",
        tr("The battery holds more than it was designed for."),
    )
    heaviest = HEAVIEST_KG.get(d.form, 50.0)
    ask(
        bool(d.mass_kg and d.mass_kg > heaviest),
        "mass_kg",
        tr("{mass_kg:g} kg is heavy for a {form}.", mass_kg=d.mass_kg or 0, form=d.form),
    )
    limit = d.temp_limit_c
    ask(
        limit is not None and not 60 <= limit <= 110,
        "temp_limit_c",
        tr("{limit:g} °C is an unusual limit.", limit=limit or 0),
    )
    for field, watts in (("claims.sustained_w", claims.sustained_w), ("claims.highest_w", claims.highest_w)):
        above = watts is not None and d.adapter_w is not None and watts > d.adapter_w
        ask(
            above,
            field,
            tr(
                "{watts:g} W is above what the adapter gives ({adapter_w:g} W).",
                watts=watts or 0,
                adapter_w=d.adapter_w or 0,
            ),
        )
    size = d.display.size_in
    ask(bool(d.form is Form.HANDHELD and size and size > 12), "display.size_in", tr("That is large for a handheld."))
    return asked


def setting_questions(s: Setting, device: Device) -> list[Question]:
    """What seems unlikely about a setting, and what its device does not allow."""
    asked: list[Question] = []
    claims = device.claims
    if s.sustained_w is not None:
        if s.mains and device.adapter_w is not None and s.sustained_w > device.adapter_w:
            asked.append(
                Question(
                    "sustained_w",
                    tr("That is above what the adapter gives ({adapter_w:g} W).", adapter_w=device.adapter_w),
                )
            )
        if claims.highest_w is not None and s.sustained_w > claims.highest_w:
            asked.append(
                Question("sustained_w", tr("The highest limit to set is {highest_w:g} W.", highest_w=claims.highest_w))
            )
        if claims.lowest_w is not None and s.sustained_w < claims.lowest_w:
            asked.append(
                Question("sustained_w", tr("The lowest limit to set is {lowest_w:g} W.", lowest_w=claims.lowest_w))
            )
    if not s.mains and device.form is Form.MINI_PC and device.battery.usable_wh is None:
        asked.append(Question("mains", tr("No battery of {device} is noted.", device=device.name)))
    if s.undervolt_mv is not None and abs(s.undervolt_mv) > 200:
        asked.append(
            Question(
                "undervolt_mv", tr("{undervolt_mv:g} mV is a large offset. Is it mV?", undervolt_mv=s.undervolt_mv)
            )
        )
    for rule in device.exclusions:
        alone = device.model_copy(update={"exclusions": (rule,)})
        if why_not(alone, s, Workload(name="any")):
            asked.append(Question("mode", tr("Not to be had: {rule_words}.", rule_words=rule_words(rule))))
    return asked


def is_raised(s: Setting, device: Device) -> bool:
    """Whether a setting is beyond what the maker sells: a limit above its claims, or a voltage offset."""
    claimed = device.claims.sustained_w
    raised = s.sustained_w is not None and claimed is not None and s.sustained_w > claimed
    return raised or s.undervolt_mv is not None


def workload_questions(w: Workload) -> list[Question]:
    """What seems unlikely about a workload."""
    asked: list[Question] = []
    if w.length_s * w.passes > 12 * 3600:
        asked.append(Question("length_s", tr("One run takes {run_s:.1f} h.", run_s=w.run_s / 3600)))
    if w.length_s < 30:
        asked.append(Question("length_s", tr("Nothing settles in less than half a minute. Is it seconds?")))
    if w.inner_resolution and w.resolution and _area(w.inner_resolution) > _area(w.resolution):
        asked.append(Question("inner_resolution", tr("It is larger than the resolution that is shown.")))
    return asked


def protocol_questions(p: Protocol) -> list[Question]:
    """What seems unlikely about a protocol."""
    asked: list[Question] = []
    if p.ambient_c is not None and not 5 <= p.ambient_c <= 40:
        asked.append(
            Question("ambient_c", tr("{ambient_c:g} °C is an unusual room. Was °C meant?", ambient_c=p.ambient_c))
        )
    if p.repeats == 1:
        asked.append(Question("repeats", tr("With one repeat nothing can be said about chance.")))
    return asked


def _area(pixels: str) -> int:
    width, height = pixels.split("×")
    return int(width) * int(height)
