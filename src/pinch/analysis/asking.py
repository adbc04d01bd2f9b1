"""Where the questions of a book stand by its runs: the answer so far, and the runs that are still needed."""

import math
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from pinch.analysis.curves import CurveSeries, ScaleChoice, scale_book
from pinch.analysis.points import SAME_ROOM_K, BookPoints, RunPoint, score_of
from pinch.bench.bench_questions import OF_CURVES, Asks, ReviewQuestion
from pinch.bench.records import Setting
from pinch.core.cell_scores import scatter_within
from pinch.core.crossing import pair_up
from pinch.core.errors import PinchError
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted
from pinch.core.runlog import FloatArray
from pinch.core.standing import (
    LOOKS,
    NO,
    YES,
    KnownScatter,
    Stand,
    Standing,
    best_of,
    duel,
    level,
    precision,
    widened,
)
from pinch.language import tr

Value = Callable[[RunPoint], float | None]
HOLDS_SHARE = 0.98
"""A setting holds its watts where it holds so much of them."""
LEAST_SETTINGS, MOST_OF_CURVE = 3, 40
"""A curve needs so many different watts, and is given up with so many runs of a device."""
REPEATS_OF_BEFORE = 3
"""Runs of each cell in the fixed matrix that questions are compared with."""


class RunsNeeded(Struct, frozen=True):
    """Further runs of a setting under a workload; `watts` where the setting with that limit has yet to be made, then
    `setting_id` is of one that is like it; `room_c` where it has to be made in a certain room."""

    setting_id: int
    workload_id: int
    runs: int
    watts: float | None = None
    room_c: float | None = None


class Asked(Struct, frozen=True):
    """A question with where it stands; what it needs; the runs that its answer rests on by number; how many runs of how
    many cells it had; and its cells by name."""

    question: ReviewQuestion
    standing: Standing
    needs: tuple[RunsNeeded, ...]
    run_ids: tuple[int, ...]
    cells: tuple[str, ...]

    @property
    def runs_before(self) -> int:
        """Runs that a fixed matrix of three repeats would take."""
        return REPEATS_OF_BEFORE * max(1, len(self.cells))


class BookAsked(Struct, frozen=True, dict=True):
    """The points of a book, and what is worked out once for all of its questions."""

    book: BookPoints

    @cached_property
    def settings(self) -> dict[int, Setting]:
        """Settings by number."""
        own = {s.id: s for _, s in self.book.settings}
        return own | {p.setting.id: p.setting for p in self.book.points}

    def of(self, question: ReviewQuestion) -> Asked:
        """Where a question stands."""
        if question.asks in OF_CURVES:
            return self._of_curves(question)
        makers = {
            Asks.FASTER: self._faster,
            Asks.LOCK: self._lock,
            Asks.HOLDS: self._holds,
            Asks.BATTERY: self._battery,
            Asks.BUILD: self._build,
        }
        return makers[question.asks](question)

    # What is known

    @cached_property
    def _of_work(self) -> dict[int, list[RunPoint]]:
        """The measured runs that count, by workload."""
        found: dict[int, list[RunPoint]] = {}
        for p in self.book.points:
            if not p.why_not and p.run.summary is None:
                found.setdefault(p.workload.id, []).append(p)
        return found

    def _runs(self, setting_id: int, workload_id: int, room_c: float | None = None) -> list[RunPoint]:
        """The runs of a cell that count, in the room that most were in, or in that one."""
        own = [p for p in self._of_work.get(workload_id, ()) if p.setting.id == setting_id]
        if room_c is not None:
            return [p for p in own if p.run.ambient_c is not None and abs(p.run.ambient_c - room_c) <= SAME_ROOM_K]
        usual = Counter(p.room_c for p in own).most_common(1)
        return [p for p in own if p.room_c == usual[0][0]]

    def _scatter(self, workload_id: int, value: Value) -> KnownScatter:
        """What repeated cells of a workload say of the scatter from run to run."""
        groups: dict[tuple[object, ...], list[float]] = {}
        for p in self._of_work.get(workload_id, ()):
            if v := value(p):
                groups.setdefault((p.setting.id, p.room_c, p.run.builds), []).append(v)
        pooled = scatter_within(groups.values())
        return KnownScatter(pooled.sd, float(pooled.df)) if pooled.sd > 0 else KnownScatter()

    # Of cells

    def _faster(self, q: ReviewQuestion) -> Asked:
        return self._duel(q, [self._runs(s, q.workload_id) for s in q.setting_ids], list(q.setting_ids))

    def _build(self, q: ReviewQuestion) -> Asked:
        """The runs under the builds of the newest run against those of before."""
        setting_id = q.setting_ids[0]
        own = [p for p in self._runs(setting_id, q.workload_id) if p.run.builds]
        builds = list(dict.fromkeys(p.run.builds for p in own))
        new = [p for p in own if builds and p.run.builds == builds[-1]]
        old = [p for p in own if len(builds) > 1 and p.run.builds == builds[-2]]
        return self._duel(q, [new, old], [setting_id, None])

    def _duel(self, q: ReviewQuestion, arms: Sequence[Sequence[RunPoint]], of: Sequence[int | None]) -> Asked:
        a, b = (_values(arm, _score) for arm in arms)
        standing = duel(a, b, q.delta, q.certainty, self._scatter(q.workload_id, _score))
        wanted = min(len(a), len(b)) + standing.more  # the one that is ahead waits for the other
        needs = [
            RunsNeeded(s, q.workload_id, max(0, wanted - len(x)))
            for s, x in zip(of, (a, b), strict=True)
            if s is not None and standing.is_open
        ]
        return self._asked(q, standing, needs, [p for arm in arms for p in arm])

    def _lock(self, q: ReviewQuestion) -> Asked:
        arms = [self._runs(s, q.workload_id) for s in q.setting_ids]
        values = [_values(arm, _score) for arm in arms]
        standings = best_of(values, q.delta, q.certainty, self._scatter(q.workload_id, _score))
        leads = next((n for n, s in enumerate(standings) if s.choice == 0 and not s.is_open), None)
        still = [s for s in standings if s.is_open]
        shown = max(still, key=lambda s: s.more) if still else standings[leads or 0]
        if not still and leads is not None:
            shown = Standing(Stand.ANSWERED, leads, shown.value, shown.low, shown.high, 0, 0, 0)
        fewest = min(map(len, values))
        needs = [
            RunsNeeded(s, q.workload_id, max(0, fewest + standing.more - len(x)))
            for s, x, standing in zip(q.setting_ids, values, standings, strict=True)
            if standing.is_open
        ]
        return self._asked(q, shown, needs, [p for arm in arms for p in arm])

    def _holds(self, q: ReviewQuestion) -> Asked:
        setting = self.settings[q.setting_ids[0]]
        watts = q.watts or setting.sustained_w
        if watts is None:
            return self._asked(q, _cannot(tr("Nobody says how many watts are to be held.")), [], [])
        own = self._runs(setting.id, q.workload_id, q.room_c)
        values = _values(own, _power)
        standing = level(values, HOLDS_SHARE * watts, q.certainty, self._scatter(q.workload_id, _power))
        needs = [RunsNeeded(setting.id, q.workload_id, standing.more, room_c=q.room_c)] if standing.is_open else []
        return self._asked(q, standing, needs, own)

    def _battery(self, q: ReviewQuestion) -> Asked:
        own = [p for p in self._runs(q.setting_ids[0], q.workload_id) if _minutes(p)]
        values = _values(own, _minutes)
        share = q.within / float(values.mean()) if len(values) else 0.05
        standing = precision(values, share, q.certainty, self._scatter(q.workload_id, _minutes))
        needs = [RunsNeeded(q.setting_ids[0], q.workload_id, standing.more)] if standing.is_open else []
        return self._asked(q, standing, needs, own)

    # Of curves

    def _of_curves(self, q: ReviewQuestion) -> Asked:
        choice = ScaleChoice(q.device_ids, (q.workload_id,), target=q.fps, low_share=q.low_share)
        series = [s for s in scale_book(self.book, choice).series if not s.claimed]
        runs = [p.of for s in series for p in s.points]
        lacking = [d for d in q.device_ids if not any(s.device.id == d and s.scaling is not None for s in series)]
        if lacking:
            return self._asked(q, _pilot_of_curves(), self._pilot(q, lacking, series), runs)
        value, low, high, reason, told = _of_curve(q, series)
        looks = min(LOOKS, max(1, min(len(s.points) for s in series) - LEAST_SETTINGS + 1))
        half = widened((high - low) / 2.0, looks, q.certainty)
        if told:
            return self._asked(q, Standing(Stand.ANSWERED, NO, value, low, high, 0, 0, 0, reason), [], runs)
        if half <= q.within:
            return self._asked(q, Standing(Stand.ANSWERED, YES, value, value - half, value + half, 0, 0, 0), [], runs)
        if min(len(s.points) for s in series) >= MOST_OF_CURVE:
            said = tr("{runs} have not made it exact enough.", runs=counted(len(runs), "run"))
            return self._asked(q, _cannot(f"{reason} {said}".strip()), [], runs)
        more = _more_for(half, q.within, len(runs))
        standing = Standing(Stand.OPEN, None, value, value - half, value + half, more, 1, LOOKS, reason)
        needs = [self._next_limit(s, q.workload_id, value) for s in series]
        return self._asked(q, standing, needs, runs)

    def _pilot(self, q: ReviewQuestion, devices: Sequence[int], series: Sequence[CurveSeries]) -> list[RunsNeeded]:
        """One run each of the least, the middle and the highest limit that a device lacks."""
        needs = []
        for device_id in devices:
            measured = {p.of.setting.id for s in series if s.device.id == device_id for p in s.points}
            own = sorted(
                (
                    s
                    for d, s in self.book.settings
                    if d.id == device_id and s.sustained_w and s.mains and not s.archived
                ),
                key=lambda s: s.sustained_w or 0.0,
            )
            free = [s for s in own if s.id not in measured]
            wanted = max(0, LEAST_SETTINGS - len(measured))
            chosen = np.unique(np.linspace(0, len(free) - 1, min(wanted, len(free))).astype(int)) if free else ()
            needs += [RunsNeeded(free[n].id, q.workload_id, 1) for n in chosen]
        return needs

    def _next_limit(self, series: CurveSeries, workload_id: int, near_w: float) -> RunsNeeded:
        """The limit that tells most: the next one worth measuring, else more of the one nearest to the answer."""
        assert series.scaling is not None
        wanted = series.scaling.next_w if math.isfinite(series.scaling.next_w) else near_w
        like = min((p.of.setting for p in series.points), key=lambda s: abs((s.sustained_w or 0.0) - wanted))
        new = abs((like.sustained_w or 0.0) - wanted) > 0.5
        return RunsNeeded(like.id, workload_id, 1, watts=round(wanted) if new else None)

    def _asked(
        self, q: ReviewQuestion, standing: Standing, needs: Sequence[RunsNeeded], runs: Iterable[RunPoint]
    ) -> Asked:
        own = list(runs)
        names = dict.fromkeys(f"{p.device.name}, {p.setting.name}" for p in own)
        wanted = dict.fromkeys(self.settings[n.setting_id].name for n in needs)
        return Asked(
            q, standing, tuple(n for n in needs if n.runs > 0), tuple(p.run.id for p in own), tuple(names or wanted)
        )


def _of_curve(q: ReviewQuestion, series: Sequence[CurveSeries]) -> tuple[float, float, float, str, bool]:
    """The watts that are asked for with their interval; where there are none, why, and whether that is an answer."""
    first = series[0].scaling
    assert first is not None
    if q.asks is Asks.SWEET_SPOT:
        spot = first.spots[q.rule]
        return spot.power_w, spot.low_w, spot.high_w, "", False
    if q.asks is Asks.LEAST_WATTS:
        target = first.target
        if target is None or not math.isfinite(target.power_w):
            return math.nan, math.nan, math.nan, target.words if target is not None else "", target is not None
        return target.power_w, target.low_w, target.high_w, "", False
    second = series[1].scaling
    assert second is not None
    pairing = pair_up(series[0].name, first.ladder, series[1].name, second.ladder)
    if not pairing.crossings:
        clear = bool(pairing.stretches) and all(stretch.ahead != "?" for stretch in pairing.stretches)
        words = pairing.words or tr("They do not trade places where both were measured.")
        return math.nan, math.nan, math.nan, words, clear
    at = pairing.crossings[0]
    return at.power_w, at.low_w, at.high_w, "", False


def _more_for(half: float, within: float, runs: int) -> int:
    """Further runs of each device until a half width is small enough, were it to go with the root of the runs."""
    if not math.isfinite(half):
        return 2
    return int(min(LOOKS, max(1, math.ceil(runs * ((half / within) ** 2 - 1.0) / 2.0))))


def _pilot_of_curves() -> Standing:
    return Standing(Stand.OPEN, None, math.nan, math.nan, math.nan, LEAST_SETTINGS, 1, LOOKS)


def _cannot(reason: str) -> Standing:
    return Standing(Stand.CANNOT, None, math.nan, math.nan, math.nan, 0, 0, 0, reason)


def _score(p: RunPoint) -> float | None:
    return score_of(p, AVERAGE)


def _power(p: RunPoint) -> float | None:
    return p.digest.power_w


def _minutes(p: RunPoint) -> float | None:
    hours = p.digest.rundown.runtime_h if p.digest.rundown is not None else None
    return 60.0 * hours if hours else None


def _values(points: Iterable[RunPoint], value: Value) -> FloatArray:
    return np.array([v for p in points if (v := value(p))], dtype=float)


def questions_asked(book: BookPoints, questions: Iterable[ReviewQuestion]) -> list[Asked]:
    """Where questions stand, in their order; one whose records are gone cannot be answered."""
    known, found = BookAsked(book), []
    for question in questions:
        try:
            found.append(known.of(question))
        except (KeyError, PinchError) as error:
            reason = (
                str(error) if isinstance(error, PinchError) else tr("What it asks about is not in the book any more.")
            )
            found.append(Asked(question, _cannot(reason), (), (), ()))
    return found
