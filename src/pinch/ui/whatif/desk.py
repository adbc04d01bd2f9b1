"""A What if pane joined to the window: whom it asks about, and when."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QObject

from pinch.analysis.foreseen import Foreseen
from pinch.bench.records import Device, Setting, Workload
from pinch.charts.spec import Chart
from pinch.language import tr
from pinch.ui.page_protocol import Shell
from pinch.ui.whatif.control import WhatIfAnswer, WhatIfControl
from pinch.ui.whatif.pane import WhatIfPane


class AskedAbout(Struct, frozen=True):
    """Whom a pane asks about, and where it begins: a device under a workload, at a setting, in a room."""

    device: Device
    workload: Workload
    setting: Setting | None
    room_c: float | None


class WhatIfDesk(QObject):
    """`subject` gives whom it is about (None: nobody), `drawn` the chart of a prediction, told of its absence, too."""

    def __init__(
        self,
        shell: Shell,
        pane: WhatIfPane,
        subject: Callable[[], AskedAbout | None],
        drawn: Callable[[Foreseen | None], Chart | None],
    ) -> None:
        super().__init__(pane)
        self._shell, self._pane, self._subject, self._drawn = shell, pane, subject, drawn
        self.control = WhatIfControl(shell.session, self)
        self._begun: tuple[int, int, int] | None = None
        self.found: Foreseen | None = None
        pane.asked.connect(self.show)
        self.control.finished.connect(self._told)
        self.control.failed.connect(self._nothing)

    def forget(self) -> None:
        """Another book is open."""
        self.control.cancel()
        self._begun = self.found = None

    def show(self) -> None:
        """Predict what the pane asks; it begins with the setting that is looked at."""
        asked = self._subject()
        if asked is None:
            self._nothing(tr("Choose a device and a workload above; its twin says what it would do."))
            return
        key = (asked.device.id, asked.workload.id, asked.setting.id if asked.setting else 0)
        if key != self._begun:
            self._begun = key
            self._pane.begin_with(asked.setting.sustained_w if asked.setting else None, asked.room_c)
            fan = (asked.setting.fan or asked.setting.mode or asked.setting.platform_profile) if asked.setting else ""
            self._pane.offer_fans([fan], fan)
        points = self._shell.points.wanted()
        if points is None:
            self._nothing(tr("Judging all runs …"))
            return
        self.control.change, self.control.length_s = self._pane.change, self._pane.length_s
        self.control.ask(points, asked.device, asked.workload)

    def _told(self, told: WhatIfAnswer) -> None:
        if told.twin is not None:
            self._pane.offer_fans(told.twin.twin.fans, self._pane.change.fan)
        if told.found is None:
            self._nothing(told.refused)
            return
        self.found = told.found
        self._pane.show_foreseen(told.found, self._drawn(told.found))

    def _nothing(self, why: str) -> None:
        self.found = None
        self._pane.show_words(why)
        self._drawn(None)
