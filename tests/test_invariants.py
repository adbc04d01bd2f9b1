"""What must hold whatever the numbers: laws of ratios, curves, levels and lines."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from pinch.core.cell_scores import cell_score
from pinch.core.concave import fit_concave_rows
from pinch.core.crossing import at_watts, pair_up
from pinch.core.energy import energy_of
from pinch.core.errors import DataError
from pinch.core.fairness import Conditions, differences
from pinch.core.generations import split_uplift
from pinch.core.index import index_of
from pinch.core.ladder import Ladder, Point, fit_ladder
from pinch.core.line import fit_line
from pinch.core.money import Deal, money_pair
from pinch.core.parabola import lowest_between
from pinch.core.powerlaw import fit_power_laws
from pinch.core.scaling import scale
from pinch.core.sound import level_mean, level_sum, without_room
from pinch.core.sweetspots import RULES, first_reach, sweet_spots
from pinch.core.targets import reach_target
from pinch.core.touch import LIMITS_C, Contact, Material, longest_contact
from pinch.core.verdict import Answer, Verdict, judge_pair

SCORES = st.lists(st.floats(50.0, 200.0), min_size=2, max_size=6)
POWERS = np.array([7.0, 10.0, 14.0, 20.0, 28.0, 40.0])
quick = settings(max_examples=40, deadline=None)


def ladder(seed: int, scale_by: float = 1.0, exponent: float = 0.5) -> Ladder:
    rng = np.random.default_rng(seed)
    points = []
    for watts in POWERS:
        for _ in range(3):
            points.append(
                Point(f"{watts:g}", float(watts), float(scale_by * watts**exponent * np.exp(0.006 * rng.normal())))
            )
    return fit_ladder(points)


class TestVerdicts(unittest.TestCase):
    @quick
    @given(SCORES, SCORES)
    def test_the_other_way_round_is_the_reciprocal(self, a: list[float], b: list[float]) -> None:
        one, other = judge_pair(cell_score(a), cell_score(b)), judge_pair(cell_score(b), cell_score(a))
        self.assertAlmostEqual(one.ratio * other.ratio, 1.0, places=9)
        self.assertAlmostEqual(one.low * other.high, 1.0, places=6)
        opposite = {Answer.FASTER: Answer.SLOWER, Answer.SLOWER: Answer.FASTER}
        self.assertEqual(opposite.get(one.answer, one.answer), other.answer)

    @quick
    @given(SCORES, SCORES, st.floats(0.01, 1000.0))
    def test_the_unit_does_not_matter(self, a: list[float], b: list[float], unit: float) -> None:
        one = judge_pair(cell_score(a), cell_score(b))
        scaled = judge_pair(cell_score([x * unit for x in a]), cell_score([x * unit for x in b]))
        self.assertEqual((one.answer, one.more_runs is None), (scaled.answer, scaled.more_runs is None))
        self.assertLessEqual(abs((one.more_runs or 0) - (scaled.more_runs or 0)), 1, "the last digit may turn one up")
        self.assertAlmostEqual(one.ratio / scaled.ratio, 1.0, places=9)

    @quick
    @given(SCORES, SCORES)
    def test_less_is_better_turns_it_round(self, a: list[float], b: list[float]) -> None:
        times, rates = (
            judge_pair(cell_score(a), cell_score(b), lower_is_better=True),
            judge_pair(cell_score(b), cell_score(a)),
        )
        self.assertAlmostEqual(times.ratio, rates.ratio, places=12)
        self.assertEqual(times.answer, rates.answer)

    @quick
    @given(SCORES, SCORES)
    def test_a_tie_survives_a_larger_difference_that_matters(self, a: list[float], b: list[float]) -> None:
        if judge_pair(cell_score(a), cell_score(b), 0.03).answer == Answer.TIE:
            self.assertEqual(judge_pair(cell_score(a), cell_score(b), 0.06).answer, Answer.TIE)

    @quick
    @given(st.lists(st.floats(0.5, 2.0), min_size=1, max_size=8))
    def test_an_index_lies_between_its_ratios(self, ratios: list[float]) -> None:
        made = {str(n): Verdict(r, r * 0.98, r * 1.02, Answer.TIE, None) for n, r in enumerate(ratios)}
        index = index_of(made)
        self.assertTrue(min(ratios) - 1e-9 <= index.ratio <= max(ratios) + 1e-9)
        self.assertTrue(index.low <= index.ratio <= index.high)

    @quick
    @given(st.floats(10.0, 5000.0), st.floats(10.0, 5000.0), st.floats(0.2, 5.0))
    def test_at_its_break_even_price_a_deal_gives_as_much(self, price: float, base: float, ratio: float) -> None:
        pair = money_pair(Deal(price, "EUR", ratio), Deal(base, "EUR", 1.0))
        even = money_pair(Deal(pair.break_even, "EUR", ratio), Deal(base, "EUR", 1.0))
        self.assertAlmostEqual(even.value_ratio, 1.0, places=9)


class TestCurves(unittest.TestCase):
    @quick
    @given(st.lists(st.floats(1.0, 100.0), min_size=6, max_size=6))
    def test_the_free_shape_never_falls_and_never_bends_up(self, scores: list[float]) -> None:
        (row,) = fit_concave_rows(POWERS, np.array([scores]), np.ones(6))
        slopes = np.diff(row) / np.diff(POWERS)
        self.assertTrue((slopes >= -1e-7).all())
        self.assertTrue((np.diff(slopes) <= 1e-6).all())

    @quick
    @given(st.floats(0.1, 100.0), st.integers(0, 50))
    def test_the_unit_of_a_score_moves_no_spot(self, unit: float, seed: int) -> None:
        one, other = sweet_spots(ladder(seed)), sweet_spots(ladder(seed, unit))
        for rule in RULES:
            self.assertAlmostEqual(one[rule].power_w, other[rule].power_w, places=4)

    @quick
    @given(st.integers(0, 200))
    def test_spots_lie_within_what_was_measured(self, seed: int) -> None:
        made = ladder(seed)
        for spot in sweet_spots(made).values():
            self.assertTrue(made.covers(spot.power_w))
            self.assertTrue(made.power[0] - 1e-9 <= spot.low_w <= spot.high_w <= made.power[-1] + 1e-9)

    @quick
    @given(st.floats(0.05, 0.95))
    def test_a_target_on_the_curve_is_found_there(self, share: float) -> None:
        made = ladder(3)
        at = made.power[0] + share * (made.power[-1] - made.power[0])
        found = reach_target(made, made.at(float(at)))
        self.assertAlmostEqual(found.power_w, float(at), delta=0.02)
        again = first_reach(made.power, made.score[None, :], np.array([made.at(float(at))]))
        self.assertAlmostEqual(float(again[0]), found.power_w)

    @quick
    @given(st.integers(0, 100), st.floats(12.0, 30.0))
    def test_curves_that_cross_agree_at_the_crossing(self, seed: int, at: float) -> None:
        one, other = ladder(seed), ladder(seed + 1000, at**-0.3, 0.8)
        for crossing in pair_up("one", one, "other", other).crossings:
            self.assertAlmostEqual(one.at(crossing.power_w), other.at(crossing.power_w), places=2)
            found = {x.name: x.score for x in at_watts({"one": one, "other": other}, crossing.power_w)}
            self.assertAlmostEqual(found["one"], found["other"], places=2)

    @quick
    @given(st.floats(9.0, 35.0), st.floats(9.0, 35.0), st.floats(1.01, 1.5))
    def test_parts_of_an_uplift_make_the_whole(self, new_w: float, old_w: float, better: float) -> None:
        old, new = ladder(1), ladder(1, better)
        split = split_uplift(new, new_w, old, old_w)
        self.assertAlmostEqual(split.design + split.watts, split.total)
        self.assertAlmostEqual(split.total, new.at(new_w) / old.at(old_w) - 1.0)

    def test_the_order_of_runs_does_not_matter(self) -> None:
        rng = np.random.default_rng(4)
        points = [
            Point(f"{w:g}", float(w), float(10 * w**0.5 * (1 + 0.01 * rng.normal()))) for w in POWERS for _ in range(3)
        ]
        mixed = [points[i] for i in rng.permutation(len(points))]
        np.testing.assert_allclose(fit_ladder(mixed).score, fit_ladder(points).score, rtol=1e-9)
        self.assertAlmostEqual(scale(mixed).next_w, scale(points).next_w, delta=1.5)

    def test_all_scores_alike_and_odd_shapes_give_an_answer(self) -> None:
        for scores in ([5.0] * 6, [9.0, 8, 7, 6, 5, 4], [1.0, 1, 1, 1, 1, 100], [1e-6] * 3 + [1e6] * 3):
            found = scale([Point(f"{w:g}", float(w), s) for w, s in zip(POWERS, scores, strict=True)])
            self.assertTrue(np.isfinite(found.ladder.score).all(), scores)
            self.assertTrue(all(np.isfinite(spot.power_w) for spot in found.spots.values()))
        with self.assertRaises(DataError):
            scale([Point("a", 10.0, 1.0)] * 5)

    def test_one_law_for_each_row(self) -> None:
        rows = np.log(np.array([10 * (POWERS - p0) ** b for p0, b in ((0.0, 0.4), (3.0, 0.6), (5.0, 0.3))]))
        many = fit_power_laws(POWERS, rows, np.ones(6))
        for n in range(3):
            one = fit_power_laws(POWERS, rows[n : n + 1], np.ones(6))
            self.assertAlmostEqual(many.exponent[n], one.exponent[0])
            self.assertAlmostEqual(many.offset_w[n], one.offset_w[0])

    def test_the_lowest_place_of_a_parabola(self) -> None:
        places = np.array([0.0, 1.0, 2.5, 4.0, 7.0])
        rows = np.array([(places - c) ** 2 for c in (2.2, -1.0, 9.0)])
        np.testing.assert_allclose(lowest_between(places, rows), [2.2, 0.0, 7.0])


class TestLevelsAndLines(unittest.TestCase):
    @quick
    @given(st.lists(st.floats(20.0, 90.0), min_size=1, max_size=10))
    def test_a_mean_level_lies_within_and_the_sum_above(self, levels: list[float]) -> None:
        self.assertTrue(min(levels) - 1e-9 <= level_mean(levels) <= max(levels) + 1e-9)
        self.assertGreaterEqual(level_sum(levels), max(levels) - 1e-9)

    @quick
    @given(st.floats(20.0, 60.0), st.floats(3.01, 9.99))
    def test_machine_and_room_make_what_was_read(self, room: float, above: float) -> None:
        found = without_room(room + above, room)
        self.assertAlmostEqual(level_sum([found.level, room]), room + above, places=6)

    @quick
    @given(st.floats(-50.0, 50.0), st.floats(-5.0, 5.0))
    def test_a_line_without_noise_comes_back(self, intercept: float, slope: float) -> None:
        x = np.linspace(3.0, 60.0, 12)
        line = fit_line(x, intercept + slope * x)
        self.assertAlmostEqual(line.slope, slope, places=8)
        self.assertAlmostEqual(line.at(100.0).value, intercept + 100.0 * slope, places=6)
        self.assertFalse(line.covers(100.0))

    @quick
    @given(st.lists(st.floats(0.1, 100.0), min_size=3, max_size=40), st.floats(0.5, 5.0))
    def test_energy_adds_up_over_parts(self, watts: list[float], step: float) -> None:
        t, power = step * np.arange(len(watts)), np.array(watts)
        cut = len(watts) // 2
        parts = energy_of(t[: cut + 1], power[: cut + 1]).joules + energy_of(t[cut:], power[cut:]).joules
        self.assertAlmostEqual(parts, energy_of(t, power).joules, places=6)

    def test_hotter_is_never_held_longer(self) -> None:
        order = [None, *Contact]
        for material in Material:
            lengths = [order.index(longest_contact(t, material)) for t in np.arange(30.0, 90.0, 0.5)]
            self.assertEqual(lengths, sorted(lengths, reverse=True))
        for contact in Contact:
            limits = [LIMITS_C[contact][m] for m in (Material.METAL, Material.GLASS, Material.PLASTIC)]
            self.assertEqual(limits, sorted(limits), "metal burns first")

    @quick
    @given(st.floats(5.0, 60.0), st.floats(5.0, 60.0), st.booleans(), st.booleans())
    def test_fairness_is_the_same_seen_from_the_other_side(self, one: float, other: float, a: bool, b: bool) -> None:
        first, second = Conditions("a", "A", power_w=one, mains=a), Conditions("b", "B", power_w=other, mains=b)
        there, back = differences(first, second), differences(second, first)
        self.assertEqual({(d.key, d.grade) for d in there}, {(d.key, d.grade) for d in back})
        turned = {"a": "b", "b": "a", "": ""}
        self.assertEqual({(d.key, turned[d.holds_back]) for d in there}, {(d.key, d.holds_back) for d in back})
        self.assertTrue(all(math.isfinite(d.grade) and d.words.endswith(".") for d in there))
