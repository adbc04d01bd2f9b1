"""The Modes page: where its figures come from, with their budgets and the cautions that belong to them. No Qt."""

import math
from collections.abc import Sequence

import numpy as np

from pinch.analysis.modes import ModeRow, ModesSheet, Surface
from pinch.analysis.points import RunPoint
from pinch.bench.readings import Instrument, place_words
from pinch.core.budget import budget_of, quantity
from pinch.core.printing import plain
from pinch.core.touch import LIMITS_C
from pinch.language import tr
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
        tr("Wall and package"),
        tr("Wall = floor + package / efficiency, through all settled runs on mains and their rest before the load."),
        (
            tr("slope {slope:.4f} ± {u_slope}", slope=line.slope, u_slope=plain(line.u_slope, 2)),
            tr("efficiency = 1 / slope = {efficiency:.2f} %", efficiency=100 * sheet.wall.efficiency.value),
            tr(
                "floor {intercept:.2f} ± {u_intercept} W",
                intercept=line.intercept,
                u_intercept=plain(line.u_intercept, 2),
            ),
        ),
        tr(
            "{n} points, package {x_low:.1f} to {x_high:.1f} W; what is left {residual_sd} W.",
            n=line.n,
            x_low=line.x_low,
            x_high=line.x_high,
            residual_sd=plain(line.residual_sd, 2),
        ),
        tr(
            "Efficiency {efficiency} Floor {floor}",
            efficiency=budget_words(efficiency_budget(sheet.wall, sheet.device, instruments)),
            floor=budget_words(floor_budget(sheet.wall, sheet.device, instruments)),
        ),
        "wall",
        (*(n.text for n in sheet.wall.notes), cautions.MAINS),
    )


def explain_mode(r: ModeRow) -> Explanation:
    """A setting of the sheet."""
    spread = (
        tr("± {power_sd} W between runs", power_sd=plain(r.power_sd, 2))
        if math.isfinite(r.power_sd)
        else tr("a single run")
    )
    claimed = (
        tr("its label says {sustained_w:g} W", sustained_w=r.setting.sustained_w)
        if r.setting.sustained_w
        else tr("its label says nothing")
    )
    return Explanation(
        r.setting.name,
        tr("Means over the settled windows of its runs. A mode is what it measures, not what it is called."),
        (tr("{power_w:.2f} W, {spread}", power_w=r.power_w, spread=spread), claimed) if r.power_w is not None else (),
        tr("{runs} runs of {workload}.", runs=len(r.runs), workload=r.runs[0].workload.name),
        "",
        "modes",
        r.marks,
    )


def explain_noise(r: ModeRow) -> Explanation | None:
    """A level with the room taken off, and its budget."""
    n = r.noise
    if n is None:
        return None
    budget = budget_of(quantity(n.level, n.u, tr("the level meter")), "dB(A)") if n.u else None
    words = n.corrected.words if n.corrected else tr("The level of the room is not known, so nothing is taken off.")
    return Explanation(
        tr("Level at {setting}", setting=r.setting.name),
        tr("The energetic mean of all readings and logs of this setting, without the room where that is known."),
        (
            tr("{readings} readings: {read:.2f} dB(A)", readings=n.readings, read=n.read),
            words,
            tr("= {level:.1f} dB(A)", level=n.level),
        ),
        tr(
            "Distance {words}; it is not converted.",
            words=", ".join(tr("{d:g} cm", d=d / 10) for d in n.distances) or tr("not noted"),
        ),
        budget_words(budget),
        "sound",
    )


def explain_surface(s: Surface | None) -> Explanation | None:
    """A surface beside the limits of its material."""
    if s is None:
        return None
    t = s.touch
    limits = [
        tr("{contact}: {limit:g} °C", contact=contact, limit=limit[material])
        for contact, limit in LIMITS_C.items()
        for material in list(limit)[:1]
    ]
    rise = (
        ()
        if t.rise_k is None or t.at_25_c is None
        else (tr("{rise_k:.1f} K over the room, {at_25_c:.1f} °C at 25 °C", rise_k=t.rise_k, at_25_c=t.at_25_c),)
    )
    return Explanation(
        tr("{words}: {temp_c:.1f} °C", words=place_words(s.place).capitalize(), temp_c=t.temp_c),
        tr("Within the limit when {longest}.", longest=t.longest)
        if t.longest
        else tr("Above the limit of even a short touch."),
        (*rise, tr("limits of metal:"), *limits),
        tr("The hottest reading or settled log of this place."),
        tr("± {u} K by the instrument.", u=plain(s.u, 2)) if s.u else "",
        "touch",
        tuple(filter(None, (t.question, cautions.TOUCH))),
    )


def explain_wall(sheet: ModesSheet, r: ModeRow, instruments: Sequence[Instrument]) -> Explanation | None:
    """Wall watts of a setting with the budget of score for each watt."""
    if r.wall_w is None:
        if r.wall_by_line is None or sheet.wall is None:
            return None
        at = sheet.wall.line.at(r.power_w or 0.0, "W")
        words = tr("By the line of wall over package through the runs on mains; it was not measured at this setting.")
        return Explanation(
            tr("Wall at {setting}", setting=r.setting.name),
            words,
            (tr("{at:.1f} W", at=at.value),),
            "",
            tr("± {u} W of the line.", u=plain(at.u, 2)),
            "wall",
        )
    meter = wall_meter(instruments)
    wall = quantity(
        r.wall_w, meter.accuracy.standard_u(r.wall_w) if meter else 0.0, meter.name if meter else tr("meter")
    )
    if r.score is None:
        words = tr("The settled power at the mains; nothing was logged that tells what it buys.")
        return Explanation(
            tr("Wall at {setting}", setting=r.setting.name),
            words,
            (tr("{wall_w:.2f} W", wall_w=r.wall_w),),
            tr("{runs} runs.", runs=len(r.runs)),
            "",
            "wall",
        )
    scores = [rate for p in r.runs if (rate := p.rate) is not None]
    spread = float(np.std(scores, ddof=1)) / math.sqrt(len(scores)) if len(scores) > 1 else 0.0
    per_watt = quantity(r.score or 0.0, spread, tr("run to run")) / wall
    budget = budget_of(per_watt, "")
    return Explanation(
        tr("Wall at {setting}", setting=r.setting.name),
        tr("The settled power at the mains, and the score for each watt of it."),
        (
            tr("{wall_w:.2f} W", wall_w=r.wall_w),
            tr(
                "{score} / {wall_w} = {result} for each watt",
                score=plain(r.score or 0),
                wall_w=plain(r.wall_w),
                result=plain(budget.result.value),
            ),
        ),
        tr("{runs} runs.", runs=len(r.runs)),
        budget_words(budget) or tr("Nothing is stated of the meter, and nothing was repeated."),
        "wall",
        (*_beyond_range(meter, r.wall_w), cautions.MAINS),
    )


def _beyond_range(meter: Instrument | None, watts: float) -> tuple[str, ...]:
    if meter is None or not meter.range or watts <= meter.range:
        return ()
    return (
        tr(
            "{watts:.0f} W is beyond the range of {meter} ({range:g} W): its accuracy says nothing here.",
            watts=watts,
            meter=meter.name,
            range=meter.range,
        ),
    )


def explain_minutes(sheet: ModesSheet, r: ModeRow) -> Explanation | None:
    """Minutes of a full battery at a setting."""
    if r.battery_min is None or sheet.lasting is None:
        return None
    value, low, high = r.battery_min
    draw = sheet.lasting.line.at(r.power_w or 0.0, "W")
    holds = sheet.lasting.holds_wh
    return Explanation(
        tr("Battery at {setting}", setting=r.setting.name),
        tr("A full battery over the draw that the runs on battery have at this package power."),
        (tr("{holds:g} Wh / {draw:.2f} W", holds=holds, draw=draw.value), tr("= {value:.0f} min", value=value)),
        tr(
            "Package {x_low:.1f} to {x_high:.1f} W were measured on battery.",
            x_low=sheet.lasting.line.x_low,
            x_high=sheet.lasting.line.x_high,
        ),
        tr(
            "95 %: {low:.0f} to {high:.0f} min, of the line of draw; the capacity is taken as it is told.",
            low=low,
            high=high,
        ),
        "battery",
        (cautions.BATTERY,),
    )


def explain_rundown(p: RunPoint) -> Explanation:
    """A rundown with its two ways to the draw."""
    d = p.digest.rundown
    assert d is not None
    lines = [tr("charge {from_charge:.0f} % → {to_charge:.0f} %", from_charge=d.from_charge, to_charge=d.to_charge)]
    lines += [tr("by the energy left: {draw_w:.2f} W", draw_w=d.draw_w)] if d.draw_w is not None else []
    lines += [tr("by the power logged: {power_w:.2f} W", power_w=d.power_w)] if d.power_w is not None else []
    lines += (
        [tr("full battery: {hours_words}", hours_words=hours_words(d.runtime_h))] if d.runtime_h is not None else []
    )
    sag = tr("At the end it worked at {sag:.0f} % of its rate at the beginning.", sag=100 * d.sag) if d.sag else ""
    return Explanation(
        tr("Rundown: {setting}", setting=p.setting.name),
        tr(
            "Draw by the fall of the energy and by the power, which must agree within 5 %; the time"
            " of a full battery by the slope of the charge, whose gauge is taken as even."
        ),
        tuple(lines),
        p.workload.name,
        tr(
            "95 %: {low} to {high}",
            low=hours_words(d.low_h),
            high=hours_words(d.high_h),
        )
        if d.low_h is not None
        else "",
        "battery",
        tuple(filter(None, (*d.notes, sag, cautions.BATTERY))),
    )
