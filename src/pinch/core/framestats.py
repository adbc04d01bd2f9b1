"""What frames felt like: average, lows by three schools, time in long frames, stutters, each with what it is worth.

Practitioners mean three things by a *1 % low*: the rate at the 99th percentile of frame time (Hyndman and Fan's type
7, Am. Stat. 50, 1996), the rate of the mean of the slowest 1 % of frames, and the rate such that 1 % of the time is
spent in slower frames. All three are given side by side. Intervals are by a moving-block bootstrap (Künsch, Ann. Stat.
17, 1989) with blocks as long as the record asks for, since neighbouring frames are alike, scenes are, and what is slow
comes in clusters (`core.independent`). They speak of the game at large, as far as its scenes come as they did here.
Where fewer than twenty stretches of the record are independent of each other, or the slow frames come in fewer
clusters, the record cannot tell, and no interval is given.
"""

import math
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.figures import Note
from pinch.core.independent import Dependence, clusters_of, dependence
from pinch.core.robust import t_factor, t_over_normal
from pinch.core.runlog import BoolArray, FloatArray, check_span
from pinch.core.selecting import median_of, pieces, places_in, upper_tail
from pinch.core.stutters import count_stutters
from pinch.language import numeral, tr

BEYOND_MS = (16.7, 33.3, 50.0)
TAIL = 0.05
"""Share of the slowest frames from which the lows and their intervals are taken."""
LEAST_TAIL_FRAMES = 10
MOST_PARTS, PART_S = 4000, 0.25
BINS, RESAMPLES, SEED = 256, 400, 1
LEAST_STRETCHES, STRETCHES_LOOKED_AT = 20.0, 40
"""Independent stretches, or clusters of slow frames, below which a record cannot tell."""
STRETCH_NAMES = {"average_fps": tr("average"), "low_1": tr("1 % low"), "low_0_1": tr("0.1 % low")}
BLOCK_TIMES = 1.5
LOWS = {"low_1": 0.01, "low_0_1": 0.001}
SURE_Z = 1.959964
"""Of the standard normal, 95 % lie so far to either side."""
SHORTEST_S = 10.0
"""A record shorter than this has too few blocks for an interval."""


class Interval(Struct, frozen=True):
    """A 95 % interval."""

    low: float
    high: float


class Lows(Struct, frozen=True):
    """A low by the three schools, 1/s."""

    percentile: float
    mean_of_worst: float
    time_share: float


class FrameFigures(Struct, frozen=True):
    """The figures of a series of frames. Rates in 1/s; `beyond_s` is the time in frames longer than so many ms, by its
    number as text; `lowest_1s` and `highest_1s` are the extremes of whole seconds (NaN: shorter than one). `intervals`
    are there for `average_fps`, `low_1.percentile` and so on, none where the record cannot tell; `stretches` say how
    many independent ones it has for `average_fps`, `low_1` and `low_0_1`, none where it is too short to say."""

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
    stretches: Mapping[str, float]
    notes: tuple[Note, ...]

    @property
    def consistency(self) -> float:
        """1 % low (percentile) over average."""
        return self.low_1.percentile / self.average_fps


def frame_figures(frame_ms: FloatArray, how_sure: bool = True) -> FrameFigures:
    """The figures of frames that follow each other.

    Parameters
    ----------
    frame_ms : (n,) how long each frame took, ms, in their order.
    how_sure : whether intervals are worked out too, which takes most of the time.

    Raises
    ------
    DataError : there are no frames, or one did not take a time above zero.
    """
    n = len(frame_ms)
    if n == 0:
        raise DataError("frames", tr("there are none"))
    if not frame_ms.min() > 0.0 or not math.isfinite(total := float(frame_ms.sum())):
        raise DataError("frames", tr("a frame took no time, or no finite time"))
    check_span(0.0, total / 1000.0)
    with ThreadPoolExecutor(1) as beside:  # NumPy leaves the lock alone: half of the work runs on another core
        added = beside.submit(np.cumsum, frame_ms)
        passes = beside.submit(lambda: (count_stutters(frame_ms, added.result()), _whole_seconds(added.result())))
        places = upper_tail(frame_ms, min(n, max(LEAST_TAIL_FRAMES, math.ceil(TAIL * n))))
        slow = frame_ms[places]
        tail = np.sort(slow)
        median, variation, beyond = median_of(frame_ms), _variation(frame_ms, total / n), _beyond(frame_ms)
        lows = {name: _lows(tail, n, total, share) for name, share in LOWS.items()}
        long_enough = how_sure and total >= 1000.0 * SHORTEST_S
        intervals, stretches = _intervals(added.result(), places, slow, tail, lows) if long_enough else ({}, {})
        stutters, seconds = passes.result()
    return FrameFigures(
        n,
        total / 1000.0,
        1000.0 * n / total,
        1000.0 / median,
        lows["low_1"],
        lows["low_0_1"],
        float(seconds.min()) if len(seconds) else math.nan,
        float(seconds.max()) if len(seconds) else math.nan,
        beyond,
        stutters,
        variation,
        intervals,
        stretches,
        tuple(_notes(n, total, stretches)),
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
    squares = sum(float(np.square(piece - mean).sum()) for piece in pieces(frame_ms))
    return math.sqrt(squares / len(frame_ms)) / mean


def _beyond(frame_ms: FloatArray) -> Mapping[str, float]:
    """Time in frames longer than each limit, s."""
    over = np.zeros(len(BEYOND_MS))
    for piece in pieces(frame_ms):
        over += [float(np.multiply(piece, piece > limit).sum()) for limit in BEYOND_MS]
    return {f"{limit:g}": float(ms) / 1000.0 for limit, ms in zip(BEYOND_MS, over, strict=True)}


def _whole_seconds(ends: FloatArray) -> FloatArray:
    """Frames in each whole second, one across a border by shares."""
    edges = np.arange(0.0, ends[-1] + 1e-6, 1000.0)
    if len(edges) < 2:
        return np.empty(0)
    after = np.minimum(places_in(ends, edges), len(ends) - 1)
    before = np.where(after > 0, ends[np.maximum(after - 1, 0)], 0.0)
    return np.diff(after + (edges - before) / (ends[after] - before))


def _notes(n: int, total: float, stretches: Mapping[str, float]) -> list[Note]:
    found = []
    for share, name in ((0.01, "1 %"), (0.001, "0.1 %")):
        if share * n < LEAST_TAIL_FRAMES:
            words = tr(
                "The {name} low stands on {ceil} frames; run longer to tell it from chance.",
                name=name,
                ceil=math.ceil(share * n),
            )
            found.append(Note(f"few-frames-{share:g}", words))
    few = {
        name: own
        for name, own in stretches.items()
        if own < LEAST_STRETCHES and n * LOWS.get(name, 1.0) >= LEAST_TAIL_FRAMES
    }
    if few:
        told = ", ".join(f"{STRETCH_NAMES[name]} {numeral(own, '.0f')}" for name, own in few.items())
        words = tr(
            "This record cannot tell how sure these are, it has too few independent stretches: {told} of 20.", told=told
        )
        found.append(Note("few-stretches", words))
    if total < 1000.0 * SHORTEST_S:
        found.append(
            Note(
                "short-frames",
                tr("Frames of {total:.1f} s: no interval can be told; run longer.", total=total / 1000.0),
            )
        )
    return found


def _intervals(
    ends: FloatArray, places: np.ndarray, slow: FloatArray, tail: FloatArray, lows: Mapping[str, Lows]
) -> tuple[Mapping[str, Interval], Mapping[str, float]]:
    """95 % intervals of the average and of all lows, as far as the record can tell, and the independent stretches of
    each, from what parts of it add up to; the slow frames (m,) stand at `places`, `tail` has them sorted upwards."""
    parts = _parts_of(ends, places)
    n, total = len(ends), float(ends[-1])
    of_time = _LongRun.of(parts.times - total / n * parts.counts)
    found, stretches = dict[str, Interval](), {"average_fps": of_time.dependence.worth}
    if of_time.dependence.worth >= LEAST_STRETCHES:
        # Of a mean the long-run variance says it outright.
        reach = t_factor(0.95, of_time.dependence.worth - 1.0) * of_time.u * len(parts.counts) / total
        found["average_fps"] = Interval(1000.0 * n / total * math.exp(-reach), 1000.0 * n / total * math.exp(reach))
    told: dict[str, tuple[_LongRun, FloatArray]] = {}
    for name, share in LOWS.items():
        is_worst = slow >= tail[-max(1, math.ceil(share * n))]
        worst = places[is_worst]
        of_low = _LongRun.of(parts.holding(is_worst) - len(worst) / n * parts.counts)
        stretches[name] = min(of_low.dependence.worth, clusters_of(worst), _stretches_with(worst, ends))
        if stretches[name] >= LEAST_STRETCHES:
            told[name] = of_low, parts.adding(is_worst, slow - slow[is_worst].min())
    bins = _bins_of(parts, slow, tail) if told else None
    for name, (of_low, beyond) in told.items():
        assert bins is not None
        size = _block_size(len(parts.counts), max(of_low.dependence.block, of_time.dependence.block))
        weights = _block_weights(len(parts.counts), size)
        number, time, tails = weights @ parts.counts, weights @ parts.times, np.cumsum(weights @ bins.counts, axis=1)
        if (tails[:, -1] <= math.ceil(LOWS[name] * n)).any():
            stretches[name] = 0.0  # all that is slow lies so close together that some resamples have none of it
            continue
        wider = of_low.over_blocks(weights) * t_over_normal(stretches[name] - 1.0)
        drawn = _lows_of(tails, bins, number, time, LOWS[name])
        skewed = _acceleration(beyond, size)
        for place, (school, skew) in enumerate((("percentile", 0.0), ("mean_of_worst", skewed), ("time_share", 0.0))):
            found[f"{name}.{school}"] = _interval(drawn[:, place], getattr(lows[name], school), wider, skew)
    return found, stretches


class _Parts(Struct, frozen=True):
    """Parts of a record (p,): the number and the time, ms, of their frames, and the part of each slow frame (m,)."""

    counts: FloatArray
    times: FloatArray
    of_slow: np.ndarray

    def holding(self, which: BoolArray) -> FloatArray:
        """How many of the chosen slow frames (m,) each part holds, (p,)."""
        return self.adding(which, np.ones(len(which)))

    def adding(self, which: BoolArray, values: FloatArray) -> FloatArray:
        """What the values (m,) of the chosen slow frames (m,) add up to in each part, (p,)."""
        return np.asarray(np.bincount(self.of_slow[which], values[which], minlength=len(self.counts)), dtype=float)


def _parts_of(ends: FloatArray, places: np.ndarray) -> _Parts:
    """Parts of a quarter of a second, or longer ones of a very long record."""
    parts = min(MOST_PARTS, max(1, int(ends[-1] / 1000.0 / PART_S)))
    starts = np.unique(np.append(0, np.searchsorted(ends, ends[-1] / parts * np.arange(1, parts))))
    counts = np.diff(np.append(starts, len(ends))).astype(float)
    times = np.diff(np.concatenate([[0.0], ends[starts[1:] - 1], ends[-1:]]))
    of_slow = np.repeat(np.arange(len(starts)), np.diff(np.append(np.searchsorted(places, starts), len(places))))
    return _Parts(counts, times, of_slow)


class _LongRun(Struct, frozen=True):
    """A sum over parts (n,) whose mean is 0: its parts, how they depend on each other, and the standard uncertainty of
    their mean."""

    off: FloatArray
    dependence: Dependence
    u: float

    @classmethod
    def of(cls, off: FloatArray) -> "_LongRun":
        """Of parts (n,)."""
        found = dependence(off)
        return cls(off, found, float(off.std()) / math.sqrt(found.worth))

    def over_blocks(self, weights: FloatArray) -> float:
        """How much wider it is than resamples (r, n) make it, whose blocks are too short by so much."""
        drawn = float(((weights @ self.off) / weights.sum(axis=1)).std())
        return max(1.0, self.u / drawn) if drawn > 0.0 else 1.0


def _stretches_with(places: np.ndarray, ends: FloatArray) -> float:
    """Over how many of forty equal stretches of the record frames at (m,) places are spread, as one over the chance
    that two of them share a stretch (E. H. Simpson, Nature 163, 1949): in a single slow scene the times between its
    frames alone would look as if they came whenever chance has it."""
    m = len(places)
    if m < 2:
        return 0.0
    edges = np.linspace(0.0, ends[-1], STRETCHES_LOOKED_AT + 1)[1:-1]
    own = np.bincount(np.searchsorted(edges, ends[places])).astype(float)
    shared = float((own * (own - 1.0)).sum()) / (m * (m - 1.0))
    return min(1.0 / shared, float(STRETCHES_LOOKED_AT)) if shared > 0.0 else float(STRETCHES_LOOKED_AT)


def _acceleration(beyond: FloatArray, size: int) -> float:
    """How skewed the mean of the worst is by blocks of `size` parts, of which each part (p,) adds so much beyond the
    least of them: the acceleration of B. Efron, Better bootstrap confidence intervals, J. Am. Stat. Assoc. 82, 1987."""
    blocks = np.add.reduceat(beyond, np.arange(0, len(beyond), size))
    off = blocks - blocks.mean()
    spread = float(off @ off)
    return float((off**3).sum()) / (6.0 * spread**1.5) if spread > 0.0 else 0.0


def _interval(drawn: FloatArray, value: float, wider: float, skew: float) -> Interval:
    """The 95 % interval of draws (r,) of a rate around its value, so many times as wide; `skew` is the acceleration of
    its frame time, by which the draws at either end are chosen."""
    from scipy.special import ndtr

    z = np.array([-SURE_Z, SURE_Z]) - skew
    chosen = ndtr(z / (1.0 + skew * z) - skew)
    low, high = np.log(np.percentile(drawn, 100.0 * chosen) / value)
    return Interval(value * math.exp(wider * min(low, 0.0)), value * math.exp(wider * max(high, 0.0)))


def _bins_of(parts: _Parts, slow: FloatArray, tail: FloatArray) -> "_Bins":
    """The slow frames (m,) by bins of frame time, the slowest first; `tail` has them sorted upwards."""
    # Finer where frames are slower; every border is a frame of the tail, so that no bin is empty.
    borders = np.unique(tail[-np.unique(np.geomspace(1, len(tail), BINS).astype(int))])
    borders[0] = tail[0]
    count, size = len(parts.counts), len(borders)
    cell = parts.of_slow * size + size - np.searchsorted(borders, slow, side="right")
    counts = np.bincount(cell, minlength=count * size).reshape(count, size).astype(float)
    first = np.searchsorted(tail, borders)
    last = np.append(first[1:], len(tail))
    mean = np.add.reduceat(tail, first) / (last - first)
    return _Bins(tail[last - 1][::-1], tail[first][::-1], mean[::-1], counts)


def _block_size(parts: int, block: float) -> int:
    """How many neighbouring parts are drawn as one."""
    return min(max(1, math.ceil(BLOCK_TIMES * block)), max(1, parts // 2))


def _block_weights(parts: int, size: int) -> FloatArray:
    """How often each part stands in each resample, (RESAMPLES, parts): blocks of so many neighbouring parts, drawn with
    return around the whole record."""
    drawn = np.random.default_rng(SEED).integers(0, parts, (RESAMPLES, max(1, round(parts / size))))
    cell = drawn + parts * np.arange(RESAMPLES)[:, None]
    begun = np.bincount(cell.ravel(), minlength=RESAMPLES * parts).reshape(RESAMPLES, parts).astype(float)
    upto = np.cumsum(np.hstack([begun[:, parts - size + 1 :], begun]), axis=1)
    return np.asarray(upto[:, size - 1 :] - np.hstack([np.zeros((RESAMPLES, 1)), upto[:, : parts - 1]]))


class _Bins(Struct, frozen=True):
    """Longest, shortest and mean ms of the slow frames in each bin, the slowest bin first, (bins,) each, and how many
    of them each part has, (parts, bins)."""

    high: FloatArray
    low: FloatArray
    mean: FloatArray
    counts: FloatArray


def _lows_of(upto: FloatArray, bins: _Bins, number: FloatArray, time: FloatArray, share: float) -> FloatArray:
    """Lows of resamples (r, 3) of so many frames (r,) and so long (r,), of which `upto` (r, bins) are the slow frames
    up to each bin."""
    own = np.diff(upto, prepend=0.0)
    spent = np.cumsum(own * bins.mean, axis=1)
    worst = np.ceil(share * number)
    there = _Reached.of(upto, worst)
    slowest = there.before(spent) + (worst - there.before(upto)) * bins.mean[there.bin]
    by_time = _Reached.of(spent, share * time)
    gone = (share * time - by_time.before(spent)) / (by_time.at(own) * bins.mean[by_time.bin])
    return 1000.0 / np.column_stack(
        [_ranked(upto, bins, share * (number - 1.0)), slowest / worst, _within(bins, by_time.bin, gone)]
    )


def _ranked(upto: FloatArray, bins: _Bins, rank: FloatArray) -> FloatArray:
    """The frame time at a rank (r,) from the slowest, 0 for it itself, ms: frames of a bin lie evenly from its longest
    to its shortest, and between two bins the rank lies between the last of one and the first of the other."""
    there = _Reached.of(upto, rank + 1.0)
    first = there.before(upto)
    inside = (rank - first) / np.maximum(there.at(upto) - first - 1.0, 1e-9)
    last = bins.low[_Reached.of(upto, first).bin]
    between = last + (rank + 1.0 - first) * (bins.high[there.bin] - last)
    return np.where((rank < first) & (first > 0.0), between, _within(bins, there.bin, inside))


def _within(bins: _Bins, which: np.ndarray, share: FloatArray) -> FloatArray:
    """The frame time at a share (r,) of the way through a bin (r,), from its longest to its shortest, ms."""
    high, low = bins.high[which], bins.low[which]
    return np.asarray(high + np.clip(share, 0.0, 1.0) * (low - high))


class _Reached(Struct, frozen=True):
    """The bin (r,) in which each row of a rising table (r, bins) reaches what is asked of it; the last one where none
    does."""

    bin: np.ndarray

    @classmethod
    def of(cls, table: FloatArray, asked: FloatArray) -> "_Reached":
        """For what is asked of each row, (r,)."""
        return cls(np.minimum((table < asked[:, None]).sum(axis=1), table.shape[1] - 1))

    def at(self, table: FloatArray) -> FloatArray:
        """What a table (r, bins) has at the bin of each row, (r,)."""
        return np.asarray(table[np.arange(len(self.bin)), self.bin])

    def before(self, table: FloatArray) -> FloatArray:
        """What it has at the bin before, 0 before the first, (r,)."""
        return np.where(self.bin > 0, table[np.arange(len(self.bin)), np.maximum(self.bin - 1, 0)], 0.0)
