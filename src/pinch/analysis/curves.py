"""Score against watts of devices and workloads: which runs make which ladder, and what the ladders say together."""

from collections.abc import Mapping, Sequence
from enum import StrEnum
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.modes import beside
from pinch.analysis.points import BookPoints, RunPoint, mean_share, of_one_metric, score_of
from pinch.bench.records import Device, Result, Setting, Workload
from pinch.bench.summaries import Origin, Summary, origin_words, result_words
from pinch.core.causes import Cause
from pinch.core.crossing import Envelope, Pairing, all_pairs, envelopes
from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.ladder import Ladder, Point
from pinch.core.metrics import AVERAGE, LOW_NAMES, MAIN
from pinch.core.progress import Progress, tell, unheard
from pinch.core.runlog import FloatArray
from pinch.core.scaling import Scaling, scale
from pinch.core.sweetspots import WORTH
from pinch.core.verdict import DELTA
from pinch.language import tr

MEASURES = (AVERAGE, *LOW_NAMES)
MOST_SERIES = 96
OTHER_METRIC = tr("its score is typed, the others' rate is logged; say on the Bench page where they are one.")


class Axis(StrEnum):
    """What stands on the axis: watts, or what else a score costs."""

    PACKAGE = "package"
    WALL = "wall"
    NOISE = "noise"
    SURFACE = "hottest surface"

    @property
    def of_watts(self) -> bool:
        """Whether curves and sweet spots are made over it."""
        return self in (Axis.PACKAGE, Axis.WALL)

    @property
    def unit(self) -> str:
        """Its unit."""
        return {Axis.NOISE: "dB(A)", Axis.SURFACE: "°C"}.get(self, "W")


class ScaleChoice(Struct, frozen=True):
    """What is looked at: devices and workloads by number, the room (None: all), what of the score, whose watts, the
    smallest difference that matters, what the last watt has to bring, and a wanted rate with the share its low has to
    reach."""

    device_ids: tuple[int, ...]
    workload_ids: tuple[int, ...]
    room_c: float | None = None
    measure: str = AVERAGE
    low: str = "low_1.percentile"
    axis: Axis = Axis.PACKAGE
    delta: float = DELTA
    worth: float = WORTH
    target: float | None = None
    low_share: float = 0.0


class ScalePoint(Struct, frozen=True):
    """A run on the curve: its measured settled power W and score."""

    of: RunPoint
    power_w: float
    score: float


class SettingMean(Struct, frozen=True):
    """A setting on the curve: its runs, and the means of what they drew, W, and scored."""

    setting: Setting
    power_w: float
    score: float
    points: tuple[ScalePoint, ...]

    @property
    def name(self) -> str:
        """What it is called."""
        return self.setting.name

    @property
    def claimed_w(self) -> float | None:
        """What its label says, W."""
        return self.setting.sustained_w

    @property
    def per_watt(self) -> float:
        """Score for each watt."""
        return self.score / self.power_w

    @property
    def states(self) -> tuple[str, ...]:
        """Those of the windows of its runs."""
        return tuple(sorted({p.of.digest.state for p in self.points}))


class ToldScore(Struct, frozen=True):
    """A score without a log; it stands beside the measured curve, never in it. `power_w` are the watts told with it,
    None where there are none; `words` say whose it is, `of` is its run, or `result` what was typed."""

    setting: Setting
    score: float
    power_w: float | None
    n: int
    origin: Origin
    words: str
    of: RunPoint | None = None
    result: Result | None = None

    @property
    def placed_w(self) -> float | None:
        """Where it stands among others that are told: the watts told with it, else those that its setting claims."""
        return self.power_w or self.setting.sustained_w


class CurveSeries(Struct, frozen=True, dict=True):
    """A device and workload over all its settings, by their measured watts; `scaling` is None where the points do not
    make a curve, then `reason` says why. One that is `claimed` is made of what is told alone, over the watts that are
    claimed with it."""

    name: str
    device: Device
    workload: Workload
    points: tuple[ScalePoint, ...]
    settings: tuple[SettingMean, ...]
    told: tuple[ToldScore, ...]
    left_out: tuple[Note, ...]
    scaling: Scaling | None
    reason: str
    bound_by: str
    claimed: bool = False

    @cached_property
    def power_w(self) -> FloatArray:
        """(n,) what its points drew, W."""
        return np.array([p.power_w for p in self.points])

    @cached_property
    def scores(self) -> FloatArray:
        """(n,) what its points scored."""
        return np.array([p.score for p in self.points])


class ScaleResult(Struct, frozen=True):
    """All series of a choice, every pair of curves of one workload, and settings that draw the same watts."""

    choice: ScaleChoice
    series: tuple[CurveSeries, ...]
    pairings: tuple[Pairing, ...]
    envelopes: tuple[Envelope, ...]

    @property
    def ladders(self) -> dict[str, Ladder]:
        """The curves by name."""
        return {s.name: s.scaling.ladder for s in self.series if s.scaling is not None}


def scale_book(book: BookPoints, choice: ScaleChoice, progress: Progress = unheard) -> ScaleResult:
    """The ladders of a choice and what they say of each other.

    Raises
    ------
    CancelledError : `progress` answered False.
    """
    wanted = [
        (d, w)
        for w in book.workloads
        for d in book.devices
        if d.id in choice.device_ids and w.id in choice.workload_ids
    ]
    many = len(choice.workload_ids) > 1
    typed: dict[tuple[int, int], list[Result]] = {}
    for r in book.results:
        typed.setdefault((r.device_id, r.workload_id), []).append(r)
    series: list[CurveSeries] = []
    for number, (device, workload) in enumerate(wanted[:MOST_SERIES]):
        tell(progress, number / len(wanted))
        mine, told = book.by_pair.get((device.id, workload.id), ()), typed.get((device.id, workload.id), [])
        if mine or told:
            name = f"{device.name}: {workload.name}" if many else device.name
            series.append(_series(book, name, device, workload, mine, told, choice))
            series += _claimed(series[-1], choice)
    pairings = [
        pairing
        for workload_id in choice.workload_ids
        for claimed in (False, True)  # what is claimed is never set against what was measured
        for pairing in all_pairs(
            _curves([s for s in series if s.workload.id == workload_id and s.claimed is claimed]), choice.delta
        )
    ]
    measured = [s for s in series if not s.claimed]
    return ScaleResult(choice, tuple(series), tuple(pairings), tuple(envelopes(_curves(measured))))


def family_of(workload: Workload, workloads: Sequence[Workload]) -> list[Workload]:
    """Workloads that are the same but for resolution, preset or upscaling: those named alike up to the first comma,
    with the same unit."""
    stem = workload.name.split(",")[0].strip().casefold()
    return [
        w for w in workloads if w.name.split(",")[0].strip().casefold() == stem and w.score_unit == workload.score_unit
    ]


def _curves(series: Sequence[CurveSeries]) -> dict[str, Ladder]:
    return {s.name: s.scaling.ladder for s in series if s.scaling is not None}


def _series(
    book: BookPoints,
    name: str,
    device: Device,
    workload: Workload,
    mine: Sequence[RunPoint],
    typed: Sequence[Result],
    choice: ScaleChoice,
) -> CurveSeries:
    told = [*_told_runs(mine), *_told_results(book, typed)]
    points, left_out = placed_runs(book, mine, choice)
    scaling, reason = None, ""
    if not points:
        reason = tr("no run that counts is there")
    elif not choice.axis.of_watts:
        reason = tr("curves and sweet spots are made over watts")
    else:
        try:
            scaling = scale(core_points(points, choice), choice.target, choice.low_share, choice.worth)
        except DataError as error:
            reason = error.reason
    bound_by = _bound_by(points)
    settings, lacking = _settings_of(points), tuple(left_out)
    return CurveSeries(name, device, workload, tuple(points), settings, tuple(told), lacking, scaling, reason, bound_by)


def _settings_of(points: Sequence[ScalePoint]) -> tuple[SettingMean, ...]:
    by_name: dict[str, list[ScalePoint]] = {}
    for p in points:
        by_name.setdefault(p.of.setting.name, []).append(p)
    means = (
        SettingMean(
            own[0].of.setting,
            float(np.mean([p.power_w for p in own])),
            float(np.mean([p.score for p in own])),
            tuple(own),
        )
        for own in by_name.values()
    )
    return tuple(sorted(means, key=lambda mean: mean.power_w))


def placed_runs(book: BookPoints, mine: Sequence[RunPoint], choice: ScaleChoice) -> tuple[list[ScalePoint], list[Note]]:
    """The runs of a device and workload that have a place on the chart of a choice, and why others have none; what is
    told stands beside it, and what is of another room belongs to another choice."""
    points, left_out = [], []
    here = [p for p in mine if p.run.summary is not None or choice.room_c in (None, p.room_c)]
    measured = [p for p in here if p.run.summary is None or p.run.void]
    alike = {id(p) for p in of_one_metric(measured)}
    for p in measured:
        power, score = _place(book, p, choice.axis), score_of(p, choice.measure)
        reason = p.why_not or ("" if power else _lack(choice.axis))
        if choice.measure == AVERAGE and score and id(p) not in alike:
            reason = reason or OTHER_METRIC
        reason = reason or (
            "" if score else tr("no {measure} can be had.", measure=LOW_NAMES.get(choice.measure, "score"))
        )
        if reason or not power or not score:
            left_out.append(Note("left-out", f"{p.name}: {reason}"))
        else:
            points.append(ScalePoint(p, power, score))
    return points, left_out


def _told_results(book: BookPoints, typed: Sequence[Result]) -> list[ToldScore]:
    """What was typed or told as results."""
    settings = {s.id: s for _, s in book.settings}
    return [
        ToldScore(settings[r.setting_id], r.middle, r.power_w, r.n, r.origin, result_words(r), result=r)
        for r in typed
        if r.metric in MAIN and r.setting_id in settings
    ]


def _told_runs(here: Sequence[RunPoint]) -> list[ToldScore]:
    """What is told as runs without a log."""
    return [_told_of(p, p.run.summary) for p in here if p.run.summary is not None and not p.run.void]


def _told_of(p: RunPoint, summary: Summary) -> ToldScore:
    return ToldScore(
        p.setting, summary.score, summary.power_w, summary.repeats, summary.origin, origin_words(summary), p
    )


def _claimed(beside: CurveSeries, choice: ScaleChoice) -> list[CurveSeries]:
    """Curves of what is told, one an origin, where it tells of enough settings."""
    if choice.axis is not Axis.PACKAGE or choice.measure != AVERAGE or not beside.workload.higher_is_better:
        return []
    by_origin: dict[Origin, list[ToldScore]] = {}
    for t in beside.told:
        if t.placed_w and t.score > 0:
            by_origin.setdefault(t.origin, []).append(t)
    found = []
    for origin, own in by_origin.items():
        points = [Point(t.setting.name, t.placed_w or 0.0, t.score, float("nan"), 0.0) for t in own]
        try:
            scaling = scale(points, choice.target, 0.0, choice.worth)
        except DataError:
            continue
        name = tr("{beside}, claimed ({origin})", beside=beside.name, origin=origin)
        bare = replace(beside, points=(), settings=(), told=(), left_out=())
        found.append(replace(bare, name=name, scaling=scaling, claimed=True))
    return found


def core_points(points: Sequence[ScalePoint], choice: ScaleChoice) -> list[Point]:
    """Points as curves are made of them."""
    return [
        Point(
            p.of.setting.name,
            p.power_w,
            p.score,
            p.of.digest.lows.get(choice.low, float("nan")) if choice.measure == AVERAGE else float("nan"),
            p.of.digest.shares.get(Cause.HEAT, 0.0),
        )
        for p in points
    ]


def _place(book: BookPoints, point: RunPoint, axis: Axis) -> float | None:
    """Where a run stands on the axis."""
    if axis is Axis.PACKAGE:
        return point.power_w
    known = beside(book, [point])
    if axis is Axis.WALL:
        return known.wall_w
    if axis is Axis.NOISE:
        return known.noise.level if known.noise else None
    return known.hottest.touch.temp_c if known.hottest else None


def _lack(axis: Axis) -> str:
    return tr("no {axis} power was logged.", axis=axis) if axis.of_watts else tr("no {axis} was read.", axis=axis)


_HOLDING = (Cause.SUSTAINED_POWER, Cause.BURST_POWER, Cause.CLOCK_CEILING, Cause.HEAT)


def _bound_by(points: Sequence[ScalePoint]) -> str:
    """What holds a workload, by the shares of its load: graphics, the frame cap, or the processor's power and clock."""
    total: Mapping[Cause, float] = {
        cause: mean_share([p.of for p in points], cause) for cause in (Cause.GRAPHICS_BOUND, Cause.FRAME_CAP, *_HOLDING)
    }
    if total[Cause.GRAPHICS_BOUND] > 0.5:
        return "graphics"
    if total[Cause.FRAME_CAP] > 0.5:
        return tr("a frame cap")
    held = sum(total[cause] for cause in _HOLDING)
    return tr("power, clock and heat") if held > 0.5 else ""
