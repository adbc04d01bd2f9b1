"""What a report says of heat and sound: claims about the runs of its subject, each said of as many as it is true of."""

from collections.abc import Sequence

from pinch.analysis.modes import ModesSheet
from pinch.analysis.points import RunPoint
from pinch.bench.readings import place_words
from pinch.bench.records import Device
from pinch.core.causes import Cause
from pinch.core.printing import counted, listed
from pinch.language import numeral, tr
from pinch.narrative import cautions
from pinch.narrative.claims import Claim, of_runs, share_words
from pinch.narrative.report_claims import logged, span_words

LEAST_HELD = 0.05
"""Of the load: a run that heat held for less is not spoken of as held by it."""
SPARE_K = 2.0
"""A run that settled this far below its limit, at more watts than a cooler would carry, shows that it carries more."""
ROOMS = (25.0, 35.0)


# Heat


def heat_claims(subject: Device, points: Sequence[RunPoint], sheet: ModesSheet | None) -> list[Claim]:
    """The cooler of a device over its runs that count, what heat held, and the hottest surface that was read."""
    own = [p for p in logged(points) if p.run.device_id == subject.id and not p.why_unusable]
    return [*_resistance(subject, own), *_held_by_heat(subject, own), *_surface(sheet)]


def _resistance(subject: Device, own: Sequence[RunPoint]) -> list[Claim]:
    with_room = [p for p in own if p.digest.r_th and p.run.ambient_c is not None]
    if not with_room:
        return []
    found = sorted(p.digest.r_th or 0.0 for p in with_room)
    middle = found[len(found) // 2]
    rooms = tr("room {span}", span=span_words([p.run.ambient_c or 0.0 for p in with_room]))
    span = tr(
        "median of {runs}, {low:.2f} to {high:.2f} K/W, {rooms}",
        runs=counted(len(found), "run"),
        low=found[0],
        high=found[-1],
        rooms=rooms,
    )
    span = tr("one run, {rooms}", rooms=rooms) if len(found) == 1 else span
    words = tr(
        "{subject}: each watt makes the chip {middle:.2f} K hotter than the room ({span}).",
        subject=subject.name,
        middle=middle,
        span=span,
    )
    told = [of_runs("resistance", words, with_room, own)]
    if subject.temp_limit_c is None:
        return told
    most_w = (subject.temp_limit_c - ROOMS[0]) / found[0]
    beyond = [p for p in with_room if (p.digest.power_w or 0.0) > most_w and (p.digest.headroom_k or 0.0) > SPARE_K]
    if beyond:
        words = tr(
            "What it carries at its limit of {temp_limit_c:g} °C cannot be told from this: at "
            "{setting} it held {power_w:.0f} W with {headroom_k:.0f} K to spare.",
            temp_limit_c=subject.temp_limit_c,
            setting=beyond[0].setting.name,
            power_w=beyond[0].digest.power_w,
            headroom_k=beyond[0].digest.headroom_k,
        )
        return [*told, of_runs("carries-not", words, beyond, with_room)]
    at = [_carried(subject.temp_limit_c - room, found, room) for room in ROOMS]
    words = tr(
        "At its limit of {temp_limit_c:g} °C that would carry {at}.",
        temp_limit_c=subject.temp_limit_c,
        at=listed(at),
    )
    return [*told, of_runs("carries", words, with_room, own)]


def _carried(rise_k: float, resistance: Sequence[float], room_c: float) -> str:
    low, high = numeral(rise_k / resistance[-1], ".0f"), numeral(rise_k / resistance[0], ".0f")
    return tr(
        "{what} W in a room of {room_c:g} °C",
        what=low if low == high else tr("{low} to {high}", low=low, high=high),
        room_c=room_c,
    )


def _held_by_heat(device: Device, own: Sequence[RunPoint]) -> list[Claim]:
    """How many runs heat held, of those where it could be seen."""
    if not own:
        return []
    seen = [p for p in own if p.digest.temp_c is not None]
    if not seen:
        words = tr("No temperature was logged, so whether heat held a run cannot be told.")
        return [of_runs("heat-unseen", words, own, own)]
    held = [p for p in seen if p.digest.shares.get(Cause.HEAT, 0.0) >= LEAST_HELD]
    of = tr("the {seen}", seen=counted(len(seen), "run")) if len(seen) > 1 else tr("the one run")
    of += tr(" of {device}", device=device.name) + (tr(" with a temperature") if len(seen) < len(own) else "")
    if len(seen) == 1:
        words = tr("Heat held {of} for a part of the load.", of=of) if held else tr("Heat did not hold {of}.", of=of)
    else:
        words = tr(
            "Heat held {held} of {of}{what}.",
            held=len(held) or tr("none"),
            of=of,
            what=tr(" for a part of the load") if held else "",
        )
    if len(seen) < len(own):
        words += tr(" Of {own} it cannot be told: no temperature was logged.", own=len(own) - len(seen))
    return [of_runs("held-by-heat", words + _by_room(held, seen), held, seen)]


def _by_room(held: Sequence[RunPoint], seen: Sequence[RunPoint]) -> str:
    """How many of them in which room, where there were several and heat held some."""
    rooms = sorted({p.room_c for p in seen if p.room_c is not None})
    if not held or len(rooms) < 2:
        return ""
    of = {
        tr("a room of {room:.0f} °C", room=room): (
            [p for p in held if p.room_c == room],
            [p for p in seen if p.room_c == room],
        )
        for room in rooms
    }
    told = [
        tr("in {name} {own} of {there}", name=name, own=len(own) or tr("none"), there=len(there))
        for name, (own, there) in of.items()
    ]
    unknown = sum(p.room_c is None for p in seen)
    return tr(
        " By room: {what}.",
        what=listed([*told, *([tr("{unknown} without a noted room", unknown=unknown)] if unknown else [])]),
    )


def _surface(sheet: ModesSheet | None) -> list[Claim]:
    """The hottest surface that was read, with its room."""
    read = [(r.hottest, r) for r in (sheet.rows if sheet else ()) if r.hottest is not None]
    if not read or sheet is None:
        return []
    surface, row = max(read, key=lambda found: found[0].touch.temp_c)
    t = surface.touch
    contact = (
        tr("within its limit when {longest}", longest=t.longest)
        if t.longest
        else tr("above the limit of even a short touch")
    )
    scope = (
        ""
        if len(read) == len(sheet.rows)
        else tr(" ({share_words} settings were read)", share_words=share_words(len(read), len(sheet.rows)))
    )
    rooms = sorted({p.run.ambient_c for p in row.runs if p.run.ambient_c is not None})
    room = tr(", room {words} °C", words=listed([numeral(r, "g") for r in rooms])) if rooms else tr(", room not noted")
    words = tr(
        "The hottest surface that was read is the {place} at {setting}: {temp_c:.1f} "
        "°C{room}, {contact}{scope}. {touch_read}",
        place=place_words(surface.place),
        setting=row.setting.name,
        temp_c=t.temp_c,
        room=room,
        contact=contact,
        scope=scope,
        touch_read=cautions.TOUCH_READ,
    )
    return [Claim("surface", words, len(read), len(sheet.rows), tuple(p.run.id for p in row.runs))]


# Sound


def sound_claim(sheet: ModesSheet) -> Claim | None:
    """The levels that were read, at which distance, and of which the room was taken off."""
    known = [r for r in sheet.rows if r.noise is not None]
    if not known:
        return None
    levels = ", ".join(
        tr("{setting} {level:.1f} dB(A)", setting=r.setting.name, level=r.noise.level) for r in known if r.noise
    )
    distances = sorted({d for r in known if r.noise for d in r.noise.distances})
    told = [tr("{d:g} cm", d=d / 10) for d in distances]
    where = tr("at {told}", told=listed(told)) if told else tr("at a distance that is not noted")
    without = [r for r in known if r.noise and r.noise.corrected is not None]
    room = (
        tr("the room taken off")
        if len(without) == len(known)
        else tr("with the room in it, whose own level is not known")
        if not without
        else tr(
            "the room taken off of {setting}, in the others still in it",
            setting=listed([r.setting.name for r in without]),
        )
    )
    scope = (
        ""
        if len(known) == len(sheet.rows)
        else tr(" ({share_words} settings)", share_words=share_words(len(known), len(sheet.rows)))
    )
    runs = tuple(p.run.id for r in known for p in r.runs)
    words = f"{sheet.device.name}, {where}, {room}: {levels}{scope}."
    return Claim("sound", words, len(known), len(sheet.rows), runs)
