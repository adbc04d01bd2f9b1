"""Results: several figures a run, variants, printing, comparing along an axis, and the commands that give them."""

import contextlib
import io
import json
import unittest
from pathlib import Path

from pinch.analysis.cells import cells_of, names_beside
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.curves import ScaleChoice, scale_book
from pinch.analysis.grid import Across, grid_of, lows_above
from pinch.analysis.points import BookPoints
from pinch.analysis.results import results_of
from pinch.bench import runlogs
from pinch.bench.exchange import add_exchange, exchange_of
from pinch.bench.opening import create_book, open_book
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Device, ExitStatus, Pass, Result, Run, Setting, WorkKind, Workload, now
from pinch.bench.summaries import Origin
from pinch.bench.undo import UndoStack
from pinch.bench.variants import add_variant, join_as_variants, own_name, variants_of
from pinch.cli.main import main
from pinch.core.errors import PinchError
from pinch.core.metrics import AVERAGE, SCORE, Better, built_in
from pinch.core.printing import alike, counted, in_percent, ordinal, plain, signed, told_once
from pinch.core.runlog import RunLog, Series
from pinch.core.verdict import Answer
from pinch.intake.table_roles import guess_roles
from pinch.intake.told_results import add_told
from pinch.intake.told_rows import told_rows
from pinch.narrative.matrix_words import matrix_rows
from pinch.runs.whole_book import read_points
from pinch.sources.sheets import sheet_of_text
from tests import made
from tests.in_folder import InFolder

LOW = "low_1.percentile"
GAME = {"kind": WorkKind.GAME, "rate_channel": "frame.rate", "score_unit": "fps"}


class TestPrinting(unittest.TestCase):
    def test_digits_are_those_of_the_decimal_module(self) -> None:
        # The same significant digits as Python's own `g`, which drops whole digits and turns to exponents.
        for value in (0.0004567, 0.5, 1.0, 9.996, 12.345, 999.96, 1234.4):
            self.assertEqual(float(plain(value).replace(",", "")), float(f"{value:.4g}"), value)

    def test_no_exponents_and_no_lost_digits(self) -> None:
        self.assertEqual(
            [plain(x) for x in (14021, 1402100.4, 0.00001, 0, 45.0)], ["14,021", "1,402,100", "0.00001", "0", "45"]
        )
        self.assertEqual(
            [plain(float("nan")), plain(float("inf")), plain(-3.5), plain(-0.0001, 2)], ["–", "–", "−3.5", "−0.0001"]
        )
        self.assertEqual([signed(2.0), signed(-2.0), signed(0.0)], ["+2", "−2", "0"])
        self.assertEqual(in_percent(0.12345), "12 %")

    def test_siblings_have_the_same_decimals(self) -> None:
        self.assertEqual(alike([71.2, 58.0, 9.25]), ["71.20", "58.00", "9.25"])
        self.assertEqual(alike([14021, 9312, float("nan")]), ["14,021", "9,312", "–"])
        self.assertEqual(alike([]), [])

    def test_many_equal_sentences_are_told_once(self) -> None:
        self.assertEqual(told_once(["b", "a", "b"]), ["b (2 ×)", "a"])
        many = told_once(f"{n}" for n in range(300))
        self.assertEqual((len(many), many[0], many[-1]), (21, "0", "and 280 more"))

    def test_counts_and_places(self) -> None:
        self.assertEqual(
            [counted(1, "run"), counted(2, "run"), counted(1240, "entry", "entries")],
            ["1 run", "2 runs", "1,240 entries"],
        )
        self.assertEqual(
            [ordinal(n) for n in (1, 2, 11, 12, 21, 22, 33, 111)],
            ["first", "second", "11th", "12th", "21st", "22nd", "33rd", "111th"],
        )


class BookCase(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.pinch"
        self.book = create_book(self.path)
        self.addCleanup(self.book.close)

    def cell(self, device: str, setting: str, watts: float | None = None, **fields: object) -> Setting:
        known = next((d for d in self.book.devices() if d.name == device), None) or self.book.save(Device(name=device))
        return self.book.save(Setting(device_id=known.id, name=setting, sustained_w=watts, **fields))  # type: ignore[arg-type]

    def tell(self, setting: Setting, work: Workload, value: float, metric: str = AVERAGE, **fields: object) -> Result:
        ids = {"device_id": setting.device_id, "setting_id": setting.id, "workload_id": work.id}
        return self.book.save(Result.model_validate({**ids, "metric": metric, "value": value, **fields}))

    def points(self) -> BookPoints:
        return read_points(self.path)

    def run_command(self, *words: str) -> tuple[int, str]:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            status = main(list(words))
        return status, out.getvalue()


class TestVariants(BookCase):
    def test_a_variant_has_what_is_its_own_and_all_else_from_its_workload(self) -> None:
        game = self.book.save(Workload(name="Skerry Run", preset="high", **GAME))  # type: ignore[arg-type]
        low = add_variant(self.book, game, "low", preset="low")
        self.book.save(game.model_copy(update={"name": "Skerry Race", "score_unit": "Hz", "preset": "ultra"}))
        found = self.book.get(Workload, low.id)
        self.assertEqual((found.name, found.preset, found.score_unit), ("Skerry Race, low", "low", "Hz"))
        self.assertEqual([own_name(w) for w in variants_of(game.id, self.book.workloads())], ["ultra", "low"])
        self.assertEqual(add_variant(self.book, found, "low").name, "Skerry Race, low (2)")
        self.book.delete(self.book.get(Workload, game.id))
        self.assertEqual(self.book.get(Workload, low.id).name, "Skerry Run, low", "it stands for itself then")

    def test_copies_are_joined_and_parted_again(self) -> None:
        undo = UndoStack(self.book)
        root = self.book.save(Workload(name="Skerry Run", **GAME))  # type: ignore[arg-type]
        copies = [self.book.save(Workload(name=f"Skerry Run, {n}", **GAME)) for n in ("low", "1080p")]  # type: ignore[arg-type]
        setting = self.cell("Gannet", "15 W")
        self.tell(setting, copies[0], 90.0)
        with undo.step("join"):
            joined = join_as_variants(self.book, root, copies)
        self.assertEqual([w.variant for w in joined], ["low", "1080p"])
        self.assertEqual([r.workload_id for r in self.book.results()], [copies[0].id], "results stay where they are")
        with undo.step("tell"):
            self.tell(setting, root, 1.0)
        assert undo.next_undo is not None
        self.assertEqual(undo.next_undo.effect, "takes away 1 result")
        undo.undo()
        undo.undo()
        self.assertEqual([w.variant_of for w in self.book.workloads()], [None] * 3)
        other = self.book.save(Workload(name="Export", score_unit="s", higher_is_better=False))
        with self.assertRaisesRegex(PinchError, "not the same work"):
            join_as_variants(self.book, root, [other])

    def test_they_go_through_the_exchange_document(self) -> None:
        root = self.book.save(Workload(name="Skerry Run", **GAME))  # type: ignore[arg-type]
        add_variant(self.book, root, "low", preset="low")
        other = create_book(self.folder / "b.pinch")
        self.addCleanup(other.close)
        add_exchange(other, exchange_of(self.book))
        first, second = other.workloads()
        self.assertEqual((second.variant_of, second.name), (first.id, "Skerry Run, low"))


class TestResults(BookCase):
    def test_a_paste_of_twelve_games_at_four_presets(self) -> None:
        rows = [
            f"Tern;Stock;Game {g};{p};{60 + g + 10 * n},5;{40 + g}"
            for g in range(12)
            for n, p in enumerate(("ultra", "high", "medium", "low"))
        ]
        sheet = sheet_of_text("Device;Mode;Game;Preset;Average [fps];1% low\n" + "\n".join(rows), "paste")
        added = add_told(self.book, told_rows(sheet, guess_roles(sheet), {}).rows, "paste").added
        self.assertEqual(len(added), 96)
        self.assertEqual(len(self.book.results()), 96, "an average and a low a row")
        self.assertEqual(len(self.book.workloads()), 60, "twelve games with four variants each")
        book = self.points()
        (cell,) = cells_of(book)
        grid = grid_of(book, [cell], cell, Across.VARIANT, LOW)
        self.assertEqual(grid.columns, ("low", "medium", "high", "ultra"))
        self.assertEqual(len(grid.rows), 12)
        first = next(r for r in matrix_rows(grid, 0.5) if r[0].startswith("Game 0"))
        self.assertEqual(first[1:5], ("90.5 | 40.0", "80.5 | 40.0", "70.5 | 40.0", "60.5 | 40.0"))
        self.assertEqual(first[5], "60 fps up to ultra")
        self.assertEqual(lows_above(grid, grid.rows[0]), [])

    def test_a_typed_score_and_a_logged_rate_are_two_metrics(self) -> None:
        work = self.book.save(Workload(name="Decode", score_unit="points"))
        a, b = self.cell("Tern", "Stock"), self.cell("Auk", "Stock")
        self.tell(a, work, 14021.0, SCORE)
        self.tell(b, work, 141.0, AVERAGE)
        book = self.points()
        cells = tuple(cells_of(book))
        rows = compare_book(book, CompareChoice(cells, (work.id,))).rows
        self.assertEqual(
            [(r.metric.key, len(r.cells), r.cells[0].verdict) for r in rows], [(AVERAGE, 1, None), (SCORE, 1, None)]
        )

    def test_they_are_one_where_the_workload_says_so(self) -> None:
        work = self.book.save(Workload(name="Decode", score_unit="points", score_is_rate=True))
        a, b = self.cell("Tern", "Stock", 20), self.cell("Auk", "Stock", 20)
        self.tell(a, work, 140.0, SCORE)
        self.tell(b, work, 154.0, AVERAGE)
        (row,) = compare_book(book := self.points(), CompareChoice(tuple(cells_of(book)), (work.id,))).rows
        assert row.cells[1].verdict is not None
        self.assertAlmostEqual(row.cells[1].verdict.ratio, 1.1)

    def test_a_typed_score_leaves_the_logged_rate_of_its_run(self) -> None:
        device = self.cell("Tern", "Stock", 35)
        work = self.book.save(Workload(name="Decode", score_unit="points"))
        for score in (None, 9000.0):
            passes = (Pass(start_s=20, end_s=430, score=score),) if score else ()
            ids = {"device_id": device.device_id, "setting_id": device.id, "workload_id": work.id}
            run = self.book.save(Run(**ids, started=now(), status=ExitStatus.COMPLETE))
            log = made.two_level()
            rate = Series("score.rate", log.series["cpu.power"].t, 3.0 * log.series["cpu.power"].values)
            kept = runlogs.add_log(self.book, run, RunLog({**log.series, "score.rate": rate}))
            self.book.save(kept.model_copy(update={"passes": passes}))
        logged, typed = self.points().points
        self.assertEqual((typed.metric, typed.value_of(SCORE)), (SCORE, 9000.0))
        self.assertAlmostEqual(typed.value_of(AVERAGE) or 0.0, logged.rate or 1.0, delta=1.0)
        (series,) = scale_book(self.points(), ScaleChoice((device.device_id,), (work.id,))).series
        self.assertEqual([p.of.run.id for p in series.points], [logged.run.id])
        self.assertIn("say on the Bench page", series.left_out[0].text)

    def test_metrics_of_its_own_units_and_ranges(self) -> None:
        work = self.book.save(Workload(name="Decode", metrics=(OwnMetric(name="Wait", unit="ms", better=Better.LESS),)))
        a, b = self.cell("Tern", "Stock", 28), self.cell("Auk", "Stock", 28)
        self.tell(a, work, 12.0, "Wait", n=4, spread=0.1)
        self.tell(b, work, 10.0, "Wait", units=6, spread=0.2, origin=Origin.MAKER)
        self.book.save(
            Result(
                device_id=a.device_id, setting_id=a.id, workload_id=work.id, metric="cpu.temp.load_max", low=80, high=84
            )
        )
        book = self.points()
        result = compare_book(book, CompareChoice(tuple(cells_of(book)), (work.id,), "Wait"))
        other = result.rows[0].cells[1]
        assert other.verdict is not None
        self.assertEqual(other.verdict.answer, Answer.FASTER, "less is better, and both say how sure they are")
        self.assertEqual(other.score.runs, 6)
        ranged = next(r for r in results_of(book) if r.metric.key == "cpu.temp.load_max")
        self.assertEqual((ranged.value, ranged.low, ranged.high, ranged.metric.unit), (None, 80.0, 84.0, "°C"))
        with self.assertRaises(PinchError):
            built_in("nothing.at.all")

    def test_zero_is_shown_and_makes_no_ratio(self) -> None:
        work = self.book.save(Workload(name="Skerry Run", **GAME))  # type: ignore[arg-type]
        for name, value in (("Tern", 0.0), ("Auk", 2.5)):
            self.tell(self.cell(name, "Stock"), work, value, "dropped")
        book = self.points()
        result = compare_book(book, CompareChoice(tuple(cells_of(book)), (work.id,), "dropped"))
        first, second = result.rows[0].cells
        self.assertEqual((first.score.mean, second.score.mean), (0.0, 2.5))
        assert second.verdict is not None
        self.assertIn("not above zero", second.verdict.words)
        self.assertEqual(result.indexes, {})

    def test_another_metric_or_cell_moves_no_figure(self) -> None:
        work = self.book.save(Workload(name="Skerry Run", **GAME))  # type: ignore[arg-type]
        a, b = self.cell("Tern", "Stock", 20), self.cell("Auk", "Stock", 20)
        for setting, value in ((a, 60.0), (a, 61.0), (b, 70.0), (b, 72.0)):
            self.tell(setting, work, value)

        def ratio() -> float:
            book = self.points()
            cells = [c for c in cells_of(book) if c.device.name in ("Tern", "Auk")]
            cells.sort(key=lambda c: c.device.name)
            verdict = compare_book(book, CompareChoice(tuple(cells), (work.id,))).rows[0].cells[1].verdict
            assert verdict is not None
            return verdict.ratio

        before = ratio()
        self.tell(a, work, 40.0, LOW)
        self.tell(self.cell("Dunlin", "Stock", 20), work, 10.0)
        self.assertEqual(ratio(), before)

    def test_the_index_is_over_what_all_share(self) -> None:
        works = [self.book.save(Workload(name=f"Game {n}", **GAME)) for n in range(3)]  # type: ignore[arg-type]
        for name, values in (("Tern", (60, 50, 40)), ("Auk", (66, 55, 44)), ("Dunlin", (72, 60, None))):
            setting = self.cell(name, "Stock", 20)
            for work, value in zip(works, values, strict=True):
                if value is not None:
                    self.tell(setting, work, value)
        book = self.points()
        result = compare_book(book, CompareChoice(tuple(cells_of(book)), tuple(w.id for w in works)))
        index = result.indexes["Dunlin, Stock"]
        self.assertAlmostEqual(index.ratio, 1.2)
        self.assertEqual((index.workloads, index.not_shared), (("Game 0", "Game 1"), ("Game 2",)))
        self.assertEqual(list(names_beside(cells_of(book)).values()), ["Tern", "Auk", "Dunlin"])

    def test_claimed_ladders_make_curves_apart(self) -> None:
        work = self.book.save(Workload(name="Decode", score_unit="points"))
        for name, factor in (("Tern", 1.0), ("Auk", 1.3)):
            for watts in (10.0, 15.0, 20.0, 25.0):
                self.tell(
                    self.cell(name, f"{watts:g} W", watts), work, factor * 100 * watts**0.5, SCORE, origin=Origin.MAKER
                )
        book = self.points()
        result = scale_book(book, ScaleChoice(tuple(d.id for d in book.devices), (work.id,)))
        claimed = [s for s in result.series if s.claimed]
        self.assertEqual([s.name for s in claimed], [f"{n}, claimed (maker's figure)" for n in ("Tern", "Auk")])
        assert claimed[0].scaling is not None
        self.assertAlmostEqual(claimed[0].scaling.ladder.at(18.0), 100 * 18**0.5, delta=3.0)
        self.assertEqual({p.a for p in result.pairings} | {p.b for p in result.pairings}, {s.name for s in claimed})
        self.assertTrue(all(s.scaling is None for s in result.series if not s.claimed))

    def test_commands(self) -> None:
        game = self.book.save(Workload(name="Skerry Run", preset="high", **GAME))  # type: ignore[arg-type]
        low = add_variant(self.book, game, "low", preset="low")
        setting = self.cell("Gannet", "15 W", 15)
        for work, average in ((game, 50.0), (low, 80.0)):
            self.tell(setting, work, average)
            self.tell(setting, work, 0.7 * average, LOW)
        book = str(self.path)
        status, text = self.run_command("results", "--book", book, "--variant", "low", "--json")
        found = json.loads(text)["results"]
        self.assertEqual(
            (status, [(r["metric"], r["school"], r["value"]) for r in found]),
            (0, [("average", None, 80.0), ("low 1 %", "percentile", 56.0)]),
        )
        self.assertEqual((found[0]["extent"], found[0]["origin"], found[0]["run"]), ("scene", "own test", None))
        _, text = self.run_command(
            "compare", "--book", book, "--workload", "Skerry Run", "--along", "variant", "--json"
        )
        told = json.loads(text)
        self.assertEqual(
            [(c["name"], c["rank"]) for c in told["cells"]], [("Gannet, 15 W, high", 2), ("Gannet, 15 W, low", 1)]
        )
        self.assertAlmostEqual(told["pairs"][0]["ratio"], 0.625)
        self.assertNotIn("preset", [f["key"] for f in told["fairness"]], "that is what is asked")
        self.assertIn("Skerry Run", self.run_command("compare", "--book", book, "--metric", LOW)[1])
        err = io.StringIO()
        with contextlib.redirect_stderr(err):
            self.assertEqual(self.run_command("compare", "--book", book, "--metric", "nonsense")[0], 2)
            self.assertEqual(self.run_command("compare", "--book", book, "--where", "colour=red")[0], 2)
            self.assertEqual(self.run_command("scale", "--book", book, "--workload", "No such")[0], 2)
            self.assertEqual(self.run_command("scale")[0], 2)
        self.assertEqual(len(err.getvalue().splitlines()), 4)
        self.assertEqual(self.run_command("scale", "--book", book, "--workload", "Skerry Run", "--json")[0], 0)

    def test_results_come_back_from_open_files(self) -> None:
        work = self.book.save(Workload(name="Decode"))
        self.tell(self.cell("Tern", "Stock"), work, 7.0, SCORE, n=3, spread=0.5)
        for words in (
            ("export", "--book", str(self.path), "--to", str(self.folder / "open")),
            ("import", str(self.folder / "open"), "--book", str(self.folder / "c.pinch")),
        ):
            self.assertEqual(self.run_command(*words)[0], 0)
        with contextlib.closing(open_book(Path(self.folder / "c.pinch"))) as again:
            self.assertEqual(again.results(), self.book.results())


if __name__ == "__main__":
    unittest.main()
