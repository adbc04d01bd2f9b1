"""Judging the runs of a book."""

from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.core.errors import DataError, PinchError
from pinch.core.frames import FRAME_RATE, with_frame_rate
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.power_parts import with_parts
from pinch.core.runlog import RunLog
from pinch.core.sensor_classes import SensorClasses
from pinch.language import tr


def known_of(device: Device, setting: Setting, workload: Workload, run: Run) -> Known:
    """What the records say about a run that its log does not."""
    first = run.repeat == 1 and not workload.warm_up_pass and workload.rate_channel == FRAME_RATE
    window = (run.window.start_s, run.window.end_s) if run.window else None
    return Known(
        device.temp_limit_c,
        setting.clock_ceiling_mhz,
        run.ambient_c,
        workload.frame_cap_fps,
        first,
        window,
        workload.extent,
        tuple((p.start_s, p.end_s) for p in run.passes if not p.warm_up),
        waits=workload.all_passes > 1 or workload.pause_s > 0.0,
        shares_budget=device.graphics.shared,
        graphics_ceiling_mhz=setting.graphics_ceiling_mhz,
        sensors=_classes_of(device, run),
    )


def _classes_of(device: Device, run: Run) -> SensorClasses:
    """How far the sensors of a device may be off, as somebody noted, else as usual; and what meters state."""
    own, usual = device.sensors, SensorClasses()
    return SensorClasses(
        power=own.power_percent / 100.0 if own.power_percent is not None else usual.power,
        temp_k=own.temp_k if own.temp_k is not None else usual.temp_k,
        meters=tuple((m.name, m.channel, m.accuracy) for m in run.meters),
    )


class JudgeDesk:
    """Judges runs of one book, maybe in `brief`, and remembers; a run that has grown is judged anew. For one thread."""

    def __init__(self, book: Book, brief: bool = False) -> None:
        self._book = book
        self._brief = brief
        self._kept: dict[int, tuple[tuple[tuple[int, int], Known], RunLog, Judgement]] = {}

    def judge(self, run: Run) -> tuple[RunLog, Judgement]:
        """The log of a run and its judgement; one without a log has none.

        Raises
        ------
        PinchError : the log is damaged, empty, or cannot be judged.
        """
        if run.summary is not None:
            raise PinchError(
                tr("Run {repeat} is a score without a log, so there is nothing to judge.", repeat=run.repeat)
            )
        number, state = run.id, self._state(run)
        if number not in self._kept or self._kept[number][0] != state:
            try:
                log = with_frame_rate(runlogs.read_log(self._book, number))
                self._kept[number] = (
                    state,
                    with_parts(log, state[1].shares_budget).log,
                    judge(log, state[1], brief=self._brief),
                )
            except DataError as error:
                raise DataError(
                    tr("{path}, run {number}", path=self._book.path.name, number=number), error.reason
                ) from None
        return self._kept[number][1:]

    def knows(self, run: Run) -> bool:
        """Whether the judgement of a run as it is now is there already."""
        kept = self._kept.get(run.id)
        return kept is not None and kept[0] == self._state(run)

    def take_over(self, other: "JudgeDesk") -> None:
        """Take over what another desk on the same book has judged."""
        self._kept.update(other._kept)

    def _state(self, run: Run) -> tuple[tuple[int, int], Known]:
        """What a judgement depends on: how far the log has grown, and what the records say."""
        device = self._book.get(Device, run.device_id)
        setting = self._book.get(Setting, run.setting_id)
        workload = self._book.get(Workload, run.workload_id)
        return runlogs.log_size(self._book, run.id), known_of(device, setting, workload, run)


def judge_from_file(path: Path, run: Run) -> JudgeDesk:
    """A desk that has judged one run, with a connection of its own, for a thread of its own."""
    book = open_book(path)
    try:
        desk = JudgeDesk(book)
        desk.judge(run)
        return desk
    finally:
        book.close()
