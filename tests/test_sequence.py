"""Orders: against every permutation, against dynamic programming, and the balance of repeats."""

import itertools
import unittest

import numpy as np
from numpy.typing import NDArray

from pinch.core.balance import balanced_rounds, imbalance
from pinch.core.sequence import Order, shortest_order
from tests.waiting import PATIENCE_S


def by_permutations(counts: NDArray[np.int64], first: NDArray[np.float64], cost: NDArray[np.float64]) -> float:
    """Least cost over all distinct orders."""
    things = np.repeat(np.arange(len(counts)), counts).tolist()
    orders = set(itertools.permutations(things))
    return min(first[o[0]] + sum(cost[a, b] for a, b in itertools.pairwise(o)) for o in orders)


def by_dynamic_programming(first: NDArray[np.float64], cost: NDArray[np.float64]) -> float:
    """Least cost of visiting each once (Held and Karp, J. SIAM 10, 1962)."""
    n = len(first)
    best = {(1 << i, i): float(first[i]) for i in range(n)}
    for size in range(2, n + 1):
        for chosen in itertools.combinations(range(n), size):
            bits = sum(1 << i for i in chosen)
            for last in chosen:
                rest = bits & ~(1 << last)
                best[bits, last] = min(best[rest, k] + cost[k, last] for k in chosen if k != last)
    return min(best[(1 << n) - 1, i] for i in range(n))


def price(order: Order, first: NDArray[np.float64], cost: NDArray[np.float64]) -> float:
    return float(first[order.kinds[0]] + sum(cost[a, b] for a, b in itertools.pairwise(order.kinds)))


class TestShortestOrder(unittest.TestCase):
    def test_equals_every_permutation(self) -> None:
        rng = np.random.default_rng(5)
        for trial in range(40):
            k = int(rng.integers(2, 6))
            counts = rng.integers(1, 4, k)
            while counts.sum() > 7:
                counts[np.argmax(counts)] -= 1
            cost, first = rng.integers(0, 20, (k, k)).astype(float), rng.integers(0, 9, k).astype(float)
            with self.subTest(trial):
                order = shortest_order(counts, first, cost, np.zeros((k, k)), PATIENCE_S)
                self.assertAlmostEqual(order.cost, by_permutations(counts, first, cost))
                self.assertAlmostEqual(order.cost, price(order, first, cost))
                self.assertTrue(order.proved)
                np.testing.assert_array_equal(np.bincount(order.kinds, minlength=k), counts)

    def test_ten_groups_are_proved_and_equal_dynamic_programming(self) -> None:
        rng = np.random.default_rng(6)
        for trial in range(6):
            first, cost = rng.uniform(0, 5, 10), rng.uniform(0, 60, (10, 10))
            with self.subTest(trial):
                order = shortest_order(np.ones(10, dtype=np.int64), first, cost, np.zeros((10, 10)), PATIENCE_S)
                self.assertTrue(order.proved)
                self.assertAlmostEqual(order.cost, by_dynamic_programming(first, cost))

    def test_of_equal_orders_the_one_with_least_work_is_taken(self) -> None:
        # every step costs a wait of 10, whatever changes in it; the work differs
        work = np.abs(np.subtract.outer(np.arange(5), np.arange(5))).astype(float)
        cost = np.full((5, 5), 10.0)
        order = shortest_order(np.full(5, 3), np.zeros(5), cost, work, PATIENCE_S)
        self.assertEqual(order.cost, 140.0)
        steps = sum(work[a, b] for a, b in itertools.pairwise(order.kinds))
        self.assertEqual(steps, 4.0, "each kind once, one after the other")

    def test_without_time_there_is_an_order_with_an_honest_bound(self) -> None:
        rng = np.random.default_rng(7)
        cost = rng.uniform(0, 60, (40, 40))
        order = shortest_order(np.full(40, 2), np.zeros(40), cost, np.zeros((40, 40)), 0.0)
        self.assertEqual(sorted(order.kinds), sorted([*range(40), *range(40)]))
        self.assertLessEqual(order.bound, order.cost)
        self.assertEqual(order.proved, order.gap == 0.0)
        self.assertLess(order.gap, 1.0 + 1e-12)
        exact = shortest_order(np.full(40, 2), np.zeros(40), cost, np.zeros((40, 40)), PATIENCE_S)
        self.assertTrue(exact.proved)
        self.assertLessEqual(order.bound, exact.cost + 1e-9)
        self.assertGreaterEqual(order.cost, exact.cost - 1e-9)

    def test_nothing_to_do(self) -> None:
        empty = shortest_order(np.zeros(0, dtype=np.int64), np.zeros(0), np.zeros((0, 0)), np.zeros((0, 0)), 1.0)
        self.assertEqual((empty.kinds, empty.cost, empty.proved), ((), 0.0, True))


class TestBalance(unittest.TestCase):
    def test_positions_differ_by_at_most_one(self) -> None:
        for settings, rounds, seed in itertools.product(range(1, 12), range(2, 8), (1, 2)):
            with self.subTest(settings=settings, rounds=rounds, seed=seed):
                orders = balanced_rounds([rounds] * settings, seed)
                self.assertEqual([sorted(o) for o in orders], [list(range(settings))] * rounds)
                self.assertLessEqual(imbalance(orders), 1.0)

    def test_an_odd_number_of_settings_can_be_balanced_wholly(self) -> None:
        self.assertEqual(imbalance(balanced_rounds([3] * 7, 4)), 0.0)

    def test_the_seed_is_the_order(self) -> None:
        self.assertEqual(balanced_rounds([4] * 6, 9), balanced_rounds([4] * 6, 9))
        self.assertNotEqual(balanced_rounds([4] * 6, 9), balanced_rounds([4] * 6, 10))

    def test_settings_with_fewer_repeats_are_missing_from_later_rounds(self) -> None:
        rounds = balanced_rounds([3, 1, 3], 1)
        self.assertEqual([len(r) for r in rounds], [3, 2, 2])
        self.assertEqual(sum(r.count(1) for r in rounds), 1)

    def test_imbalance_counts_from_the_middle(self) -> None:
        self.assertEqual(imbalance([[0, 1, 2]]), 2.0)
        self.assertEqual(imbalance([[0, 1], [1, 0]]), 0.0)
        self.assertEqual(imbalance([]), 0.0)
