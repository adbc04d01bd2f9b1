"""What the modes of a device say, in sentences and as charts: watts, wall, battery and sound."""

import math
from collections.abc import Sequence

import numpy as np

from pinch.analysis.draws import battery_draws, draw_names, wall_draws
from pinch.analysis.locks import LockChoice, best_locks, heat_share
from pinch.analysis.modes import ModesSheet, best_below, idle_power, quietest
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.parts import Aspect
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import Device
from pinch.charts.spec import Chart, Dots, Line, Panel, Rule, unbroken
from pinch.core.budget import Budget, budget_of, quantity
from pinch.core.printing import counted, in_percent, plain
from pinch.core.sensor_classes import SensorClasses
from pinch.core.walls import WallLine
from pinch.language import tr

WALL = "wall.power"
MOST_TOLD = 24
"""Points that the words of a chart tell one by one."""


def headline(sheet: ModesSheet, share: float) -> str:
    """The finding in one sentence: what the modes really are."""
    if not sheet.rows:
        return tr(
            "{device} has no run of {workload} that counts yet.", device=sheet.device.name, workload=sheet.workload.name
        )
    quiet = quietest(sheet.rows, share)
    drawing = [r for r in sheet.rows if r.power_w is not None]
    if not drawing:
        return tr(
            "{device} was measured at {rows} settings, its package power at none of them.",
            device=sheet.device.name,
            rows=len(sheet.rows),
        )
    least, most = drawing[0], drawing[-1]
    words = tr(
        "{device} draws {more_w:.1f} W at {setting} to {less_w:.1f} W at ",
        device=sheet.device.name,
        more_w=least.power_w or 0,
        setting=least.setting.name,
        less_w=most.power_w or 0,
    )
    words += most.setting.name
    if quiet is not None and quiet.noise is not None:
        bound = tr("at most ") if quiet.noise.corrected and quiet.noise.corrected.upper_bound else ""
        if sum(r.noise is not None for r in sheet.rows) > 1:
            words += tr(
                "; the quietest{of_those_read} that keeps {share:.0f} % of the score is ",
                of_those_read=_of_those_read(sheet),
                share=100 * share,
            )
            words += tr(
                "{setting} ({bound}{level:.1f} dB(A))", setting=quiet.setting.name, bound=bound, level=quiet.noise.level
            )
        else:
            words += tr(
                "; a level was read of {setting} alone ({bound}{level:.1f} dB(A))",
                setting=quiet.setting.name,
                bound=bound,
                level=quiet.noise.level,
            )
    locks = best_locks(sheet.rows, sheet.workload.higher_is_better)
    return " ".join([f"{words}.", *(lock_words(choice, sheet.workload.score_unit) for choice in locks)])


def lock_words(choice: LockChoice, unit: str) -> str:
    """Which clock lock holds the most, at which watts and how hot, beside none."""
    best, free = choice.best, choice.free
    score = f"{plain(best.score or 0.0)} {unit}".rstrip()
    shown = [tr("{power_w:.1f} W", power_w=best.power_w)] if best.power_w else []
    shown += [tr("{temp_c:.0f} °C", temp_c=best.temp_c)] if best.temp_c else []
    heat = heat_share(best)
    shown += [tr("{heat:.0f} % of the load held by heat", heat=100 * heat)] if heat is not None else []
    at = tr(" at {shown}", shown=", ".join(shown)) if shown else ""
    if free is None:
        return tr(
            "Of {tried} {setting} holds the most: {score}{at}.",
            tried=counted(choice.tried, "clock lock"),
            setting=best.setting.name,
            score=score,
            at=at,
        )
    if not choice.is_locked:
        return tr(
            "No lock holds more than {setting} without one: {score}{at} ({tried}).",
            setting=best.setting.name,
            score=score,
            at=at,
            tried=counted(choice.tried, "lock"),
        )
    without = tr("{score} without a lock", score=plain(free.score or 0.0))
    heat = heat_share(free)
    without += tr(", {heat:.0f} % of it by heat", heat=100 * heat) if heat is not None else ""
    runs = tr("{runs} against {others}", runs=counted(len(best.runs), "run"), others=len(free.runs))
    return tr(
        "Of {tried} {setting} holds the most: {score}{at}; {without} ({runs}).",
        tried=counted(choice.tried, "clock lock"),
        setting=best.setting.name,
        score=score,
        at=at,
        without=without,
        runs=runs,
    )


def wall_words(sheet: ModesSheet, points: Sequence[RunPoint], instruments: Sequence[Instrument]) -> str:
    """Efficiency, floor, idle and the whole ladder's score for each watt."""
    if sheet.wall is None:
        why = [n.text for n in sheet.notes if n.code == "no-wall"]
        return " ".join(why) or tr("No run on mains has both the wall and the package.")
    of = sheet.wall, sheet.device, instruments
    e, floor = efficiency_budget(*of).result, floor_budget(*of).result
    arrive = tr("{value:.1f} ± {u} of each watt at the wall arrive", value=100 * e.value, u=in_percent(e.u, 1))
    display = (
        tr("display at {brightness_nits:g} cd/m²", brightness_nits=sheet.brightness_nits)
        if sheet.brightness_nits
        else tr("display")
    )
    rest = tr("({display}, memory, fans, controllers, the adapter at rest)", display=display)
    words = [
        tr(
            "{arrive}; {floor:.2f} ± {u} W go elsewhere {rest}: {n} points.",
            arrive=arrive,
            floor=floor.value,
            u=plain(floor.u, 1),
            rest=rest,
            n=sheet.wall.line.n,
        )
    ]
    idle = idle_power(points)
    if idle.known:
        words.append(tr("At rest {idle:.1f} W.", idle=idle.value))
    rated = [(r.score, r.wall_w) for r in sheet.rows if r.score and r.wall_w]
    if rated:
        overall = sum(s for s, _ in rated) / sum(w for _, w in rated)
        words.append(
            tr(
                "Over the ladder {overall} of the score for each watt at the wall (sum over sum).",
                overall=plain(overall),
            )
        )
    return " ".join([*words, *(n.text for n in sheet.wall.notes)])


def wall_chart(
    sheet: ModesSheet, points: Sequence[RunPoint], instruments: Sequence[Instrument], slot: int
) -> Chart | None:
    """Wall over package with the line."""
    found = wall_draws(points)
    if sheet.wall is None or not found:
        return None
    x = np.array([d.package_w for d in found])
    dots = Dots(x, np.array([d.drawn_w for d in found]), draw_names(found), slot)
    ends = np.array([x.min(), x.max()])
    line = Line(ends, sheet.wall.line.intercept + sheet.wall.line.slope * ends, slot)
    title = wall_words(sheet, points, instruments)
    told = points_words(tr("Wall, W, over package, W"), dots)
    return Chart(
        title, (Panel(tr("Wall"), "W", (line,), dots=(dots,), key="wall"),), tr("Package"), "W", alternative=told
    )


def battery_words(sheet: ModesSheet, package_w: float) -> str:
    """How long a full battery lasts at a package power."""
    said = " ".join(n.text for n in sheet.notes if "capacity" in n.code or "battery" in n.code)
    wear = next((p.digest.rundown.wear for p in sheet.rundowns if p.digest.rundown and p.digest.rundown.wear), None)
    worn = tr(" The battery holds {wear:.0f} % of its design.", wear=100 * (1 - wear)) if wear else ""
    if sheet.lasting is None:
        return (said or tr("Runs on battery at three settings make the curve of draw that this answer needs.")) + worn
    line = sheet.lasting.line
    if not line.covers(package_w):
        return (
            tr(
                "{package_w:g} W is outside what was measured on battery ({x_low:.1f} to {x_high:.1f} W).",
                package_w=package_w,
                x_low=line.x_low,
                x_high=line.x_high,
            )
            + worn
        )
    value, low, high = sheet.lasting.hours(package_w)
    draw = line.at(package_w).value
    between = (
        tr("({low} to {high}) ", low=hours_words(low), high=hours_words(high))
        if hours_words(low) != hours_words(high)
        else ""
    )
    return tr(
        "At {package_w:g} W of the package the battery gives {draw:.1f} W and lasts "
        "{hours} {between}from full, {draw_2:.2f} min for each Wh.{worn}",
        package_w=package_w,
        draw=draw,
        hours=hours_words(value),
        between=between,
        draw_2=60 / draw,
        worn=worn,
    )


def battery_chart(sheet: ModesSheet, points: Sequence[RunPoint], slot: int, package_w: float) -> Chart | None:
    """Draw of the battery over package watts."""
    found = battery_draws(points)
    if sheet.lasting is None or not found:
        return None
    x = np.array([d.package_w for d in found])
    dots = Dots(x, np.array([d.drawn_w for d in found]), draw_names(found), slot)
    ends = np.array([x.min(), x.max()])
    line = Line(ends, sheet.lasting.line.intercept + sheet.lasting.line.slope * ends, slot)
    words = battery_words(sheet, package_w)
    panel = Panel(tr("Draw of the battery"), "W", (line,), dots=(dots,), key="battery")
    return Chart(
        words,
        (panel,),
        tr("Package"),
        "W",
        alternative=points_words(tr("Draw of the battery, W, over package, W"), dots),
        reader=package_w if sheet.lasting.line.covers(package_w) else None,
    )


def not_on_battery(sheet: ModesSheet) -> str:
    """Which modes are not to be had on battery."""
    rules = [
        f"{x.aspect} {x.value}"
        for x in sheet.device.exclusions
        if x.never_with is Aspect.SUPPLY and x.other.casefold() == "battery"
    ]
    return tr("Not to be had on battery: {rules}.", rules=", ".join(rules)) if rules else ""


def quiet_words(sheet: ModesSheet, limit: float) -> str:
    """The quiet limit: the best score at or below a level."""
    best = best_below(sheet.rows, limit)
    if best is None:
        return tr("No setting is known to be at or below {limit:g} dB(A).", limit=limit)
    top = max(r.score or 0.0 for r in sheet.rows)
    share = tr("{score:.0f} % of the best score", score=100 * (best.score or 0) / top)
    return tr(
        "At or below {limit:g} dB(A) the best{of_those_read} is {setting}, {share}.",
        limit=limit,
        of_those_read=_of_those_read(sheet),
        setting=best.setting.name,
        share=share,
    )


def _of_those_read(sheet: ModesSheet) -> str:
    """Of how many settings a level was read, where not of all."""
    read = sum(r.noise is not None for r in sheet.rows)
    if read == len(sheet.rows):
        return ""
    return tr(" of the {read} of {rows} settings that were read", read=read, rows=len(sheet.rows))


def sound_words(sheet: ModesSheet, limit: float) -> str:
    """The quiet limit, and what fan speed does."""
    words = quiet_words(sheet, limit)
    if sheet.fan is not None:
        steep = tr("{slope:.0f} ± {u_slope:.0f} dB", slope=sheet.fan.slope, u_slope=sheet.fan.u_slope)
        words += tr(" Ten times the fan's speed are {steep} here (handbooks: 50 to 60).", steep=steep)
    return words


def glance_chart(sheet: ModesSheet, share: float, slot: int) -> Chart | None:
    """Score over settled watts, each setting named, with the score that is to be kept."""
    known = [r for r in sheet.rows if r.power_w and r.score]
    if not known:
        return None
    watts, scores = np.array([r.power_w or 0.0 for r in known]), np.array([r.score or 0.0 for r in known])
    dots = Dots(watts, scores, tuple(r.setting.name for r in known), slot, named=True)
    rule = Rule(share * float(scores.max()), tr("{share:g} % of the best", share=100 * share))
    unit = sheet.workload.score_unit
    panel = Panel(tr("Score"), unit, dots=(dots,), rules=(rule,), key="glance")
    told = points_words(tr("Score, {unit}, over settled package watts", unit=unit), dots)
    return Chart(headline(sheet, share), (panel,), tr("Settled power, package"), "W", alternative=told)


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
        named=True,
    )
    rule = Rule(limit, tr("quiet limit {limit:g}", limit=limit), upright=True)
    panel = Panel(tr("Score"), sheet.workload.score_unit, dots=(dots,), rules=(rule,), key="sound")
    words = sound_words(sheet, limit)
    off = [r.noise.corrected is not None for r in known if r.noise]
    room = (
        tr("the room taken off")
        if all(off)
        else tr("the room taken off where it is known")
        if any(off)
        else tr("as read")
    )
    told = points_words(
        tr("Score, {score_unit}, over level, dB(A), {room}", score_unit=sheet.workload.score_unit, room=room), dots
    )
    return Chart(words, (panel,), tr("Level, {room}", room=room), "dB(A)", alternative=told, x_from_zero=False)


def points_words(axes: str, dots: Dots) -> str:
    """What a chart of points shows, for who cannot see it: each by name, the first ones where there are many."""
    named = list(zip(dots.texts, dots.x, dots.y, strict=True))
    told = [
        tr("{text}: {y} at {x}", text=text, y=plain(float(y), 3), x=plain(float(x), 3))
        for text, x, y in named[:MOST_TOLD]
    ]
    more = tr("; and {named} more", named=len(named) - MOST_TOLD) if len(named) > MOST_TOLD else ""
    return f"{axes}: {'; '.join(told)}{more}."


def own_points(book: BookPoints, device_id: int) -> list[RunPoint]:
    """All runs of a device."""
    return [p for p in book.points if p.run.device_id == device_id]


def efficiency_budget(wall: WallLine, device: Device, instruments: Sequence[Instrument]) -> Budget:
    """The efficiency with what the regression, the device's own sensor and the meter contribute."""
    sensors, meter = _wall_sensors(device, instruments)
    middle = wall.line.at((wall.line.x_low + wall.line.x_high) / 2.0).value
    efficiency = quantity(wall.efficiency.value, wall.efficiency.u, tr("the regression"))
    efficiency = efficiency * quantity(1.0, sensors.power, tr("the package sensor"))
    return budget_of(efficiency * quantity(1.0, sensors.share_of(WALL, middle), meter), "")


def floor_budget(wall: WallLine, device: Device, instruments: Sequence[Instrument]) -> Budget:
    """The floor with what the regression and the meter contribute: a scale of the meter that is off moves it by as
    much, one of the package sensor only turns the line."""
    sensors, meter = _wall_sensors(device, instruments)
    floor = quantity(wall.floor_w.value, wall.floor_w.u, tr("the regression"))
    return budget_of(floor + quantity(0.0, sensors.of(WALL, wall.floor_w.value), meter), "W")


def _wall_sensors(device: Device, instruments: Sequence[Instrument]) -> tuple[SensorClasses, str]:
    """How far the package sensor and the meter may be off, as noted or as stated, else as is usual; and the meter's
    name."""
    meter = wall_meter(instruments)
    stated = ((meter.name, WALL, meter.accuracy),) if meter is not None else ()
    own = device.sensors.power_percent
    sensors = SensorClasses(meters=stated) if own is None else SensorClasses(power=own / 100.0, meters=stated)
    return sensors, meter.name if meter is not None else tr("a meter as is usual")


def wall_meter(instruments: Sequence[Instrument]) -> Instrument | None:
    """The mains meter whose accuracy is stated."""
    return next((i for i in instruments if i.measures is Quantity.WALL and i.accuracy.stated), None)


def hours_words(hours: float | None) -> str:
    """A time in hours as h and min; empty where it is not known."""
    if hours is None or not math.isfinite(hours):
        return ""
    minutes = round(60 * hours)
    return (
        unbroken(tr("{hours} h {minutes:02d} min", hours=minutes // 60, minutes=minutes % 60))
        if minutes >= 60
        else tr("{minutes} min", minutes=minutes)
    )
