"""The Scale page: score against measured watts."""

from collections.abc import Sequence

from pinch.analysis.curves import Axis, CurveSeries, ScaleResult
from pinch.analysis.foreseen import Foreseen
from pinch.bench.cards import CardKind
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted, told_once
from pinch.language import tr
from pinch.narrative.cards import curve_cards
from pinch.narrative.twin_chart import predicted_dot
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, RunTarget, Sent, Shell
from pinch.ui.scale.control import ScaleControl
from pinch.ui.scale.view import WHAT_IF, ScaleView
from pinch.ui.whatif.desk import AskedAbout, WhatIfDesk


class ScalePage(Page[ScaleView]):
    """The chosen workload over the watts of the devices that were tested with it."""

    name = tr("Scale")

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = ScaleControl(shell.session, shell.points, shell.dialog_parent)

    def make(self) -> ScaleView:
        view, shell, control = ScaleView(), self.shell, self.control
        view.explained.connect(shell.margin.explain)
        view.chart_wanted.connect(shell.write_chart)
        view.run_wanted.connect(lambda run_id: shell.go_to(RunTarget(run_id)))
        view.changed.connect(lambda changed: control.choose(**changed))
        view.family_wanted.connect(self.choose_family)
        view.plan_wanted.connect(lambda series: shell.safely(lambda: self.plan_next(series)))
        control.progressed.connect(view.show_working)
        control.finished.connect(self._scaled)
        control.failed.connect(view.show_nothing)
        self.what_if = WhatIfDesk(shell, view.what_if, self._asked, self._place)
        return view

    def menu(self) -> Sequence[MenuEntry]:
        return (
            MenuEntry(MenuName.PLAN, 150, tr("Plan the limit most worth measuring"), self.plan_next, "Ctrl+Shift+P"),
        )

    def forget(self) -> None:
        self.control.forget()
        if self.is_made:
            self.what_if.forget()

    def cancel(self) -> None:
        self.control.cancel()
        if self.is_made:
            self.what_if.control.cancel()

    def _asked(self) -> AskedAbout | None:
        session = self.session
        if session.device is None or session.workload is None:
            return None
        return AskedAbout(session.device, session.workload, session.setting, self.view.room.currentData())

    def _place(self, found: Foreseen | None) -> None:
        """What is predicted stands on the chart, where that shows its work in its unit."""
        view, result = self.view, self.view.result
        view.predicted = None
        if found is not None and result is not None:
            shown = {s.workload.id for s in result.series} == {found.of.workload.id}
            if shown and result.choice.axis is Axis.PACKAGE and result.choice.measure == AVERAGE:
                view.predicted = predicted_dot(found, self.session.slot(found.of.device.id))
        view.draw()

    def count(self) -> str:
        subject = self.session.subject
        if subject.device_id is None or subject.workload_id is None:
            return ""
        settings = self.session.book.count_settings_run(subject.device_id, subject.workload_id)
        return counted(settings, "point") if settings else ""

    def show(self) -> None:
        margin = self.shell.margin
        margin.show_notes(None)
        if self.session.workload is None:
            self.view.show_nothing(tr("Choose a workload above to see its score against watts."))
            margin.tell(
                tr("Score against watts"), [tr("Points stand at the power that was measured, not at the label.")]
            )
            return
        if self.control.start():
            self.view.show_working(0.0)
        else:
            self.view.explain_spot()

    def points_ready(self) -> None:
        self.control.start()

    def chart(self) -> Drawn | None:
        return self.view.chart.chart

    def sent(self) -> Sent:
        view = self.view
        if view.result is None or not view.result.series:
            raise PinchError(tr("There is no curve on this page to send to the deck."))
        choice = view.result.choice
        kind = CardKind.MULTIPLES if len(choice.workload_ids) > 1 else CardKind.CURVES
        at, subject = view.drawn().reader, self.session.subject.device_id
        query = curve_cards.query_of(choice, view.rule.currentData(), view.second.currentData(), at, subject)
        return Sent(kind, query)

    def fit(self) -> bool:
        self.view.chart.fit()
        return True

    def draw_again(self) -> None:
        self.view.draw()

    def choose_family(self) -> None:
        """The same work at other resolutions and presets beside the chosen one."""
        workload = self.session.workload
        if workload is not None:
            self.control.choose(workload_ids=self.control.workloads_like(workload))

    def plan_next(self, series: CurveSeries | None = None) -> None:
        """The limit that is most worth measuring goes into the plan."""
        chosen = series or (self.view.own_series if self.shell.shows(self) else None)
        if chosen is None:
            raise PinchError(tr("Choose a curve on the Scale page first."))
        self.shell.notices.done(self.control.plan_next(chosen))

    def _scaled(self, result: ScaleResult) -> None:
        """The curves are there."""
        session, points, view = self.session, self.shell.points.points, self.view
        if points is not None:
            devices = [(d.id, d.name) for d in points.devices if any(d.id == g.device_id for g in points.grounds)]
            workloads = [(w.id, w.name) for w in points.workloads if any(w.id == g.workload_id for g in points.grounds)]
            view.show_choice(points.rooms(result.choice.workload_ids), result, [devices, workloads])
        points = self.shell.points.points
        if view.tabs.currentIndex() == WHAT_IF:
            self.what_if.show()
        slots = points.slots if points is not None else {}
        view.show_result(result, slots, session.subject.device_id)
        if self.shell.shows(self):
            left_out = told_once(n.text for s in result.series for n in s.left_out)
            self.shell.margin.tell(tr("Left out"), left_out or [tr("No run is left out.")])
            view.explain_spot()
