"""What a report says of how it was tested, of heat, sound, power and its own limits: claims about the runs and typed
results behind its cards, each said of as many as it is true of. What nobody noted is said to be not noted."""

from collections import Counter
from collections.abc import Sequence

from pinch.analysis.modes import ModesSheet
from pinch.analysis.points import RunPoint
from pinch.bench.records import Came, Device, Protocol, Result, ScoreFrom, Status
from pinch.bench.summaries import Origin
from pinch.core.causes import Cause
from pinch.core.figures import SettledState
from pinch.core.metrics import SCORE
from pinch.core.printing import counted, listed, with_article
from pinch.narrative import cautions
from pinch.narrative.claims import Claim, of_runs, share_words
from pinch.narrative.methodology import methodology

LEAST_HELD = 0.05
"""Of the load: a run that heat held for less is not spoken of as held by it."""
SPARE_K = 2.0
"""A run that settled this far below its limit, at more watts than a cooler would carry, shows that it carries more."""
ROOMS = (25.0, 35.0)


def logged(runs: Sequence[RunPoint]) -> list[RunPoint]:
    """Those that have a log; the others are scores that were told."""
    return [p for p in runs if p.run.summary is None]


# How it was tested


def tested_claims(runs: Sequence[RunPoint], protocols: Sequence[Protocol]) -> list[Claim]:
    """Protocols as far as runs name them, and what was done and noted, whatever they ask for."""
    own = logged(runs)
    if not own:
        return [Claim("no-log", "No run behind this report has a log of its own.", 0, len(runs))]
    return [*_protocols(own, protocols), _rooms(own), _repeats(own), _watts(own)]


def _protocols(own: Sequence[RunPoint], protocols: Sequence[Protocol]) -> list[Claim]:
    told, under = [], set[int]()
    for protocol in protocols:
        runs = [p for p in own if p.run.protocol_id == protocol.id]
        if runs:
            under |= {p.run.id for p in runs}
            words = f"{_runs(len(runs), len(own))} name “{protocol.name}” as their protocol."
            if len(runs) == 1:
                words = words.replace(" name ", " names ").replace(" their protocol", " its protocol")
            told.append(of_runs("protocol", f"{words} {methodology(protocol)}", runs, own))
    without = [p for p in own if p.run.id not in under]
    if without:
        words = f"{_runs(len(without), len(own))} {'name' if len(without) > 1 else 'names'} no protocol."
        told.append(of_runs("no-protocol", words, without, own))
    return told


def _runs(n: int, of: int) -> str:
    """So many of the runs, as the beginning of a sentence."""
    if n == of:
        return "The run behind this report" if of == 1 else f"All {of} runs behind this report"
    return f"{n} of the {of} runs behind this report"


def _rooms(own: Sequence[RunPoint]) -> Claim:
    noted = [p for p in own if p.run.ambient_c is not None]
    if not noted:
        return of_runs("rooms", "The temperature of the room was not noted.", noted, own)
    span = _span([p.run.ambient_c or 0.0 for p in noted])
    scope = "" if len(noted) == len(own) else f", noted of {share_words(len(noted), len(own))} runs"
    return of_runs("rooms", f"The room was at {span}{scope}.", noted, own)


def _span(rooms: Sequence[float]) -> str:
    """Temperatures of rooms from the lowest to the highest."""
    low, high = f"{min(rooms):.1f}", f"{max(rooms):.1f}"
    return f"{low} °C" if low == high else f"{low} to {high} °C"


def _repeats(own: Sequence[RunPoint]) -> Claim:
    """How often each setting ran each workload: counted, not as it was meant."""
    cells = Counter((p.run.setting_id, p.run.workload_id, p.room_c) for p in own)
    often = Counter(cells.values())
    parts = [f"{n} {'cell has' if n == 1 else 'cells have'} {counted(k, 'run')}" for k, n in sorted(often.items())]
    words = f"A cell is a setting under a workload in a room; {listed(parts)}."
    repeated = [p for p in own if cells[(p.run.setting_id, p.run.workload_id, p.room_c)] > 1]
    return of_runs("repeats", words, repeated, own)


def _watts(own: Sequence[RunPoint]) -> Claim:
    measured = [p for p in own if p.digest.power_w is not None]
    if not measured:
        return of_runs("watts", "No watts were measured; the watts of a label are a name.", measured, own)
    scope = f"in {share_words(len(measured), len(own))} {'run' if len(own) == 1 else 'runs'}"
    return of_runs("watts", f"Watts were measured {scope}; the watts of a label are a name.", measured, own)


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
    rooms = f"room {_span([p.run.ambient_c or 0.0 for p in with_room])}"
    span = f"median of {counted(len(found), 'run')}, {found[0]:.2f} to {found[-1]:.2f} K/W, {rooms}"
    span = f"one run, {rooms}" if len(found) == 1 else span
    words = f"{subject.name}: each watt makes the chip {middle:.2f} K hotter than the room ({span})."
    told = [of_runs("resistance", words, with_room, own)]
    if subject.temp_limit_c is None:
        return told
    most_w = (subject.temp_limit_c - ROOMS[0]) / found[0]
    beyond = [p for p in with_room if (p.digest.power_w or 0.0) > most_w and (p.digest.headroom_k or 0.0) > SPARE_K]
    if beyond:
        words = (
            f"What it carries at its limit of {subject.temp_limit_c:g} °C cannot be told from this: at "
            f"{beyond[0].setting.name} it held {beyond[0].digest.power_w:.0f} W with "
            f"{beyond[0].digest.headroom_k:.0f} K to spare."
        )
        return [*told, of_runs("carries-not", words, beyond, with_room)]
    at = [_carried(subject.temp_limit_c - room, found, room) for room in ROOMS]
    words = f"At its limit of {subject.temp_limit_c:g} °C that would carry {' and '.join(at)}."
    return [*told, of_runs("carries", words, with_room, own)]


def _carried(rise_k: float, resistance: Sequence[float], room_c: float) -> str:
    low, high = f"{rise_k / resistance[-1]:.0f}", f"{rise_k / resistance[0]:.0f}"
    return f"{low if low == high else f'{low} to {high}'} W in a room of {room_c:g} °C"


def _held_by_heat(device: Device, own: Sequence[RunPoint]) -> list[Claim]:
    """How many runs heat held, of those where it could be seen."""
    if not own:
        return []
    seen = [p for p in own if p.digest.temp_c is not None]
    if not seen:
        words = "No temperature was logged, so whether heat held a run cannot be told."
        return [of_runs("heat-unseen", words, own, own)]
    held = [p for p in seen if p.digest.shares.get(Cause.HEAT, 0.0) >= LEAST_HELD]
    of = f"the {counted(len(seen), 'run')}" if len(seen) > 1 else "the one run"
    of += f" of {device.name}" + (" with a temperature" if len(seen) < len(own) else "")
    if len(seen) == 1:
        words = f"Heat held {of} for a part of the load." if held else f"Heat did not hold {of}."
    else:
        words = f"Heat held {len(held) or 'none'} of {of}{' for a part of the load' if held else ''}."
    if len(seen) < len(own):
        words += f" Of {len(own) - len(seen)} it cannot be told: no temperature was logged."
    return [of_runs("held-by-heat", words + _by_room(held, seen), held, seen)]


def _by_room(held: Sequence[RunPoint], seen: Sequence[RunPoint]) -> str:
    """How many of them in which room, where there were several and heat held some."""
    rooms = sorted({p.room_c for p in seen if p.room_c is not None})
    if not held or len(rooms) < 2:
        return ""
    of = {
        f"a room of {room:.0f} °C": ([p for p in held if p.room_c == room], [p for p in seen if p.room_c == room])
        for room in rooms
    }
    told = [f"in {name} {len(own) or 'none'} of {len(there)}" for name, (own, there) in of.items()]
    unknown = sum(p.room_c is None for p in seen)
    return f" By room: {listed([*told, *([f'{unknown} without a noted room'] if unknown else [])])}."


def _surface(sheet: ModesSheet | None) -> list[Claim]:
    """The hottest surface that was read, with its room."""
    read = [(r.hottest, r) for r in (sheet.rows if sheet else ()) if r.hottest is not None]
    if not read or sheet is None:
        return []
    surface, row = max(read, key=lambda found: found[0].touch.temp_c)
    t = surface.touch
    contact = f"within its limit when {t.longest}" if t.longest else "above the limit of even a short touch"
    scope = "" if len(read) == len(sheet.rows) else f" ({share_words(len(read), len(sheet.rows))} settings were read)"
    rooms = sorted({p.run.ambient_c for p in row.runs if p.run.ambient_c is not None})
    room = f", room {' and '.join(f'{r:g}' for r in rooms)} °C" if rooms else ", room not noted"
    words = (
        f"The hottest surface that was read is the {surface.place.replace('_', ' ')} at {row.setting.name}: "
        f"{t.temp_c:.1f} °C{room}, {contact}{scope}. {cautions.TOUCH_READ}"
    )
    return [Claim("surface", words, len(read), len(sheet.rows), tuple(p.run.id for p in row.runs))]


# Sound


def sound_claim(sheet: ModesSheet) -> Claim | None:
    """The levels that were read, at which distance, and of which the room was taken off."""
    known = [r for r in sheet.rows if r.noise is not None]
    if not known:
        return None
    levels = ", ".join(f"{r.setting.name} {r.noise.level:.1f} dB(A)" for r in known if r.noise)
    distances = sorted({d for r in known if r.noise for d in r.noise.distances})
    told = [f"{d / 10:g} cm" for d in distances]
    where = f"at {listed(told)}" if told else "at a distance that is not noted"
    without = [r for r in known if r.noise and r.noise.corrected is not None]
    room = (
        "the room taken off"
        if len(without) == len(known)
        else "with the room in it, whose own level is not known"
        if not without
        else f"the room taken off of {listed([r.setting.name for r in without])}, in the others still in it"
    )
    scope = "" if len(known) == len(sheet.rows) else f" ({share_words(len(known), len(sheet.rows))} settings)"
    runs = tuple(p.run.id for r in known for p in r.runs)
    words = f"{sheet.device.name}, {where}, {room}: {levels}{scope}."
    return Claim("sound", words, len(known), len(sheet.rows), runs)


# What it cannot say


def limit_claims(
    runs: Sequence[RunPoint], results: Sequence[Result], devices: Sequence[Device], left_out: Sequence[RunPoint]
) -> list[Claim]:
    """Everything that speaks against the figures of a report."""
    own = logged(runs)
    told = [*_unsettled(own), *_single(own), *_gaps(own), *_by_hand(own), *_of_units(devices)]
    told += [*_told(runs, results), *_typed_once(runs, results), *_several_units(runs, results)]
    if left_out:
        more = f"; and {len(left_out) - 6} more" if len(left_out) > 6 else ""
        words = f"Left out: {'; '.join(_why(p) for p in left_out[:6])}{more}."
        told.append(of_runs("left-out", words, left_out, left_out))
    if own:
        words = "What was measured here was measured on one unit of each device; units differ among themselves."
        told.append(of_runs("one-unit", words, own, own))
    return told


def _unsettled(own: Sequence[RunPoint]) -> list[Claim]:
    drifting = [p for p in own if p.digest.state == SettledState.DRIFTING]
    figures = "its figures" if len(drifting) == 1 else "figures"
    words = f"{_named(drifting)} had not settled: {figures} still moved."
    return [of_runs("unsettled", words, drifting, own)] if drifting else []


def _single(own: Sequence[RunPoint]) -> list[Claim]:
    cells: dict[tuple[int, int, float | None], list[RunPoint]] = {}
    for p in own:
        cells.setdefault((p.run.setting_id, p.run.workload_id, p.room_c), []).append(p)
    single = [runs[0] for runs in cells.values() if len(runs) == 1]
    if not single:
        return []
    rest = "rests" if len(single) == 1 else "rest"
    words = f"{len(single)} of {counted(len(cells), 'cell')} {rest} on a single run: {_named(single)}."
    return [Claim("single-runs", words, len(single), len(cells), tuple(p.run.id for p in single))]


def _gaps(own: Sequence[RunPoint]) -> list[Claim]:
    gaps = [p for p in own if "gap" in p.digest.flags]
    words = f"There are gaps in the {'log' if len(gaps) == 1 else 'logs'} of {_named(gaps)}; nothing is filled in."
    return [of_runs("gaps", words, gaps, own)] if gaps else []


def _by_hand(own: Sequence[RunPoint]) -> list[Claim]:
    moved = [p for p in own if p.run.window is not None]
    windows = "settled window" if len(moved) == 1 else "settled windows"
    words = f"The {windows} of {_named(moved)} {'was' if len(moved) == 1 else 'were'} chosen by hand."
    return [of_runs("window-by-hand", words, moved, own)] if moved else []


def _of_units(devices: Sequence[Device]) -> list[Claim]:
    """Units that are not those that are sold, or came in a way that is not noted."""
    told = []
    for d in devices:
        if d.status is not Status.RETAIL:
            words = f"{d.name} is {with_article(str(d.status))} unit: one that is sold may do otherwise."
            told.append(Claim("not-retail", words, 1, len(devices)))
    told += [
        Claim("came-unknown", f"How {d.name} came is not noted.", 1, len(devices))
        for d in devices
        if d.came is Came.UNKNOWN
    ]
    return told


def _told(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    """Figures without a log: one's own that were typed, and those of others."""
    scores = [(p.run.id, p.run.summary.origin) for p in runs if p.run.summary is not None]
    found = []
    for code, is_own in (("typed", True), ("others", False)):
        of_run = tuple(number for number, origin in scores if (origin is Origin.OWN) == is_own)
        typed = tuple(r.id for r in results if (r.origin is Origin.OWN) == is_own)
        n = len(of_run) + len(typed)
        if not n:
            continue
        figures = f"{counted(n, 'figure')} {'is' if n == 1 else 'are'}"
        words = (
            f"{figures} typed in as own tests; there is no log to check {'it' if n == 1 else 'them'} by."
            if is_own
            else f"{figures} told by others, and not measured here."
        )
        found.append(Claim(code, words, n, len(runs) + len(results), of_run, typed))
    return found


def _typed_once(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    """Cells of typed own figures that stand on one run, by what was noted of them."""
    repeats: dict[tuple[int, int, str], int] = {}
    for p in runs:
        if p.run.summary is not None and p.run.summary.origin is Origin.OWN:
            cell = p.run.setting_id, p.run.workload_id, SCORE
            repeats[cell] = repeats.get(cell, 0) + p.run.summary.repeats * p.run.summary.units
    for r in results:
        if r.origin is Origin.OWN:
            cell = r.setting_id, r.workload_id, r.metric
            repeats[cell] = repeats.get(cell, 0) + r.n * r.units
    n = sum(behind == 1 for behind in repeats.values())
    if not n:
        return []
    words = f"{n} of {counted(len(repeats), 'typed figure')} {'rests' if n == 1 else 'rest'} on a single run."
    return [Claim("typed-once", words, n, len(repeats))]


def _several_units(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    of_run = tuple(p.run.id for p in runs if p.run.summary is not None and p.run.summary.units > 1)
    typed = tuple(r.id for r in results if r.units > 1)
    n = len(of_run) + len(typed)
    if not n:
        return []
    words = f"{counted(n, 'figure')} {'is a mean' if n == 1 else 'are means'} of several units."
    return [Claim("several-units", words, n, len(runs) + len(results), of_run, typed)]


def _why(p: RunPoint) -> str:
    return f"{p.device.name}, {p.workload.name}, {p.name}: {p.why_not.rstrip('.')}"


def _named(runs: Sequence[RunPoint]) -> str:
    names = [f"{p.device.name}, {p.name}" for p in runs]
    return "; ".join(names) if len(names) <= 4 else f"{'; '.join(names[:3])} and {len(names) - 3} more"


# Data


def _logs_claim(own: Sequence[RunPoint], runs: Sequence[RunPoint]) -> Claim:
    """How many logs there are, and of which days."""
    dated = [p for p in own if p.run.day is not None]
    days = sorted({f"{p.run.day}" for p in dated})
    span = ", whose day is not known"
    if days:
        span = f", made on {days[0]}" if len(days) == 1 else f", made between {days[0]} and {days[-1]}"
        span += f" ({len(dated)} of them; the day of the others is not known)" if len(dated) < len(own) else ""
    with_logs = "1 run with a log of its own" if len(own) == 1 else f"{len(own)} runs with logs"
    words = f"{with_logs}{span}, {'stands' if len(own) == 1 else 'stand'} behind this report."
    return of_runs("logs", words, own, runs)


def _score_claims(own: Sequence[RunPoint]) -> list[Claim]:
    """Which scores are not worked out from a log: typed in beside it, or told by a program."""
    scored = [p for p in own if any(one.score is not None and not one.of_rate for one in p.run.passes)]
    by_hand = [p for p in scored if p.workload.score_from is ScoreFrom.NONE]
    by_program = [p for p in scored if p not in by_hand]
    ways = (("typed-score", by_hand, "typed in"), ("program-score", by_program, "told by the program of the workload"))
    return [of_runs(code, f"{_scores_of(runs)} {how}.", runs, own) for code, runs, how in ways if runs]


def _scores_of(runs: Sequence[RunPoint]) -> str:
    """The beginning of a sentence on the scores of some runs."""
    return "The score of 1 run with a log was" if len(runs) == 1 else f"The scores of {len(runs)} runs with logs were"


def data_claims(runs: Sequence[RunPoint], results: Sequence[Result], readings: int) -> list[Claim]:
    """What stands behind the report: logs of when, what was typed, and what was read by hand."""
    own = logged(runs)
    scored = _score_claims(own)
    told = [_logs_claim(own, runs), *scored] if own else []
    typed = len(results) + len(runs) - len(own)
    if typed:
        words = f"{counted(typed, 'figure')} {'was' if typed == 1 else 'were'} typed in or told, without a log."
        ids = tuple(p.run.id for p in runs if p.run.summary is not None)
        told.append(Claim("typed-in", words, typed, len(runs) + len(results), ids, tuple(r.id for r in results)))
    elif own and not scored:
        words = "Every score is worked out from these logs; none is typed in."
        told.append(of_runs("all-logged", words, own, runs))
    if readings:
        words = f"{counted(readings, 'reading')} {'was' if readings == 1 else 'were'} taken by hand."
        told.append(Claim("readings", words, readings, readings))
    return told
