"""Beside the recording: meters and frames that are read along, readings by hand, channels shown large, cut runs."""

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.bench import runlogs
from pinch.bench.readings import Reading
from pinch.bench.records import Device, Run, Setting, Workload, live
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_RATE
from pinch.language import tr
from pinch.runs.sourcing import meters_of
from pinch.ui.dialogs import VOID_WORDS, ask_text
from pinch.ui.page_protocol import Shell
from pinch.ui.run.channel_dialog import ChannelsDialog
from pinch.ui.run.control import RecordingControl
from pinch.ui.run.reading_dialog import ReadingDialog
from pinch.ui.run.reading_grid_dialog import ReadingGridDialog
from pinch.ui.run.view import RunView

MOST_ROWS = 60


class BesideControl(QObject):
    """Joins what stands beside the live charts with the session. `continue_wanted` gives a cut run that goes on."""

    continue_wanted = pyqtSignal(object)

    def __init__(self, shell: Shell, view: RunView, recording: RecordingControl) -> None:
        super().__init__(view)
        self._shell, self._session, self._view, self._recording = shell, shell.session, view, recording
        view.readings.wanted.connect(partial(shell.safely, self.add_reading))
        view.channels.clicked.connect(lambda: shell.safely(self.choose_channels))
        for signal, call in (
            (view.readings.removal_wanted, self.remove_reading),
            (view.readings.change_wanted, self.change_reading),
            (view.cut.keep_wanted, self.keep_cut),
            (view.cut.void_wanted, self.void_cut),
            (view.cut.continue_wanted, self.continue_cut),
        ):
            signal.connect(lambda number, call=call: shell.safely(partial(call, number)))

    def words(self) -> list[str]:
        """What is read along with the chosen device and workload, in words."""
        device, workload = self._session.device, self._session.workload
        if device is None or workload is None:
            return []
        try:
            words = [i.name for i in meters_of(self._session.book, device)]
        except PinchError as error:
            self._shell.notices.error(str(error))
            return []
        if workload.frame_log and device.rig is None:
            words.append(tr("the frames in {frame_log}", frame_log=workload.frame_log))
        elif device.rig is not None and workload.rate_channel == FRAME_RATE:
            words.append(tr("the frames of the rig"))
        return words

    def add_reading(self) -> None:
        """A value that was read by hand: at this moment of the recording, else at the end of the chosen run."""
        recorded = self._recording.live
        now_recording = self._session.recording_now and recorded is not None and self._session.recording is not None
        if now_recording and recorded is not None and self._session.recording is not None:
            run_id, t_s = self._session.recording.run.id, recorded.t_s
        elif self._session.run is not None:
            run_id = self._session.run.id
            log = runlogs.read_log(self._session.book, run_id)
            t_s = log.span_s[1] if log.samples else 0.0
        else:
            raise PinchError(tr("A reading belongs to a run; record one, or choose one above."))
        dialog = ReadingDialog(run_id, t_s, live(self._session.book.instruments()), self._shell.dialog_parent)
        if dialog.exec():
            self.keep_reading(dialog.reading)

    def keep_reading(self, reading: Reading) -> None:
        """Keep a reading; one beyond an alarm's bound rings it."""
        self._session.change(
            tr("add a reading of {quantity}", quantity=reading.quantity), lambda: self._session.book.save(reading)
        )
        recording = self._session.recording
        if self._session.recording_now and recording is not None and recording.run.id == reading.run_id:
            recording.heed(reading.channel, reading.value)
        self._shell.notices.done(tr("The reading is kept with the run."))

    def type_grid(self) -> None:
        """Type the readings of the newest runs of the chosen device, of one workload where one is chosen."""
        session, device, workload = self._session, self._session.device, self._session.workload
        if device is None:
            raise PinchError(tr("Choose a device above; the grid is of its runs."))
        book = session.book
        runs = book.runs(device.id, workload.id if workload is not None else None)[-MOST_ROWS:]
        if not runs:
            raise PinchError(tr("A reading belongs to a run; record one, or add one from a log first."))
        named = [(run, self._name_of(run, workload is None)) for run in reversed(runs)]
        ReadingGridDialog(book, named, session.change, self._shell.dialog_parent).exec()

    def _name_of(self, run: Run, with_workload: bool) -> str:
        book = self._session.book
        work = book.get(Workload, run.workload_id).name if with_workload else ""
        return ", ".join(
            filter(None, (book.get(Setting, run.setting_id).name, work, tr("run {repeat}", repeat=run.repeat)))
        )

    def change_reading(self, reading_id: int) -> None:
        """What was read, when and where, as it should have been typed."""
        session = self._session
        old = session.book.get(Reading, reading_id)
        offered = live(session.book.instruments())
        dialog = ReadingDialog(old.run_id, old.t_s, offered, self._shell.dialog_parent, old)
        if dialog.exec():
            session.change(
                tr("change a reading of {quantity}", quantity=old.quantity), lambda: session.book.save(dialog.reading)
            )

    def remove_reading(self, reading_id: int) -> None:
        """Take a reading away."""
        book = self._session.book

        def work() -> None:
            with book.change() as connection:
                connection.execute("DELETE FROM reading WHERE id = ?", (reading_id,))

        self._session.change(tr("remove a reading"), work)

    def show_readings(self) -> None:
        """Those of the run that is recorded, else of the chosen one."""
        recording, run = self._session.recording, self._session.run
        run_id = recording.run.id if self._session.recording_now and recording is not None else run.id if run else None
        readings = self._session.book.readings(run_id) if run_id is not None else []
        self._view.readings.show_readings(readings)

    def choose_channels(self) -> None:
        """Which channels stand large; the choice stays with the device."""
        recorded, device = self._recording.live, self._session.device
        if recorded is None or device is None or not recorded.values:
            raise PinchError(tr("Channels can be chosen once a run is recorded."))
        dialog = ChannelsDialog(
            sorted(recorded.values), [n for n, _ in recorded.shown_channels()], self._shell.dialog_parent
        )
        if dialog.exec():
            self.show_channels(dialog.channels)

    def show_channels(self, channels: tuple[str, ...]) -> None:
        """Show these channels large from now on."""
        recorded, device = self._recording.live, self._session.device
        if recorded is not None and device is not None:
            recorded.shown = channels
            changed = device.model_copy(update={"shown": channels})
            self._session.change(tr("choose channels"), lambda: self._session.book.save(changed))
            self._view.live.refresh(recorded, self._session.slot(device.id))

    # Runs without a stop

    def show_cut(self) -> None:
        """The newest cut run, if there is one."""
        book = self._session.book
        cut = book.cut_runs()
        if not cut or book.read_only:
            self._view.cut.show_run(None, "", 0, 0, False)
            return
        device, setting, workload = self.subject_of(cut[-1])
        _, samples = runlogs.log_size(book, cut[-1].id)
        subject = tr(
            "{workload} on {device} at {setting}", workload=workload.name, device=device.name, setting=setting.name
        )
        recordable = bool(device.rig or device.local or device.reach)
        self._view.cut.show_run(cut[-1], subject, samples, len(cut) - 1, recordable)

    def keep_cut(self, run_id: int) -> None:
        """It gets a stop and counts as it is."""
        self._session.choose_run(run_id)
        self._shell.changes.close_cut_run()
        self._shell.notices.done(tr("The run is kept as it was cut."))

    def void_cut(self, run_id: int) -> None:
        """It does not count; the operator says why."""
        self._session.choose_run(run_id)
        reason = ask_text(self._shell.dialog_parent, *VOID_WORDS)
        if reason:
            self._shell.changes.void_run(reason)

    def continue_cut(self, run_id: int) -> None:
        """Another pass of the same run; the gap stays a gap."""
        self._session.choose_run(run_id)
        self.continue_wanted.emit(self._session.book.get(Run, run_id))

    def subject_of(self, run: Run) -> tuple[Device, Setting, Workload]:
        """Its device, setting and workload."""
        book = self._session.book
        return book.get(Device, run.device_id), book.get(Setting, run.setting_id), book.get(Workload, run.workload_id)
