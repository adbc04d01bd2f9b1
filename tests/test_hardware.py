"""Devices that share the work out of different hardware, batteries of different capacity, memory of different speed."""

import math
import tempfile
import unittest
from pathlib import Path

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, CompareResult, compare_book
from pinch.analysis.grid import Across, grid_of
from pinch.analysis.shared_units import units_of
from pinch.bench.opening import create_book
from pinch.bench.parts import Battery, CoreKind, Cores, Graphics
from pinch.bench.records import Device, Result, Setting, WorkKind, Workload
from pinch.core.cell_scores import CellScore, cell_score
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE
from pinch.core.unit_yield import unit_yield
from pinch.core.verdict import judge_pair
from pinch.narrative.cards.cell_cards import table_of
from pinch.narrative.compare_words import shown_plainly
from pinch.narrative.explain_matrix import explain_field, explain_reach
from pinch.narrative.explain_verdicts import explain_verdict
from pinch.narrative.matrix_words import matrix_words
from pinch.narrative.yield_words import share_words, yield_notes, yield_words
from pinch.runs.whole_book import read_points
from pinch.ui.compare.state import RESULT_COLUMNS, result_rows


def score(mean: float, spread: float = 0.0) -> CellScore:
    return cell_score([mean - spread, mean, mean + spread] if spread else [mean])


class TestYield(unittest.TestCase):
    def test_an_amdahl_speed_up_is_what_is_kept_of_the_promise(self) -> None:
        # G. M. Amdahl, AFIPS 1967 (from memory): with a share p done in parallel, n units are 1/((1−p) + p/n) as fast.
        for p, n in ((0.95, 8), (0.9, 4), (0.5, 2)):
            speed_up = 1.0 / ((1.0 - p) + p / n)
            found = unit_yield("cores", n, 1, judge_pair(score(100.0 * speed_up), score(100.0)))
            self.assertAlmostEqual(found.share, 1.0 / (n * (1.0 - p) + p))
            self.assertTrue(math.isnan(found.interval[0]), "single runs have no interval")

    def test_the_words_of_both_directions(self) -> None:
        more = unit_yield("compute units", 16, 10, judge_pair(score(135.0), score(100.0)))
        self.assertEqual(yield_words(more), "60 % more compute units, 35 % more work: 84 % of what they promise")
        fewer = unit_yield("cores", 6, 8, judge_pair(score(90.0, 0.5), score(100.0, 0.5)))
        self.assertRegex(yield_words(fewer), r"^25 % fewer cores, 10 % less work: 120 % \(11\d to 12\d %\) of what")
        low, high = judge_pair(score(90.0, 0.5), score(100.0, 0.5)).low, fewer.interval[1]
        self.assertAlmostEqual(fewer.interval[0], low / 0.75)
        self.assertGreater(high, fewer.share)
        slower = unit_yield("cores", 8, 4, judge_pair(score(50.0), score(100.0), lower_is_better=True))
        self.assertEqual(share_words(slower), "100 %", "half the time is twice the work")
        with self.assertRaises(DataError):
            unit_yield("cores", 0, 4, judge_pair(score(50.0), score(100.0)))

    def test_which_units_share_which_work(self) -> None:
        cores = (Cores(count=4, threads=8), Cores(kind=CoreKind.EFFICIENCY, count=8))
        device = Device(name="A", cores=cores, graphics=Graphics(compute_units=12))
        game = Workload(name="Game", kind=WorkKind.GAME, rate_channel=FRAME_RATE)
        self.assertEqual(units_of(device, game), {"compute units": 12})
        self.assertEqual(units_of(device, Workload(name="R", kind=WorkKind.ALL_CORE)), {"cores": 12}, "threads unknown")
        self.assertEqual(units_of(device, Workload(name="O", kind=WorkKind.ONE_CORE)), {})
        self.assertEqual(units_of(device, Workload(name="T", kind=WorkKind.TASK)), {}, "nobody knows what shares it")


class TestOfABook(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.book = create_book(Path(folder.name) / "b.pinch")
        self.addCleanup(self.book.close)
        self.game = self.book.save(Workload(name="Game", kind=WorkKind.GAME, rate_channel=FRAME_RATE, score_unit="fps"))

    def device(self, name: str, rate: float, metric: str = "average", units: int | None = None, wh: float | None = None,
               **setting: object) -> Setting:  # fmt: skip
        device = next((d for d in self.book.devices() if d.name == name), None) or self.book.save(
            Device(name=name, graphics=Graphics(compute_units=units), battery=Battery(full_wh=wh))
        )
        made = self.book.save(
            Setting(device_id=device.id, name=f"{name} {len(self.book.settings(device.id)) + 1}", **setting)
        )
        self.result(made, rate, metric)
        return made

    def result(self, setting: Setting, rate: float, metric: str, **more: object) -> None:
        ids = {"device_id": setting.device_id, "setting_id": setting.id, "workload_id": self.game.id}
        self.book.save(Result(**ids, metric=metric, value=rate, **more))

    def compared(self, measure: str = "average") -> CompareResult:
        points = read_points(self.book.path)
        return compare_book(points, CompareChoice(tuple(cells_of(points)), (self.game.id,), measure))

    def test_units_stand_beside_the_verdict_wherever_it_is_told(self) -> None:
        self.device("A", 100.0, units=10)
        self.device("B", 135.0, units=16)
        self.device("C", 140.0)
        result = self.compared()
        shares = {c.cell.device.name: [round(y.share, 3) for y in c.yields] for c in result.rows[0].cells}
        self.assertEqual(shares, {"A": [], "B": [0.844], "C": []}, "of C nobody noted the units")
        shown = shown_plainly(result)
        (note,) = yield_notes(result)
        self.assertIn(
            "has 60 % more compute units than A (16 against 10) and reaches 84 % of what they promise under Game", note
        )
        self.assertAlmostEqual(table_of(shown).rows[1][-1], 100 * 1.35 / 1.6)  # type: ignore[arg-type, misc]
        rows = {r.cells[0].strip(): r for r in result_rows(shown)}
        self.assertEqual(rows["B, B 1"].cells[RESULT_COLUMNS.index("of its units")], "84 %")
        b = next(c for c in result.rows[0].cells if c.cell.device.name == "B")
        self.assertIn(yield_words(b.yields[0]), explain_verdict(b, result.rows[0], shown).formula)
        self.assertEqual(self.compared("low_1.percentile").rows, (), "no lows were told")

    def test_minutes_are_grouped_by_what_batteries_hold(self) -> None:
        for name, minutes, wh in (("A", 300, 50), ("B", 320, 55), ("C", 500, 99.9), ("D", 100, None), ("E", 310, 56)):
            self.device(name, minutes, "minutes", wh=wh)
        rows = result_rows(shown_plainly(self.compared("minutes")))
        told = [r.cells[0].strip() for r in rows]
        self.assertEqual(
            [t for t in told if "batteries" in t],
            ["batteries of 50 to 55 Wh", "batteries of 56 Wh", "batteries of 100 Wh",
             "batteries of which it is not noted what they hold"],
        )  # fmt: skip
        self.assertEqual([t[0] for t in told if "batteries" not in t and "Game" not in t], ["A", "B", "E", "C", "D"])

    def test_graphics_memory_by_memory_speed(self) -> None:
        fps = {(5600, 2): 40.0, (5600, 4): 44.0, (6400, 2): 45.0, (6400, 4): 51.0}
        settings = {
            key: self.device("A", rate, graphics_memory_gb=key[1], memory_speed_mts=key[0]) for key, rate in fps.items()
        }
        self.device("A", 70.0, graphics_memory_gb=4, memory_speed_mts=6400, sustained_w=54)
        self.result(settings[6400, 4], 39.0, "low_1.percentile", n=3, spread=0.5)
        points = read_points(self.book.path)
        cells = cells_of(points)
        base = next(c for c in cells if c.setting.id == settings[5600, 2].id)
        grid = grid_of(points, cells, base, Across.GRAPHICS_SHARE, "low_1.percentile")
        self.assertEqual(grid.columns, ("2 GB", "4 GB"))
        self.assertEqual(
            [(r.name, [f.average if f else None for f in r.fields]) for r in grid.rows],
            [("Game, 5600 MT/s", [40.0, 44.0]), ("Game, 6400 MT/s", [45.0, 51.0])],
        )
        said = explain_field(grid, grid.rows[1], 1)
        assert said is not None
        self.assertEqual(said.formula[0], "average 51 fps of 1 run")
        self.assertRegex(said.formula[1], r"1 % low, percentile 39 fps of 3 runs \(95 %: 37.7\d to 40.2\d\)")
        self.assertEqual(said.formula[2], "low ÷ average: 76 %")
        reach = explain_reach(grid, grid.rows[1], 0.6)
        self.assertIn("60 fps: nowhere", reach.formula)
        alone = next(c for c in cells if c.setting.sustained_w == 54)
        other = grid_of(points, cells, alone, Across.GRAPHICS_SHARE, "low_1.percentile")
        self.assertIn("A reaches 60 fps in 1 of 1 game", matrix_words(other, "A", 0.0))
        self.device("B", 30.0)
        points = read_points(self.book.path)
        cells = cells_of(points)
        none = grid_of(points, cells, cells[-1], Across.GRAPHICS_SHARE, "low_1.percentile")
        self.assertIn("No setting at this limit notes how much memory", matrix_words(none, "B", 0.0))
