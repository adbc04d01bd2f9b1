"""The parts of the built-in load: what each does in a work unit, and its version, which goes with its scores.

A part whose work changes gets a new version: scores of different versions are not of the same work. No Pinch but this:
the load is a small process of its own.
"""

import time
from collections.abc import Callable

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from pinch.language import tr

SIZE = 192
MEMORY_BYTES = 32_000_000
"""Each of two arrays a worker copies between: beyond what caches hold."""
LIGHT_UNITS, LIGHT_EVERY_S = 4, 0.25
"""Units of work at each beat of light use: the same for every machine, so that a faster one rests longer."""

Counts = NDArray[np.float64]
Alive = Callable[[], bool]


class KitPart(Struct, frozen=True):
    """A part of the load: its version, the unit of its rate, what it does in words, and on how many workers (None: one
    a core)."""

    version: str
    unit: str
    words: str
    workers: int | None = None


KIT = {
    "cores": KitPart("1", "units/s", tr("products of 192×192 matrices of doubles on every core, without a pause")),
    "memory": KitPart("1", "GB/s", tr("32 MB copied to and fro on every core; what is read and written counts")),
    "light": KitPart("1", "units/s", tr("4 products of matrices every quarter of a second on one core, then rest"), 1),
    "scene": KitPart("1", "1/s", tr("a picture of 1920×1080 drawn by a fixed path of frames, as fast as it goes"), 0),
    "idle": KitPart("1", "units/s", tr("nothing at all"), 0),
}


def work(kind: str, counts: Counts, number: int, alive: Alive) -> None:
    """Work until nobody is there any more; `counts[number]` grows by one a unit."""
    {"cores": _multiply, "memory": _copy, "light": _use_lightly}[kind](counts, number, alive)


def _matrices(number: int) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    rng = np.random.default_rng(number)
    a, b = rng.standard_normal((2, SIZE, SIZE)) / SIZE
    return a, b, np.empty_like(a)


def _multiply(counts: Counts, number: int, alive: Alive) -> None:
    a, b, out = _matrices(number)
    while alive():
        np.matmul(a, b, out=out)
        counts[number] += 1.0


def _copy(counts: Counts, number: int, alive: Alive) -> None:
    """A unit is 1 GB that was read or written."""
    here, there = np.ones((2, MEMORY_BYTES // 8))
    while alive():
        np.copyto(there, here)
        here, there = there, here
        counts[number] += 2e-9 * MEMORY_BYTES


def _use_lightly(counts: Counts, number: int, alive: Alive) -> None:
    a, b, out = _matrices(number)
    due = time.monotonic()
    while alive():
        for _ in range(LIGHT_UNITS):
            np.matmul(a, b, out=out)
        counts[number] += LIGHT_UNITS
        due = max(due + LIGHT_EVERY_S, time.monotonic() - LIGHT_EVERY_S)  # a beat is made up for, not many
        time.sleep(max(0.0, due - time.monotonic()))
