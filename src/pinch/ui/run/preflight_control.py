"""Before a run: the checks with their evidence, gathered in the background when the Run page shows a new subject."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QObject

from pinch.bench.planning import DeviceHeat
from pinch.bench.records import Device, Protocol
from pinch.language import tr
from pinch.recorder.preflight import Check, CheckVerdict, Evidence, preflight
from pinch.runs.consent import wishes_of
from pinch.runs.evidence import gather_evidence
from pinch.runs.sourcing import meters_of
from pinch.ui.background import Job
from pinch.ui.dialogs import agreed
from pinch.ui.plan.control import PlanControl
from pinch.ui.run.view import RunView
from pinch.ui.session import Session


class PreflightControl(QObject):
    """Looks when the subject is new, and says anew at once when only the room has changed."""

    def __init__(self, session: Session, view: RunView, planning: PlanControl, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._view, self._planning = session, view, planning
        self._job: Job | None = None
        self._looked_for: tuple[object, ...] = ()
        self._evidence: Evidence | None = None
        view.preflight.again_wanted.connect(self.look_again)
        view.room.valueChanged.connect(lambda _: self._say())

    @property
    def warnings(self) -> list[Check]:
        """What speaks against starting."""
        return [c for c in self._view.preflight.checks if c.verdict is CheckVerdict.WARNING]

    @property
    def room_c(self) -> float | None:
        """The room as entered, else as an instrument measured it, °C."""
        measured = self._evidence.room_c if self._evidence is not None else None
        return measured if self._view.room_c is None else self._view.room_c

    def start_if_new(self) -> None:
        """Look where the device is another one; say anew where only the setting is."""
        device, setting = self._session.device, self._session.setting
        if device is None or setting is None or not (device.rig or device.local or device.reach):
            self._view.preflight.hide()
            self._view.preflight.checks = []
            return
        meters = tuple(self._session.book.instruments())
        key = (self._session.book.path, device.id, device.reach, len(self._session.book.runs(device.id)), meters)
        if key != self._looked_for:
            self._looked_for = key
            self.look()
        else:
            self._say()

    def look_again(self) -> None:
        """The operator wants to know: what the book wants for it is asked first."""
        device, path = self._session.device, self._session.book.path
        records = [] if device is None or device.rig else [device, *meters_of(self._session.book, device)]
        agreed(self._view, path, (wish for record in records for wish in wishes_of(record)))
        self.look()

    def look(self) -> None:
        """Gather the evidence in the background."""
        device = self._session.device
        if device is None or self._session.recording_now:
            return
        self.cancel()
        self._evidence = None
        self._view.preflight.checks = []
        self._view.preflight.show_looking()
        path = self._session.book.path
        heat = self.heat_of(device)

        def work(_: Callable[[float], bool]) -> Evidence:
            return gather_evidence(path, device, heat)

        self._job = Job(tr("Checking before the run"), work, self)
        self._job.finished.connect(self._looked)
        self._job.failed.connect(self._not_looked)
        self._job.start()

    def cancel(self) -> None:
        """Let go of a look that is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def heat_of(self, device: Device) -> DeviceHeat | None:
        """What earlier runs tell of a device's cooling."""
        sheet = self._planning.sheet
        return sheet.bench.heat.get(device.id) if sheet else None

    def _not_looked(self, reason: str) -> None:
        """The device or its meters are not as they must be; what is wrong is said in place of the checks."""
        self._view.preflight.show_checks([Check(tr("Sensors"), CheckVerdict.WARNING, reason)])

    def _looked(self, evidence: Evidence) -> None:
        self._evidence = evidence
        self._say()

    def _say(self) -> None:
        setting = self._session.setting
        if self._evidence is None or setting is None or self._session.recording_now:
            return
        evidence = replace(self._evidence, room_c=self.room_c)
        self._view.preflight.show_checks(preflight(evidence, setting, self._protocol()))

    def _protocol(self) -> Protocol:
        plan = self._planning.plan
        if plan is None or plan.protocol_id is None:
            return Protocol(name="none")
        return self._session.book.get(Protocol, plan.protocol_id)
