"""The Judge page: what a run held, what held it back, and the list of all runs."""

from collections.abc import Sequence
from pathlib import Path

from pinch.analysis.foreseen import Foreseen
from pinch.analysis.scene_records import records_of_scene
from pinch.bench import runlogs
from pinch.bench.cards import CardKind, RunsQuery
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.charts.face import Drawn
from pinch.charts.spec import Chart, minutes
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.core.printing import counted
from pinch.core.runlog import RunLog
from pinch.intake.completing import Completed, complete_runs, completed_words
from pinch.intake.reworking import join_runs, rework_channels
from pinch.language import numeral, tr
from pinch.narrative.told_words import told_headline, told_lines
from pinch.narrative.twin_chart import course_chart
from pinch.publish.private import Behind, private_counts
from pinch.sources.photo_files import ENDINGS
from pinch.ui.complete_dialog import CompleteDialog
from pinch.ui.dialogs import VOID_WORDS, ask_text
from pinch.ui.file_dialogs import WRITTEN, folder_name, save_name
from pinch.ui.judge.channels_dialog import ChannelsMeantDialog
from pinch.ui.judge.control import JudgeControl
from pinch.ui.judge.list_control import DigestControl
from pinch.ui.judge.listing import FLAG_WORDS
from pinch.ui.judge.pictures_control import PicturesControl
from pinch.ui.judge.state import JudgedRun
from pinch.ui.judge.view import FRAMES, HEAT, OVERLAY, PICTURES, RUNS, TIME, WHAT_IF, JudgeView
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, RunTarget, Sent, Shell, Target
from pinch.ui.private_dialog import ask_private
from pinch.ui.whatif.desk import AskedAbout, WhatIfDesk


class JudgePage(Page[JudgeView]):
    """The chosen run, judged; on their tab all runs."""

    name, early = tr("Judge"), True

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = JudgeControl(shell.session, shell.dialog_parent)
        self.digesting = DigestControl(shell, self.view)
        self.pictures = PicturesControl(shell)
        self.what_if = WhatIfDesk(shell, self.view.what_if, self._asked, self._course)
        self.control.finished.connect(self._judged)
        self.control.failed.connect(self._not_judged)

    def make(self) -> JudgeView:
        view, shell = JudgeView(), self.shell
        view.explained.connect(shell.margin.explain)
        view.chart_wanted.connect(shell.write_chart)
        view.log_wanted.connect(lambda: shell.safely(self.write_log))
        view.budget.told.connect(lambda shared: shell.safely(lambda: self.tell_budget(shared)))
        view.window_chosen.connect(lambda a, b: shell.safely(lambda: self.choose_window(a, b)))
        view.tab_turned.connect(lambda _: shell.safely(self.show) if shell.shows(self) else None)
        view.pictures.added.connect(lambda of_run: shell.safely(lambda: self.pictures.ask(of_run)))
        view.pictures.changed.connect(lambda photo: shell.safely(lambda: self.pictures.change(photo)))
        view.pictures.unwanted.connect(lambda photo: shell.safely(lambda: self.pictures.remove(photo)))
        view.runs.run_opened.connect(lambda run_id: shell.go_to(RunTarget(run_id)))
        view.runs.completion_wanted.connect(lambda ids: shell.safely(lambda: self.complete(ids)))
        view.runs.overlay_wanted.connect(lambda ids: shell.safely(lambda: self.digesting.overlay(ids)))
        return view

    def menu(self) -> Sequence[MenuEntry]:
        book, edit, go, changes = MenuName.BOOK, MenuName.EDIT, MenuName.GO, self.shell.changes
        return (
            MenuEntry(MenuName.ADD, 280, tr("Picture of this run …"), lambda: self.pictures.ask(True)),
            MenuEntry(book, 120, tr("Write the log …"), self.write_log, "Ctrl+Shift+E"),
            MenuEntry(book, 130, tr("Write the log as Parquet …"), self.write_parquet),
            MenuEntry(edit, 210, tr("Move the settled window"), self.view.move_window.toggle, "Ctrl+Shift+W"),
            MenuEntry(edit, 220, tr("Settled window as it is found"), changes.find_window),
            MenuEntry(edit, 240, tr("Close this cut run"), changes.close_cut_run),
            MenuEntry(edit, 245, tr("Complete the chosen runs …"), self.complete_chosen, "Ctrl+Alt+L"),
            MenuEntry(edit, 247, tr("Channels of this run …"), self.rework_channels),
            MenuEntry(edit, 248, tr("Two chosen runs are one"), self.join_chosen),
            MenuEntry(edit, 250, tr("Make this run void …"), self.void_run),
            MenuEntry(edit, 260, tr("Remove this run, or those chosen in the list"), self.remove_chosen),
            MenuEntry(go, 230, tr("Next run"), lambda: self.session.step_run(1), "Alt+Down"),
            MenuEntry(go, 240, tr("Previous run"), lambda: self.session.step_run(-1), "Alt+Up"),
            MenuEntry(go, 250, tr("Next event of the run"), lambda: self.view.step_event(1), "Ctrl+Right"),
            MenuEntry(go, 260, tr("Previous event of the run"), lambda: self.view.step_event(-1), "Ctrl+Left"),
            MenuEntry(go, 270, tr("List of all runs"), self.show_runs, "Ctrl+Shift+L"),
            MenuEntry(go, 280, tr("Overlay the chosen runs"), self.overlay_chosen, "Ctrl+Shift+O"),
        )

    def forget(self) -> None:
        self.digesting.forget()
        self.what_if.forget()

    def cancel(self) -> None:
        self.control.cancel()
        self.pictures.cancel()
        self.digesting.cancel()
        self.what_if.control.cancel()

    def count(self) -> str:
        subject = self.session.subject
        if None in (subject.device_id, subject.workload_id):
            return ""
        runs = self.session.book.count_runs(subject.device_id, subject.workload_id)
        return tr("{runs} here", runs=numeral(runs, ",")) if runs else ""

    def show(self) -> None:
        margin, view = self.shell.margin, self.view
        if self.shell.shows(self) and view.tabs.currentIndex() == RUNS:
            self.digesting.show()
            margin.show_notes(None)
            flags = [f"{tr(flag)}: {words}." for flag, words in FLAG_WORDS.items()]
            margin.tell(tr("What speaks against a run"), [*flags, tr("Enter opens a run; Ctrl+Shift+O overlays.")])
            return
        run = self.session.run
        if run is None:
            margin.show_notes(None)
            margin.tell(tr("No run"), [tr("Record a run on the Run page, or add one with Add, Runs from logs.")])
            view.show_nothing(tr("There is no run here yet. Choose another subject above, or record one."))
            return
        margin.show_notes(run.id, run.notes)
        self._show_pictures()
        if run.summary is not None:
            unit = self.session.book.get(Workload, run.workload_id).score_unit
            view.show_nothing(told_headline(run.summary, unit))
            margin.tell(tr("A score without a log"), told_lines(run.summary, unit))
            return
        try:
            found = self.control.judgement_of(run)
        except PinchError as error:
            self._not_judged(str(error))
            return
        if found is None:
            view.show_nothing(tr("Judging this run …"))
            return
        shown = self._judged_run(run, *found)
        view.show_run(shown, self.session.slot(run.device_id))
        margin.tell(tr("This run"), shown.overview())
        if view.tabs.currentIndex() == WHAT_IF:
            self.what_if.show()

    def _asked(self) -> AskedAbout | None:
        shown = self.view.shown
        return None if shown is None else AskedAbout(shown.device, shown.workload, shown.setting, shown.run.ambient_c)

    def _course(self, found: Foreseen | None) -> Chart | None:
        """A predicted run beside the measured one."""
        shown = self.view.shown
        if found is None or shown is None:
            return None
        name = tr("run {repeat}", repeat=shown.run.repeat)
        return course_chart(found, self.session.slot(shown.device.id), (name, shown.log, shown.judged))

    def takes(self, paths: Sequence[Path]) -> bool:
        if not paths or any(path.suffix.lower() not in ENDINGS for path in paths):
            return False
        self.pictures.add_here(paths)
        return True

    def cards_changed(self) -> None:
        if self.is_made:
            self._show_pictures()

    def _show_pictures(self) -> None:
        if self.view.tabs.currentIndex() == PICTURES:
            self.view.pictures.show_photos(*self.pictures.shown())

    def reveal(self, target: Target) -> bool:
        if not isinstance(target, RunTarget):
            return False
        self.view.tabs.setCurrentIndex(TIME)
        self.session.choose_run(target.run_id)
        return True

    def points_ready(self) -> None:
        """Other records of the scene tell how sure its figures are; what the margin says of one of them stays."""
        if self.view.tabs.currentIndex() == WHAT_IF:
            self.what_if.show()
        shown = self.view.shown
        if self.view.tabs.currentIndex() == FRAMES and shown is not None:
            again = self._judged_run(shown.run, shown.log, shown.judged)
            self.view.show_run(again, self.session.slot(shown.device.id))

    def draw_again(self) -> None:
        self.view.draw()

    def chart(self) -> Drawn | None:
        return self.view.written

    def sent(self) -> Sent:
        tab = self.view.tabs.currentIndex()
        if tab == RUNS:
            ids = tuple(self.view.runs.chosen)
            if not ids:
                raise PinchError(tr("Choose runs in the list first."))
            return Sent(CardKind.SHARES if len(ids) > 1 else CardKind.TIMELINE, RunsQuery(run_ids=ids))
        if tab == OVERLAY:
            if not self.digesting.overlaid:
                raise PinchError(tr("Lay runs over each other first, from the list of all runs."))
            return Sent(CardKind.TIMELINE, RunsQuery(run_ids=self.digesting.overlaid))
        if tab == WHAT_IF:
            raise PinchError(tr("What is predicted is not measured, and does not go to the deck; write its chart."))
        run = self.session.run
        if run is None:
            raise PinchError(tr("There is no run to send to the deck."))
        kinds = {FRAMES: CardKind.FRAMES, HEAT: CardKind.HEAT}
        return Sent(kinds.get(tab, CardKind.TIMELINE), RunsQuery(run_ids=(run.id,)))

    def search(self) -> bool:
        if self.view.tabs.currentIndex() != RUNS:
            return False
        self.view.runs.filter.setFocus()
        return True

    def fit(self) -> bool:
        self.view.fit()
        return True

    def show_runs(self) -> None:
        """The list of all runs."""
        shown, turned = self.shell.shows(self), self.view.tabs.currentIndex() != RUNS
        self.view.tabs.setCurrentIndex(RUNS)  # shows it, where the page is shown
        if not shown or not turned:
            self.shell.show_page(self)

    def overlay_chosen(self) -> None:
        """The runs chosen in the list, laid over each other."""
        self.shell.show_page(self)
        self.digesting.overlay(self.view.runs.chosen)

    def complete_chosen(self) -> None:
        """Say what is missing of the runs chosen in the list, else of the one that is looked at."""
        in_list = self.shell.shows(self) and self.view.tabs.currentIndex() == RUNS
        run = self.session.run
        self.complete(self.view.runs.chosen if in_list else [run.id] if run is not None else [])

    def complete(self, run_ids: list[int]) -> None:
        """Say what is missing of these runs, as one change."""
        book = self.session.book
        runs = [book.get(Run, number) for number in run_ids]
        if not runs:
            raise PinchError(tr("Choose runs in the list of all runs first (Ctrl+Shift+L)."))
        dialog = CompleteDialog(book, runs, self.shell.dialog_parent)
        if not dialog.exec():
            return
        done: list[Completed] = []
        label = tr("complete {runs}", runs=counted(len(runs), "run"))
        self.session.change(label, lambda: done.append(complete_runs(book, runs, dialog.said)))
        if self.session.run is not None and self.session.run.id in run_ids:
            self.session.choose_run(self.session.run.id)  # it may belong to something else now
        words = completed_words(done[0])
        self.shell.notices.done(" ".join([words, *done[0].problems[:3]]))

    def rework_channels(self) -> None:
        """Say what the channels of the run are, where one was taken for something else."""
        run, book = self.session.run, self.session.book
        if run is None:
            raise PinchError(tr("There is no run to change."))
        dialog = ChannelsMeantDialog(runlogs.read_log(book, run.id), self.shell.dialog_parent)
        if dialog.exec() and dialog.meant:
            self.session.change(tr("change channels"), lambda: rework_channels(book, run, dialog.meant))

    def join_chosen(self) -> None:
        """The two runs chosen in the list are one: sensors, and what was logged beside them."""
        book, ids = self.session.book, self.view.runs.chosen
        if len(ids) != 2:
            raise PinchError(tr("Choose two runs in the list of all runs; the one with the sensors first."))
        first, second = sorted((book.get(Run, number) for number in ids), key=lambda run: -(run.samples or 0))
        self.session.change(tr("join two runs"), lambda: join_runs(book, first, second))
        self.shell.notices.done(
            tr("Run {second} is part of run {first} now; Ctrl+Z takes it apart.", second=second.id, first=first.id)
        )

    def remove_chosen(self) -> None:
        """The runs chosen in the list where that is looked at, else the run above, leave the lists."""
        in_list = self.shell.shows(self) and self.view.tabs.currentIndex() == RUNS
        ids = self.view.runs.chosen if in_list else []
        if len(ids) < 2:
            self.shell.changes.remove_run()
        else:
            self.shell.changes.remove_runs(ids)

    def choose_window(self, start_s: float, end_s: float) -> None:
        """Ask why the settled window was moved; without a reason it goes back."""
        words = tr("{start_s} to {end_s}: why this window?", start_s=minutes(start_s), end_s=minutes(end_s))
        reason = ask_text(self.shell.dialog_parent, tr("Settled window by hand"), words)
        if reason:
            self.shell.changes.choose_window(start_s, end_s, reason)
        else:
            self.shell.refresh()

    def tell_budget(self, shared: bool) -> None:
        """Note at the device whether its processor and graphics share one budget of power."""
        device, book = self._run_shown().device, self.session.book
        graphics = device.graphics.model_copy(update={"shared": shared})
        told = device.model_copy(update={"graphics": graphics})
        self.session.change(tr("say whose the budget of power is"), lambda: book.save(told))
        words = tr("share one budget of power") if shared else tr("have budgets of their own")
        self.shell.notices.done(
            tr(
                "Noted: processor and graphics of {device} {words}. Its runs are judged by that.",
                device=device.name,
                words=words,
            )
        )

    def void_run(self) -> None:
        """Ask why the run does not count."""
        if self.session.run is None:
            raise PinchError(tr("There is no run to make void."))
        reason = ask_text(self.shell.dialog_parent, *VOID_WORDS)
        if reason:
            self.shell.changes.void_run(reason)

    def write_log(self) -> None:
        """The log as a data package."""
        shown = self._run_shown()
        folder = folder_name(self.shell.dialog_parent, tr("Folder for the log and datapackage.json"), WRITTEN)
        if folder:
            behind = Behind(
                [shown.device],
                [shown.setting],
                [shown.workload],
                (),
                (),
                [shown.run],
                shown.readings,
                len(shown.log.marks),
            )
            allowed = ask_private(self.shell.dialog_parent, tr("Write the log of this run"), private_counts(behind))
            if allowed is not None:
                self.shell.writing.log(shown, folder, allowed)

    def write_parquet(self) -> None:
        """The log as Parquet."""
        shown, parent = self._run_shown(), self.shell.dialog_parent
        path = save_name(
            parent, tr("Write the log as Parquet"), f"run-{shown.run.id}.parquet", tr("Parquet (*.parquet)")
        )
        if path:
            self.shell.writing.parquet(shown, path, self.session.book.report().licence)

    def _run_shown(self) -> JudgedRun:
        shown = self.view.shown
        if shown is None:
            raise PinchError(tr("There is no run on the Judge page to write."))
        return shown

    def _judged(self, run_id: int) -> None:
        """The judgement of a run is there."""
        if self.shell.shows(self) and self.session.subject.run_id == run_id:
            self.shell.refresh()

    def _not_judged(self, reason: str) -> None:
        """A run cannot be judged."""
        self.view.show_nothing(tr("This run cannot be judged."))
        self.shell.margin.tell(tr("No judgement"), [reason])

    def _judged_run(self, run: Run, log: RunLog, judged: Judgement) -> JudgedRun:
        book = self.session.book
        records = (
            book.get(Device, run.device_id),
            book.get(Setting, run.setting_id),
            book.get(Workload, run.workload_id),
        )
        points = self.shell.points.points
        beside = records_of_scene(points, run) if points is not None else {}
        return JudgedRun(run, *records, log, judged, tuple(book.readings(run.id)), beside)
