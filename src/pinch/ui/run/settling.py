"""Judging a run while it is recorded: what holds it back so far, and when it will have settled."""

import math
import time
from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from pinch.charts.spec import CauseStretch, minutes
from pinch.charts.timeline_chart import stretch_of
from pinch.core.channels import power_channel
from pinch.core.cooling import HeatFit, fit_heat, time_to_steady_s
from pinch.core.errors import DataError
from pinch.core.figures import SettledState
from pinch.core.judge import judge
from pinch.core.judged_channels import judged_channels
from pinch.core.known import Known
from pinch.core.power_parts import with_parts
from pinch.core.runlog import RunLog, period_of
from pinch.core.settle import DRIFT_K, SHORTEST_S
from pinch.language import tr
from pinch.ui.background import Job
from pinch.ui.run.state import LiveRun

EVERY_S, SHARE = 4.0, 0.04
"""So often at most, and at most this share of the time is spent on it."""
SURE_S = 30.0
LONG_S = 7200.0
"""From here on the window keeps fewer samples than one a second."""
FIT_AGAIN = 1.3
"""The cooling is fitted anew once the run is longer by this factor."""


class SoFar(Struct, frozen=True):
    """What a run shows so far: stretches of the limiter band, and about settling: since when it is settled (s of the
    run), or how long that will take, s; NaN where it cannot be told."""

    at_s: float
    band: tuple[CauseStretch, ...]
    settled_since_s: float
    needs_s: float

    @property
    def words(self) -> str:
        """About settling, in words."""
        if math.isfinite(self.settled_since_s):
            return tr("Settled since {settled_since_s}", settled_since_s=minutes(self.settled_since_s))
        if math.isfinite(self.needs_s):
            return tr("Settles in about {what:.0f} min", what=max(1.0, math.ceil(self.needs_s / 60.0)))
        return tr("Not settled yet")


def bin_s(log: RunLog) -> float:
    """The bins in which a run that goes on is judged, s: a second; after some hours as far apart as its samples are."""
    if log.samples == 0 or log.span_s[1] - log.span_s[0] < LONG_S:
        return 1.0
    return max(1.0, min(period_of(series.t) for series in log.series.values()))


def judge_so_far(log: RunLog, known: Known, heat: HeatFit | None) -> SoFar | None:
    """Judge what there is of a run; `heat` is the device's cooling, where it is known. None where there is no load
    yet."""
    step_s = bin_s(log)
    try:
        judged = judge(log, known, step_s, brief=True)
    except DataError:
        return None
    end = log.span_s[1]
    band = tuple(stretch_of(s) for s in judged.limiters)
    needs = math.nan
    if heat is not None and judged.power is not None:
        power = with_parts(log, known.shares_budget).log.series[judged.power]  # it may be what parts add up to
        watts = RunLog({judged.power: power}).even(step_s).columns[judged.power]
        needs = time_to_steady_s(heat, watts, step_s, DRIFT_K)
    steady = math.isnan(needs) or needs <= 0.0
    if judged.settled.state == SettledState.SETTLED and steady:
        return SoFar(end, band, judged.settled.start_s, 0.0)
    left = max(needs, 0.0) + SHORTEST_S if math.isfinite(needs) else math.nan
    return SoFar(end, band, math.nan, left)


def heat_so_far(log: RunLog, shares_budget: bool | None = None) -> HeatFit | None:
    """The cooling as the run itself tells it, None where it does not yet; of the same power that is judged."""
    log = with_parts(log, shares_budget).log
    power, temp = power_channel(log.series), "cpu.temp"
    if power is None or temp not in log.series:
        return None
    even = log.even(bin_s(log))
    try:
        return fit_heat(even.starts, even.columns[power], even.columns[temp])
    except DataError:
        return None


class LiveJudge(QObject):
    """`judged` gives what is known so far, `settled` comes once, when the run has been settled for a while."""

    judged = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None
        self._due = 0.0
        self._known = Known()
        self._heat: HeatFit | None = None
        self._heat_known, self._fitted_at_s = False, 0.0
        self._since: float | None = None
        self._told = False

    def begin(self, known: Known, heat: HeatFit | None) -> None:
        """A run begins."""
        self.cancel()
        self._known, self._heat, self._heat_known = known, heat, heat is not None
        self._since, self._told, self._due, self._fitted_at_s = None, False, 0.0, 0.0

    def look(self, live: LiveRun) -> None:
        """Judge in the background, if it is time to."""
        if self._job is not None or time.monotonic() < self._due:
            return
        log, known = live.log(judged_channels(live.series)), self._known
        fit_anew = not self._heat_known and live.t_s >= FIT_AGAIN * self._fitted_at_s
        heat = self._heat
        if fit_anew:
            self._fitted_at_s = live.t_s

        def work(_: Callable[[float], bool]) -> tuple[SoFar | None, HeatFit | None, float]:
            fit = heat_so_far(log, known.shares_budget) or heat if fit_anew else heat
            begun = time.thread_time()
            return judge_so_far(log, known, fit), fit, time.thread_time() - begun

        self._job = Job(tr("Judging the run so far"), work, self)
        self._job.finished.connect(self._done)
        self._job.failed.connect(lambda _: self._done((None, heat, 1.0)))
        self._job.start()

    def cancel(self) -> None:
        """Let go of what is under way."""
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _done(self, result: tuple[SoFar | None, HeatFit | None, float]) -> None:
        found, self._heat, took = result
        self._job = None
        self._due = time.monotonic() + max(EVERY_S, took / SHARE)
        if found is None:
            return
        self.judged.emit(found)
        if not math.isfinite(found.settled_since_s):
            self._since = None
        elif self._since is None:
            self._since = found.at_s
        elif not self._told and found.at_s - self._since >= SURE_S:
            self._told = True
            self.settled.emit()
