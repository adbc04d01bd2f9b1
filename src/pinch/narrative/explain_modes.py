"""The Modes page: where its figures come from, with their budgets and the cautions that belong to them. No Qt."""

import math
from collections.abc import Sequence

import numpy as np

from pinch.analysis.modes import ModeRow, ModesSheet, Surface
from pinch.analysis.points import RunPoint
from pinch.bench.readings import Instrument
from pinch.core.budget import budget_of, quantity
from pinch.core.printing import plain
from pinch.core.touch import LIMITS_C
from pinch.narrative import cautions
from pinch.narrative.budget_words import budget_words
from pinch.narrative.explanation import Explanation
from pinch.narrative.mode_words import efficiency_budget, floor_budget, hours_words, wall_meter


def explain_line(sheet: ModesSheet, instruments: Sequence[Instrument]) -> Explanation | None:
    """The wall line of a device."""
    if sheet.wall is None:
        return None
    line = sheet.wall.line
    return Explanation(
        "Wall and package",
        "Wall = floor + package / efficiency, through all settled runs on mains and their rest before the load.",
        (
            f"slope {line.slope:.4f} ± {plain(line.u_slope, 2)}",
            f"efficiency = 1 / slope = {100 * sheet.wall.efficiency.value:.2f} %",
            f"floor {line.intercept:.2f} ± {plain(line.u_intercept, 2)} W",
        ),
        f"{line.n} points, package {line.x_low:.1f} to {line.x_high:.1f} W; "
        f"what is left {plain(line.residual_sd, 2)} W.",
        f"Efficiency {budget_words(efficiency_budget(sheet.wall, sheet.device, instruments))} "
        f"Floor {budget_words(floor_budget(sheet.wall, sheet.device, instruments))}",
        "wall",
        (*(n.text for n in sheet.wall.notes), cautions.MAINS),
    )


def explain_mode(r: ModeRow) -> Explanation:
    """A setting of the sheet."""
    spread = f"± {plain(r.power_sd, 2)} W between runs" if math.isfinite(r.power_sd) else "a single run"
    claimed = f"its label says {r.setting.sustained_w:g} W" if r.setting.sustained_w else "its label says nothing"
    return Explanation(
        r.setting.name,
        "Means over the settled windows of its runs. A mode is what it measures, not what it is called.",
        (f"{r.power_w:.2f} W, {spread}", claimed) if r.power_w is not None else (),
        f"{len(r.runs)} runs of {r.runs[0].workload.name}.",
        "",
        "modes",
        r.marks,
    )


def explain_noise(r: ModeRow) -> Explanation | None:
    """A level with the room taken off, and its budget."""
    n = r.noise
    if n is None:
        return None
    budget = budget_of(quantity(n.level, n.u, "the level meter"), "dB(A)") if n.u else None
    words = n.corrected.words if n.corrected else "The level of the room is not known, so nothing is taken off."
    return Explanation(
        f"Level at {r.setting.name}",
        "The energetic mean of all readings and logs of this setting, without the room where that is known.",
        (f"{n.readings} readings: {n.read:.2f} dB(A)", words, f"= {n.level:.1f} dB(A)"),
        f"Distance {', '.join(f'{d / 10:g} cm' for d in n.distances) or 'not noted'}; it is not converted.",
        budget_words(budget),
        "sound",
    )


def explain_surface(s: Surface | None) -> Explanation | None:
    """A surface beside the limits of its material."""
    if s is None:
        return None
    t = s.touch
    limits = [
        f"{contact}: {limit[material]:g} °C" for contact, limit in LIMITS_C.items() for material in list(limit)[:1]
    ]
    rise = (
        ()
        if t.rise_k is None or t.at_25_c is None
        else (f"{t.rise_k:.1f} K over the room, {t.at_25_c:.1f} °C at 25 °C",)
    )
    return Explanation(
        f"{s.place.replace('_', ' ').capitalize()}: {t.temp_c:.1f} °C",
        f"Within the limit when {t.longest}." if t.longest else "Above the limit of even a short touch.",
        (*rise, "limits of metal:", *limits),
        "The hottest reading or settled log of this place.",
        f"± {plain(s.u, 2)} K by the instrument." if s.u else "",
        "touch",
        tuple(filter(None, (t.question, cautions.TOUCH))),
    )


def explain_wall(sheet: ModesSheet, r: ModeRow, instruments: Sequence[Instrument]) -> Explanation | None:
    """Wall watts of a setting with the budget of score for each watt."""
    if r.wall_w is None:
        if r.wall_by_line is None or sheet.wall is None:
            return None
        at = sheet.wall.line.at(r.power_w or 0.0, "W")
        words = "By the line of wall over package through the runs on mains; it was not measured at this setting."
        return Explanation(
            f"Wall at {r.setting.name}", words, (f"{at.value:.1f} W",), "", f"± {plain(at.u, 2)} W of the line.", "wall"
        )
    meter = wall_meter(instruments)
    wall = quantity(r.wall_w, meter.accuracy.standard_u(r.wall_w) if meter else 0.0, meter.name if meter else "meter")
    if r.score is None:
        words = "The settled power at the mains; nothing was logged that tells what it buys."
        return Explanation(
            f"Wall at {r.setting.name}", words, (f"{r.wall_w:.2f} W",), f"{len(r.runs)} runs.", "", "wall"
        )
    scores = [rate for p in r.runs if (rate := p.rate) is not None]
    spread = float(np.std(scores, ddof=1)) / math.sqrt(len(scores)) if len(scores) > 1 else 0.0
    per_watt = quantity(r.score or 0.0, spread, "run to run") / wall
    budget = budget_of(per_watt, "")
    return Explanation(
        f"Wall at {r.setting.name}",
        "The settled power at the mains, and the score for each watt of it.",
        (
            f"{r.wall_w:.2f} W",
            f"{plain(r.score or 0)} / {plain(r.wall_w)} = {plain(budget.result.value)} for each watt",
        ),
        f"{len(r.runs)} runs.",
        budget_words(budget) or "Nothing is stated of the meter, and nothing was repeated.",
        "wall",
        (*_beyond_range(meter, r.wall_w), cautions.MAINS),
    )


def _beyond_range(meter: Instrument | None, watts: float) -> tuple[str, ...]:
    if meter is None or not meter.range or watts <= meter.range:
        return ()
    return (f"{watts:.0f} W is beyond the range of {meter.name} ({meter.range:g} W): its accuracy says nothing here.",)


def explain_minutes(sheet: ModesSheet, r: ModeRow) -> Explanation | None:
    """Minutes of a full battery at a setting."""
    if r.battery_min is None or sheet.lasting is None:
        return None
    value, low, high = r.battery_min
    draw = sheet.lasting.line.at(r.power_w or 0.0, "W")
    holds = sheet.lasting.holds_wh
    return Explanation(
        f"Battery at {r.setting.name}",
        "A full battery over the draw that the runs on battery have at this package power.",
        (f"{holds:g} Wh / {draw.value:.2f} W", f"= {value:.0f} min"),
        f"Package {sheet.lasting.line.x_low:.1f} to {sheet.lasting.line.x_high:.1f} W were measured on battery.",
        f"95 %: {low:.0f} to {high:.0f} min, of the line of draw; the capacity is taken as it is told.",
        "battery",
        (cautions.BATTERY,),
    )


def explain_rundown(p: RunPoint) -> Explanation:
    """A rundown with its two ways to the draw."""
    d = p.digest.rundown
    assert d is not None
    lines = [f"charge {d.from_charge:.0f} % → {d.to_charge:.0f} %"]
    lines += [f"by the energy left: {d.draw_w:.2f} W"] if d.draw_w is not None else []
    lines += [f"by the power logged: {d.power_w:.2f} W"] if d.power_w is not None else []
    lines += [f"full battery: {hours_words(d.runtime_h)}"] if d.runtime_h is not None else []
    sag = f"At the end it worked at {100 * d.sag:.0f} % of its rate at the beginning." if d.sag else ""
    return Explanation(
        f"Rundown: {p.setting.name}",
        "Draw by the fall of the energy and by the power, which must agree within 5 %; the time of a full battery by "
        "the slope of the charge, whose gauge is taken as even.",
        tuple(lines),
        p.workload.name,
        f"95 %: {hours_words(d.low_h)} to {hours_words(d.high_h)}" if d.low_h is not None else "",
        "battery",
        tuple(filter(None, (*d.notes, sag, cautions.BATTERY))),
    )
