"""Recording: a source, the recorder and the book joined."""

import math
import shlex
import shutil
import sys
import tempfile
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.book import Book, open_book
from pinch.bench.records import Device, ExitStatus, Pass, Run, Runner, ScoreFrom, Setting, Workload
from pinch.compose.devices import new_run
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray, Mark
from pinch.recorder.recorder import Alarm, Listener, Recorder
from pinch.recorder.sources import CommandProcess, HandWork, ProbeProcess, WorkProcess, WorkSource
from pinch.rig import catalogue

IDLE_S = 15.0
FASTEST = 60.0
"""Most simulated seconds per real second."""


@dataclass(frozen=True)
class RunRequest:
    """What is to be recorded: saved records, lengths in s, room temperature in °C, and the pace of the rig's clock."""

    device: Device
    setting: Setting
    workload: Workload
    load_s: float
    idle_s: float = IDLE_S
    ambient_c: float | None = None
    time_scale: float = 1.0
    notes: str = ""


class Recording:
    """A recording in its own thread, with its own connection to the book."""

    def __init__(self, book_path: Path, run: Run, recorder: Recorder, clean_up: Callable[[], None]) -> None:
        self.book_path, self.run = book_path, run
        self._recorder = recorder
        self._clean_up = clean_up
        self._thread = threading.Thread(target=self._work, name="recorder")
        self.status: ExitStatus | None = None

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

    def wait(self, timeout_s: float | None = None) -> bool:
        """Wait for the end; False where it has not come."""
        self._thread.join(timeout_s)
        return not self._thread.is_alive()

    def _work(self) -> None:
        try:
            self.status = self._recorder.run()
        finally:
            self._clean_up()


class BookKeeper:
    """Keeps a run in a book. It opens its own connection at the first use, in the recorder's thread."""

    def __init__(self, path: Path, run: Run) -> None:
        self._path, self._run = path, run
        self._book: Book | None = None

    def begin(self, channels: Sequence[str]) -> int:
        return runlogs.add_stream(self._open(), self._run.id or 0, channels)

    def keep(self, stream: int, t: FloatArray, columns: list[FloatArray]) -> None:
        runlogs.append(self._open(), stream, t, columns)

    def mark(self, mark: Mark) -> None:
        runlogs.add_mark(self._open(), self._run.id or 0, mark)

    def end(self, status: ExitStatus, reason: str, passes: tuple[Pass, ...]) -> None:
        book = self._open()
        try:
            current = book.get(Run, self._run.id or 0)  # the operator may have written notes meanwhile
            runlogs.stop_run(book, current, status, reason, passes)
        finally:
            book.close()
            self._book = None

    def _open(self) -> Book:
        if self._book is None:
            self._book = open_book(self._path)
        return self._book


def begin_recording(book: Book, request: RunRequest, listeners: Iterable[Listener] = ()) -> Recording:
    """Add the run to the book and start recording it.

    Raises
    ------
    PinchError : the request makes no sense, or the book cannot be written.
    """
    _check(request)
    source = "rig" if request.device.rig else "this computer"
    run = new_run(book, request.device, request.setting, request.workload, source, request.ambient_c, request.notes)
    probe, work, clean_up = _sources(request, run.id or 1)
    keeper = BookKeeper(book.path, run)
    workload = request.workload
    length = math.inf if ends_by_itself(request.device, workload) else request.load_s
    recorder = Recorder(
        probe,
        work,
        keeper,
        workload.rate_channel,
        request.idle_s,
        length,
        workload.warm_up_pass,
        alarms_of(request.device),
    )
    for listener in listeners:
        recorder.listen(listener)
    recording = Recording(book.path, run, recorder, clean_up)
    recording.start()
    return recording


def ends_by_itself(device: Device, workload: Workload) -> bool:
    """Whether a run ends with its work, a command or the operator's, instead of after a length."""
    return device.rig is None and workload.runner is not Runner.LOAD


def alarms_of(device: Device) -> list[Alarm]:
    """The bounds of a device that end the load."""
    alarms = [] if device.alarm_temp_c is None else [Alarm("cpu.temp", device.alarm_temp_c)]
    if device.alarm_charge is not None:
        alarms.append(Alarm("battery.charge", device.alarm_charge, above=False))
    return alarms


def _sources(request: RunRequest, seed: int) -> tuple[ProbeProcess, WorkSource, Callable[[], None]]:
    """Where samples and rates come from, and what is to be cleaned up afterwards."""
    if not request.device.rig:
        return ProbeProcess(), _work_here(request.workload), _nothing
    folder = tempfile.mkdtemp(prefix="pinch-rig-")
    work: WorkSource = WorkProcess(rig_command(request, seed, Path(folder)), ready_line=True)
    probe = ProbeProcess(Path(folder), time_scale=request.time_scale)
    return probe, work, partial(shutil.rmtree, folder, ignore_errors=True)


def _nothing() -> None:
    """There is nothing to clean up."""


def rig_command(request: RunRequest, seed: int, tree: Path) -> list[str]:
    """Command line of a simulated device."""
    options = {
        "--device": request.device.rig,
        "--setting": request.setting.name,
        "--work": request.workload.name,
        "--tree": tree,
        "--time-scale": request.time_scale,
        "--seed": seed,
        "--ambient": 22.0 if request.ambient_c is None else request.ambient_c,
    }
    return [sys.executable, "-m", "pinch.rig.serve", *(str(x) for pair in options.items() for x in pair)]


def _work_here(workload: Workload) -> WorkSource:
    """What runs a workload on this computer."""
    if workload.runner is Runner.LOAD:
        return WorkProcess(load_command(workload.one_core))
    if workload.runner is Runner.HAND:
        return HandWork()
    return CommandProcess(command_line(workload), workload.all_passes, workload.score_from is ScoreFrom.TIME)


def command_line(workload: Workload) -> list[str]:
    """Command line of the process that watches over a workload's command.

    Raises
    ------
    PinchError : the command is empty, cannot be split into words, or does not exist.
    """
    try:
        words = shlex.split(workload.command)
    except ValueError as error:
        raise PinchError(f"The command of {workload.name} cannot be read: {error}.") from None
    folder = Path(workload.folder).expanduser() if workload.folder else None
    if not words:
        raise PinchError(f"{workload.name} has no command yet; enter one on the Bench page.")
    if folder is not None and not folder.is_dir():
        raise PinchError(f"The working folder of {workload.name} does not exist: {folder}.")
    here = (folder / words[0]).resolve() if folder is not None and "/" in words[0] else None
    if shutil.which(words[0]) is None and not (here is not None and here.is_file()):
        raise PinchError(f"There is no command {words[0]!r} on this computer.")
    options = ["--passes", str(workload.all_passes), "--pause", f"{workload.pause_s:g}"]
    options += ["--timeout", f"{workload.timeout_s:g}"] if workload.timeout_s else []
    options += ["--folder", str(folder)] if folder else []
    options += [f"--pattern={workload.score_pattern}"] if workload.score_from is ScoreFrom.PATTERN else []
    return [sys.executable, "-m", "pinch.sources.command", *options, "--", *words]


def load_command(one_core: bool) -> list[str]:
    """Command line of the built-in load."""
    return [sys.executable, "-m", "pinch.sources.load", *(["--threads", "1"] if one_core else [])]


def _check(request: RunRequest) -> None:
    if not 1 <= request.load_s <= 86400:
        raise PinchError(f"The length of a run is between 1 s and 24 h, not {request.load_s:g} s.")
    if not 0 <= request.idle_s <= 3600:
        raise PinchError(f"The idle time before the load is between 0 s and 1 h, not {request.idle_s:g} s.")
    if not request.device.rig and request.time_scale != 1.0:
        raise PinchError("Only a simulated device can run faster than time.")
    if not 0 < request.time_scale <= FASTEST:
        raise PinchError(f"The rig runs up to {FASTEST:g} times as fast as time, not {request.time_scale:g}.")
    if request.device.rig is None and request.workload.runner is Runner.COMMAND:
        command_line(request.workload)
    if request.device.rig:
        catalogue.work(request.workload.name)
        catalogue.device(request.device.rig).setting(request.setting.name)
