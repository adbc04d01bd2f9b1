"""Recording from the window: start, mark, stop, and the news on their way to the page."""

from PyQt6.QtCore import QObject, pyqtSignal

from pinch.analysis.judging import known_of
from pinch.bench.records import Runner
from pinch.core.cooling import HeatFit
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.recorder.recorder import News
from pinch.runs.recording import begin_recording, ends_by_itself
from pinch.runs.sourcing import RunRequest
from pinch.ui.bridge import Bridge
from pinch.ui.run.settling import LiveJudge
from pinch.ui.run.state import LiveRun
from pinch.ui.session import Session


class RecordingControl(QObject):
    """`changed` when there is news of a recording, `ended` once it is over and kept."""

    changed = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._bridge = Bridge(self)
        self._bridge.arrived.connect(self._news)
        self.live: LiveRun | None = None
        self.judging = LiveJudge(self)

    def start(self, request: RunRequest, heat: HeatFit | None = None) -> None:
        """Start recording; `heat` is the device's cooling as earlier runs tell it.

        Raises
        ------
        PinchError : a run is being recorded already, or the request makes no sense.
        """
        if self._session.recording_now:
            raise PinchError(tr("A run is being recorded already."))
        endless = ends_by_itself(request.device, request.workload)
        by_hand = endless and request.workload.runner is Runner.HAND
        recording = begin_recording(self._session.book, request, [self._bridge.put])
        self._session.recording = recording
        self.live = LiveRun(
            request.workload.rate_channel,
            recording.course,
            tr(
                "{workload} on {device} at {setting}",
                workload=request.workload.name,
                device=request.device.name,
                setting=request.setting.name,
            ),
            request.interval_s,
            request.device.shown,
            by_hand=by_hand,
        )
        known = known_of(request.device, request.setting, request.workload, recording.run)
        self.judging.begin(known, heat)
        self._bridge.start()
        self._session.refresh()

    def mark(self, text: str = "") -> str | None:
        """Mark the present moment, with a text or a number; returns what to say about it."""
        if self._session.recording is None or not self._session.recording_now or self.live is None:
            return None
        self.live.marks += 1
        self._session.recording.mark(text or tr("mark {marks}", marks=self.live.marks))
        return tr("Mark {marks} at {t_s:.0f} s.", marks=self.live.marks, t_s=self.live.t_s)

    def stop(self) -> None:
        """End the recording; what was recorded is kept."""
        if self._session.recording is not None:
            self._session.recording.stop()

    def finish(self) -> None:
        """The operator's work is over: the run is complete."""
        if self._session.recording is not None:
            self._session.recording.finish()

    def close(self) -> None:
        """End the recording and wait for it, so that nothing is left running."""
        self.stop()
        if self._session.recording is not None:
            self._session.recording.wait(15.0)
        self._bridge.stop()
        self.judging.cancel()

    def _news(self, news: list[News]) -> None:
        if self.live is None:
            return
        for item in news:
            self.live.note(item)
        if self.live.status is None:
            self.changed.emit()
            self.judging.look(self.live)
            return
        self._bridge.stop()
        self.judging.cancel()
        if self._session.recording is not None:
            self._session.recording.wait()
        self.ended.emit()
