"""All runs of a book judged in the background: what is new or has changed, and which figures a new method moved."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pinch.bench.book import Book, open_book
from pinch.bench.digests import Digest, RundownDigest, keep_digest, log_hash, read_digests
from pinch.bench.records import Device, Run, Setting, Workload, scores_of
from pinch.compose.judging import JudgeDesk, known_of
from pinch.core.errors import DataError, PinchError
from pinch.core.figures import finite
from pinch.core.finding import finding
from pinch.core.judge import METHOD, Judgement
from pinch.core.progress import Progress, tell, unheard
from pinch.core.rundown import Rundown, judge_rundown
from pinch.core.runlog import RunLog
from pinch.core.sound import level_mean

HEAT_SHARE = 0.1
WALL = "wall.power"
BATTERY, CHARGE, LEFT = "battery.power", "battery.charge", "battery.energy"
NOISE, FAN = "noise.level", "fan.1.speed"
LEAST_REST_S, LEAST_FALL = 5.0, 1.0
FORM = 3
"""Part of a digest's key: raised when a digest holds more than before."""
SCHOOLS = ("percentile", "mean_of_worst", "time_share")
MOVED_SHARE = 0.002
"""A figure that a new method moves by less is not worth a word."""
_NUMBERS = (
    *(("power_w", "sustained power", "W"), ("clock_mhz", "clock", "MHz"), ("temp_c", "temperature", "°C")),
    *(("rate", "rate", ""), ("r_th", "thermal resistance", "K/W")),
)


@dataclass(frozen=True)
class Moved:
    """A figure that another version of the methods changed."""

    run_id: int
    words: str


@dataclass(frozen=True)
class Digested:
    """The digests of a book by run, and what a new method moved."""

    digests: dict[int, Digest]
    moved: tuple[Moved, ...]


def digest_book(path: Path, progress: Progress = unheard) -> Digested:
    """Judge the runs of a book whose digest is missing or out of date, with a connection of its own, and keep them.

    Raises
    ------
    CancelledError : `progress` answered False; what was worked out is kept.
    """
    book = open_book(path)
    try:
        return _digest(book, progress)
    finally:
        book.close()


def _digest(book: Book, progress: Progress) -> Digested:
    kept, digests, moved = read_digests(book), dict[int, Digest](), list[Moved]()
    runs = [run for run in book.runs() if not run.cut_off]
    records = _Records(book)
    for number, run in enumerate(runs):
        tell(progress, number / len(runs))
        run_id, key = run.id or 0, records.key(run)
        old_key, method, old = kept.get(run_id, ("", 0, Digest()))
        if old_key == key and method == METHOD:
            digests[run_id] = old
            continue
        digests[run_id] = digest_of(run, JudgeDesk(book), records.device(run), records.setting(run))
        if old_key == key:
            moved += [Moved(run_id, words) for words in moved_words(old, digests[run_id])]
        if not book.read_only:
            keep_digest(book, run_id, key, METHOD, digests[run_id])
    return Digested(digests, tuple(moved))


def digest_of(run: Run, desk: JudgeDesk, device: Device, setting: Setting) -> Digest:
    """The digest of one run; a run that cannot be judged says why."""
    if run.summary is not None:
        return Digest(finding=f"Told: {run.summary.score:.6g}", rate=run.summary.score, flags=("told",))
    try:
        log, j = desk.judge(run)
    except PinchError as error:
        return Digest(problem=str(error), flags=tuple(_record_flags(run)))
    scores = scores_of(run)
    rate = sum(scores) / len(scores) if scores else _value(j, j.rate)
    return Digest(
        finding=finding(j, setting.sustained_w),
        state=j.settled.state,
        power_w=_value(j, j.power),
        clock_mhz=_value(j, j.clock),
        temp_c=_value(j, j.temp),
        rate=rate,
        burst_w=finite(j.limits.burst.value),
        hold=finite(j.figures[j.clock].hold) if j.clock else None,
        headroom_k=_headroom(j),
        idle_w=finite(j.limits.idle_w),
        wall_w=_logged(j, WALL),
        idle_wall_w=_at_rest(log, j, WALL),
        battery_w=_logged(j, BATTERY),
        cpu_w=_logged(j, "cpu.power"),
        gpu_w=_logged(j, "gpu.power"),
        gpu_load=_logged(j, "gpu.load"),
        noise_db=_noise(log, j),
        fan_rpm=_logged(j, FAN),
        surfaces=_surfaces(j),
        rundown=_rundown(log, device, j.rate),
        lows=_lows(j),
        shares=dict(j.limiter_share),
        r_th=j.heat.r_th.value if j.heat else None,
        flags=(*_flags(j), *_record_flags(run)),
    )


def _logged(j: Judgement, channel: str) -> float | None:
    return _value(j, channel if channel in j.figures else None)


def _headroom(j: Judgement) -> float | None:
    """K between the settled temperature and its limit."""
    value = _value(j, j.temp)
    return None if value is None else finite(j.levels.temp_limit_c - value)


def _at_rest(log: RunLog, j: Judgement, channel: str) -> float | None:
    """The mean of a channel before the load."""
    series = log.series.get(channel)
    if series is None:
        return None
    resting = series.values[(series.t < j.load_start_s) & np.isfinite(series.values)]
    before = series.t[series.t < j.load_start_s]
    return float(resting.mean()) if len(resting) and np.ptp(before) >= LEAST_REST_S else None


def _noise(log: RunLog, j: Judgement) -> float | None:
    """The energetic mean of the level in the settled window."""
    series = log.series.get(NOISE)
    if series is None:
        return None
    inside = series.values[(series.t >= j.settled.start_s) & (series.t <= j.settled.end_s)]
    known = inside[np.isfinite(inside)]
    return level_mean(known) if len(known) else None


def _surfaces(j: Judgement) -> dict[str, float]:
    """Settled temperatures of surfaces by place."""
    found = {}
    for channel in j.figures:
        if channel.startswith("skin.") and (value := _value(j, channel)) is not None:
            found[channel.removeprefix("skin.").removesuffix(".temp")] = value
    return found


def _rundown(log: RunLog, device: Device, rate: str | None) -> RundownDigest | None:
    """What the battery did, where it ran down."""
    charge = log.series.get(CHARGE)
    if charge is None or len(charge.t) < 3 or charge.values[0] - charge.values[-1] < LEAST_FALL:
        return None
    others = (log.series.get(LEFT), log.series.get(BATTERY), log.series.get(rate or ""))
    try:
        found = judge_rundown(charge, *others, device.battery.full_wh, device.battery.design_wh)
    except DataError:
        return None
    return rundown_digest(found)


def rundown_digest(found: Rundown) -> RundownDigest:
    """What a list keeps of a rundown."""
    low, high = found.runtime_interval
    return RundownDigest(
        from_charge=found.from_charge,
        to_charge=found.to_charge,
        draw_w=finite(found.draw_w.value),
        power_w=finite(found.power_w.value),
        runtime_h=finite(found.runtime_h.value),
        low_h=finite(low),
        high_h=finite(high),
        wear=finite(found.wear),
        sag=finite(found.sag),
        notes=tuple(n.text for n in found.notes),
    )


def _lows(j: Judgement) -> dict[str, float]:
    """The lows of all schools, by low and school."""
    if j.frames is None:
        return {}
    both = (("low_1", j.frames.low_1), ("low_0_1", j.frames.low_01))
    return {f"{name}.{school}": float(getattr(lows, school)) for name, lows in both for school in SCHOOLS}


def moved_words(old: Digest, new: Digest) -> Sequence[str]:
    """What differs between two digests of the same log."""
    found = [f"window {old.state} → {new.state}"] if old.state != new.state else []
    for field, name, unit in _NUMBERS:
        before, after = getattr(old, field), getattr(new, field)
        if before != after and (None in (before, after) or abs(after - before) > MOVED_SHARE * abs(before)):
            found.append(f"{name} {_number(before, unit)} → {_number(after, unit)}")
    return found


def _number(value: float | None, unit: str) -> str:
    return "none" if value is None else f"{value:.5g} {unit}".rstrip()


def _value(j: Judgement, channel: str | None) -> float | None:
    if channel is None or not j.figures[channel].sustained.known:
        return None
    return j.figures[channel].sustained.value


def _flags(j: Judgement) -> list[str]:
    there = {
        "drifting": j.settled.state == "drifting",
        "short": j.settled.state == "too-short",
        "heat": j.limiter_share.get("heat", 0.0) >= HEAT_SHARE,
        "gap": bool(j.gaps),
        "fault": bool(j.collapses),
    }
    return [flag for flag, is_so in there.items() if is_so]


def _record_flags(run: Run) -> list[str]:
    unfair = run.notes.startswith("Started in spite of")
    by_hand = run.window is not None
    return [flag for flag, so in (("void", bool(run.void)), ("unfair", unfair), ("by hand", by_hand)) if so]


class _Records:
    """The records that judgements of one book depend on, each read once."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._devices = {d.id: d for d in book.devices()}
        self._settings = {s.id: s for d in self._devices.values() for s in book.settings(d.id or 0)}
        self._workloads = {w.id: w for w in book.workloads()}

    def device(self, run: Run) -> Device:
        """The device of a run."""
        return self._devices[run.device_id]

    def setting(self, run: Run) -> Setting:
        """The setting of a run."""
        return self._settings[run.setting_id]

    def key(self, run: Run) -> str:
        """The same while neither the log of a run nor what is known of it changes."""
        device: Device = self._devices[run.device_id]
        workload: Workload = self._workloads[run.workload_id]
        setting = self.setting(run)
        known = known_of(device, setting, workload, run)
        told = (FORM, known, device.battery, setting.sustained_w, run.void, run.notes[:20], run.summary, scores_of(run))
        return hashlib.sha256(f"{log_hash(self._book, run.id or 0)}{told}".encode()).hexdigest()
