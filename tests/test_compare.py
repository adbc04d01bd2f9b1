"""Verdicts on pairs of cells, fairness, the index, money and quick sums."""

import math
import unittest
from datetime import date

import numpy as np
from msgspec.structs import replace
from scipy import stats

from pinch.core.cell_scores import (
    CellScore,
    ScoreGroup,
    cell_score,
    grouped_score,
    pooled_scatter,
    scatter_within,
    told_score,
)
from pinch.core.errors import DataError
from pinch.core.fairness import Conditions, FairnessGrade, differences
from pinch.core.index import between_variance, index_of
from pinch.core.money import Deal, money_pair
from pinch.core.quicksums import SUMS
from pinch.core.verdict import Answer, Verdict, judge_pair, more_runs


def cell(mean: float, noise: float, runs: int, seed: int = 1) -> CellScore:
    return cell_score(mean * np.exp(noise * np.random.default_rng(seed).standard_normal(runs)))


class TestVerdict(unittest.TestCase):
    def test_interval_is_welchs_on_logarithms(self) -> None:
        # The same by scipy.stats, which has its own code for it.
        rng = np.random.default_rng(2)
        for runs_a, runs_b in ((3, 5), (8, 4), (2, 9)):
            a, b = 100 * np.exp(0.02 * rng.standard_normal(runs_a)), 97 * np.exp(0.01 * rng.standard_normal(runs_b))
            theirs = stats.ttest_ind(np.log(a), np.log(b), equal_var=False).confidence_interval(0.95)
            ours = judge_pair(cell_score(a), cell_score(b))
            np.testing.assert_allclose([ours.low, ours.high], np.exp([theirs.low, theirs.high]), rtol=1e-9)

    def test_a_tie_is_two_one_sided_tests(self) -> None:
        # TOST by scipy.stats at ± ln 1.03: a tie where both one-sided tests reject at 5 %.
        limit = math.log(1.03)
        answers = set()
        for seed in range(40):
            rng = np.random.default_rng(seed)
            a, b = (np.log(100) + 0.012 * rng.standard_normal(5) for _ in range(2))
            above = stats.ttest_ind(a + limit, b, equal_var=False, alternative="greater").pvalue
            below = stats.ttest_ind(a - limit, b, equal_var=False, alternative="less").pvalue
            found = judge_pair(cell_score(np.exp(a)), cell_score(np.exp(b))).answer
            answers.add(found)
            if found in (Answer.TIE, Answer.CANNOT_TELL):
                self.assertEqual(found == Answer.TIE, max(above, below) < 0.05)
        self.assertLessEqual({Answer.TIE, Answer.CANNOT_TELL}, answers)

    def test_two_sample_example_of_the_handbook(self) -> None:
        # NIST/SEMATECH e-Handbook 1.3.5.3 (AUTO83B), from memory: unequal variances t −12.94627 with 136.875 degrees.
        a = CellScore(249, 0.0, 20.14458, 6.41470, 248.0)
        b = CellScore(79, 0.0, 30.48101, 6.10771, 78.0)
        v = judge_pair(a, b)
        reach = math.log(v.high / v.low) / 2
        self.assertAlmostEqual(math.log(v.ratio) / reach * stats.t.ppf(0.975, 136.875), -12.94627, delta=2e-4)

    def test_runs_needed(self) -> None:
        # e-Handbook 7.2.2.2: 62.79, so 63 of each for half a standard deviation at 5 % and 80 % power.
        self.assertEqual(more_runs(1.0, math.expm1(0.5), 3), 60)
        self.assertEqual(more_runs(0.001, 0.03, 5), 1)

    def test_the_three_answers(self) -> None:
        base = cell(100.0, 0.006, 8, 1)
        self.assertEqual(judge_pair(cell(109.0, 0.015, 5, 2), base).answer, Answer.FASTER)
        self.assertEqual(judge_pair(cell(91.0, 0.015, 5, 3), base).answer, Answer.SLOWER)
        self.assertEqual(judge_pair(cell(100.2, 0.006, 8, 4), base).answer, Answer.TIE)
        unclear = judge_pair(cell(103.0, 0.04, 3, 5), cell(100.0, 0.04, 3, 6))
        self.assertEqual(unclear.answer, Answer.CANNOT_TELL)
        self.assertGreater(unclear.more_runs or 0, 5)

    def test_a_small_difference_that_can_be_measured_is_said(self) -> None:
        v = judge_pair(cell_score([101.5, 101.6, 101.4, 101.5]), cell_score([100.0, 100.1, 99.9, 100.0]))
        self.assertEqual(v.answer, Answer.TIE)
        self.assertIn("1.5 % can be measured", v.words)
        self.assertEqual(judge_pair(cell(101.5, 1e-4, 4), cell(100.0, 1e-4, 4), delta=0.01).answer, Answer.FASTER)

    def test_less_is_better(self) -> None:
        # Times of 100 s and 54 s: 46 % less time is 1.85 times as fast (arithmetic).
        v = judge_pair(cell(54.0, 0.002, 4, 1), cell(100.0, 0.002, 4, 2), lower_is_better=True)
        self.assertAlmostEqual(v.ratio, 1.85, delta=0.02)
        self.assertEqual(v.answer, Answer.FASTER)

    def test_single_runs_claim_nothing_of_their_own(self) -> None:
        one, other = cell_score([100.0]), cell_score([120.0])
        alone = judge_pair(other, one)
        self.assertFalse(alone.has_interval)
        self.assertEqual((alone.answer, alone.more_runs), (Answer.CANNOT_TELL, None))
        pooled = pooled_scatter([cell(50.0, 0.01, 4, s) for s in range(5)] + [one])
        self.assertEqual(pooled.df, 15)
        borrowed = judge_pair(other, one, pooled=pooled)
        self.assertEqual((borrowed.answer, borrowed.has_interval), (Answer.CANNOT_TELL, True))
        self.assertIn("borrowed", borrowed.words)
        self.assertTrue(math.isnan(one.interval()[0]))

    def test_pooled_scatter_is_that_of_an_analysis_of_variance(self) -> None:
        rows = np.random.default_rng(7).normal(100, 2, (4, 5))
        cells = [cell_score(row) for row in rows]
        within = np.log(rows) - np.log(rows).mean(axis=1, keepdims=True)
        self.assertAlmostEqual(pooled_scatter(cells).sd, math.sqrt((within**2).sum() / 16), places=12)

    def test_rules_of_the_trade(self) -> None:
        # Common practice, no source: swaps of one or two frames are a tie; 6,933 against 5,401 is 28 % more.
        frames = judge_pair(cell_score([61.0, 60.0, 61.0, 62.0]), cell_score([60.0, 62.0, 61.0, 60.0]))
        self.assertIn(frames.answer, (Answer.TIE, Answer.CANNOT_TELL))
        ratio = judge_pair(cell_score([6933.0]), cell_score([5401.0])).ratio
        self.assertEqual(round(100 * (ratio - 1)), 28)

    def test_scores_that_make_no_ratio(self) -> None:
        for scores in ([], [float("nan")]):
            with self.assertRaises(DataError):
                cell_score(scores)
        for scores in ([0.0, 1.0], [-5.0]):
            v = judge_pair(cell_score(scores), cell_score([1.0, 2.0]))
            self.assertTrue(math.isnan(v.ratio))
            self.assertEqual((v.answer, v.has_interval), (Answer.CANNOT_TELL, False))
            self.assertIn("not above zero", v.words)
        self.assertEqual(cell_score([0.0, 1.0]).mean, 0.5)
        self.assertEqual(told_score(50.0, None, 6).df, 0.0)
        self.assertAlmostEqual(told_score(50.0, 1.0, 6).log_sd, 0.02)


class TestIndex(unittest.TestCase):
    TIMES = ((417.0, 83, 66, 39449, 772), (244.0, 70, 153, 33527, 368), (134.0, 70, 135, 66000, 369))

    def ratios(self, one: int, base: int) -> dict[str, Verdict]:
        pairs = zip(self.TIMES[one], self.TIMES[base], strict=True)
        verdicts = [judge_pair(cell_score([a]), cell_score([b]), lower_is_better=True) for a, b in pairs]
        return {str(i): v for i, v in enumerate(verdicts)}

    def test_does_not_depend_on_the_base(self) -> None:
        # Fleming & Wallace 1986 (CACM 29), times of R, M, Z: geometric means .86 and .85 of R's (the paper may print
        # .84 for Z), whichever of them is the base; from memory.
        r, m, z = 0, 1, 2
        self.assertAlmostEqual(1 / index_of(self.ratios(m, r)).ratio, 0.86, delta=0.011)
        self.assertAlmostEqual(1 / index_of(self.ratios(z, r)).ratio, 0.85, delta=0.011)
        through = index_of(self.ratios(z, r)).ratio / index_of(self.ratios(m, r)).ratio
        self.assertAlmostEqual(index_of(self.ratios(z, m)).ratio, through, places=12)

    def test_one_that_stands_apart_is_named_and_kept(self) -> None:
        of = {name: Verdict(ratio, 0.98 * ratio, 1.02 * ratio, Answer.FASTER, None) for name, ratio in
              zip("abcde", (1.10, 1.11, 1.09, 1.105, 2.0), strict=True)}  # fmt: skip
        index = index_of(of)
        self.assertEqual(index.outliers, ("e",))
        self.assertAlmostEqual(index.ratio, math.prod(v.ratio for v in of.values()) ** 0.2, places=9)
        self.assertLess(index.low, 1.0, "how far workloads are apart is part of what is not known")
        self.assertGreater(index.high, 1.5)

    def test_a_random_effect_as_published(self) -> None:
        # Thirteen trials of a vaccine, ln relative risks: the variance between them by Hedges and Olkin's moments is
        # 0.3286 (W. Viechtbauer, J. Stat. Softw. 36(3), 2010, method HE; from memory). The table of cases: G. A.
        # Colditz et al., JAMA 271, 1994; from memory.
        table = (
            *((4, 119, 11, 128), (6, 300, 29, 274), (3, 228, 11, 209), (62, 13536, 248, 12619), (33, 5036, 47, 5761)),
            *((180, 1361, 372, 1079), (8, 2537, 10, 619), (505, 87886, 499, 87892), (29, 7470, 45, 7232)),
            *((17, 1699, 65, 1600), (186, 50448, 141, 27197), (5, 2493, 3, 2338), (27, 16886, 29, 17825)),
        )
        effects = np.array([math.log(a / (a + b) * (c + d) / c) for a, b, c, d in table])
        within = [1 / a - 1 / (a + b) + 1 / c - 1 / (c + d) for a, b, c, d in table]
        self.assertAlmostEqual(between_variance(effects, within), 0.3286, places=4)

    def test_its_interval_is_students_where_ratios_are_apart(self) -> None:
        # The same by scipy.stats, which has its own code for it.
        ratios = (1.10, 1.31, 0.97, 1.52, 1.05)
        index = index_of({str(r): Verdict(r, 0.999 * r, 1.001 * r, Answer.TIE, None) for r in ratios})
        theirs = stats.ttest_1samp(np.log(ratios), 0.0).confidence_interval(0.95)
        np.testing.assert_allclose([index.low, index.high], np.exp([theirs.low, theirs.high]), rtol=1e-9)
        games = index_of(
            {
                f"{r} {s}": Verdict(r * s, 0.999 * r * s, 1.001 * r * s, Answer.TIE, None)
                for r in ratios
                for s in (0.9, 1)
            },
            family_of={f"{r} {s}": r for r in ratios for s in (0.9, 1)},
        )
        theirs = stats.ttest_1samp(np.log(ratios) + np.log(0.9) / 2.0, 0.0).confidence_interval(0.95)
        np.testing.assert_allclose([games.low, games.high], np.exp([theirs.low, theirs.high]), rtol=1e-9)
        self.assertEqual(games.extent, "10 variants of 5 workloads")
        pair = {name: Verdict(1.1, 1.1 / 1.02, 1.1 * 1.02, Answer.TIE, None) for name in "ab"}
        one = index_of(pair, family_of={"a": 1, "b": 1})  # nothing is known of another workload
        self.assertAlmostEqual(math.log(one.high / 1.1), math.log(1.02) / math.sqrt(2.0))
        self.assertEqual((one.extent, math.isnan(one.between)), ("2 variants of 1 workload", True))
        alone = index_of({"a": Verdict(1.1, 1.0, 1.2, Answer.FASTER, None)}, ["b"])
        self.assertEqual((alone.low, alone.high, alone.not_shared), (1.0, 1.2, ("b",)))
        with self.assertRaises(DataError):
            index_of({"a": Verdict(math.nan, math.nan, math.nan, Answer.CANNOT_TELL, None)})

    def test_groups_are_as_if_each_run_were_there(self) -> None:
        # Analysis of variance in one way (NIST/SEMATECH e-Handbook 7.4.3): sums of squares within and between groups.
        rng = np.random.default_rng(5)
        parts = [100 * np.exp(0.01 * rng.standard_normal(n)) for n in (4, 7, 3)]
        means = [float(np.exp(np.log(p).mean())) for p in parts]
        groups = [ScoreGroup(m, m * float(np.log(p).std(ddof=1)), len(p)) for m, p in zip(means, parts, strict=True)]
        found, whole = grouped_score(groups), cell_score(np.concatenate(parts))
        self.assertAlmostEqual(found.log_sd, whole.log_sd, places=9)
        self.assertAlmostEqual(found.log_mean, whole.log_mean, places=12)
        self.assertEqual((found.runs, found.df), (14, 13.0))

    def test_scatter_within_groups_is_that_of_their_cells(self) -> None:
        rng = np.random.default_rng(8)
        groups = [list(50 * np.exp(0.02 * rng.standard_normal(n))) for n in (1, 3, 5, 2)]
        ours, cells = scatter_within(groups), pooled_scatter([cell_score(g) for g in groups])
        self.assertAlmostEqual(ours.sd, cells.sd, places=12)
        self.assertEqual((ours.df, scatter_within([[1.0]]).df), (cells.df, 0))

    def test_what_one_told_is_a_difference_without_an_answer(self) -> None:
        own = cell(100.0, 0.01, 5)
        v = judge_pair(grouped_score([ScoreGroup(112.0)], told=True), own, pooled=pooled_scatter([own]))
        self.assertAlmostEqual(v.ratio, 1.12, delta=0.01)
        self.assertEqual((v.has_interval, v.words), (False, "how repeatable it is nobody said"))
        units = judge_pair(grouped_score([ScoreGroup(112.0, 1.5, 6)], told=True), own)
        self.assertEqual(units.answer, Answer.FASTER)


class TestFairness(unittest.TestCase):
    base = Conditions("Base", "Unit A", power_w=28.0, ambient_c=22.0, mains=True, graphical=True, runs=3,
                      builds={"graphics driver": ("31", "2026-06-01"), "firmware": ("1", "2026-01-01")},
                      resolution="1920×1200", work={"preset": "medium"}, memory={"memory kind": "DDR5"},
                      channels="dual", day=date(2026, 9, 1))  # fmt: skip

    def found(self, **changed: object) -> dict[str, tuple[FairnessGrade, str]]:
        other = replace(self.base, name="Other", device="Unit B", **changed)  # type: ignore[arg-type]
        return {d.key: (d.grade, d.holds_back) for d in differences(other, self.base)}

    def test_same_conditions_are_fair(self) -> None:
        self.assertEqual(self.found(), {})
        self.assertEqual(self.found(power_w=28.2, ambient_c=22.03), {})

    def test_each_rule(self) -> None:
        note, back, harmless = FairnessGrade.NOTE, FairnessGrade.HOLDS_BACK, FairnessGrade.HARMLESS
        for changed, key, expected in (
            ({"power_w": 22.0}, "watts", (back, "a")),
            ({"power_w": 29.5}, "watts", (note, "b")),
            ({"power_w": None}, "watts", (note, "")),
            ({"ambient_c": 31.0}, "ambient", (back, "a")),
            ({"ambient_c": 25.0}, "ambient", (note, "")),
            ({"ambient_c": 25.0, "heat_share": 0.4}, "ambient", (back, "a")),
            ({"ambient_c": 23.5}, "ambient", (harmless, "")),
            ({"mains": False}, "supply", (back, "a")),
            ({"graphics_path": "direct"}, "graphics-path", (back, "")),
            ({"fan": "quiet"}, "fan", (note, "")),
            ({"builds": {"graphics driver": ("29", "2025-11-05")}}, "build graphics driver", (back, "a")),
            ({"builds": {"graphics driver": ("32", "2026-07-01")}}, "build graphics driver", (note, "")),
            ({"resolution": "2560×1600"}, "resolution", (back, "a")),
            ({"resolution": "1920×1080"}, "shape", (note, "")),
            ({"work": {"preset": "high"}}, "preset", (back, "")),
            ({"frame_cap": 40.0}, "frame-cap", (back, "a")),
            ({"capped_share": 0.8}, "frame-cap", (back, "a")),
            ({"memory": {"memory kind": "LPDDR5X"}}, "memory kind", (note, "")),
            ({"memory": {"memory kind": "LPDDR5X"}, "graphical": False}, "memory kind", (harmless, "")),
            ({"channels": "single"}, "channels", (back, "a")),
            ({"clock_lock_mhz": 3100.0}, "clock-lock", (back, "a")),
            ({"undervolt_mv": -50.0}, "undervolt", (note, "")),
            ({"day": date(2026, 12, 1)}, "days", (note, "")),
            ({"status": "pre-production"}, "status", (note, "")),
            ({"origin": "maker's figure, mean of 6 units"}, "origin", (note, "")),
            ({"runs": 1}, "runs", (note, "")),
            ({"runs": 5}, "runs", (harmless, "")),
            ({"unsettled": "drifting"}, "unsettled a", (note, "")),
        ):
            with self.subTest(changed):
                self.assertEqual(self.found(**changed).get(key), expected)

    def test_the_worst_comes_first_and_either_side_can_be_held_back(self) -> None:
        worse = replace(self.base, name="Other", power_w=15.0, fan="quiet")
        found = differences(self.base, worse)
        self.assertEqual([d.key for d in found], ["watts", "fan"])
        self.assertEqual(found[0].holds_back, "b")
        self.assertIn("Base drew 87 % more watts", found[0].words)

    def test_firmware_of_different_devices_is_their_own(self) -> None:
        own = {"firmware": ("7", "2026-08-01")}
        self.assertNotIn("build firmware", self.found(builds=self.base.builds | own))
        same = replace(self.base, builds=self.base.builds | own)
        self.assertIn("build firmware", [d.key for d in differences(same, self.base)])


class TestMoney(unittest.TestCase):
    def test_what_costs_nothing_is_refused(self) -> None:
        for deals in ((0.0, 1000.0), (1000.0, 0.0)):
            with self.subTest(deals), self.assertRaises(DataError):
                money_pair(*(Deal(price, "EUR", 1.0) for price in deals))

    def test_both_differences_and_the_break_even_price(self) -> None:
        # Common practice, no source: 15 % more money for 30 % more speed.
        pair = money_pair(Deal(1150.0, "EUR", 1.30), Deal(1000.0, "EUR", 1.0))
        self.assertAlmostEqual(pair.price_difference, 0.15)
        self.assertAlmostEqual(pair.value_ratio, 1.3 / 1.15)
        self.assertAlmostEqual(pair.break_even, 1300.0)
        bare = money_pair(Deal(600.0, "EUR", 1.0, allowance=250.0), Deal(850.0, "EUR", 1.0))
        self.assertAlmostEqual(bare.value_ratio, 1.0)
        self.assertAlmostEqual(bare.break_even, 600.0)

    def test_currencies_are_not_mixed(self) -> None:
        with self.assertRaisesRegex(DataError, "one is in EUR, the other in USD"):
            money_pair(Deal(1.0, "EUR", 1.0), Deal(1.0, "USD", 1.0))


class TestQuickSums(unittest.TestCase):
    def result(self, name: str, *numbers: float) -> str:
        return next(s for s in SUMS if s.name == name).of(numbers).result

    def test_against_known_values(self) -> None:
        for name, numbers, wanted in (
            ("Levels together", (1000.0, 1000.0), "1003.01 dB together, 1000.00 dB on average"),
            ("Percent change", (5401, 6933), "+28.37 % up, −22.1 % back"),
            ("Percent change", (100, 125), "+25 % up, −20 % back"),
            ("Less time, times as fast", (100, 54), "takes 46 % less time, 1.852 × as fast"),
            ("fps ↔ ms", (60,), "16.67"),
            ("Mean of ratios", (2, 0.5, 8), "2"),
            ("Wh in minutes → watts", (45.6, 57), "48 W"),  # common practice, no source
            ("Wh at watts → minutes", (57, 9.5), "360 min (6 h 0 min)"),
            ("°C → °F", (100,), "212 °F"),
            ("°F → °C", (95,), "35 °C"),
            ("Levels together", (60, 50), "60.41 dB together, 57.40 dB on average"),  # energetic, ISO 3744 eq. form
            ("Level without the room", (33.2, 30), "30.37 dB"),  # ISO 3746, from memory: 3.2 dB above, corrected
            ("Level without the room", (42, 30), "42.00 dB"),
            ("Level without the room", (31, 30), "at most 28.0 dB: at or near the room"),
            ("Score per watt", (5401, 28), "192.9"),
            ("Dropped share", (10, 1000), "1 %"),
        ):
            with self.subTest(name=name, numbers=numbers):
                self.assertEqual(self.result(name, *numbers), wanted)

    def test_wilson_interval(self) -> None:
        # scipy.stats has it as the default method of a binomial proportion's interval.
        worked = next(s for s in SUMS if s.name == "Dropped share").of((10, 1000)).working[1]
        theirs = stats.binomtest(10, 1000).proportion_ci(0.95, method="wilson")
        self.assertIn(f"{100 * theirs.low:.3g} to {100 * theirs.high:.3g} %", worked)

    def test_nonsense_is_refused(self) -> None:
        for name, numbers in (
            ("Percent change", (0, 5)),
            ("fps ↔ ms", (0,)),
            ("Dropped share", (5, 3)),
            ("Level without the room", (29, 30)),
            ("Levels together", (1e6, 3)),
            ("Dropped share", (0, 0.5)),
            ("Percent change", (1, 2, 3)),
            ("Score per watt", (math.inf, 3)),
        ):
            with self.subTest(name), self.assertRaises(DataError):
                self.result(name, *numbers)
