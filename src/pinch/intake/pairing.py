"""Which logs belong to one run: a log of sensors and one of frames that were written at the same time or have the same
name, and by how much the second must be shifted."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pinch.core.alignment import first_frame_s, load_start_s
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.runlog import RunLog
from pinch.language import tr
from pinch.sources.logs.read import ReadLog
from pinch.sources.logs.times import DAY_S
from pinch.sources.runlog_csv import TIME as OWN_TIME

BY_CLOCK, BY_LOAD, BY_HAND = tr("by their clocks"), tr("by the start of load"), tr("by hand")
LEAST_SHARED = 0.5
"""Logs belong together where they share this much of the shorter one's time."""
_ROLE_WORDS = frozenset(
    {"frame", "frames", "frametime", "frametimes", "fps", "bilder"}
    | {"sensor", "sensors", "sensoren", "hw", "log", "logs", "run", "data"}
)
_WORD = re.compile(r"[^\W_]+")


@dataclass(frozen=True)
class Pair:
    """A log of sensors and one of frames of the same run: times of the frames are later by `offset_s` on the time of
    the sensors, which was found `how`."""

    sensors: Path
    frames: Path
    offset_s: float
    how: str


def pair_logs(read: Mapping[Path, ReadLog]) -> tuple[Pair, ...]:
    """The pairs among logs: by the time they share, with its date or as the time of day, else by their names without
    the words that tell sensors from frames. Where more than one would do, none is taken."""
    frames = {path: found for path, found in read.items() if holds_frames_only(found.log)}
    sensors = {path: found for path, found in read.items() if path not in frames and FRAME_TIME not in found.log.series}
    pairs: list[Pair] = []
    for fit in (_fit_by_date, _fit_by_time_of_day, _fit_by_name):
        free = [p for p in frames if all(p != pair.frames for pair in pairs)]
        there = [p for p in sensors if all(p != pair.sensors for pair in pairs)]
        fits = {f: [s for s in there if fit(s, sensors[s], f, frames[f])] for f in free}
        for path, found in fits.items():
            rivals = [f for f, fitting in fits.items() if set(fitting) & set(found)]
            if len(found) == 1 and rivals == [path]:
                pairs.append(pair_of(found[0], sensors[found[0]], path, frames[path]))
    return tuple(pairs)


def pair_of(sensors: Path, main: ReadLog, frames: Path, beside: ReadLog) -> Pair:
    """Two logs of one run, aligned by their clocks where they overlap by them, else by the start of load: frames are
    drawn from then on."""
    between = _between_s(main, beside)
    if between is not None and _share(main.log, beside.log, between) > 0.0:
        return Pair(sensors, frames, round(between, 3), BY_CLOCK)
    start = load_start_s(main.log)
    start = main.log.span_s[0] if np.isnan(start) else start
    return Pair(sensors, frames, round(start - first_frame_s(beside.log), 3), BY_LOAD)


def holds_frames_only(log: RunLog) -> bool:
    """Whether a log is of frames alone: nothing in it is of a sensor."""
    components = {name.partition(".")[0] for name in log.series}
    return bool({FRAME_TIME, FRAME_RATE} & set(log.series)) and components <= {"frame", "score", "extra"}


def same_name(path: Path) -> tuple[str, ...]:
    """What is left of a file's name without the words that tell sensors from frames."""
    return tuple(w for w in _WORD.findall(path.stem.casefold()) if w not in _ROLE_WORDS)


def unpaired(read: Iterable[Path], pairs: Iterable[Pair]) -> list[Path]:
    """The logs that are a run each, or the main log of a pair."""
    beside = {pair.frames for pair in pairs}
    return [path for path in read if path not in beside]


def _fit_by_date(sensors: Path, main: ReadLog, frames: Path, beside: ReadLog) -> bool:
    return None not in (main.started, beside.started) and _fit_by_time_of_day(sensors, main, frames, beside)


def _fit_by_time_of_day(sensors: Path, main: ReadLog, frames: Path, beside: ReadLog) -> bool:
    between = _between_s(main, beside)
    return between is not None and _share(main.log, beside.log, between) >= LEAST_SHARED


def _fit_by_name(sensors: Path, main: ReadLog, frames: Path, beside: ReadLog) -> bool:
    if main.started is not None and beside.started is not None:
        return False  # both tell when they were written, and it was not at the same time
    name = same_name(sensors)
    return sensors.parent == frames.parent and bool(name) and name == same_name(frames)


def _between_s(main: ReadLog, beside: ReadLog) -> float | None:
    """How much later times of the second are on the time of the first, by their clocks; None where they share none.
    Pinch's own logs count from the beginning of the run, those of its frames too."""
    own = not beside.fingerprint or beside.columns[0].name == OWN_TIME
    if not main.fingerprint and own:
        return 0.0
    starts = beside.log.span_s[0] - main.log.span_s[0]
    if main.started is not None and beside.started is not None:
        return (beside.started - main.started).total_seconds() - starts
    if main.day_s is None or beside.day_s is None:
        return None
    return (beside.day_s - main.day_s + DAY_S / 2) % DAY_S - DAY_S / 2 - starts


def _share(main: RunLog, beside: RunLog, between_s: float) -> float:
    (a, b), (c, d) = main.span_s, beside.span_s
    common = min(b, d + between_s) - max(a, c + between_s)
    return max(0.0, common) / max(1e-9, min(b - a, d - c))
