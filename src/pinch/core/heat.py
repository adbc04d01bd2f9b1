"""What the cooler carries: thermal resistance from the whole record, headroom, coolable power, the same at 25 °C, and
for a run that had not settled where it leads and how long that takes.

T(t) = T_room + Σ Rᵢ·(hᵢ∗P)(t), fitted by `core.cooling` with the measured power. Without a room temperature the base is
fitted, too, and coolable power cannot be told for any room but this one.
"""

import math

import numpy as np
from msgspec import Struct

from pinch.core.budget import added
from pinch.core.changepoint import best_split
from pinch.core.cooling import HeatFit, fit_heat, time_to_steady_s
from pinch.core.figures import Contribution, Estimate, Note, unknown
from pinch.core.robust import RECTANGLE, step_of
from pinch.core.runlog import EvenLog, FloatArray
from pinch.core.sensor_classes import SensorClasses
from pinch.language import tr

NORMAL_C = 25.0
MOST_BINS = 4000
FAN_STEP, FAN_ABRUPT_S, LEAST_PART_S = 0.15, 10.0, 180.0
WITHIN_K = 1.0
"""A temperature this near to where it leads counts as arrived."""
MEASURE_S = 60.0
COOL_WITHIN_K = 2.0
VAGUE = 0.1
OFFSET_SEEN, OFFSET_K = 2.0, 1.0
"""Standard uncertainties and K by which room and sensor disagree before it is said."""


class Heat(Struct, frozen=True):
    """Heat of one run. `fit` is on bins of `step_s` from `start_s` of the log to `end_s`; `r_th` the whole resistance
    K/W; `headroom_k` limit less settled temperature; `coolable_w` what it carries at the limit in this room and
    `coolable_25_w` in one of 25 °C; `normal_c` the settled temperature at 25 °C, unknown where heat held it there;
    `end_c` where the temperature leads at the last minute's power, `more_s` the time until it is there and measured;
    `cool_down_s` the time after the load until it is within 2 K of rest; `r_parts` are what the uncertainty of the
    resistance is made of. Unknown or NaN where it cannot be had."""

    fit: HeatFit
    start_s: float
    end_s: float
    step_s: float
    power_w: FloatArray
    temp_c: FloatArray
    r_th: Estimate
    offset_fitted: bool
    room_c: float
    limit_c: float
    headroom_k: float
    coolable_w: Estimate
    coolable_25_w: Estimate
    normal_c: float
    end_c: float
    more_s: float
    cool_down_s: float
    r_parts: tuple[Contribution, ...] = ()
    notes: tuple[Note, ...] = ()

    @property
    def tau_s(self) -> tuple[float, ...]:
        """The time constants, s, fastest first."""
        return tuple(float(x) for x in self.fit.tau)


def find_heat(
    even: EvenLog,
    power: str,
    temp: str,
    ambient_c: float | None,
    limit_c: float,
    settled_c: float,
    settled_w: float,
    heat_limited: bool,
    sensors: SensorClasses | None = None,
) -> Heat:
    """Fit the heat of a run.

    Parameters
    ----------
    even : the log in even bins; `power` and `temp` name its channels.
    ambient_c : the room, None where it is not known; then a room channel of the log, else a fitted base.
    limit_c, settled_c, settled_w : temperature limit, settled temperature and power; NaN where unknown.
    heat_limited : whether heat held the run at its end, so that its temperature is pinned.
    sensors : how far they may be off.

    Raises
    ------
    DataError : the record is too short, or does not change.
    """
    room = _room(even) if ambient_c is None else ambient_c
    first, last, notes = _one_fan(even)
    fold = max(1, -(-(last - first) // MOST_BINS))
    t, watts, degrees = (_folded(x[first:last], fold) for x in (even.starts, even.columns[power], even.columns[temp]))
    sensors = sensors or SensorClasses()
    of_room = sensors.of("ambient.temp", room) if ambient_c is None and room is not None else sensors.room_k
    offset_u = math.hypot(sensors.temp_k, of_room)
    fit = fit_heat(t, watts, degrees, room, offset_u)
    step = fold * even.step_s
    budget = added(
        fit.r_th,
        "K/W",
        {
            tr("samples and fit"): fit.r_fit_u,
            tr("room and temperature sensor"): math.sqrt(max(0.0, fit.r_th_u**2 - fit.r_fit_u**2)),
            tr("power sensor"): sensors.share_of(power, float(np.nanmax(watts))) * fit.r_th,
            tr("steps of both"): _steps_u(fit.r_th, watts, degrees),
        },
    )
    r_th = budget.result
    end, more = _where_it_leads(fit, watts, step)
    idle_w = float(np.nanpercentile(watts, 2))
    known_room = fit.base_c if room is None else room
    if r_th.u > VAGUE * fit.r_th:
        notes.append(Note("heat-vague", tr("The resistance is known to ± {u:.0f} % only.", u=100 * r_th.u / fit.r_th)))
    if abs(fit.offset_k) > max(OFFSET_SEEN * offset_u, OFFSET_K):
        words = tr(
            "At rest the temperature is {offset_k:+.1f} K off what the room of {room:.1f} °C makes of it",
            offset_k=fit.offset_k,
            room=room,
        )
        words = tr("{words}: the sensor, the room as noted, or power that was not logged.", words=words).replace(
            "-", "−"
        )
        notes.append(Note("temp-offset", words))
    if room is None:
        words = tr(
            "Nobody noted the room: a base of {base_c:.1f} °C is fitted, and nothing is said of other rooms.",
            base_c=fit.base_c,
        )
        notes.append(Note("no-ambient", words))
    return Heat(
        fit,
        float(t[0]),
        float(t[-1] + step),
        step,
        watts,
        degrees,
        r_th,
        room is None,
        known_room,
        limit_c,
        limit_c - settled_c,
        _coolable(limit_c, fit.base_c, r_th),
        unknown("W") if room is None else _coolable(limit_c, NORMAL_C + fit.offset_k, r_th),
        math.nan if heat_limited or room is None else settled_c + NORMAL_C - room,
        end,
        more,
        fit.cool_down_s(settled_w, idle_w, COOL_WITHIN_K) if math.isfinite(settled_w) else math.nan,
        budget.parts,
        tuple(notes),
    )


def _steps_u(r_th: float, watts: FloatArray, degrees: FloatArray) -> float:
    """What the steps in which both are shown may make of the resistance, by how far both went."""
    found = 0.0
    for values in (degrees, watts):
        known = values[np.isfinite(values)]
        low, high = np.percentile(known, [2, 98])
        if high > low:
            found += (step_of(known) / RECTANGLE / float(high - low) * r_th) ** 2
    return math.sqrt(found)


def _room(even: EvenLog) -> float | None:
    column = even.columns.get("ambient.temp")
    return None if column is None or not np.isfinite(column).any() else float(np.nanmean(column))


def _coolable(limit_c: float, room_c: float, r_th: Estimate) -> Estimate:
    """(T_limit − T_room) / R_th, W."""
    if not math.isfinite(limit_c) or r_th.value <= 0.0:
        return unknown("W")
    watts = (limit_c - room_c) / r_th.value
    return Estimate(watts, watts * r_th.u / r_th.value, "W")


def _where_it_leads(fit: HeatFit, watts: FloatArray, step_s: float) -> tuple[float, float]:
    """Temperature at the end of endless time at the last minute's power, °C, and how long it still takes, s."""
    last = watts[-max(1, round(60.0 / step_s)) :]
    last = last[np.isfinite(last)]
    if not len(last):
        return math.nan, math.nan
    left = time_to_steady_s(fit, watts, step_s, WITHIN_K)
    return fit.base_c + fit.r_th * float(last.mean()), left + MEASURE_S if left > 0.0 else 0.0


def _one_fan(even: EvenLog) -> tuple[int, int, list[Note]]:
    """The longest part of the record in which the fan was not switched: first and last bin (exclusive)."""
    whole = 0, len(even.starts)
    fans = [c for name, c in even.columns.items() if name.startswith("fan.") and name.endswith(".speed")]
    if not fans or not np.isfinite(fans[0]).all() or len(fans[0]) * even.step_s < 2 * LEAST_PART_S:
        return *whole, []
    speed, margin = fans[0], int(LEAST_PART_S / even.step_s)
    at = best_split(speed, margin).index
    near = max(2, int(FAN_ABRUPT_S / even.step_s))
    before, after = float(np.median(speed[at - near : at])), float(np.median(speed[at : at + near]))
    if abs(after - before) < FAN_STEP * max(before, after) or np.ptp(speed[at - 1 : at + 2]) < 0.5 * abs(
        after - before
    ):
        return *whole, []
    words = tr(
        "The fan went from {before:.0f} to {after:.0f} rpm at {starts:.0f} s; the longer part is fitted.",
        before=before,
        after=after,
        starts=even.starts[at],
    )
    part = (at, len(speed)) if len(speed) - at >= at else (0, at)
    return *part, [Note("fan-changed", words)]


def _folded(values: FloatArray, fold: int) -> FloatArray:
    """Means of (n,) values over `fold` bins each; the first value where it is a time that goes up."""
    count = len(values) // fold
    part = values[: count * fold].reshape(count, fold)
    known = np.isfinite(part)
    sums = np.where(known, part, 0.0).sum(axis=1)
    return np.where(known.any(axis=1), sums / np.maximum(known.sum(axis=1), 1), np.nan)
