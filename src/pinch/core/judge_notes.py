"""The notes of a judgement: what a log cannot show, and what in it is to be read with care."""

from collections.abc import Mapping

import numpy as np

from pinch.core import phases, settle
from pinch.core.causes import Cause
from pinch.core.channels import component_of, is_plausible, unit_of
from pinch.core.figures import Note, Settled, SettledState, Span
from pinch.core.frames import FRAME_RATE
from pinch.core.heat import Heat
from pinch.core.hotcore import HIDDEN_K, HotCore
from pinch.core.printing import more_minutes, plain
from pinch.core.runlog import EvenLog, Gap, RunLog, gaps_of
from pinch.language import tr

LIMIT = "limit"
"""Begins the last part of the name of a channel of a limit in force."""
MOST_MOVES = 3
SCENE_ENDS = 5
"""Seconds at either end of a scene that tell how warm it began and ended."""
IDLE_LOAD = 15.0
"""Common practice, no source."""
MOST_OWN_COST = 1.0
"""Cost of the probe in % of a core above which it may disturb what it measures. Common practice, no source."""


def implausible(even: EvenLog, load: phases.Load, channels: tuple[str | None, ...]) -> list[Note]:
    """Values that can hardly be in the unit of their channel, and a log that shows no work."""
    found = []
    for name in channels:
        if name is None:
            continue
        low, high = float(np.nanmin(even.columns[name])), float(np.nanmax(even.columns[name]))
        if not is_plausible(name, low, high):
            words = tr(
                "{name} shows {low} to {high} {unit_of}",
                name=name,
                low=plain(low),
                high=plain(high),
                unit_of=unit_of(name),
            )
            found.append(Note("implausible", tr("{words}: is it in another unit, or a broken sensor?", words=words)))
    busy = even.columns.get("cpu.load")
    if not np.isfinite(load.idle) and busy is not None and float(np.nanmedian(busy)) < IDLE_LOAD:
        found.append(
            Note("all-idle", tr("The processor had nothing to do in all of this log: there is no load to judge."))
        )
    return found


def unseen(even: EvenLog, clock: str | None, rate: str | None, hot_core: HotCore | None) -> list[Note]:
    """What this log cannot show, and a core that its mean hides."""
    found = []
    if clock is None:
        found.append(Note("no-clock", tr("No clock was logged: a clock ceiling cannot be seen.")))
    if rate == FRAME_RATE and "gpu.load" not in even.columns:
        words = tr("How busy graphics were was not logged: a graphics bound cannot be told from waiting.")
        found.append(Note("no-gpu-load", words))
    if hot_core is not None and hot_core.above_k >= HIDDEN_K:
        words = tr(
            "Core {number} is {above_k:.0f} K above the mean of {cores} cores.",
            number=hot_core.number,
            above_k=hot_core.above_k,
            cores=hot_core.cores,
        )
        found.append(Note("hot-core", words))
    return found


def scene_words(even: EvenLog, load: phases.Load, temp: str | None, burst_bins: int | None) -> list[Note]:
    """How long a scene was, how much of it was burst, and how warm it began."""
    seconds = float(load.active.sum()) * even.step_s
    words = tr("All {seconds:.0f} s of the scene count", seconds=seconds)
    if burst_bins:
        words += tr(", {burst_bins:.0f} % of it burst", burst_bins=100.0 * burst_bins * even.step_s / seconds)
    values = even.columns[temp][load.active] if temp else np.empty(0)
    values = values[np.isfinite(values)]
    if len(values) >= 2 * SCENE_ENDS:
        early, late = float(values[:SCENE_ENDS].mean()), float(values[-SCENE_ENDS:].mean())
        if late - early > settle.DRIFT_K:
            words += tr("; it began at {early:.0f} °C and ended at {late:.0f} °C", early=early, late=late)
    return [Note("scene", tr("{words}. What is sustained it does not tell.", words=words))]


def untrue(spikes: Mapping[str, int]) -> list[Note]:
    """Values of sensors that cannot be true."""
    return [
        Note(
            "spikes",
            tr(
                "{count} value{what} of {name} cannot be true (zeros or spikes): not used.",
                count=count,
                what=tr("s") if count > 1 else "",
                name=name,
            ),
        )
        for name, count in spikes.items()
    ]


def moved_limits(log: RunLog) -> list[Note]:
    """Limits in force, as the machine tells them, that were another during the log."""
    found = []
    for series in (s for name, s in log.series.items() if name.rpartition(".")[2].startswith(LIMIT)):
        told = np.isfinite(series.values)
        t, values = series.t[told], series.values[told]
        moves = np.flatnonzero(np.diff(values)) + 1
        if not len(moves):
            continue
        unit = unit_of(series.channel)
        steps = [
            tr("{values} {unit} from {t:.0f} s", values=plain(values[at]), unit=unit, t=t[at])
            for at in moves[:MOST_MOVES]
        ]
        more = tr(" and {moves} times more", moves=len(moves) - MOST_MOVES) if len(moves) > MOST_MOVES else ""
        words = tr(
            "{channel} was {values} {unit} at first, {steps}{more}",
            channel=series.channel,
            values=plain(values[0]),
            unit=unit,
            steps=", ".join(steps),
            more=more,
        )
        found.append(
            Note("limit-moved", tr("A limit was moved during the run, as the machine tells it: {words}.", words=words))
        )
    return found


def silent_meters(log: RunLog) -> list[Note]:
    """Gaps of the meters beside the computer's own sensors."""
    meters = [s for name, s in log.series.items() if (c := component_of(name)) and c.is_meter and len(s.t)]
    return [
        Note(
            "meter-gap",
            tr(
                "{channel} was not told from {start_s:.0f} s to {end_s:.0f} s.",
                channel=s.channel,
                start_s=g.start_s,
                end_s=g.end_s,
            ),
        )
        for s in meters
        for g in gaps_of(s)
    ]


def warnings(
    even: EvenLog,
    load: phases.Load,
    power: str | None,
    temp: str | None,
    window: Settled,
    heat: Heat | None,
    collapses: tuple[Span, ...],
    gaps: tuple[Gap, ...],
    share: Mapping[Cause, float],
    is_scene: bool,
) -> list[Note]:
    """What limits a judgement: channels that are missing, gaps, faults, a window that is not settled."""
    result = []
    if power is None:
        result.append(Note("no-power", tr("No package power was logged: limits by power cannot be seen.")))
    if temp is None:
        result.append(Note("no-temp", tr("No temperature was logged: limits by heat cannot be seen.")))
    if not np.isfinite(load.idle):
        result.append(Note("no-idle", tr("The log begins under load: the burst window cannot be worked out.")))
    if not is_scene:
        result += _window_words(window, temp, heat)
    result += [
        Note(
            "gap",
            tr(
                "Nothing was logged from {start_s:.0f} s to {end_s:.0f} s; no mean spans it.",
                start_s=g.start_s,
                end_s=g.end_s,
            ),
        )
        for g in gaps
    ]
    if collapses:
        lost = sum(c.end_s - c.start_s for c in collapses)
        times = tr("once") if len(collapses) == 1 else tr("{collapses} times", collapses=len(collapses))
        where = tr(
            "Power collapsed {times}, first at {start_s:.0f} s, for {lost:.0f} s in all",
            times=times,
            start_s=collapses[0].start_s,
            lost=lost,
        )
        result.append(
            Note(
                "collapse",
                tr(
                    "{where}: a fault, {what} the figures.",
                    where=where,
                    what=tr("in") if is_scene else tr("left out of"),
                ),
            )
        )
    cost = even.columns.get("probe.load")
    if cost is not None and np.isfinite(cost).any() and (mean := float(np.nanmean(cost))) > MOST_OWN_COST:
        words = tr(
            "Reading the sensors took {mean:.1f} % of a core: what is measured may be disturbed by it.", mean=mean
        )
        result.append(Note("own-cost", words))
    if share.get(Cause.UNKNOWN, 0.0) > 0.5:
        result.append(Note("unknown-limiter", tr("For most of the load nothing in the log explains the speed.")))
    return result


def _window_words(window: Settled, temp: str | None, heat: Heat | None) -> list[Note]:
    """What is to be known of a settled window."""
    result = []
    if window.decided_by == settle.BY_HAND:
        result.append(Note("window-by-hand", tr("The settled window was chosen by hand.")))
    if window.state is SettledState.TOO_SHORT:
        words = tr("Only {length_s:.0f} s are left to settle in", length_s=window.length_s)
        whole = "" if window.decided_by == settle.BY_HAND else tr(": the figures are of all of the load")
        result.append(
            Note("too-short", tr("{words}{whole}. Run longer for what is sustained.", words=words, whole=whole))
        )
    if window.state is SettledState.DRIFTING:
        what = ", ".join(window.drifting)
        leads = ""
        if temp in window.drifting and heat is not None and heat.more_s > 0.0:
            leads = tr(
                " It leads to {end_c:.1f} °C; needs {more_minutes}.",
                end_c=heat.end_c,
                more_minutes=more_minutes(heat.more_s),
            )
        result.append(
            Note(
                "drifting", tr("Not settled: {what} still drifts at the end of the run.{leads}", what=what, leads=leads)
            )
        )
    return result
