"""Stutters: frames far longer than those around them.

A frame is one where it takes more than 2.5 times the running median of a second and more than 8 ms above it. Frames in
a row of which none comes half of the way back are one event: so is a cut from a fast scene to a slow one. The running
median is taken every quarter of a second, and only where a frame is long enough beside the shortest ones around
it to be a stutter at all, so that ten million frames take no longer than a few passes over them.
"""

import numpy as np

from pinch.core.nearby import running_min
from pinch.core.runlog import FloatArray
from pinch.core.selecting import places_in

TIMES_MEDIAN = 2.5
ABOVE_MS = 8.0
GRID_MS, HALF_MS = 250.0, 500.0
AT_ONCE = 4_000_000
"""Frames whose windows are looked at together."""


def count_stutters(frame_ms: FloatArray, ends: FloatArray) -> int:
    """Number of stutters; `frame_ms` (n,) and `ends` (n,) of frames in ms from the beginning."""
    return len(find_stutters(frame_ms, ends))


def find_stutters(frame_ms: FloatArray, ends: FloatArray) -> np.ndarray:
    """Places (m,) at which stutters begin among (n,) frames that end at `ends`, ms from the beginning."""
    cells = int(ends[-1] / GRID_MS) + 1
    edges = places_in(ends, np.asarray(GRID_MS * np.arange(cells), dtype=float))
    edges = np.append(edges[edges < len(ends)], len(ends))
    firsts = edges[np.diff(edges, prepend=-1) > 0]  # a cell within one long frame holds no end of a frame
    shortest = running_min(np.minimum.reduceat(frame_ms, firsts[:-1]), 3, 3)  # a second around every frame of a cell
    longest = np.maximum.reduceat(frame_ms, firsts[:-1])
    cells_to_look_at = np.flatnonzero((longest > TIMES_MEDIAN * shortest) & (longest > shortest + ABOVE_MS))
    places, halfway = [np.empty(0, dtype=np.int64)], [np.empty(0)]
    for cell in _in_parts(cells_to_look_at, firsts):
        slow, back = _slow_in(frame_ms, ends, firsts, cell)
        places.append(slow)
        halfway.append(back)
    return _events(frame_ms, np.concatenate(places), np.concatenate(halfway))


def _events(frame_ms: FloatArray, places: np.ndarray, halfway: FloatArray) -> np.ndarray:
    """The first of each row of long frames: those at (m,) places between which no frame is as short as `halfway`."""
    if len(places) < 2:
        return places
    between = np.minimum.reduceat(frame_ms, places)[:-1]  # from each one up to the next, itself among them
    return np.asarray(places[np.concatenate([[True], between <= halfway[:-1]])])


def _in_parts(cells: np.ndarray, firsts: np.ndarray) -> list[np.ndarray]:
    """The cells in groups whose windows are small enough to be looked at together."""
    if not len(cells):
        return []
    widest = 5 * int(np.diff(firsts).max())
    size = max(1, AT_ONCE // max(widest, 1))
    return [cells[i : i + size] for i in range(0, len(cells), size)]


def _slow_in(
    frame_ms: FloatArray, ends: FloatArray, firsts: np.ndarray, cells: np.ndarray
) -> tuple[np.ndarray, FloatArray]:
    """Places of long frames in some cells, by the median of the second around the middle of each, and half of the way
    from their limit back to it, ms."""
    middle = 0.5 * (ends[firsts[cells]] + ends[firsts[cells + 1] - 1])
    a = np.searchsorted(ends, middle - HALF_MS)
    b = np.maximum(np.searchsorted(ends, middle + HALF_MS), a + 1)
    width = int((b - a).max())
    place = a[:, None] + np.arange(width)
    windows = np.where(place < b[:, None], frame_ms[np.minimum(place, len(frame_ms) - 1)], np.inf)
    windows.sort(axis=1)
    number, row = b - a, np.arange(len(cells))
    median = 0.5 * (windows[row, (number - 1) // 2] + windows[row, number // 2])
    limit = np.maximum(TIMES_MEDIAN * median, median + ABOVE_MS)
    width = int(np.diff(firsts)[cells].max())
    inside = firsts[cells][:, None] + np.arange(width)
    there = inside < firsts[cells + 1][:, None]
    slow = there & (frame_ms[np.minimum(inside, len(frame_ms) - 1)] > limit[:, None])
    halfway = np.broadcast_to(((limit + median) / 2.0)[:, None], slow.shape)
    return np.asarray(inside[slow]), np.asarray(halfway[slow])
