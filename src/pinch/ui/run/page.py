"""The Run page: what is to be recorded, and what is being recorded."""

from collections.abc import Sequence
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from pinch.bench.cards import CardKind, RunsQuery
from pinch.bench.entry import read_quantity
from pinch.bench.records import ExitStatus, Run, Workload
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.narrative import cautions
from pinch.recorder.preflight import Check
from pinch.runs.consent import ConsentError, wishes_of
from pinch.runs.sourcing import RunRequest
from pinch.ui import beeps
from pinch.ui.dialogs import agreed, agrees, ask_consent, ask_text
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, RecordingTarget, RunTarget, Sent, Shell, Target
from pinch.ui.run.beside import BesideControl
from pinch.ui.run.control import RecordingControl
from pinch.ui.run.preflight_control import PreflightControl
from pinch.ui.run.sensors_dialog import SensorsDialog
from pinch.ui.run.state import LiveRun, next_words
from pinch.ui.run.view import RunView

NOTES = [
    tr(
        "Each sensor that Linux offers is read by a small process of its own. Power comes from "
        "energy counters, so nothing between two seconds is missed."
    ),
    tr("The rest before the load gives the idle level, which the burst window is worked out from."),
    tr("The run is in the book as it grows: what was recorded stays, whatever happens."),
    tr("A meter that falls silent or a link that breaks leaves a gap and is tried again."),
]


class RunPage(Page[RunView]):
    """Recording: the checks before, the run sheet's next step, the charts of a run under way, and its end."""

    name, early = tr("Run"), True

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        parent = shell.dialog_parent
        self.recording = RecordingControl(shell.session, parent)
        self.checking = PreflightControl(shell.session, self.view, shell.planning, parent)
        self.beside = BesideControl(shell, self.view, self.recording)
        self.recording.changed.connect(self._recording_changed)
        self.recording.ended.connect(self._recording_ended)
        self.recording.judging.judged.connect(self.view.live.show_so_far)
        self.recording.judging.settled.connect(self._settled)
        self.beside.continue_wanted.connect(self.continue_run)
        shell.planning.planned.connect(self._planned)

    def make(self) -> RunView:
        view, shell = RunView(), self.shell
        view.start_wanted.connect(lambda request: shell.safely(lambda: self.start(request)))
        view.stop_wanted.connect(lambda: self.recording.stop())
        view.finish_wanted.connect(lambda: self.recording.finish())
        view.mark_wanted.connect(self.mark)
        view.judge_wanted.connect(self._judge)
        view.next_wanted.connect(partial(shell.safely, self.take_next))
        view.rig_wanted.connect(partial(shell.safely, shell.changes.add_rig))
        view.computer_wanted.connect(partial(shell.safely, shell.changes.add_computer))
        return view

    def menu(self) -> Sequence[MenuEntry]:
        go = MenuName.GO
        return (
            MenuEntry(go, 110, tr("Start recording"), self.view.ask_start, "Ctrl+R"),
            MenuEntry(go, 120, tr("Mark with a text …"), self.mark_with_text, "Ctrl+Shift+M"),
            MenuEntry(go, 130, tr("Mark this moment"), self.mark, "Ctrl+M"),
            MenuEntry(go, 140, tr("Reading by hand …"), self.beside.add_reading, "Ctrl+G"),
            MenuEntry(go, 145, tr("Readings in a grid …"), self.beside.type_grid, "Ctrl+Shift+G"),
            MenuEntry(go, 150, tr("Channels shown large …"), self.beside.choose_channels, "Ctrl+Shift+V"),
            MenuEntry(go, 155, tr("What this machine tells …"), self.show_sensors),
            MenuEntry(go, 160, tr("The work by hand is over"), self.recording.finish, "Ctrl+Shift+."),
            MenuEntry(go, 170, tr("Stop recording"), self.recording.stop, "Ctrl+."),
        )

    def show_sensors(self) -> None:
        """Which sensors the machine of the subject has; of this computer where the subject is not to be reached."""
        session, device = self.shell.session, self.shell.session.device
        parent = self.shell.dialog_parent
        reached = device is not None and bool(device.reach) and agreed(parent, session.book.path, wishes_of(device))
        who = device.name if device is not None and (reached or device.local) else tr("this computer")
        dialog = SensorsDialog(who, device.reach if device is not None and reached else "", parent)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def cancel(self) -> None:
        self.recording.close()
        self.checking.cancel()

    def count(self) -> str:
        return tr("recording") if self.session.recording_now else counted(self.session.book.count_runs(), "run")

    def show(self) -> None:
        session, recorded, view, margin = self.session, self.recording.live, self.view, self.shell.margin
        devices = session.book.devices()
        may_add = not session.book.read_only and not session.recording_now
        view.offer_devices(may_add and not any(d.local for d in devices), may_add and not any(d.rig for d in devices))
        margin.show_notes(None)
        self.beside.show_readings()
        self.show_next()
        if session.recording_now and recorded is not None:
            view.show_live(recorded, session.slot(session.subject.device_id or 0))
            self._said(recorded)
            return
        beside = self.beside.words()
        view.show_ready(session.device, session.setting, session.workload, bool(devices), beside)
        view.judge.setVisible(recorded is not None)
        self.checking.start_if_new()
        self.beside.show_cut()
        margin.tell(tr("What is recorded"), [*NOTES, *_notes_of(recorded)])

    def reveal(self, target: Target) -> bool:
        if not isinstance(target, RecordingTarget):
            return False
        if target.length_s is not None:
            self.view.length.setValue(target.length_s / 60.0)
        return True

    def sent(self) -> Sent:
        run = self.session.run
        if run is None:
            raise PinchError(tr("There is no run to send to the deck."))
        return Sent(CardKind.TIMELINE, RunsQuery(run_ids=(run.id,)))

    def turn_tab(self, by: int) -> None:
        """It has no tabs."""

    def show_next(self) -> None:
        """What the run sheet wants next; nothing while a run is recorded."""
        found = self.shell.planning.next_step()
        if found is None or self.session.recording_now:
            self.view.show_next("", True)
            return
        line, before = found
        subject = self.session.subject
        taken = (subject.setting_id, subject.workload_id) == (line.setting_id, line.workload_id)
        self.view.show_next(next_words(line, before), taken)

    def take_next(self) -> None:
        """The next run of the sheet is what is to be recorded."""
        found = self.shell.planning.next_step()
        if found is None or not found[0].is_run:
            raise PinchError(tr("Choose a run of the run sheet that is still to do."))
        self.shell.go_to(RecordingTarget(self.shell.planning.take(found[0])))

    # Recording

    def start(self, request: RunRequest, continues: Run | None = None) -> None:
        """Start recording what the page asks for; or go on with a run that was cut."""
        warnings = self.checking.warnings
        if warnings and not self.go_on(warnings):
            return
        self.checking.cancel()
        self.shell.quiet()
        before = tuple(f"{c.name}: {c.evidence}" for c in self.view.preflight.checks)
        in_spite_of = tuple(f"{c.name}: {c.evidence}" for c in warnings)
        heat = self.checking.heat_of(request.device)
        self.view.live.clear()
        self.shell.notices.hide()
        plan = self.shell.planning.plan
        wanted = plan is not None and plan.cell(request.setting.id, request.workload.id) is not None
        asked = replace(
            request,
            ambient_c=self.checking.room_c,
            in_spite_of=in_spite_of,
            before=before,
            continues=continues,
            protocol_id=plan.protocol_id if plan is not None and wanted else None,
        )
        try:
            self.recording.start(asked, heat.fit if heat else None)
        except ConsentError as wanted:
            if ask_consent(self.shell.dialog_parent, wanted):
                self.recording.start(asked, heat.fit if heat else None)

    def continue_run(self, run: Run) -> None:
        """Another pass of a cut run; the gap stays a gap."""
        request = self.view.request(*self.beside.subject_of(run))
        self.shell.safely(lambda: self.start(request, run))

    def go_on(self, warnings: Sequence[Check]) -> bool:
        """Ask whether to start in spite of warnings, which then stay with the run."""
        words = "\n".join(f"{c.name}: {c.evidence}" for c in warnings)
        return agrees(
            self.shell.dialog_parent, tr("Start all the same?"), tr("{words}\n\nStart all the same?", words=words)
        )

    def mark(self) -> None:
        """Mark the present moment of the recording."""
        self._mark("")

    def mark_with_text(self) -> None:
        """Mark the moment at which this was asked for, with a text."""
        if self.session.recording_now:
            text = ask_text(self.shell.dialog_parent, tr("Mark"), tr("What happened?"))
            if text is not None:
                self._mark(text)

    def _mark(self, text: str) -> None:
        said = self.recording.mark(text)
        if said:
            self.shell.notices.done(said)

    def _judge(self) -> None:
        if self.session.run is not None:
            self.shell.go_to(RunTarget(self.session.run.id))

    def _said(self, recorded: LiveRun) -> None:
        """The caution beside a run under way, and what its sensors and meters had to say so far."""
        self.shell.margin.tell(tr("Stay with it"), [cautions.UNDER_LOAD, *_notes_of(recorded)])

    def _planned(self) -> None:
        if self.shell.shows(self):
            self.show_next()

    def _recording_changed(self) -> None:
        live, shown = self.recording.live, self.shell.shows(self)
        if live is not None:
            slowed = self.view.live.draw_every_s if shown else 0.0
            self.shell.footer.show_recording(live.words, live.interval_s, len(live.series), live.probe_cost, slowed)
            if shown:
                self.view.show_live(live, self.session.slot(self.session.subject.device_id or 0))
                if live.news_notes:
                    live.news_notes = False
                    self._said(live)

    def _recording_ended(self) -> None:
        live, recording, notices = self.recording.live, self.session.recording, self.shell.notices
        self.shell.footer.show_idle()
        if live is None or recording is None:
            return
        run_id = recording.run.id
        self.shell.tell_away(
            tr("The run is over: {reason}.", reason=live.reason or live.status or tr("it was stopped"))
        )
        if recording.book_path != self.session.book.path:
            lost = self.session.book.path.name
            self.session.open(recording.book_path)
            notices.error(
                tr(
                    "{lost} was deleted or replaced by another program while the run was recorded. The run "
                    "is in {book_path}, with all that the book held; it is open now.",
                    lost=lost,
                    book_path=recording.book_path.name,
                )
            )
        self.session.choose_run(run_id)
        self.session.refresh()
        if live.by_hand and live.status is ExitStatus.COMPLETE:
            self.shell.safely(partial(self.ask_score, run_id))
        if live.alarm:
            beeps.play(beeps.ALARM)
            notices.error(tr("Alarm. {alarm} What was recorded is kept.", alarm=live.alarm))
        elif live.status is ExitStatus.FAILED:
            QApplication.beep()
            notices.error(tr("The run failed: {reason} What was recorded is kept.", reason=live.reason))
        else:
            whole = live.status is ExitStatus.COMPLETE
            planned = self.shell.planning.note_run(self.session.book.get(Run, run_id))
            kept = tr("The run is in the book, and done in the plan.") if planned else tr("The run is in the book.")
            notices.done(kept if whole else tr("Stopped; the run is kept."))

    def ask_score(self, run_id: int) -> None:
        """The score of a run by hand; nothing typed: there is none."""
        book = self.session.book
        workload = book.get(Workload, book.get(Run, run_id).workload_id)
        words = tr(
            "Score of {workload}, {score_unit} (may stay empty)", workload=workload.name, score_unit=workload.score_unit
        )
        typed = ask_text(self.shell.dialog_parent, tr("The run is complete"), words)
        if typed:
            self.shell.changes.keep_score(run_id, read_quantity(typed, "").value)

    def _settled(self) -> None:
        """A run has settled; the operator may be elsewhere."""
        self.shell.tell_away(tr("The run has settled."))
        if self.view.beep.isChecked():
            beeps.play(beeps.SETTLED)
            self.shell.notices.done(tr("The run has settled."))


def _notes_of(recorded: LiveRun | None) -> list[str]:
    return [tr("What the sensors and meters said:"), *recorded.notes] if recorded and recorded.notes else []
