"""What frames felt like: average, lows by three schools, time in long frames, stutters, each with what it is worth.

Practitioners mean three things by a *1 % low*: the rate at the 99th percentile of frame time (Hyndman and Fan's type
7, Am. Stat. 50, 1996), the rate of the mean of the slowest 1 % of frames, and the rate such that 1 % of the time is
spent in slower frames. All three are given side by side. Intervals are by a moving-block bootstrap (Künsch, Ann. Stat.
17, 1989) with blocks of about a second, since neighbouring frames are alike.
"""

import math
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.runlog import FloatArray, check_span
from pinch.core.selecting import median_of, upper_tail
from pinch.core.stutters import count_stutters

BEYOND_MS = (16.7, 33.3, 50.0)
TAIL = 0.05
"""Share of the slowest frames from which the lows and their intervals are taken."""
LEAST_TAIL_FRAMES = 10
PARTS_A_BLOCK, MOST_PARTS, PART_S = 4, 4000, 0.25
BINS, RESAMPLES, SEED = 256, 200, 1
SHORTEST_S = 10.0
"""A record shorter than this has too few blocks for an interval."""


@dataclass(frozen=True)
class Interval:
    """A 95 % interval."""

    low: float
    high: float


@dataclass(frozen=True)
class Lows:
    """A low by the three schools, 1/s."""

    percentile: float
    mean_of_worst: float
    time_share: float


@dataclass(frozen=True)
class FrameFigures:
    """The figures of a series of frames. Rates in 1/s; `beyond_s` is the time in frames longer than so many ms, by its
    number as text; `lowest_1s` and `highest_1s` are the extremes of whole seconds (NaN: shorter than one). `intervals`
    are there for `average_fps`, `low_1.percentile` and so on, none where the record is too short."""

    frames: int
    duration_s: float
    average_fps: float
    median_fps: float
    low_1: Lows
    low_01: Lows
    lowest_1s: float
    highest_1s: float
    beyond_s: Mapping[str, float]
    stutters: int
    cv: float
    intervals: Mapping[str, Interval]
    notes: tuple[Note, ...]

    @property
    def consistency(self) -> float:
        """1 % low (percentile) over average."""
        return self.low_1.percentile / self.average_fps


def frame_figures(frame_ms: FloatArray) -> FrameFigures:
    """The figures of frames that follow each other.

    Parameters
    ----------
    frame_ms : (n,) how long each frame took, ms, in their order.

    Raises
    ------
    DataError : there are no frames, or one did not take a time above zero.
    """
    n = len(frame_ms)
    if n == 0:
        raise DataError("frames", "there are none")
    if not frame_ms.min() > 0.0 or not math.isfinite(total := float(frame_ms.sum())):
        raise DataError("frames", "a frame took no time, or no finite time")
    check_span(0.0, float(frame_ms.sum()) / 1000.0)
    with ThreadPoolExecutor(1) as beside:  # NumPy leaves the lock alone: half of the work runs on another core
        added = beside.submit(np.cumsum, frame_ms)
        passes = beside.submit(lambda: (count_stutters(frame_ms, added.result()), _whole_seconds(added.result())))
        places = upper_tail(frame_ms, min(n, max(LEAST_TAIL_FRAMES, math.ceil(TAIL * n))))
        slow = frame_ms[places]
        tail = np.sort(slow)
        median, variation, beyond = median_of(frame_ms), _variation(frame_ms, total / n), _beyond(frame_ms)
        intervals = _intervals(added.result(), places, slow, tail) if total >= 1000.0 * SHORTEST_S else {}
        stutters, seconds = passes.result()
    return FrameFigures(
        n,
        total / 1000.0,
        1000.0 * n / total,
        1000.0 / median,
        _lows(tail, n, total, 0.01),
        _lows(tail, n, total, 0.001),
        float(seconds.min()) if len(seconds) else math.nan,
        float(seconds.max()) if len(seconds) else math.nan,
        beyond,
        stutters,
        variation,
        intervals,
        tuple(_notes(n, total)),
    )


def _lows(tail: FloatArray, n: int, total: float, share: float) -> Lows:
    """Lows from the slowest frames, sorted upwards; the rest of the n frames is faster than all of them."""
    place = (1.0 - share) * (n - 1) - (n - len(tail))
    below = int(max(place, 0.0))
    above = min(below + 1, len(tail) - 1)
    quantile = tail[below] + (max(place, 0.0) - below) * (tail[above] - tail[below])
    worst = tail[-max(1, math.ceil(share * n - 1e-9)) :]
    slowest_first = np.cumsum(tail[::-1])
    reached = min(int(np.searchsorted(slowest_first, share * total)), len(tail) - 1)
    return Lows(1000.0 / float(quantile), 1000.0 / float(worst.mean()), 1000.0 / float(tail[::-1][reached]))


def _variation(frame_ms: FloatArray, mean: float) -> float:
    """Standard deviation over mean."""
    off = frame_ms - mean
    return math.sqrt(float(off @ off) / len(off)) / mean


def _beyond(frame_ms: FloatArray) -> Mapping[str, float]:
    """Time in frames longer than each limit, s."""
    slow = frame_ms[frame_ms > min(BEYOND_MS)]
    return {f"{limit:g}": float(slow[slow > limit].sum()) / 1000.0 for limit in BEYOND_MS}


def _whole_seconds(ends: FloatArray) -> FloatArray:
    """Frames in each whole second, one across a border by shares."""
    edges = np.arange(0.0, ends[-1] + 1e-6, 1000.0)
    if len(edges) < 2:
        return np.empty(0)
    after = np.minimum(np.searchsorted(ends, edges, side="left"), len(ends) - 1)
    before = np.where(after > 0, ends[np.maximum(after - 1, 0)], 0.0)
    return np.diff(after + (edges - before) / (ends[after] - before))


def _notes(n: int, total: float) -> list[Note]:
    found = []
    for share, name in ((0.01, "1 %"), (0.001, "0.1 %")):
        if share * n < LEAST_TAIL_FRAMES:
            words = f"The {name} low stands on {math.ceil(share * n)} frames; run longer to tell it from chance."
            found.append(Note(f"few-frames-{share:g}", words))
    if total < 1000.0 * SHORTEST_S:
        found.append(Note("short-frames", f"Frames of {total / 1000.0:.1f} s: no interval can be told; run longer."))
    return found


def _intervals(ends: FloatArray, places: np.ndarray, slow: FloatArray, tail: FloatArray) -> Mapping[str, Interval]:
    """95 % intervals of the average and of all lows, from what the parts of blocks add up to: the number and the time
    of their frames, and of the slow ones (at `places`; `tail`: sorted upwards) by bins of frame time, slowest first."""
    parts = min(MOST_PARTS, max(PARTS_A_BLOCK, int(ends[-1] / 1000.0 / PART_S)))
    starts = np.unique(np.append(0, np.searchsorted(ends, ends[-1] / parts * np.arange(1, parts))))
    parts = len(starts)
    counts = np.diff(np.append(starts, len(ends))).astype(float)
    times = np.diff(np.concatenate([[0.0], ends[starts[1:] - 1], ends[-1:]]))
    # Finer where frames are slower; every border is a frame of the tail, so that no bin is empty.
    borders = np.unique(tail[-np.unique(np.geomspace(1, len(tail), BINS).astype(int))])
    borders[0] = tail[0]
    bins = len(borders)
    bin_of = bins - np.searchsorted(borders, slow, side="right")
    part_of = np.repeat(np.arange(parts), np.diff(np.append(np.searchsorted(places, starts), len(places))))
    cell = part_of * bins + bin_of
    slow_counts = np.bincount(cell, minlength=parts * bins).reshape(parts, bins).astype(float)
    spans = _spans_of(tail, borders)
    weights = _block_weights(parts)
    number, time = weights @ counts, weights @ times
    tails = np.cumsum(weights @ slow_counts, axis=1)
    found = {"average_fps": 1000.0 * number / time}
    for share, name in ((0.01, "low_1"), (0.001, "low_0_1")):
        schools = np.array([_low_of(tails[i], spans, number[i], time[i], share) for i in range(RESAMPLES)])
        for place, school in enumerate(("percentile", "mean_of_worst", "time_share")):
            found[f"{name}.{school}"] = schools[:, place]
    return {name: Interval(*(float(x) for x in np.percentile(v, [2.5, 97.5]))) for name, v in found.items()}


def _spans_of(tail: FloatArray, borders: FloatArray) -> "_Spans":
    """The bins of frames (n,) sorted upwards that begin at `borders`, slowest first."""
    first = np.searchsorted(tail, borders)
    last = np.append(first[1:], len(tail))
    mean = np.add.reduceat(tail, first) / (last - first)
    return _Spans(tail[last - 1][::-1], tail[first][::-1], mean[::-1])


def _block_weights(parts: int) -> FloatArray:
    """How often each part stands in each resample, (RESAMPLES, parts): blocks of neighbouring parts, drawn with
    return around the whole record."""
    drawn = np.random.default_rng(SEED).integers(0, parts, (RESAMPLES, max(1, parts // PARTS_A_BLOCK)))
    cell = drawn + parts * np.arange(RESAMPLES)[:, None]
    begun = np.bincount(cell.ravel(), minlength=RESAMPLES * parts).reshape(RESAMPLES, parts).astype(float)
    return np.asarray(sum(np.roll(begun, shift, axis=1) for shift in range(PARTS_A_BLOCK)))


@dataclass(frozen=True)
class _Spans:
    """Longest, shortest and mean ms of the slow frames in each bin, the slowest bin first, (bins,) each."""

    high: FloatArray
    low: FloatArray
    mean: FloatArray


def _low_of(upto: FloatArray, spans: _Spans, number: float, time: float, share: float) -> tuple[float, float, float]:
    """Lows of a resample, of which `upto` (bins,) are the slow frames up to each bin."""
    own = np.diff(upto, prepend=0.0)
    there = own > 0.0
    upto, own, mean = upto[there], own[there], spans.mean[there]
    levels = np.column_stack([spans.high[there], spans.low[there]]).ravel()
    ranks = np.column_stack([upto - own + 0.5, upto - 0.5]).ravel()
    spent = np.cumsum(own * mean)
    worst = math.ceil(share * number)
    quantile = float(np.interp(share * (number - 1.0) + 0.5, ranks, levels))
    slowest = float(np.interp(worst, np.append(0.0, upto), np.append(0.0, spent)))
    by_time = float(np.interp(share * time, np.column_stack([spent - own * mean, spent]).ravel(), levels))
    return 1000.0 / quantile, 1000.0 * worst / slowest, 1000.0 / by_time
