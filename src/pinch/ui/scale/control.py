"""The Scale page's work: what is looked at, and the curves in the background."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QObject

from pinch.analysis.curves import CurveSeries, ScaleChoice, ScaleResult, family_of, scale_book
from pinch.analysis.points import BookPoints, rooms_of, usual_room
from pinch.bench.records import Workload
from pinch.core.errors import PinchError
from pinch.core.metrics import AVERAGE
from pinch.language import tr
from pinch.runs.wanted_runs import in_steps, setting_with_limit, want_more_runs
from pinch.ui.points_control import PointsControl
from pinch.ui.session import Session
from pinch.ui.working import Working

REPEATS = 3


class ScaleControl(Working):
    """`finished` gives a `ScaleResult`."""

    doing = tr("Working out the curves")

    def __init__(self, session: Session, points: PointsControl, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._points = session, points
        self._workload_id: int | None = None
        self.choice = ScaleChoice((), ())
        points.progressed.connect(self.progressed)
        points.failed.connect(self.failed)

    def forget(self) -> None:
        """Another book is open: nothing that was chosen holds."""
        self.cancel()
        self._workload_id = None

    def choose(self, **changed: object) -> None:
        """Look at something else."""
        self.choice = replace(self.choice, **changed)
        self.start()

    def start(self) -> bool:
        """Work out what is chosen; False where that was done already."""
        points = self._points.wanted()
        if points is None:
            return True
        self._follow(points)
        choice = self.choice
        if self.is_done_for(points, choice):
            return False

        def work(progress: Callable[[float], bool]) -> ScaleResult:
            return scale_book(points, choice, progress)

        self.begin(points, choice, work)
        return True

    def plan_next(self, series: CurveSeries) -> str:
        """Send the limit that is most worth measuring to the plan, as a setting of its own; returns what was done.

        Raises
        ------
        PinchError : there is no curve yet.
        """
        if series.scaling is None:
            raise PinchError(tr("{series}: no curve yet, {reason}.", series=series.name, reason=series.reason))
        watts = in_steps(series.scaling.next_w, series.device.claims.step_w)
        session, done = self._session, list[str]()

        def work() -> None:
            near = min((p.of.setting for p in series.points), key=lambda s: abs((s.sustained_w or 0.0) - watts))
            setting = setting_with_limit(session.book, near, watts)
            done.append(want_more_runs(session.book, [(setting, series.workload)], REPEATS))

        session.change(tr("plan {watts:g} W of {device}", watts=watts, device=series.device.name), work)
        return done[0]

    def _follow(self, points: BookPoints) -> None:
        """Another workload in the strip shows all devices that have runs of it, in the room that most runs had."""
        session = self._session.subject
        if session.workload_id is None or session.workload_id == self._workload_id:
            return
        self._workload_id = session.workload_id
        mine = [g for g in points.grounds if g.workload_id == session.workload_id and g.has_result]
        devices = {g.device_id for g in mine} | {session.device_id or 0}
        self.choice = replace(
            self.choice,
            device_ids=tuple(d.id for d in points.devices if d.id in devices),
            workload_ids=(session.workload_id,),
            room_c=usual_room(rooms_of(mine)),
            measure=AVERAGE,
        )

    def workloads_like(self, workload: Workload) -> tuple[int, ...]:
        """The family of a workload: the same but for resolution, preset or upscaling."""
        points = self._points.points
        known = points.workloads if points else ()
        return tuple(w.id for w in family_of(workload, known))
