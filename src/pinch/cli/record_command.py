"""`pinch record --book FILE`: record this computer, or a device of the rig, into a book."""

import argparse
import signal
import sys
from pathlib import Path

from pinch.analysis.judging import JudgeDesk
from pinch.bench.book import Book
from pinch.bench.opening import open_book
from pinch.bench.parts import LineProgram
from pinch.bench.readings import UNITS, Instrument, Quantity
from pinch.bench.records import (
    Device,
    ExitStatus,
    Run,
    Runner,
    ScoreFrom,
    Setting,
    WorkKind,
    Workload,
    checked,
    free_name,
    scores_of,
)
from pinch.cli.books import named, open_or_create
from pinch.core.channels import SUSTAINED_POWER
from pinch.core.errors import PinchError
from pinch.core.printing import plain
from pinch.narrative.finding import finding
from pinch.recorder.recorder import News
from pinch.runs.consent import ConsentError, agree, refused, wishes_of_run
from pinch.runs.devices import ALL_CORES, add_rig, add_this_computer
from pinch.runs.line_programs import source_of
from pinch.runs.recording import Recording, begin_recording
from pinch.runs.sourcing import IDLE_S, RunRequest, command_line, meters_of
from pinch.sources.profiles import profile

EVERY_S = 10.0


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True, help="the book; it is made where there is none")
    parser.add_argument("--device", help="a device of the book or of the rig (this computer)")
    parser.add_argument("--setting", default="Default", help="its setting; a new name makes one on this computer")
    parser.add_argument("--watts", type=float, help="claimed sustained watts of a new setting")
    parser.add_argument("--workload", default=ALL_CORES.name, help="what is run")
    parser.add_argument("--command", metavar="WORDS", help="run this command, without a shell, as a timed task instead")
    parser.add_argument("--length", type=float, default=300.0, metavar="S", help="seconds of load of a pass (300)")
    parser.add_argument("--idle", type=float, default=IDLE_S, metavar="S", help="seconds of rest before (15)")
    parser.add_argument("--ambient", type=float, metavar="C", help="room temperature, °C")
    parser.add_argument("--passes", type=int, metavar="N", help="passes, unattended (those of the workload)")
    parser.add_argument("--pause", type=float, metavar="S", help="seconds of waiting between passes")
    parser.add_argument("--interval", type=float, default=1.0, metavar="S", help="seconds between samples (1)")
    parser.add_argument("--meter", action="append", default=[], metavar="PROFILE@ADDRESS", help="a meter to read along")
    lines_help = "read along a program that prints lines: CSV, name=value or JSON; may stand several times"
    parser.add_argument("--lines", action="append", default=[], metavar="COMMAND", help=lines_help)
    parser.add_argument("--meant", default="", metavar="NAMES", help="what its names are: 'pwr = gpu.power*0.001; …'")
    parser.add_argument("--frames", metavar="FILE", help="follow this frame log; the newest where it holds *")
    parser.add_argument("--reach", metavar="COMMAND", help="reach the device: 'ssh HOST python3 -'")
    parser.add_argument(
        "--agree", action="store_true", help="agree to the commands and addresses of this book, now and later"
    )
    parser.add_argument("--continue", dest="resume", type=int, metavar="RUN", help="go on with this cut run")
    parser.add_argument("--time-scale", type=float, default=1.0, help="simulated seconds per real second, rig only")


def run(args: argparse.Namespace) -> int:
    book = open_or_create(args.book)
    try:
        request = _request(book, args)
        _agree(book, request, args)
        recording = begin_recording(book, request, [ProgressLine()])
        _wait_or_stop(recording)
        if recording.book_path != book.path:
            book.close()
            book = open_book(recording.book_path)
        done = book.get(Run, recording.run.id)
        print(f"run {done.id}: {recording.status}, {done.samples} values", file=sys.stderr)
        if recording.status is ExitStatus.FAILED:
            print(f"pinch: {recording.reason}", file=sys.stderr)
            return 1
        _, judged = JudgeDesk(book).judge(done)
        print(finding(judged, request.setting.sustained_w))
        if scores := scores_of(done):
            print(f"scores: {', '.join(f'{plain(s)}' for s in scores)} {request.workload.score_unit}")
    finally:
        book.close()
    return 0


def _agree(book: Book, request: RunRequest, args: argparse.Namespace) -> None:
    """What was typed here is agreed to by typing it; of the rest of the book only where that is said.

    Raises
    ------
    PinchError : the book wants something that nobody has agreed to; the sentence says all of it.
    """
    wishes = wishes_of_run(request, meters_of(book, request.device))
    lines, addresses = map(str.strip, args.lines), (meter.partition("@")[2] for meter in args.meter)
    typed = {args.reach, args.command, args.frames, *lines, *addresses}
    agree(book.path, [wish for wish in wishes if args.agree or wish.words in typed])
    if left := refused(book.path, wishes):
        raise PinchError(f"{ConsentError(book.path, left)} Where you trust all of it, add --agree.")


def _wait_or_stop(recording: Recording) -> None:
    """Wait for the end; an interrupt ends the run in good order, and a second one does not cut that short."""
    before = signal.signal(signal.SIGINT, lambda *_: recording.stop())
    try:
        while not recording.wait(0.5):
            pass
    finally:
        signal.signal(signal.SIGINT, before)


def _request(book: Book, args: argparse.Namespace) -> RunRequest:
    device = _with_programs(book, _device(book, args), args)
    settings = book.settings(device.id)
    if (device.local or device.reach) and args.setting not in [s.name for s in settings]:
        fields = {"device_id": device.id, "name": args.setting, "sustained_w": args.watts}
        settings.append(book.save(checked(Setting, "The setting", **fields)))
    setting = named(settings, args.setting, "setting", lambda s: s.name)
    workload = _workload(book, args)
    asked = {"passes": args.passes, "pause_s": args.pause, "frame_log": args.frames}
    asked = {name: value for name, value in asked.items() if value is not None}
    workload = checked(Workload, "The workload", **workload.model_dump() | asked)
    for meter in args.meter:
        _add_meter(book, meter)
    return RunRequest(
        device,
        setting,
        workload,
        args.length,
        args.idle,
        args.ambient,
        args.time_scale,
        interval_s=args.interval,
        continues=None if args.resume is None else book.get(Run, args.resume),
    )


def _device(book: Book, args: argparse.Namespace) -> Device:
    """The device that is asked for: of the book, of the rig, on the other end of a command, or this computer."""
    here = add_this_computer(book)
    if args.device is None and args.reach is None:
        return here
    known = {d.name for d in book.devices()}
    if args.reach is not None and args.device not in known:
        name = args.device or "Another computer"
        new: Device = checked(Device, "The device", name=free_name(name, known), reach=args.reach)
        return book.save(new)
    if args.device not in known:
        add_rig(book)
    devices = book.devices()
    by_key = next((d for d in devices if d.rig == args.device), None)
    device: Device = by_key or named(devices, args.device, "device", lambda d: d.name)
    if args.reach is None:
        return device
    reached: Device = book.save(device.model_copy(update={"reach": args.reach}))
    return reached


def _with_programs(book: Book, device: Device, args: argparse.Namespace) -> Device:
    """The device with the programs that were named; one that it has already keeps its names unless others are said."""
    programs = {program.command: program for program in device.programs}
    for command in map(str.strip, args.lines):
        known = programs.get(command)
        name = known.name if known else free_name(Path(command.split()[0]).name, [p.name for p in programs.values()])
        meant = args.meant or (known.meant if known else "")
        programs[command] = checked(LineProgram, "The program", name=name, command=command, meant=meant)
        source_of(programs[command])  # one that cannot be started does not enter the book
    if not args.lines:
        return device
    kept: Device = book.save(device.model_copy(update={"programs": tuple(programs.values())}))
    return kept


def _workload(book: Book, args: argparse.Namespace) -> Workload:
    """The workload that is asked for; a command becomes a new one where the book does not know it."""
    if args.command is None:
        found: Workload = named(book.workloads(), args.workload, "workload", lambda w: w.name)
        return found
    known = next((w for w in book.workloads() if w.command == args.command), None)
    fields = {"runner": Runner.COMMAND, "kind": WorkKind.TASK, "score_from": ScoreFrom.TIME, "score_unit": "s"}
    name = free_name(args.command.split()[0] if args.command.split() else "Command", [w.name for w in book.workloads()])
    new = {"name": name, "command": args.command, "higher_is_better": False, **fields}
    if known is not None:
        return known
    task: Workload = checked(Workload, "The workload", **new)
    command_line(task)  # one that cannot be run does not enter the book
    return book.save(task)


def _add_meter(book: Book, words: str) -> None:
    """A meter that the book does not know yet, by `PROFILE@ADDRESS`."""
    key, at, address = words.partition("@")
    if not at or not address:
        raise PinchError(f"{words}: a meter is given as PROFILE@ADDRESS, such as ac-power@TCPIP::HOST::5025::SOCKET.")
    known = profile(key)
    measures = next((q for q, unit in UNITS.items() if unit == known.unit), Quantity.WALL)
    if not any((i.profile, i.address) == (key, address) for i in book.instruments()):
        fields = {"name": known.title, "measures": measures, "profile": key, "address": address}
        book.save(checked(Instrument, "The meter", **fields))


class ProgressLine:
    """Says where a recording is, every ten seconds of it."""

    def __init__(self) -> None:
        self._said = 0.0

    def __call__(self, news: News) -> None:
        for note in news.notes:
            print(note, file=sys.stderr)
        if "probe.load" not in news.values or news.t_s < self._said + EVERY_S:
            return
        self._said = news.t_s - news.t_s % EVERY_S
        watts = next((news.values[name] for name in SUSTAINED_POWER if name in news.values), None)
        power = f", {watts:.1f} W" if watts is not None else ""
        print(f"{news.phase} {self._said:.0f} s{power}", file=sys.stderr)
