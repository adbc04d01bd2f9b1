"""Several runs on one time axis, each from the start of its load on."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.charts.spec import Chart, Line, Panel
from pinch.charts.timeline_chart import broken_line
from pinch.core.channels import unit_of
from pinch.core.judge import Judgement
from pinch.core.runlog import RunLog, Series
from pinch.language import tr


class Overlaid(Struct, frozen=True):
    """A run of an overlay: its name, log, judgement, and the slot of its colour."""

    name: str
    log: RunLog
    judged: Judgement
    slot: int


def overlay_chart(runs: Sequence[Overlaid], title: str, footnote: str = "") -> Chart:
    """Power, clock, temperature and rate of runs, aligned at the start of load; what a run did not log it lacks."""
    panels: list[Panel] = []
    for caption, name in (
        (tr("Power"), "power"),
        (tr("Clock"), "clock"),
        (tr("Temperature"), "temp"),
        (tr("Rate"), "rate"),
    ):
        there = [(run, channel) for run in runs if (channel := getattr(run.judged, name))]
        if there:
            lines = [_line(run, channel) for run, channel in there]
            unit = unit_of(there[0][1])
            panels.append(Panel(caption, unit, tuple(lines), from_zero=name != "temp", key=name))
    names = ", ".join(run.name for run in runs)
    return Chart(
        title,
        tuple(panels),
        tr("Time from the start of load"),
        "min:s",
        clock=True,
        footnote=footnote,
        alternative=tr("{title} {names}, aligned at the start of load.", title=title, names=names),
        key=tuple((run.name, run.slot) for run in runs),
    )


def _line(run: Overlaid, channel: str) -> Line:
    """A channel from a little before the load on; runs that share a colour are told apart by dashes."""
    series = run.log.series[channel]
    t = series.t - run.judged.load_start_s
    keep = t >= -10.0
    line = broken_line(Series(channel, t[keep], series.values[keep]))
    finite = np.flatnonzero(np.isfinite(line.y))
    last = int(finite[-1]) + 1 if len(finite) else len(line.x)
    return Line(line.x[:last], line.y[:last], slot=run.slot, dashed=run.slot >= 6)
