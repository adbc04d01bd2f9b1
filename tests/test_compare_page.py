"""The Scale and Compare pages: by hand through the window, on the demo book."""

from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog

from pinch.analysis.axes import CompareAxis
from pinch.analysis.cells import cells_of
from pinch.bench.cards import CardKind
from pinch.bench.parts import Build
from pinch.bench.records import Setting
from pinch.bench.summaries import Origin, Summary
from pinch.narrative.cards import cell_cards
from pinch.runs.whole_book import read_points
from pinch.ui.compare.page import ComparePage
from pinch.ui.compare.view import FAIRNESS, GENERATIONS, MATRIX, MONEY, TIME, VERDICTS
from pinch.ui.judge.page import JudgePage
from pinch.ui.results.one_dialog import ResultsDialog
from pinch.ui.scale.page import ScalePage
from pinch.ui.scale.view import CROSSINGS, READER, TARGET
from tests.window_case import WindowCase

TILE, GAME = "Tile Render, all cores", "Skerry Run"


class PageCase(WindowCase):
    demo = True

    def scale(self, device: str, workload: str) -> None:
        self.choose(device, None, workload)
        self.window.show_page(self.window.page(ScalePage))
        view = self.window.page(ScalePage).view
        wanted = self.session.subject.workload_id
        self.wait_for(lambda: view.result is not None and view.result.choice.workload_ids == (wanted,))

    def compare(self, *names: str) -> None:
        """Compare cells by name, the first one as the baseline."""
        self.window.show_page(self.window.page(ComparePage))
        self.wait_for(lambda: self.window.page(ComparePage).view.comparison is not None)
        cells = {c.name: c for c in self.window.page(ComparePage).control.cells()}
        self.window.page(ComparePage).control.choose([cells[name] for name in names])
        self.wait_for(lambda: self.compared() == list(names))

    def compared(self) -> list[str]:
        shown = self.window.page(ComparePage).view.comparison
        return [c.name for c in shown.result.choice.cells] if shown else []


class TestScalePage(PageCase):
    def test_where_two_devices_trade_places(self) -> None:
        self.scale("Sandpiper 14", TILE)
        view = self.window.page(ScalePage).view
        view.tabs.setCurrentIndex(CROSSINGS)
        row = next(r for r in view.crossings.rows if r.cells[0] == "Sandpiper 14 and Gannet")
        self.assertEqual((row.cells[3], row.cells[4]), ("Gannet", "Sandpiper 14"))
        self.assertIn("no difference that matters", row.cells[5], "between the two real leads")
        self.assertIn("it leads Gannet above", view.headline.text())
        at = float(row.cells[1].split()[0])
        view.crossings.opened.emit(row.of)
        self.assertEqual(view.tabs.currentIndex(), READER)
        self.assertAlmostEqual(view.reader_w.value(), at, delta=0.06)
        chart = view.chart.chart
        assert chart is not None
        self.assertEqual(chart.reader, view.reader_w.value())
        found = {r.cells[0]: r.cells[1] for r in view.reader.rows}
        self.assertAlmostEqual(float(found["Gannet"]), float(found["Sandpiper 14"]), delta=0.03)

    def test_the_line_that_reads_can_be_dragged(self) -> None:
        self.scale("Sandpiper 14", TILE)
        view = self.window.page(ScalePage).view
        view.read_at(20.0)
        before = [r.cells[1] for r in view.reader.rows]
        self.wait_for(lambda: view.chart._readers)
        view.chart._readers[0].setValue(30.0)
        view.chart._readers[0].sigPositionChangeFinished.emit(view.chart._readers[0])
        self.assertEqual(view.reader_w.value(), 30.0)
        self.assertNotEqual([r.cells[1] for r in view.reader.rows], before)
        self.assertEqual({r.cells[5] for r in view.reader.rows} - {"", "slower", "a tie", "can't tell"}, set())

    def test_least_watts_for_60_fps(self) -> None:
        self.scale("Gannet", GAME)
        view = self.window.page(ScalePage).view
        view.tabs.setCurrentIndex(TARGET)
        view.target_fps.setValue(60.0)
        view.target_fps.editingFinished.emit()
        self.wait_for(lambda: view.result is not None and view.result.choice.target == 60.0)
        watts = {r.cells[0]: float(r.cells[1].split()[0]) for r in view.target.rows if r.cells[1].strip()}
        self.assertTrue(watts["Gannet"] < watts["Limpet"] < watts["Sandpiper 14"], watts)

    def test_lows_stand_beside_the_average_and_can_be_the_score(self) -> None:
        self.scale("Gannet", GAME)
        view = self.window.page(ScalePage).view
        chart = view.chart.chart
        assert chart is not None
        self.assertEqual(sum(line.dashed for line in chart.panels[0].lines), 1, "single frames of the handheld only")
        view.measure.setCurrentIndex(view.measure.findData("low_1.time_share"))
        view.measure.activated.emit(view.measure.currentIndex())
        self.wait_for(lambda: view.result is not None and view.result.choice.measure == "low_1.time_share")
        assert view.result is not None
        self.assertEqual([s.name for s in view.result.series if s.scaling], ["Gannet"])
        self.assertIn("no 1 % low, time share can be had", view.result.series[0].left_out[0].text)

    def test_the_next_limit_goes_into_the_plan(self) -> None:
        self.scale("Gannet", TILE)
        view, book = self.window.page(ScalePage).view, self.session.book
        view.spots.setCurrentCell([r.cells[0] for r in view.spots.rows].index("Gannet"), 0)
        series = view.own_series
        assert series is not None and series.scaling is not None
        watts = round(series.scaling.next_w)
        before = {s.name for s in book.settings(series.device.id or 0)}
        self.window.page(ScalePage).plan_next()
        new = next(s for s in book.settings(series.device.id or 0) if s.name not in before)
        self.assertEqual(new.sustained_w, watts)
        cell = book.plans()[-1].cell(new.id or 0, series.workload.id or 0)
        self.assertEqual((cell.repeats, cell.priority) if cell else None, (3, 1))
        self.window.undo()
        self.assertEqual({s.name for s in book.settings(series.device.id or 0)}, before)

    def test_a_point_opens_its_run(self) -> None:
        self.scale("Limpet", GAME)
        view = self.window.page(ScalePage).view
        assert view.result is not None
        wanted = [p for s in view.result.series for p in s.points][7]
        view.chart.dot_clicked.emit(7)
        self.assertEqual((self.window.shown_page.name, self.session.subject.run_id), ("Judge", wanted.of.run.id))

    def test_several_workloads_and_a_second_panel(self) -> None:
        self.scale("Gannet", GAME)
        view = self.window.page(ScalePage).view
        ids = {w.name: w.id for w in self.session.book.workloads()}
        view.workloads.choose([ids[TILE], ids[GAME]])
        self.wait_for(lambda: view.result is not None and len(view.result.choice.workload_ids) == 2)
        view.second.setCurrentIndex(1)
        view.draw()
        chart = view.chart.chart
        assert chart is not None
        self.assertEqual([p.unit for p in chart.panels], ["%", "%/W"])
        self.assertAlmostEqual(max(line.y.max() for line in chart.panels[0].lines), 100.0, places=3)


class TestComparePage(PageCase):
    def test_an_unfair_pair_and_its_notes(self) -> None:
        self.compare("Sandpiper 14, Even", "Limpet, Stock, 31 °C")
        view = self.window.page(ComparePage).view
        self.assertIn("Not like for like", view.headline.text())
        kinds = [r.cells[1] for r in view.fairness.rows]
        self.assertLessEqual({"measured watts", "room"}, set(kinds))
        self.assertIn("more watts", view.notes.text().replace("\xa0", " "), "what is unfair stands below the bars")
        self.assertTrue(
            any("faster" in r.cells[4] or "slower" in r.cells[4] for r in view.verdicts.rows if len(r.cells) > 4)
        )
        room = next(r for r in view.fairness.rows if r.cells[1] == "room")
        assert room.explanation is not None
        self.assertIn("better all the same", room.explanation.meaning, "what held the winner back takes nothing away")

    def test_a_difference_is_accepted_with_a_reason_and_back(self) -> None:
        self.compare("Sandpiper 14, Even", "Limpet, Stock, 31 °C")
        view, book = self.window.page(ComparePage).view, self.session.book
        at = [r.cells[1] for r in view.fairness.rows].index("measured watts")
        view.tabs.setCurrentIndex(FAIRNESS)
        view.fairness.setCurrentCell(at, 0)
        before = book.acceptances()
        self.assertIn("Holds", view.fairness.rows[at].explanation.title.title())  # type: ignore[union-attr]
        with mock.patch.object(QInputDialog, "getText", return_value=("that is the question", True)):
            view.accept_chosen()
        self.assertEqual([a.reason for a in book.acceptances()[len(before) :]], ["that is the question"])
        self.wait_for(lambda: any(r.cells[5] == "that is the question" for r in view.fairness.rows))
        self.assertIn("Accepted: that is the question", view.notes.text() + " ".join(view.bars.chart.footnotes))  # type: ignore[union-attr]
        self.window.undo()
        self.assertEqual(book.acceptances(), before)

    def test_a_tie_is_a_tie(self) -> None:
        self.compare("Sandpiper 14, 22 W", "Limpet, 20 W")
        row = self.window.page(ComparePage).view.verdicts.rows[2]
        self.assertEqual(row.cells[4], "a tie")
        self.assertIn("a tie", self.window.page(ComparePage).view.headline.text())
        self.compare("Sandpiper 14, Full, 22 °C", "Sandpiper 14, Full, 31 °C")
        row = self.window.page(ComparePage).view.verdicts.rows[2]
        self.assertEqual(row.cells[4], "can't tell, 1 more")
        assert row.explanation is not None
        self.assertIn("borrowed", row.explanation.uncertainty, "a single run has no scatter of its own")
        self.assertIn("Only what was repeated", row.explanation.meaning)

    def test_an_uplift_parts_into_watts_and_design(self) -> None:
        self.compare("Sandpiper 14, last year's, Full", "Sandpiper 14, Full, 22 °C")
        view = self.window.page(ComparePage).view
        self.assertEqual(view.generations.rows, (), "drawn once it is looked at")
        view.tabs.setCurrentIndex(GENERATIONS)
        row = next(r for r in view.generations.rows if r.cells[2].strip())
        total, design, watts = (float(row.cells[n].split()[0].replace("−", "-")) for n in (1, 2, 4))
        self.assertAlmostEqual(design + watts, total, delta=0.11)
        self.assertTrue(20 < design < total < 60, (total, design))

    def test_ready_views_and_ticks(self) -> None:
        self.choose("Sandpiper 14", None, TILE)
        self.compare("Sandpiper 14, Even", "Gannet, 30 W")
        view = self.window.page(ComparePage).view
        view.axis_chosen.emit(CompareAxis.SUPPLY)
        self.wait_for(lambda: self.compared()[:2] == ["Sandpiper 14, Hush", "Sandpiper 14, Hush on battery"])
        self.assertEqual(len(self.compared()), 6, "each setting on battery beside the same on mains")
        view.axis_chosen.emit(CompareAxis.SETTING)
        self.wait_for(lambda: len(self.compared()) == 10)
        names = [c.name for c in self.window.page(ComparePage).control.cells()]
        item = view.list.item(names.index("Gannet, 10 W"))
        assert item is not None
        item.setCheckState(Qt.CheckState.Checked)
        self.wait_for(lambda: self.compared()[-1] == "Gannet, 10 W")
        view.list.setCurrentRow(names.index("Gannet, 10 W"))
        view.base_button.click()
        self.wait_for(lambda: self.compared()[0] == "Gannet, 10 W")
        view.filter.setText("gannet 30")
        self.assertEqual(sum(not view.list.item(n).isHidden() for n in range(view.list.count())), 1)  # type: ignore[union-attr]

    def test_bars_sort_by_score_and_heavier_is_the_subject(self) -> None:
        self.choose("Gannet", None, GAME)
        self.compare("Sandpiper 14, Even", "Limpet, 28 W", "Gannet, 30 W")
        view = self.window.page(ComparePage).view
        view.order.setCurrentIndex(1)
        view.unit.setCurrentIndex(1)
        view.draw()
        chart = view.bars.chart
        assert chart is not None
        game = next(g for g in chart.groups if g.title.startswith(GAME))
        self.assertEqual(game.bars[0].label, "Gannet, 30 W")
        self.assertEqual([b.subject for b in game.bars], [True, False, False])
        self.assertIn("fps", game.bars[0].words)
        self.window.writing.chart(self.window.chart_shown(), self.folder / "bars.svg")
        self.wait_for((self.folder / "bars.svg").exists)
        self.assertIn("Gannet, 30 W", (self.folder / "bars.svg").read_text())

    def test_missing_runs_go_into_the_plan(self) -> None:
        self.compare("Sandpiper 14, Full, 22 °C", "Limpet, 45 W, 22 °C")
        view = self.window.page(ComparePage).view
        at = next(n for n, r in enumerate(view.verdicts.rows) if "more" in "".join(r.cells[4:5]))
        view.tabs.setCurrentIndex(VERDICTS)
        view.verdicts.setCurrentCell(at, 0)
        view.plan_missing()
        plan = self.session.book.plans()[-1]
        ids = {s.id for d in self.session.book.devices() for s in self.session.book.settings(d.id or 0)
               if s.name in ("Full", "45 W")}  # fmt: skip
        self.assertGreaterEqual(len({c.setting_id for c in plan.cells} & ids), 2)

    def test_variants_side_by_side_and_as_a_grid(self) -> None:
        self.choose("Gannet", "16 W", "Lantern Deep")
        self.compare("Gannet, 16 W", "Gannet, 20 W")
        page = self.window.page(ComparePage)
        page.control.measure = "average+low_1.percentile"
        page.view.axis_chosen.emit(CompareAxis.VARIANT)
        self.wait_for(lambda: self.compared()[:1] == ["Gannet, 16 W, high"])
        chart = page.view.bars.chart
        assert chart is not None
        self.assertEqual([b.label for b in chart.groups[0].bars], ["high", "low", "medium"])
        self.assertEqual(chart.groups[0].printed, ("44.6", "71.2", "58.3"))
        self.assertIn("1 % low", chart.groups[1].title)
        self.assertIn("average: +59.6 % (single runs)", page.view.headline.text().replace("\xa0", " "))
        page.view.tabs.setCurrentIndex(MATRIX)
        page.view.matrix.table.setCurrentCell(1, 2)
        self.assertIn("average 58.3 fps of 1 run", self.window.margin.text)
        self.assertIn("low ÷ average: 77 %", self.window.margin.text)
        page.view.matrix.share.setValue(60)
        rows = {r.cells[0]: r.cells for r in page.view.matrix.table.rows}
        self.assertEqual(rows["Lantern Deep, fps"][1:4], ("71.2 | 52.8", "58.3 | 44.9", "44.6 | 35.7"))
        self.assertIn("60 fps at low", rows["Lantern Deep, fps"][-2])
        self.assertIn("none of 60, 120, 144 fps", rows["Pack Ice, fps"][-2], "its low is 31.4, less than 36")
        page.view.tabs.setCurrentIndex(MATRIX)
        sent = page.sent()
        card = cell_cards.make(sent.query, sent.kind, read_points(self.session.book.path), {})  # type: ignore[arg-type]
        self.assertEqual(
            card.finding,
            "Gannet, 16 W reaches 60 fps with a low of 60 % of it in 2 of 3 games: "
            "Skerry Run at low; Lantern Deep at low.",
        )
        self.assertIn(("Pack Ice", "low", 63.9, 31.4, "fps", False), card.table.rows)

    def test_a_field_of_told_results_with_ranks(self) -> None:
        self.choose("Sandpiper 14", "Full", "Signal Decode")
        self.compare("Sandpiper 14, Full, room not noted", "Limpet, Stock, third party")
        page = self.window.page(ComparePage)
        page.view.axis_chosen.emit(CompareAxis.FIELD)
        self.wait_for(lambda: len(self.compared()) == 8)
        page.view.tabs.setCurrentIndex(VERDICTS)
        page.view.verdicts.sort_by(1)
        rows = [r for r in page.view.verdicts.rows if not r.heading]
        self.assertEqual([r.cells[2] for r in rows], [str(n) for n in range(8, 0, -1)])
        told = next(r for r in rows if "Gannet" in r.cells[0] and "maker" in r.cells[0])
        self.assertEqual(told.cells[4], "how repeatable it is nobody said")
        self.assertTrue(told.cells[5].startswith("−29.4"), told.cells)
        assert told.explanation is not None
        self.assertTrue(any("seventh of eight" in line for line in told.explanation.formula))
        self.assertTrue(page.view.verdicts.isColumnHidden(10), "nobody measured battery watts")

    def test_one_cell_alone_is_shown(self) -> None:
        self.choose("Gannet", "16 W", "Pack Ice")
        self.compare("Gannet, 16 W")
        view = self.window.page(ComparePage).view
        self.assertIn("Skerry Run, low 96.4 fps", view.headline.text().replace("\xa0", " "))
        self.assertEqual(self.window.page(ComparePage).sent().kind, CardKind.BARS)

    def test_a_result_is_typed_and_taken_away(self) -> None:
        self.choose("Limpet", "Stock", "Pack Ice")
        book, page = self.session.book, self.window.page(ComparePage)
        before = len(book.results())

        def type_two(dialog: ResultsDialog) -> int:
            dialog.value.setText("61–62")
            dialog.add()
            dialog.value.setText("nonsense")
            dialog.add()
            self.assertIn("nonsense", dialog.error.text())
            self.assertEqual([r.cells[:2] for r in dialog.table.rows], [("average", "61–62 fps")])
            dialog.table.setCurrentCell(0, 0)
            dialog.remove()
            dialog.value.setText("61.5")
            dialog.add()
            return 0

        with mock.patch.object(ResultsDialog, "exec", type_two):
            page.add_results()
        self.assertEqual([r.value for r in book.results()[before:]], [61.5])
        self.window.undo()
        self.assertEqual(len(book.results()), before)

    def test_money_and_time(self) -> None:
        self.compare("Sandpiper 14, Full, 22 °C", "Limpet, 45 W, 22 °C")
        view = self.window.page(ComparePage).view
        view.tabs.setCurrentIndex(MONEY)
        self.assertRegex(view.money.rows[1].cells[3], r"^−5\d\.\d %$")
        self.assertGreaterEqual(len(view.offers.rows), 2)
        self.assertIn("EUR", view.written.x_unit)  # type: ignore[union-attr]
        view.tabs.setCurrentIndex(TIME)
        runs = sum(len(d.x) for d in view.written.panels[0].dots)  # type: ignore[union-attr]
        self.assertEqual(runs, 8)

    def test_builds_and_somebodys_figures_are_cells_of_their_own(self) -> None:
        book = self.session.book
        gannet = next(d for d in book.devices() if d.name == "Gannet")
        own = [r for r in book.runs(gannet.id) if book.get(Setting, r.setting_id).name == "30 W"]
        newer = (Build(what="graphics driver", version="32.0", date="2026-09-20"),)
        book.save(own[0].model_copy(update={"builds": newer}))
        told = Summary(score=80, spread=1.0, repeats=6, units=6, origin=Origin.MAKER)
        book.save(own[1].as_new(summary=told, builds=()))
        names = [c.name for c in cells_of(read_points(book.path)) if c.setting.name == "30 W" and "Gannet" in c.name]
        self.assertEqual(len(names), 3, names)
        self.assertTrue(any("maker's figure" in name for name in names), names)

    def test_quick_sums_are_pinned_to_the_run(self) -> None:
        self.choose("Gannet", "20 W", TILE)
        self.window.show_page(self.window.page(JudgePage))
        self.window.quick_sums()
        sums = self.window.margin.sums
        sums.numbers.setText("5401; 6933")
        self.assertEqual(sums.result.text(), "+28.37 % up, −22.1 % back")
        sums.pin.click()
        self.assertIn("6933 / 5401", self.session.run.notes)  # type: ignore[union-attr]
        sums.numbers.setText("5401; nought")
        self.assertIn("is not a number", sums.working.text())
        self.assertFalse(sums.pin.isEnabled())
