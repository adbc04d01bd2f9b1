"""The cheapest order of things to do, where going from one to the next has a price.

Things that cost the same are one kind with a number, so that a kind is visited that many times. An order is then a
closed walk through the kinds from a depot and back, and the walks of least cost are found by integer programming: flows
between kinds that balance, plus, one by one, the cuts that forbid walks falling apart. Each round gives a bound that no
order can undercut; joining the pieces cheapest-first gives an order; where the two meet, the order is proved.

Sources: Dantzig, Fulkerson, Johnson, "Solution of a large-scale traveling-salesman problem", Operations Research 2
(1954); Karp, "A patching algorithm for the nonsymmetric traveling-salesman problem", SIAM J. Computing 8 (1979).
"""

import time

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from pinch.core.runlog import FloatArray

ENOUGH = 1e-6
"""Costs that differ by less count as equal."""
CALM = 1e-4
"""Weight of the work in the second search, small against every difference of cost that matters."""


class Order(Struct, frozen=True):
    """`kinds` in order of visit, the cost of it, and the least that any order costs; `proved` where they are equal."""

    kinds: tuple[int, ...]
    cost: float
    bound: float

    @property
    def proved(self) -> bool:
        """Whether no order is cheaper."""
        return self.cost <= self.bound + max(ENOUGH, 1e-9 * self.cost)

    @property
    def gap(self) -> float:
        """How much cheaper another order could be at most, as a share of the cost."""
        return 0.0 if self.proved or self.cost == 0 else (self.cost - self.bound) / self.cost


def shortest_order(
    counts: NDArray[np.int64], first: FloatArray, cost: FloatArray, work: FloatArray, time_limit_s: float
) -> Order:
    """Visit kind i `counts[i]` times.

    Parameters
    ----------
    counts : (k,) how often each kind is visited, at least once.
    first : (k,) price of beginning with a kind.
    cost : (k, k) price of going from one kind to another; the diagonal is used between equal things.
    work : (k, k) what decides between orders of the same cost: the least of it is taken.
    time_limit_s : after this the best order so far is given, with its bound.
    """
    k = len(counts)
    if k == 0:
        return Order((), 0.0, 0.0)
    price, calm = np.zeros((k + 1, k + 1)), np.zeros((k + 1, k + 1))
    price[:k, :k], price[k, :k], calm[:k, :k] = cost, first, work
    until = time.monotonic() + time_limit_s
    walks = _Walks(np.append(counts, 1))
    best, bound = _search(walks, price, until)
    total = walks.price(best, price)
    calmest, _ = _search(walks, price + CALM * calm, until)
    if walks.price(calmest, price) <= total + ENOUGH:
        best = calmest
    return Order(tuple(best[1:]), walks.price(best, price), min(bound, total))


def _search(walks: "_Walks", cost: FloatArray, until: float) -> tuple[list[int], float]:
    """The cheapest walk found until then, and the bound."""
    best = walks.join(walks.pieces(walks.greedy(cost)), cost)
    bound = 0.0
    while True:
        solved = walks.solve(cost, max(0.01, until - time.monotonic()))
        if solved is None:
            return best, bound
        flows, value = solved
        bound = max(bound, value)
        pieces = walks.pieces(flows)
        best = min(best, walks.join(pieces, cost), key=lambda walk: walks.price(walk, cost))
        if walks.price(best, cost) <= bound + ENOUGH or len(pieces) == 1 or time.monotonic() >= until:
            return best, bound
        walks.forbid(pieces)


class _Walks:
    """Walks through k kinds and the depot, which is number k."""

    def __init__(self, counts: NDArray[np.int64]) -> None:
        self._counts, self._n = counts, len(counts)
        self._cuts: list[NDArray[np.float64]] = []

    def price(self, walk: list[int], cost: FloatArray) -> float:
        """Cost of a closed walk."""
        return float(cost[walk, walk[1:] + walk[:1]].sum())

    def solve(self, cost: FloatArray, time_limit_s: float) -> tuple[NDArray[np.int64], float] | None:
        """Cheapest balanced flows under the cuts so far and the bound they prove; None where time ran out first."""
        from scipy.optimize import Bounds, LinearConstraint, milp

        n = self._n
        out, into = np.kron(np.eye(n), np.ones(n)), np.kron(np.ones(n), np.eye(n))
        rows = np.vstack([out, into, *self._cuts])
        low = np.concatenate([self._counts, self._counts, np.ones(len(self._cuts))])
        high = np.concatenate([self._counts, self._counts, np.full(len(self._cuts), np.inf)])
        most = np.minimum.outer(self._counts, self._counts).astype(float)
        np.fill_diagonal(most, self._counts - 1)
        found = milp(
            cost.ravel(),
            integrality=np.full(n * n, int(bool(self._cuts))),  # without cuts the corners are whole anyway
            bounds=Bounds(0, most.ravel()),
            constraints=LinearConstraint(rows, low, high),
            options={"time_limit": time_limit_s, "mip_rel_gap": 0.0},
        )
        if found.x is None or found.status != 0:
            return None
        return np.rint(found.x).astype(np.int64).reshape(n, n), float(found.fun)

    def greedy(self, cost: FloatArray) -> NDArray[np.int64]:
        """A first walk: always the cheapest next kind that is left, as flows."""
        left, at = self._counts.copy(), self._n - 1
        left[at] = 0
        flows = np.zeros((self._n, self._n), dtype=np.int64)
        while left.any():
            following = int(np.argmin(np.where(left > 0, cost[at], np.inf)))
            flows[at, following] += 1
            left[following] -= 1
            at = following
        flows[at, self._n - 1] += 1
        return flows

    def pieces(self, flows: NDArray[np.int64]) -> list[list[int]]:
        """The closed walks that flows consist of, the one through the depot first and beginning with it."""
        from scipy.sparse.csgraph import connected_components

        number, label = connected_components(flows > 0, directed=False)
        groups = sorted(range(number), key=lambda g: label[-1] != g)
        return [_circuit(flows, int(np.flatnonzero(label == g)[-1])) for g in groups]

    def join(self, pieces: list[list[int]], cost: FloatArray) -> list[int]:
        """One closed walk from the depot, each piece added where that costs least."""
        walk = pieces[0]
        for piece in pieces[1:]:
            a, b, p, q = np.array(walk), np.roll(walk, -1), np.array(piece), np.roll(piece, -1)
            extra = cost[np.ix_(a, q)] + cost[np.ix_(p, b)].T
            extra -= cost[a, b][:, None] + cost[p, q][None, :]
            i, j = np.unravel_index(int(np.argmin(extra)), extra.shape)
            turned = piece[j + 1 :] + piece[: j + 1]
            walk = walk[: i + 1] + turned + walk[i + 1 :]
        return walk

    def forbid(self, pieces: list[list[int]]) -> None:
        """Ask every piece to be left at least once."""
        for piece in pieces[1:]:
            inside = np.isin(np.arange(self._n), piece)
            self._cuts.append(np.outer(inside, ~inside).astype(float).ravel())


def _circuit(flows: NDArray[np.int64], start: int) -> list[int]:
    """The closed walk that uses each flow of a connected piece as often as it says (Hierholzer), from `start`."""
    left, stack, walk = flows.copy(), [start], list[int]()
    while stack:
        at = stack[-1]
        # staying with a kind first keeps equal things together
        following = at if left[at, at] else int(np.argmax(left[at] > 0))
        if left[at, following]:
            left[at, following] -= 1
            stack.append(following)
        else:
            walk.append(stack.pop())
    return walk[::-1][:-1]
