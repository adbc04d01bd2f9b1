"""Modes at a glance: what each setting of a device really draws, holds, sounds and feels like, and how long it
lasts."""

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from pinch.analysis.digesting import rundown_digest
from pinch.analysis.draws import battery_draws, draw_names, wall_draws
from pinch.analysis.points import BookPoints, RunPoint, of_one_metric, score_of
from pinch.bench.parts import Battery
from pinch.bench.readings import ROOM_PLACE, Quantity, Reading
from pinch.bench.records import Device, Protocol, Setting, WorkKind, Workload
from pinch.core.errors import DataError
from pinch.core.figures import Estimate, Note, SettledState
from pinch.core.line import StraightLine, fit_line
from pinch.core.metrics import AVERAGE
from pinch.core.rundown import judge_rundown
from pinch.core.runlog import Series
from pinch.core.sound import Corrected, Grade, fan_line, level_mean, without_room
from pinch.core.touch import Material, Touch, judge_touch
from pinch.core.walls import WallLine, WallPoint, wall_line
from pinch.language import tr

LABEL_OFF, WANDERS = 0.10, 0.10
LEAST_CHARGES = 2
MATERIALS = {"exhaust": Material.METAL, "screen_edge": Material.GLASS}


class Noise(Struct, frozen=True):
    """Level of a setting with the room taken off where it is known: what was read, of how many readings, at which
    distances in mm, with the standard uncertainty of the instrument."""

    read: float
    corrected: Corrected | None
    readings: int
    distances: tuple[float, ...]
    instruments: tuple[str, ...]
    u: float

    @property
    def level(self) -> float:
        """The level of the machine, dB(A); with an unknown room what was read."""
        return self.corrected.level if self.corrected else self.read


class Surface(Struct, frozen=True):
    """The hottest that a place was at a setting."""

    place: str
    touch: Touch
    u: float


class ModeRow(Struct, frozen=True):
    """A setting under a workload; None where a figure cannot be had. `wall_w` is measured, `wall_by_line` by the line
    of the device; `battery_min` are minutes of a full battery, with their interval; `marks` say what is wrong with
    it."""

    setting: Setting
    runs: tuple[RunPoint, ...]
    power_w: float | None
    power_sd: float
    burst_w: float | None
    hold: float | None
    clock_mhz: float | None
    temp_c: float | None
    headroom_k: float | None
    score: float | None
    noise: Noise | None
    surfaces: tuple[Surface, ...]
    wall_w: float | None
    wall_by_line: float | None
    battery_min: tuple[float, float, float] | None
    marks: tuple[str, ...]

    @property
    def hottest(self) -> Surface | None:
        """The hottest surface."""
        return max(self.surfaces, key=lambda s: s.touch.temp_c, default=None)

    @property
    def per_watt(self) -> float | None:
        """Score for each measured package watt."""
        return self.score / self.power_w if self.score and self.power_w else None


class Lasting(Struct, frozen=True):
    """How long a battery lasts: draw over package power by the runs on battery, and the energy it holds, Wh."""

    line: StraightLine
    holds_wh: float

    def hours(self, package_w: float) -> tuple[float, float, float]:
        """Hours of a full battery at a package power, with the 95 % interval."""
        draw = self.line.at(package_w)
        reach = self.line.factor * draw.u
        return tuple(
            self.holds_wh / w if w > 0 else float("nan") for w in (draw.value, draw.value + reach, draw.value - reach)
        )  # type: ignore[return-value]


class ModesSheet(Struct, frozen=True):
    """One device under one workload: a row a setting by its measured watts, the wall line and the battery's line where
    they can be had, level over fan speed, all rundowns, and what has to be said."""

    device: Device
    workload: Workload
    rows: tuple[ModeRow, ...]
    wall: WallLine | None
    lasting: Lasting | None
    fan: StraightLine | None
    rundowns: tuple[RunPoint, ...]
    brightness_nits: float | None = None
    notes: tuple[Note, ...] = field(default=())


def modes_sheet(
    book: BookPoints,
    device: Device,
    workload: Workload,
    room_c: float | None = None,
    grade: Grade = Grade.SURVEY,
) -> ModesSheet:
    """Everything about the settings of a device under a workload, at one room temperature (None: all)."""
    there = (p for p in book.points if p.run.device_id == device.id and not p.run.void and not p.run.cut_off)
    own = [_with_rundown(book, p) for p in there]
    wall, notes = _wall(own)
    lasting, why = _lasting(own, device.battery)
    rows = [_row(book, runs, wall, lasting, grade) for runs in _by_setting(own, workload, room_c)]
    rows.sort(key=lambda r: r.power_w or 0.0)
    return ModesSheet(
        device,
        workload,
        tuple(rows),
        wall,
        lasting,
        _fan(own, book.readings),
        tuple(p for p in own if p.digest.rundown is not None),
        _brightness(book, own),
        (*notes, *why),
    )


def _by_setting(own: Sequence[RunPoint], workload: Workload, room_c: float | None) -> list[tuple[RunPoint, ...]]:
    """The measured runs of a workload that count, a group a setting."""
    groups: dict[int, list[RunPoint]] = {}
    for p in own:
        here = p.run.workload_id == workload.id and (room_c is None or p.room_c in (room_c, None))
        if here and p.run.summary is None and not p.why_unusable:
            groups.setdefault(p.run.setting_id, []).append(p)
    return [tuple(runs) for runs in groups.values()]


def _brightness(book: BookPoints, own: Sequence[RunPoint]) -> float | None:
    """How bright the display was by the first protocol that says so, cd/m²."""
    protocols = (book.protocols.get(p.run.protocol_id) for p in own if p.run.protocol_id is not None)
    return next((p.brightness_nits for p in protocols if p is not None and p.brightness_nits), None)


class Beside(Struct, frozen=True):
    """What stands beside a score: measured package, wall and battery W, level, the hottest surface, and minutes of a
    full battery; None where unknown."""

    power_w: float | None
    wall_w: float | None
    battery_w: float | None
    noise: Noise | None
    hottest: Surface | None
    minutes: float | None


def beside(book: BookPoints, runs: Sequence[RunPoint]) -> Beside:
    """What was measured beside the score of runs of one setting."""
    surfaces = _surfaces(book, runs, _mean([p.digest.temp_c for p in runs]))
    return Beside(
        _mean([p.power_w for p in runs]),
        _wall_of(book, runs),
        _mean([p.digest.battery_w for p in runs]),
        _noise(book, runs),
        surfaces[0] if surfaces else None,
        _mean([60.0 * r.runtime_h if (r := p.digest.rundown) and r.runtime_h is not None else None for p in runs]),
    )


def quietest(rows: Sequence[ModeRow], share: float) -> ModeRow | None:
    """The quietest setting that keeps so much of the best score; None where no level or score is known."""
    known = [r for r in rows if r.noise is not None and r.score is not None]
    best = max((r.score or 0.0 for r in rows), default=0.0)
    enough = [r for r in known if (r.score or 0.0) >= share * best]
    return min(enough, key=lambda r: r.noise.level if r.noise else 0.0, default=None)


def best_below(rows: Sequence[ModeRow], level: float) -> ModeRow | None:
    """The best settled score at or below a level, dB(A): the quiet limit."""
    quiet = [r for r in rows if r.noise is not None and r.noise.level <= level and r.score is not None]
    return max(quiet, key=lambda r: r.score or 0.0, default=None)


def _row(
    book: BookPoints, runs: tuple[RunPoint, ...], wall: WallLine | None, lasting: Lasting | None, grade: Grade
) -> ModeRow:
    setting = runs[0].setting
    power = _mean([p.digest.power_w for p in runs])
    watts = [p.digest.power_w for p in runs if p.digest.power_w is not None]
    sd = float(np.std(watts, ddof=1)) if len(watts) > 1 else float("nan")
    by_line = wall.line.at(power).value if wall and power is not None and wall.line.covers(power) else None
    minutes = None
    if lasting is not None and power is not None and lasting.line.covers(power):
        value, low, high = lasting.hours(power)
        minutes = (60.0 * value, 60.0 * low, 60.0 * high)
    temp = _mean([p.digest.temp_c for p in runs])
    return ModeRow(
        setting,
        runs,
        power,
        sd,
        _mean([p.digest.burst_w for p in runs]),
        _mean([p.digest.hold for p in runs]),
        _mean([p.digest.clock_mhz for p in runs]),
        temp,
        _mean([p.digest.headroom_k for p in runs]),
        _mean([score_of(p, AVERAGE) for p in of_one_metric(runs)]),
        _noise(book, runs, grade),
        _surfaces(book, runs, temp),
        _wall_of(book, runs),
        by_line,
        minutes,
        _marks(setting, power, sd, runs),
    )


def _marks(setting: Setting, power: float | None, sd: float, runs: Sequence[RunPoint]) -> tuple[str, ...]:
    """What is wrong with a mode: watts that wander, or are not those of its label."""
    marks = []
    if power is not None and setting.sustained_w and abs(power / setting.sustained_w - 1.0) > LABEL_OFF:
        marks.append(tr("{power:+.0f} % of its label", power=100 * (power / setting.sustained_w - 1)).replace("-", "−"))
    if power and sd / power > WANDERS:
        marks.append(tr("wanders by {sd:.0f} %", sd=100 * sd / power))
    if any(p.digest.state == SettledState.DRIFTING for p in runs):
        marks.append(tr("not settled"))
    if any(p.off_share for p in runs):
        marks.append(tr("did not hold"))
    return tuple(marks)


def _mean(values: Sequence[float | None]) -> float | None:
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else None


def _wall_of(book: BookPoints, runs: Sequence[RunPoint]) -> float | None:
    """Wall W of runs: as logged, else as read by hand under load."""
    read = [r.value for r in _readings(book, runs, Quantity.WALL) if not r.at_rest]
    return _mean([p.digest.wall_w for p in runs]) or _mean(read)


def _readings(book: BookPoints, runs: Sequence[RunPoint], quantity: Quantity) -> list[Reading]:
    return [r for p in runs for r in book.readings.get(p.run.id, ()) if r.quantity is quantity]


def _noise(book: BookPoints, runs: Sequence[RunPoint], grade: Grade = Grade.SURVEY) -> Noise | None:
    """The level of a setting: the energetic mean of all readings and logs, the room's own taken off."""
    read = _readings(book, runs, Quantity.NOISE)
    of_load = [r for r in read if r.place != ROOM_PLACE and not r.at_rest]
    levels = [r.value for r in of_load] + [p.digest.noise_db for p in runs if p.digest.noise_db is not None]
    if not levels:
        return None
    mean = level_mean(levels)
    room = _room_level(
        [r.value for r in read if r.place == ROOM_PLACE], [book.protocols.get(p.run.protocol_id or 0) for p in runs]
    )
    return Noise(
        mean,
        None if room is None else without_room(mean, room, grade),
        len(levels),
        tuple(sorted({r.distance_mm for r in of_load if r.distance_mm})),
        tuple(dict.fromkeys(r.instrument for r in of_load if r.instrument)),
        max((r.u or 0.0 for r in of_load), default=0.0),
    )


def _room_level(read: Sequence[float], protocols: Sequence[Protocol | None]) -> float | None:
    """Level of the room: as it was read, else as the protocol has it."""
    if read:
        return level_mean(read)
    return next((p.room_noise_db for p in protocols if p is not None and p.room_noise_db is not None), None)


def _surfaces(book: BookPoints, runs: Sequence[RunPoint], chip_c: float | None) -> tuple[Surface, ...]:
    """The hottest reading or settled log of each place, beside the room of its run."""
    found: dict[str, Surface] = {}
    for p in runs:
        read = [
            (r.place or "case", max(r.value, r.high or r.value), r.u or 0.0)
            for r in book.readings.get(p.run.id, ())
            if r.quantity is Quantity.SURFACE and not r.at_rest
        ]
        for place, value, u in [*read, *((place, value, 0.0) for place, value in p.digest.surfaces.items())]:
            touch = judge_touch(value, MATERIALS.get(place, Material.PLASTIC), p.run.ambient_c, chip_c)
            if place not in found or touch.temp_c > found[place].touch.temp_c:
                found[place] = Surface(place, touch, u)
    return tuple(sorted(found.values(), key=lambda s: -s.touch.temp_c))


def _with_rundown(book: BookPoints, p: RunPoint) -> RunPoint:
    """The run, with a rundown by the charge that was read by hand where its log has none."""
    read = [r for r in book.readings.get(p.run.id, ()) if r.quantity is Quantity.CHARGE]
    if p.digest.rundown is not None or len(read) < LEAST_CHARGES:
        return p
    read.sort(key=lambda r: r.t_s)
    charge = Series("battery.charge", np.array([r.t_s for r in read]), np.array([r.value for r in read]))
    battery = p.device.battery
    try:
        found = judge_rundown(charge, full_wh=battery.full_wh, design_wh=battery.design_wh, by_hand=True)
    except DataError:
        return p
    return replace(p, digest=p.digest.model_copy(update={"rundown": rundown_digest(found)}))


def _wall(points: Sequence[RunPoint]) -> tuple[WallLine | None, tuple[Note, ...]]:
    found = wall_draws(points)
    named = zip(found, draw_names(found), strict=True)
    try:
        line = wall_line([WallPoint(d.package_w, d.drawn_w, name) for d, name in named])
    except DataError as error:
        return None, (Note("no-wall", tr("No wall line: {reason}.", reason=error.reason)),) if found else ()
    return line, line.notes


def lasting_of(book: BookPoints, device: Device) -> Lasting | None:
    """How long the battery of a device lasts over its package watts; None where that is not known."""
    own = [p for p in book.points if p.run.device_id == device.id and not p.run.void and not p.run.cut_off]
    return _lasting([_with_rundown(book, p) for p in own], device.battery)[0]


def _lasting(points: Sequence[RunPoint], battery: Battery) -> tuple[Lasting | None, tuple[Note, ...]]:
    found = battery_draws(points)
    holds = battery.usable_wh
    if not found:
        return None, ()
    if holds is None:
        return None, (Note("no-capacity", tr("The capacity of the battery is not known, so there are no minutes.")),)
    try:
        line = fit_line(np.array([d.package_w for d in found]), np.array([d.drawn_w for d in found]))
    except DataError as error:
        return None, (
            Note("no-battery-line", tr("No curve of draw over package watts: {reason}.", reason=error.reason)),
        )
    return Lasting(line, holds), ()


def _fan(points: Sequence[RunPoint], readings: Mapping[int, tuple[Reading, ...]]) -> StraightLine | None:
    """Level over lg of the fan's speed, over all runs with both."""
    pairs = []
    for p in points:
        levels = [
            r.value
            for r in readings.get(p.run.id, ())
            if r.quantity is Quantity.NOISE and r.place != ROOM_PLACE and not r.at_rest
        ]
        if levels and p.digest.fan_rpm:
            pairs.append((p.digest.fan_rpm, level_mean(levels)))
    try:
        return fan_line(np.array([s for s, _ in pairs]), np.array([level for _, level in pairs]))
    except DataError:
        return None


def idle_power(points: Sequence[RunPoint]) -> Estimate:
    """What a device draws at the wall at rest, W: of idle runs, else before the loads."""
    idle = [p.digest.wall_w for p in points if p.workload.kind is WorkKind.IDLE and p.digest.wall_w is not None]
    values = idle or [p.digest.idle_wall_w for p in points if p.digest.idle_wall_w is not None]
    values = values or [p.read["wall.power.idle_mean"] for p in points if "wall.power.idle_mean" in p.read]
    if not values:
        return Estimate(float("nan"), float("nan"), "W")
    return Estimate(float(np.mean(values)), float(np.std(values, ddof=1)) if len(values) > 1 else float("nan"), "W")
