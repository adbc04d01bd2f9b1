"""What a run takes its numbers from: the probe, what runs the work, meters and frames beside them."""

import shutil
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, LoadKind, Run, Runner, ScoreFrom, Setting, Workload, live
from pinch.bench.scratch import make_scratch_folder
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_RATE
from pinch.core.printing import listed
from pinch.language import tr
from pinch.recorder.lines import command_words
from pinch.recorder.processes import CommandProcess, HandWork, ProbeProcess, SampleSource, WorkProcess, WorkSource
from pinch.recorder.remote import RemoteProbe
from pinch.recorder.side import FrameSource, MeterSource, SideSource
from pinch.rig import serve
from pinch.runs.line_programs import source_of
from pinch.sources.meter import Meter
from pinch.sources.profiles import profile

IDLE_S = 15.0
OFTEN_S = 0.05
"""No meter is asked more often than this, however fast the rig runs."""
SCENE_FRAMES = "frames.csv"
RIG_ADDRESS = "rig"
"""Address of an instrument that stands for the mains meter of the simulated devices."""


class RunRequest(Struct, frozen=True):
    """What is to be recorded: saved records, lengths in s (that of the load is one pass), room temperature in °C, and
    the pace of the rig's clock; what was checked before, the warnings that it is started in spite of, the cut run that
    it goes on with, and the protocol of the plan that wants it, if any."""

    device: Device
    setting: Setting
    workload: Workload
    load_s: float
    idle_s: float = IDLE_S
    ambient_c: float | None = None
    time_scale: float = 1.0
    notes: str = ""
    interval_s: float = 1.0
    before: tuple[str, ...] = ()
    in_spite_of: tuple[str, ...] = ()
    continues: Run | None = None
    protocol_id: int | None = None


def meters_of(book: Book, device: Device) -> list[Instrument]:
    """The instruments that Pinch reads while a device is recorded: those with a profile, the rig's for its devices.

    Raises
    ------
    PinchError : two of them measure the same.
    """
    found = [
        i for i in live(book.instruments()) if i.profile and (i.address == RIG_ADDRESS) == (device.rig is not None)
    ]
    channels = [i.channel for i in found]
    for twice in (c for c in channels if channels.count(c) > 1):
        names = listed([i.name for i in found if i.channel == twice])
        raise PinchError(
            tr("{names} both measure {twice}; archive one of them on the Bench page.", names=names, twice=twice)
        )
    return found


def sources_of(
    request: RunRequest, meters: list[Instrument], seed: int
) -> tuple[SampleSource, WorkSource, list[SideSource], Callable[[], None]]:
    """Where samples and rates come from, what is beside them, and what is to be cleaned up afterwards."""
    device, workload = request.device, request.workload
    if not device.rig:
        sides: list[SideSource] = [_meter(i, partial(meter_at, i)) for i in meters]
        sides += map(source_of, device.programs)
        if workload.frame_log:
            sides.append(FrameSource(workload.frame_log, workload.frame_column))
        clean_up: Callable[[], None] = _nothing
        frames = None
        if workload.runner is Runner.LOAD and workload.load is LoadKind.SCENE:
            place = make_scratch_folder()
            frames, clean_up = place / SCENE_FRAMES, partial(shutil.rmtree, place, ignore_errors=True)
            sides.append(FrameSource(str(frames), ""))
        probe = (
            RemoteProbe(device.reach, request.interval_s) if device.reach else ProbeProcess(None, request.interval_s)
        )
        return probe, work_here(workload, frames), sides, clean_up
    folder = make_scratch_folder()
    sides = [_meter(i, partial(_rig_meter, i, folder), request.time_scale) for i in meters]
    sides += map(source_of, device.programs)
    if workload.rate_channel == FRAME_RATE:
        sides.append(FrameSource(str(folder / serve.FRAMES), "", request.time_scale))
    work: WorkSource = WorkProcess(rig_command(request, seed, folder), ready_line=True)
    rig_probe = ProbeProcess(folder, request.interval_s, request.time_scale)
    return rig_probe, work, sides, partial(shutil.rmtree, folder, ignore_errors=True)


def _meter(instrument: Instrument, find: Callable[[], Meter], pace: float = 1.0) -> MeterSource:
    return MeterSource(instrument.name, instrument.channel, find, max(OFTEN_S, instrument.every_s / pace))


def meter_at(instrument: Instrument) -> Meter:
    """The meter of an instrument.

    Raises
    ------
    PinchError : its profile is not known, or it has no address.
    """
    if not instrument.address:
        raise PinchError(tr("{instrument} has no address yet; enter it on the Bench page.", instrument=instrument.name))
    return Meter(profile(instrument.profile), instrument.address)


def _rig_meter(instrument: Instrument, folder: Path) -> Meter:
    try:
        port = (folder / serve.METER_PORT).read_text(encoding="ascii").strip()
    except OSError:
        raise PinchError(tr("the rig is not there")) from None
    return Meter(profile(instrument.profile), f"TCPIP::127.0.0.1::{port}::SOCKET")


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


def work_here(workload: Workload, frames: Path | None = None) -> WorkSource:
    """What runs a workload on this computer; a scene writes its frames to a file."""
    if workload.runner is Runner.LOAD:
        return WorkProcess(load_command(workload, frames))
    if workload.runner is Runner.HAND:
        return HandWork()
    return CommandProcess(command_line(workload), workload.all_passes, workload.score_from is ScoreFrom.TIME)


def command_line(workload: Workload) -> list[str]:
    """Command line of the process that watches over a workload's command.

    Raises
    ------
    PinchError : the command is empty, cannot be split into words, or does not exist.
    """
    words = command_words(workload.command, tr("of {workload}", workload=workload.name))
    folder = Path(workload.folder).expanduser() if workload.folder else None
    if not words:
        raise PinchError(tr("{workload} has no command yet; enter one on the Bench page.", workload=workload.name))
    if folder is not None and not folder.is_dir():
        raise PinchError(
            tr("The working folder of {workload} does not exist: {folder}.", workload=workload.name, folder=folder)
        )
    here = (folder / words[0]).resolve() if folder is not None and "/" in words[0] else None
    if shutil.which(words[0]) is None and not (here is not None and here.is_file()):
        raise PinchError(tr("There is no command {words!r} on this computer.", words=words[0]))
    options = ["--passes", str(workload.all_passes), "--pause", f"{workload.pause_s:g}"]
    options += ["--timeout", f"{workload.timeout_s:g}"] if workload.timeout_s else []
    options += ["--folder", str(folder)] if folder else []
    options += [f"--pattern={workload.score_pattern}"] if workload.score_from is ScoreFrom.PATTERN else []
    return [sys.executable, "-m", "pinch.sources.command", *options, "--", *words]


def load_command(workload: Workload, frames: Path | None = None) -> list[str]:
    """Command line of the built-in load; of a scene with the file that its frames go to."""
    options = ["--kind", str(workload.load), *(["--threads", "1"] if workload.one_core else [])]
    options += [*(["--graphics"] if workload.graphics else []), *(["--frames", str(frames)] if frames else [])]
    return [sys.executable, "-m", "pinch.sources.load", *options]
