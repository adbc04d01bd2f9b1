"""The only wiring: joins a source, the recorder and the book. Used by cli and ui."""

import shutil
import sys
import tempfile
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import platformdirs

from pinch.bench import runlogs
from pinch.bench.book import Book, BookError, open_book
from pinch.bench.records import Device, ExitStatus, Form, Run, Setting, Workload, checked, now
from pinch.core.errors import DataError, PinchError
from pinch.core.figures import Note
from pinch.core.judge import Judgement, Known, judge
from pinch.core.runlog import FloatArray, Mark, RunLog
from pinch.core.scaling import Point, Scaling, scale
from pinch.recorder.recorder import Listener, Recorder
from pinch.recorder.sources import ProbeProcess, WorkProcess
from pinch.rig import catalogue, demo

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

    def end(self, status: ExitStatus, reason: str) -> None:
        book = self._open()
        try:
            current = book.get(Run, self._run.id or 0)  # the operator may have written notes meanwhile
            runlogs.stop_run(book, current, status, reason)
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
    run = _new_run(book, request.device, request.setting, request.workload, source, request.ambient_c)
    probe, work, clean_up = _sources(request, run.id or 1)
    keeper = BookKeeper(book.path, run)
    recorder = Recorder(probe, work, keeper, request.workload.rate_channel, request.idle_s, request.load_s)
    for listener in listeners:
        recorder.listen(listener)
    recording = Recording(book.path, run, recorder, clean_up)
    recording.start()
    return recording


def _sources(request: RunRequest, seed: int) -> tuple[ProbeProcess, WorkProcess, Callable[[], None]]:
    """Where samples and rates come from, and what is to be cleaned up afterwards."""
    if not request.device.rig:
        return ProbeProcess(), WorkProcess(load_command(request.workload.one_core)), _nothing
    folder = tempfile.mkdtemp(prefix="pinch-rig-")
    work = WorkProcess(rig_command(request, seed, Path(folder)), ready_line=True)
    probe = ProbeProcess(Path(folder), time_scale=request.time_scale)
    return probe, work, partial(shutil.rmtree, folder, ignore_errors=True)


def _nothing() -> None:
    """There is nothing to clean up."""


def _new_run(
    book: Book, device: Device, setting: Setting, workload: Workload, source: str, ambient_c: float | None = None
) -> Run:
    """A run that begins now, the next repeat of its cell, kept in the book."""
    ids = (device.id or 0, setting.id or 0, workload.id or 0)
    return book.save(
        Run(
            device_id=ids[0],
            setting_id=ids[1],
            workload_id=ids[2],
            repeat=book.next_repeat(*ids),
            started=now(),
            ambient_c=ambient_c,
            source=source,
        )
    )


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
    if request.device.rig:
        catalogue.work(request.workload.name)
        catalogue.device(request.device.rig).setting(request.setting.name)


def add_rig(book: Book) -> None:
    """Put the simulated devices, their settings and workloads into a book, those that are not there yet."""
    known = {d.rig for d in book.devices()}
    for device in catalogue.DEVICES:
        if device.key not in known:
            kept = book.save(demo.device_record(device))
            for setting in device.settings:
                book.save(demo.setting_record(kept.id or 0, setting))
    named = {w.name for w in book.workloads()}
    for work in catalogue.WORK:
        if work.name not in named:
            book.save(demo.workload_record(work))


ALL_CORES = Workload(name="Built-in load, all cores", score_unit="units/s")
ONE_CORE = Workload(name="Built-in load, one core", score_unit="units/s", one_core=True)


def add_this_computer(book: Book) -> Device:
    """The computer at hand as a device of the book, with a first setting and the built-in workloads."""
    device = next((d for d in book.devices() if d.local), None)
    if device is None:
        device = book.save(Device(name="This computer", form=Form.OTHER, chip=_chip_name(), local=True))
        book.save(Setting(device_id=device.id or 0, name="Default"))
    named = {w.name for w in book.workloads()}
    for workload in (ALL_CORES, ONE_CORE):
        if workload.name not in named:
            book.save(workload)
    return device


def _chip_name() -> str:
    import psutil

    cores = psutil.cpu_count(logical=False) or psutil.cpu_count() or 0
    return f"{cores} cores, {psutil.cpu_count() or 0} threads"


def demo_book_path() -> Path:
    """The demo book in the user's cache, made on first use."""
    return Path(platformdirs.user_cache_dir("pinch")) / f"demo-{demo.VERSION}" / "cabin-test.pinch"


def make_demo(path: Path, progress: Callable[[float], bool]) -> None:
    """Write the demo book to `path`; where `progress` answers False, nothing is left behind."""
    path.parent.mkdir(parents=True, exist_ok=True)
    demo.make_demo_book(path, progress)


def known_of(device: Device, setting: Setting, workload: Workload, run: Run) -> Known:
    """What the records say about a run that its log does not."""
    return Known(device.temp_limit_c, setting.clock_ceiling_mhz, run.ambient_c, workload.frame_cap_fps)


class JudgeDesk:
    """Judges runs of one book and remembers; a run that has grown is judged anew. For one thread."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._kept: dict[int, tuple[tuple[tuple[int, int], Known], RunLog, Judgement]] = {}

    def judge(self, run: Run) -> tuple[RunLog, Judgement]:
        """The log of a run and its judgement.

        Raises
        ------
        PinchError : the log is damaged, empty, or cannot be judged.
        """
        number, state = run.id or 0, self._state(run)
        if number not in self._kept or self._kept[number][0] != state:
            log = runlogs.read_log(self._book, number)
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
class ScaleResult:
    """Score against watts of one device and workload; `scaling` is None where the points do not make a curve, then
    `reason` says why."""

    device: Device
    workload: Workload
    points: tuple[ScalePoint, ...]
    left_out: tuple[Note, ...]
    scaling: Scaling | None
    reason: str


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
    for number, run in enumerate(runs):
        if not progress(number / max(1, len(runs))):
            break
        name = f"{settings[run.setting_id].name}, run {run.repeat}"
        reason = _why_not(run)
        if not reason:
            try:
                points.append(_point(desk, run, settings[run.setting_id]))
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
        return ScaleResult(device, workload, tuple(points), tuple(left_out), None, error.reason)
    return ScaleResult(device, workload, tuple(points), tuple(left_out), fitted, "")


def _why_not(run: Run) -> str:
    if run.void:
        return f"void: {run.void}"
    return "still recording, or cut off." if run.cut_off else ""


def _point(desk: JudgeDesk, run: Run, setting: Setting) -> ScalePoint:
    _, judged = desk.judge(run)
    if judged.power is None:
        raise PinchError("no package power was logged.")
    if judged.rate is None or not judged.figures[judged.rate].sustained.known:
        raise PinchError("no rate of work was logged.")
    power, rate = judged.figures[judged.power].sustained, judged.figures[judged.rate].sustained
    return ScalePoint(run, setting, power.value, power.u, rate.value, judged.settled.state)


def scale_from_file(
    path: Path, device: Device, workload: Workload, ambient_c: float | None, progress: Callable[[float], bool]
) -> ScaleResult:
    """`scale_cell` with a connection of its own, for a thread of its own."""
    book = open_book(path)
    try:
        return scale_cell(JudgeDesk(book), book, device, workload, ambient_c, progress)
    finally:
        book.close()


def find_or_add(
    book: Book, device: str, setting: str, claimed_w: float | None, workload: str, rate: str
) -> tuple[Device, Setting, Workload]:
    """The records of these names, new ones where the book has none.

    Raises
    ------
    PinchError : a name or the claimed watts make no sense; then nothing is added.
    """
    wanted = (
        checked(Device, "The device", name=device),
        checked(Workload, "The workload", name=workload, rate_channel=rate),
    )
    checked(Setting, "The setting", device_id=0, name=setting, sustained_w=claimed_w)
    its_device = next((d for d in book.devices() if d.name == wanted[0].name), None) or book.save(wanted[0])
    fields = {"device_id": its_device.id, "name": setting, "sustained_w": claimed_w}
    new: Setting = checked(Setting, "The setting", **fields)
    its_setting = next((s for s in book.settings(its_device.id or 0) if s.name == new.name), None) or book.save(new)
    its_workload = next((w for w in book.workloads() if w.name == wanted[1].name), None) or book.save(wanted[1])
    return its_device, its_setting, its_workload


def import_log(book: Book, log: RunLog, device: Device, setting: Setting, workload: Workload, source: str) -> Run:
    """Add a log as a run: all of it, or nothing."""
    run = _new_run(book, device, setting, workload, source)
    try:
        return runlogs.add_log(book, run, log)
    except BookError:
        with book.change() as connection:
            connection.execute("DELETE FROM run WHERE id = ?", (run.id,))
        raise
