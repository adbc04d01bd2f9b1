"""Logs that are in the book, put right: channels that were taken for something else, and two logs that are one run."""

from collections.abc import Mapping, Sequence

from msgspec import Struct

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.entry import read_quantity
from pinch.bench.records import Run
from pinch.core.alignment import first_frame_s, joined, load_start_s
from pinch.core.channels import is_channel_name
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_TIME
from pinch.core.runlog import RunLog, Series
from pinch.intake.completing import void_in_plans
from pinch.language import tr


class ChannelMeant(Struct, frozen=True):
    """What a channel of a log is meant to be, and what its values are multiplied by; no name: it is left out."""

    name: str
    factor: float = 1.0


def read_meant(text: str) -> ChannelMeant:
    """What a channel is meant to be, as it is typed: `cpu.clock`, `cpu.clock*1000`, or nothing.

    Raises
    ------
    PinchError : what it is multiplied by is no number.
    """
    name, sign, factor = text.partition("*")
    return ChannelMeant(name.strip(), read_quantity(factor, "").value if sign else 1.0)


def remove_runs(book: Book, runs: Sequence[Run]) -> None:
    """Runs leave the lists, and plans want them again. The caller makes it one change."""
    for run in runs:
        void_in_plans(book, book.save(run.model_copy(update={"removed": True})))


def rework_channels(book: Book, run: Run, meant: Mapping[str, ChannelMeant]) -> Run:
    """Channels of a run under other names, or in another unit. The caller makes it one change.

    Raises
    ------
    PinchError : the run has no such channel, a name is none of a channel, or two would be the same.
    """
    log, series = runlogs.read_log(book, run.id), dict[str, Series]()
    lacking = next((name for name in meant if name not in log.series), None)
    if lacking is not None:
        raise PinchError(
            tr(
                "Run {run} has no channel {lacking}; it has {series}.",
                run=run.id,
                lacking=lacking,
                series=", ".join(log.series) or tr("none"),
            )
        )
    for old, own in log.series.items():
        to = meant.get(old, ChannelMeant(old))
        if not to.name:
            continue
        if not is_channel_name(to.name):
            raise PinchError(tr("{old}: {to!r} is not a channel such as cpu.temp.", old=old, to=to.name))
        if to.name in series:
            raise PinchError(tr("Two channels cannot both be {to}.", to=to.name))
        series[to.name] = Series(to.name, own.t, own.values * to.factor)
    if not series:
        raise PinchError(tr("A log without a channel tells nothing."))
    return runlogs.replace_log(book, run, RunLog(series, log.marks))


def join_runs(book: Book, first: Run, second: Run) -> Run:
    """Two runs that were one: sensors, and the frames or other channels that were logged beside them, aligned by where
    the load begins. The second is removed. The caller makes it one change.

    Raises
    ------
    PinchError : both have a channel, or where the load begins cannot be told.
    """
    a, b = (runlogs.read_log(book, run.id) for run in (first, second))
    shared = sorted(set(a.series) & set(b.series))
    if shared:
        raise PinchError(tr("Both runs have {shared}; two logs of the same channel are two runs.", shared=shared[0]))
    begins = [first_frame_s(log) if FRAME_TIME in log.series else load_start_s(log) for log in (a, b)]
    if any(begin != begin for begin in begins):
        raise PinchError(tr("Where the load begins cannot be told in both, so they cannot be aligned."))
    whole = joined(a, b, begins[0] - begins[1])
    remove_runs(book, [second])
    return runlogs.replace_log(book, first, whole)
