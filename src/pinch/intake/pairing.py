"""Which logs belong to one run: a log of sensors and one of frames that were written at the same time or have the same
name, and by how much the second must be shifted."""

import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime
from pathlib import Path

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from pinch.core.alignment import first_frame_s, load_start_s
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.runlog import FloatArray, RunLog
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


class Pair(Struct, frozen=True):
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
    for fitting in (_fitting_by_date, _fitting_by_time_of_day, _fitting_by_name):
        taken = {path for pair in pairs for path in (pair.sensors, pair.frames)}
        free, there = _without(frames, taken), _without(sensors, taken)
        fits = dict(zip(free, fitting(there, free), strict=True))
        rivals = Counter(path for found in fits.values() for path in found)
        pairs += [
            pair_of(found[0], sensors[found[0]], path, frames[path])
            for path, found in fits.items()
            if len(found) == 1 and rivals[found[0]] == 1
        ]
    return tuple(pairs)


def _without(logs: Mapping[Path, ReadLog], taken: Collection[Path]) -> dict[Path, ReadLog]:
    return {path: found for path, found in logs.items() if path not in taken}


def pair_of(sensors: Path, main: ReadLog, frames: Path, beside: ReadLog) -> Pair:
    """Two logs of one run, aligned by their clocks where they overlap by them, else by the start of load: frames are
    drawn from then on."""
    clocks = _clocks_of([main])
    between = _between_s(clocks, beside)
    if _share(clocks, beside, between)[0] > 0.0:
        return Pair(sensors, frames, round(float(between[0]), 3), BY_CLOCK)
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


Logs = Mapping[Path, ReadLog]


def _fitting_by_date(sensors: Logs, frames: Logs) -> list[list[Path]]:
    """The sensors that fit to each log of frames, both of which tell their date."""
    dated = _dated(frames)
    by_path = dict(zip(dated, _fitting_by_time_of_day(_dated(sensors), dated), strict=True))
    return [by_path.get(path, []) for path in frames]


def _dated(logs: Logs) -> Logs:
    return {path: found for path, found in logs.items() if found.started is not None}


def _fitting_by_time_of_day(sensors: Logs, frames: Logs) -> list[list[Path]]:
    """The sensors that share enough time with each log of frames, by their clocks."""
    paths, clocks = list(sensors), _clocks_of(list(sensors.values()))
    shares = (_share(clocks, beside, _between_s(clocks, beside)) for beside in frames.values())
    return [[paths[at] for at in np.flatnonzero(share >= LEAST_SHARED)] for share in shares]


def _fitting_by_name(sensors: Logs, frames: Logs) -> list[list[Path]]:
    """The sensors that are called as each log of frames is, but those that both tell when they were written: it was
    not at the same time."""
    named: dict[tuple[Path, tuple[str, ...]], list[Path]] = {}
    for path in sensors:
        named.setdefault((path.parent, same_name(path)), []).append(path)
    return [
        [
            path
            for path in named.get((of.parent, same_name(of)), [])
            if same_name(of) and (sensors[path].started is None or found.started is None)
        ]
        for of, found in frames.items()
    ]


class _Clocks(Struct, frozen=True):
    """What the clocks of logs tell, (n,) each: whether they are Pinch's own, their date and time of day, s, NaN where
    they tell none, and the span of their samples, s."""

    own: NDArray[np.bool_]
    date_s: FloatArray
    day_s: FloatArray
    first_s: FloatArray
    last_s: FloatArray


def _clocks_of(logs: Sequence[ReadLog]) -> _Clocks:
    spans = np.array([found.log.span_s for found in logs]).reshape(-1, 2)
    return _Clocks(
        np.array([not found.fingerprint for found in logs], dtype=bool),
        np.array([_date_s(found) for found in logs]),
        np.array([np.nan if found.day_s is None else found.day_s for found in logs]),
        spans[:, 0],
        spans[:, 1],
    )


def _date_s(found: ReadLog) -> float:
    """When a log's first row was, s since a day that means nothing; NaN where it does not tell."""
    return np.nan if found.started is None else (found.started - datetime(2000, 1, 1)).total_seconds()


def _between_s(mains: _Clocks, beside: ReadLog) -> FloatArray:
    """How much later times of the second are on the time of each of the first, by their clocks (n,); NaN where they
    share none. Pinch's own logs count from the beginning of the run, those of its frames too."""
    starts = beside.log.span_s[0] - mains.first_s
    by_date = _date_s(beside) - mains.date_s
    by_day = (np.nan if beside.day_s is None else beside.day_s) - mains.day_s
    by_day = (by_day + DAY_S / 2) % DAY_S - DAY_S / 2
    between = np.where(np.isnan(by_date), by_day, by_date) - starts
    own = not beside.fingerprint or beside.columns[0].name == OWN_TIME
    return np.where(mains.own, 0.0, between) if own else between


def _share(mains: _Clocks, beside: ReadLog, between_s: FloatArray) -> FloatArray:
    """Which part of the shorter one's time each of the first shares with the second (n,); 0 where none is known."""
    c, d = beside.log.span_s
    common = np.minimum(mains.last_s, d + between_s) - np.maximum(mains.first_s, c + between_s)
    shorter = np.maximum(1e-9, np.minimum(mains.last_s - mains.first_s, d - c))
    share: FloatArray = np.nan_to_num(np.maximum(0.0, common) / shorter)
    return share
