"""Two logs of one run on one time axis: what ran beside the sensors is shifted to where it belongs."""

import numpy as np

from pinch.core import phases
from pinch.core.channels import power_channel, rate_channel
from pinch.core.errors import DataError
from pinch.core.frames import with_frame_rate
from pinch.core.runlog import Mark, RunLog, Series
from pinch.language import tr


def load_start_s(log: RunLog) -> float:
    """When the load begins, s: by package power, else load, clock, graphics power, or the rate of work; NaN where no
    channel tells."""
    even = with_frame_rate(log).even(1.0)
    tells = (power_channel(even.columns), "cpu.load", "cpu.clock", "gpu.power", "gpu.load", rate_channel(even.columns))
    channel = next((name for name in tells if name in even.columns), None)
    if channel is None:
        return float("nan")
    load = phases.find_load(even, channel)
    return float(even.edges[load.first] + (1.0 - load.onset) * even.step_s)


def first_frame_s(log: RunLog) -> float:
    """When the first thing of a log begins: its first sample less the time that sample stands for, s."""
    first = min(log.series.values(), key=lambda s: float(s.t[0]))
    usual = float(np.median(np.diff(first.t))) if len(first.t) > 1 else 0.0
    return float(first.t[0]) - usual


def shifted(log: RunLog, by_s: float) -> RunLog:
    """The same log, all times later by `by_s`."""
    series = {name: Series(name, s.t + by_s, s.values) for name, s in log.series.items()}
    return RunLog(series, tuple(Mark(m.t_s + by_s, m.text) for m in log.marks))


def joined(main: RunLog, beside: RunLog, by_s: float) -> RunLog:
    """One log of two, those of `beside` later by `by_s`; a channel of both stays that of `main`.

    Raises
    ------
    DataError : they do not overlap in time, so that they are not of one run.
    """
    moved = shifted(beside, by_s)
    (a, b), (c, d) = main.span_s, moved.span_s
    if c >= b or d <= a:
        raise DataError(tr("the two logs"), tr("shifted by {by_s:g} s they do not overlap", by_s=by_s))
    return RunLog({**moved.series, **main.series}, (*main.marks, *moved.marks))
