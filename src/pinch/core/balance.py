"""Balanced orders: repeats interleaved in rounds, so that a drift of room or drivers favours no setting.

Each round visits each setting once. The positions of a setting, added over all rounds, differ by at most 1 between
settings: rounds go in pairs, an order and its mirror; an odd number of rounds begins with three orders whose positions
add up to the same for each setting (to two neighbouring sums where the number of settings is even).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def balanced_rounds(repeats: Sequence[int], seed: int) -> list[list[int]]:
    """Settings by number, round after round; setting i is visited in `repeats[i]` rounds.

    Where settings have equal repeats the imbalance is at most 1. Of settings with fewer repeats than others, each is
    missing from the later rounds.
    """
    rng = np.random.default_rng(seed)
    rounds: list[list[int]] = []
    taken = 0
    for many in sorted(set(repeats)):
        visited = [i for i, n in enumerate(repeats) if n >= many]
        rounds += _equal_rounds(visited, many - taken, rng)
        taken = many
    return rounds


def imbalance(rounds: Sequence[Sequence[int]]) -> float:
    """Largest difference between settings of the positions added over all rounds. Positions count from the middle of
    their round, so that rounds of different lengths compare."""
    total: dict[int, float] = {}
    for order in rounds:
        for place, setting in enumerate(order):
            total[setting] = total.get(setting, 0.0) + place - (len(order) - 1) / 2
    return max(total.values()) - min(total.values()) if total else 0.0


def _equal_rounds(settings: list[int], rounds: int, rng: np.random.Generator) -> list[list[int]]:
    made: list[list[int]] = []
    if rounds % 2 == 1:
        names = rng.permutation(settings)
        first = [names[np.argsort(places)].tolist() for places in _three_orders(len(settings))]
        made += first if rounds >= 3 else first[:1]
    while len(made) < rounds:
        order = rng.permutation(settings).tolist()
        made += [order, order[::-1]]
    return made


def _three_orders(n: int) -> list[NDArray[np.int64]]:
    """Three permutations of 0 … n − 1 that add up to a constant (n odd), or to two neighbouring numbers (n even)."""
    i = np.arange(n)
    half = n // 2
    second = (i + half) % n
    if n % 2:
        return [i, second, 3 * half - i - second]
    return [i, second, np.where(i < half, n - 1 - 2 * i, n - 2 - 2 * (i - half))]
