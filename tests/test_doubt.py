"""Intervals and verdicts: the order of runs, several cells at once, frames that depend on each other, rungs that are
off; against scipy, and against values that reference libraries gave once (named beside them)."""

import math
import unittest
from pathlib import Path

import numpy as np
from scipy.stats import kendalltau

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.bench.plans import OrderRule
from pinch.core.budget import added
from pinch.core.cell_scores import CellScore, cell_score, pooled_scatter
from pinch.core.crossing import pair_up
from pinch.core.curve_shape import LAW
from pinch.core.errors import DataError
from pinch.core.framestats import frame_figures
from pinch.core.heat import find_heat
from pinch.core.independent import clusters_of, dependence
from pinch.core.ladder import Point, fit_ladder
from pinch.core.powerlaw import fit_power_laws
from pinch.core.run_order import DAY_SD, RunOrder, RunPlace, find_trend, order_of, places_of
from pinch.core.rung_effects import EffectSizes, RungEffects, rung_effects, smooth_draws
from pinch.core.sensor_classes import SensorClasses
from pinch.core.sustained import channel_figures
from pinch.core.verdict import Answer, StepKind, judge_pair, judge_together
from pinch.narrative.compare_words import about_words, shown_plainly
from pinch.narrative.explain_verdicts import explain_verdict
from pinch.runs.wanted_runs import want_more_runs
from tests.in_folder import CommandCase, InFolder
from tests.made import book_with_cell, log
from tests.test_points import FULL, OTHER, Made

RNG = np.random.default_rng(31)


def in_order(
    letters: str, score: dict[str, float], drift: float = 0.0, noise: float = 0.003, days: int = 1
) -> list[CellScore]:
    """Cells run in an order of letters, each run off by the drift so far and a little noise."""
    made: dict[str, tuple[list[float], list[RunPlace]]] = {letter: ([], []) for letter in sorted(set(letters))}
    size = math.ceil(len(letters) / days)
    for i, letter in enumerate(letters):
        made[letter][0].append(score[letter] * math.exp(drift * i + noise * RNG.standard_normal()))
        made[letter][1].append(RunPlace(i // size, float(i % size)))
    return [cell_score(values, places) for values, places in made.values()]


class TestOrder(unittest.TestCase):
    def test_what_an_order_is_called(self) -> None:
        for letters, order in (
            ("aaabbb", RunOrder.BLOCKS), ("ababab", RunOrder.INTERLEAVED), ("abba", RunOrder.MIRRORED),
            ("aabbab", RunOrder.MIXED),
        ):  # fmt: skip
            places = {x: [RunPlace(0, float(i)) for i, y in enumerate(letters) if x == y] for x in "ab"}
            self.assertEqual(order_of(places["a"], places["b"]), order, letters)
        apart = [RunPlace(0, 0.0)], [RunPlace(1, 0.0)]
        self.assertEqual((order_of(*apart), order_of((), apart[0])), (RunOrder.DAYS, RunOrder.UNKNOWN))
        unknown = [RunPlace(0, math.nan)]
        self.assertEqual(order_of(unknown, apart[0]), RunOrder.UNKNOWN)

    def test_sessions_go_over_midnight_and_end_with_the_day(self) -> None:
        hour = 3600.0
        found = places_of([23 * hour, 25 * hour, 40 * hour, 22 * hour], [0, 1, 1, 0], [True, True, False, True])
        self.assertEqual([p.session for p in found], [0, 0, 0, 0])
        found = places_of([10 * hour, 34 * hour, 11 * hour], [0, 1, 0], [True] * 3)
        self.assertEqual([(p.session, p.position) for p in found], [(0, 0.0), (1, 0.0), (0, 1.0)])

    def test_a_drift_in_blocks_is_caught_and_turns_are_the_next_step(self) -> None:
        wrong = asked = 0
        for _ in range(30):
            a, b = in_order("aaaaabbbbb", {"a": 100.0, "b": 100.0}, -0.008, 0.015)
            v = judge_pair(a, b)
            wrong += v.answer.is_decided
            assert v.ordered is not None
            self.assertEqual(v.ordered.order, RunOrder.BLOCKS)
            if "in blocks" in v.words:
                assert v.step is not None
                self.assertEqual(v.step.kind, StepKind.TURNS)
                asked += 1
        self.assertLessEqual(wrong, 5, "of 30; Welch alone names a winner in 25")
        self.assertGreater(asked, 10)
        plain = [judge_pair(*(CellScore(c.runs, c.mean, c.log_mean, c.log_sd, c.df) for c in (a, b)))]
        self.assertIsNone(plain[0].ordered)

    def test_a_drift_that_is_plain_is_taken_out_and_said(self) -> None:
        a, b = in_order("aaaaabbbbb", {"a": 100.0, "b": 100.0}, -0.008, 0.001)
        v = judge_pair(a, b)
        self.assertEqual(v.answer, Answer.TIE)
        self.assertIn("measured +4.", v.words)
        self.assertIn("a drift of −0.8 % a run is taken out", v.words)
        self.assertAlmostEqual(v.ratio, 1.0, delta=0.01)

    def test_fresh_runs_ask_for_the_earlier_one_again(self) -> None:
        luck = (1.022, 0.978, 1.012, 0.97, 1.018)
        a = cell_score([104.5 * x for x in luck], [RunPlace(0, float(i)) for i in range(5)])
        b = cell_score([100.0 * x for x in luck[::-1]], [RunPlace(0, float(i)) for i in range(5, 10)])
        (old,), (fresh,) = judge_together([(a, b)]), judge_together([(a, b)], fresh=True)
        assert old.step is not None and fresh.step is not None
        self.assertEqual((old.step.kind, fresh.step.kind, fresh.step.of_first), (StepKind.TURNS, StepKind.AGAIN, True))
        self.assertLess(fresh.step.in_all, old.step.in_all + 1)

    def test_other_days_widen_and_days_of_the_book_narrow(self) -> None:
        a, b = in_order("aaaabbbb", {"a": 103.5, "b": 100.0}, days=2)
        v = judge_pair(a, b)
        self.assertEqual(v.answer, Answer.CANNOT_TELL)
        assert v.ordered is not None
        self.assertAlmostEqual(math.sqrt(v.ordered.day_variance), DAY_SD * math.sqrt(2.0), places=9)
        self.assertIn("another day may make up 2.", v.words)
        steady = in_order("cdefghij" * 3, dict.fromkeys("cdefghij", 80.0), days=3)
        pooled = pooled_scatter([a, b, *steady])
        self.assertLess(pooled.around.day_sd, 0.009, "sixteen comparisons from day to day")
        self.assertEqual(judge_pair(a, b, pooled=pooled).answer, Answer.FASTER)

    def test_a_pair_that_nothing_around_knows(self) -> None:
        a, b = in_order("aaaabbbb", {"a": 103.5, "b": 100.0})
        alone = judge_pair(a, b)
        elsewhere = [cell_score([80.0, 80.4, 79.8], [RunPlace(7, float(i)) for i in range(3)])]
        beside = judge_pair(a, b, pooled=pooled_scatter(elsewhere))
        self.assertAlmostEqual(beside.u, alone.u, places=12)

    def test_equal_scores_of_many_digits_are_not_taken_for_exact_ones(self) -> None:
        places = [RunPlace(day, float(i)) for day in (0, 1) for i in range(2)]
        a, b = (cell_score([score] * 4, places) for score in (200.0 / 3.0, 100.0 / 3.0))
        with np.errstate(all="raise"):
            v = judge_pair(a, b)
        self.assertEqual(v.answer, Answer.FASTER)
        self.assertTrue(a.log_sd > 0.0 and math.isfinite(v.u))

    def test_trends_against_scipy(self) -> None:
        for n in (5, 8, 25, 60):
            y = RNG.standard_normal(n) + 0.05 * np.arange(n)
            reference = kendalltau(np.arange(n), y, method="exact" if n < 40 else "asymptotic")
            found = find_trend(y.tolist())
            self.assertAlmostEqual(found.chance, reference.pvalue, delta=1e-9 if n < 40 else 0.02)
            self.assertEqual(np.sign(found.s), np.sign(reference.statistic))
        self.assertEqual(find_trend([3.0, 3.0, 3.0]).chance, 1.0)


class TestTogether(unittest.TestCase):
    def test_answers_are_holms(self) -> None:
        # p of 0.001, 0.012, 0.013, 0.2 and 0.04 are adjusted to 0.005, 0.048, 0.048, 0.2 and 0.08 (statsmodels 0.15.0,
        # multipletests, "holm"): the first three stand at 5 %.
        base, pairs = cell_score([100.0, 101.0, 99.0, 100.4]), []
        for chance in (0.001, 0.012, 0.013, 0.2, 0.04):
            low, high = 1.0, 2.0
            for _ in range(60):
                middle = math.sqrt(low * high)
                one = cell_score([middle * x for x in (100.0, 101.0, 99.0, 100.4)])
                u = judge_pair(one, base).u
                below = 2.0 * _student(6.0, abs(math.log(middle)) / u) > chance
                low, high = (middle, high) if below else (low, middle)
            pairs.append((cell_score([high * x for x in (100.0, 101.0, 99.0, 100.4)]), base))
        found = judge_together(pairs, delta=1e-6)
        self.assertEqual([v.answer.is_decided for v in found], [True, True, True, False, False])
        self.assertEqual({v.together for v in found}, {5})
        self.assertEqual([v.low > 1.0 for v in found], [True, True, True, False, False], "as the answers")

    def test_twelve_equal_cells_have_no_winner(self) -> None:
        named = 0
        for _ in range(40):
            cells = [cell_score(100.0 * np.exp(0.015 * RNG.standard_normal(5))) for _ in range(12)]
            named += any(v.answer.is_decided for v in judge_together([(c, cells[0]) for c in cells[1:]], delta=0.005))
        self.assertLessEqual(named, 6, "of 40")

    def test_the_widest_honest_answer(self) -> None:
        alike = judge_pair(cell_score([60.0, 60.0]), cell_score([61.0, 61.0]))
        self.assertEqual(
            (alike.answer, alike.low < 1.0), (Answer.CANNOT_TELL, True), "steps of a frame hide the scatter"
        )
        wild = judge_pair(cell_score([60.0, 61.0, 60.5, 600.0]), cell_score([60.0, 61.0, 60.2, 60.4]))
        self.assertEqual(wild.answer, Answer.CANNOT_TELL)
        many = cell_score(RNG.normal(100.0, 1.0, 10_000), [RunPlace(i // 50, float(i % 50)) for i in range(10_000)])
        self.assertEqual(judge_pair(many, many).answer, Answer.TIE)

    def test_in_a_book(self) -> None:
        m = Made()
        for setting, rate in ((FULL, 66.0), (OTHER, 64.4)):
            for luck in (1.004, 0.995, 1.0, 1.003):
                m.add(setting, rate * luck)
        cells = cells_of(m.book())
        result = compare_book(m.book(), CompareChoice((cells[1], cells[0]), (1,)))
        (row,) = result.rows
        v = row.cells[1].verdict
        assert v is not None and v.ordered is not None and v.step is not None
        self.assertEqual((v.answer, v.ordered.order), (Answer.CANNOT_TELL, RunOrder.BLOCKS))
        words = explain_verdict(row.cells[1], row, shown_plainly(result))
        self.assertIn("run one after the other, in blocks", words.formula)
        self.assertTrue(any("in turns on one day" in c for c in words.cautions), words.cautions)
        self.assertNotIn("Holm", about_words(result))


def _student(df: float, t: float) -> float:
    from scipy.stats import t as student

    return float(student.sf(t, df))


class TestCommandAndPlan(CommandCase):
    def test_times_in_a_table(self) -> None:
        path = self.folder / "runs.csv"
        rows = [f"A,{100 - 0.8 * i},2026-11-28 10:{i}0" for i in range(5)]
        rows += [f"B,{96 - 0.8 * i},2026-11-28 11:{i}0" for i in range(5)]
        path.write_text("cell,score,time\n" + "\n".join(rows))
        (pair,) = self.json_of("compare", path)["pairs"]
        self.assertEqual((pair["answer"], pair["order"], pair["together"]), ("tie", "blocks", 1))
        path.write_text("cell,score\n" + "\n".join(r.rpartition(",")[0] for r in rows))
        found = self.json_of("compare", path)
        self.assertEqual((found["pairs"][0]["answer"], found["pairs"][0]["order"]), ("faster", "unknown"))
        self.assertIn("no-times", [w["code"] for w in found["warnings"]])
        path.write_text("cell,score,time\nA,1,noon\n")
        status, _, err = self.run_command("compare", path)
        self.assertEqual(status, 2)
        self.assertIn("line 2: time is 'noon'", err)

    def test_turns_go_into_a_plan_of_turns(self) -> None:
        book, _, setting, workload = book_with_cell(self.folder / "a.pinch")
        other = book.save(setting.as_new(name="Hush"))
        words = want_more_runs(book, [(setting, workload), (other, workload)], 2, in_turns=True)
        self.assertIn("in turns", words)
        (plan,) = book.plans()
        self.assertEqual((plan.order, [c.repeats for c in plan.cells]), (OrderRule.BALANCED, [2, 2]))
        book.close()


class TestFrames(unittest.TestCase):
    def test_block_length_of_the_nile(self) -> None:
        # optimal_block_length of arch 8.0.0, circular: 14.11832654.
        nile = np.genfromtxt(Path(__file__).parent / "data" / "nile.csv", delimiter=",", skip_header=1)[:, 1]
        self.assertAlmostEqual(dependence(nile).block, 14.11832654, places=5)
        self.assertEqual(dependence(np.ones(50)).worth, 50.0)
        # AR(1) of 0.9: n (1 − r) / (1 + r) of 40,000 is 2,105 (closed form).
        steps, values = RNG.standard_normal(40_000), np.zeros(40_000)
        for i in range(1, len(values)):
            values[i] = 0.9 * values[i - 1] + steps[i]
        self.assertAlmostEqual(dependence(values).worth / 2105.0, 1.0, delta=0.25)

    def test_clusters(self) -> None:
        alone = np.sort(RNG.choice(1_000_000, 400, replace=False))
        self.assertAlmostEqual(clusters_of(alone) / 400.0, 1.0, delta=0.12)
        tens = (np.sort(RNG.choice(100_000, 40, replace=False)) * 10)[:, None] * 100 + np.arange(10)
        self.assertAlmostEqual(clusters_of(tens.ravel()) / 40.0, 1.0, delta=0.35)

    def test_independent_parts_add_as_squares(self) -> None:
        # JCGM 101:2008, 9.2.2 and 9.2.4: four quantities of u = 1, then the last of u = 10.
        self.assertAlmostEqual(added(0.0, "", dict.fromkeys("abcd", 1.0)).result.u, 2.0)
        unlike = added(0.0, "", {**dict.fromkeys("abc", 1.0), "d": 10.0})
        self.assertEqual(round(unlike.result.u, 1), 10.1)
        self.assertEqual((unlike.parts[0].name, round(unlike.parts[0].share, 2)), ("d", 0.97))

    def test_a_record_of_few_scenes_cannot_tell(self) -> None:
        level = np.repeat(0.2 * RNG.standard_normal(12), 600)
        found = frame_figures(15.0 * np.exp(level + 0.05 * RNG.standard_normal(len(level))))
        self.assertNotIn("low_1.percentile", found.intervals)
        self.assertLess(found.stretches["low_1"], 20.0)
        self.assertIn("few-stretches", [n.code for n in found.notes])
        steady = frame_figures(15.0 * np.exp(0.05 * RNG.standard_normal(20_000)))
        self.assertIn("low_1.percentile", steady.intervals)

    def test_a_cut_to_a_slower_scene_is_one_event(self) -> None:
        cut = np.concatenate([np.full(2000, 6.0), np.full(2000, 17.0)]) * np.exp(0.03 * RNG.standard_normal(4000))
        self.assertEqual(frame_figures(cut).stutters, 1)
        apart = np.full(3000, 10.0)
        apart[[500, 502, 900]] = 60.0
        self.assertEqual(frame_figures(apart).stutters, 3)


class TestCurves(unittest.TestCase):
    WATTS = np.array([7.0, 10.0, 14.0, 20.0, 28.0, 40.0])

    def ladder(self, truth: np.ndarray, rung: float = 0.0, noise: float = 0.004) -> list[Point]:
        scores = truth * np.exp(rung * RNG.standard_normal(len(truth)))
        return [
            Point(f"{w:g}", float(w), float(y * np.exp(noise * RNG.standard_normal())))
            for w, y in zip(self.WATTS, scores, strict=True)
            for _ in range(3)
        ]

    def test_the_bend_is_that_of_a_gaussian_process(self) -> None:
        # GaussianProcessRegressor of scikit-learn 1.9.1 with 1e6 · (1 + x x') + 0.09² RBF(0.6) over ln W, alpha 1e-4.
        y, at = np.array([3.1, 3.45, 3.72, 4.01, 4.12, 4.18]), np.array([8.5, 17.0, 34.0])
        sizes = EffectSizes.of(self.WATTS, np.full(6, 1e-4), np.zeros(1), np.array([0.09]), np.array([0.6]))
        effects = RungEffects(np.ones(1), sizes, 0.0)
        bases = tuple(np.column_stack([np.ones(len(w)), np.log(w)]) for w in (self.WATTS, at))
        rng = np.random.default_rng(1)
        mean, draws = smooth_draws(effects, y, (bases[0], bases[1]), at, rng, 20_000)
        np.testing.assert_allclose(mean, [3.28451574, 3.89080787, 4.15543461], atol=2e-6)
        np.testing.assert_allclose(draws.std(axis=0), [0.0086607, 0.00820679, 0.00854122], rtol=0.03)

    def test_rungs_that_are_off_are_found(self) -> None:
        found = []
        for rung in (0.0, 0.02):
            p = self.ladder(10.0 * (self.WATTS - 2.0) ** 0.5, rung)
            log_score = np.log([np.mean([x.score for x in p if x.cell == f"{w:g}"]) for w in self.WATTS])
            law = fit_power_laws(self.WATTS, log_score[None, :], np.full(6, 3.0))
            left = log_score - np.log(law.at(self.WATTS)[0])
            sizes = EffectSizes.usual(self.WATTS, np.full(6, 0.004**2 / 3))
            found.append(rung_effects(sizes, left, law.basis(self.WATTS)).rung)
        self.assertLess(found[0], 0.012)
        self.assertGreater(found[1], 0.009)
        wide = fit_ladder(self.ladder(10.0 * (self.WATTS - 2.0) ** 0.5, 0.02))
        low, high = wide.band
        self.assertGreater(float(np.median(high / low)), 1.02)

    def test_the_same_curve_twice_does_not_cross(self) -> None:
        truth = 10.0 * (self.WATTS - 2.0) ** 0.5
        for _ in range(6):
            found = pair_up("a", fit_ladder(self.ladder(truth)), "b", fit_ladder(self.ladder(truth)))
            self.assertEqual(found.crossings, ())
        self.assertIn("o difference that matters from", found.words)

    def test_a_crossing_has_a_lead_on_either_side(self) -> None:
        steep, flat = 4.0 * self.WATTS**0.8, 10.0 * self.WATTS**0.5
        found = pair_up("steep", fit_ladder(self.ladder(steep)), "flat", fit_ladder(self.ladder(flat)))
        (crossing,) = found.crossings
        at = 2.5 ** (1 / 0.3)  # closed form
        self.assertTrue(crossing.low_w <= at <= crossing.high_w)
        self.assertEqual((found.stretches[0].ahead, found.stretches[-1].ahead), ("flat", "steep"))
        over = pair_up("a", fit_ladder(self.ladder(1.2 * flat)), "b", fit_ladder(self.ladder(flat)))
        self.assertIn("A is ahead in all of it", over.words)

    def test_settings_of_one_power_make_no_curve(self) -> None:
        made = [Point(f"mode {i}", w, 50.0 + i) for i, w in enumerate((15.0, 15.1, 14.95, 15.05))]
        with self.assertRaisesRegex(DataError, "there are 1"):
            fit_ladder(made)
        self.assertEqual(fit_ladder([Point(f"{w:g}", w, 10 * w**0.5) for w in (8.0, 16.0, 24.0, 32.0)]).shape, LAW)


class TestSensors(InFolder):
    def test_steps_are_never_exact(self) -> None:
        found = channel_figures("cpu.power", np.full(300, 15.0), np.full(5, 20.0), SensorClasses(power=0.03))
        self.assertAlmostEqual(found.sustained.u, 0.45, delta=0.01)
        steps = channel_figures("cpu.power", np.tile([15.0, 16.0], 200), np.full(5, 20.0), SensorClasses(power=1e-9))
        self.assertGreater(steps.sustained.u, 0.28)
        self.assertEqual([p.name for p in found.parts], ["sensor"])

    def test_what_the_doubt_of_a_resistance_is_made_of(self) -> None:
        power = np.concatenate([np.full(60, 4.0), np.full(1200, 30.0)])
        above = np.zeros(len(power))
        above[0] = 6.0
        for i in range(1, len(power)):
            above[i] = above[i - 1] + (1.5 * power[i] - above[i - 1]) / 120.0
        temp = 22.0 + above + 0.1 * RNG.standard_normal(len(power))
        for offset in (0.0, 5.0):
            even = log(cpu_power=power, cpu_temp=temp + offset).even(1.0)
            heat = find_heat(even, "cpu.power", "cpu.temp", 22.0, 95.0, 67.0, 30.0, False, SensorClasses(power=0.03))
            self.assertAlmostEqual(heat.r_th.value, 1.5, delta=0.02)
            self.assertAlmostEqual(heat.fit.offset_k, offset, delta=0.4)
            names = {part.name: part.u for part in heat.r_parts}
            self.assertAlmostEqual(names["power sensor"], 0.045, delta=0.002)
            self.assertAlmostEqual(heat.r_th.u, math.sqrt(sum(u * u for u in names.values())), places=9)
            self.assertEqual("temp-offset" in [n.code for n in heat.notes], offset > 0.0)


if __name__ == "__main__":
    unittest.main()
