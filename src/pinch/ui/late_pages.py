"""The pages that are built at their first visit, so that the window opens the sooner."""

from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QStackedWidget, QWidget

from pinch.ui.compare.view import CompareView
from pinch.ui.modes.view import ModesView
from pinch.ui.publish.view import PublishView
from pinch.ui.scale.view import ScaleView
from pinch.ui.shell.pages import COMPARE, MODES, PUBLISH, SCALE

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

LatePage = ScaleView | CompareView | ModesView | PublishView


class LatePages:
    """Each page is made, joined to its control and set on the desk when it is asked for."""

    def __init__(self, window: "MainWindow", desk: QStackedWidget) -> None:
        self._window, self._desk = window, desk
        for _ in (SCALE, COMPARE, MODES, PUBLISH):
            desk.addWidget(QWidget())

    def page(self, number: int) -> LatePage:
        """A page by its place."""
        pages: dict[int, str] = {SCALE: "scale", COMPARE: "compare", MODES: "modes", PUBLISH: "publish"}
        page: LatePage = getattr(self, pages[number])
        return page

    def draw_again(self) -> None:
        """Draw what is there once more, in another theme."""
        for name in ("scale", "compare", "modes"):
            if name in vars(self):
                getattr(self, name).draw()

    @cached_property
    def scale(self) -> ScaleView:
        """The Scale page."""
        view, window, control = ScaleView(), self._window, self._window.scaling
        self._seat_charts(SCALE, view)
        view.run_wanted.connect(window.open_run)
        view.changed.connect(window.showing.choose_scale)
        view.family_wanted.connect(window.showing.choose_family)
        view.plan_wanted.connect(lambda series: window.safely(lambda: window.plan_next(series)))
        control.progressed.connect(view.show_working)
        control.finished.connect(window.showing.scaled)
        control.failed.connect(view.show_nothing)
        return view

    @cached_property
    def compare(self) -> CompareView:
        """The Compare page."""
        view, window, control = CompareView(), self._window, self._window.comparing
        self._seat_charts(COMPARE, view)
        view.cells_chosen.connect(control.choose)
        view.baseline_chosen.connect(control.set_baseline)
        view.view_chosen.connect(control.show_view)
        view.changed.connect(control.change)
        view.accept_wanted.connect(lambda unfair: window.safely(lambda: window.asking.accept(unfair)))
        view.more_wanted.connect(lambda *of: window.safely(lambda: window.notices.done(control.plan_more(*of))))
        control.progressed.connect(view.show_working)
        control.finished.connect(window.showing.compared)
        control.failed.connect(view.show_nothing)
        return view

    @cached_property
    def modes(self) -> ModesView:
        """The Modes page."""
        view, window = ModesView(), self._window
        self._seat_charts(MODES, view)
        view.run_wanted.connect(window.open_run)
        view.room_chosen.connect(window.showing.choose_modes_room)
        return view

    @cached_property
    def publish(self) -> PublishView:
        """The Publish page."""
        view = PublishView()
        self._seat(PUBLISH, view)
        self._window.publish_desk.connect_view(view)
        return view

    def _seat(self, number: int, page: LatePage) -> None:
        empty = self._desk.widget(number)
        assert empty is not None
        self._desk.removeWidget(empty)
        empty.deleteLater()
        self._desk.insertWidget(number, page)
        page.explained.connect(self._window.margin.explain)

    def _seat_charts(self, number: int, page: ScaleView | CompareView | ModesView) -> None:
        """As `_seat`, of a page whose chart can be written."""
        self._seat(number, page)
        window = self._window
        page.chart_wanted.connect(lambda: window.safely(window.asking.write_chart))
