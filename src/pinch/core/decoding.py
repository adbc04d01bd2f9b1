"""Which cause held when: a hidden semi-Markov model over stretches (S.-Z. Yu, Artificial Intelligence 174, 2010).

A path gives each stretch one state; neighbouring stretches of one state are one stay. Its score is what the stretches
say for their states, a price for each change of state, and how usual a stay of such a length is. The best path is
Viterbi's; the chance of a state in a stretch is its share of all paths (forward–backward), each weighed by e^score.
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray

LONGEST_STAY = 400
"""In stretches: a longer stay is put together of such."""


class Decoded(Struct, frozen=True):
    """The best path (m,) and the chance (m, k) of each state in each stretch."""

    path: list[int]
    chance: FloatArray


def decode(
    says: FloatArray, seconds: FloatArray, change: FloatArray, stay: Callable[[FloatArray], FloatArray]
) -> Decoded:
    """Decode (m, k) evidence of m stretches for k states, in nats.

    Parameters
    ----------
    seconds : (m,) lengths of the stretches.
    change : (m − 1,) what a change of state between two stretches costs, nats.
    stay : log-chance of stays of these lengths in s, (j,) to (j,).
    """
    m, k = says.shape
    sums = np.concatenate([np.zeros((1, k)), np.cumsum(says, axis=0)])
    clock = np.concatenate([[0.0], np.cumsum(seconds)])
    cost = np.concatenate([[0.0], change])
    forward, best = np.full((m + 1, k), -np.inf), np.full((m + 1, k), -np.inf)
    # `enter[i]` is the score of all paths of the first i stretches after which a stay of the state may begin.
    enter, enter_best = np.zeros((m + 1, k)), np.zeros((m + 1, k))
    length = np.zeros((m + 1, k), dtype=int)
    for end in range(1, m + 1):
        first = max(0, end - LONGEST_STAY)
        stays = stay(clock[end] - clock[first:end])[:, None] + sums[end] - sums[first:end]
        forward[end] = _log_sum(enter[first:end] + stays, axis=0)
        choice = enter_best[first:end] + stays
        picked = np.argmax(choice, axis=0)
        best[end] = choice[picked, np.arange(k)]
        length[end] = end - first - picked
        if end < m:
            enter[end] = _all_but_own(forward[end], _log_sum) - cost[end]
            enter_best[end] = _all_but_own(best[end], np.max) - cost[end]
    return Decoded(_path(best, enter_best, cost, length), _chances(sums, clock, cost, enter, stay))


def _log_sum(scores: FloatArray, axis: int = 0) -> FloatArray:
    """ln Σ e^score along an axis; scipy's own takes ten times as long for so few values."""
    top = scores.max(axis=axis)
    return np.asarray(top + np.log(np.exp(scores - np.expand_dims(top, axis)).sum(axis=axis)))


def _all_but_own(scores: FloatArray, combine: Callable[..., FloatArray]) -> FloatArray:
    """For each of (k,) states what the others come to."""
    k = len(scores)
    others = np.where(np.eye(k, dtype=bool), -np.inf, scores[None, :])
    return np.asarray(combine(others, axis=1))


def _path(best: FloatArray, enter_best: FloatArray, cost: FloatArray, length: np.ndarray) -> list[int]:
    end = len(best) - 1
    state = int(np.argmax(best[end]))
    path: list[int] = []
    while True:
        stay = int(length[end, state])
        path += [state] * stay
        end -= stay
        if end == 0:
            return path[::-1]
        scores = best[end].copy()
        scores[state] = -np.inf
        state = int(np.argmax(scores))


def _chances(
    sums: FloatArray, clock: FloatArray, cost: FloatArray, enter: FloatArray, stay: Callable[[FloatArray], FloatArray]
) -> FloatArray:
    """(m, k) chances: of every stay from every beginning to every end, added up over the stretches it takes in."""
    m, k = len(sums) - 1, sums.shape[1]
    # `leave[i]` is the score of all that may follow when a stay of the state has ended before stretch i.
    leave = np.zeros((m + 1, k))
    changes = np.zeros((m + 1, k))
    total = -np.inf
    follow = np.zeros((m + 1, k))
    for begin in range(m - 1, -1, -1):
        last = min(m, begin + LONGEST_STAY)
        stays = stay(clock[begin + 1 : last + 1] - clock[begin])[:, None] + sums[begin + 1 : last + 1] - sums[begin]
        follow[begin] = _log_sum(stays + leave[begin + 1 : last + 1], axis=0)
        if begin:
            leave[begin] = _all_but_own(follow[begin], _log_sum) - cost[begin]
    total = float(_log_sum(follow[0]))
    for begin in range(m):
        last = min(m, begin + LONGEST_STAY)
        stays = stay(clock[begin + 1 : last + 1] - clock[begin])[:, None] + sums[begin + 1 : last + 1] - sums[begin]
        weight = np.exp(np.clip(enter[begin] + stays + leave[begin + 1 : last + 1] - total, -700.0, 0.0))
        changes[begin] += weight.sum(axis=0)
        changes[begin + 1 : last + 1] -= weight
    chance = np.clip(np.cumsum(changes, axis=0)[:m], 0.0, 1.0)
    return np.asarray(chance / np.maximum(chance.sum(axis=1, keepdims=True), 1e-300))
