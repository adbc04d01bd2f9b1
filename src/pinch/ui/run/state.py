"""What the Run page knows of a recording: what came so far, thinned for the screen. No Qt."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from pinch.bench.planning import Line
from pinch.bench.records import ExitStatus
from pinch.charts.spec import minutes
from pinch.core.channels import unit_of
from pinch.recorder.recorder import News, Phase

MOST_POINTS = 7200
LIVE = (("cpu.power", "Power"), ("cpu.clock", "Clock"), ("cpu.temp", "Temperature"), ("", "Rate"))
"""Channels that are shown large; the empty one is the workload's own rate. `cpu.load` stands in for a missing one."""


@dataclass
class LiveRun:
    """The recording so far. `note` takes news; lists hold (t, value) a channel."""

    rate_channel: str
    total_s: float
    subject: str = ""
    phase: Phase = Phase.OPENING
    t_s: float = 0.0
    values: dict[str, float] = field(default_factory=dict)
    times: dict[str, list[float]] = field(default_factory=dict)
    series: dict[str, list[float]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    marks: int = 0
    passes: tuple[int, int] = (0, 0)
    by_hand: bool = False
    status: ExitStatus | None = None
    reason: str = ""

    def note(self, news: News) -> None:
        """Take in what the recorder told."""
        self.phase, self.t_s = news.phase, news.t_s
        self.notes += news.notes
        self.status, self.reason = news.status, news.reason
        if news.passes[1]:
            self.passes = news.passes
        for channel, value in news.values.items():
            if math.isfinite(value):
                self.values[channel] = value
                self.times.setdefault(channel, []).append(news.t_s)
                self.series.setdefault(channel, []).append(value)
                if len(self.series[channel]) > MOST_POINTS:
                    del self.times[channel][: MOST_POINTS // 2], self.series[channel][: MOST_POINTS // 2]

    def shown_channels(self) -> list[tuple[str, str]]:
        """Channel and caption of what is shown large, in order; what the device does not tell is left out."""
        wanted = [(name or self.rate_channel, caption) for name, caption in LIVE]
        there = [(name, caption) for name, caption in wanted if name in self.values or name == self.rate_channel]
        if len(there) < len(wanted) and "cpu.load" in self.values:
            there.insert(0, ("cpu.load", "Load"))
        return there

    @property
    def probe_cost(self) -> float | None:
        """What the probe costs, % of a core."""
        return self.values.get("probe.load")

    @property
    def words(self) -> str:
        """Where the recording is, in words."""
        if self.phase is Phase.OPENING:
            return "Starting the sensors"
        if self.phase is Phase.IDLE:
            return f"Resting before the load, {minutes(self.t_s)}"
        if self.phase is Phase.LOAD:
            begun, wanted = self.passes
            nth = f", pass {begun} of {wanted}" if wanted > 1 else ""
            length = f" of {minutes(self.total_s)}" if math.isfinite(self.total_s) else ""
            return f"Under load, {minutes(self.t_s)}{length}{nth}"
        return "Ending"


def next_words(line: Line, before: Sequence[Line]) -> str:
    """The next step of the run sheet: what to do first, what to run, and when."""
    first = [x.words for x in before if x.kind not in ("cool", "read")]
    todo = f"first {', then '.join(first)}; " if first else ""
    return f"Next on the run sheet, {line.start:%H:%M}: {todo}{line.words}."


def large_value(channel: str, value: float | None) -> tuple[str, str]:
    """A live value and its unit, as they are printed."""
    if value is None:
        return "–", unit_of(channel)
    if channel.endswith("clock"):
        return f"{value / 1000:.2f}", "GHz"
    return (f"{value:.0f}" if value >= 1000 else f"{value:.1f}"), unit_of(channel)
