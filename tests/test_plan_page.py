"""The Plan page in the real window: from an empty book to a printed sheet, and a plan that lives."""

from datetime import datetime, timedelta
from unittest import mock

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog

from pinch.bench.parts import Aspect, Battery, Claims, Exclusion
from pinch.bench.plans import Outcome, Plan, PlanSession
from pinch.bench.presets import Intent
from pinch.bench.records import Device, Form, Protocol, Setting, WorkKind, Workload
from pinch.ui.bench.page import BenchPage
from pinch.ui.page_protocol import PlanTarget, RecordsTarget
from pinch.ui.plan.control import present
from pinch.ui.plan.page import PlanPage
from pinch.ui.plan.plan_dialogs import NewPlanDialog, SessionsDialog
from pinch.ui.plan.state import duration, read_session, sheet_lines
from pinch.ui.plan.view import MATRIX, SHEET
from pinch.ui.run.page import RunPage
from tests.window_case import WindowCase

CONTROL = Qt.KeyboardModifier.ControlModifier


class PlanCase(WindowCase):
    def planned(self) -> None:
        """Wait until the present plan is planned."""
        control = self.window.planning
        self.wait_for(lambda: control._job is None and control.sheet and control.sheet.plan == control.plan)

    def plan(self) -> Plan:
        plan = self.window.planning.plan
        assert plan is not None
        return plan

    def type_cell(self, setting: str, workload: str, text: str) -> None:
        """Choose a cell and type into it as a person does."""
        table = self.window.page(PlanPage).view.matrix
        assert table.matrix is not None
        row = [s.name for s in table.matrix.settings].index(setting)
        column = [w.name for w in table.matrix.workloads].index(workload)
        table.setCurrentCell(row, column)
        table.setFocus()
        QTest.keyClicks(table, text[:1])
        QApplication.processEvents()
        editor = QApplication.focusWidget()
        if editor is not table and editor is not None:
            QTest.keyClicks(editor, text[1:])
            QTest.keyClick(editor, Qt.Key.Key_Return)
        QApplication.processEvents()


class TestFromNothing(PlanCase):
    """The whole way: a handheld with seven limits, two workloads, battery and mains, three evenings."""

    def enter_the_bench(self) -> None:
        book = self.session.book
        rule = Exclusion(aspect=Aspect.LIMITS, value="> 25", never_with=Aspect.SUPPLY, other="battery")
        device = book.save(
            Device(
                name="Gannet",
                form=Form.HANDHELD,
                claims=Claims(lowest_w=7, highest_w=30, step_w=1),
                battery=Battery(full_wh=48, charge_min=80),
                exclusions=(rule,),
            )
        )
        self.session.choose(device.id, None, None, None)
        self.window.go_to(RecordsTarget(Setting))
        self.window.page(BenchPage).control.make_ladder([7, 9, 11, 14, 18, 24, 30])
        names = [s.name for s in book.settings(device.id or 0)]
        self.assertEqual(len(names), 7)
        for watts in (15.0, 30.0):
            book.save(Setting(device_id=device.id or 0, name=f"{watts:g} W at anchor", sustained_w=watts, mains=False))
        for name, kind, length in (("Tile Render", WorkKind.ALL_CORE, 600), ("Rundown", WorkKind.RUNDOWN, 7200)):
            book.save(Workload(name=name, kind=kind, length_s=length))
        book.save(Protocol(name="Cabin", cool_min=8, readings_min=2))
        self.session.refresh()

    def test_to_a_printed_sheet_and_on(self) -> None:
        self.window.show_page(self.window.page(PlanPage))
        self.assertIn("No plan yet", self.window.page(PlanPage).view.headline.text())
        self.enter_the_bench()
        protocol = self.session.book.protocols()[0].id
        device = self.session.subject.device_id or 0
        tile = self.session.book.workloads()[0].id or 0
        self.window.planning.new(Intent.LADDER, "Three evenings", [device], [tile], 3, protocol)
        self.window.go_to(PlanTarget(True))
        self.type_cell("15 W at anchor", "Rundown", "1")
        self.type_cell("30 W", "Tile Render", "4")
        self.planned()
        self.assertEqual(len(self.plan().cells), 8)
        self.assertIn("23 runs to do", self.window.page(PlanPage).view.totals.text())
        self.assertTrue(self.window.planning.sheet and self.window.planning.sheet.sheet.proved)

        evenings = tuple(PlanSession(start=present() + timedelta(days=n, hours=1), minutes=150.0) for n in range(3))
        self.window.planning.set_sessions(evenings)
        self.planned()
        headline = self.window.page(PlanPage).view.headline.text()
        self.assertRegex(headline, r"^Done \w+ \d+ \w+ at \d\d:\d\d: \d+ runs, .* in 3 sessions\.")
        self.assertIn("Left out", self.window.margin.text)
        self.assertEqual(len(self.window.page(PlanPage).view.timeline.chart.rows), 3)  # type: ignore[union-attr]
        self.assertRegex(self.window.spine.entries[1].accessibleName(), r"Plan \d+ h \d\d left")
        self.print_it()

        before = [line for line in self.window.page(PlanPage).view.lines if line.is_run]
        self.window.go_to(PlanTarget(False))
        for _ in range(2):
            QTest.keyClick(self.window, Qt.Key.Key_Return, CONTROL)
            self.planned()
        with mock.patch.object(QInputDialog, "getText", return_value=("the room was too warm", True)):
            self.window.page(PlanPage).view.void.click()
            self.planned()
            self.window.page(PlanPage).view.skip.click()
            self.planned()
        outcomes = [e.outcome for e in self.plan().entries]
        self.assertEqual(outcomes, [Outcome.DONE, Outcome.DONE, Outcome.VOID, Outcome.SKIPPED])
        lines = self.window.page(PlanPage).view.lines
        self.assertEqual([x.outcome for x in lines[:4]], outcomes)
        self.assertIn("(the room was too warm)", sheet_lines(lines)[2].words)
        after = [line for line in lines if line.is_run]
        voided = before[2]
        again = [x for x in after if (x.setting_id, x.workload_id) == (voided.setting_id, voided.workload_id)]
        self.assertGreater(max((x.repeat for x in again), default=99), 3, "the void one is wanted again")
        self.window.undo()
        self.assertEqual(len(self.plan().entries), 3)

    def print_it(self) -> None:
        path = self.folder / "sheet.pdf"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            QTest.keyClick(self.window, Qt.Key.Key_P, CONTROL)
        self.wait_for(path.exists)
        self.assertTrue(path.read_bytes().startswith(b"%PDF-"))


class TestOnTheDemo(PlanCase):
    demo = True

    def setUp(self) -> None:
        super().setUp()
        evenings = tuple(PlanSession(start=present() + timedelta(days=n, hours=1), minutes=210.0) for n in range(2))
        plan = next(p for p in self.session.book.plans() if p.name.startswith("Gannet"))
        self.session.book.save(plan.model_copy(update={"sessions": evenings}))  # the demo's own are in the past by now
        self.window.show_page(self.window.page(PlanPage))
        self.planned()

    def test_the_demo_shows_all_of_it(self) -> None:
        view = self.window.page(PlanPage).view
        kinds = {b.kind for row in view.timeline.chart.rows for b in row.blocks}  # type: ignore[union-attr]
        self.assertLessEqual({"run", "done", "void", "cool", "change", "read"}, kinds)
        self.assertIn("cannot be: Gannet: limits > 25 never with supply battery", self.window.margin.text)
        self.assertIn("measured in run", self.window.margin.text)
        self.assertIn("proved: no order is shorter", self.window.margin.text)

    def test_the_matrix_takes_numbers_and_refuses_words(self) -> None:
        view = self.window.page(PlanPage).view
        view.tabs.setCurrentIndex(MATRIX)
        cells = len(self.plan().cells)
        self.type_cell("13 W", "Skerry Run", "2")
        self.assertEqual(len(self.plan().cells), cells + 1)
        self.type_cell("13 W", "Skerry Run", "x")
        self.assertIn("not a number", self.window.notices.words.text())
        QTest.keyClick(view.matrix, Qt.Key.Key_P)
        self.assertEqual(self.plan().cells[-1].priority, 1)
        QTest.keyClick(view.matrix, Qt.Key.Key_P)
        self.assertIn("if time", [view.matrix.item(2, c).text()[-7:] for c in range(3)][1])  # type: ignore[union-attr]
        QTest.keyClick(view.matrix, Qt.Key.Key_Delete)
        self.assertEqual(len(self.plan().cells), cells)
        crossed = view.matrix.item(11, 0)
        assert crossed is not None
        self.assertEqual(crossed.text(), "cannot be")
        self.assertIn("never with", crossed.toolTip())

    def test_order_and_protocol(self) -> None:
        view = self.window.page(PlanPage).view
        view.order.setCurrentIndex(1)
        view.order.activated.emit(1)
        self.planned()
        self.assertIn("drawn with seed 1", self.window.margin.text)
        self.window.planning.set_protocol(None)
        self.planned()
        self.assertNotIn("read", {line.kind for line in view.lines})

    def test_what_fits_into_two_hours(self) -> None:
        view = self.window.page(PlanPage).view
        view.hours.setFocus()
        QTest.keyClicks(view.hours, "2")
        QTest.keyClick(view.hours, Qt.Key.Key_Return)
        self.planned()
        sheet = self.window.planning.sheet
        assert sheet is not None
        self.assertLessEqual(sheet.left_s, 7200.0)
        self.assertIn("left out", view.headline.text())
        self.assertTrue(all(j.priority >= 2 or j.repeat > 1 for j in sheet.sheet.left_out))
        self.window.planning.fit_into("")
        self.planned()
        self.assertEqual(self.plan().sessions, ())
        self.window.safely(lambda: self.window.planning.fit_into("soon"))
        self.assertIn("not a number", self.window.notices.words.text())

    def test_sessions_that_are_over_move_on(self) -> None:
        past = tuple(PlanSession(start=present() - timedelta(days=9 - n, hours=-1), minutes=120.0) for n in range(3))
        self.window.planning.set_sessions(past)
        self.planned()
        self.assertIn("the sessions are over", self.window.page(PlanPage).view.headline.text())
        self.window.planning.move_on()
        self.planned()
        moved = self.plan().sessions
        self.assertEqual([(b.start - a.start).days for a, b in zip(past, moved, strict=True)], [9, 9, 9])
        self.assertIn("in 3 sessions", self.window.page(PlanPage).view.headline.text())
        ahead = (past[0], *moved)
        self.window.planning.set_sessions(ahead)
        self.window.planning.move_on()
        self.assertEqual(self.plan().sessions, moved)

    def test_a_block_of_the_timeline_is_a_line_of_the_sheet(self) -> None:
        view = self.window.page(PlanPage).view
        chart = view.timeline.chart
        assert chart is not None
        block = next(b for b in chart.rows[-1].blocks if b.kind == "run")
        place = view.timeline._box(len(chart.rows) - 1, block).center()
        QTest.mouseClick(view.timeline, Qt.MouseButton.LeftButton, pos=QPointF(place).toPoint())
        self.assertEqual(view.table.currentRow(), block.line)
        self.assertIs(view.timeline.block_at(place), block)
        self.assertTrue(view.done.isEnabled())
        view.choose_line(0)
        self.assertFalse(view.done.isEnabled(), "what is done is done")

    def test_a_run_of_the_sheet_is_recorded_and_done(self) -> None:
        view = self.window.page(PlanPage).view
        tile = next(w.id for w in self.session.book.workloads() if w.name.startswith("Tile Render, all"))
        view.choose_line(next(n for n, x in enumerate(view.lines) if x.is_run and x.workload_id == tile))
        line = view.chosen_line
        assert line is not None
        view.record.click()
        self.assertIsInstance(self.window.shown_page, RunPage)
        self.assertEqual(self.session.subject.setting_id, line.setting_id)
        run = self.window.page(RunPage).view
        work = self.session.workload
        assert work is not None
        self.assertAlmostEqual(run.length.value(), work.length_s / 60, delta=0.06)
        self.assertIn("Next on the run sheet", run.next_step.text())
        entries = len(self.plan().entries)
        run.length.setValue(1.0)
        run.rest.setValue(2.0)
        run.pace.setCurrentIndex(2)
        run.start.click()
        self.wait_for(lambda: "done in the plan" in self.window.notices.words.text())
        entry = self.plan().entries[-1]
        self.assertEqual((len(self.plan().entries), entry.outcome), (entries + 1, Outcome.DONE))
        self.assertEqual((entry.setting_id, entry.run_id), (line.setting_id, self.session.book.runs()[-1].id))

    def test_a_run_that_turns_out_void_is_wanted_again(self) -> None:
        view = self.window.page(PlanPage).view
        number = next(n for n, x in enumerate(view.lines) if x.outcome is Outcome.DONE)
        sheet = self.window.planning.sheet
        assert sheet is not None
        before = len(sheet.sheet.runs) + len(sheet.sheet.left_out)
        view.choose_line(number)
        with mock.patch.object(QInputDialog, "getText", return_value=("wrong driver", True)):
            view.void.click()
        self.planned()
        self.assertEqual(self.plan().entries[number].outcome, Outcome.VOID)
        after = self.window.planning.sheet
        assert after is not None
        self.assertEqual(len(after.sheet.runs) + len(after.sheet.left_out), before + 1)

    def test_a_void_run_of_judge_is_void_in_its_plan(self) -> None:
        run = next(r for r in self.session.book.runs() if not r.void)
        entries = list(self.plan().entries)
        entries[1] = entries[1].model_copy(update={"run_id": run.id})
        self.session.book.save(self.plan().model_copy(update={"entries": tuple(entries)}))
        self.session.choose_run(run.id or 0)
        self.window.changes.void_run("the meter was off")
        self.assertEqual(
            (self.plan().entries[1].outcome, self.plan().entries[1].reason), (Outcome.VOID, "the meter was off")
        )
        self.window.undo()
        self.assertEqual(self.plan().entries[1].outcome, Outcome.DONE)
        self.window.planning.void(1, "too warm")
        self.assertEqual(self.session.book.get(type(run), run.id or 0).void, "too warm")

    def test_another_balanced_order(self) -> None:
        self.window.planning.draw_again()
        self.planned()
        self.assertIn("drawn with seed 2", self.window.margin.text)
        QTest.keyClick(self.window, Qt.Key.Key_PageDown, CONTROL)
        self.assertEqual(self.window.page(PlanPage).view.below.currentIndex(), MATRIX)

    def test_the_run_page_follows_the_run_sheet(self) -> None:
        self.choose("Limpet", "Stock", "Tile Render, all cores")
        self.window.show_page(self.window.page(RunPage))
        run, line = self.window.page(RunPage).view, self.window.planning.next_step()
        assert line is not None
        self.assertIn(line[0].words, run.next_step.text())
        self.assertTrue(run.take_next.isVisible())
        run.take_next.click()
        self.assertEqual(self.session.subject.setting_id, line[0].setting_id)
        self.assertFalse(run.take_next.isVisible())

    def test_copy_and_archive(self) -> None:
        self.window.planning.copy()
        self.planned()
        self.assertEqual((self.plan().name, self.plan().entries), ("Gannet, three evenings (2)", ()))
        self.window.planning.archive()
        self.planned()
        self.assertEqual(self.plan().name, "Gannet, three evenings")
        self.assertEqual(self.window.page(PlanPage).view.plan.count(), 2)
        self.window.page(PlanPage).view.plan.setCurrentIndex(0)
        self.window.page(PlanPage).view.plan.activated.emit(0)
        self.planned()
        self.assertIn("imbalance", self.window.margin.text)

    def test_a_new_plan_is_asked_for(self) -> None:
        def fill(dialog: NewPlanDialog) -> int:
            dialog.intent.setCurrentIndex(list(Intent).index(Intent.PAIR))
            for box, name in ((dialog.device, "Sandpiper 14"), (dialog.other, "Sandpiper 14, last year's")):
                box.setCurrentText(name)
            dialog.repeats.setValue(2)
            return int(QDialog.DialogCode.Accepted)

        with mock.patch.object(NewPlanDialog, "exec", fill):
            self.window.page(PlanPage).new_plan()
        self.planned()
        self.assertEqual(self.plan().name, "Sandpiper 14, A against B")
        devices = {self.session.book.get(Setting, c.setting_id).device_id for c in self.plan().cells}
        self.assertEqual(len(devices), 2)
        with mock.patch.object(NewPlanDialog, "exec", lambda d: d.intent.setCurrentIndex(6) or 1):
            self.window.page(PlanPage).new_plan()
        self.planned()
        self.assertEqual(self.session.book.workloads()[-1].length_s, 3600.0, "a soak makes its own workload")
        self.window.undo()
        self.assertNotEqual(self.session.book.workloads()[-1].length_s, 3600.0)


class TestDialogsAndWords(PlanCase):
    def test_sessions_are_typed(self) -> None:
        now = datetime(2026, 9, 1, 18, 0).astimezone()
        dialog = SessionsDialog((), now, self.window)
        dialog.add.click()
        dialog.add.click()
        self.assertEqual([e.text() for e in dialog.rows[1]], ["2026-09-02", "19:30", "3 h"])
        dialog.rows[0][2].setText("27 h")
        dialog.accept()
        self.assertIn("overlaps", dialog.error.text())
        dialog.rows[0][2].setText("2 h 30")
        dialog.rows[1][1].setText("half past")
        dialog.accept()
        self.assertIn("not a time of day", dialog.error.text())
        dialog.rows[1][1].setText("8.15")
        dialog.rows[1][2].setText("")
        dialog.accept()
        self.assertEqual([s.minutes for s in dialog.sessions], [150.0, None])
        self.assertEqual(f"{dialog.sessions[1].start.astimezone():%d %H:%M}", "02 08:15")
        dialog.remove.click()
        self.assertEqual(len(dialog.rows), 1)

    def test_today_is_meant_where_no_day_is_typed(self) -> None:
        now = datetime(2026, 9, 1, 18, 0).astimezone()
        self.assertEqual(read_session("", "19:30", "3", now).start.date(), now.date())

    def test_durations(self) -> None:
        self.assertEqual([duration(s) for s in (0, 30, 90, 3599, 3600, 37800)],
                         ["0 min", "30 s", "2 min", "1 h 00", "1 h 00", "10 h 30"])  # fmt: skip

    def test_without_records_a_plan_says_what_it_needs(self) -> None:
        self.window.safely(self.window.page(PlanPage).new_plan)
        self.assertIn("needs a device and a workload", self.window.notices.words.text())
        for call in (
            self.window.page(PlanPage).ask_sessions,
            self.window.page(PlanPage).write_sheet,
            self.window.planning.copy,
        ):
            self.window.safely(call)
            self.assertIn("make", self.window.notices.words.text())
        self.window.show_page(self.window.page(PlanPage))
        self.window.page(PlanPage).view.tabs.setCurrentIndex(SHEET)
        self.window.safely(lambda: self.window.page(PlanPage).note_outcome("done"))
        self.assertIn("Choose a run", self.window.notices.words.text())
