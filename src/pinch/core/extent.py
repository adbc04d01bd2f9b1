"""What of a run counts: all of a scene, which has a beginning and an end, or the settled window of a soak, which goes
on until somebody stops it. No second of a scene is left out for being slow: its average rate is frames ÷ time.
"""

from collections.abc import Mapping
from enum import StrEnum

import numpy as np
from msgspec.structs import replace

from pinch.core.figures import ALL_OF_IT, ChannelFigures, Settled, SettledState
from pinch.core.framekinds import FrameKinds
from pinch.core.frames import FRAME_RATE
from pinch.core.phases import Load
from pinch.core.runlog import BoolArray, EvenLog, RunLog


class Extent(StrEnum):
    """What of a run counts."""

    SCENE = "scene"
    SOAK = "soak"


def scene_load(even: EvenLog, load: Load, rate: str | None, passes_s: tuple[tuple[float, float], ...]) -> Load:
    """The load of a scene: its passes where they are known, else from the first to the last second with a rate above
    zero, else what `load` says; active in all of it but between passes."""
    middles = even.starts + even.step_s / 2.0
    inside = np.zeros(len(middles), dtype=bool)
    if passes_s:
        for start, end in passes_s:
            inside |= (middles >= start) & (middles < end)
    elif rate is not None:
        worked = np.flatnonzero(even.columns[rate] > 0.0)
        if len(worked):
            inside[worked[0] : worked[-1] + 1] = True
    if not inside.any():
        inside[load.first : load.last] = True
    places = np.flatnonzero(inside)
    first, last = int(places[0]), int(places[-1]) + 1
    return replace(load, first=first, last=last, active=inside, onset=load.onset if first == load.first else 1.0)


def frames_inside(log: RunLog, passes_s: tuple[tuple[float, float], ...]) -> RunLog:
    """The log with those single frames alone that end inside the passes; all of them where no passes are known."""
    if not passes_s:
        return log
    kept = {}
    for name, series in log.series.items():
        if name.startswith("frame."):
            inside = np.zeros(len(series.t), dtype=bool)
            for start, end in passes_s:
                inside |= (series.t > start) & (series.t <= end)
            series = replace(series, t=series.t[inside], values=series.values[inside])
        kept[name] = series
    return RunLog(kept, log.marks)


def whole_window(even: EvenLog, load: Load, state: SettledState) -> Settled:
    """All of a load as the window that figures are taken from."""
    first, last = float(even.edges[load.first]), float(even.edges[load.last])
    return Settled(state, first, last, ALL_OF_IT, active_share=float(np.mean(load.active[load.first : load.last])))


def scene_figures(figures: Mapping[str, ChannelFigures], kinds: FrameKinds | None) -> Mapping[str, ChannelFigures]:
    """Figures of all of a load: nothing of it is called held, and where single frames are known, the rate is how many
    were drawn over the time they took."""
    found = {name: replace(f, hold=float("nan")) for name, f in figures.items()}
    if kinds is not None and FRAME_RATE in found:
        own = found[FRAME_RATE]
        rate = 1000.0 * len(kinds.drawn_ms) / float(kinds.drawn_ms.sum())
        found[FRAME_RATE] = replace(own, sustained=replace(own.sustained, value=rate))
    return found


def with_standstills(load: Load) -> BoolArray:
    """The bins of all of a load of which nobody says that it pauses: in a second without work it stood still."""
    inside = np.zeros(len(load.active), dtype=bool)
    inside[load.first : load.last] = True
    return inside
