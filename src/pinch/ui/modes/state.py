"""What the Modes page shows: the sheet of a device, and power, battery, sound and touch behind it. No Qt."""

import math
from collections.abc import Sequence
from functools import partial

from msgspec.structs import replace

from pinch.analysis.modes import ModeRow, ModesSheet, best_below
from pinch.analysis.points import RunPoint
from pinch.bench.readings import Instrument, place_words
from pinch.core.printing import in_column, plain
from pinch.core.touch import Material, longest_contact
from pinch.language import numeral, tr
from pinch.narrative.explain_modes import (
    explain_minutes,
    explain_mode,
    explain_noise,
    explain_rundown,
    explain_surface,
    explain_wall,
)
from pinch.narrative.mode_words import hours_words
from pinch.ui.table_rows import Explain, TableRow

MODE_COLUMNS = (
    *(
        tr("Setting"),
        "W",
        tr("Burst W"),
        tr("Hold %"),
        tr("GHz"),
        "°C",
        tr("Headroom K"),
        tr("Score"),
        tr("dB(A)"),
        tr("Hottest °C"),
        tr("Wall W"),
    ),
    *(tr("Minutes"), tr("Score/W"), tr("Marks")),
)
WALL_COLUMNS = (
    tr("Setting"),
    tr("Claimed W"),
    tr("Package W"),
    tr("Wall W"),
    tr("Beside the package W"),
    tr("For each of the score"),
    tr("Split"),
)
BATTERY_COLUMNS = (
    tr("Run"),
    tr("Charge %"),
    tr("Draw W"),
    tr("By power W"),
    tr("Full battery"),
    "95 %",
    tr("min/Wh"),
    tr("Kept of mains %"),
    "",
)
SOUND_COLUMNS = (
    tr("Setting"),
    "dB(A)",
    tr("As read"),
    tr("Readings"),
    tr("Distance"),
    tr("Instrument"),
    tr("Score"),
    "",
)
TOUCH_COLUMNS = (tr("Place"), tr("Temperature"), tr("Over the room K"), "At 25 °C", tr("Within its limit when"), "")


FORMS = (".1f", ".1f", ".0f", ".2f", ".0f", ".0f", ".4g", ".1f", ".1f", ".1f", ".0f", ".3g")


def mode_rows(sheet: ModesSheet, instruments: Sequence[Instrument]) -> list[TableRow]:
    """A row a setting."""
    rows = []
    figures = [_values(r) for r in sheet.rows]
    columns = [in_column([own[n] for own in figures], form) for n, form in enumerate(FORMS)]
    for place, (r, values) in enumerate(zip(sheet.rows, figures, strict=True)):
        shown, wall = [column[place] for column in columns], values[9]
        if r.noise and r.noise.corrected and r.noise.corrected.upper_bound:
            shown[7] = f"≤ {shown[7]}"
        if r.wall_w is None and wall is not None:
            shown[9] = f"~ {shown[9]}"
        keys: tuple[float | str, ...] = (
            r.setting.name,
            *(math.nan if v is None else v for v in values),
            ", ".join(r.marks),
        )
        by_column: dict[int, Explain] = {
            8: partial(explain_noise, r),
            9: partial(explain_surface, r.hottest),
            10: partial(explain_wall, sheet, r, instruments),
            11: partial(explain_minutes, sheet, r),
        }
        cells = (r.setting.name, *shown, ", ".join(r.marks))
        rows.append(TableRow(cells, partial(explain_mode, r), by_column, of=r.runs[0].run.id, keys=keys))
    return rows


def _values(r: ModeRow) -> tuple[float | None, ...]:
    """The figures of a setting in the order of the columns."""
    return (
        *(r.power_w, r.burst_w, None if r.hold is None else 100 * r.hold),
        *(None if r.clock_mhz is None else r.clock_mhz / 1000, r.temp_c, r.headroom_k, r.score),
        *(r.noise.level if r.noise else None, r.hottest.touch.temp_c if r.hottest else None),
        *(
            r.wall_w if r.wall_w is not None else r.wall_by_line,
            r.battery_min[0] if r.battery_min else None,
            r.per_watt,
        ),
    )


def wall_rows(sheet: ModesSheet) -> list[TableRow]:
    """Claimed limit, package and wall side by side, and what a unit of work takes."""
    rows = []
    for r in sheet.rows:
        if r.wall_w is None or r.power_w is None:
            continue
        energy = tr("{wall_w} J", wall_w=plain(r.wall_w / r.score)) if r.score else ""
        if r.score and not sheet.workload.higher_is_better:  # the score is times an hour then
            energy = tr("{wall_w} Wh a task", wall_w=plain(r.wall_w / r.score, 3))
        cells = (
            r.setting.name,
            numeral(r.setting.sustained_w, "g") if r.setting.sustained_w else "",
            numeral(r.power_w, ".1f"),
            numeral(r.wall_w, ".1f"),
            numeral(r.wall_w - r.power_w, ".1f"),
            energy,
            _split(r.runs),
        )
        rows.append(TableRow(cells, of=r.runs[0].run.id))
    return rows


def battery_rows(sheet: ModesSheet) -> list[TableRow]:
    """Every rundown, whole or in part."""
    rows = []
    for p in sheet.rundowns:
        d = p.digest.rundown
        assert d is not None
        interval = (
            tr(
                "{low} to {high}",
                low=hours_words(d.low_h),
                high=hours_words(d.high_h),
            )
            if d.low_h is not None
            else ""
        )
        per_wh = numeral(60 / d.draw_w, ".2f") if d.draw_w else ""
        name = f"{p.setting.name}, {p.workload.name}"
        cells = (
            name,
            f"{numeral(d.from_charge, '.0f')} → {numeral(d.to_charge, '.0f')}",
            "" if d.draw_w is None else numeral(d.draw_w, ".1f"),
            "" if d.power_w is None else numeral(d.power_w, ".1f"),
            hours_words(d.runtime_h),
            interval,
            per_wh,
            _kept(sheet, p),
            " ".join(d.notes),
        )
        rows.append(TableRow(cells, partial(explain_rundown, p), of=p.run.id))
    return rows


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
            f"{bound}{numeral(n.level, '.1f')}",
            numeral(n.read, ".1f"),
            str(n.readings),
            ", ".join(tr("{d:g} cm", d=d / 10) for d in n.distances) or tr("not noted"),
            ", ".join(n.instruments),
            f"{plain(r.score)}" if r.score else "",
            tr("the best at or below the limit") if r is best else "",
        )
        rows.append(TableRow(cells, partial(explain_noise, r), of=r.runs[0].run.id, aside=n.level > limit))
    return rows


def touch_rows(row: ModeRow | None, fahrenheit: bool, material: Material | None = None) -> list[TableRow]:
    """The places of a setting, the hottest first, of their usual material or of that which is given."""
    rows = []
    for s in row.surfaces if row else ():
        t = s.touch if material is None else replace(s.touch, longest=longest_contact(s.touch.temp_c, material))
        unit = "°F" if fahrenheit else "°C"
        shown = [_in(x, fahrenheit) for x in (t.temp_c, t.at_25_c)]
        cells = (
            place_words(s.place),
            f"{shown[0]} {unit}",
            "" if t.rise_k is None else numeral(t.rise_k, ".1f"),
            f"{shown[1]} {unit}" if shown[1] else tr("room not known"),
            tr(t.longest) if t.longest else tr("not even a touch"),
            t.question,
        )
        rows.append(TableRow(cells, partial(explain_surface, s)))
    return rows


def _kept(sheet: ModesSheet, p: RunPoint) -> str:
    """The score on battery as a share of that on mains at the same claimed limit."""
    own = next((r for r in sheet.rows if r.setting.id == p.run.setting_id), None)
    mains = [r for r in sheet.rows if r.setting.mains and r.setting.sustained_w == p.setting.sustained_w]
    if own is None or not mains or not own.score or not mains[0].score or p.workload.id != sheet.workload.id:
        return ""
    return numeral(100 * own.score / mains[0].score, ".1f")


def _split(runs: Sequence[RunPoint]) -> str:
    """Processor and graphics of a shared budget, with the time that graphics had left."""
    both = [(p.digest.cpu_w, p.digest.gpu_w, p.digest.gpu_load) for p in runs if p.digest.cpu_w and p.digest.gpu_w]
    if not both:
        return ""
    cpu, gpu, load = both[0]
    left = tr(", {load:.0f} % of its time left", load=100 - load) if load is not None else ""
    return tr("processor {cpu:.1f} W, graphics {gpu:.1f} W{left}", cpu=cpu, gpu=gpu, left=left)


def _in(temp_c: float | None, fahrenheit: bool) -> str:
    if temp_c is None:
        return ""
    return numeral(1.8 * temp_c + 32, ".1f") if fahrenheit else numeral(temp_c, ".1f")
