"""The Modes page: what the settings of a device really are."""

from pinch.analysis.modes import ModesSheet
from pinch.analysis.points import rooms_of, usual_room
from pinch.bench.cards import CardKind, ModesQuery
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.modes.control import ModesControl
from pinch.ui.modes.view import BATTERY, SOUND, WALL, ModesView
from pinch.ui.page_protocol import Page, RunTarget, Sent, Shell

NOTES = [
    tr(
        "What “quiet”, “balanced” and “fast” really are: each setting by its measured watts, "
        "with what it holds, sounds and feels like, and how long the battery lasts."
    ),
    tr(
        "Noise, surfaces and watts by hand come from Reading by hand (Ctrl+G) on the Run page. "
        "A noise reading whose place is “room” is of the room alone, and is taken off."
    ),
    tr("~ is by the line of wall over package, not measured; ≤ is an upper bound."),
]
KINDS = {WALL: CardKind.WALL, BATTERY: CardKind.BATTERY, SOUND: CardKind.SOUND}
"""What a tab is sent as; the others as the sheet."""


class ModesPage(Page[ModesView]):
    """The sheet of the chosen device under the chosen workload."""

    name = tr("Modes")

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self._room: tuple[int | None, float | None] = None, None
        self.control = ModesControl(shell.dialog_parent)

    def make(self) -> ModesView:
        view, shell, control = ModesView(), self.shell, self.control
        view.explained.connect(shell.margin.explain)
        view.chart_wanted.connect(shell.write_chart)
        view.run_wanted.connect(lambda run_id: shell.go_to(RunTarget(run_id)))
        view.room_chosen.connect(self.choose_room)
        control.finished.connect(self._worked_out)
        control.failed.connect(view.show_nothing)
        return view

    def forget(self) -> None:
        self.control.cancel()

    def cancel(self) -> None:
        self.control.cancel()

    def show(self) -> None:
        session, view, shell = self.session, self.view, self.shell
        shell.margin.show_notes(None)
        shell.margin.tell(tr("Modes at a glance"), NOTES)
        points, device, workload = shell.points.wanted(), session.device, session.workload
        if device is None or workload is None:
            view.show_nothing(
                tr("Choose {what} above to see its modes.", what=tr("a device") if device is None else tr("a workload"))
            )
            return
        if points is None:
            view.show_nothing(tr("Judging all runs …"))
            return
        here = (device.id, workload.id)
        rooms = rooms_of(g for g in points.grounds if (g.device_id, g.workload_id) == here)
        if self._room[0] != device.id:
            self._room = device.id, usual_room(rooms)
        view.show_rooms(sorted(rooms), self._room[1])
        if self.control.start(points, device, workload, self._room[1], view.grade.currentData()) and view.sheet is None:
            view.show_nothing(tr("Working out the modes …"))

    def points_ready(self) -> None:
        self.show()

    def chart(self) -> Drawn | None:
        return self.view.written

    def sent(self) -> Sent:
        view, subject = self.view, self.session.subject
        if view.sheet is None or subject.device_id is None or subject.workload_id is None:
            raise PinchError(tr("Choose a device and a workload above first."))
        query = ModesQuery(
            device_id=subject.device_id,
            workload_id=subject.workload_id,
            room_c=view.room.currentData(),
            grade=view.grade.currentData(),
            share=view.share.value() / 100.0,
            package_w=view.at_w.value(),
            limit_db=view.limit.value(),
        )
        return Sent(KINDS.get(view.tabs.currentIndex(), CardKind.SHEET), query)

    def draw_again(self) -> None:
        self.view.draw()

    def _worked_out(self, sheet: ModesSheet) -> None:
        """The sheet is there."""
        points = self.shell.points.points
        if points is not None:
            self.view.show_sheet(sheet, points, self.session.slot(sheet.device.id))

    def choose_room(self, room: float | None) -> None:
        """Runs of another room count for the sheet."""
        device = self.session.device
        self._room = device.id if device else None, room
        self.show()
