"""What the Modes page shows: the sheet of a device, and power, battery, sound and touch behind it. No Qt."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pinch.bench.parts import Aspect
from pinch.bench.readings import Instrument, Quantity
from pinch.charts.spec import Chart, Dots, Line, Panel, Rule, unbroken
from pinch.compose import BookPoints, RunPoint
from pinch.compose.modes import (
    ModeRow,
    ModesSheet,
    Surface,
    battery_points,
    best_below,
    idle_power,
    quietest,
    wall_points,
)
from pinch.core.budget import Budget, budget_of, quantity
from pinch.core.explain import Explanation
from pinch.core.touch import LIMITS_C, SOURCE, Material, longest_contact
from pinch.core.walls import WallLine
from pinch.ui.rows import TableRow

MODE_COLUMNS = (
    *("Setting", "W", "Burst W", "Hold %", "GHz", "°C", "Headroom K", "Score", "dB(A)", "Hottest °C", "Wall W"),
    *("Minutes", "Score/W", "Marks"),
)
WALL_COLUMNS = (
    "Setting",
    "Claimed W",
    "Package W",
    "Wall W",
    "Beside the package W",
    "For each of the score",
    "Split",
)
BATTERY_COLUMNS = ("Run", "Charge %", "Draw W", "By power W", "Full battery", "95 %", "min/Wh", "Kept of mains %", "")
SOUND_COLUMNS = ("Setting", "dB(A)", "As read", "Readings", "Distance", "Instrument", "Score", "")
TOUCH_COLUMNS = ("Place", "Temperature", "Over the room K", "At 25 °C", "Within its limit when", "")
CAUTION_BATTERY = (
    "Do not leave a charging battery alone. A pack that swells, smells or gets hot is not run down nor charged again: "
    "follow its maker's instructions and leave it to qualified people."
)
CAUTION_TOUCH = f"A caution, not medical or legal advice. Limits: {SOURCE}; the document itself decides."
CAUTION_WALL = (
    "Mains voltage is dangerous: use a closed meter as its maker says, and leave open wiring to qualified people."
)


def headline(sheet: ModesSheet, share: float) -> str:
    """The finding in one sentence: what the modes really are."""
    if not sheet.rows:
        return f"{sheet.device.name} has no settled run of {sheet.workload.name} yet."
    quiet = quietest(sheet.rows, share)
    least, most = sheet.rows[0], sheet.rows[-1]
    words = (
        f"{sheet.device.name} draws {least.power_w or 0:.1f} W at {least.setting.name} to {most.power_w or 0:.1f} W at "
    )
    words += most.setting.name
    if quiet is not None and quiet.noise is not None:
        bound = "at most " if quiet.noise.corrected and quiet.noise.corrected.upper_bound else ""
        words += f"; the quietest that keeps {100 * share:.0f} % of the score is {quiet.setting.name}"
        words += f" ({bound}{quiet.noise.level:.1f} dB(A))"
    return words + "."


def mode_rows(sheet: ModesSheet, instruments: Sequence[Instrument]) -> list[TableRow]:
    """A row a setting."""
    rows = []
    for r in sheet.rows:
        wall = r.wall_w if r.wall_w is not None else r.wall_by_line
        values: tuple[float | None, ...] = (
            *(r.power_w, r.burst_w, None if r.hold is None else 100 * r.hold),
            *(None if r.clock_mhz is None else r.clock_mhz / 1000, r.temp_c, r.headroom_k, r.score),
            *(r.noise.level if r.noise else None, r.hottest.touch.temp_c if r.hottest else None, wall),
            *(r.battery_min[0] if r.battery_min else None, r.per_watt),
        )
        forms = (".1f", ".1f", ".0f", ".2f", ".0f", ".0f", ".4g", ".1f", ".1f", ".1f", ".0f", ".3g")
        shown = ["" if v is None else format(v, form) for v, form in zip(values, forms, strict=True)]
        if r.noise and r.noise.corrected and r.noise.corrected.upper_bound:
            shown[7] = f"≤ {shown[7]}"
        if r.wall_w is None and wall is not None:
            shown[9] = f"~ {shown[9]}"
        keys: tuple[float | str, ...] = (
            r.setting.name,
            *(math.nan if v is None else v for v in values),
            ", ".join(r.marks),
        )
        by_column = {
            8: explain_noise(r),
            9: explain_surface(r.hottest),
            10: explain_wall(sheet, r, instruments),
            11: explain_minutes(sheet, r),
        }
        explained = {n: e for n, e in by_column.items() if e is not None}
        cells = (r.setting.name, *shown, ", ".join(r.marks))
        rows.append(TableRow(cells, explain_mode(r), explained, of=r.runs[0].run.id, keys=keys))
    return rows


def wall_rows(sheet: ModesSheet) -> list[TableRow]:
    """Claimed limit, package and wall side by side, and what a unit of work takes."""
    rows = []
    for r in sheet.rows:
        if r.wall_w is None or r.power_w is None:
            continue
        energy = f"{r.wall_w / r.score:.4g} J" if r.score else ""
        if r.score and not sheet.workload.higher_is_better:  # the score is times an hour then
            energy = f"{r.wall_w / r.score:.3g} Wh a task"
        cells = (
            r.setting.name,
            f"{r.setting.sustained_w:g}" if r.setting.sustained_w else "",
            f"{r.power_w:.1f}",
            f"{r.wall_w:.1f}",
            f"{r.wall_w - r.power_w:.1f}",
            energy,
            _split(r.runs),
        )
        rows.append(TableRow(cells, of=r.runs[0].run.id))
    return rows


def wall_words(sheet: ModesSheet, points: Sequence[RunPoint], instruments: Sequence[Instrument]) -> str:
    """Efficiency, floor, idle and the whole ladder's score for each watt."""
    if sheet.wall is None:
        return " ".join(n.text for n in sheet.notes) or "No run has both the wall and the package logged."
    e, floor = efficiency_budget(sheet.wall, instruments).result, sheet.wall.floor_w
    arrive = f"{100 * e.value:.1f} ± {100 * e.u:.1g} % of each watt at the wall arrive"
    display = f"display at {sheet.brightness_nits:g} cd/m²" if sheet.brightness_nits else "display"
    rest = f"({display}, memory, fans, controllers, the adapter at rest)"
    words = [f"{arrive}; {floor.value:.2f} ± {floor.u:.1g} W go elsewhere {rest}: {sheet.wall.line.n} points."]
    idle = idle_power(points)
    if idle.known:
        words.append(f"At rest {idle.value:.1f} W.")
    rated = [(r.score, r.wall_w) for r in sheet.rows if r.score and r.wall_w]
    if rated:
        overall = sum(s for s, _ in rated) / sum(w for _, w in rated)
        words.append(f"Over the ladder {overall:.4g} of the score for each watt at the wall (sum over sum).")
    return " ".join([*words, *(n.text for n in sheet.wall.notes)])


def efficiency_budget(wall: WallLine, instruments: Sequence[Instrument]) -> Budget:
    """The efficiency with what the regression and the meter's stated accuracy contribute."""
    efficiency = quantity(wall.efficiency.value, wall.efficiency.u, "the regression")
    meter = _wall_meter(instruments)
    if meter is not None:
        middle = wall.line.at((wall.line.x_low + wall.line.x_high) / 2.0).value
        efficiency = efficiency * quantity(1.0, meter.accuracy.standard_u(middle) / middle, meter.name)
    return budget_of(efficiency, "")


def explain_line(sheet: ModesSheet, instruments: Sequence[Instrument]) -> Explanation | None:
    """The wall line of a device."""
    if sheet.wall is None:
        return None
    line = sheet.wall.line
    return Explanation(
        "Wall and package",
        "Wall = floor + package / efficiency, through all settled runs on mains and their rest before the load.",
        (
            f"slope {line.slope:.4f} ± {line.u_slope:.2g}",
            f"efficiency = 1 / slope = {100 * sheet.wall.efficiency.value:.2f} %",
            f"floor {line.intercept:.2f} ± {line.u_intercept:.2g} W",
        ),
        f"{line.n} points, package {line.x_low:.1f} to {line.x_high:.1f} W; what is left {line.residual_sd:.2g} W.",
        _budget_words(efficiency_budget(sheet.wall, instruments)),
        "wall",
        (*(n.text for n in sheet.wall.notes), CAUTION_WALL),
    )


def _wall_meter(instruments: Sequence[Instrument]) -> Instrument | None:
    """The mains meter whose accuracy is stated."""
    return next((i for i in instruments if i.measures is Quantity.WALL and i.accuracy.stated), None)


def wall_chart(
    sheet: ModesSheet, points: Sequence[RunPoint], instruments: Sequence[Instrument], slot: int
) -> Chart | None:
    """Wall over package with the line."""
    found = wall_points(points)
    if sheet.wall is None or not found:
        return None
    x = np.array([p.package_w for p in found])
    dots = Dots(x, np.array([p.wall_w for p in found]), tuple(p.name for p in found), slot)
    ends = np.array([x.min(), x.max()])
    line = Line(ends, sheet.wall.line.intercept + sheet.wall.line.slope * ends, slot)
    title = wall_words(sheet, points, instruments)
    return Chart(title, (Panel("Wall", "W", (line,), dots=(dots,), key="wall"),), "Package", "W", alternative=title)


def battery_rows(sheet: ModesSheet) -> list[TableRow]:
    """Every rundown, whole or in part."""
    rows = []
    for p in sheet.rundowns:
        d = p.digest.rundown
        assert d is not None
        interval = f"{_hours(d.low_h)} to {_hours(d.high_h)}" if d.low_h is not None else ""
        per_wh = f"{60 / d.draw_w:.2f}" if d.draw_w else ""
        name = f"{p.setting.name}, {p.workload.name}"
        cells = (
            name,
            f"{d.from_charge:.0f} → {d.to_charge:.0f}",
            "" if d.draw_w is None else f"{d.draw_w:.1f}",
            "" if d.power_w is None else f"{d.power_w:.1f}",
            _hours(d.runtime_h),
            interval,
            per_wh,
            _kept(sheet, p),
            " ".join(d.notes),
        )
        rows.append(TableRow(cells, explain_rundown(p), of=p.run.id))
    return rows


def battery_words(sheet: ModesSheet, package_w: float) -> str:
    """How long a full battery lasts at a package power."""
    said = " ".join(n.text for n in sheet.notes if "capacity" in n.code or "battery" in n.code)
    wear = next((p.digest.rundown.wear for p in sheet.rundowns if p.digest.rundown and p.digest.rundown.wear), None)
    worn = f" The battery holds {100 * (1 - wear):.0f} % of its design." if wear else ""
    if sheet.lasting is None:
        return (said or "Runs on battery at three settings make the curve of draw that this answer needs.") + worn
    line = sheet.lasting.line
    if not line.covers(package_w):
        return (
            f"{package_w:g} W is outside what was measured on battery ({line.x_low:.1f} to {line.x_high:.1f} W)." + worn
        )
    value, low, high = sheet.lasting.hours(package_w)
    draw = line.at(package_w).value
    return (
        f"At {package_w:g} W of the package the battery gives {draw:.1f} W and lasts {_hours(value)} "
        f"({_hours(low)} to {_hours(high)}) from full, {60 / draw:.2f} min for each Wh.{worn}"
    )


def battery_chart(sheet: ModesSheet, points: Sequence[RunPoint], slot: int, package_w: float) -> Chart | None:
    """Draw of the battery over package watts."""
    found = battery_points(points)
    if sheet.lasting is None or not found:
        return None
    x = np.array([p for p, _, _ in found])
    dots = Dots(x, np.array([d for _, d, _ in found]), tuple(name for _, _, name in found), slot)
    ends = np.array([x.min(), x.max()])
    line = Line(ends, sheet.lasting.line.intercept + sheet.lasting.line.slope * ends, slot)
    words = battery_words(sheet, package_w)
    panel = Panel("Draw of the battery", "W", (line,), dots=(dots,), key="battery")
    return Chart(
        words,
        (panel,),
        "Package",
        "W",
        alternative=words,
        reader=package_w if sheet.lasting.line.covers(package_w) else None,
    )


def not_on_battery(sheet: ModesSheet) -> str:
    """Which modes are not to be had on battery."""
    rules = [
        f"{x.aspect} {x.value}"
        for x in sheet.device.exclusions
        if x.never_with is Aspect.SUPPLY and x.other.casefold() == "battery"
    ]
    return f"Not to be had on battery: {', '.join(rules)}." if rules else ""


def sound_rows(sheet: ModesSheet, limit: float) -> list[TableRow]:
    """Level of each setting, the quietest first; those above the limit quietly."""
    known = sorted((r for r in sheet.rows if r.noise), key=lambda r: r.noise.level if r.noise else 0.0)
    best = best_below(sheet.rows, limit)
    rows = []
    for r in known:
        n = r.noise
        assert n is not None
        bound = "≤ " if n.corrected and n.corrected.upper_bound else ""
        cells = (
            r.setting.name,
            f"{bound}{n.level:.1f}",
            f"{n.read:.1f}",
            str(n.readings),
            ", ".join(f"{d / 10:g} cm" for d in n.distances) or "not noted",
            ", ".join(n.instruments),
            f"{r.score:.4g}" if r.score else "",
            "the best at or below the limit" if r is best else "",
        )
        rows.append(TableRow(cells, explain_noise(r), of=r.runs[0].run.id, aside=n.level > limit))
    return rows


def sound_words(sheet: ModesSheet, limit: float) -> str:
    """The quiet limit, and what fan speed does."""
    best = best_below(sheet.rows, limit)
    words = f"No setting is known to be at or below {limit:g} dB(A)."
    if best is not None:
        top = max(r.score or 0.0 for r in sheet.rows)
        share = f"{100 * (best.score or 0) / top:.0f} % of the best score"
        words = f"At or below {limit:g} dB(A) the best is {best.setting.name}, {share}."
    if sheet.fan is not None:
        steep = f"{sheet.fan.slope:.0f} ± {sheet.fan.u_slope:.0f} dB"
        words += f" Ten times the fan's speed are {steep} here (handbooks: 50 to 60)."
    return words


def sound_chart(sheet: ModesSheet, limit: float, slot: int) -> Chart | None:
    """Score over level."""
    known = [r for r in sheet.rows if r.noise and r.score]
    if not known:
        return None
    dots = Dots(
        np.array([r.noise.level for r in known if r.noise]),
        np.array([r.score or 0.0 for r in known]),
        tuple(r.setting.name for r in known),
        slot,
    )
    rule = Rule(limit, f"quiet limit {limit:g}", upright=True)
    panel = Panel("Score", sheet.workload.score_unit, dots=(dots,), rules=(rule,), key="sound")
    words = sound_words(sheet, limit)
    return Chart(words, (panel,), "Level, the room taken off", "dB(A)", alternative=words, x_from_zero=False)


def touch_rows(row: ModeRow | None, fahrenheit: bool, material: Material | None = None) -> list[TableRow]:
    """The places of a setting, the hottest first, of their usual material or of that which is given."""
    rows = []
    for s in row.surfaces if row else ():
        t = s.touch if material is None else replace(s.touch, longest=longest_contact(s.touch.temp_c, material))
        unit = "°F" if fahrenheit else "°C"
        shown = [_in(x, fahrenheit) for x in (t.temp_c, t.at_25_c)]
        cells = (
            s.place.replace("_", " "),
            f"{shown[0]} {unit}",
            "" if t.rise_k is None else f"{t.rise_k:.1f}",
            f"{shown[1]} {unit}" if shown[1] else "room not known",
            str(t.longest) if t.longest else "not even a touch",
            t.question,
        )
        rows.append(TableRow(cells, explain_surface(s)))
    return rows


def explain_mode(r: ModeRow) -> Explanation:
    """A setting of the sheet."""
    spread = f"± {r.power_sd:.2g} W between runs" if math.isfinite(r.power_sd) else "a single run"
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
        _budget_words(budget),
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
        f"± {s.u:.2g} K by the instrument." if s.u else "",
        "touch",
        tuple(filter(None, (t.question, CAUTION_TOUCH))),
    )


def explain_wall(sheet: ModesSheet, r: ModeRow, instruments: Sequence[Instrument]) -> Explanation | None:
    """Wall watts of a setting with the budget of score for each watt."""
    if r.wall_w is None:
        if r.wall_by_line is None or sheet.wall is None:
            return None
        at = sheet.wall.line.at(r.power_w or 0.0, "W")
        words = "By the line of wall over package through the runs on mains; it was not measured at this setting."
        return Explanation(
            f"Wall at {r.setting.name}", words, (f"{at.value:.1f} W",), "", f"± {at.u:.2g} W of the line.", "wall"
        )
    meter = _wall_meter(instruments)
    wall = quantity(r.wall_w, meter.accuracy.standard_u(r.wall_w) if meter else 0.0, meter.name if meter else "meter")
    scores = [p.digest.rate for p in r.runs if p.digest.rate is not None]
    spread = float(np.std(scores, ddof=1)) / math.sqrt(len(scores)) if len(scores) > 1 else 0.0
    per_watt = quantity(r.score or 0.0, spread, "run to run") / wall
    budget = budget_of(per_watt, "")
    return Explanation(
        f"Wall at {r.setting.name}",
        "The settled power at the mains, and the score for each watt of it.",
        (f"{r.wall_w:.2f} W", f"{r.score or 0:.4g} / {r.wall_w:.4g} = {budget.result.value:.4g} for each watt"),
        f"{len(r.runs)} runs.",
        _budget_words(budget) or "Nothing is stated of the meter, and nothing was repeated.",
        "wall",
        (*_beyond_range(meter, r.wall_w), CAUTION_WALL),
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
        (CAUTION_BATTERY,),
    )


def explain_rundown(p: RunPoint) -> Explanation:
    """A rundown with its two ways to the draw."""
    d = p.digest.rundown
    assert d is not None
    lines = [f"charge {d.from_charge:.0f} % → {d.to_charge:.0f} %"]
    lines += [f"by the energy left: {d.draw_w:.2f} W"] if d.draw_w is not None else []
    lines += [f"by the power logged: {d.power_w:.2f} W"] if d.power_w is not None else []
    lines += [f"full battery: {_hours(d.runtime_h)}"] if d.runtime_h is not None else []
    sag = f"At the end it worked at {100 * d.sag:.0f} % of its rate at the beginning." if d.sag else ""
    return Explanation(
        f"Rundown: {p.setting.name}",
        "Draw by the fall of the energy and by the power, which must agree within 5 %; the time of a full battery by "
        "the slope of the charge, whose gauge is taken as even.",
        tuple(lines),
        p.workload.name,
        f"95 %: {_hours(d.low_h)} to {_hours(d.high_h)}" if d.low_h is not None else "",
        "battery",
        tuple(filter(None, (*d.notes, sag, CAUTION_BATTERY))),
    )


def own_points(book: BookPoints, device_id: int) -> list[RunPoint]:
    """All runs of a device."""
    return [p for p in book.points if p.run.device_id == device_id]


def _kept(sheet: ModesSheet, p: RunPoint) -> str:
    """The score on battery as a share of that on mains at the same claimed limit."""
    own = next((r for r in sheet.rows if r.setting.id == p.run.setting_id), None)
    mains = [r for r in sheet.rows if r.setting.mains and r.setting.sustained_w == p.setting.sustained_w]
    if own is None or not mains or not own.score or not mains[0].score or p.workload.id != sheet.workload.id:
        return ""
    return f"{100 * own.score / mains[0].score:.1f}"


def _split(runs: Sequence[RunPoint]) -> str:
    """Processor and graphics of a shared budget, with the time that graphics had left."""
    both = [(p.digest.cpu_w, p.digest.gpu_w, p.digest.gpu_load) for p in runs if p.digest.cpu_w and p.digest.gpu_w]
    if not both:
        return ""
    cpu, gpu, load = both[0]
    left = f", {100 - load:.0f} % of its time left" if load is not None else ""
    return f"processor {cpu:.1f} W, graphics {gpu:.1f} W{left}"


def _budget_words(budget: Budget | None) -> str:
    if budget is None or not budget.parts:
        return ""
    parts = "; ".join(f"{p.name} {100 * p.share:.0f} %" for p in budget.parts)
    return f"± {budget.result.u:.2g} {budget.result.unit}".rstrip() + f" (standard), of which {parts} of the variance."


def _hours(hours: float | None) -> str:
    if hours is None or not math.isfinite(hours):
        return ""
    minutes = round(60 * hours)
    return unbroken(f"{minutes // 60} h {minutes % 60:02d} min") if minutes >= 60 else f"{minutes} min"


def _in(temp_c: float | None, fahrenheit: bool) -> str:
    if temp_c is None:
        return ""
    return f"{1.8 * temp_c + 32:.1f}" if fahrenheit else f"{temp_c:.1f}"
