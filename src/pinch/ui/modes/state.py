"""What the Modes page shows: the sheet of a device, and power, battery, sound and touch behind it. No Qt."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pinch.bench.parts import Aspect
from pinch.bench.readings import Instrument
from pinch.charts.spec import Chart, Dots, Line, Panel, Rule
from pinch.compose import BookPoints, RunPoint
from pinch.compose.modes import (
    ModeRow,
    ModesSheet,
    battery_points,
    best_below,
    idle_power,
    quietest,
    wall_points,
)
from pinch.core.touch import Material, longest_contact
from pinch.ui.modes.explaining import (
    efficiency_budget,
    explain_minutes,
    explain_mode,
    explain_noise,
    explain_rundown,
    explain_surface,
    explain_wall,
    hours_words,
)
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
        interval = f"{hours_words(d.low_h)} to {hours_words(d.high_h)}" if d.low_h is not None else ""
        per_wh = f"{60 / d.draw_w:.2f}" if d.draw_w else ""
        name = f"{p.setting.name}, {p.workload.name}"
        cells = (
            name,
            f"{d.from_charge:.0f} → {d.to_charge:.0f}",
            "" if d.draw_w is None else f"{d.draw_w:.1f}",
            "" if d.power_w is None else f"{d.power_w:.1f}",
            hours_words(d.runtime_h),
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
        f"At {package_w:g} W of the package the battery gives {draw:.1f} W and lasts {hours_words(value)} "
        f"({hours_words(low)} to {hours_words(high)}) from full, {60 / draw:.2f} min for each Wh.{worn}"
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


def _in(temp_c: float | None, fahrenheit: bool) -> str:
    if temp_c is None:
        return ""
    return f"{1.8 * temp_c + 32:.1f}" if fahrenheit else f"{temp_c:.1f}"
