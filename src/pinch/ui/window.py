"""The main window: spine, context strip, desk, margin and footer around one session."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QCloseEvent, QIcon, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from pinch import compose
from pinch.bench.plans import Outcome
from pinch.bench.records import Device, ExitStatus, Listed, Run, Setting, Workload, live
from pinch.charts.runsheet import SheetChart
from pinch.charts.spec import Chart
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.core.runlog import RunLog
from pinch.ui import look
from pinch.ui.asking import Asking
from pinch.ui.bench.control import BenchControl
from pinch.ui.bench.view import BenchView
from pinch.ui.changes import Changes
from pinch.ui.judge.control import JudgeControl
from pinch.ui.judge.state import JudgedRun
from pinch.ui.judge.view import JudgeView
from pinch.ui.menus import fill_menus, window_menus
from pinch.ui.plan.control import PlanControl
from pinch.ui.plan.state import duration, explanation, matrix
from pinch.ui.plan.view import MATRIX, SHEET, PlanView
from pinch.ui.run.control import RecordingControl
from pinch.ui.run.view import RunView
from pinch.ui.scale.control import ScaleControl
from pinch.ui.scale.view import ScaleView
from pinch.ui.session import Session
from pinch.ui.shell.context_strip import ContextStrip
from pinch.ui.shell.footer import Footer
from pinch.ui.shell.margin import WIDTH as MARGIN_WIDTH
from pinch.ui.shell.margin import Margin
from pinch.ui.shell.notices import Notices
from pinch.ui.shell.spine import Spine
from pinch.ui.writing import Writing

ICON = look.ART / "pinch.svg"
PAGES = [("Bench", "Alt+1"), ("Plan", "Alt+2"), ("Run", "Alt+3"), ("Judge", "Alt+4"), ("Scale", "Alt+5")]
BENCH, PLAN, RUN, JUDGE, SCALE = range(5)
REPLAN_MS = 60_000
NARROW_MARGIN = 212
RECORDING_NOTES = [
    "Every second each sensor that Linux offers is read by a small process of its own. Power comes from energy "
    "counters, so nothing between two seconds is missed.",
    "The rest before the load gives the idle level, which the burst window is worked out from.",
    "The run is in the book as it grows: what was recorded stays, whatever happens.",
]


class MainWindow(QMainWindow):
    """One window, one session."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowIcon(QIcon(str(ICON)))
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)
        self.spine, self.strip = Spine(PAGES), ContextStrip(session)
        self.margin, self.footer, self.notices = Margin(), Footer(), Notices()
        self.bench_view, self.plan_view = BenchView(), PlanView()
        self.run_view, self.judge_view, self.scale_view = RunView(), JudgeView(), ScaleView()
        self.desk = QStackedWidget()
        self.desk.setObjectName("desk")
        for page in (self.bench_view, self.plan_view, self.run_view, self.judge_view, self.scale_view):
            self.desk.addWidget(page)
        self._lay_out()
        self.recording = RecordingControl(session, self)
        self.judging = JudgeControl(session, self)
        self.scaling = ScaleControl(session, self)
        self.benching = BenchControl(session, self.bench_view, self.safely)
        self.planning = PlanControl(session, self)
        self.changes = Changes(session)
        self.asking = Asking(self)
        self.writing = Writing(self.notices, self)
        self._actions = fill_menus(self, window_menus(self), self.safely)
        self._connect()
        self._book_opened()
        self._turn_to(JUDGE if session.run else BENCH)
        self._records_changed()
        QTimer.singleShot(300, self.planning.start_if_changed)  # for the hours left, once the window is there
        clock = QTimer(self)
        clock.timeout.connect(self._clock_went_on)
        clock.start(REPLAN_MS)

    def _lay_out(self) -> None:
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.strip)
        inner = QHBoxLayout()
        inner.setSpacing(0)
        page = QVBoxLayout()
        page.setSpacing(0)
        page.addWidget(self.notices)
        page.addWidget(self.desk, 1)
        inner.addLayout(page, 1)
        inner.addWidget(self.margin)
        middle.addLayout(inner, 1)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addWidget(self.spine)
        upper.addLayout(middle, 1)
        whole = QVBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(upper, 1)
        whole.addWidget(self.footer)
        central = QWidget()
        central.setLayout(whole)
        self.setCentralWidget(central)

    def _connect(self) -> None:
        session, run, judge, scale = self.session, self.run_view, self.judge_view, self.scale_view
        bench, plan = self.bench_view, self.plan_view
        session.book_opened.connect(self._book_opened)
        session.records_changed.connect(self._records_changed)
        session.subject_changed.connect(self.refresh)
        self.spine.chosen.connect(self.show_page)
        self.margin.notes_left.connect(lambda run, text: self.safely(lambda: self.changes.keep_notes(run, text)))
        self.recording.changed.connect(self._recording_changed)
        self.recording.ended.connect(self._recording_ended)
        run.start_wanted.connect(lambda request: self.safely(lambda: self.start(request)))
        run.stop_wanted.connect(self.recording.stop)
        run.mark_wanted.connect(self.mark)
        run.judge_wanted.connect(lambda: self.show_page(JUDGE))
        run.rig_wanted.connect(lambda: self.safely(self.changes.add_rig))
        run.computer_wanted.connect(lambda: self.safely(self.changes.add_computer))
        for signal, call in (
            (bench.rig_wanted, self.changes.add_rig),
            (bench.computer_wanted, self.changes.add_computer),
            (bench.ladder_wanted, self.asking.make_ladder),
            (plan.new_wanted, self.asking.new_plan),
            (plan.sessions_wanted, self.asking.sessions),
            (plan.write_wanted, self.asking.write_sheet),
            (plan.record_wanted, self.record_planned),
        ):
            signal.connect(partial(self.safely, call))
        for asked, take in (
            (plan.plan_chosen, self.planning.choose),
            (plan.order_chosen, self.planning.set_order),
            (plan.protocol_chosen, self.planning.set_protocol),
            (plan.hours_typed, self.planning.fit_into),
            (plan.matrix.repeats_typed, self.planning.set_repeats),
            (plan.matrix.priority_wanted, self.planning.next_priority),
            (plan.outcome_wanted, self.note_outcome),
        ):
            asked.connect(lambda *given, take=take: self.safely(partial(take, *given)))
        self.planning.planned.connect(self._planned)
        self.planning.failed.connect(self.notices.error)
        for view in (judge, scale):
            view.explained.connect(self.margin.explain)
            view.chart_wanted.connect(lambda: self.safely(self.asking.write_chart))
        judge.log_wanted.connect(lambda: self.safely(self.asking.write_log))
        scale.run_wanted.connect(self._open_run)
        scale.room_chosen.connect(self._choose_room)
        self.judging.finished.connect(self._judging_finished)
        self.judging.failed.connect(self._not_judged)
        self.scaling.progressed.connect(scale.show_working)
        self.scaling.finished.connect(self._scaled)
        self.scaling.failed.connect(scale.show_nothing)

    def safely(self, call: Callable[[], object]) -> None:
        """Do it; what goes wrong is said in the notice line."""
        try:
            call()
        except PinchError as error:
            self.notices.error(str(error))

    # Showing

    @property
    def page(self) -> int:
        """The page that is shown."""
        return self.desk.currentIndex()

    def show_page(self, number: int) -> None:
        """Show a page; the subject stays."""
        self._turn_to(number)
        self.refresh()

    def _turn_to(self, number: int) -> None:
        self.desk.setCurrentIndex(number)
        self.spine.show_page(number)

    def refresh(self) -> None:
        """Show the subject on the present page."""
        pages = (self._refresh_bench, self._refresh_plan, self._refresh_run, self._refresh_judge, self._refresh_scale)
        self.safely(pages[self.page])
        self._count()

    def _book_opened(self) -> None:
        self.scaling.forget()
        self.planning.forget()
        self.setWindowTitle(f"{self.session.book.path.name} — Pinch")
        self.footer.show_book(self.session.book.path.name, self.session.book.read_only)

    def _records_changed(self) -> None:
        self.scaling.forget()
        stack = self.session.undo_stack
        for word, name in (("Undo", stack.undo_label), ("Redo", stack.redo_label)):
            self._actions[word].setEnabled(name is not None)
            self._actions[word].setText(f"{word}: {name}" if name else word)
        self.refresh()
        if self.page != PLAN:
            self.planning.start_if_changed()

    def _clock_went_on(self) -> None:
        if self.page == PLAN and self.plan_view.isVisible():
            self.planning.start()

    def _count(self) -> None:
        session, subject = self.session, self.session.subject
        runs = session.book.runs()
        chosen = [r for r in runs if subject.device_id == r.device_id and subject.workload_id == r.workload_id]
        settings = {r.setting_id for r in chosen if not r.void}
        devices = len(live(session.book.devices()))
        self.spine.entries[BENCH].set_count("1 device" if devices == 1 else f"{devices} devices" if devices else "")
        sheet = self.planning.sheet
        self.spine.entries[PLAN].set_count(f"{duration(sheet.left_s)} left" if sheet and sheet.sheet.runs else "")
        self.spine.entries[RUN].set_count("recording" if session.recording_now else f"{len(runs)} runs")
        self.spine.entries[JUDGE].set_count(f"{len(chosen)} here" if chosen else "")
        self.spine.entries[SCALE].set_count(f"{len(settings)} points" if settings else "")

    def _refresh_bench(self) -> None:
        self.margin.show_notes(None)
        self.benching.refresh()
        self.margin.tell(*self.benching.margin())

    def _refresh_plan(self) -> None:
        self.margin.show_notes(None)
        plan, book = self.planning.plan, self.session.book
        protocols = live(book.protocols())
        self.plan_view.show_plans(self.planning.plans, protocols, plan)
        if plan is None:
            self.margin.tell("The plan", ["A matrix of runs becomes a run sheet: in which order, until when."])
            return
        self.plan_view.matrix.show_matrix(matrix(book, plan, self.session.device))
        self.planning.start()

    def _planned(self) -> None:
        sheet = self.planning.sheet
        if sheet is not None and self.page == PLAN:
            self.plan_view.show_sheet(sheet, {d: self.session.slot(d) for d in sheet.bench.devices})
            self.margin.explain(explanation(sheet))
        self._count()

    def _refresh_run(self) -> None:
        session, live = self.session, self.recording.live
        devices = session.book.devices()
        may_add = not session.book.read_only and not session.recording_now
        self.run_view.offer_devices(
            may_add and not any(d.local for d in devices), may_add and not any(d.rig for d in devices)
        )
        self.margin.show_notes(None)
        if session.recording_now and live is not None:
            self.run_view.show_live(live, session.slot(session.subject.device_id or 0))
        else:
            self.run_view.show_ready(session.device, session.setting, session.workload, bool(devices))
            self.run_view.judge.setVisible(live is not None)
        untold = ["What this machine does not tell:", *live.notes] if live is not None and live.notes else []
        self.margin.tell("What is recorded", RECORDING_NOTES + untold)

    def _refresh_judge(self) -> None:
        run = self.session.run
        if run is None:
            self.margin.show_notes(None)
            self.margin.tell("No run", ["Record a run on the Run page, or add one with Add, Run from a log."])
            self.judge_view.show_nothing("There is no run here yet. Choose another subject above, or record one.")
            return
        self.margin.show_notes(run.id, run.notes)
        try:
            found = self.judging.judgement_of(run)
        except PinchError as error:
            self._not_judged(str(error))
            return
        if found is None:
            self.judge_view.show_nothing("Judging this run …")
            return
        shown = self._judged(run, *found)
        self.judge_view.show_run(shown, self.session.slot(run.device_id))
        self.margin.tell("This run", shown.overview())

    def _judging_finished(self, run_id: int) -> None:
        if self.page == JUDGE and self.session.subject.run_id == run_id:
            self.refresh()

    def _not_judged(self, reason: str) -> None:
        self.judge_view.show_nothing("This run cannot be judged.")
        self.margin.tell("No judgement", [reason])

    def _judged(self, run: Run, log: RunLog, judged: Judgement) -> JudgedRun:
        book = self.session.book
        records = (
            book.get(Device, run.device_id),
            book.get(Setting, run.setting_id),
            book.get(Workload, run.workload_id),
        )
        return JudgedRun(run, *records, log, judged)

    def _refresh_scale(self) -> None:
        self.margin.show_notes(None)
        device, workload = self.session.device, self.session.workload
        if device is None or workload is None:
            lack = "a device" if device is None else "a workload"
            self.scale_view.show_nothing(f"Choose {lack} above to see its score against watts.")
            self.margin.tell("Score against watts", ["Points stand at the power that was measured, not at the label."])
            return
        self.scale_view.offer_rooms(self.scaling.rooms(device, workload), self.scaling.room)
        if self.scaling.start(device, workload):
            self.scale_view.show_working(0.0)
        else:
            self.scale_view.explain_spot()

    def _scaled(self, result: compose.ScaleResult) -> None:
        self.scale_view.show_result(result, self.session.slot(result.device.id or 0))
        if self.page == SCALE:
            if result.scaling is None:
                self.margin.tell("Left out", [w.text for w in result.left_out] or ["No run is there yet."])
            self.scale_view.explain_spot()

    def _choose_room(self, room: float | None) -> None:
        self.scaling.room = room
        if self.session.device and self.session.workload:
            self.scaling.start(self.session.device, self.session.workload)

    def _open_run(self, run_id: int) -> None:
        self.session.choose_run(run_id)
        self.show_page(JUDGE)

    def show_bench(self, kind: type[Listed]) -> None:
        """Show the bench at a kind of record."""
        self.bench_view.choose_kind(kind)
        self.show_page(BENCH)

    def show_plan(self, as_matrix: bool) -> None:
        """Show the plan, its matrix or its run sheet."""
        self.plan_view.tabs.setCurrentIndex(MATRIX if as_matrix else SHEET)
        self.show_page(PLAN)

    def search(self) -> None:
        """Search the list of the bench."""
        self.show_page(BENCH)
        self.bench_view.go_to_search()

    # The plan

    def note_outcome(self, outcome: str) -> None:
        """The chosen run of the sheet is done, void or skipped; the latter two ask why."""
        line = self.plan_view.chosen_line
        if self.page != PLAN or line is None or not line.is_run:
            raise PinchError("Choose a run of the run sheet that is still to do.")
        result = Outcome(outcome)
        reason = "" if result is Outcome.DONE else self.asking.reason(result)
        if reason is not None:
            self.planning.note(line, result, reason)

    def record_planned(self) -> None:
        """The chosen run of the sheet becomes the subject of the Run page."""
        line = self.plan_view.chosen_line
        if line is None or not line.is_run:
            raise PinchError("Choose a run of the run sheet that is still to do.")
        device = self.session.book.get(Setting, line.setting_id).device_id
        self.session.choose(device, line.setting_id, line.workload_id, None)
        self.run_view.length.setValue((line.end - line.start).total_seconds() / 60.0)
        self.show_page(RUN)

    # Recording

    def start(self, request: compose.RunRequest) -> None:
        """Start recording what the Run page asks for."""
        self.run_view.live.clear()
        self.notices.hide()
        self.recording.start(request)

    def mark(self) -> None:
        """Mark the present moment of the recording."""
        said = self.recording.mark()
        if said:
            self.notices.done(said)

    def _recording_changed(self) -> None:
        live = self.recording.live
        if live is not None:
            self.footer.show_recording(live.words, len(live.series), live.probe_cost)
            if self.page == RUN:
                self.run_view.show_live(live, self.session.slot(self.session.subject.device_id or 0))

    def _recording_ended(self) -> None:
        live, recording = self.recording.live, self.session.recording
        self.footer.show_idle()
        if live is None or recording is None:
            return
        self.session.choose_run(recording.run.id or 0)
        self.session.refresh()
        if live.status is ExitStatus.FAILED:
            self.notices.error(f"The run failed: {live.reason} What was recorded is kept.")
        else:
            whole = live.status is ExitStatus.COMPLETE
            planned = self.planning.note_run(self.session.book.get(Run, recording.run.id or 0))
            kept = "The run is in the book, and done in the plan." if planned else "The run is in the book."
            self.notices.done(kept if whole else "Stopped; the run is kept.")

    # Changes and what leaves the book

    def undo(self) -> None:
        """Take the last change back."""
        label = self.session.undo()
        if label:
            self.notices.done(f"Undone: {label}.")

    def redo(self) -> None:
        """Do it again."""
        label = self.session.redo()
        if label:
            self.notices.done(f"Done again: {label}.")

    def chart_shown(self) -> Chart | SheetChart:
        """The chart of the present page.

        Raises
        ------
        PinchError : it shows none.
        """
        shown: dict[int, Chart | SheetChart | None] = {
            PLAN: self.plan_view.timeline.chart if self.planning.plan else None,
            JUDGE: self.judge_view.chart.chart,
            SCALE: self.scale_view.chart.chart,
        }
        chart = shown.get(self.page)
        if chart is None:
            raise PinchError("There is no chart on this page to write.")
        return chart

    def copy_finding(self) -> None:
        """The finding of the page goes to the clipboard."""
        clipboard = QApplication.clipboard()
        views = (self.bench_view, self.plan_view, self.run_view, self.judge_view, self.scale_view)
        if clipboard is not None:
            clipboard.setText(views[self.page].headline.text())
            self.notices.done("The finding is on the clipboard.")

    def fit(self) -> None:
        """Show all of the chart."""
        (self.scale_view if self.page == SCALE else self.judge_view).chart.fit()

    def fold_margin(self) -> None:
        """Fold the margin away, or unfold it."""
        self.margin.setVisible(not self.margin.isVisible())

    def switch_theme(self) -> None:
        """Light becomes dark, dark becomes light."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        look.apply(app, "light" if look.theme().name == "dark" else "dark")
        self.scaling.forget()
        self.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window gives the page more room than the margin."""
        super().resizeEvent(event)
        self.margin.setFixedWidth(MARGIN_WIDTH if self.width() >= 1180 else NARROW_MARGIN)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """A recording ends and is kept; nothing is left running."""
        self.margin.leave_notes()
        self.bench_view.form.leave()
        self.judging.cancel()
        self.scaling.cancel()
        self.recording.close()
        self.planning.cancel()
        self.writing.close()
        super().closeEvent(event)
