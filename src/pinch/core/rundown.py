"""A battery run down, or part of it: what it draws by its charge and by its power, and how long a full one lasts."""

import math
from itertools import pairwise

import numpy as np
from msgspec import Struct

from pinch.core.energy import energy_of
from pinch.core.errors import DataError
from pinch.core.figures import Estimate, Note
from pinch.core.line import fit_line
from pinch.core.robust import step_of
from pinch.core.runlog import FloatArray, Series, breaks_of
from pinch.language import tr

AGREE = 0.05
CHARGING_W, RISE = -0.2, 0.5
BLOCKS = 24
LEAST_DROP = 5.0
"""Percent of charge below which a part rundown says little."""


class Rundown(Struct, frozen=True):
    """`from_charge` to `to_charge` in % over `hours` of running (gaps and charging left out). `draw_w` is by the fall
    of the energy, `power_w` the mean of the power that was logged. `runtime_h` is of a full battery as it is now; NaN
    inside an estimate where a figure cannot be had. `sag` is the rate of work in the last third of the charge over the
    first."""

    from_charge: float
    to_charge: float
    hours: float
    drop_wh: float
    draw_w: Estimate
    power_w: Estimate
    runtime_h: Estimate
    runtime_factor: float
    minutes_per_wh: float
    wear: float
    sag: float
    notes: tuple[Note, ...]

    @property
    def runtime_interval(self) -> tuple[float, float]:
        """95 % interval of the runtime, h."""
        reach = self.runtime_factor * self.runtime_h.u
        return self.runtime_h.value - reach, self.runtime_h.value + reach


class _Stretch(Struct, frozen=True):
    """A stretch of discharge: where it begins and ends in the samples."""

    start: int
    end: int


def judge_rundown(
    charge: Series,
    energy: Series | None = None,
    power: Series | None = None,
    rate: Series | None = None,
    full_wh: float | None = None,
    design_wh: float | None = None,
    by_hand: bool = False,
) -> Rundown:
    """What a rundown says.

    Parameters
    ----------
    charge : %, of the battery.
    energy : Wh left, where the battery tells it.
    power : W drawn, positive while it discharges.
    rate : the work done each second.
    full_wh, design_wh : what it holds now, and by design.
    by_hand : the charge was read now and then, so that no time between two readings is a gap.

    Raises
    ------
    DataError : there are fewer than two values, or the charge never falls.
    """
    if len(charge.t) < 2:
        raise DataError("rundown", tr("there are {t} values of the charge", t=len(charge.t)))
    notes: list[Note] = []
    stretches = _stretches(charge, power, notes, by_hand)
    hours = sum(charge.t[s.end] - charge.t[s.start] for s in stretches) / 3600.0
    fallen = sum(charge.values[s.start] - charge.values[s.end] for s in stretches)
    if not stretches or fallen <= 0 or hours <= 0:
        raise DataError("rundown", tr("the charge does not fall"))
    if fallen < LEAST_DROP:
        notes.append(
            Note("short-rundown", tr("Only {fallen:.1f} % of the charge was used: run longer.", fallen=fallen))
        )
    capacity = full_wh or design_wh
    drop = _drop_wh(charge, energy, stretches, fallen, capacity)
    if not math.isfinite(drop.value):
        notes.append(
            Note("no-capacity", tr("Neither the energy left nor the capacity is known, so there are no watts."))
        )
    draw = Estimate(drop.value / hours, drop.u / hours, "W")
    by_power = _by_power(power, charge, stretches)
    if by_power.known and draw.known and abs(by_power.value / draw.value - 1.0) > AGREE:
        both = tr(
            "The energy fell by {draw:.1f} W, the power says {by_power:.1f} W", draw=draw.value, by_power=by_power.value
        )
        notes.append(Note("disagree", tr("{both}: they differ by more than 5 %.", both=both)))
    runtime, factor = _runtime(charge, stretches)
    return Rundown(
        float(charge.values[stretches[0].start]),
        float(charge.values[stretches[-1].end]),
        float(hours),
        drop.value,
        draw,
        by_power,
        runtime,
        factor,
        60.0 / draw.value,
        1.0 - full_wh / design_wh if full_wh and design_wh else math.nan,
        _sag(charge, rate),
        tuple(notes),
    )


def _stretches(charge: Series, power: Series | None, notes: list[Note], by_hand: bool) -> list[_Stretch]:
    """Stretches in which it discharged: without gaps, rising charge, or power that flows in."""
    t, values = charge.t, charge.values
    gap = breaks_of(t) & (not by_hand)
    rise = _rising(values)
    inward = np.zeros(len(t) - 1, dtype=bool)
    if power is not None and len(power.t):
        inward = np.interp(t[1:], power.t, power.values) < CHARGING_W
    if gap.any():
        slept = float(np.diff(t)[gap].sum())
        notes.append(
            Note(
                "suspended",
                tr("{slept:.0f} min are missing: it slept or the log broke; they are left out.", slept=slept / 60),
            )
        )
    if rise.any() or inward.any():
        notes.append(Note("charging", tr("The battery was charged meanwhile; that time is left out.")))
    broken = np.flatnonzero(gap | rise | inward)
    edges = np.concatenate([[-1], broken, [len(t) - 1]])
    return [_Stretch(int(a) + 1, int(b)) for a, b in pairwise(edges) if b > a + 1]


def _rising(values: FloatArray) -> np.ndarray:
    """The steps of stretches in which the charge does not fall and gains more than `RISE`, (n − 1,)."""
    steps = np.diff(values)
    up = steps >= 0.0
    starts = np.flatnonzero(up & ~np.append(False, up[:-1]))
    ends = np.flatnonzero(up & ~np.append(up[1:], False))
    found = np.zeros(len(steps), dtype=bool)
    for a, b in zip(starts, ends, strict=True):
        found[a : b + 1] = values[b + 1] - values[a] > RISE
    return found


def _drop_wh(
    charge: Series, energy: Series | None, stretches: list[_Stretch], fallen: float, capacity: float | None
) -> Estimate:
    if energy is not None and len(energy.t) > 1:
        edges = [(charge.t[s.start], charge.t[s.end]) for s in stretches]
        drop = sum(
            float(np.interp(a, energy.t, energy.values) - np.interp(b, energy.t, energy.values)) for a, b in edges
        )
        step = step_of(energy.values) or 0.0
        return Estimate(drop, step * math.sqrt(2.0 * len(stretches) / 12.0), "Wh")
    if capacity is None:
        return Estimate(math.nan, math.nan, "Wh")
    step = step_of(charge.values)
    return Estimate(fallen * capacity / 100.0, step * math.sqrt(2.0 * len(stretches) / 12.0) * capacity / 100.0, "Wh")


def _by_power(power: Series | None, charge: Series, stretches: list[_Stretch]) -> Estimate:
    if power is None or len(power.t) < 2:
        return Estimate(math.nan, math.nan, "W")
    joules = seconds = 0.0
    for s in stretches:
        inside = (power.t >= charge.t[s.start]) & (power.t <= charge.t[s.end])
        part = energy_of(power.t[inside], power.values[inside])
        joules, seconds = joules + part.joules, seconds + part.covered_s
    return Estimate(joules / seconds if seconds else math.nan, math.nan, "W")


def _runtime(charge: Series, stretches: list[_Stretch]) -> tuple[Estimate, float]:
    """Hours of a full battery by the slope of the charge over the time that it ran, with Student's factor. A charge
    that falls in steps is taken where each step begins: in between it tells nothing."""
    ran, levels = _while_running(charge, stretches)
    if step_of(levels):
        first = np.flatnonzero(np.append(True, np.diff(levels) != 0))[1:]
    else:
        first = np.unique(np.linspace(0, len(ran) - 1, BLOCKS).astype(int))
    try:
        line = fit_line(ran[first] / 3600.0, levels[first])
    except DataError:
        return Estimate(math.nan, math.nan, "h"), math.nan
    if line.slope >= 0:
        return Estimate(math.nan, math.nan, "h"), math.nan
    hours = -100.0 / line.slope
    return Estimate(hours, hours * line.u_slope / -line.slope, "h"), line.factor


def _while_running(charge: Series, stretches: list[_Stretch]) -> tuple[FloatArray, FloatArray]:
    """Time and charge of the stretches laid end to end, so that what was left out neither takes time nor charge."""
    times: list[FloatArray] = []
    values: list[FloatArray] = []
    at = level = 0.0
    for s in stretches:
        t, v = charge.t[s.start : s.end + 1], charge.values[s.start : s.end + 1]
        shift = level - float(v[0]) if values else 0.0
        times.append(t - t[0] + at)
        values.append(v + shift)
        at, level = float(times[-1][-1]), float(values[-1][-1])
    return np.concatenate(times), np.concatenate(values)


def _sag(charge: Series, rate: Series | None) -> float:
    """Rate of work in the last third of the charge over that in the first; NaN without a rate or with too little
    fall."""
    if rate is None or len(rate.t) < 2:
        return math.nan
    level = np.interp(rate.t, charge.t, charge.values)
    high, low = float(level.max()), float(level.min())
    if high - low < 3.0 * LEAST_DROP:
        return math.nan
    first, last = level >= high - (high - low) / 3.0, level <= low + (high - low) / 3.0
    return float(rate.values[last].mean() / rate.values[first].mean())
