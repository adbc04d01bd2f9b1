"""Recording: a source, the recorder and the book joined."""

import contextlib
import math
import threading
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.new_runs import new_run
from pinch.bench.parts import Build
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, ExitStatus, Pass, Run, Runner, Workload, now
from pinch.core.errors import DataError, PinchError
from pinch.core.judge import judge
from pinch.core.runlog import Mark
from pinch.language import tr
from pinch.recorder.alarms import Alarm
from pinch.recorder.course import Course
from pinch.recorder.recorder import Listener, Recorder
from pinch.rig import catalogue
from pinch.runs.consent import check_consent, wishes_of_run
from pinch.runs.patient_keeper import PatientKeeper
from pinch.runs.sourcing import RunRequest, command_line, meters_of, sources_of
from pinch.sources.load_kit import KIT
from pinch.sources.profiles import read_with

LEAST_CUT_S = 10.0
FASTEST = 60.0
"""Most simulated seconds per real second."""


class Recording:
    """A recording in its own thread, with its own connection to the book."""

    def __init__(
        self, keeper: PatientKeeper, run: Run, course: Course, recorder: Recorder, clean_up: Callable[[], None]
    ) -> None:
        self.run, self.course = run, course
        self._keeper, self._recorder = keeper, recorder
        self._clean_up = clean_up
        self._thread = threading.Thread(target=self._work, name="recorder")
        self.status: ExitStatus | None = None

    @property
    def book_path(self) -> Path:
        """The book that it is kept in: another one than at first where that was deleted or replaced."""
        return self._keeper.path

    @property
    def reason(self) -> str:
        """Why it failed, once it has ended so."""
        return self._recorder.reason

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def mark(self, text: str) -> None:
        """Mark the present moment."""
        self._recorder.mark(text)

    def stop(self) -> None:
        """Ask it to end; what was recorded is kept."""
        self._recorder.stop()

    def finish(self) -> None:
        """The work is over, as the operator says."""
        self._recorder.finish()

    def heed(self, channel: str, value: float) -> None:
        """A value read by hand, which may ring an alarm."""
        self._recorder.heed(channel, value)

    def wait(self, timeout_s: float | None = None) -> bool:
        """Wait for the end; False where it has not come."""
        self._thread.join(timeout_s)
        return not self._thread.is_alive()

    def _work(self) -> None:
        try:
            self.status = self._recorder.run()
        finally:
            self._clean_up()


def begin_recording(book: Book, request: RunRequest, listeners: Iterable[Listener] = ()) -> Recording:
    """Add the run to the book and start recording it.

    Raises
    ------
    ConsentError : the book wants a command or an address that nobody has agreed to on this computer.
    PinchError : the request makes no sense, or the book cannot be written.
    """
    _check(request)
    meters = meters_of(book, request.device)
    check_consent(book.path, wishes_of_run(request, meters))
    run, from_s = _new_run(book, request, meters) if request.continues is None else _take_up(book, request.continues)
    probe, work, sides, clean_up = sources_of(request, meters, run.id)
    course = course_of(request, from_s)
    keeper = PatientKeeper(book.path, run.id)
    recorder = Recorder(
        probe,
        work,
        keeper,
        request.workload.rate_channel,
        course,
        alarms_of(request.device),
        sides,
        request.time_scale,
    )
    for listener in listeners:
        recorder.listen(listener)
    recording = Recording(keeper, run, course, recorder, clean_up)
    recording.start()
    return recording


def _new_run(book: Book, request: RunRequest, meters: Sequence[Instrument]) -> tuple[Run, float]:
    """A run that begins now, and where its time begins."""
    device = request.device
    source = (
        "rig" if device.rig else tr("another computer") if device.reach and not device.local else tr("this computer")
    )
    of_kit = KIT[request.workload.load] if request.workload.runner is Runner.LOAD and not device.rig else None
    kit = (
        (Build(what=tr("built-in load, {load}", load=request.workload.load), version=of_kit.version),) if of_kit else ()
    )
    run = new_run(
        *(book, device, request.setting, request.workload, source),
        *(request.ambient_c, request.notes, request.protocol_id, kit),
    )
    told = {"before": request.before, "in_spite_of": request.in_spite_of, "meters": read_with(meters)}
    return book.save(run.model_copy(update=told)), 0.0


def _take_up(book: Book, run: Run) -> tuple[Run, float]:
    """A cut run and the time at which it goes on: what was cut becomes its first pass."""
    run = book.get(Run, run.id)
    if not run.cut_off or run.void:
        raise PinchError(tr("Only a run without a stop can be continued."))
    log = runlogs.read_log(book, run.id)
    if not log.samples:
        raise PinchError(tr("Nothing of this run was kept, so there is nothing to continue; make it void."))
    start, end = log.span_s
    with contextlib.suppress(DataError):  # too little came to tell: then the pass is all of it
        start = max(start, judge(log).load_start_s)
    from_s = max(end + LEAST_CUT_S, (now() - run.started).total_seconds())
    runlogs.add_mark(book, run.id, Mark(from_s, tr("goes on after a cut of {from_s:.0f} s", from_s=from_s - end)))
    cut = Pass(start_s=start, end_s=end)
    return book.save(run.model_copy(update={"passes": (*run.passes, cut)})), from_s


def course_of(request: RunRequest, from_s: float = 0.0) -> Course:
    """The course of a run; work that ends by itself has endless passes."""
    workload = request.workload
    if ends_by_itself(request.device, workload):
        return Course(request.idle_s, math.inf, warm_up_pass=workload.warm_up_pass, from_s=from_s)
    return Course(request.idle_s, request.load_s, workload.all_passes, workload.pause_s, workload.warm_up_pass, from_s)


def ends_by_itself(device: Device, workload: Workload) -> bool:
    """Whether a run ends with its work, a command or the operator's, instead of after a length."""
    return device.rig is None and workload.runner is not Runner.LOAD


def alarms_of(device: Device) -> list[Alarm]:
    """The bounds of a device that end the load."""
    bounds = (
        ("cpu.temp", device.alarm_temp_c, True),
        ("skin.*", device.alarm_surface_c, True),
        ("battery.temp", device.alarm_battery_c, True),
        ("battery.charge", device.alarm_charge, False),
    )
    return [Alarm(channel, limit, above) for channel, limit, above in bounds if limit is not None]


def _check(request: RunRequest) -> None:
    if not 1 <= request.load_s <= 86400:
        raise PinchError(tr("The length of a run is between 1 s and 24 h, not {load_s:g} s.", load_s=request.load_s))
    if not 0.1 <= request.interval_s <= 60:
        raise PinchError(
            tr(
                "Samples are taken every 0.1 s to every minute, not every {interval_s:g} s.",
                interval_s=request.interval_s,
            )
        )
    if request.device.reach and not request.device.local and request.workload.runner is Runner.LOAD:
        raise PinchError(
            tr(
                "The built-in load runs on this computer only. On another one, start work by hand, or "
                "give a command that reaches it."
            )
        )
    if not 0 <= request.idle_s <= 3600:
        raise PinchError(
            tr("The idle time before the load is between 0 s and 1 h, not {idle_s:g} s.", idle_s=request.idle_s)
        )
    if not request.device.rig and request.time_scale != 1.0:
        raise PinchError(tr("Only a simulated device can run faster than time."))
    if not 0 < request.time_scale <= FASTEST:
        raise PinchError(
            tr(
                "The rig runs up to {fastest:g} times as fast as time, not {time_scale:g}.",
                fastest=FASTEST,
                time_scale=request.time_scale,
            )
        )
    if request.device.rig is None and request.workload.runner is Runner.COMMAND:
        command_line(request.workload)
    if request.device.rig:
        catalogue.work(request.workload.name)
        catalogue.device(request.device.rig).setting(request.setting.name)
