"""The main window: spine, context strip, desk, margin and footer around one session."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QIcon, QKeySequence
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from pinch import compose
from pinch.bench.records import Device, ExitStatus, Run, Setting, Workload
from pinch.charts.files import write_chart
from pinch.charts.spec import Chart
from pinch.core.channels import rate_channel
from pinch.core.errors import PinchError
from pinch.publish.datapackage import write_run_package
from pinch.recorder.recorder import News
from pinch.sources.runlog_csv import read_run_log
from pinch.ui import look
from pinch.ui.background import Job
from pinch.ui.bridge import Bridge
from pinch.ui.dialogs import LogDialog, SettingDialog
from pinch.ui.judge.state import JudgedRun
from pinch.ui.judge.view import JudgeView
from pinch.ui.run.state import LiveRun
from pinch.ui.run.view import RunView
from pinch.ui.scale.view import ScaleView
from pinch.ui.session import Session
from pinch.ui.shell.context_strip import ContextStrip
from pinch.ui.shell.footer import Footer
from pinch.ui.shell.margin import Margin
from pinch.ui.shell.notices import Notices
from pinch.ui.shell.spine import Spine

ICON = look.ART / "pinch.svg"
PAGES = [("Run", "Alt+3"), ("Judge", "Alt+4"), ("Scale", "Alt+5")]
RUN, JUDGE, SCALE = range(3)
BOOKS = "Books of Pinch (*.pinch)"


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
        self.run_view, self.judge_view, self.scale_view = RunView(), JudgeView(), ScaleView()
        self.desk = QStackedWidget()
        self.desk.setObjectName("desk")
        for page in (self.run_view, self.judge_view, self.scale_view):
            self.desk.addWidget(page)
        self._lay_out()
        self.bridge = Bridge(self)
        self.live: LiveRun | None = None
        self.job: Job | None = None
        self._scaled_for: tuple[object, ...] = ()
        self._room: float | None = None
        self._make_menus()
        self._connect()
        self._book_opened()
        self.show_page(JUDGE if session.run else RUN)

    # The window's parts

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

    def _make_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        book, edit, add, go = (bar.addMenu(name) for name in ("&Book", "&Edit", "&Add", "&Go"))
        assert book is not None and edit is not None and add is not None and go is not None
        self._action(book, "New book …", self._ask_new, QKeySequence.StandardKey.New)
        self._action(book, "Open book …", self._ask_open, QKeySequence.StandardKey.Open)
        self._action(book, "Save a copy …", self._ask_copy, QKeySequence.StandardKey.SaveAs)
        book.addSeparator()
        self._action(book, "Write the chart …", self._ask_chart, "Ctrl+E")
        self._action(book, "Write the log …", self._ask_log, "Ctrl+Shift+E")
        book.addSeparator()
        self._action(book, "Light or dark", self.switch_theme, "Ctrl+D")
        self._action(book, "Close", self.close, QKeySequence.StandardKey.Quit)
        self.undo_action = self._action(edit, "Undo", self.undo, QKeySequence.StandardKey.Undo)
        self.redo_action = self._action(edit, "Redo", self.redo, QKeySequence.StandardKey.Redo)
        edit.addSeparator()
        self._action(edit, "Copy the finding", self.copy_finding, "Ctrl+Shift+C")
        self._action(edit, "Make this run void …", self._ask_void)
        self._action(edit, "Remove this run", self.remove_run)
        self._action(add, "This computer", self.add_computer)
        self._action(add, "The simulated devices", self.add_rig)
        self._action(add, "Setting …", self._ask_setting)
        self._action(add, "Run from a log …", self._ask_import, "Ctrl+I")
        self._action(go, "Start recording", self.run_view.ask_start, "Ctrl+R")
        self._action(go, "Mark this moment", self.mark, "Ctrl+M")
        self._action(go, "Stop recording", self.stop, "Ctrl+.")
        go.addSeparator()
        self._action(go, "Next run", lambda: self.session.step_run(1), "Alt+Down")
        self._action(go, "Previous run", lambda: self.session.step_run(-1), "Alt+Up")
        self._action(go, "Fit the chart", self._fit, "Ctrl+0")
        self._action(go, "Fold the margin", self._fold, "F9")

    def _action(self, menu: object, text: str, call: object, key: object = None) -> QAction:
        action = QAction(text, self)
        if key is not None:
            action.setShortcut(QKeySequence(key))  # type: ignore[call-overload]
        action.triggered.connect(lambda: self._safely(call))
        menu.addAction(action)  # type: ignore[attr-defined]
        return action

    def _connect(self) -> None:
        session = self.session
        session.book_opened.connect(self._book_opened)
        session.records_changed.connect(self._records_changed)
        session.subject_changed.connect(self.refresh)
        self.spine.chosen.connect(self.show_page)
        self.bridge.arrived.connect(self._news)
        self.margin.notes_left.connect(self._keep_notes)
        run = self.run_view
        run.start_wanted.connect(lambda request: self._safely(lambda: self.start(request)))
        run.stop_wanted.connect(self.stop)
        run.mark_wanted.connect(self.mark)
        run.judge_wanted.connect(lambda: self.show_page(JUDGE))
        run.rig_wanted.connect(lambda: self._safely(self.add_rig))
        run.computer_wanted.connect(lambda: self._safely(self.add_computer))
        self.judge_view.explained.connect(self.margin.explain)
        self.judge_view.chart_wanted.connect(lambda: self._safely(self._ask_chart))
        self.judge_view.log_wanted.connect(lambda: self._safely(self._ask_log))
        scale = self.scale_view
        scale.explained.connect(self.margin.explain)
        scale.chart_wanted.connect(lambda: self._safely(self._ask_chart))
        scale.run_wanted.connect(self._open_run)
        scale.room_chosen.connect(self._choose_room)

    def _safely(self, call: object) -> None:
        """Do it; what goes wrong is said in the notice line."""
        try:
            call()  # type: ignore[operator]
        except PinchError as error:
            self.notices.error(str(error))

    # Showing

    @property
    def page(self) -> int:
        """The page that is shown."""
        return self.desk.currentIndex()

    def show_page(self, number: int) -> None:
        """Show a page; the subject stays."""
        self.desk.setCurrentIndex(number)
        self.spine.show_page(number)
        self.refresh()

    def refresh(self) -> None:
        """Show the subject on the present page."""
        self._safely((self._refresh_run, self._refresh_judge, self._refresh_scale)[self.page])
        self._count()

    def _book_opened(self) -> None:
        self._scaled_for = ()
        self.setWindowTitle(f"{self.session.book.path.name} — Pinch")
        self.footer.show_book(self.session.book.path.name, self.session.book.read_only)

    def _records_changed(self) -> None:
        self._scaled_for = ()
        stack = self.session.undo_stack
        for action, word, name in ((self.undo_action, "Undo", stack.undo_label), (self.redo_action, "Redo", stack.redo_label)):
            action.setEnabled(name is not None)
            action.setText(f"{word}: {name}" if name else word)
        self.refresh()

    def _count(self) -> None:
        session, subject = self.session, self.session.subject
        runs = session.book.runs()
        chosen = [r for r in runs if subject.device_id == r.device_id and subject.workload_id == r.workload_id]
        settings = {r.setting_id for r in chosen if not r.void}
        self.spine.entries[RUN].set_count("recording" if session.recording_now else f"{len(runs)} runs")
        self.spine.entries[JUDGE].set_count(f"{len(chosen)} here" if chosen else "")
        self.spine.entries[SCALE].set_count(f"{len(settings)} points" if settings else "")

    def _refresh_run(self) -> None:
        session = self.session
        devices = session.book.devices()
        self.run_view.offer_devices(
            not any(d.local for d in devices) and not session.book.read_only,
            not any(d.rig for d in devices) and not session.book.read_only,
        )
        self.margin.show_notes(None)
        if session.recording_now and self.live is not None:
            self.run_view.show_live(self.live, session.slot(session.subject.device_id or 0))
        else:
            self.run_view.show_ready(session.device, session.setting, session.workload, bool(devices))
            self.run_view.judge.setVisible(self.live is not None)
        self.margin.tell("What is recorded", self._recording_notes())

    def _recording_notes(self) -> list[str]:
        notes = [
            "Every second each sensor that Linux offers is read by a small process of its own. Power comes from energy "
            "counters, so nothing between two seconds is missed.",
            "The rest before the load gives the idle level, which the burst window is worked out from.",
            "The run is in the book as it grows: what was recorded stays, whatever happens.",
        ]
        if self.live is not None and self.live.notes:
            notes += ["What this machine does not tell:", *self.live.notes]
        return notes

    def _refresh_judge(self) -> None:
        run = self.session.run
        if run is None:
            self.margin.show_notes(None)
            self.margin.tell("No run", ["Record a run on the Run page, or add one with Add, Run from a log."])
            self.judge_view.show_nothing("There is no run here yet. Choose another subject above, or record one.")
            return
        self.margin.show_notes(run.notes)
        try:
            judged = self._judged(run)
        except PinchError as error:
            self.judge_view.show_nothing(f"This run cannot be judged: {error}")
            self.margin.tell("No judgement", [str(error)])
            return
        self.judge_view.show_run(judged, self.session.slot(run.device_id))
        self.margin.tell("This run", judged.overview())

    def _judged(self, run: Run) -> JudgedRun:
        log, judged = self.session.desk.judge(run)
        book = self.session.book
        records = book.get(Device, run.device_id), book.get(Setting, run.setting_id), book.get(Workload, run.workload_id)
        return JudgedRun(run, *records, log, judged)

    def _refresh_scale(self) -> None:
        self.margin.show_notes(None)
        device, workload = self.session.device, self.session.workload
        if device is None or workload is None:
            lack = "a device" if device is None else "a workload"
            self.scale_view.show_nothing(f"Choose {lack} above to see its score against watts.")
            self.margin.tell("Score against watts", ["Points stand at the power that was measured, not at the label."])
            return
        runs = [r for r in self.session.book.runs(device.id, workload.id) if not r.void]
        rooms = sorted({r.ambient_c for r in runs if r.ambient_c is not None})
        if self._room not in rooms:
            counted = {room: sum(r.ambient_c == room for r in runs) for room in rooms}
            self._room = max(rooms, key=lambda room: counted[room]) if len(rooms) > 1 else None
        self.scale_view.offer_rooms(rooms, self._room)
        self._start_scaling(device, workload)

    def _start_scaling(self, device: Device, workload: Workload) -> None:
        wanted = (self.session.book.path, device, workload, self._room)
        if wanted == self._scaled_for:
            self.scale_view.explain_spot()
            return
        if self.job is not None:
            self.job.cancel()
        self._scaled_for = wanted
        self.scale_view.show_working(0.0)
        path, room = self.session.book.path, self._room

        def work(progress: object) -> compose.ScaleResult:
            return compose.scale_from_file(path, device, workload, room, progress)  # type: ignore[arg-type]

        self.job = Job(work, self)
        self.job.progressed.connect(self.scale_view.show_working)
        self.job.finished.connect(self._scaled)
        self.job.failed.connect(self._scaling_failed)
        self.job.start()

    def _scaled(self, result: compose.ScaleResult) -> None:
        self.scale_view.show_result(result, self.session.slot(result.device.id or 0))
        if self.page == SCALE:
            if result.scaling is None:
                self.margin.tell("Left out", [w.text for w in result.left_out] or ["No run is there yet."])
            self.scale_view.explain_spot()

    def _scaling_failed(self, reason: str) -> None:
        self._scaled_for = ()
        self.scale_view.show_nothing(reason)

    def _choose_room(self, room: float | None) -> None:
        self._room = room
        if self.session.device and self.session.workload:
            self._start_scaling(self.session.device, self.session.workload)

    # Recording

    def start(self, request: compose.RunRequest) -> None:
        """Start recording what the Run page asks for."""
        if self.session.recording_now:
            raise PinchError("A run is being recorded already.")
        self.live = LiveRun(request.workload.rate_channel, request.idle_s + request.load_s)
        self.run_view.live.clear()
        self.session.recording = compose.begin_recording(self.session.book, request, [self.bridge.put])
        self.bridge.start()
        self.notices.hide()
        self.session.refresh()

    def mark(self) -> None:
        """Mark the present moment, with a word if the operator has one."""
        if self.session.recording is not None and self.session.recording_now and self.live is not None:
            self.live.marks += 1
            self.session.recording.mark(f"mark {self.live.marks}")
            self.notices.done(f"Mark {self.live.marks} at {self.live.t_s:.0f} s.")

    def stop(self) -> None:
        """End the recording; what was recorded is kept."""
        if self.session.recording is not None:
            self.session.recording.stop()

    def _news(self, news: list[News]) -> None:
        if self.live is None:
            return
        for item in news:
            self.live.note(item)
        if self.live.status is not None:
            self._ended(self.live)
            return
        self.footer.show_recording(self.live.words, len(self.live.series), self.live.probe_cost)
        if self.page == RUN:
            self.run_view.show_live(self.live, self.session.slot(self.session.subject.device_id or 0))

    def _ended(self, live: LiveRun) -> None:
        self.bridge.stop()
        recording = self.session.recording
        if recording is not None:
            recording.wait()
        self.footer.show_idle()
        if live.status is ExitStatus.FAILED:
            self.notices.error(f"The run failed: {live.reason} What was recorded is kept.")
        elif recording is not None:
            self.notices.done("The run is in the book." if live.status is ExitStatus.COMPLETE else "Stopped; the run is kept.")
        if recording is not None:
            self.session.choose_run(recording.run.id or 0)
        self.session.refresh()

    # Changes to the book

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

    def add_computer(self) -> None:
        """The computer at hand becomes a device of the book."""
        session = self.session
        session.change("add this computer", lambda: compose.add_this_computer(session.book))
        device = next(d for d in session.book.devices() if d.local)
        built_in = next(w for w in session.book.workloads() if w.name == compose.ALL_CORES.name)
        session.choose(device.id, session.settings(device.id)[0].id, built_in.id, None)

    def add_rig(self) -> None:
        """The simulated devices come into the book."""
        session = self.session
        session.change("add the simulated devices", lambda: compose.add_rig(session.book))
        device = next(d for d in session.book.devices() if d.rig)
        own = next(w for w in session.book.workloads() if not w.name.startswith("Built-in load"))
        session.choose(device.id, session.settings(device.id)[0].id, own.id, None)

    def add_setting(self, setting: Setting) -> None:
        """A new setting of the chosen device."""
        session = self.session
        session.change(f"add setting {setting.name}", lambda: session.book.save(setting))
        subject = session.subject
        session.choose(subject.device_id, session.settings(subject.device_id)[-1].id, subject.workload_id, None)

    def remove_run(self) -> None:
        """The run leaves the lists; undo brings it back."""
        self._change_run("remove run", removed=True)

    def void_run(self, reason: str) -> None:
        """The run stays, does not count, and says why."""
        self._change_run("make run void", void=reason)

    def _keep_notes(self, text: str) -> None:
        run = self.session.run
        if run is not None and text != run.notes and not self.session.book.read_only:
            self._safely(lambda: self._change_run("change notes", notes=text))

    def _change_run(self, label: str, **fields: object) -> None:
        run = self.session.run
        if run is None:
            return
        if run.cut_off and self.session.recording_now:
            raise PinchError("This run is still being recorded; stop it first.")
        self.session.change(label, lambda: self.session.book.save(run.model_copy(update=fields)))
        subject = self.session.subject
        self.session.choose(subject.device_id, subject.setting_id, subject.workload_id, subject.run_id)

    def import_log(self, path: Path, device: str, setting: str, claimed_w: float | None, workload: str) -> None:
        """A Pinch CSV log becomes a run of the device, setting and workload of these names."""
        log = read_run_log(path)
        session, added = self.session, []

        def work() -> None:
            rate = rate_channel(log.series) or "score.rate"
            records = compose.find_or_add(session.book, device, setting, claimed_w, workload, rate)
            added.append(compose.import_log(session.book, log, *records, path.name))

        session.change(f"add {path.name}", work)
        session.choose_run(added[0].id or 0)
        self.show_page(JUDGE)

    # Out of the book

    def chart_shown(self) -> Chart:
        """The chart of the present page."""
        chart = self.scale_view.chart.chart if self.page == SCALE else self.judge_view.chart.chart
        if self.page == RUN or chart is None:
            raise PinchError("There is no chart on this page to write.")
        return chart

    def write_chart(self, path: Path) -> None:
        """Write the chart of the page, off the interface thread."""
        chart, theme = self.chart_shown(), look.theme()
        self._write(lambda: write_chart(chart, path, theme), path)

    def write_log(self, folder: Path) -> None:
        """Write the run's log as a data package."""
        shown = self.judge_view.shown
        if shown is None:
            raise PinchError("There is no run on the Judge page to write.")
        name = f"run-{shown.run.id}"
        self._write(
            lambda: write_run_package(
                shown.log, folder, name, shown.device, shown.setting, shown.workload, shown.run
            ),
            folder,
        )

    def _write(self, work: object, path: Path) -> None:
        job = Job(lambda _: work(), self)  # type: ignore[operator]
        job.finished.connect(lambda _: self.notices.done(f"{path} is written."))
        job.failed.connect(self.notices.error)
        self.job_writing = job
        job.start()

    def copy_finding(self) -> None:
        """The finding of the page goes to the clipboard."""
        from PyQt6.QtWidgets import QApplication

        clipboard = QApplication.clipboard()
        view = self.scale_view if self.page == SCALE else self.judge_view
        if clipboard is not None:
            clipboard.setText(view.headline.text())
            self.notices.done("The finding is on the clipboard.")

    # Asking

    def _ask_new(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "New book", "", BOOKS)
        if name:
            self.session.create(_with_ending(name))

    def _ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open book", "", BOOKS)
        if name:
            self.session.open(Path(name))

    def _ask_copy(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save a copy of the book", "", BOOKS)
        if name:
            self.session.book.copy_to(_with_ending(name))
            self.notices.done(f"{_with_ending(name)} is written.")

    def _ask_chart(self) -> None:
        self.chart_shown()
        name, _ = QFileDialog.getSaveFileName(self, "Write the chart", "chart.png", "Pictures (*.png *.svg)")
        if name:
            self.write_chart(Path(name))

    def _ask_log(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the log and datapackage.json")
        if name:
            self.write_log(Path(name))

    def _ask_setting(self) -> None:
        device = self.session.device
        if device is None:
            raise PinchError("Choose a device first; a setting belongs to one.")
        if device.rig is not None:
            raise PinchError(f"{device.name} is simulated; its settings are fixed.")
        dialog = SettingDialog(device, self)
        if dialog.exec() and dialog.setting is not None:
            self.add_setting(dialog.setting)

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Add a log as a run", "", "Logs of Pinch (*.csv)")
        if not name:
            return
        read_run_log(Path(name))  # what is wrong with it is said before anything is asked
        dialog = LogDialog(Path(name), self.session.book.devices(), self.session.book.workloads(), self)
        if dialog.exec():
            self.import_log(
                Path(name), dialog.device.currentText(), dialog.setting.text(), dialog.claimed_w,
                dialog.workload.currentText(),
            )  # fmt: skip

    def _ask_void(self) -> None:
        if self.session.run is None:
            raise PinchError("There is no run to make void.")
        reason, given = QInputDialog.getText(self, "Make this run void", "Why does it not count?")
        if given and reason.strip():
            self.void_run(reason.strip())

    def _open_run(self, run_id: int) -> None:
        self.session.choose_run(run_id)
        self.show_page(JUDGE)

    def _fit(self) -> None:
        view = self.scale_view.chart if self.page == SCALE else self.judge_view.chart
        view.fit()

    def _fold(self) -> None:
        self.margin.setVisible(not self.margin.isVisible())

    def switch_theme(self) -> None:
        """Light becomes dark, dark becomes light."""
        from PyQt6.QtWidgets import QApplication

        app = QApplication.instance()
        assert isinstance(app, QApplication)
        look.apply(app, "light" if look.theme().name == "dark" else "dark")
        self._scaled_for = ()
        self.refresh()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """A recording ends and is kept; nothing is left running."""
        if self.job is not None:
            self.job.cancel()
            self.job.wait(5.0)
        if self.session.recording is not None:
            self.session.recording.stop()
            self.session.recording.wait(15.0)
        self.bridge.stop()
        super().closeEvent(event)


def _with_ending(name: str) -> Path:
    path = Path(name)
    return path if path.suffix else path.with_suffix(".pinch")
