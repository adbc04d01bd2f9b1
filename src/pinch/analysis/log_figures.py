"""Everything that a log gives beside its rate and its lows: what each channel came to at rest and under load, and what
its frames and its battery did."""

import math

import numpy as np

from pinch.core.channels import ChannelQuantity, component_of, quantity_of
from pinch.core.figures import SettledState, finite
from pinch.core.judge import Judgement
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.core.sound import level_mean

QUANTITIES = (
    *(ChannelQuantity.POWER, ChannelQuantity.CLOCK, ChannelQuantity.TEMP, ChannelQuantity.LEVEL, ChannelQuantity.LOAD),
    *(ChannelQuantity.SPEED, ChannelQuantity.RATE),
)
ONE_CORE = "cpu.core."
WALL = "wall.power"
LEAST_REST_S = 5.0
"""A log that begins less than this before the load has no rest to speak of."""


def figures_of(log: RunLog, j: Judgement) -> dict[str, float]:
    """The figures by the keys of core/metrics; what cannot be had is left out."""
    found: dict[str, float | None] = {}
    for channel, series in log.series.items():
        quantity = quantity_of(channel)
        if channel.startswith(ONE_CORE) or component_of(channel) is None:
            continue
        if quantity not in QUANTITIES or len(series.t) < 2:
            continue
        settled = j.figures.get(channel)
        if settled is not None and not j.settled.is_whole and quantity is not ChannelQuantity.LEVEL:
            found[f"{channel}.settled"] = finite(settled.sustained.value)
        for phase, values in (("idle", _at_rest(series, j)), ("load", _under_load(series, j))):
            if len(values):
                is_level = quantity is ChannelQuantity.LEVEL
                found[f"{channel}.{phase}_mean"] = level_mean(values) if is_level else float(values.mean())
                found[f"{channel}.{phase}_min"] = float(values.min())
                found[f"{channel}.{phase}_max"] = float(values.max())
    found |= _of_frames(j) | _energy(j)
    return {key: value for key, value in found.items() if value is not None and math.isfinite(value)}


def _at_rest(series: Series, j: Judgement) -> FloatArray:
    before = series.t < j.load_start_s
    if not before.any() or float(np.ptp(series.t[before])) < LEAST_REST_S:
        return np.empty(0)
    return _known(series.values[before])


def _under_load(series: Series, j: Judgement) -> FloatArray:
    return _known(series.values[(series.t > j.load_start_s) & (series.t <= j.load_end_s)])


def _known(values: FloatArray) -> FloatArray:
    return values[np.isfinite(values)]


def _energy(j: Judgement) -> dict[str, float | None]:
    """What a pass of a scene took, Wh: its mean power over the time of all passes, each with the same share."""
    if j.settled.state is not SettledState.SCENE:
        return {}
    hours = j.settled.length_s * j.settled.active_share / 3600.0 / max(1, len(j.known.passes_s))
    powers = {"energy_pass": j.power, "energy_pass_wall": WALL if WALL in j.figures else None}
    return {key: hours * j.figures[channel].sustained.value for key, channel in powers.items() if channel is not None}


def _of_frames(j: Judgement) -> dict[str, float | None]:
    if j.frames is None or j.kinds is None:
        return {}
    return {
        "lowest_1s": j.frames.lowest_1s,
        "highest_1s": j.frames.highest_1s,
        "consistency": j.frames.consistency,
        "stutters": float(j.frames.stutters),
        "shown_fps": j.kinds.shown_fps,
        "dropped": None if j.kinds.dropped is None else 100.0 * j.kinds.dropped.value,
    }
