"""The main window: spine, context strip, desk, margin and footer around one session."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from pinch.analysis.curves import CurveSeries
from pinch.bench.plans import Outcome
from pinch.bench.records import ExitStatus, Listed, Run, Setting, Workload, live
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.narrative.sheet_words import duration
from pinch.runs.sourcing import RunRequest
from pinch.ui import beeps, look
from pinch.ui.asking import Asking
from pinch.ui.bench.control import BenchControl
from pinch.ui.bench.view import BenchView
from pinch.ui.changes import Changes
from pinch.ui.compare.control import CompareControl
from pinch.ui.compare.view import CompareView
from pinch.ui.judge.control import JudgeControl
from pinch.ui.judge.list_control import DigestControl
from pinch.ui.judge.view import RUNS, TIME, JudgeView
from pinch.ui.late_pages import LatePage, LatePages
from pinch.ui.logs.control import LogImport
from pinch.ui.logs.watch_control import WatchControl
from pinch.ui.menus import fill_menus, window_menus
from pinch.ui.modes.view import ModesView
from pinch.ui.plan.control import PlanControl
from pinch.ui.plan.view import MATRIX, SHEET, PlanView
from pinch.ui.points_control import PointsControl
from pinch.ui.publish.control import PublishControl
from pinch.ui.publish.desk import PublishDesk
from pinch.ui.publish.view import PublishView
from pinch.ui.run.beside import BesideControl
from pinch.ui.run.control import RecordingControl
from pinch.ui.run.preflight_control import PreflightControl
from pinch.ui.run.view import RunView
from pinch.ui.scale.control import ScaleControl
from pinch.ui.scale.view import ScaleView
from pinch.ui.session import Session
from pinch.ui.shell.context_strip import ContextStrip
from pinch.ui.shell.footer import Footer
from pinch.ui.shell.margin import WIDTH as MARGIN_WIDTH
from pinch.ui.shell.margin import Margin
from pinch.ui.shell.methods import MethodsDialog
from pinch.ui.shell.notices import Notices, load_icons
from pinch.ui.shell.pages import BENCH, COMPARE, JUDGE, MODES, PAGES, PLAN, PUBLISH, RUN, SCALE
from pinch.ui.shell.spine import Spine
from pinch.ui.showing import Showing
from pinch.ui.writing import Writing

Page = BenchView | PlanView | RunView | JudgeView | LatePage
ICON = look.ART / "pinch.svg"
REPLAN_MS = 60_000
JUDGE_ALL_MS = 2_000
NARROW_MARGIN = 212


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
        self.run_view, self.judge_view = RunView(), JudgeView()
        self.desk = QStackedWidget()
        self.desk.setObjectName("desk")
        self.setAcceptDrops(True)
        for page in (self.bench_view, self.plan_view, self.run_view, self.judge_view):
            self.desk.addWidget(page)
        self.late = LatePages(self, self.desk)
        self._lay_out()
        self.recording = RecordingControl(session, self)
        self.judging = JudgeControl(session, self)
        self.points = PointsControl(session, self)
        self.scaling = ScaleControl(session, self.points, self)
        self.comparing = CompareControl(session, self.points, self)
        self.publishing = PublishControl(session, self.points, self)
        self.benching = BenchControl(session, self.bench_view, self.safely)
        self.planning = PlanControl(session, self)
        self.checking = PreflightControl(session, self.run_view, self.planning, self)
        self.changes = Changes(session)
        self.asking = Asking(self)
        self.beside, self.importing, self.watching = BesideControl(self), LogImport(self), WatchControl(self)
        self.digesting, self.methods = DigestControl(self), MethodsDialog(self)
        self.showing = Showing(self)
        self.writing = Writing(self.notices, self)
        self.publish_desk = PublishDesk(self)
        self._actions = fill_menus(self, window_menus(self), self.safely)
        self._connect()
        self._book_opened()
        self._turn_to(JUDGE if session.run else BENCH)
        self._records_changed()
        QTimer.singleShot(300, self.planning.start_if_changed)  # for the hours left, once the window is there
        QTimer.singleShot(300, load_icons)
        self._before_long = QTimer(self)
        self._before_long.setSingleShot(True)
        self._before_long.timeout.connect(self.points.wanted)  # for Scale and Compare, while nobody waits for it
        self._before_long.start(JUDGE_ALL_MS)
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
        session, run, judge = self.session, self.run_view, self.judge_view
        bench, plan = self.bench_view, self.plan_view
        session.book_opened.connect(self._book_opened)
        session.records_changed.connect(self._records_changed)
        session.cards_changed.connect(self._cards_changed)
        session.subject_changed.connect(self.refresh)
        self.spine.chosen.connect(self.show_page)
        self.margin.notes_left.connect(lambda run, text: self.safely(lambda: self.changes.keep_notes(run, text)))
        self.margin.sums.pinned.connect(lambda words: self.safely(lambda: self.changes.pin(words)))
        self.recording.changed.connect(self._recording_changed)
        self.recording.ended.connect(self._recording_ended)
        self.recording.judging.judged.connect(run.live.show_so_far)
        self.recording.judging.settled.connect(self._settled)
        run.start_wanted.connect(lambda request: self.safely(lambda: self.start(request)))
        run.stop_wanted.connect(self.recording.stop)
        run.finish_wanted.connect(self.recording.finish)
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
            (run.next_wanted, self.record_planned),
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
        self.planning.planned.connect(self.showing.planned)
        self.planning.failed.connect(self.notices.error)
        judge.explained.connect(self.margin.explain)
        judge.chart_wanted.connect(lambda: self.safely(self.asking.write_chart))
        judge.window_chosen.connect(lambda a, b: self.safely(lambda: self.asking.choose_window(a, b)))
        judge.tab_turned.connect(lambda _: self.safely(self.showing.judge))
        judge.runs.run_opened.connect(self.open_run)
        judge.runs.overlay_wanted.connect(lambda ids: self.safely(lambda: self.digesting.overlay(ids)))
        self.margin.method_wanted.connect(self.show_method)
        judge.log_wanted.connect(lambda: self.safely(self.asking.write_log))
        self.points.ready.connect(self.showing.points_ready)
        self.judging.finished.connect(self.showing.judging_finished)
        self.judging.failed.connect(self.showing.not_judged)
        self.publish_desk.connect()

    @property
    def scale_view(self) -> ScaleView:
        """The Scale page."""
        return self.late.scale

    @property
    def compare_view(self) -> CompareView:
        """The Compare page."""
        return self.late.compare

    @property
    def modes_view(self) -> ModesView:
        """The Modes page."""
        return self.late.modes

    @property
    def publish_view(self) -> PublishView:
        """The Publish page."""
        return self.late.publish

    def safely(self, call: Callable[[], object]) -> None:
        """Do it; what goes wrong is said in the notice line."""
        try:
            call()
        except PinchError as error:
            self.notices.error(str(error))

    # Showing

    def _page_of(self, number: int) -> Page:
        """A page, which is built where it has not been yet."""
        early = (self.bench_view, self.plan_view, self.run_view, self.judge_view)
        return early[number] if number < len(early) else self.late.page(number)

    @property
    def page(self) -> int:
        """The page that is shown."""
        return self.desk.currentIndex()

    def show_page(self, number: int) -> None:
        """Show a page; the subject stays."""
        self._turn_to(number)
        self.refresh()

    def _turn_to(self, number: int) -> None:
        self._page_of(number)
        self.desk.setCurrentIndex(number)
        self.spine.show_page(number)

    def refresh(self) -> None:
        """Show the subject on the present page."""
        showing = self.showing
        early = (showing.bench, showing.plan, showing.run, showing.judge)
        pages = (*early, showing.scale, showing.compare, showing.modes, self.publish_desk.show)
        self.safely(pages[self.page])
        self.count()

    def _book_opened(self) -> None:
        self.points.forget()
        self.scaling.forget()
        self.comparing.forget()
        self.publishing.forget()
        self.planning.forget()
        self.watching.end()
        self.digesting.forget()
        self.setWindowTitle(f"{self.session.book.path.name} — Pinch")
        self.footer.show_book(self.session.book.path.name, self.session.book.read_only)
        cut = self.session.book.cut_runs()
        if cut and not self.session.recording_now:
            self.notices.error(
                f"Run {cut[-1].id} has no stop: its recorder was cut off, or is still at work elsewhere. What came is "
                "kept; the Run page offers to keep it as it is, to make it void, or to continue it."
            )

    def _records_changed(self) -> None:
        self.points.forget()
        self._name_undo()
        self.refresh()
        if self.page != PLAN:
            self.planning.start_if_changed()

    def _cards_changed(self) -> None:
        self._name_undo()
        if self.page == PUBLISH:
            self.refresh()
        self.count()

    def _name_undo(self) -> None:
        stack = self.session.undo_stack
        for word, name in (("Undo", stack.undo_label), ("Redo", stack.redo_label)):
            self._actions[word].setEnabled(name is not None)
            self._actions[word].setText(f"{word}: {name}" if name else word)

    def _clock_went_on(self) -> None:
        if self.page == PLAN and self.plan_view.isVisible():
            self.planning.start()

    def count(self) -> None:
        """The live counts of the spine."""
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
        cards = session.book.count_cards()
        self.spine.entries[PUBLISH].set_count("1 card" if cards == 1 else f"{cards} cards" if cards else "")

    def open_run(self, run_id: int) -> None:
        """A run on the Judge page."""
        self.judge_view.tabs.setCurrentIndex(TIME)
        self.session.choose_run(run_id)
        self.show_page(JUDGE)

    def show_runs(self) -> None:
        """The list of all runs."""
        self.judge_view.tabs.setCurrentIndex(RUNS)
        self.show_page(JUDGE)

    def overlay_chosen(self) -> None:
        """The runs chosen in the list, laid over each other."""
        self.show_page(JUDGE)
        self.digesting.overlay(self.judge_view.runs.chosen)

    def show_methods(self) -> None:
        """What each figure is; at the section of what is explained."""
        shown = self.margin.shown
        self.show_method(shown.method if shown else "")

    def show_method(self, section: str) -> None:
        """A section of the methods."""
        self.methods.show()
        self.methods.go_to(section)
        self.methods.raise_()

    def show_bench(self, kind: type[Listed]) -> None:
        """Show the bench at a kind of record."""
        self.bench_view.choose_kind(kind)
        self.show_page(BENCH)

    def show_plan(self, as_matrix: bool) -> None:
        """Show the plan, its matrix or its run sheet."""
        self.plan_view.tabs.setCurrentIndex(MATRIX if as_matrix else SHEET)
        self.show_page(PLAN)

    def turn_tab(self, by: int) -> None:
        """The next (1) or previous (−1) tab of the page."""
        page = self._page_of(self.page)
        if not isinstance(page, RunView):
            tabs = page.tabs
            tabs.setCurrentIndex((tabs.currentIndex() + by) % tabs.count())

    def search(self) -> None:
        """Search the list of the bench."""
        if self.page == JUDGE and self.judge_view.tabs.currentIndex() == RUNS:
            self.judge_view.runs.filter.setFocus()
            return
        self.show_page(BENCH)
        self.bench_view.go_to_search()

    # The plan

    def note_outcome(self, outcome: str) -> None:
        """The chosen run of the sheet is done, void or skipped; the latter two ask why. One that was done can turn out
        void."""
        line, result = self.plan_view.chosen_line, Outcome(outcome)
        was_done = line is not None and line.outcome is Outcome.DONE and result is Outcome.VOID
        if self.page != PLAN or line is None or not (line.is_run or was_done):
            raise PinchError("Choose a run of the run sheet that is still to do.")
        reason = "" if result is Outcome.DONE else self.asking.reason(result)
        if reason is not None and was_done:
            self.planning.void(self.plan_view.table.currentRow(), reason)
        elif reason is not None:
            self.planning.note(line, result, reason)

    def record_planned(self) -> None:
        """The chosen run of the sheet, on other pages the next one, becomes the subject of the Run page."""
        following = self.planning.next_step()
        line = self.plan_view.chosen_line if self.page == PLAN else following[0] if following else None
        if line is None or not line.is_run:
            raise PinchError("Choose a run of the run sheet that is still to do.")
        device = self.session.book.get(Setting, line.setting_id).device_id
        self.session.choose(device, line.setting_id, line.workload_id, None)
        self.run_view.length.setValue(self.session.book.get(Workload, line.workload_id).length_s / 60.0)
        self.show_page(RUN)

    # Recording

    def start(self, request: RunRequest, continues: Run | None = None) -> None:
        """Start recording what the Run page asks for; or go on with a run that was cut."""
        warnings = self.checking.warnings
        if warnings and not self.asking.go_on(warnings):
            return
        self.checking.cancel()
        self.points.cancel()  # nothing disturbs what is measured
        notes = "Started in spite of: " + " ".join(f"{c.name}: {c.evidence}" for c in warnings) if warnings else ""
        before = tuple(f"{c.name}: {c.evidence}" for c in self.run_view.preflight.checks)
        heat = self.checking.heat_of(request.device)
        self.run_view.live.clear()
        self.notices.hide()
        room = self.checking.room_c
        plan = self.planning.plan
        wanted = plan is not None and plan.cell(request.setting.id or 0, request.workload.id or 0) is not None
        protocol = plan.protocol_id if plan is not None and wanted else None
        asked = replace(request, ambient_c=room, notes=notes, before=before, continues=continues, protocol_id=protocol)
        self.recording.start(asked, heat.fit if heat else None)

    def mark(self) -> None:
        """Mark the present moment of the recording."""
        self._mark("")

    def mark_with_text(self) -> None:
        """Mark the moment at which this was asked for, with a text."""
        if self.session.recording_now:
            text = self.asking.mark_text()
            if text is not None:
                self._mark(text)

    def _mark(self, text: str) -> None:
        said = self.recording.mark(text)
        if said:
            self.notices.done(said)

    def _recording_changed(self) -> None:
        live = self.recording.live
        if live is not None:
            slowed = self.run_view.live.draw_every_s if self.page == RUN else 0.0
            self.footer.show_recording(live.words, live.interval_s, len(live.series), live.probe_cost, slowed)
            if self.page == RUN:
                self.run_view.show_live(live, self.session.slot(self.session.subject.device_id or 0))
                if live.news_notes:
                    live.news_notes = False
                    self.showing.said(live)

    def _recording_ended(self) -> None:
        live, recording = self.recording.live, self.session.recording
        self.footer.show_idle()
        if live is None or recording is None:
            return
        self.session.choose_run(recording.run.id or 0)
        self.session.refresh()
        if live.by_hand and live.status is ExitStatus.COMPLETE:
            self.safely(partial(self.asking.score, recording.run.id or 0))
        if live.alarm:
            beeps.play(beeps.ALARM)
            self.notices.error(f"Alarm. {live.alarm} What was recorded is kept.")
        elif live.status is ExitStatus.FAILED:
            QApplication.beep()
            self.notices.error(f"The run failed: {live.reason} What was recorded is kept.")
        else:
            whole = live.status is ExitStatus.COMPLETE
            planned = self.planning.note_run(self.session.book.get(Run, recording.run.id or 0))
            kept = "The run is in the book, and done in the plan." if planned else "The run is in the book."
            self.notices.done(kept if whole else "Stopped; the run is kept.")

    def _settled(self) -> None:
        """A run has settled; the operator may be elsewhere."""
        if self.run_view.beep.isChecked():
            beeps.play(beeps.SETTLED)
            self.notices.done("The run has settled.")

    def plan_next(self, series: CurveSeries | None = None) -> None:
        """The limit that is most worth measuring goes into the plan."""
        chosen = series or self.scale_view.own_series
        if self.page != SCALE or chosen is None:
            raise PinchError("Choose a curve on the Scale page first.")
        self.notices.done(self.scaling.plan_next(chosen))

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

    def chart_shown(self) -> Drawn:
        """The chart of the present page.

        Raises
        ------
        PinchError : it shows none.
        """
        shown: dict[int, Callable[[], Drawn | None]] = {
            PLAN: lambda: self.plan_view.timeline.chart if self.planning.plan else None,
            JUDGE: lambda: self.judge_view.written,
            SCALE: lambda: self.scale_view.chart.chart,
            COMPARE: lambda: self.compare_view.written,
            MODES: lambda: self.modes_view.written,
        }
        chart = shown[self.page]() if self.page in shown else None
        if chart is None:
            raise PinchError("There is no chart on this page to write.")
        return chart

    def copy_finding(self) -> None:
        """The finding of the page goes to the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            card = self.publish_view.deck.content if self.page == PUBLISH else None
            clipboard.setText(card.finding if card is not None else self._page_of(self.page).headline.text())
            self.notices.done("The finding is on the clipboard.")

    def fit(self) -> None:
        """Show all of the chart."""
        self.scale_view.chart.fit() if self.page == SCALE else self.judge_view.fit()

    def fold_margin(self) -> None:
        """Fold the margin away, or unfold it."""
        self.margin.setVisible(not self.margin.isVisible())

    def quick_sums(self) -> None:
        """The quick sums in the margin, which unfolds for them."""
        self.margin.setVisible(True)
        self.margin.fold_sums()

    def switch_theme(self) -> None:
        """Light becomes dark, dark becomes light."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        look.apply(app, "light" if look.theme().name == "dark" else "dark")
        self.refresh()
        self.late.draw_again()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window gives the page more room than the margin."""
        super().resizeEvent(event)
        self.margin.setFixedWidth(MARGIN_WIDTH if self.width() >= 1180 else NARROW_MARGIN)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files and folders may be dropped: a book is opened, everything else is read as logs."""
        data = event.mimeData() if event else None
        if event and data and data.hasUrls() and all(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """What was dropped comes in."""
        data = event.mimeData() if event else None
        if data is not None:
            self.safely(lambda: self.asking.take([Path(url.toLocalFile()) for url in data.urls()]))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """A recording ends and is kept; nothing is left running."""
        self.margin.leave_notes()
        self.bench_view.form.leave()
        self.judging.cancel()
        self._before_long.stop()
        self.points.cancel()
        self.scaling.cancel()
        self.comparing.cancel()
        self.recording.close()
        self.planning.cancel()
        self.checking.cancel()
        self.importing.cancel()
        self.digesting.cancel()
        self.watching.end()
        self.publishing.close()
        self.writing.close()
        super().closeEvent(event)
