"""From a log to a judgement: sensors, parts, phases, what held the run back, settled window, figures and limits."""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core import judge_notes, limiter, limits, phases, power_parts, robust, sensors, settle, sustained
from pinch.core.causes import Cause
from pinch.core.channels import quantity_of
from pinch.core.collapse import find_collapse, runs_of
from pinch.core.early_late import EarlyLate, early_late
from pinch.core.errors import DataError
from pinch.core.extent import frames_inside, scene_figures, scene_load, whole_window, with_standstills
from pinch.core.figures import (
    ARGUABLE,
    WHOLE_OFF,
    ChannelFigures,
    Estimate,
    Note,
    Plateau,
    PowerLimits,
    Segment,
    Settled,
    SettledState,
    Span,
    Throttle,
    unknown,
)
from pinch.core.framekinds import FrameKinds, frame_kinds
from pinch.core.framestats import FrameFigures, frame_figures
from pinch.core.heat import Heat, find_heat
from pinch.core.hotcore import HotCore, find_hot_core
from pinch.core.judged_channels import (
    deciding_channel,
    governing_part,
    main_channels,
    signals_of,
)
from pinch.core.known import Known
from pinch.core.levels import Level
from pinch.core.ranges import ChannelRange, find_ranges
from pinch.core.runlog import BoolArray, EvenLog, FloatArray, Gap, RunLog, gaps_of
from pinch.core.sawtooth import Sawtooth, find_sawtooth
from pinch.core.sensor_classes import SensorClasses
from pinch.core.signals import BUSY_LOAD, Signals
from pinch.language import tr

SHORTEST_PAUSE = 5
"""In bins: a shorter dip is no wait between passes."""
AFTER_BURST = 2
"""In bins: after a burst power takes so long to come down."""
LEAST_LEVEL = 6
"""In bins: a level that held for less is a moment."""
PART_FRAMES = "part-frames"
"""Code of the note that frames tell only of a part of the load."""
WHOLE_FRAMES = 0.95
"""Frames that take up this share of the load tell of all of it: single ones at its ends and pauses may be missing."""


class PartJudgement(Struct, frozen=True):
    """A part judged as the whole is, by its own power, clock and temperature: what held it, and what came of it."""

    power: str | None
    clock: str | None
    temp: str | None
    levels: limiter.Levels
    limiters: tuple[Segment, ...]
    limiter_share: Mapping[Cause, float]
    sustained_w: float


class Judgement(Struct, frozen=True):
    """Everything Pinch says about one run. Times are those of the log, s. `figures` are those of what counts: all of a
    scene and of a run too short to settle, else the settled window. `whole_load` are means over all of the load, with
    the faults and standstills that settled figures leave out, and `after_burst` those of what follows the burst.
    `governs` is the part that governs the work, whose clock and temperature stand for the run, and `parts` are the
    others that can be judged."""

    load_start_s: float
    load_end_s: float
    settled: Settled
    figures: Mapping[str, ChannelFigures]
    power: str | None
    clock: str | None
    temp: str | None
    rate: str | None
    limits: PowerLimits
    sawtooth: Sawtooth | None
    limiters: tuple[Segment, ...]
    limiter_share: Mapping[Cause, float]
    throttle: Throttle
    collapses: tuple[Span, ...]
    gaps: tuple[Gap, ...]
    levels: limiter.Levels
    known: Known
    heat: Heat | None
    frames: FrameFigures | None
    kinds: FrameKinds | None
    plateaus: tuple[Plateau, ...]
    hot_core: HotCore | None
    early_late: Mapping[str, EarlyLate]
    whole_load: Mapping[str, float]
    ranges: Mapping[str, ChannelRange]
    sensors: Mapping[str, sensors.SensorModel]
    governs: str
    parts: Mapping[str, PartJudgement]
    after_burst: Mapping[str, float]
    warnings: tuple[Note, ...]

    @property
    def duration_s(self) -> float:
        """Length of the load, s."""
        return self.load_end_s - self.load_start_s

    @property
    def temp_limit_c(self) -> float:
        """The limit of the temperature that stands for the run, °C; NaN where it is another's, or not known."""
        return self.levels.limit_of(self.temp)

    def whole_beside(self, channel: str) -> float:
        """The mean of a channel over all of the load, where that differs from what was held; else NaN."""
        whole, held = self.whole_load.get(channel, float("nan")), self.figures[channel].sustained.value
        differs = not self.settled.is_whole and abs(whole - held) >= WHOLE_OFF * abs(held)
        return whole if differs else float("nan")


def judge(log: RunLog, known: Known | None = None, bin_s: float = 1.0, brief: bool = False) -> Judgement:
    """Judge one run, in bins of a second. Wider ones, and a `brief` judgement without heat and without what figures of
    frames are worth, are quicker: for a look at a run that goes on, or a table of many.

    Raises
    ------
    DataError : the log holds no samples, or none of power, rate, load and clock.
    """
    known = known or Known()
    log, spikes = sensors.cleaned(log)
    whole = power_parts.with_parts(log, known.shares_budget)
    log = whole.log
    even = log.even(bin_s)
    part = governing_part(even)
    power, clock, temp, rate = main_channels(even, part, whole.is_separate)
    deciding = deciding_channel(even, power, clock, rate)
    load = phases.find_load(even, deciding)
    is_scene = known.is_scene
    if is_scene:
        load, log = scene_load(even, load, rate, known.passes_s), frames_inside(log, known.passes_s)
    models = sensors.sensor_models(log, even, spikes, clock)
    signals = signals_of(even, load, part, (power, clock, temp), known)
    lag = round(models[power].lag_s / even.step_s) if power in models else 0
    explained = limiter.explain(limiter.with_lag(signals, lag))
    burst_bins = _burst_bins(explained, signals, lag) if power else None
    levels = limiter.levels_of(explained)
    fault = _faults(signals, explained, explained.regulated.burst_bins + lag, even.step_s)
    usable = _usable(load, fault, is_scene)
    must_settle = tuple(name for name in (power, clock, temp, rate) if name is not None) or (deciding,)
    swinging = signals.clock if clock else signals.power
    tooth = find_sawtooth(swinging[_longest_pass(signals)], even.step_s)
    settled = settle.find_window(even, load, burst_bins or 0, usable, must_settle, tooth, known.window_s)
    held = _figures(even, load, settled, usable, burst_bins, known.sensors)
    kinds = frame_kinds(log, -np.inf, np.inf) if is_scene else frame_kinds(log, *_span(even, load))
    window, figures = _counted(even, load, (settled, held), usable, burst_bins, kinds, known, is_scene)

    causes = list(explained.causes)
    found = limiter.segments(explained, signals, even.starts[load.first : load.last], even.step_s)
    share = limiter.shares(found)
    gaps = _joined(
        _gaps(log, (power, clock, temp, deciding)) + [g for g in _gaps(log, (rate,)) if _at_work(g, even, load)]
    )
    start, end = _span(even, load)
    edges = even.edges[load.first :]
    heat, no_heat = _heat(even, known, power, temp, levels, held, causes) if not brief else (None, ())
    frames, no_frames = _frames(kinds, known, float(load.active.sum()) * even.step_s, brief)
    hot_core = find_hot_core(even, usable & (even.starts >= window.start_s) & (even.starts < window.end_s))
    seen = load.active if known.has_pauses else with_standstills(load)
    collapses = tuple(Span(float(edges[a]), float(edges[b])) for a, b in runs_of(fault))
    return Judgement(
        start,
        end,
        window,
        figures,
        power,
        clock,
        temp,
        rate,
        _limits(signals, explained, held, power, load, burst_bins, even.step_s),
        tooth,
        tuple(found),
        share,
        _throttle(log, found, start),
        collapses,
        gaps,
        levels,
        known,
        heat,
        frames,
        kinds,
        _plateaus(explained, even.starts[load.first : load.last], even.step_s),
        hot_core,
        early_late(even, load, usable, rate or clock or power, (power, clock, rate)),
        _means(even, seen, (power, clock, rate)),
        find_ranges(even, load),
        models,
        part,
        _other_parts(even, load, part, (power, clock, temp), known),
        _means(even, seen & (even.starts >= _after_burst_s(even, load, burst_bins)), (power, clock, rate)),
        (
            *judge_notes.warnings(even, load, power, temp, settled, heat, collapses, gaps, share, is_scene),
            *(judge_notes.scene_words(even, load, temp, burst_bins) if is_scene else ()),
            *judge_notes.unseen(even, clock, rate, hot_core),
            *judge_notes.implausible(even, load, (power, clock, temp)),
            *judge_notes.silent_meters(log),
            *judge_notes.moved_limits(log),
            *judge_notes.untrue(spikes),
            *whole.notes,
            *no_heat,
            *no_frames,
        ),
    )


def _usable(load: phases.Load, fault: BoolArray, is_scene: bool) -> BoolArray:
    """The bins that may enter a figure: at work, and outside faults; those of a scene are a part of it."""
    usable = load.active.copy()
    if not is_scene:
        usable[load.first : load.last] &= ~fault
    return usable


def _burst_bins(e: limiter.Explained, s: Signals, lag: int) -> int | None:
    """Bins to the end of the burst as the power's own channel shows it, None without one that was seen as such."""
    bins = e.regulated.burst_bins
    causes = e.causes[:bins]
    if not bins or causes.count(Cause.BURST_POWER) < 0.5 * sum(c is not Cause.WAITING for c in causes):
        return None
    return min(bins + lag, len(s.power) - 1)


def _plateaus(e: limiter.Explained, starts: FloatArray, step_s: float) -> tuple[Plateau, ...]:
    """The levels of power that held the run, in their order."""
    found = []
    causes = np.array(e.causes, dtype=object)
    for level in e.regulated.levels:
        for kind in (Cause.BURST_POWER, Cause.SUSTAINED_POWER):
            at = np.flatnonzero(level.at & (causes == kind))
            if len(at) >= LEAST_LEVEL:
                found.append(Plateau(float(starts[at[0]]), float(starts[at[-1]] + step_s), level.watts, kind))
    return tuple(sorted(found, key=lambda p: p.start_s))


def _counted(
    even: EvenLog,
    load: phases.Load,
    held: tuple[Settled, Mapping[str, ChannelFigures]],
    usable: BoolArray,
    burst_bins: int | None,
    kinds: FrameKinds | None,
    known: Known,
    is_scene: bool,
) -> tuple[Settled, Mapping[str, ChannelFigures]]:
    """The window that counts with its figures: all of a scene and of a run too short to settle, else what was held."""
    settled, _ = held
    if not is_scene and (settled.state is not SettledState.TOO_SHORT or known.window_s is not None):
        return held
    window = whole_window(even, load, SettledState.SCENE if is_scene else SettledState.TOO_SHORT)
    figures = _figures(even, load, window, usable, burst_bins, known.sensors)
    return window, scene_figures(figures, kinds if is_scene else None)


def _span(even: EvenLog, load: phases.Load) -> tuple[float, float]:
    """From and to of a load, s."""
    return float(even.edges[load.first]) + (1.0 - load.onset) * even.step_s, float(even.edges[load.last])


def _after_burst_s(even: EvenLog, load: phases.Load, burst_bins: int | None) -> float:
    """When the burst is over, s; the start of the load where there was none."""
    return float(even.starts[load.first + (burst_bins or 0)])


def _other_parts(
    even: EvenLog, load: phases.Load, governing: str, main: tuple[str | None, str | None, str | None], known: Known
) -> Mapping[str, PartJudgement]:
    """The part that does not govern, judged by its own channels, where it has a clock or a load of its own and any of
    them is not that of the run."""
    found = {}
    for part in ("cpu", "gpu"):
        power, clock, temp = (
            name if name in even.columns else None for name in (f"{part}.power", f"{part}.clock", f"{part}.temp")
        )
        told = clock is not None and f"{part}.load" in even.columns
        if part == governing or not told or (power, clock, temp) == main:
            continue
        s = signals_of(even, load, part, (power, clock, temp), known)
        s = replace(s, temps={n: t for n, t in s.temps.items() if n == temp}, flags={})
        e = limiter.explain(s)
        segments = limiter.segments(e, s, even.starts[load.first : load.last], even.step_s)
        level, at = _last_level(e)
        watts = float(robust.centre(s.power[at & np.isfinite(s.power)])) if level is not None else float("nan")
        found[part] = PartJudgement(
            power, clock, temp, limiter.levels_of(e), tuple(segments), limiter.shares(segments), watts
        )
    return found


def _faults(s: Signals, e: limiter.Explained, first: int, step_s: float) -> BoolArray:
    """Bins in which power collapsed although there was work and no heat that would cut it; `first` ends the burst."""
    busy, clock = ~(s.load < BUSY_LOAD), s.clock
    if s.part == "gpu" and np.isfinite(s.gpu_load).any():
        busy = np.asarray((s.gpu_load >= BUSY_LOAD) | ~s.active)
    # The last seconds belong to the end of the work, which no log dates exactly.
    busy[-3:] = False
    if np.isfinite(s.load).any():
        clock = np.full(len(clock), np.nan)  # whether there was work is known, so that the clock need not tell
    hot = e.regulated.teeth.bins.copy()
    for ridge in e.regulated.ridges:
        if ridge.score > 0.0 and not ridge.is_skin:
            hot |= ridge.near
    return find_collapse(s.power, clock, busy, hot, first + AFTER_BURST if first else 0, step_s)


def _figures(
    even: EvenLog, load: phases.Load, window: Settled, usable: BoolArray, burst_bins: int | None, sensors: SensorClasses
) -> Mapping[str, ChannelFigures]:
    inside = usable & (even.starts >= window.start_s - 1e-9) & (even.starts < window.end_s - 1e-9)
    first = load.first + (1 if load.onset < 1.0 else 0)
    burst = slice(first, load.first + burst_bins if burst_bins else first + 10)
    if burst.stop <= burst.start:
        burst = slice(load.first, load.first + 1)
    return {
        name: sustained.channel_figures(name, column[inside], column[burst], sensors)
        for name, column in even.columns.items()
        if (quantity := quantity_of(name)) is not None and quantity.in_figures
    }


def _limits(
    s: Signals,
    e: limiter.Explained,
    figures: Mapping[str, ChannelFigures],
    power: str | None,
    load: phases.Load,
    burst_bins: int | None,
    step_s: float,
) -> PowerLimits:
    """The limits in force: sustained is the level that held longest to the end, where power was the limiter there."""
    sustained_limit = unknown("W")
    level, held = _last_level(e)
    if power is not None and level is not None:
        at_limit = s.power[held & np.isfinite(s.power)]
        sustained_limit = Estimate(robust.centre(at_limit), figures[power].sampling_u, "W")
    idle = load.idle if load.channel == power else float("nan")
    near = e.causes[max(0, (burst_bins or 0) - 2) : (burst_bins or 0) + 3]
    ended_by_heat = burst_bins is not None and Cause.HEAT in near
    return limits.recover_limits(s.power, burst_bins, load.onset, idle, sustained_limit, step_s, ended_by_heat)


def _last_level(e: limiter.Explained) -> tuple[Level | None, BoolArray]:
    """The limit on power that held longest to the end, and the bins it held."""
    held = np.array([c is Cause.SUSTAINED_POWER for c in e.causes])
    best, best_at, latest = None, held, -1
    for level in e.regulated.levels:
        at = held & level.at & (e.p >= ARGUABLE)
        if level is not e.regulated.burst and at.sum() >= LEAST_LEVEL:
            last = int(np.flatnonzero(at)[-1])
            if last > latest:
                best, best_at, latest = level, at, last
    return best, best_at


def _heat(
    even: EvenLog,
    known: Known,
    power: str | None,
    temp: str | None,
    levels: limiter.Levels,
    figures: Mapping[str, ChannelFigures],
    causes: list[Cause],
) -> tuple[Heat | None, tuple[Note, ...]]:
    """The heat of the run with its notes; None and why where it cannot be had."""
    if power is None or temp is None:
        return None, ()
    last = causes[-max(1, len(causes) // 5) :]
    settled = figures[temp].sustained.value, figures[power].sustained.value
    try:
        pinned = last.count(Cause.HEAT) > 0.5 * len(last)
        heat = find_heat(even, power, temp, known.ambient_c, levels.limit_of(temp), *settled, pinned, known.sensors)
    except DataError as error:
        return None, (Note("no-heat", tr("Heat cannot be told: {reason}.", reason=error.reason)),)
    return heat, heat.notes


def _frames(
    kinds: FrameKinds | None, known: Known, load_s: float, brief: bool
) -> tuple[FrameFigures | None, tuple[Note, ...]]:
    """The figures of the drawn frames with their notes; `load_s` is how long there was work."""
    if kinds is None:
        return None, ()
    figures, notes = frame_figures(kinds.drawn_ms, not brief), list[Note]()
    if figures.duration_s < WHOLE_FRAMES * load_s:
        first, last = float(kinds.ends_s[0] - kinds.drawn_ms[0] / 1000.0), float(kinds.ends_s[-1])
        share = 100.0 * figures.duration_s / load_s
        words = tr(
            "Frames were logged for {share:.0f} % of the load only, from {first:.0f} s to {last:.0f} s; all figures",
            share=share,
            first=first,
            last=last,
        )
        notes.append(Note(PART_FRAMES, tr("{words} of frames speak of that part.", words=words)))
    notes += kinds.notes
    if known.first_pass and figures.stutters:
        words = tr(
            "First run of this work here: stutters may be of shaders that are built once. Compare with a repeat."
        )
        notes.append(Note("first-pass", words))
    return figures, (*figures.notes, *notes)


def _means(even: EvenLog, bins: BoolArray, channels: tuple[str | None, ...]) -> Mapping[str, float]:
    """Means over these seconds, NaN where none of them was logged."""
    found = {}
    for name in channels:
        if name is not None:
            values = even.columns[name][bins]
            known = values[np.isfinite(values)]
            found[name] = float(known.mean()) if len(known) else float("nan")
    return found


def _throttle(log: RunLog, found: list[Segment], load_start: float) -> Throttle:
    heat = [s for s in found if s.cause is Cause.HEAT]
    first = heat[0].start_s - load_start if heat else float("nan")
    counter = log.series.get("cpu.throttle.count")
    if counter is not None and len(counter.values) > 1:
        counted = np.diff(counter.values)
        return Throttle(max(first, 0.0), int(counted[counted > 0].sum()))
    return Throttle(max(first, 0.0), len(heat))


def _longest_pass(signals: Signals) -> slice:
    """The longest stretch of load without a wait: passes that follow each other swing as well, but are no saw-tooth."""
    at_work = signals.active.copy()
    for a, b in runs_of(~at_work):
        at_work[a:b] = b - a < SHORTEST_PAUSE
    stretches = runs_of(at_work)
    return slice(*max(stretches, key=lambda run: run[1] - run[0])) if stretches else slice(0, 0)


def _at_work(gap: Gap, even: EvenLog, load: phases.Load) -> bool:
    """Whether work went on in a gap: between passes there is no rate of work, and none is missing."""
    inside = (even.starts >= gap.start_s) & (even.starts < gap.end_s)
    return bool(load.active[inside].mean() > 0.5) if inside.any() else True


def _gaps(log: RunLog, channels: tuple[str | None, ...]) -> list[Gap]:
    """Gaps of channels."""
    return [gap for name in dict.fromkeys(channels) if name for gap in gaps_of(log.series[name])]


def _joined(gaps: list[Gap]) -> tuple[Gap, ...]:
    """Gaps in order, overlapping ones joined."""
    joined: list[Gap] = []
    for gap in sorted(gaps, key=lambda gap: gap.start_s):
        if joined and gap.start_s < joined[-1].end_s:
            joined[-1] = Gap(joined[-1].start_s, max(gap.end_s, joined[-1].end_s))
        else:
            joined.append(gap)
    return tuple(joined)
