"""From single frames to a rate of frames.

A frame log tells how long each frame took; a sample of `frame.time` stands at the end of its frame. The rate of a
second is the frames that it holds over its time, a frame across a border counted by shares: never the mean of momentary
rates.
"""

import numpy as np

from pinch.core.runlog import BoolArray, FloatArray, RunLog, Series, check_span

FRAME_TIME, FRAME_RATE = "frame.time", "frame.rate"
GENERATED = "frame.generated"
PAUSE_S = 1.0
"""Longer than its own time plus this since the frame before: nothing was drawn or nothing was logged."""


def frame_rate(t: FloatArray, frame_ms: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Frames each second.

    Parameters
    ----------
    t, frame_ms : (n,) ends of frames in s, increasing, and how long each took, ms.

    Returns
    -------
    (m,) ends of whole seconds and (m,) rates in 1/s; a second of which less than half is covered by frames is left out.
    """
    if len(t) == 0:
        return np.empty(0), np.empty(0)
    width = np.minimum(np.diff(t, prepend=-np.inf), PAUSE_S + frame_ms / 1000.0)
    width = np.where(width < PAUSE_S + frame_ms / 1000.0, width, frame_ms / 1000.0)
    starts = t - width
    check_span(float(starts[0]), float(t[-1]))
    edges = np.arange(np.floor(starts[0]), np.floor(t[-1]) + 1.0)
    knots = np.column_stack([starts, t]).ravel()
    number = np.repeat(np.arange(len(t)), 2) + np.tile([0.0, 1.0], len(t))
    covered = np.column_stack([np.zeros_like(width), width]).ravel().cumsum()
    frames = np.diff(np.interp(edges, knots, number))
    seconds = np.diff(np.interp(edges, knots, covered))
    enough = seconds > 0.5
    return edges[1:][enough], frames[enough] / seconds[enough]


def drawn_frames(t: FloatArray, frame_ms: FloatArray, generated: BoolArray) -> tuple[FloatArray, FloatArray]:
    """Ends and times of the drawn ones of (n,) frames: each runs from the drawn frame before it, whatever was made up
    in between. All of them, where none or every one is called generated."""
    if not generated.any() or generated.all():
        return t, frame_ms
    drawn = np.flatnonzero(~generated)
    return t[drawn], np.diff(np.append(0.0, np.cumsum(frame_ms)[drawn]))


def flags_at(series: Series | None, t: FloatArray) -> BoolArray | None:
    """The flags of frames at (n,) times, None where there are none at all; a frame without one has none."""
    if series is None or not len(series.t):
        return None
    place = np.minimum(np.searchsorted(series.t, t), len(series.t) - 1)
    return np.asarray((series.t[place] == t) & (series.values[place] > 0.5))


def part_frames(log: RunLog) -> tuple[RunLog, RunLog]:
    """A log without its single frames, and one of them alone: their times are nobody else's, so that each is a table of
    its own."""
    frames = {name: s for name, s in log.series.items() if name == FRAME_TIME}
    rest = {name: s for name, s in log.series.items() if name != FRAME_TIME}
    return RunLog(rest, log.marks), RunLog(frames)


def with_frame_rate(log: RunLog) -> RunLog:
    """The log with the rate of its drawn frames, where it has frame times and no rate of its own."""
    series = log.series.get(FRAME_TIME)
    if series is None or FRAME_RATE in log.series or len(series.t) < 2:
        return log
    generated = flags_at(log.series.get(GENERATED), series.t)
    drawn = (series.t, series.values) if generated is None else drawn_frames(series.t, series.values, generated)
    t, rate = frame_rate(*drawn)
    if len(t) == 0:
        return log
    return RunLog({**log.series, FRAME_RATE: Series(FRAME_RATE, t, rate)}, log.marks)
