"""What the Run page knows of a recording: what came so far, thinned for the screen. No Qt."""

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct, field

from pinch.bench import planning
from pinch.bench.readings import Reading, place_words
from pinch.bench.records import Device, ExitStatus, Runner, Setting, Workload
from pinch.charts.spec import Line, minutes
from pinch.charts.timeline_chart import broken_line
from pinch.core.channels import SUSTAINED_POWER, caption_of, power_channel, unit_of
from pinch.core.frames import FRAME_RATE
from pinch.core.printing import plain
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.language import numeral, tr
from pinch.recorder.course import Course
from pinch.recorder.recorder import News, Phase

MOST_POINTS = 3600
LIVE = (("cpu.clock", tr("Clock")), ("cpu.temp", tr("Temperature")), ("", ""))
"""Channels that are shown large beside the package's power; the empty one is the workload's own rate. `cpu.load` stands
in for a missing one."""
MOST_SHOWN = 6


class Thinned:
    """A channel over the whole run in at most `MOST_POINTS` points: once they are used up, neighbours are averaged, so
    that memory stays bounded however long the run is. Times and values are means of as many samples as `width`."""

    def __init__(self) -> None:
        self._data = np.full((2, MOST_POINTS), np.nan)  # all of its memory from the start
        self._count = self._part = 0
        self._sum = [0.0, 0.0]
        self.width = 1

    def add(self, t: float, value: float) -> None:
        """Take one more sample."""
        self._sum[0] += t
        self._sum[1] += value
        self._part += 1
        if self._part < self.width:
            return
        self._data[:, self._count] = self._sum[0] / self._part, self._sum[1] / self._part
        self._count += 1
        self._part, self._sum = 0, [0.0, 0.0]
        if self._count == MOST_POINTS:
            half = MOST_POINTS // 2
            self._data[:, :half] = 0.5 * (self._data[:, 0::2] + self._data[:, 1::2])
            self._count, self.width = half, 2 * self.width

    @property
    def t(self) -> FloatArray:
        """Times, s."""
        return self._data[0, : self._count]

    @property
    def values(self) -> FloatArray:
        """Values."""
        return self._data[1, : self._count]


class LiveRun(Struct):
    """The recording so far. `note` takes news."""

    rate_channel: str
    course: Course
    subject: str = ""
    interval_s: float = 1.0
    shown: tuple[str, ...] = ()
    phase: Phase = Phase.OPENING
    t_s: float = 0.0
    values: dict[str, float] = field(default_factory=dict)
    series: dict[str, Thinned] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    news_notes: bool = False
    marks: int = 0
    passes: tuple[int, int] = (0, 0)
    by_hand: bool = False
    status: ExitStatus | None = None
    reason: str = ""
    alarm: str = ""

    def note(self, news: News) -> None:
        """Take in what the recorder told."""
        self.phase, self.t_s = news.phase, news.t_s
        new = [note for note in news.notes if note not in self.notes]
        self.notes += new
        self.news_notes |= bool(new)
        self.status, self.reason, self.alarm = news.status, news.reason, news.alarm
        if news.passes[1]:
            self.passes = news.passes
        for channel, value in news.values.items():
            if math.isfinite(value):
                self.values[channel] = value
                self.series.setdefault(channel, Thinned()).add(news.t_s, value)

    @property
    def total_s(self) -> float:
        """When the run will be over, in its own time; endless where it ends with its work."""
        return self.course.total_s

    def shown_channels(self) -> list[tuple[str, str]]:
        """Channel and caption of what is shown large, in order: what the operator chose, else the usual; what the
        device does not tell is left out."""
        if chosen := [name for name in self.shown if name in self.values]:
            return [(name, caption_of(name)) for name in chosen]
        power = power_channel(self.values) or SUSTAINED_POWER[0]
        beside = [(name or self.rate_channel, caption or caption_of(self.rate_channel)) for name, caption in LIVE]
        wanted = [(power, tr("Power")), *beside]
        promised = self.rate_channel if math.isfinite(self.total_s) else ""  # a command or hand need not tell a rate
        there = [(name, caption) for name, caption in wanted if name in self.values or name == promised]
        if "wall.power" in self.values:
            there.insert(1, ("wall.power", caption_of("wall.power")))
        if len(there) < len(wanted) and "cpu.load" in self.values:
            there.insert(0, ("cpu.load", tr("Load")))
        return there

    def line(self, channel: str) -> Line:
        """What came of a channel, broken where nothing came."""
        thin = self.series[channel]
        return broken_line(Series(channel, thin.t, thin.values))

    def log(self, channels: Sequence[str]) -> RunLog:
        """What came so far of these channels, as a log of its own."""
        there = {name: self.series[name] for name in channels if name in self.series}
        return RunLog({n: Series(n, s.t.copy(), s.values.copy()) for n, s in there.items() if len(s.t)})

    @property
    def probe_cost(self) -> float | None:
        """What the probe costs, % of a core."""
        return self.values.get("probe.load")

    @property
    def words(self) -> str:
        """Where the recording is, in words."""
        begun, wanted = self.passes
        if self.phase is Phase.OPENING:
            return tr("Starting the sensors")
        if self.phase is Phase.IDLE:
            return tr("Resting before the load, {t_s}", t_s=minutes(self.t_s))
        if self.phase is Phase.PAUSE:
            return tr(
                "Waiting for pass {begun} of {wanted}, {t_s}", begun=begun + 1, wanted=wanted, t_s=minutes(self.t_s)
            )
        if self.phase is Phase.LOAD:
            nth = tr(", pass {begun} of {wanted}", begun=begun, wanted=wanted) if wanted > 1 else ""
            length = tr(" of {total_s}", total_s=minutes(self.total_s)) if math.isfinite(self.total_s) else ""
            return tr("Under load, {t_s}{length}{nth}", t_s=minutes(self.t_s), length=length, nth=nth)
        return tr("Ending")


def reading_words(reading: Reading) -> str:
    """A reading by hand in one line, with its standard uncertainty and what belongs to it."""
    value = reading.value_words + (f" ± {plain(reading.u, 2)}" if reading.u else "")
    when = [tr(reading.phase)] if reading.phase else []
    where = [tr("at {place}", place=place_words(reading.place))] if reading.place else []
    where += [tr("from {distance_mm:g} mm", distance_mm=reading.distance_mm)] if reading.distance_mm else []
    more = ", ".join([*when, *where, *filter(None, [reading.instrument, reading.note])])
    return f"{minutes(reading.t_s)}  {tr(reading.quantity).capitalize()} {value}{' (' + more + ')' if more else ''}"


def next_words(line: planning.SheetLine, before: Sequence[planning.SheetLine]) -> str:
    """The next step of the run sheet: what to do first, what to run, and when."""
    first = [x.words for x in before if x.kind not in ("cool", "read")]
    todo = tr("first {first}; ", first=tr(", then ").join(first)) if first else ""
    return tr("Next on the run sheet, {start:%H:%M}: {todo}{line}.", start=line.start, todo=todo, line=line.words)


def large_value(channel: str, value: float | None) -> tuple[str, str]:
    """A live value and its unit, as they are printed."""
    if value is None:
        return "–", unit_of(channel)
    if channel.endswith("clock"):
        return numeral(value / 1000, ".2f"), "GHz"
    if channel == FRAME_RATE:
        return numeral(value, ".1f"), "fps"
    return (numeral(value, ".0f") if value >= 1000 else numeral(value, ".1f")), unit_of(channel)


def what_is_missing(device: Device | None, setting: Setting | None, workload: Workload | None, any_device: bool) -> str:
    """What is missing before a run can be recorded; empty where nothing is."""
    if not any_device:
        return tr("This book has no device yet. Add the computer at hand, or the simulated ones to try things out.")
    if device is None or setting is None or workload is None:
        lack = tr("a device") if device is None else tr("a setting") if setting is None else tr("a workload")
        return tr("Choose {lack} above to record a run.", lack=lack)
    if device.rig is None and not device.local and not device.reach:
        return tr(
            "{device} is not this computer. Enter on the Bench page which command reaches its "
            "Python, or add its logs with Add, Runs from logs.",
            device=device.name,
        )
    if device.reach and not device.local and workload.runner is Runner.LOAD:
        return tr(
            "The built-in load runs on this computer only: choose work that you start on {device}.", device=device.name
        )
    if device.rig is not None and workload.runner is not Runner.HAND:
        return tr("{device} is simulated: choose one of its own workloads above.", device=device.name)
    return ""


def ready_words(device: Device, setting: Setting, workload: Workload) -> str:
    """What would be recorded."""
    claim = (
        tr(" ({sustained_w:g} W)", sustained_w=setting.sustained_w)
        if setting.sustained_w and "W" not in setting.name
        else ""
    )
    return tr(
        "Ready to run {workload} on {device} at {setting}{claim}.",
        workload=workload.name,
        device=device.name,
        setting=setting.name,
        claim=claim,
    )
