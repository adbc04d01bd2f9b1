"""From a log to a judgement: phases, settled window, figures, limits, and what held the run back."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from pinch.core import judge_notes, limiter, limits, phases, robust, settle, sustained
from pinch.core.causes import Cause
from pinch.core.channels import (
    BESIDE_POWER,
    RATES,
    SUSTAINED_POWER,
    TEMPERATURES,
    power_channel,
    quantity_of,
    rate_channel,
    temp_channel,
    unit_of,
)
from pinch.core.collapse import find_collapse, runs_of
from pinch.core.errors import DataError
from pinch.core.extent import Extent, frames_inside, scene_figures, scene_load, whole_window, with_standstills
from pinch.core.figures import (
    ChannelFigures,
    EarlyLate,
    Estimate,
    Note,
    PowerLimits,
    Segment,
    Settled,
    SettledState,
    Span,
    Throttle,
    unknown,
)
from pinch.core.framecap import CAP_SHARE, find_cap
from pinch.core.framekinds import FrameKinds, frame_kinds
from pinch.core.framestats import FrameFigures, frame_figures
from pinch.core.heat import Heat, find_heat
from pinch.core.hotcore import HotCore, find_hot_core
from pinch.core.plateaus import Plateau, find_plateaus
from pinch.core.runlog import BoolArray, EvenLog, FloatArray, Gap, RunLog, gaps_of
from pinch.core.sawtooth import Sawtooth, find_sawtooth

JUDGED = (
    *(*SUSTAINED_POWER, *TEMPERATURES, *RATES, "cpu.clock", "cpu.load", "gpu.load"),
    *("cpu.throttle.heat", "cpu.throttle.power", "cpu.throttle.count"),
)
"""The channels that what holds a run back is judged by; a judgement of these alone names the same causes."""
METHOD = 2
"""Version of the methods: a change that moves figures of the same log raises it."""
SHORTEST_PAUSE, SHORTEST_PASS = 5, 20
"""In bins: a shorter dip is no wait between passes, and a shorter pass shows no burst of its own."""
PART_FRAMES = "part-frames"
"""Code of the note that frames tell only of a part of the load."""
WHOLE_FRAMES = 0.95
"""Frames that take up this share of the load tell of all of it: single ones at its ends and pauses may be missing."""
LONGEST_BURST_S = 180.0
"""A first level that lasts longer is no burst: what comes after it has fallen. Common practice, no source."""
LEAST_HEAT = 0.02
"""Share of the load below which a temperature limit that was only read off this run held nothing back."""
EARLY_S = 300.0
"""What a review calls the first minutes (common practice, no source)."""


@dataclass(frozen=True)
class Known:
    """What the operator knows about the run; None where nobody said. `first_pass`: this work has not run before on this
    device; `window_s` is a settled window that the operator chose, from and to in s of the log. `extent` is what of the
    run counts, `passes_s` are the passes that do, and `waits` says that the work pauses between its passes."""

    temp_limit_c: float | None = None
    clock_ceiling_mhz: float | None = None
    ambient_c: float | None = None
    frame_cap_fps: float | None = None
    first_pass: bool = False
    window_s: tuple[float, float] | None = None
    extent: Extent = Extent.SOAK
    passes_s: tuple[tuple[float, float], ...] = ()
    waits: bool = False

    @property
    def is_scene(self) -> bool:
        """Whether all of the run counts; a window that the operator chose counts before that."""
        return self.extent is Extent.SCENE and self.window_s is None

    @property
    def has_pauses(self) -> bool:
        """Whether seconds without work are pauses between passes; else it stood still in them."""
        return self.is_scene or self.waits


@dataclass(frozen=True)
class Judgement:
    """Everything Pinch says about one run. Times are those of the log, s. `figures` are those of what counts: all of a
    scene and of a run too short to settle, else the settled window. `whole_load` are means over all of the load, with
    the faults and standstills that settled figures leave out, and `after_burst` those of what follows the burst."""

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
    after_burst: Mapping[str, float]
    warnings: tuple[Note, ...]

    @property
    def duration_s(self) -> float:
        """Length of the load, s."""
        return self.load_end_s - self.load_start_s


def judge(log: RunLog, known: Known | None = None) -> Judgement:
    """Judge one run.

    Raises
    ------
    DataError : the log holds no samples, or none of power, rate, load and clock.
    """
    known = known or Known()
    even = log.even(1.0)
    power, clock, temp, rate = _main_channels(even)
    deciding = _deciding(even, power, clock, rate)
    load = phases.find_load(even, deciding)
    is_scene = known.is_scene
    if is_scene:
        load, log = scene_load(even, load, rate, known.passes_s), frames_inside(log, known.passes_s)
    signals = _signals(even, load, power, clock, temp, known.frame_cap_fps)
    burst_bins = phases.find_burst(signals.power[: _first_pause(signals)]) if power else None

    levels = limiter.find_levels(signals, burst_bins or 0, known.temp_limit_c, known.clock_ceiling_mhz)
    fault = _faults(signals, levels, burst_bins or 0, even.step_s)
    usable = _usable(load, fault, is_scene)
    must_settle = tuple(name for name in (power, clock, temp, rate) if name is not None) or (deciding,)
    swinging = signals.clock if clock else signals.power
    tooth = find_sawtooth(swinging[_longest_pass(signals)], even.step_s)
    settled = settle.find_window(even, load, burst_bins or 0, usable, must_settle, tooth, known.window_s)
    held = _figures(even, load, settled, usable, burst_bins)
    kinds = frame_kinds(log, -np.inf, np.inf) if is_scene else frame_kinds(log, *_span(even, load))
    window, figures = _counted(even, load, (settled, held), usable, burst_bins, kinds, known, is_scene)

    levels, causes = _causes(signals, levels)
    found = limiter.segments(causes, even.starts[load.first : load.last], even.step_s, levels, signals)
    share = limiter.shares(found)
    gaps = _joined(
        _gaps(log, (power, clock, temp, deciding)) + [g for g in _gaps(log, (rate,)) if _at_work(g, even, load)]
    )
    start, end = _span(even, load)
    edges = even.edges[load.first :]
    heat, no_heat = _heat(even, known, power, temp, levels, held, causes)
    frames, no_frames = _frames(kinds, known, float(load.active.sum()) * even.step_s)
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
        _limits(signals, levels, held, power, load, burst_bins, settled, causes, even.step_s),
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
        _plateaus(signals, even, load) if power and tooth is None else (),
        hot_core,
        _early_late(even, load, usable, (power, clock, rate)),
        _means(even, seen, (power, clock, rate)),
        _means(even, seen & (even.starts >= _after_burst_s(even, load, burst_bins)), (power, clock, rate)),
        (
            *judge_notes.warnings(even, load, power, temp, settled, heat, collapses, gaps, share, is_scene),
            *(judge_notes.scene_words(even, load, temp, burst_bins) if is_scene else ()),
            *judge_notes.unseen(even, clock, rate, hot_core),
            *judge_notes.implausible(even, load, (power, clock, temp)),
            *judge_notes.silent_meters(log),
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


def _causes(signals: limiter.Signals, levels: limiter.Levels) -> tuple[limiter.Levels, list[Cause]]:
    """What held each second, and the levels by which: a temperature limit that was only read off this run and holds
    nothing back is none that was seen."""
    causes = limiter.smooth(limiter.classify(signals, levels))
    if levels.temp_given or causes.count(Cause.HEAT) >= LEAST_HEAT * len(causes):
        return levels, causes
    levels = replace(levels, temp_limit_c=float("nan"))
    return levels, limiter.smooth(limiter.classify(signals, levels))


def _plateaus(signals: limiter.Signals, even: EvenLog, load: phases.Load) -> tuple[Plateau, ...]:
    power = np.where(signals.active, signals.power, np.nan)
    return find_plateaus(power, even.starts[load.first : load.last], even.step_s)


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
    figures = _figures(even, load, window, usable, burst_bins)
    return window, scene_figures(figures, kinds if is_scene else None)


def _span(even: EvenLog, load: phases.Load) -> tuple[float, float]:
    """From and to of a load, s."""
    return float(even.edges[load.first]) + (1.0 - load.onset) * even.step_s, float(even.edges[load.last])


def _after_burst_s(even: EvenLog, load: phases.Load, burst_bins: int | None) -> float:
    """When the burst is over, s; the start of the load where there was none."""
    is_burst = burst_bins is not None and burst_bins * even.step_s <= LONGEST_BURST_S
    return float(even.starts[load.first + (burst_bins if burst_bins and is_burst else 0)])


def _main_channels(even: EvenLog) -> tuple[str | None, str | None, str | None, str | None]:
    columns = even.columns

    def one(*names: str) -> str | None:
        return next((name for name in names if name in columns), None)

    return power_channel(columns), one("cpu.clock"), temp_channel(columns), rate_channel(columns)


def _deciding(even: EvenLog, power: str | None, clock: str | None, rate: str | None) -> str:
    """The channel that says when there is load."""
    beside = next((name for name in BESIDE_POWER if name in even.columns), None)
    deciding = power or ("cpu.load" if "cpu.load" in even.columns else clock or rate or beside)
    if deciding is None:
        raise DataError("log", "it has neither power, load, clock nor rate, so there is nothing to judge")
    return deciding


def _signals(
    even: EvenLog,
    load: phases.Load,
    power: str | None,
    clock: str | None,
    temp: str | None,
    cap: float | None,
) -> limiter.Signals:
    part = slice(load.first, load.last)
    missing = np.full(load.last - load.first, np.nan)

    def column(name: str | None) -> FloatArray:
        return even.columns[name][part] if name is not None and name in even.columns else missing

    counted = np.nan_to_num(column("cpu.throttle.count"))
    frames, gpu, active = column("frame.rate"), column("gpu.load"), load.active[part]
    cap = find_cap(frames, gpu, active) if cap is None else cap
    capped = np.abs(frames - cap) <= CAP_SHARE * cap
    rising = np.diff(counted, prepend=counted[:1]) > 0
    return limiter.Signals(
        column(power),
        column(clock),
        column(temp),
        column("cpu.load"),
        gpu,
        capped,
        (column("cpu.throttle.heat") > 0.5) | rising,
        column("cpu.throttle.power") > 0.5,
        active,
        np.isfinite(column(load.channel)),
    )


def _faults(s: limiter.Signals, levels: limiter.Levels, burst_bins: int, step_s: float) -> BoolArray:
    after = s.power[burst_bins:][np.isfinite(s.power[burst_bins:])]
    if len(after) == 0:
        return np.zeros(len(s.power), dtype=bool)
    level = levels.sustained_w if np.isfinite(levels.sustained_w) else float(np.median(after))
    busy = ~(s.load < phases.BUSY_LOAD) & (np.arange(len(s.power)) >= max(burst_bins, 3))
    # The last seconds belong to the end of the work, which no log dates exactly.
    busy[-3:] = False
    return find_collapse(s.power, level, busy, step_s)


def _figures(
    even: EvenLog, load: phases.Load, window: Settled, usable: BoolArray, burst_bins: int | None
) -> Mapping[str, ChannelFigures]:
    inside = usable & (even.starts >= window.start_s - 1e-9) & (even.starts < window.end_s - 1e-9)
    first = load.first + (1 if load.onset < 1.0 else 0)
    burst = slice(first, load.first + burst_bins if burst_bins else first + 10)
    if burst.stop <= burst.start:
        burst = slice(load.first, load.first + 1)
    return {
        name: sustained.channel_figures(name, column[inside], column[burst])
        for name, column in even.columns.items()
        if (quantity := quantity_of(name)) is not None and quantity.in_figures
    }


def _limits(
    s: limiter.Signals,
    levels: limiter.Levels,
    figures: Mapping[str, ChannelFigures],
    power: str | None,
    load: phases.Load,
    burst_bins: int | None,
    window: Settled,
    causes: list[Cause],
    step_s: float,
) -> PowerLimits:
    """The limits in force: sustained only where power was the limiter for a while after the burst."""
    held = np.array(causes) == Cause.SUSTAINED_POWER
    sustained_limit = unknown("W")
    if power is not None and held.sum() >= 10:
        at_limit = s.power[held & np.isfinite(s.power)]
        u = figures[power].sustained.u
        sustained_limit = Estimate(robust.centre(at_limit), u, "W")
    idle = load.idle if load.channel == power else float("nan")
    ended_by_heat = burst_bins is not None and Cause.HEAT in causes[max(0, burst_bins - 2) : burst_bins + 3]
    return limits.recover_limits(s.power, burst_bins, load.onset, idle, sustained_limit, step_s, ended_by_heat)


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
        heat = find_heat(even, power, temp, known.ambient_c, levels.temp_limit_c, *settled, pinned)
    except DataError as error:
        return None, (Note("no-heat", f"Heat cannot be told: {error.reason}."),)
    return heat, heat.notes


def _frames(kinds: FrameKinds | None, known: Known, load_s: float) -> tuple[FrameFigures | None, tuple[Note, ...]]:
    """The figures of the drawn frames with their notes; `load_s` is how long there was work."""
    if kinds is None:
        return None, ()
    figures, notes = frame_figures(kinds.drawn_ms), []
    if figures.duration_s < WHOLE_FRAMES * load_s:
        first, last = float(kinds.ends_s[0] - kinds.drawn_ms[0] / 1000.0), float(kinds.ends_s[-1])
        share = 100.0 * figures.duration_s / load_s
        words = (
            f"Frames were logged for {share:.0f} % of the load only, from {first:.0f} s to {last:.0f} s; all figures"
        )
        notes.append(Note(PART_FRAMES, f"{words} of frames speak of that part."))
    if kinds.generated is not None and kinds.generated.count:
        share = 100.0 * kinds.generated.value
        words = f"{share:.0f} % of the frames shown were generated, not drawn; all figures are of the drawn ones."
        notes.append(Note("generated-frames", words))
    if known.first_pass and figures.stutters:
        words = "First run of this work here: stutters may be of shaders that are built once. Compare with a repeat."
        notes.append(Note("first-pass", words))
    return figures, (*figures.notes, *notes)


def _early_late(
    even: EvenLog, load: phases.Load, usable: BoolArray, channels: tuple[str | None, ...]
) -> Mapping[str, EarlyLate]:
    """Before and after five minutes of load; nothing where there is no minute after them."""
    turn = load.first + round(EARLY_S / even.step_s)
    if load.last - turn < round(60.0 / even.step_s):
        return {}
    found = {}
    for name in channels:
        if name is not None:
            kept = usable & np.isfinite(even.columns[name])
            parts = (even.columns[name][a:b][kept[a:b]] for a, b in ((load.first, turn), (turn, load.last)))
            means = [float(part.mean()) if len(part) else float("nan") for part in parts]
            found[name] = EarlyLate(name, unit_of(name), *means)
    return found


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


def _longest_pass(signals: limiter.Signals) -> slice:
    """The longest stretch of load without a wait: passes that follow each other swing as well, but are no saw-tooth."""
    at_work = signals.active.copy()
    for a, b in runs_of(~at_work):
        at_work[a:b] = b - a < SHORTEST_PAUSE
    stretches = runs_of(at_work)
    return slice(*max(stretches, key=lambda run: run[1] - run[0])) if stretches else slice(0, 0)


def _first_pause(signals: limiter.Signals) -> int:
    """Bins of load until the first wait between passes; a burst is looked for in the first pass only."""
    waits = [a for a, b in runs_of(~signals.active & np.isfinite(signals.power)) if b - a >= SHORTEST_PAUSE]
    return waits[0] if waits and waits[0] >= SHORTEST_PASS else len(signals.power)


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
