"""Judging and scaling the runs of a book."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book, open_book
from pinch.bench.records import Device, Run, Setting, Workload, scores_of
from pinch.bench.summaries import Summary
from pinch.core.errors import DataError, PinchError
from pinch.core.figures import Note
from pinch.core.frames import FRAME_RATE, with_frame_rate
from pinch.core.judge import Judgement, Known, judge
from pinch.core.runlog import RunLog
from pinch.core.scaling import Point, Scaling, scale


def known_of(device: Device, setting: Setting, workload: Workload, run: Run) -> Known:
    """What the records say about a run that its log does not."""
    first = run.repeat == 1 and not workload.warm_up_pass and workload.rate_channel == FRAME_RATE
    window = (run.window.start_s, run.window.end_s) if run.window else None
    return Known(device.temp_limit_c, setting.clock_ceiling_mhz, run.ambient_c, workload.frame_cap_fps, first, window)


class JudgeDesk:
    """Judges runs of one book and remembers; a run that has grown is judged anew. For one thread."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._kept: dict[int, tuple[tuple[tuple[int, int], Known], RunLog, Judgement]] = {}

    def judge(self, run: Run) -> tuple[RunLog, Judgement]:
        """The log of a run and its judgement; one without a log has none.

        Raises
        ------
        PinchError : the log is damaged, empty, or cannot be judged.
        """
        if run.summary is not None:
            raise PinchError(f"Run {run.repeat} is a score without a log, so there is nothing to judge.")
        number, state = run.id or 0, self._state(run)
        if number not in self._kept or self._kept[number][0] != state:
            log = with_frame_rate(runlogs.read_log(self._book, number))
            try:
                self._kept[number] = state, log, judge(log, state[1])
            except DataError as error:
                raise DataError(f"{self._book.path.name}, run {number}", error.reason) from None
        return self._kept[number][1:]

    def knows(self, run: Run) -> bool:
        """Whether the judgement of a run as it is now is there already."""
        kept = self._kept.get(run.id or 0)
        return kept is not None and kept[0] == self._state(run)

    def take_over(self, other: "JudgeDesk") -> None:
        """Take over what another desk on the same book has judged."""
        self._kept.update(other._kept)

    def _state(self, run: Run) -> tuple[tuple[int, int], Known]:
        """What a judgement depends on: how far the log has grown, and what the records say."""
        device = self._book.get(Device, run.device_id)
        setting = self._book.get(Setting, run.setting_id)
        workload = self._book.get(Workload, run.workload_id)
        return runlogs.log_size(self._book, run.id or 0), known_of(device, setting, workload, run)


def judge_from_file(path: Path, run: Run) -> JudgeDesk:
    """A desk that has judged one run, with a connection of its own, for a thread of its own."""
    book = open_book(path)
    try:
        desk = JudgeDesk(book)
        desk.judge(run)
        return desk
    finally:
        book.close()


@dataclass(frozen=True)
class ScalePoint:
    """A run as a point: the run, its setting, measured settled power W with its uncertainty, and its score."""

    run: Run
    setting: Setting
    power_w: float
    power_u: float
    score: float
    state: str


@dataclass(frozen=True)
class ToldScore:
    """A score without a log: its run, its setting, and what is told of it. It stands beside the curve, never in it."""

    run: Run
    setting: Setting
    summary: Summary


@dataclass(frozen=True)
class ScaleResult:
    """Score against watts of one device and workload; `scaling` is None where the points do not make a curve, then
    `reason` says why."""

    device: Device
    workload: Workload
    points: tuple[ScalePoint, ...]
    left_out: tuple[Note, ...]
    scaling: Scaling | None
    reason: str
    told: tuple[ToldScore, ...] = ()


def scale_cell(
    desk: JudgeDesk,
    book: Book,
    device: Device,
    workload: Workload,
    ambient_c: float | None = None,
    progress: Callable[[float], bool] = lambda share: True,
) -> ScaleResult:
    """All settings of one device under one workload, at one room temperature (None: all).

    `progress` hears shares from 0 to 1; where it answers False the work stops with what there is.
    """
    settings = {s.id: s for s in book.settings(device.id or 0)}
    runs = [r for r in book.runs(device.id, workload.id) if ambient_c is None or r.ambient_c == ambient_c]
    points: list[ScalePoint] = []
    left_out: list[Note] = []
    told = tuple(
        ToldScore(run, settings[run.setting_id], run.summary)
        for run in book.runs(device.id, workload.id)
        if run.summary is not None and not run.void
    )
    runs = [run for run in runs if run.summary is None or run.void]
    for number, run in enumerate(runs):
        if not progress(number / max(1, len(runs))):
            break
        name = f"{settings[run.setting_id].name}, run {run.repeat}"
        reason = _why_not(run)
        if not reason:
            try:
                points.append(_point(desk, run, settings[run.setting_id], workload))
            except PinchError as error:
                reason = str(error)
            else:
                if points[-1].state == "too-short":
                    points.pop()
                    reason = "too short to settle."
        if reason:
            left_out.append(Note("left-out", f"{name}: {reason}"))
    try:
        fitted = scale([Point(p.setting.name, p.power_w, p.score) for p in points])
    except DataError as error:
        return ScaleResult(device, workload, tuple(points), tuple(left_out), None, error.reason, told)
    return ScaleResult(device, workload, tuple(points), tuple(left_out), fitted, "", told)


def _why_not(run: Run) -> str:
    if run.void:
        return f"void: {run.void}"
    return "still recording, or cut off." if run.cut_off else ""


def _point(desk: JudgeDesk, run: Run, setting: Setting, workload: Workload) -> ScalePoint:
    _, judged = desk.judge(run)
    if judged.power is None:
        raise PinchError("no package power was logged.")
    power, score = judged.figures[judged.power].sustained, _score(run, judged, workload)
    return ScalePoint(run, setting, power.value, power.u, score, judged.settled.state)


def _score(run: Run, judged: Judgement, workload: Workload) -> float:
    """The sustained rate of work, else the mean score of the passes."""
    if judged.rate is not None and judged.figures[judged.rate].sustained.known:
        return judged.figures[judged.rate].sustained.value
    scores = scores_of(run)
    if not scores:
        raise PinchError("no rate of work and no score was logged.")
    if not workload.higher_is_better:
        raise PinchError("its score is better when it is lower, which has no curve over watts yet.")
    return sum(scores) / len(scores)


def scale_from_file(
    path: Path, device: Device, workload: Workload, ambient_c: float | None, progress: Callable[[float], bool]
) -> ScaleResult:
    """`scale_cell` with a connection of its own, for a thread of its own."""
    book = open_book(path)
    try:
        return scale_cell(JudgeDesk(book), book, device, workload, ambient_c, progress)
    finally:
        book.close()
